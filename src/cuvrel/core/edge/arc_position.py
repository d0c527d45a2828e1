"""Places along a matte's outline: how far round each pixel's nearest piece of it lies, and where a start is carried."""

from __future__ import annotations

from collections.abc import Sequence

import cv2
import numpy as np

from cuvrel.core.arrays import F32, F64

SAMPLES = 240  # of an outline that is compared with another one
AROUND = 10  # samples to either side that say what a place looks like
WIDE = 7.0  # pixels of what still counts as a line
SMALL = 10  # pixels of an outline that is left out


def outlines(matte: F32) -> list[F64]:
    """The closed outer outlines of a matte at one half, (N, 2) pixels each as x and y, clockwise, the longest first."""
    found, _ = cv2.findContours((matte > 0.5).astype(np.uint8), cv2.RETR_EXTERNAL, cv2.CHAIN_APPROX_NONE)
    lines: list[F64] = [one[::-1, 0].astype(np.float64) for one in found if len(one) >= SMALL]
    return sorted(lines, key=len, reverse=True)


def travelled(line: F64) -> F64:
    """The share of an outline that lies behind each of its points, (N,), from 0 to below 1."""
    steps = np.hypot(*(np.roll(line, -1, axis=0) - line).T)
    total = np.cumsum(steps)
    return np.asarray((total - steps) / total[-1], np.float64)


def _even(line: F64) -> F64:
    """Points evenly spaced along an outline, (SAMPLES, 2)."""
    behind = np.append(travelled(line), 1.0)
    closed = np.vstack([line, line[:1]])
    at = np.arange(SAMPLES) / SAMPLES
    return np.stack([np.interp(at, behind, closed[:, k]) for k in (0, 1)], axis=1)


def _looks(points: F64, size: float) -> F64:
    """What each point's surroundings look like: where its neighbours lie from it, as shares of the subject's size."""
    steps = np.arange(-AROUND, AROUND + 1)
    near = points[(np.arange(SAMPLES)[:, None] + steps) % SAMPLES]
    return np.asarray((near - points[:, None]) / size, np.float64)


def carried(start: tuple[float, float], then: F32, now: F32) -> tuple[float, float]:
    """Where the place of an outline that lay nearest to `start` has gone: pixels, x and y.

    then, now: the matte when the start was set, and as it is. It goes to the place of the longest outline that lies
    alike from the subject's middle, in sizes of the subject, and whose surroundings look alike (in the manner of
    shape contexts, Belongie, Malik and Puzicha, TPAMI 2002, kept to what lies near along the line).
    """
    before, after = outlines(then), outlines(now)
    if not before or not after:
        return start
    a, b = _even(before[0]), _even(after[0])
    sizes = [max(float(np.hypot(*points.std(axis=0))), 1.0) for points in (a, b)]
    at = int(np.argmin(np.square(a - start).sum(axis=1)))
    lies = (a[at] - a.mean(axis=0)) / sizes[0]
    far = np.square((b - b.mean(axis=0)) / sizes[1] - lies).sum(axis=1)
    unlike = np.square(_looks(b, sizes[1]) - _looks(a, sizes[0])[at]).sum(axis=2).mean(axis=1)
    best = b[int(np.argmin(far + 2.0 * unlike))]
    return float(best[0]), float(best[1])


def _thin(line: F64) -> bool:
    """Whether an outline is that of a line: there along one side, back along the other."""
    nxt = np.roll(line, -1, axis=0)
    area = abs(float((line[:, 0] * nxt[:, 1] - nxt[:, 0] * line[:, 1]).sum())) / 2
    length = float(np.hypot(*(nxt - line).T).sum())
    return 2 * area / length < WIDE and length > 6 * WIDE


def _ends(line: F64) -> tuple[int, int]:
    """The two points of a line's outline that lie furthest from one another along it: its ends.

    Of all pairs that halve the outline, the one whose two sides run closest together.
    """
    half, n = len(line) // 2, len(line)
    steps = np.arange(1, half - 1, max(1, half // 60))
    firsts = np.arange(0, half, max(1, half // 120))
    apart = [np.square(line[(i + steps) % n] - line[(i - steps) % n]).sum(axis=1).mean() for i in firsts]
    first = int(firsts[int(np.argmin(apart))])
    return first, (first + half) % n


def along(matte: F32, start: Sequence[float] | None) -> F32:
    """How far round the outline each pixel's nearest piece of it lies, (H, W) float32, 0 to below 1, clockwise.

    Each outline counts by itself, from its point nearest to `start` (pixels, x and y), or from its topmost one. A
    line's runs from the end nearest to it to the other one.
    """
    marks = np.full(matte.shape, 255, np.uint8)
    lines = outlines(matte)
    if not lines:
        return np.zeros(matte.shape, np.float32)
    shares = []
    for line in lines:
        x, y = line.astype(int).T
        marks[y, x] = 0
        far = line[:, 1] if start is None else np.square(line - np.asarray(start)).sum(axis=1)
        thin = _thin(line)
        first = min(_ends(line), key=lambda end: far[end]) if thin else int(np.argmin(far))
        share = (travelled(line) - travelled(line)[first]) % 1.0
        # both sides of a line are the same place of it
        shares.append(np.minimum(1 - np.abs(2 * share - 1), 0.9999) if thin else share)
    _, labels = cv2.distanceTransformWithLabels(marks, cv2.DIST_L2, cv2.DIST_MASK_5, labelType=cv2.DIST_LABEL_PIXEL)
    table = np.zeros(int(labels.max()) + 1, np.float32)
    # the longest last: where two outlines touch it is the one that counts
    for line, share in zip(reversed(lines), reversed(shares), strict=True):
        x, y = line.astype(int).T
        table[labels[y, x]] = share
    return table[labels]
