"""Faces and the audit against truth: heads from a library's photograph over painted walls, with covers that slip."""

from __future__ import annotations

import time
from dataclasses import dataclass

import cv2
import numpy as np
from skimage import data

from cuvrel.core.arrays import F32, U8
from cuvrel.core.redaction.audit import audited
from cuvrel.core.redaction.faces import Face, alike
from cuvrel.core.redaction.people import look_through, people

WIDE, HIGH, COUNT = 1280, 720, 48
HEAD, FACE = (0, 260, 110, 330), (62.0, 66.0, 92.0, 92.0)  # of the photograph: what is cut out, and the face in that
KINDS = {
    "as it is": (0.9, 0.0, 1.0, 0.0), "small": (0.35, 0.0, 1.0, 0.0), "turned": (0.9, 22.0, 1.0, 0.0),
    "dark": (0.9, 0.0, 0.25, 0.0), "blurred": (0.9, 0.0, 1.0, 3.0), "all of it": (0.5, 15.0, 0.5, 1.5),
}  # fmt: skip


@dataclass
class Made:
    """A clip, where its face is on each frame (None while it is hidden), and the frames on which its cover slips."""

    frames: list[U8]
    truth: list[Face | None]
    slips: set[int]


def made(seed: int, size: float, turn: float, light: float, blur: float) -> Made:
    """A head that goes across, comes nearer, and is hidden once."""
    rng = np.random.default_rng(seed)
    y0, y1, x0, x1 = HEAD
    head = np.ascontiguousarray(data.astronaut()[y0:y1, x0:x1])
    wall = np.full((HIGH, WIDE, 3), 130, np.float32)
    for _ in range(120):
        at = tuple(int(n) for n in rng.integers(0, (WIDE, HIGH)))
        colour = tuple(float(n) for n in rng.uniform(30, 220, 3))
        cv2.rectangle(wall, at, (at[0] + int(rng.integers(20, 200)), at[1] + int(rng.integers(20, 200))), colour, -1)
    wall = cv2.GaussianBlur(wall, (0, 0), 3)
    start, way = rng.uniform(100, 300), rng.uniform(6, 12)
    hidden = set(range(20, 26))
    slips = {int(n) for n in rng.choice([n for n in range(COUNT) if n not in hidden], 6, replace=False)}
    frames, truth = [], []
    for n in range(COUNT):
        grown = size * (1 + 0.006 * n)
        matrix = cv2.getRotationMatrix2D((110, 130), turn * np.sin(n / 7), grown)
        matrix[:, 2] += (start + way * n, 220 + 40 * np.sin(n / 9))
        cover = cv2.warpAffine(np.full(head.shape[:2], 255, np.uint8), matrix, (WIDE, HIGH))
        out = np.where(cover[..., None] > 127, cv2.warpAffine(head, matrix, (WIDE, HIGH)), wall)
        mx, my = matrix @ (FACE[0] + FACE[2] / 2, FACE[1] + FACE[3] / 2, 1)
        one = Face(mx - FACE[2] * grown / 2, my - FACE[3] * grown / 2, FACE[2] * grown, FACE[3] * grown, 1.0)
        if n in hidden:
            cv2.rectangle(out, (int(one.x - 40), 0), (int(one.x + one.width + 40), HIGH), (90, 70, 50), -1)
        out = out * light
        frames.append(np.clip(cv2.GaussianBlur(out, (0, 0), blur) if blur else out, 0, 255).astype(np.uint8))
        truth.append(None if n in hidden else one)
    return Made(frames, truth, slips)


def covers(clip: Made, n: int) -> F32:
    """A cover over the face, beside it where it slips."""
    out, one = np.zeros((HIGH, WIDE), np.float32), clip.truth[n]
    if one is not None:
        x, y = one.middle
        x += one.width if n in clip.slips else 0
        cv2.ellipse(out, (int(x), int(y)), (int(one.width * 0.75), int(one.height * 0.9)), 0, 0, 360, (1,), -1)
    return out


def run(clips: int) -> None:
    """Prints what was found, what was missed, and how fast."""
    print(f"Faces at {WIDE} x {HIGH}, {COUNT} frames, {clips} clips each")
    hits = wanted = alarms = quiet = 0
    for kind, how in KINDS.items():
        found = there = persons = 0
        spent = 0.0
        for seed in range(clips):
            clip = made(seed, *how)
            begun = time.perf_counter()
            looked = dict(look_through(lambda n, of=clip.frames: of[n], range(COUNT)))  # type: ignore[misc]
            spent += time.perf_counter() - begun
            persons += len(people(lambda n, of=clip.frames: of[n], range(COUNT)))  # type: ignore[misc]
            for n, one in enumerate(clip.truth):
                if one is not None:
                    there += 1
                    found += any(alike(one, other) for other in looked[n])
            for frame in audited(lambda n, of=clip.frames: of[n], lambda n, of=clip: covers(of, n),  # type: ignore[misc]
                                 range(COUNT)):  # fmt: skip
                if frame.frame in clip.slips:
                    wanted, hits = wanted + 1, hits + frame.exposed
                else:
                    quiet, alarms = quiet + 1, alarms + frame.exposed
        share, rate = found / there, clips * COUNT / spent
        print(
            f"  {kind:10} found on {share:6.1%} of its frames, {persons / clips:.1f} people for 1, {rate:5.1f} frames/s"
        )
    print(f"  audit: {hits / wanted:.3f} of the exposed frames found, {alarms / quiet:.3f} false alarms")
