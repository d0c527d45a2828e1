"""Curves through points and ramps of colours: their shape as plain tuples, and reading them anywhere.

A curve is a tuple of points (x, y), a ramp a tuple of stops (x, red, green, blue); x runs from 0 to 1 and grows
from one to the next. Before the first and behind the last one the value holds.
"""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numpy.typing import ArrayLike

from cuvrel.core.arrays import F64

Rows = Sequence[Sequence[float]] | F64
MOST = 64  # points of a curve, or stops of a ramp


def curve_at(points: Rows, x: ArrayLike) -> F64:
    """A curve's height at any x, float64 of x's shape.

    It goes through all points and never overshoots one: where they rise it rises (the monotone cubic of Fritsch and
    Carlson, SIAM Journal on Numerical Analysis 1980).
    """
    table, places = np.array(points, np.float64), np.asarray(x, np.float64)
    at, height = table[:, 0], table[:, 1]
    if len(table) == 1:
        return np.full(places.shape, height[0])
    span = np.diff(at)
    slope = np.diff(height) / span
    tangent = np.empty(len(table))
    tangent[0], tangent[-1] = slope[0], slope[-1]
    rises = slope[:-1] * slope[1:] > 0
    # the harmonic mean of both sides keeps the curve from overshooting (Brodlie's weights)
    weights = (span[:-1] + 2 * span[1:]) / (3 * (span[:-1] + span[1:]))
    safe = np.where(rises, weights * slope[1:] + (1 - weights) * slope[:-1], 1.0)
    tangent[1:-1] = np.where(rises, slope[:-1] * slope[1:] / safe, 0.0)
    here = np.clip(places, at[0], at[-1])
    left = np.clip(np.searchsorted(at, here, side="right") - 1, 0, len(span) - 1)
    t = (here - at[left]) / span[left]
    low, high, width = height[left], height[left + 1], span[left]
    cubic = (
        low * (1 + 2 * t) * (1 - t) ** 2
        + width * tangent[left] * t * (1 - t) ** 2
        + high * t * t * (3 - 2 * t)
        + width * tangent[left + 1] * t * t * (t - 1)
    )
    return np.asarray(cubic, np.float64)


def ramp_at(stops: Rows, x: ArrayLike) -> F64:
    """A ramp's colour at any x, float64 of x's shape with three more; straight between two stops."""
    table, places = np.array(stops, np.float64), np.asarray(x, np.float64)
    return np.stack([np.interp(places, table[:, 0], table[:, n]) for n in (1, 2, 3)], axis=-1)


def between(left: Rows, right: Rows, share: float) -> tuple[tuple[float, ...], ...]:
    """A curve or a ramp on its way to another one, by a share from 0 to 1.

    Of as many points on both sides each goes straight to its own; else both are read at the places of either, and
    what is read goes.
    """
    a, b = np.array(left, np.float64), np.array(right, np.float64)
    if len(a) != len(b):
        places = np.unique(np.concatenate([a[:, 0], b[:, 0]]))
        a, b = (np.column_stack([places, _read(one, places)]) for one in (a, b))
    return tuple(tuple(row) for row in (a + (b - a) * share).tolist())


def _read(rows: F64, places: F64) -> F64:
    return curve_at(rows, places)[:, None] if rows.shape[1] == 2 else ramp_at(rows, places)
