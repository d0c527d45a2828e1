"""Polygons into coverage, exactly."""

from __future__ import annotations

import numpy as np

from cuvrel.core.arrays import F32, F64
from cuvrel.core.imaging.row_kernels import exact_kernel

MOST = 160  # polygons that a soft edge is made of


@exact_kernel
def _edges(points: F64, weight: float, acc: F64) -> None:
    """Adds to each pixel how much of the area to its right an edge opens or closes, times the weight."""
    h, w = acc.shape[0], acc.shape[1] - 2
    count = points.shape[0]
    for k in range(count):
        x0, y0 = points[k, 0], points[k, 1]
        x1, y1 = points[(k + 1) % count, 0], points[(k + 1) % count, 1]
        if y0 == y1:
            continue
        way = weight
        if y0 > y1:
            x0, y0, x1, y1 = x1, y1, x0, y0
            way = -weight
        slope = (x1 - x0) / (y1 - y0)
        first = max(0, int(np.floor(y0)))
        last = min(h, int(np.ceil(y1)))
        for y in range(first, last):
            top, bottom = max(float(y), y0), min(float(y + 1), y1)
            if bottom <= top:
                continue
            d = (bottom - top) * way
            xa, xb = x0 + (top - y0) * slope, x0 + (bottom - y0) * slope
            if xa > xb:
                xa, xb = xb, xa
            xa, xb = min(max(xa, 0.0), float(w)), min(max(xb, 0.0), float(w))
            left, right = int(xa), int(np.ceil(xb))
            if right <= left + 1:
                part = 0.5 * (xa + xb) - left
                acc[y, left] += d * (1 - part)
                acc[y, left + 1] += d * part
                continue
            s = 1.0 / (xb - xa)
            begin, end = xa - left, xb - right + 1
            one = 0.5 * s * (1 - begin) * (1 - begin)
            rest = 0.5 * s * end * end
            acc[y, left] += d * one
            if right == left + 2:
                acc[y, left + 1] += d * (1 - one - rest)
            else:
                two = s * (1.5 - begin)
                acc[y, left + 1] += d * (two - one)
                for x in range(left + 2, right - 1):
                    acc[y, x] += d * s
                acc[y, right - 1] += d * (1 - (two + (right - left - 3) * s) - rest)
            acc[y, right] += d * rest


@exact_kernel
def _summed(acc: F64, out: F32) -> None:
    for y in range(out.shape[0]):
        total = 0.0
        for x in range(out.shape[1]):
            total += acc[y, x]
            out[y, x] = min(abs(total), 1.0)


def coverage(outline: F64, size: tuple[int, int]) -> F32:
    """How much of each pixel a closed polygon covers, exact but for rounding.

    Parameters
    ----------
    outline
        (N, 2) float64: x and y; pixel (0, 0) reaches from 0 to 1.
    size
        (H, W) of the result.

    Returns
    -------
    F32
        (H, W), 0 to 1.

    Notes
    -----
    Each edge leaves in every row the signed area that it opens to its right, and a running sum makes the coverage, as
    outline fonts are drawn. Where a polygon crosses itself and turns both ways the turns cancel out.
    """
    acc = np.zeros((size[0], size[1] + 2), np.float64)
    if len(outline) >= 3:
        _edges(np.ascontiguousarray(outline, np.float64), 1.0, acc)
    out = np.empty(size, np.float32)
    _summed(acc, out)
    return out


def turning(polygon: F64) -> float:
    """1 where a closed polygon, (N, 2), runs clockwise on the screen, -1 where it does not."""
    x, y = polygon.T
    return 1.0 if float((x * np.roll(y, -1) - np.roll(x, -1) * y).sum()) > 0 else -1.0


def ramp(inner: F64, outer: F64, size: tuple[int, int]) -> F32:
    """Coverage that falls from 1 inside one polygon to 0 outside another one.

    Parameters
    ----------
    inner, outer
        (N, 2) float64 each, point for point.
    size
        (H, W) of the result.

    Returns
    -------
    F32
        (H, W), 0 to 1.

    Notes ----- The fall is 3t^2 - 2t^3: the sum of the coverages of the polygons between the two, about one a pixel,
    each weighted by its share of the fall.
    """
    acc = np.zeros((size[0], size[1] + 2), np.float64)
    apart = float(np.hypot(*(outer - inner).T).max())
    steps = int(np.clip(np.ceil(apart), 2, MOST))
    edges = np.arange(steps + 1) / steps
    fallen = edges * edges * (3 - 2 * edges)
    way = turning((inner + outer) / 2)
    for k in range(steps):
        share = (edges[k] + edges[k + 1]) / 2
        _edges(np.ascontiguousarray(inner + (outer - inner) * share), -way * (fallen[k + 1] - fallen[k]), acc)
    out = np.empty(size, np.float32)
    _summed(acc, out)
    return out
