"""Direct alignment of a piece of the reference frame with another frame.

The inverse compositional form (Baker and Matthews, "Lucas-Kanade 20 Years On", 2004): the piece's own gradients are
worked out once, and each step moves the warp by the inverse of what would move the piece. Weights by Tukey's biweight
of each pixel's residual keep out what covers the piece; gain and offset of the light are taken out at each step.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

import cv2
import numpy as np
from numpy.typing import NDArray

from cuvrel.core.arrays import F32, F64, Mask
from cuvrel.core.imaging.homography import moved
from cuvrel.core.imaging.row_kernels import kernel
from cuvrel.core.tracks.geometry import Area
from cuvrel.core.tracks.pyramids import Scene, of_level

Freedom = Literal["position", "size and turn", "stretch and shear", "perspective"]
MOST, LEAST = 2400, 40  # samples of a level
STEPS = 24
ABOUT = (7, 7)  # samples about one that tell whether it is covered
AMONG = (0.4, 0.7)  # the share of those that agree, below which it does not count, and above which it does
# of the eight ways a piece can change those that each freedom has: x gx, y gx, gx, x gy, y gy, gy, -x g, -y g
WAYS: dict[Freedom, F64] = {
    "position": np.eye(8)[:, [2, 5]],
    "size and turn": np.column_stack([np.eye(8)[:, [2, 5]], np.eye(8)[0] + np.eye(8)[4], np.eye(8)[3] - np.eye(8)[1]]),
    "stretch and shear": np.eye(8)[:, :6],
    "perspective": np.eye(8),
}


@dataclass(frozen=True)
class Part:
    """A piece's samples on one level: places within the piece, values, and how values change along x and y.

    cells: row and column of each sample among all of them.
    """

    level: int
    at: F32
    values: F32
    slopes: F32
    cells: tuple[NDArray[np.intp], NDArray[np.intp]]
    filled: F32


@dataclass(frozen=True)
class Piece:
    """A piece of a frame. frame: from its own places, -1 to 1 about its middle, to the frame's pixels, (3, 3)."""

    frame: F64
    parts: tuple[Part, ...]
    area: Area


@dataclass(frozen=True)
class Fit:
    """Where a piece lies in another frame. alike: the weighted correlation, -1 to 1. seen: how much of it agrees.

    least: how much agrees of the quarter of it of which least does.
    """

    matrix: F64
    alike: float
    seen: float
    least: float


def piece(seen: Scene, area: Area, most: int = MOST) -> Piece | None:
    """The piece of a frame in an area of it; None where next to nothing can be told from it.

    What may not be looked at is no part of it. most: samples of a level.
    """
    low, high = area.box
    middle, half = (low + high) / 2, np.maximum((high - low) / 2, 1.0)
    size = float(half.max())
    frame = np.array([[size, 0, middle[0]], [0, size, middle[1]], [0, 0, 1.0]])
    parts = []
    for number, level in enumerate(seen.levels):
        part = _part(level.even, level.allowed, number, area.moved(of_level(number)), frame, most)
        if part is None:
            break
        parts.append(part)
    return Piece(frame, tuple(parts), area) if parts else None


def _part(even: F32, allowed: F32 | None, number: int, area: Area, frame: NDArray, most: int) -> Part | None:
    mask = area.mask((even.shape[0], even.shape[1]))
    mask[:1], mask[-1:], mask[:, :1], mask[:, -1:] = 0, 0, 0, 0
    inside = mask > 0
    if allowed is not None:
        inside &= allowed > 0.9
    ys, xs = np.nonzero(inside)
    if len(xs) < LEAST:
        return None
    step = 1
    if len(xs) > most:
        step = int(np.ceil(np.sqrt(len(xs) / most)))
        kept = (xs % step == 0) & (ys % step == 0)
        ys, xs = ys[kept], xs[kept]
    gx = cv2.Scharr(even, cv2.CV_32F, 1, 0, scale=1 / 32)[ys, xs]
    gy = cv2.Scharr(even, cv2.CV_32F, 0, 1, scale=1 / 32)[ys, xs]
    back = np.asarray(np.linalg.inv(of_level(number) @ frame), np.float64)
    at = moved(back, np.column_stack([xs, ys]))
    # slopes along the piece's own places
    slopes = np.column_stack([gx, gy]) / float(back[0, 0])
    cells = (ys - ys.min()) // step, (xs - xs.min()) // step
    there = np.zeros((cells[0].max() + 1, cells[1].max() + 1), np.float32)
    there[cells] = 1
    return Part(number, at.astype(np.float32), even[ys, xs].astype(np.float32), slopes.astype(np.float32), cells,
                np.maximum(_about(there), np.float32(1e-3)))  # fmt: skip


def _about(grid: F32) -> F32:
    return np.asarray(cv2.blur(grid, ABOUT, borderType=cv2.BORDER_CONSTANT), np.float32)


@kernel
def _sampled(image: F32, allowed: F32, at: F32, h: F64, out: F32, there: Mask) -> None:
    high, wide = image.shape
    masked = allowed.shape[0] == high
    for n in range(at.shape[0]):
        x, y = np.float64(at[n, 0]), np.float64(at[n, 1])
        d = h[2, 0] * x + h[2, 1] * y + h[2, 2]
        there[n] = False
        if d <= 1e-6:
            continue
        u, v = (h[0, 0] * x + h[0, 1] * y + h[0, 2]) / d, (h[1, 0] * x + h[1, 1] * y + h[1, 2]) / d
        if not (u >= 0 and v >= 0 and u < wide - 1 and v < high - 1):
            continue
        i, j = int(v), int(u)
        t, s = np.float32(v - i), np.float32(u - j)
        if masked and allowed[i, j] < np.float32(0.9):
            continue
        one = np.float32(1.0)
        top = image[i, j] * (one - s) + image[i, j + 1] * s
        low = image[i + 1, j] * (one - s) + image[i + 1, j + 1] * s
        out[n], there[n] = top * (one - t) + low * t, True


@kernel
def _summed(at: F32, slopes: F32, residual: F32, weights: F32, normal: F64, right: F64) -> None:
    row = np.empty(8, np.float64)
    for n in range(at.shape[0]):
        w = np.float64(weights[n])
        if w <= 0:
            continue
        x, y, gx, gy = np.float64(at[n, 0]), np.float64(at[n, 1]), np.float64(slopes[n, 0]), np.float64(slopes[n, 1])
        g = x * gx + y * gy
        row[0], row[1], row[2], row[3], row[4], row[5], row[6], row[7] = (
            x * gx, y * gx, gx, x * gy, y * gy, gy, -x * g, -y * g
        )  # fmt: skip
        e = w * np.float64(residual[n])
        for i in range(8):
            right[i] += row[i] * e
            for j in range(i, 8):
                normal[i, j] += w * row[i] * row[j]


NOTHING = np.zeros((0, 0), np.float32)


@dataclass
class _Seen:
    """A part's samples in another frame: what is unlike, each one's weight, and how alike all of it is."""

    residual: F32
    weights: F32
    alike: float
    share: float


@kernel
def _weighed(values: F32, wanted: F32, there: Mask, residual: F32, weights: F32) -> tuple[float, float]:
    """Fills what is unlike and the weights; returns how alike the samples are, and the share of them that agrees."""
    count = values.shape[0]
    some = np.empty(count // 3 + 1, np.float32)
    for n in range(count):
        weights[n] = np.float32(1.0) if there[n] else np.float32(0.0)
        residual[n] = np.float32(0.0)
    for _ in range(2):
        # gain and offset of what agrees
        total, mt, mv = 1e-6, 0.0, 0.0
        for n in range(count):
            w = weights[n]
            total, mt, mv = total + w, mt + w * wanted[n], mv + w * values[n]
        mt, mv = mt / total, mv / total
        pt, pv = 1e-12, 1e-12
        for n in range(count):
            w = weights[n]
            a, b = wanted[n] - mt, values[n] - mv
            pt, pv = pt + w * a * a, pv + w * b * b
        gain = np.float32(min(max(np.sqrt(pt / pv), 0.4), 2.5))
        used = 0
        for n in range(count):
            residual[n] = (values[n] - np.float32(mv)) * gain - (wanted[n] - np.float32(mt))
            if there[n] and n % 3 == 0:
                some[used] = abs(residual[n])
                used += 1
        spread = np.float32(1.4826) * np.median(some[: max(used, 1)]) if used else np.float32(1.0)
        over = np.float32(1.0) / (np.float32(4.685) * max(spread, np.float32(0.12)))
        for n in range(count):
            e = residual[n] * over
            inside = max(np.float32(1.0) - e * e, np.float32(0.0))
            weights[n] = inside * inside if there[n] else np.float32(0.0)
    total, cross, pt, pv = 1e-6, 0.0, 1e-12, 1e-12
    for n in range(count):
        w = weights[n]
        a, b = wanted[n] - mt, values[n] - mv
        total, cross, pt, pv = total + w, cross + w * a * b, pt + w * a * a, pv + w * b * b
    return cross / np.sqrt(pt * pv), total / count


def _look(part: Part, image: F32, allowed: F32 | None, matrix: F64) -> _Seen | None:
    count = len(part.values)
    values, there = np.zeros(count, np.float32), np.zeros(count, np.bool_)
    _sampled(image, NOTHING if allowed is None else allowed, part.at, matrix, values, there)
    if there.sum() < LEAST // 2:
        return None
    residual, weights = np.empty_like(values), np.empty_like(values)
    alike_, _ = _weighed(values, part.values, there, residual, weights)
    # what agrees by chance among what does not is covered, too
    grid = np.zeros(part.filled.shape, np.float32)
    grid[part.cells] = weights
    near = (_about(grid) / part.filled)[part.cells]
    weights *= np.clip((near - AMONG[0]) / (AMONG[1] - AMONG[0]), 0, 1)
    return _Seen(residual, weights, float(alike_), float(weights.mean()))


def align(piece_: Piece, seen: Scene, matrix: F64, freedom: Freedom, coarsest: int = 8) -> Fit | None:
    """Brings a piece into another frame, from a first guess that is a few pixels off; None where it can't be.

    matrix: from the piece's own places to the frame's pixels. coarsest: the level that is begun with.
    """
    ways, found = WAYS[freedom], np.array(matrix, np.float64)
    last: _Seen | None = None
    for part in reversed(piece_.parts[: coarsest + 1]):
        level = seen.levels[part.level] if part.level < len(seen.levels) else None
        if level is None:
            continue
        to = of_level(part.level)
        # few ways alone on coarse levels, where a piece is a few pixels
        use = ways if len(part.values) > 200 or ways.shape[1] <= 4 else WAYS["size and turn"]
        if len(part.values) < 90:
            use = WAYS["position"]
        last = None
        for _ in range(STEPS):
            here = _look(part, level.even, level.allowed, to @ found)
            if here is None:
                break
            last = here
            normal, right = np.zeros((8, 8)), np.zeros(8)
            _summed(part.at, part.slopes, here.residual, here.weights, normal, right)
            whole = normal + np.triu(normal, 1).T
            small = use.T @ whole @ use
            try:
                step = use @ np.linalg.solve(small + np.eye(len(small)) * 1e-6 * np.trace(small), use.T @ right)
            except np.linalg.LinAlgError:
                return None
            change = np.array([[1 + step[0], step[1], step[2]], [step[3], 1 + step[4], step[5]], [step[6], step[7], 1]])
            if not np.isfinite(change).all() or abs(np.linalg.det(change)) < 0.05:
                return None
            found = found @ np.linalg.inv(change)
            found /= found[2, 2]
            if np.abs(step).max() * abs(found[0, 0]) * 0.5**part.level < (0.004 if part.level == 0 else 0.03):
                break
    if last is None:
        return None
    return Fit(found, last.alike, last.share, _least(piece_.parts[0], last.weights))


def _least(part: Part, weights: F32) -> float:
    """The share that agrees of the quarter of a piece of which least does."""
    middle = np.median(part.at, axis=0)
    quarter = (part.at[:, 0] > middle[0]) * 2 + (part.at[:, 1] > middle[1])
    if len(quarter) != len(weights):
        return 1.0
    sums, counts = np.bincount(quarter, weights, 4), np.bincount(quarter, minlength=4)
    return float((sums / np.maximum(counts, 1)).min())
