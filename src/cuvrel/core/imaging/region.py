"""The part of a picture that matters."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

Box = tuple[slice, slice]


def bounds(mask: NDArray, pad: int) -> Box | None:
    """The box of what is not 0, grown by `pad` and kept in the picture; None when all is 0."""
    rows, cols = np.flatnonzero(mask.any(axis=1)), np.flatnonzero(mask.any(axis=0))
    if rows.size == 0:
        return None
    h, w = mask.shape
    return (
        slice(max(0, int(rows[0]) - pad), min(h, int(rows[-1]) + 1 + pad)),
        slice(max(0, int(cols[0]) - pad), min(w, int(cols[-1]) + 1 + pad)),
    )


def blocks(mask: NDArray, pad: int, part: int) -> Box | None:
    """The box of what is not 0, grown by `pad` and a `part`-th of its sides; None where less than two lines have any.

    The sides are whole multiples of 32 where the picture allows, so that few sizes of it occur.
    """
    rows, cols = np.flatnonzero(mask.any(axis=1)), np.flatnonzero(mask.any(axis=0))
    if rows.size < 2 or cols.size < 2:
        return None

    def fit(first: int, last: int, most: int) -> slice:
        grown = pad + (last - first) // part
        length = min(most, -(-(last - first + 1 + 2 * grown) // 32) * 32)
        start = min(max(0, (first + last + 1 - length) // 2), most - length)
        return slice(start, start + length)

    h, w = mask.shape
    return fit(int(rows[0]), int(rows[-1]), h), fit(int(cols[0]), int(cols[-1]), w)


def doubled(box: Box) -> Box:
    """The same part of a picture of twice the size."""
    rows, cols = box
    return slice(2 * rows.start, 2 * rows.stop), slice(2 * cols.start, 2 * cols.stop)


def even(height: int, width: int, longest: int) -> tuple[int, int]:
    """The size (H, W) in the same proportion that is no longer than that, both even, as half-size planes need it."""
    ratio = min(1.0, longest / max(height, width))
    return max(2, round(height * ratio / 2) * 2), max(2, round(width * ratio / 2) * 2)
