"""Cuts against their truth: reels put together from the demo's clips, with flashes, whip pans and mixes among them."""

from __future__ import annotations

from time import perf_counter
from typing import Any

import cv2
import numpy as np

from cuvrel.core.arrays import U8
from cuvrel.core.media.probe import probe
from cuvrel.core.media.reader import Reader
from cuvrel.core.motion.cuts import found_cuts, small
from cuvrel.demo.project import CLIPS

NAMES = ("flag-drill", "gull", "night-watch", "notice-board", "porters", "signaller", "take-a")
SIZE = 480, 270
Truth = tuple[int, int | None]


def run(reels: int) -> None:
    """Prints what is found of so many reels. A mix counts within three frames of either end, a cut within one."""
    found = missed = extra = 0
    seconds = frames = 0.0
    for seed in range(reels):
        pictures, truth = _reel(np.random.default_rng(seed))
        begun = perf_counter()
        got: list[Truth] = [(one.frame, one.to) for one in found_cuts(small(picture) for picture in pictures)]
        seconds, frames = seconds + perf_counter() - begun, frames + len(pictures)
        for one in truth:
            hit = next((other for other in got if _same(one, other)), None)
            if hit is None:
                missed += 1
                print(f"  reel {seed}: missed {one}")
            else:
                found += 1
                got.remove(hit)
        extra += len(got)
        if got:
            print(f"  reel {seed}: {got} are none")
    print(f"{found + missed} cuts in {reels} reels: {found / (found + missed):.3f} found (bar 0.95, goal 1)")
    print(f"false cuts over cuts: {extra / max(1, found + extra):.3f} (bar 0.05, goal 0)")
    print(f"{frames / seconds:.0f} frames a second, decoding apart")


def _same(wanted: Truth, got: Truth) -> bool:
    if wanted[1] is None or got[1] is None:
        return wanted[1] is got[1] and abs(wanted[0] - got[0]) <= 1
    return abs(wanted[0] - got[0]) <= 3 and abs(wanted[1] - got[1]) <= 3


def _reel(rng: np.random.Generator) -> tuple[list[U8], list[Truth]]:
    out: list[U8] = []
    truth: list[Truth] = []
    for place, k in enumerate(rng.permutation(len(NAMES))[:6]):
        piece = _piece(NAMES[k], rng)
        if rng.random() < 0.5:
            _flash(piece, rng)
        if rng.random() < 0.5 and len(piece) > 24:
            _whip(piece, rng)
        if place and rng.random() < 0.35:
            count = int(rng.integers(6, 16))
            for n in range(count):
                share = (n + 1) / (count + 1)
                at = len(out) - count + n
                out[at] = np.asarray(cv2.addWeighted(out[at], 1 - share, piece[n], share, 0), np.uint8)
            truth.append((len(out) - count, len(out) - 1))
            piece = piece[count:]
        elif place:
            truth.append((len(out), None))
        out += piece
    noise = rng.normal(0, 2, (SIZE[1], SIZE[0], 3))
    noisy = [np.roll(noise, int(rng.integers(0, 200)), 1) + picture for picture in out]
    return [np.clip(picture, 0, 255).astype(np.uint8) for picture in noisy], truth


def _piece(name: str, rng: np.random.Generator) -> list[U8]:
    path = CLIPS / f"{name}.mp4"
    reader: Any = Reader(path, probe(path), keep_bytes=0)
    count = min(int(rng.integers(24, 60)), reader.info.frames)
    first = int(rng.integers(0, max(1, reader.info.frames - count)))
    return [cv2.resize(reader.frame(first + n), SIZE, interpolation=cv2.INTER_AREA) for n in range(count)]


def _flash(piece: list[U8], rng: np.random.Generator) -> None:
    at, long = int(rng.integers(6, len(piece) - 8)), int(rng.integers(1, 4))
    for n in range(long):
        strength = (long - n) / long
        lit = piece[at + n].astype(np.float32) * (1 + 1.5 * strength) + 110 * strength
        piece[at + n] = np.clip(lit, 0, 255).astype(np.uint8)


def _whip(piece: list[U8], rng: np.random.Generator) -> None:
    at, long = int(rng.integers(6, len(piece) - 16)), int(rng.integers(5, 9))
    wide = np.hstack([piece[at], piece[at][:, ::-1]] * 2 + [piece[at]])

    def place(n: int) -> float:
        share = n / long
        return 2 * SIZE[0] * share * share * (3 - 2 * share)

    for n in range(long):
        sums = np.zeros((SIZE[1], SIZE[0], 3), np.float32)
        for x in np.linspace(place(n), place(n + 1), 12, endpoint=False).astype(int):
            sums += wide[:, x : x + SIZE[0]]
        piece[at + n] = (sums / 12).astype(np.uint8)
