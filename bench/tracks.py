"""Tracks on clips made at random, and on the harbour's notice board, against two yardsticks in the same run.

yardsticks: pyramidal Lucas and Kanade with RANSAC from frame to frame, and OpenCV's ECC from the frame of reference.
"""

from __future__ import annotations

import contextlib
import json
import time
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

import cv2
import numpy as np
from numpy.typing import NDArray

from cuvrel.core.arrays import F32, F64, U8, Mask
from cuvrel.core.imaging.homography import moved
from cuvrel.core.media.probe import probe
from cuvrel.core.media.reader import Reader
from cuvrel.core.tracks.align import Freedom
from cuvrel.core.tracks.features import went
from cuvrel.core.tracks.follow import FREEDOM, Start, Tracker, tracked
from cuvrel.core.tracks.pyramids import Scenes, scene

SIZE, COUNT = (640, 360), 60
CLIPS = Path("src/cuvrel/demo/clips")


MARKS = {
    "patch": [[20, 20], [180, 20], [180, 120], [20, 120]],
    "region": [[30, 30], [170, 30], [170, 110], [30, 110]],
    "point": [[100, 70]],
}


@dataclass
class Made:
    """A clip and its truth: frames, and where the marked points are on each, (COUNT, N, 2) plate pixels."""

    frames: list[U8]
    truth: F64
    seen: Mask
    without: list[F32]


def texture(rng: np.random.Generator, size: tuple[int, int]) -> F32:
    """Blots, lines and fine grain, as of a painted board."""
    wide, high = size
    out = np.full((high, wide, 3), rng.uniform(60, 190, 3), np.float32)
    for _ in range(60):
        colour = tuple(float(c) for c in rng.uniform(20, 240, 3))
        a = tuple(int(n) for n in rng.integers(0, (wide, high)))
        if rng.random() < 0.5:
            cv2.circle(out, a, int(rng.integers(3, 26)), colour, -1, cv2.LINE_AA)
        else:
            cv2.line(
                out,
                a,
                tuple(int(n) for n in rng.integers(0, (wide, high))),
                colour,
                int(rng.integers(1, 5)),
                cv2.LINE_AA,
            )
    fine = cv2.GaussianBlur(rng.normal(0, 26, (high, wide, 3)).astype(np.float32), (0, 0), 1.2)
    return np.clip(out + fine, 0, 255)


def path(rng: np.random.Generator, kind: str, leaves: bool) -> Callable[[float], F64]:
    """A smooth motion of a piece, from its own pixels (200 x 140) to the frame's, at a share of the clip."""
    swing = rng.uniform(0.5, 1.5, 8) * rng.choice([-1, 1], 8)
    phase = rng.uniform(0, 6.28, 8)

    def at(t: float) -> F64:
        wave = np.sin(2 * np.pi * t * np.abs(swing) * 0.7 + phase) - np.sin(phase)
        angle, grow = 0.25 * wave[0], 1 + 0.22 * wave[1]
        dx, dy = 70 * wave[2] + (340 * t if leaves else 0), 40 * wave[3]
        c, s = grow * np.cos(angle), grow * np.sin(angle)
        shape = np.array([[c, -s, 320 + dx], [s, c, 180 + dy], [0, 0, 1.0]])
        if kind == "patch":
            shape = shape @ np.array(
                [[1, 0.1 * wave[4], 0], [0.1 * wave[5], 1, 0], [8e-4 * wave[6], 8e-4 * wave[7], 1.0]]
            )
        return shape @ np.array([[1, 0, -100], [0, 1, -70], [0, 0, 1.0]])

    return at


def made(seed: int, kind: str, light: bool, occluder: bool, blur: bool, leaves: bool = False) -> Made:
    """A clip of a board that moves before a place that moves a little."""
    rng = np.random.default_rng(seed)
    board, place = texture(rng, (200, 140)), texture(rng, (900, 560))
    bar = texture(rng, (60, 420))
    way = path(rng, kind, leaves)
    marks = MARKS[kind]
    frames, truth, seen, without = [], [], [], []
    for n in range(COUNT):
        steps = np.linspace(-0.25, 0.25, 5) if blur else [0.0]
        total = np.zeros((SIZE[1], SIZE[0], 3), np.float32)
        cover = np.zeros((SIZE[1], SIZE[0]), np.float32)
        for part in steps:
            t = (n + part) / COUNT
            sky = np.array([[1, 0, -120 - 50 * np.sin(3 * t)], [0, 1, -90 + 20 * np.cos(2 * t)]])
            frame = cv2.warpAffine(place, sky, SIZE)
            shape = way(t)
            laid = cv2.warpPerspective(board, shape, SIZE, flags=cv2.INTER_LINEAR)
            mask = cv2.warpPerspective(np.ones(board.shape[:2], np.float32), shape, SIZE)[..., None]
            if light:
                gx, gy = np.meshgrid(np.linspace(-1, 1, SIZE[0]), np.linspace(-1, 1, SIZE[1]))
                shade = 1 + 0.35 * np.sin(5 * t) * gx + 0.3 * np.cos(4 * t) * gy
                laid = laid * shade[..., None].astype(np.float32)
            frame = laid * mask + frame * (1 - mask)
            if occluder:
                x = -60 + (t * 1.6 % 1.3) * 760
                hide = np.array([[1, 0, x], [0, 1, -20.0]])
                over = cv2.warpAffine(np.ones(bar.shape[:2], np.float32), hide, SIZE)
                frame = cv2.warpAffine(bar, hide, SIZE) * over[..., None] + frame * (1 - over[..., None])
                cover = np.maximum(cover, over)
            total += frame / len(steps)
        noisy = total + rng.normal(0, 3, total.shape)
        frames.append(np.clip(noisy, 0, 255).astype(np.uint8))
        points = moved(way(n / COUNT), np.asarray(marks, np.float64)) + 0.5
        truth.append(points)
        middle = points.mean(axis=0).astype(int)
        inside = 0 <= middle[0] < SIZE[0] and 0 <= middle[1] < SIZE[1]
        seen.append(inside and cover[min(max(middle[1], 0), SIZE[1] - 1), min(max(middle[0], 0), SIZE[0] - 1)] < 0.5)
        without.append(cover)
    return Made(frames, np.array(truth), np.array(seen), without)


def by_features(clip: Made, start: Start, freedom: Freedom) -> F64:
    """The first yardstick, forwards and backwards from the frame of reference."""
    out = np.array(clip.truth)
    for step in (1, -1):
        here, points = scene(clip.frames[start.frame]), np.asarray(start.points) - 0.5
        area = start.area
        stop = COUNT if step > 0 else -1
        for n in range(start.frame + step, stop, step):
            now = scene(clip.frames[n])
            way = went(here, now, area, freedom)
            if way is not None:
                points, area = moved(way.matrix, points), area.moved(way.matrix)
            out[n], here = points + 0.5, now
    return out


def by_ecc(clip: Made, start: Start) -> F64:
    """The second yardstick: each frame against the frame of reference, begun where the last one ended."""
    out = np.array(clip.truth)
    mode = {"point": cv2.MOTION_TRANSLATION, "region": cv2.MOTION_EUCLIDEAN, "patch": cv2.MOTION_HOMOGRAPHY}[start.kind]
    first = cv2.cvtColor(clip.frames[start.frame], cv2.COLOR_RGB2GRAY)
    mask = np.zeros(first.shape, np.uint8)
    cv2.fillPoly(mask, [np.round(start.points).astype(np.int32)], (255,))
    for step in (1, -1):
        warp = np.eye(3, 3, dtype=np.float32)[: 3 if mode == cv2.MOTION_HOMOGRAPHY else 2]
        for n in range(start.frame + step, COUNT if step > 0 else -1, step):
            now = cv2.cvtColor(clip.frames[n], cv2.COLOR_RGB2GRAY)
            with contextlib.suppress(cv2.error):
                _, warp = cv2.findTransformECC(first, now, warp, mode, (3, 60, 1e-4), mask, 5)
            whole = np.vstack([warp, [0, 0, 1]]) if len(warp) == 2 else warp
            out[n] = moved(np.asarray(whole, np.float64), np.asarray(start.points) - 0.5) + 0.5
    return out


def ours(clip: Made, start: Start, masked: bool) -> tuple[F64, NDArray, float]:
    """Points, doubt, and frames a second."""
    cover = (lambda n: clip.without[n]) if masked else None
    scenes = Scenes(lambda n: clip.frames[n], cover)
    began = time.perf_counter()
    tracker = Tracker(scenes, start)
    found = tracked(tracker, 0, COUNT - 1)
    took = time.perf_counter() - began
    return np.array([tracker.points(one) for one in found]), np.array([one.doubt for one in found]), COUNT / took


def errors(points: F64, clip: Made, kind: str) -> NDArray:
    """Pixels of error: of corners, of the middle, or of the point; on the frames where it is seen."""
    apart = points - clip.truth
    if kind == "region":
        apart = apart.mean(axis=1, keepdims=True)
    return np.asarray(np.hypot(*apart[clip.seen].reshape(-1, 2).T))


CASES = (
    ("patch, perspective", "patch", {}),
    ("patch, changing light", "patch", {"light": True}),
    ("patch, light and an occluder", "patch", {"light": True, "occluder": True}),
    ("patch, all and motion blur", "patch", {"light": True, "occluder": True, "blur": True}),
    ("region", "region", {}),
    ("region, light and an occluder", "region", {"light": True, "occluder": True}),
    ("region, leaving the picture", "region", {"leaves": True, "light": True}),
    ("point", "point", {}),
    ("point, changing light", "point", {"light": True}),
    ("point, light and an occluder", "point", {"light": True, "occluder": True}),
)


def run(clips: int = 4, yardsticks: bool = True) -> None:
    """Prints medians and ninetieth percentiles in pixels at 640 x 360, and frames a second."""
    print(f"Tracks at {SIZE[0]} x {SIZE[1]}, {COUNT} frames, {clips} clips each; error in px, median / 90th percentile")
    for title, kind, how in CASES:
        rows: dict[str, list[NDArray]] = {"ours": []}
        speeds, flagged, missed = [], 0, 0
        for seed in range(clips):
            clip = made(seed + 10, kind, **{"light": False, "occluder": False, "blur": False, **how})
            frame = next(n for n in sorted(range(COUNT), key=lambda n: abs(n - COUNT // 2)) if clip.seen[n])
            start = Start(kind, frame, clip.truth[frame], 12.0)  # type: ignore[arg-type]
            points, doubt, speed = ours(clip, start, masked=False)
            rows["ours"].append(errors(points, clip, kind))
            if yardsticks:
                features = by_features(clip, start, FREEDOM[start.kind])
                rows.setdefault("features", []).append(errors(features, clip, kind))
                rows.setdefault("ecc", []).append(errors(by_ecc(clip, start), clip, kind))
            speeds.append(speed)
            bad = np.hypot(*np.moveaxis(points - clip.truth, -1, 0)).max(axis=1) > 3
            flagged += int((bad & (doubt > 0.5)).sum())
            missed += int((bad & (doubt <= 0.5)).sum())
        said = "   ".join(
            f"{name} {np.median(np.concatenate(all_)):6.2f} / {np.percentile(np.concatenate(all_), 90):6.2f}"
            for name, all_ in rows.items()
        )
        print(
            f"  {title:<32} {said}   {np.median(speeds):5.0f} frames/s   off by 3 px: {flagged} told, {missed} not",
            flush=True,
        )
    _board()


def _board() -> None:
    about = json.loads((CLIPS / "notice-board.json").read_text())
    corners = about.get("corners")
    if not corners:
        return
    truth = np.asarray(corners, np.float64)
    reader = Reader(CLIPS / "notice-board.mp4", probe(CLIPS / "notice-board.mp4"), keep_bytes=1 << 29)
    frame = len(truth) // 2
    start = Start("patch", frame, truth[frame])
    began = time.perf_counter()
    tracker = Tracker(Scenes(reader.frame), start)
    found = tracked(tracker, 0, len(truth) - 1)
    took = time.perf_counter() - began
    apart = np.hypot(*np.moveaxis(np.array([tracker.points(one) for one in found]) - truth, -1, 0)).ravel()
    print(
        f"  notice-board, its corners at 1280 x 720: {np.median(apart):.2f} / {np.percentile(apart, 90):.2f} px, "
        f"{len(truth) / took:.0f} frames/s"
    )
