"""A simulated artist: draws the marks that a person would draw where a matte is most wrong."""

from __future__ import annotations

from collections.abc import Sequence

import cv2
import numpy as np

from cuvrel.core.arrays import F32, F64
from cuvrel.core.checks.quality import overlap
from cuvrel.core.recipe.models import Mark
from cuvrel.core.trace.prepared import Prepared
from cuvrel.core.trace.trace import trace

Point = F64
STEP = 2.0  # pixels from one place of a stroke to the next
MOST = 60  # steps that a stroke goes each way
TURNS = (0.0, 0.25, -0.25, 0.5, -0.5, 1.0, -1.0, 1.5, -1.5)  # by which it may turn at each step, in radians
PATIENCE = 24  # strokes at the most on a frame that does not hold yet
STRAIGHT = 0.85  # share of the most room there is that is enough to go straight on


def mended(
    ready: Prepared,
    reached: F32 | None,
    truth: F32,
    most: int,
    drawn: Sequence[Mark] = (),
    enough: float = 1.0,
    holds: float = 0.0,
) -> tuple[F32, list[Mark]]:
    """A frame's matte under strokes, (H, W) float32, and all of its marks, new ones as of frame 0.

    reached: what was there, (H, W), or None where `drawn`, marks that are there already, are to make one.
    most: how many strokes may be drawn; none more where J, the overlap with the truth, is `enough` under one.
    holds: the J below which even more are drawn, up to PATIENCE, as long as any part is wrong that takes a stroke.
    Raises TraceError when there is neither an in mark nor a matte.
    """
    marks = list(drawn)
    matte = trace(ready, marks, reached) if reached is None or marks else reached
    for count in range(max(most, PATIENCE if holds > 0 else 0)):
        right = bool(marks) and overlap(matte, truth) >= (enough if count < most else holds)
        mark = None if right else next_mark(matte, truth, f"a{len(marks)}")
        if mark is None:
            break
        marks.append(mark)
        matte = trace(ready, marks, reached)
    return matte, marks


def next_mark(matte: F32, truth: F32, name: str = "a") -> Mark | None:
    """One stroke in the largest wrong part, to a tenth of a pixel, for frame 0; None when none is wrong.

    The stroke runs both ways from the part's thickest place, first where it can go furthest straight on, bends
    as the part does, and stays inside it.
    """
    wrong = ((matte > 0.5) != (truth > 0.5)).astype(np.uint8)
    depth = cv2.distanceTransform(wrong, cv2.DIST_L2, 5)
    count, labels, stats, _ = cv2.connectedComponentsWithStats((depth > 1.5).astype(np.uint8))
    if count < 2:
        return None
    part = 1 + int(np.argmax(stats[1:, cv2.CC_STAT_AREA]))
    inner = np.where(labels == part, depth, 0)
    y, x = np.unravel_index(int(np.argmax(inner)), inner.shape)
    radius = float(np.clip(0.5 * inner[y, x], 1.0, 8.0))
    start = np.array([x, y], np.float64)
    ways = [(_straight(depth, start, angle, radius), angle) for angle in np.linspace(0, 2 * np.pi, 24, endpoint=False)]
    angle = max(ways)[1]
    points = [*_along(depth, start, angle + np.pi, radius)[::-1], start, *_along(depth, start, angle, radius)]
    points = [points[0], *points[2:-1:4], points[-1]] if len(points) > 3 else points
    return Mark(
        id=name,
        frame=0,
        kind="in" if truth[y, x] > 0.5 else "out",
        radius=round(radius, 1),
        points=[(round(float(px) + 0.5, 1), round(float(py) + 0.5, 1)) for px, py in points],
    )


def _room(depth: F32, at: Point) -> float:
    """How far a place lies from what is not wrong; 0 beyond the picture."""
    x, y = round(float(at[0])), round(float(at[1]))
    return float(depth[y, x]) if 0 <= y < depth.shape[0] and 0 <= x < depth.shape[1] else 0.0


def _towards(angle: float) -> Point:
    return STEP * np.array([np.cos(angle), np.sin(angle)])


def _straight(depth: F32, start: Point, angle: float, radius: float) -> tuple[int, float]:
    """How many steps a stroke can go straight on, up to half of MOST, and the room on the way added up."""
    rooms = [_room(depth, start + n * _towards(angle)) for n in range(1, MOST // 2)]
    far = next((n for n, room in enumerate(rooms) if room < radius), len(rooms))
    return far, sum(rooms[:far])


def _along(depth: F32, start: Point, angle: float, radius: float) -> list[Point]:
    """The places of a stroke that sets out at an angle, up to MOST steps."""
    out: list[Point] = []
    at = start
    for _ in range(MOST):
        # a step further, so that a bend is seen before it comes
        best, _, turn = max((_room(depth, at + 2 * _towards(angle + turn)), -abs(turn), turn) for turn in TURNS)
        if _room(depth, at + 2 * _towards(angle)) < max(radius, STRAIGHT * best):
            angle += turn
        at = at + _towards(angle)
        if best < radius or _room(depth, at) < radius:
            break
        out.append(at)
    return out
