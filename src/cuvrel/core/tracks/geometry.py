"""Pieces of a picture, and the matrix that brings places closest to others."""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np

from cuvrel.core.arrays import F64, U8
from cuvrel.core.imaging.homography import moved

SQUARE = np.array([[-1.0, -1.0], [1.0, -1.0], [1.0, 1.0], [-1.0, 1.0]])


def through(to: F64, freedom: str, own: F64 = SQUARE) -> F64:
    """The matrix that puts four places closest to four others, (3, 3); in perspective it puts them there exactly.

    freedom: how it may change what it moves (see `align.Freedom`).
    """
    if freedom == "perspective":
        return _perspective(own, to)
    x, y = own.T
    one = np.ones(len(own))
    if freedom == "stretch and shear":
        rows = np.kron(np.eye(2), np.column_stack([x, y, one]))
        p = np.linalg.lstsq(rows, to.T.ravel(), rcond=None)[0]
        return np.array([[p[0], p[1], p[2]], [p[3], p[4], p[5]], [0, 0, 1.0]])
    rows = np.vstack([np.column_stack([x, -y, one, 0 * one]), np.column_stack([y, x, 0 * one, one])])
    p = np.linalg.lstsq(rows, to.T.ravel(), rcond=None)[0]
    return np.array([[p[0], -p[1], p[2]], [p[1], p[0], p[3]], [0, 0, 1.0]])


def _perspective(own: F64, to: F64) -> F64:
    """The homography that takes four places to four others."""
    (x, y), (u, v), one, none = own.T, to.T, np.ones(4), np.zeros(4)
    rows = np.vstack([np.column_stack([x, y, one, none, none, none, -u * x, -u * y]),
                      np.column_stack([none, none, none, x, y, one, -v * x, -v * y])])  # fmt: skip
    found = np.linalg.solve(rows, np.concatenate([u, v]))
    return np.append(found, 1.0).reshape(3, 3)


@dataclass(frozen=True)
class Area:
    """A piece of a picture: what lies within an outline, and within more, but not within less; (N, 2) each."""

    outline: F64
    more: tuple[F64, ...] = ()
    less: tuple[F64, ...] = ()

    def moved(self, matrix: F64) -> Area:
        """The piece through a (3, 3) matrix."""
        more, less = (tuple(moved(matrix, one) for one in some) for some in (self.more, self.less))
        return Area(moved(matrix, self.outline), more, less)

    @property
    def box(self) -> tuple[F64, F64]:
        """Its least and its largest x and y."""
        points = np.concatenate([self.outline, *self.more])
        return points.min(axis=0), points.max(axis=0)

    def mask(self, size: tuple[int, int]) -> U8:
        """1 inside, 0 outside, (H, W) uint8; places are counted from the middle of the top left pixel."""
        out = np.zeros(size, np.uint8)
        for polygons, inside in (((self.outline, *self.more), 1), (self.less, 0)):
            for one in polygons:
                cv2.fillPoly(out, [np.round(one * 16).astype(np.int32)], (inside,), shift=4)
        return out


def round_about(x: float, y: float, radius: float) -> F64:
    """A circle as a polygon, (12, 2)."""
    turns = np.arange(12) * (2 * np.pi / 12)
    return np.column_stack([x + radius * np.cos(turns), y + radius * np.sin(turns)])


def bridge(before: F64 | None, a: F64, b: F64, after: F64 | None, span: int, share: float) -> F64:
    """Places between `a` and `b`, so many frames apart, by a cubic that sets out as they came and arrives as they go.

    before, after: the places a frame before `a` and a frame after `b`; without, the way there is straight.
    """
    straight = (b - a) / span
    out = a - before if before is not None else straight
    into = after - b if after is not None else straight
    t = share
    h = 2 * t**3 - 3 * t**2 + 1, t**3 - 2 * t**2 + t, -2 * t**3 + 3 * t**2, t**3 - t**2
    return np.asarray(h[0] * a + h[1] * out * span + h[2] * b + h[3] * into * span, np.float64)
