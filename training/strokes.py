"""Marks as people draw them on a first frame: a few along the subject, some about it, some far from it."""

from __future__ import annotations

import cv2
import numpy as np

from cuvrel.core.arrays import F32, F64, Mask
from cuvrel.core.recipe.models import Mark


def _stroke(
    rng: np.random.Generator, free: F32, picked: Mask, room: float, longest: float
) -> list[tuple[float, float]] | None:
    """A line, a little bent, that starts where it may and keeps its room. free: distance to what it must not touch."""
    ys, xs = np.nonzero(picked & (free > room))
    if not len(xs):
        return None
    n = int(rng.integers(0, len(xs)))
    start, heading, bend = np.array([xs[n], ys[n]], float), rng.uniform(0, 2 * np.pi), rng.normal(0, 0.06)
    points = [(float(start[0]), float(start[1]))]
    for way in (1, -1):
        at, angle = start.copy(), heading
        for _ in range(int(rng.uniform(0.1, 1) * longest / 4)):
            # turns aside where it comes near the border
            ahead = [(free_at(free, at, angle + turn), -abs(turn), angle + turn) for turn in (0, 0.4, -0.4)]
            room_there, _, best = max(ahead) if ahead[0][0] < 2 * room else ahead[0]
            if room_there < room:
                break
            angle = best + bend
            at = at + 2 * way * np.array([np.cos(angle), np.sin(angle)])
            if free_at(free, at, 0, 0) < room:
                break
            points.insert(len(points) if way > 0 else 0, (float(at[0]), float(at[1])))
    return [points[0], *points[3:-1:4], points[-1]] if len(points) > 3 else points


def free_at(free: F32, at: F64, angle: float, ahead: float = 6.0) -> float:
    """The room a little further along; 0 beyond the picture."""
    x, y = int(at[0] + ahead * np.cos(angle)), int(at[1] + ahead * np.sin(angle))
    return float(free[y, x]) if 0 <= y < free.shape[0] and 0 <= x < free.shape[1] else 0.0


def first_marks(rng: np.random.Generator, truth: F32, frame: int = 0) -> list[Mark]:
    """Three to six in marks and three to eight out marks on a frame, in pixels."""
    inside = cv2.distanceTransform((truth > 0.9).astype(np.uint8), cv2.DIST_L2, 5)
    outside = cv2.distanceTransform((truth < 0.05).astype(np.uint8), cv2.DIST_L2, 5)
    tall = max(20.0, float(np.ptp(np.flatnonzero((truth > 0.5).any(1)))) if (truth > 0.5).any() else 20.0)
    out: list[Mark] = []

    def add(kind: str, found: list[tuple[float, float]] | None, radius: float) -> None:
        if found:
            out.append(Mark(id=f"m{len(out)}", frame=frame, kind=kind, radius=radius, points=found))

    # people begin with the bulk and then do the limbs
    deep = inside > 0.5 * inside.max()
    left = np.ones(truth.shape, bool)
    for n in range(int(rng.integers(2, 7))):
        radius = float(rng.uniform(1, 4))
        add(
            "in",
            _stroke(rng, inside, (deep if n < 1 else left), min(radius + 0.5, 0.6 * float(inside.max())), tall),
            radius,
        )
        if out and n:
            cv2.circle(canvas := left.astype(np.uint8), [int(v) for v in out[-1].points[0]], int(tall * 0.12), 0, -1)
            left = canvas.astype(bool)
    near = (outside > 3) & (outside < 0.25 * tall + 8)
    for _ in range(int(rng.integers(3, 9))):
        radius = float(rng.uniform(1.5, 5))
        about = near if rng.uniform() < 0.65 else np.ones_like(near)
        add("out", _stroke(rng, outside, about, radius + 2, rng.uniform(0.3, 1.5) * tall), radius)
    return out
