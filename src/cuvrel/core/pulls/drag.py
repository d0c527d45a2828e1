"""Drag marks: an outline taken along by hand, where what is wrong is thinner than a stroke."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence
from itertools import pairwise

import cv2
import numpy as np
from numpy.typing import NDArray

from cuvrel.core.media.box import Box
from cuvrel.core.recipe.models import Mark

F32 = NDArray[np.float32]
STEP = 1 / 3  # of the radius that a brush goes at once: from two thirds on a picture would fold


def dragged(matte: F32, marks: Iterable[Mark]) -> F32:
    """A matte, (H, W) float32, after its drag marks, in their order; without one it is returned as it is.

    What lies under the middle of the brush goes with it, what lies further out goes less far, and beyond the
    radius nothing moves. Coverage is read once, however long the way, so that an edge stays as soft as it was.
    """
    steps = [
        (at, by, mark.radius) for mark in marks if mark.kind == "drag" for at, by in _steps(mark.points, mark.radius)
    ]
    if not steps:
        return matte
    height, width = matte.shape
    places, reach = np.array([at for at, _, _ in steps]), np.array([radius for _, _, radius in steps])[:, None]
    (x0, y0), (x1, y1) = (places - reach).min(0), (places + reach).max(0)
    rows = slice(max(0, int(y0)), min(height, int(y1) + 2))
    cols = slice(max(0, int(x0)), min(width, int(x1) + 2))
    if rows.start >= rows.stop or cols.start >= cols.stop:
        return matte
    came = np.zeros((rows.stop - rows.start, cols.stop - cols.start, 2), np.float32)
    for at, by, radius in steps:
        _carry(came, at - (cols.start, rows.start), by, radius)
    out = matte.copy()
    out[rows, cols] = _read(matte, came, (rows, cols))
    return out


def _steps(points: Sequence[tuple[float, float]], radius: float) -> Iterator[tuple[NDArray, NDArray]]:
    """Where the brush comes to, in pixel centres, and by how much it came, in steps that are short enough."""
    for a, b in pairwise(np.asarray(points, np.float64) - 0.5):
        count = max(1, int(np.ceil(np.hypot(*(b - a)) / (STEP * radius))))
        for n in range(1, count + 1):
            yield a + (b - a) * (n / count), (b - a) / count


def _carry(came: F32, at: NDArray, by: NDArray, radius: float) -> None:
    """One step of the brush: `came`, (h, w, 2), tells for each pixel how far off its coverage was at first."""
    h, w, _ = came.shape
    rows = slice(max(0, int(at[1] - radius)), min(h, int(at[1] + radius) + 2))
    cols = slice(max(0, int(at[0] - radius)), min(w, int(at[0] + radius) + 2))
    if rows.start >= rows.stop or cols.start >= cols.stop:
        return
    y, x = (np.arange(part.start, part.stop, dtype=np.float32) - np.float32(middle)
            for part, middle in ((rows, at[1]), (cols, at[0])))  # fmt: skip
    far = (y * y)[:, None] + (x * x)[None]
    share = np.square(np.maximum(0, 1 - far / np.float32(radius * radius)))
    back = share[..., None] * (-by).astype(np.float32)
    came[rows, cols] = back + _read(came, back, (rows, cols))


def _read(picture: NDArray, off: F32, box: Box) -> NDArray:
    """A picture read off each pixel of a box by as much as `off`, (h, w, 2), says."""
    rows, cols = box
    map_x = off[..., 0] + np.arange(cols.start, cols.stop, dtype=np.float32)[None]
    map_y = off[..., 1] + np.arange(rows.start, rows.stop, dtype=np.float32)[:, None]
    return cv2.remap(picture, map_x, map_y, cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE)
