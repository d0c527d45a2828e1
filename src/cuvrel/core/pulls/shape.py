"""Shapes: drawn outlines, keyframed, with soft edges and motion blur."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import numpy as np

from cuvrel.core.arrays import F32
from cuvrel.core.imaging.raster import coverage, ramp
from cuvrel.core.pulls.join import join_pull
from cuvrel.core.pulls.outline import Outline, outline_at
from cuvrel.core.recipe.context import Context
from cuvrel.core.recipe.declared import Params, declare, number
from cuvrel.core.recipe.shapes import Shape
from cuvrel.core.recipe.values import START, Env, Scalar

MOST = 24  # pictures of a shape that make its motion blur


class ShapeParams(Params):
    """What counts for all shapes of the pull."""

    shutter: Scalar = number(
        0.0, "Motion blur", 0, 720, step=5, unit="°", hint="shutter angle: 180 is what film cameras have"
    )


def drawn(shape: Outline, size: tuple[int, int], scale: float) -> F32:
    """One outline's coverage, (H, W) float32, 0 to 1.

    scale: this size over the plate's. Coverage falls smoothly from the inner to the outer polygon.
    """
    out = np.zeros(size, np.float32)
    corners = shape.outer * scale
    low = np.maximum(np.floor(corners.min(axis=0)).astype(int) - 2, 0)
    high = np.minimum(np.ceil(corners.max(axis=0)).astype(int) + 2, (size[1], size[0]))
    if (high <= low).any():
        return out
    part = int(high[1] - low[1]), int(high[0] - low[0])
    if shape.soft:
        cover = ramp(shape.inner * scale - low, shape.outer * scale - low, part)
    else:
        cover = coverage(shape.line * scale - low, part)
    out[low[1] : high[1], low[0] : high[0]] = cover
    return out


def shaped(shapes: Sequence[Shape], now: Env, size: tuple[int, int], scale: float, shutter: float = 0.0) -> F32:
    """The coverage of all shapes of a pull, joined in their order.

    Parameters
    ----------
    shapes
        As the document has them; the first that is on adds.
    now
        Where their values are read: the time, and the tracks that they ride on.
    size
        (H, W) of the result.
    scale
        The result's size over the plate's.
    shutter
        In degrees; 360 blurs over a whole frame's time about this one.

    Returns
    -------
    F32
        (H, W), 0 to 1.
    """
    total = np.zeros(size, np.float32)
    for shape in shapes:
        if not shape.on:
            continue
        total = join_pull(total, _blurred(shape, now, size, scale, shutter), shape.join)
    return total


def _blurred(shape: Shape, now: Env, size: tuple[int, int], scale: float, shutter: float) -> F32:
    half = shutter / 720
    at = outline_at(shape, now)
    if half <= 0 or (len(shape.keys) == 1 and not shape.rides):
        return drawn(at, size, scale)
    first, last = (outline_at(shape, now.moved_to(now.time + t)) for t in (-half, half))
    far = float(np.hypot(*(np.abs(first.line - at.line) + np.abs(last.line - at.line)).T).max()) * scale
    count = int(np.clip(np.ceil(far / 1.5), 1, MOST))
    if count == 1:
        return drawn(at, size, scale)
    total = np.zeros(size, np.float32)
    for n in range(count):
        time = now.time + half * ((2 * n + 1) / count - 1)
        total += drawn(outline_at(shape, now.moved_to(time)), size, scale)
    return total / np.float32(count)


@declare(
    "pull",
    "shape",
    "Shapes",
    ShapeParams,
    hint="drawn by hand: ellipse, box, polygon, smooth curve, open line",
    holds="shapes",
    blind=True,
    clock=lambda values: float(values["shutter"]) > 0,
)
def shape_pull(_: None, values: dict[str, Any], context: Context) -> F32:
    """The pull's shapes as coverage, (H, W) float32, 0 to 1."""
    shutter = float(values["shutter"])
    return shaped(context.shapes, context.clock if shutter > 0 else START, context.size, context.scale, shutter)
