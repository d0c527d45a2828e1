"""Colours that flow into one another from their places."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

from cuvrel.core.arrays import F32, Single
from cuvrel.core.imaging.row_kernels import in_rows, kernel


@kernel
def _flow(y0: int, y1: int, spots: F32, colours: F32, power: Single, out: F32) -> None:
    count = spots.shape[0]
    for y in range(y0, y1):
        for x in range(out.shape[1]):
            # weights against that of the nearest place, so that no power of a distance runs out of range
            least = np.float32(1e30)
            for n in range(count):
                dx, dy = np.float32(x) + np.float32(0.5) - spots[n, 0], np.float32(y) + np.float32(0.5) - spots[n, 1]
                least = min(least, dx * dx + dy * dy + np.float32(1.0))
            total = r = g = b = np.float32(0.0)
            for n in range(count):
                dx, dy = np.float32(x) + np.float32(0.5) - spots[n, 0], np.float32(y) + np.float32(0.5) - spots[n, 1]
                weight = (least / (dx * dx + dy * dy + np.float32(1.0))) ** power
                total += weight
                r += weight * colours[n, 0]
                g += weight * colours[n, 1]
                b += weight * colours[n, 2]
            out[y, x, 0], out[y, x, 1], out[y, x, 2], out[y, x, 3] = r / total, g / total, b / total, np.float32(1.0)


def flowing(size: tuple[int, int], spots: NDArray, colours: NDArray, soft: float) -> F32:
    """Colours flowing from their places over a picture, (H, W, 4) float32 opaque linear RGBA.

    spots: (N, 2) x and y in pixels. colours: (N, 3) linear. A pixel's colour is the mean of the colours, weighed by
    the inverse of their distance to a power of 2 / soft (Shepard, 1968). It is worked out in a picture of a quarter
    of the size where it is soft, which has all of its detail.
    """
    h, w = size
    by = 4 if soft >= 0.25 and min(h, w) >= 64 else 1
    small = max(1, h // by), max(1, w // by)
    out = np.empty((*small, 4), np.float32)
    places = (np.asarray(spots, np.float64) * (small[1] / w, small[0] / h)).astype(np.float32)
    in_rows(_flow, small[0], places, np.ascontiguousarray(colours, np.float32), np.float32(1 / soft), out)
    return out if small == size else np.asarray(cv2.resize(out, (w, h), interpolation=cv2.INTER_LINEAR), np.float32)
