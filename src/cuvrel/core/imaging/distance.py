"""Distance to a matte's outline."""

from __future__ import annotations

import cv2
import numpy as np

from cuvrel.core.arrays import F32, I16, U8
from cuvrel.core.imaging.region import bounds
from cuvrel.core.imaging.row_kernels import in_rows, kernel

CLOSE = 24  # pixels up to which it is quicker to look about the outline alone


@kernel
def _signed(y0: int, y1: int, matte: F32, inner: F32, outer: F32, out: F32) -> None:
    h, w = matte.shape
    for y in range(y0, y1):
        for x in range(w):
            m = matte[y, x]
            d = inner[y, x] - np.float32(0.5) if m > 0.5 else np.float32(0.5) - outer[y, x]
            if abs(d) < 1.2:
                # within a pixel of the outline the matte's own slope (Sobel) says where the contour lies
                up, down = max(y - 1, 0), min(y + 1, h - 1)
                left, right = max(x - 1, 0), min(x + 1, w - 1)
                gx = (matte[up, right] - matte[up, left] + matte[down, right] - matte[down, left]
                      + 2 * (matte[y, right] - matte[y, left])) * np.float32(0.125)  # fmt: skip
                gy = (matte[down, left] - matte[up, left] + matte[down, right] - matte[up, right]
                      + 2 * (matte[down, x] - matte[up, x])) * np.float32(0.125)  # fmt: skip
                slope = np.sqrt(gx * gx + gy * gy)
                if slope > 0.15:
                    d = min(max((m - np.float32(0.5)) / slope, np.float32(-1.5)), np.float32(1.5))
            out[y, x] = d


@kernel
def _row_distance(hard: U8, most: int | np.int16, out: I16) -> None:
    """How many rows away the nearest pixel of the other side is, at most `most`, sweeping down and up."""
    h, w = hard.shape
    out[0] = most
    for y in range(1, h):
        for x in range(w):
            out[y, x] = min(out[y - 1, x] + 1, most) if hard[y, x] == hard[y - 1, x] else 1
    for y in range(h - 2, -1, -1):
        for x in range(w):
            up = out[y + 1, x] + 1 if hard[y, x] == hard[y + 1, x] else 1
            out[y, x] = min(out[y, x], up)


@kernel
def _near(y0: int, y1: int, hard: U8, rows: I16, most: int, out: F32) -> None:
    """The distance to the nearest pixel of the other side, `most` where it is no nearer.

    What a row's pixels know of their columns is spread along it, from those alone that know of something near.
    """
    w = hard.shape[1]
    for y in range(y0, y1):
        row, sides, beyond = out[y], hard[y], np.float32(most * most)
        row[:] = beyond
        for x in range(w):
            side, down = sides[x], np.int64(rows[y, x])
            if down >= most and (x == 0 or sides[x - 1] == side) and (x == w - 1 or sides[x + 1] == side):
                continue
            square = np.float32(down * down)
            for u in range(max(0, x - most + 1), min(w, x + most)):
                across = np.float32(u - x)
                row[u] = min(row[u], across * across + (square if sides[u] == side else np.float32(0)))
        for x in range(w):
            row[x] = np.sqrt(row[x])


def _nearby(hard: U8, most: int) -> F32:
    """The Euclidean distance to the other side, (h, w) float32, exact where it is less than `most` pixels.

    By rows after columns, as Felzenszwalb and Huttenlocher (2012) take it apart, but only about the outline.
    """
    rows, out = np.empty(hard.shape, np.int16), np.empty(hard.shape, np.float32)
    _row_distance(hard, np.int16(most), rows)
    in_rows(_near, len(hard), hard, rows, most, out)
    return out


def signed_distance(matte: F32, reach: float | None = None) -> F32:
    """The distance of each pixel from a matte's outline, which is where its coverage is one half.

    Parameters
    ----------
    matte
        (H, W) float32, 0 to 1.
    reach
        Distances beyond so many pixels need not be right, only larger than it, and are not computed. None: all are.

    Returns
    -------
    F32
        (H, W), in pixels, positive inside, right to a fraction of a pixel. A matte without an outline is as far away as
        the picture is wide.

    Notes
    -----
    Away from the outline it is the exact Euclidean distance transform; within a pixel of it the matte's own slope says
    where the outline lies.

    References ---------- Felzenszwalb and Huttenlocher, Distance Transforms of Sampled Functions, Theory of Computing
    2012 (as OpenCV has it).
    """
    hard = matte > 0.5
    far = float(max(matte.shape))
    if not hard.any() or hard.all():
        return np.full(matte.shape, far if hard.any() else -far, np.float32)
    pad = int(far) if reach is None else int(np.ceil(reach)) + 3
    box = bounds(hard, pad)
    assert box is not None
    out = np.full(matte.shape, -far, np.float32)
    inside = np.ascontiguousarray(hard[box]).view(np.uint8)
    if pad <= CLOSE:
        inner = outer = _nearby(inside, pad)
    else:
        inner = cv2.distanceTransform(inside, cv2.DIST_L2, cv2.DIST_MASK_PRECISE)
        outer = cv2.distanceTransform(1 - inside, cv2.DIST_L2, cv2.DIST_MASK_PRECISE)
    part = np.empty_like(inner)
    in_rows(_signed, len(part), np.ascontiguousarray(matte[box], np.float32), inner, outer, part)
    out[box] = part
    return out
