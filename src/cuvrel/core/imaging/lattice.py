"""Colour through a lattice of colours (a three-dimensional look-up table), by tetrahedra.

Source: Kasson, Nin, Plouffe, Hafner, Performing color space conversions with three-dimensional linear interpolation
(Journal of Electronic Imaging, 1995). Between eight neighbours a colour lies in one of six tetrahedra whose edges all
run along the grey axis, so that greys stay greys.
"""

from __future__ import annotations

import numpy as np

from cuvrel.core.arrays import F32, Single
from cuvrel.core.imaging.row_kernels import in_rows, kernel


@kernel
def _through(y0: int, y1: int, rgb: F32, lattice: F32, low: F32, scale: F32, out: F32) -> None:
    last = np.int32(lattice.shape[0] - 1)
    for y in range(y0, y1):
        for x in range(rgb.shape[1]):
            r = min(max((rgb[y, x, 0] - low[0]) * scale[0], np.float32(0)), np.float32(last))
            g = min(max((rgb[y, x, 1] - low[1]) * scale[1], np.float32(0)), np.float32(last))
            b = min(max((rgb[y, x, 2] - low[2]) * scale[2], np.float32(0)), np.float32(last))
            i, j, k = min(np.int32(r), last - 1), min(np.int32(g), last - 1), min(np.int32(b), last - 1)
            fr, fg, fb = r - np.float32(i), g - np.float32(j), b - np.float32(k)
            # from the darkest to the brightest corner, one step along each axis, the largest share first
            di, dj, dk = np.int32(0), np.int32(0), np.int32(0)
            first, second, third = fr, fg, fb
            if fr >= fg:
                if fg >= fb:
                    di = np.int32(4)
                    dj = np.int32(6)
                elif fr >= fb:
                    first, second, third = fr, fb, fg
                    di = np.int32(4)
                    dj = np.int32(5)
                else:
                    first, second, third = fb, fr, fg
                    di = np.int32(1)
                    dj = np.int32(5)
            elif fr >= fb:
                first, second, third = fg, fr, fb
                di = np.int32(2)
                dj = np.int32(6)
            elif fg >= fb:
                first, second, third = fg, fb, fr
                di = np.int32(2)
                dj = np.int32(3)
            else:
                first, second, third = fb, fg, fr
                di = np.int32(1)
                dj = np.int32(3)
            dk = np.int32(7)
            w0, w1, w2, w3 = np.float32(1) - first, first - second, second - third, third
            a0, a1, a2 = i + (di >> 2), j + ((di >> 1) & 1), k + (di & 1)
            b0, b1, b2 = i + (dj >> 2), j + ((dj >> 1) & 1), k + (dj & 1)
            c0, c1, c2 = i + (dk >> 2), j + ((dk >> 1) & 1), k + (dk & 1)
            for c in range(3):
                out[y, x, c] = (
                    w0 * lattice[i, j, k, c]
                    + w1 * lattice[a0, a1, a2, c]
                    + w2 * lattice[b0, b1, b2, c]
                    + w3 * lattice[c0, c1, c2, c]
                )


def through_lattice(rgb: F32, lattice: F32, low: F32 | None = None, high: F32 | None = None) -> F32:
    """(H, W, 3) float32 through a lattice, (N, N, N, 3) float32 by red, green and blue, N from 2 up.

    low, high: the colours at its two ends, (3,) float32, 0 and 1 by default; what is beyond is taken for the end.
    """
    low = np.zeros(3, np.float32) if low is None else low
    high = np.ones(3, np.float32) if high is None else high
    scale = (np.float32(lattice.shape[0] - 1) / np.maximum(high - low, np.float32(1e-9))).astype(np.float32)
    out = np.empty(rgb.shape, np.float32)
    in_rows(_through, rgb.shape[0], np.ascontiguousarray(rgb), np.ascontiguousarray(lattice), low, scale, out)
    return out


@kernel
def _along(y0: int, y1: int, rgb: F32, curves: F32, low: F32, scale: F32, out: F32) -> None:
    last = np.int32(curves.shape[0] - 1)
    for y in range(y0, y1):
        for x in range(rgb.shape[1]):
            for c in range(3):
                at = min(max((rgb[y, x, c] - low[c]) * scale[c], np.float32(0)), np.float32(last))
                n = min(np.int32(at), last - 1)
                t: Single = at - np.float32(n)
                out[y, x, c] = curves[n, c] + (curves[n + 1, c] - curves[n, c]) * t


def through_curves(rgb: F32, curves: F32, low: F32, high: F32) -> F32:
    """(H, W, 3) float32 through a curve for each channel, (N, 3) float32 from `low` to `high`, (3,) each; ends hold."""
    scale = (np.float32(curves.shape[0] - 1) / np.maximum(high - low, np.float32(1e-9))).astype(np.float32)
    out = np.empty(rgb.shape, np.float32)
    in_rows(_along, rgb.shape[0], np.ascontiguousarray(rgb), np.ascontiguousarray(curves), low, scale, out)
    return out
