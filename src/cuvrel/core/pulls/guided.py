"""Guided filter: a matte's edges drawn to those of the picture (He, Sun and Tang, TPAMI 2013).

In every window the matte is an affine function of colour, and a pixel takes the mean of the functions of
the windows it lies in. Only pixels that are asked for are worked out; sums slide along rows and columns, so
the cost does not grow with the radius.
"""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

from cuvrel.core.media.rows import in_rows, kernel, small_kernel

F32 = NDArray[np.float32]
U8 = NDArray[np.uint8]


@small_kernel
def _ends(row):  # type: ignore[no-untyped-def]
    """The first and the last pixel of a row that is not 0; the last is -1 where there is none."""
    first, last = len(row), -1
    for x in range(len(row)):
        if row[x]:
            first, last = min(first, x), x
    return first, last


@kernel
def _fit(y0, y1, guide, p, need, radius, eps, fit):  # type: ignore[no-untyped-def]
    """The affine function of each window whose middle is needed, into fit (h, w, 4)."""
    h, w = p.shape
    c = np.zeros((13, w), np.float32)
    s = np.zeros(13, np.float32)
    for y in range(max(0, y0 - radius) - radius - 1, y1):
        for side in range(2):
            # the row that comes into the window, and the one that leaves it
            row, sign = (y + radius, np.float32(1)) if side == 0 else (y - radius - 1, np.float32(-1))
            if row < max(0, y0 - radius) or row >= h:
                continue
            for x in range(w):
                r, g, b, v = guide[row, x, 0], guide[row, x, 1], guide[row, x, 2], sign * p[row, x]
                sr, sg, sb = sign * r, sign * g, sign * b
                c[0, x] += sr
                c[1, x] += sg
                c[2, x] += sb
                c[3, x] += v
                c[4, x] += sr * r
                c[5, x] += sr * g
                c[6, x] += sr * b
                c[7, x] += sg * g
                c[8, x] += sg * b
                c[9, x] += sb * b
                c[10, x] += v * r
                c[11, x] += v * g
                c[12, x] += v * b
        if y < y0:
            continue
        first, last = _ends(need[y])
        if last < 0:
            continue
        lines = min(h - 1, y + radius) - max(0, y - radius) + 1
        s[:] = 0
        for x in range(max(0, first - radius), min(w, first + radius)):
            for k in range(13):
                s[k] += c[k, x]
        for x in range(first, last + 1):
            if x + radius < w:
                for k in range(13):
                    s[k] += c[k, x + radius]
            if x > first and x - radius - 1 >= 0:
                for k in range(13):
                    s[k] -= c[k, x - radius - 1]
            if not need[y, x]:
                continue
            n = np.float32(1) / (lines * (min(w - 1, x + radius) - max(0, x - radius) + 1))
            mr, mg, mb, mv = s[0] * n, s[1] * n, s[2] * n, s[3] * n
            rr, rg, rb = s[4] * n - mr * mr + eps, s[5] * n - mr * mg, s[6] * n - mr * mb
            gg, gb, bb = s[7] * n - mg * mg + eps, s[8] * n - mg * mb, s[9] * n - mb * mb + eps
            vr, vg, vb = s[10] * n - mv * mr, s[11] * n - mv * mg, s[12] * n - mv * mb
            i0, i1, i2 = gg * bb - gb * gb, rb * gb - rg * bb, rg * gb - rb * gg
            i3, i4, i5 = rr * bb - rb * rb, rb * rg - rr * gb, rr * gg - rg * rg
            scale = np.float32(1) / (rr * i0 + rg * i1 + rb * i2)
            a0 = (i0 * vr + i1 * vg + i2 * vb) * scale
            a1 = (i1 * vr + i3 * vg + i4 * vb) * scale
            a2 = (i2 * vr + i4 * vg + i5 * vb) * scale
            fit[y, x, 0], fit[y, x, 1], fit[y, x, 2] = a0, a1, a2
            fit[y, x, 3] = mv - a0 * mr - a1 * mg - a2 * mb


@kernel
def _apply(y0, y1, guide, fit, where, radius, out):  # type: ignore[no-untyped-def]
    """The mean function of the windows about each pixel that is asked for, at its colour."""
    h, w = out.shape
    c = np.zeros((w, 4), np.float32)
    for y in range(max(0, y0 - radius) - radius - 1, y1):
        for side in range(2):
            row, sign = (y + radius, np.float32(1)) if side == 0 else (y - radius - 1, np.float32(-1))
            if row < max(0, y0 - radius) or row >= h:
                continue
            for x in range(w):
                for k in range(4):
                    c[x, k] += sign * fit[row, x, k]
        if y < y0:
            continue
        first, last = _ends(where[y])
        if last < 0:
            continue
        lines = min(h - 1, y + radius) - max(0, y - radius) + 1
        s0, s1, s2, s3 = np.float32(0), np.float32(0), np.float32(0), np.float32(0)
        for x in range(max(0, first - radius), min(w, first + radius)):
            s0, s1, s2, s3 = s0 + c[x, 0], s1 + c[x, 1], s2 + c[x, 2], s3 + c[x, 3]
        for x in range(first, last + 1):
            if x + radius < w:
                z = x + radius
                s0, s1, s2, s3 = s0 + c[z, 0], s1 + c[z, 1], s2 + c[z, 2], s3 + c[z, 3]
            if x > first and x - radius - 1 >= 0:
                z = x - radius - 1
                s0, s1, s2, s3 = s0 - c[z, 0], s1 - c[z, 1], s2 - c[z, 2], s3 - c[z, 3]
            if where[y, x]:
                n = np.float32(1) / (lines * (min(w - 1, x + radius) - max(0, x - radius) + 1))
                value = s0 * guide[y, x, 0] + s1 * guide[y, x, 1] + s2 * guide[y, x, 2] + s3
                out[y, x] = value * n


def guided(guide: F32, p: F32, where: U8, radius: int, eps: float) -> F32:
    """p with its edges drawn to the guide's, (h, w) float32; p itself where `where` is 0.

    guide: (h, w, 3) float32, 0 to 1. p: (h, w) float32. where: (h, w) uint8. radius: pixels, a window is
    2 * radius + 1 wide. eps: spread of colour, squared, below which there is no edge.
    """
    need = cv2.dilate(where, np.ones((2 * radius + 1, 2 * radius + 1), np.uint8))
    fit, out = np.zeros((*p.shape, 4), np.float32), p.astype(np.float32, copy=True)
    in_rows(_fit, len(p), guide, np.ascontiguousarray(p, np.float32), need, radius, np.float32(eps), fit)
    in_rows(_apply, len(p), guide, fit, where, radius, out)
    return out
