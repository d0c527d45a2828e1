"""Tone curves as tables: from light to light, looked up by the square root, which is fine enough in the shadows.

Curves are meant for display-encoded colour that is not multiplied by alpha; a table holds what they do to light.
"""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from numpy.typing import NDArray

from cuvrel.core.arrays import F32, F64, Single
from cuvrel.core.imaging.colour import linear_to_srgb, srgb_to_linear
from cuvrel.core.imaging.row_kernels import in_rows, kernel, small_kernel

ENTRIES = 4096
ENCODED: F64 = linear_to_srgb((np.arange(ENTRIES) / (ENTRIES - 1)) ** 2).astype(np.float64)


def table(curve: Callable[[F64], F64]) -> F32:
    """The table of a curve that takes and gives display-encoded values, 0 to 1."""
    return ended(srgb_to_linear(np.clip(curve(ENCODED), 0.0, 1.0)))


def ended(entries: NDArray) -> F32:
    """A table of ENTRIES values with its last one once more, so that each has one behind it."""
    return np.append(entries, entries[-1]).astype(np.float32)


@small_kernel
def cover_of(r: Single, g: Single, b: Single, a: Single) -> Single:
    """How much of a pixel there is: its alpha, or its light where that has none (a halo)."""
    return max(a, min(max(r, max(g, b)), np.float32(1.0)))


def covered(picture: F32) -> F32:
    """`cover_of` for a whole picture, (H, W, 4) float32, as (H, W, 1)."""
    return np.maximum(picture[..., 3:4], np.minimum(picture[..., :3].max(axis=2, keepdims=True), 1))


@small_kernel
def looked_up(entries: F32, v: Single) -> Single:
    """A table's value for light, straight between two entries; light above 1 keeps its share above it."""
    top = max(v, np.float32(1.0))
    at = np.sqrt(min(max(v, np.float32(0.0)), np.float32(1.0))) * np.float32(ENTRIES - 1)
    whole = np.int32(at)
    n = np.uint32(whole)  # an index without a sign is not looked at twice
    t = at - np.float32(whole)
    return (entries[n] + (entries[n + np.uint32(1)] - entries[n]) * t) * top


@kernel
def _through(y0: int, y1: int, picture: F32, red: F32, green: F32, blue: F32, out: F32) -> None:
    for y in range(y0, y1):
        for x in range(picture.shape[1]):
            r, g, b, a = picture[y, x, 0], picture[y, x, 1], picture[y, x, 2], picture[y, x, 3]
            c = cover_of(r, g, b, a)
            over = np.float32(1.0) / max(c, np.float32(1e-6))
            out[y, x, 0] = looked_up(red, r * over) * c
            out[y, x, 1] = looked_up(green, g * over) * c
            out[y, x, 2] = looked_up(blue, b * over) * c
            out[y, x, 3] = a


def through_tables(picture: F32, red: F32, green: F32, blue: F32) -> F32:
    """The picture with a table for each channel, (H, W, 4) float32 premultiplied linear RGBA."""
    out = np.empty_like(picture)
    in_rows(_through, picture.shape[0], picture, red, green, blue, out)
    return out
