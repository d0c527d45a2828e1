"""Drag marks: an outline taken along by hand, where what is wrong is thinner than a stroke."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

from cuvrel.core.arrays import F32
from cuvrel.core.imaging.region import Box
from cuvrel.core.motion.flow import chain, sample
from cuvrel.core.recipe.models import Mark

STEP = 1 / 3  # of the radius that a brush goes at once: from two thirds on a picture would fold


def only_drags(marks: Iterable[Mark]) -> bool:
    """Whether marks do no more than take along what is there, so that nothing is to be solved."""
    return all(mark.kind == "drag" for mark in marks)


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
    places, reach = np.array([at for at, _, _ in steps]), np.array([radius for _, _, radius in steps])[:, None]
    box = _box((places - reach).min(0), (places + reach).max(0), matte)
    if box is None:
        return matte
    part = np.ascontiguousarray(matte[box])
    came = np.zeros((*part.shape, 2), np.float32)
    for at, by, radius in steps:
        _carry(came, at - (box[1].start, box[0].start), by, radius)
    out = matte.copy()
    out[box] = sample(part, came)
    return out


def _box(least: NDArray, most: NDArray, picture: NDArray) -> Box | None:
    """The pixels of a picture from one point, x and y, to another; None where there are none."""
    rows, cols = (
        slice(max(0, int(low)), min(size, int(high) + 2))
        for low, high, size in zip(least[::-1], most[::-1], picture.shape, strict=False)
    )
    return None if rows.start >= rows.stop or cols.start >= cols.stop else (rows, cols)


def _steps(points: Sequence[tuple[float, float]], radius: float) -> Iterator[tuple[NDArray, NDArray]]:
    """Where the brush comes to, in pixel centres, and by how much it came, in steps that are short enough."""
    for a, b in pairwise(np.asarray(points, np.float64) - 0.5):
        count = max(1, int(np.ceil(np.hypot(*(b - a)) / (STEP * radius))))
        for n in range(1, count + 1):
            yield a + (b - a) * (n / count), (b - a) / count


def _carry(came: F32, at: NDArray, by: NDArray, radius: float) -> None:
    """One step of the brush: `came`, (h, w, 2), tells for each pixel how far off its coverage was at first."""
    box = _box(at - radius, at + radius, came)
    if box is None:
        return
    y, x = (np.arange(part.start, part.stop, dtype=np.float32) - np.float32(middle)
            for part, middle in zip(box, at[::-1], strict=True))  # fmt: skip
    far = (y * y)[:, None] + (x * x)[None]
    share = np.square(np.maximum(0, 1 - far / np.float32(radius * radius)))
    back = share[..., None] * (-by).astype(np.float32)
    # nothing comes from beyond the brush: the part alone is enough
    came[box] = chain(back, np.ascontiguousarray(came[box]))
