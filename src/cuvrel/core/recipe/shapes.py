"""Drawn shapes in the document, and their outline at any time.

Plate pixels throughout, origin at the picture's top left corner, y down; times in frames, which may lie
between two.
"""

from __future__ import annotations

import itertools
from typing import Annotated, Literal

import numpy as np
from pydantic import Field, model_validator

from cuvrel.core.arrays import F64
from cuvrel.core.recipe.values import Env, Id, Name, Riding, Strict, eased

ShapeKind = Literal["ellipse", "box", "polygon", "curve", "line"]
ShapeEase = Literal["hold", "linear", "smooth"]
ShapeJoin = Literal["add", "subtract", "intersect"]
FAR = 1e6  # plate pixels
FRAMED = ("x", "y", "width", "height", "angle", "round", "inner", "outer")


class ShapePoint(Strict):
    """A point of an outline. inner, outer: how far its soft edge reaches to either side, in plate pixels."""

    x: float = Field(ge=-FAR, le=FAR)
    y: float = Field(ge=-FAR, le=FAR)
    inner: float = Field(0.0, ge=0, le=4000)
    outer: float = Field(0.0, ge=0, le=4000)
    corner: bool = Field(False, description="the curve has a corner here")


class ShapeKey(Strict):
    """A shape at one frame: `points` of a polygon, a curve or an open line, the other numbers of an ellipse or a box.

    x, y: the middle. width, height: in its own axes; width of a line: how thick it is, 0 for the thinnest. angle:
    degrees, clockwise on the screen. round: of a box's corners, 0 to 1. `ease` says how the shape leaves this key
    towards the next one. only: the points that this key is for, by their index; where there are none it is for the
    whole shape.
    """

    frame: int = Field(ge=0)
    ease: ShapeEase = "linear"
    only: list[Annotated[int, Field(ge=0)]] = Field(default_factory=list, max_length=500)
    points: list[ShapePoint] = Field(default_factory=list, max_length=500)
    x: float = Field(0.0, ge=-FAR, le=FAR)
    y: float = Field(0.0, ge=-FAR, le=FAR)
    width: float = Field(0.0, ge=0, le=FAR)
    height: float = Field(0.0, ge=0, le=FAR)
    angle: float = Field(0.0, ge=-36000, le=36000)
    round: float = Field(0.0, ge=0, le=1)
    inner: float = Field(0.0, ge=0, le=4000)
    outer: float = Field(0.0, ge=0, le=4000)


class ShapeRide(Riding):
    """A shape, or some of its points, moving with a track. only: the points, by their index; none is all others."""

    only: list[Annotated[int, Field(ge=0)]] = Field(default_factory=list, max_length=500)


class Shape(Strict):
    """A drawn shape, keyframed as a whole or by point; between keys it moves, turns and grows without twisting.

    Its keys are as it is without riding (see pulls/outline.py).
    """

    id: str = Id
    name: str = Name
    kind: ShapeKind
    on: bool = True
    join: ShapeJoin = "add"
    keys: list[ShapeKey] = Field(min_length=1, max_length=10_000)
    rides: list[ShapeRide] = Field(default_factory=list, max_length=50)

    @model_validator(mode="after")
    def _sound(self) -> Shape:
        frames = [key.frame for key in self.keys]
        if frames != sorted(set(frames)):
            raise ValueError("a shape's keys must be in the order of their frames, one per frame")
        if self.kind in ("ellipse", "box"):
            if any(key.points for key in self.keys):
                raise ValueError(f"an {self.kind} has no points" if self.kind == "ellipse" else "a box has no points")
        elif len({len(key.points) for key in self.keys}) != 1 or len(self.keys[0].points) < self.fewest:
            few = "two" if self.kind == "line" else "three"
            raise ValueError(f"a drawn {self.kind} has the same points on every key, {few} at least")
        if any(n >= len(key.points) for key in self.keys for n in key.only):
            raise ValueError("a key is for points that the shape does not have")
        if any(n >= len(self.keys[0].points) for ride in self.rides for n in ride.only):
            raise ValueError("points ride that the shape does not have")
        chosen = [n for ride in self.rides for n in ride.only or [-1]]
        if len(chosen) != len(set(chosen)):
            raise ValueError("a shape, or a point of it, rides on one track at a time")
        return self

    @property
    def fewest(self) -> int:
        """How many points it has at the least."""
        return 2 if self.kind == "line" else 3

    def at(self, env: Env) -> ShapeKey:
        """The shape in an environment, as a key of its own, without what it rides on."""
        time = env.time
        if not any(key.only for key in self.keys):
            return _among(self.keys, time)
        # points that have the same keys about them go together, as a shape of their own
        together: dict[tuple[int, ...], list[int]] = {}
        for n in range(len(self.keys[0].points)):
            mine = tuple(i for i, key in enumerate(self.keys) if not key.only or n in key.only) or (0,)
            together.setdefault(mine, []).append(n)
        points: list[ShapePoint | None] = [None] * len(self.keys[0].points)
        for mine, chosen in together.items():
            part = [self.keys[i].model_copy(update={"points": [self.keys[i].points[n] for n in chosen]}) for i in mine]
            for n, point in zip(chosen, _among(part, time).points, strict=True):
                points[n] = point
        return self.keys[0].model_copy(update={"points": points, "only": []})


def _among(keys: list[ShapeKey], time: float) -> ShapeKey:
    if time <= keys[0].frame:
        return keys[0]
    for left, right in itertools.pairwise(keys):
        if time < right.frame:
            return between(left, right, eased(left.ease, (time - left.frame) / (right.frame - left.frame)))
    return keys[-1]


def between(left: ShapeKey, right: ShapeKey, share: float) -> ShapeKey:
    """The shape on its way from one key to another.

    Points go by the turn, growth and shift that bring the one outline closest to the other (the least-squares
    similarity, Umeyama, TPAMI 1991), and what is left over is added evenly: an outline that only turns
    stays as large as it is half-way round. share: 0 to 1.
    """
    if share <= 0 or share >= 1:
        return left if share <= 0 else right
    values = {name: getattr(left, name) + (getattr(right, name) - getattr(left, name)) * share for name in FRAMED}
    if not left.points:
        return ShapeKey(frame=left.frame, ease=left.ease, **values)
    a, b = _table(left), _table(right)
    moved = _moved(a[:, :2], b[:, :2], share)
    soft = a[:, 2:] + (b[:, 2:] - a[:, 2:]) * share
    points = [
        ShapePoint(x=x, y=y, inner=inner, outer=outer, corner=point.corner)
        for (x, y), (inner, outer), point in zip(moved.tolist(), soft.tolist(), left.points, strict=True)
    ]
    return ShapeKey(frame=left.frame, ease=left.ease, points=points, width=values["width"])


def _table(key: ShapeKey) -> F64:
    return np.array([(p.x, p.y, p.inner, p.outer) for p in key.points], np.float64)


def _moved(a: F64, b: F64, share: float) -> F64:
    middle_a, middle_b = a.mean(axis=0), b.mean(axis=0)
    za = (a - middle_a) @ np.array([1, 1j])
    zb = (b - middle_b) @ np.array([1, 1j])
    size = float(np.square(np.abs(za)).sum())
    # as complex numbers a turn with growth is one factor
    factor = complex(np.vdot(za, zb) / size) if size > 1e-9 else 1 + 0j
    if abs(factor) < 1e-3:
        return a + (b - a) * share
    rest = zb / factor - za
    part = abs(factor) ** share * np.exp(1j * np.angle(factor) * share)
    z = part * (za + share * rest)
    middle = middle_a + (middle_b - middle_a) * share
    return np.stack([z.real, z.imag], axis=1) + middle
