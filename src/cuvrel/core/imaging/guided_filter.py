"""Guided filter: a matte's edges drawn to those of the picture (He, Sun and Tang, TPAMI 2013).

In every window the matte is an affine function of colour, and a pixel takes the mean of the functions of
the windows it lies in. Only pixels that are asked for are worked out; sums slide along rows and columns, so
the cost does not grow with the radius.
"""

from __future__ import annotations

import cv2
import numpy as np

from cuvrel.core.arrays import F32, U8, Single
from cuvrel.core.imaging.row_kernels import in_rows, kernel, small_kernel

TILE = 96  # columns that are worked on together: rows of them that hold nothing to do cost nothing


@small_kernel
def _tile(n: int, marked: U8, radius: int) -> tuple[int, int, int, int, int, int]:
    """The columns of a tile, those that its windows reach, and the first and last row in which anything is marked.

    The last row is -1 where there is none.
    """
    h, w = marked.shape
    x0, x1 = n * TILE, min(w, n * TILE + TILE)
    first, last = h, -1
    for y in range(h):
        for x in range(x0, x1):
            if marked[y, x]:
                first, last = min(first, y), y
                break
    return x0, x1, max(0, x0 - radius), min(w, x1 + radius), first, last


@kernel
def _more(to: F32, one: F32, sign: Single) -> None:
    for x in range(len(to)):
        to[x] += sign * one[x]


@kernel
def _moment(to: F32, one: F32, other: F32, sign: Single) -> None:
    for x in range(len(to)):
        to[x] += sign * (one[x] * other[x])


@small_kernel
def _add(sums: F32, part: F32, sign: Single) -> None:
    """Adds a row's moments, (4, n), to the sums of the columns, (13, n), or takes them away: vectors, one by one."""
    r, g, b, v = part[0], part[1], part[2], part[3]
    _more(sums[0], r, sign)
    _more(sums[1], g, sign)
    _more(sums[2], b, sign)
    _more(sums[3], v, sign)
    _moment(sums[4], r, r, sign)
    _moment(sums[5], r, g, sign)
    _moment(sums[6], r, b, sign)
    _moment(sums[7], g, g, sign)
    _moment(sums[8], g, b, sign)
    _moment(sums[9], b, b, sign)
    _moment(sums[10], v, r, sign)
    _moment(sums[11], v, g, sign)
    _moment(sums[12], v, b, sign)


@small_kernel
def _along(sums: F32, total: F32) -> None:
    """Sums from the first column up to each: a window's is the difference of two."""
    for k in range(len(sums)):
        total[0, k] = 0
    for x in range(sums.shape[1]):
        for k in range(len(sums)):
            total[x + 1, k] = total[x, k] + sums[k, x]


@kernel
def _fit(n0: int, n1: int, picture: F32, need: U8, radius: int, eps: Single, fit: F32) -> None:
    """The affine function of each window whose middle is needed, into fit (4, h, w), in tiles of TILE columns.

    picture: (4, h, w), the guide's colours and what is filtered.
    """
    h, w = need.shape
    sums = np.empty((13, TILE + 2 * radius), np.float32)
    total = np.empty((TILE + 2 * radius + 1, 13), np.float32)
    for n in range(n0, n1):
        x0, x1, left, right, first, last = _tile(n, need, radius)
        if last < 0:
            continue
        top = max(0, first - radius)
        sums[:] = 0
        columns = sums[:, left - x0 + radius : right - x0 + radius]
        for y in range(top - radius, last + 1):
            # the row that comes into the window, and the one that leaves it
            if y + radius < h:
                _add(columns, picture[:, y + radius, left:right], np.float32(1))
            if y - radius - 1 >= top:
                _add(columns, picture[:, y - radius - 1, left:right], np.float32(-1))
            if y < first or not need[y, x0:x1].any():
                continue
            lines = min(h - 1, y + radius) - max(0, y - radius) + 1
            _along(sums, total)
            for x in range(x0, x1):
                if not need[y, x]:
                    continue
                share = np.float32(1) / (lines * (min(w - 1, x + radius) - max(0, x - radius) + 1))
                low, high = total[x - x0], total[x - x0 + 2 * radius + 1]
                mr, mg, mb = (high[0] - low[0]) * share, (high[1] - low[1]) * share, (high[2] - low[2]) * share
                mv = (high[3] - low[3]) * share
                rr = (high[4] - low[4]) * share - mr * mr + eps
                rg = (high[5] - low[5]) * share - mr * mg
                rb = (high[6] - low[6]) * share - mr * mb
                gg = (high[7] - low[7]) * share - mg * mg + eps
                gb = (high[8] - low[8]) * share - mg * mb
                bb = (high[9] - low[9]) * share - mb * mb + eps
                vr = (high[10] - low[10]) * share - mv * mr
                vg = (high[11] - low[11]) * share - mv * mg
                vb = (high[12] - low[12]) * share - mv * mb
                i0, i1, i2 = gg * bb - gb * gb, rb * gb - rg * bb, rg * gb - rb * gg
                i3, i4, i5 = rr * bb - rb * rb, rb * rg - rr * gb, rr * gg - rg * rg
                scale = np.float32(1) / (rr * i0 + rg * i1 + rb * i2)
                a0 = (i0 * vr + i1 * vg + i2 * vb) * scale
                a1 = (i1 * vr + i3 * vg + i4 * vb) * scale
                a2 = (i2 * vr + i4 * vg + i5 * vb) * scale
                fit[0, y, x], fit[1, y, x], fit[2, y, x] = a0, a1, a2
                fit[3, y, x] = mv - a0 * mr - a1 * mg - a2 * mb


@kernel
def _mean(n0: int, n1: int, fit: F32, where: U8, radius: int, out: F32) -> None:
    """The mean function of the windows about each pixel that is asked for, into out (h, w, 4), in the same tiles."""
    h, w = where.shape
    sums = np.empty((4, TILE + 2 * radius), np.float32)
    total = np.empty((TILE + 2 * radius + 1, 4), np.float32)
    for n in range(n0, n1):
        x0, x1, left, right, first, last = _tile(n, where, radius)
        if last < 0:
            continue
        top = max(0, first - radius)
        sums[:] = 0
        columns = sums[:, left - x0 + radius : right - x0 + radius]
        for y in range(top - radius, last + 1):
            for k in range(4):
                if y + radius < h:
                    _more(columns[k], fit[k, y + radius, left:right], np.float32(1))
                if y - radius - 1 >= top:
                    _more(columns[k], fit[k, y - radius - 1, left:right], np.float32(-1))
            if y < first or not where[y, x0:x1].any():
                continue
            lines = min(h - 1, y + radius) - max(0, y - radius) + 1
            _along(sums, total)
            for x in range(x0, x1):
                if where[y, x]:
                    share = np.float32(1) / (lines * (min(w - 1, x + radius) - max(0, x - radius) + 1))
                    low, high = total[x - x0], total[x - x0 + 2 * radius + 1]
                    for k in range(4):
                        out[y, x, k] = (high[k] - low[k]) * share


@kernel
def _valued(y0: int, y1: int, guide: F32, functions: F32, where: U8, steep: Single, share: Single, out: F32) -> None:
    for y in range(y0, y1):
        for x in range(where.shape[1]):
            if where[y, x]:
                value = functions[y, x, 3]
                for k in range(3):
                    value += functions[y, x, k] * guide[y, x, k]
                value = (value - np.float32(0.5)) * steep + np.float32(0.5)
                out[y, x] += share * (min(max(value, np.float32(0)), np.float32(1)) - out[y, x])


def functions(guide: F32, p: F32, where: U8, radius: int, eps: float) -> F32:
    """Fits, around each pixel, the affine function of the guide's colour that comes nearest to p.

    Parameters
    ----------
    guide
        (h, w, 3) float32, 0 to 1.
    p
        (h, w) float32: what is to be filtered.
    where
        (h, w) uint8: the pixels that are wanted, not 0.
    radius
        In pixels; a window is 2 * radius + 1 wide.
    eps
        Variance of colour below which a window counts as having no edge.

    Returns
    -------
    F32
        (h, w, 4): three slopes and an offset, the mean over the windows that a pixel lies in; 0 where `where` is 0.

    References
    ----------
    He, Sun and Tang, Guided Image Filtering, TPAMI 2013, eq. 19 to 21.
    """
    need = cv2.dilate(where, np.ones((2 * radius + 1, 2 * radius + 1), np.uint8))
    picture = np.empty((4, *p.shape), np.float32)
    cv2.split(guide, list(picture[:3]))
    picture[3] = p
    fit, out = np.zeros((4, *p.shape), np.float32), np.zeros((*p.shape, 4), np.float32)
    tiles = -(-p.shape[1] // TILE)
    in_rows(_fit, tiles, picture, need, radius, np.float32(eps), fit, least=2)
    in_rows(_mean, tiles, fit, where, radius, out, least=2)
    return out


def valued(guide: F32, found: F32, p: F32, where: U8, steep: float = 1.0, share: float = 1.0) -> F32:
    """The filtered p: the functions of `functions`, read at the guide's colours.

    Parameters
    ----------
    guide, found, p, where
        As for `functions`, whose result `found` is; all of one size.
    steep
        How much steeper about one half the result is made.
    share
        0 to 1: how far it goes from p to the filtered one.

    Returns
    -------
    F32
        (h, w), 0 to 1; p where `where` is 0.
    """
    out = p.astype(np.float32, copy=True)
    in_rows(_valued, len(out), guide, found, where, np.float32(steep), np.float32(share), out)
    return out


def guided(guide: F32, p: F32, where: U8, radius: int, eps: float, steep: float = 1.0, share: float = 1.0) -> F32:
    """p with its edges drawn to the guide's, (h, w) float32; p itself where `where` is 0.

    As `functions` and `valued`.
    """
    return valued(guide, functions(guide, p, where, radius, eps), p, where, steep, share)
