"""Lines that are found in a picture: its brightness, where edges lie, how they flow, and what is worth keeping."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

from cuvrel.core.media.colour import to_display
from cuvrel.core.media.rows import in_rows, kernel
from cuvrel.core.media.tables import cover_of

F32 = NDArray[np.float32]
BOOL = NDArray[np.bool_]


@kernel
def _brightness(y0, y1, picture, out):  # type: ignore[no-untyped-def]
    for y in range(y0, y1):
        for x in range(picture.shape[1]):
            r, g, b = picture[y, x, 0], picture[y, x, 1], picture[y, x, 2]
            c = cover_of(r, g, b, picture[y, x, 3])
            luma = np.float32(0.2126) * r + np.float32(0.7152) * g + np.float32(0.0722) * b
            out[y, x] = luma / max(c, np.float32(1e-6))
        for x in range(picture.shape[1]):
            out[y, x] = to_display(out[y, x])
        for x in range(picture.shape[1]):
            out[y, x] *= cover_of(picture[y, x, 0], picture[y, x, 1], picture[y, x, 2], picture[y, x, 3])


def brightness(picture: F32) -> F32:
    """How bright a picture looks, (H, W) float32, 0 to 1: its display-encoded luminance by how much of it is there.

    picture: (H, W, 4) float32 premultiplied linear RGBA. Where nothing is it is 0, so that a subject has an edge there.
    """
    out = np.empty(picture.shape[:2], np.float32)
    in_rows(_brightness, len(picture), picture, out)
    return out


def gaussian(values: F32, sigma: float) -> F32:
    """A Gaussian blur by a sigma in pixels, (H, W) or (H, W, N) float32; borders mirror."""
    return np.asarray(cv2.GaussianBlur(values, (0, 0), max(sigma, 0.3), borderType=cv2.BORDER_REFLECT), np.float32)


@kernel
def _edges(y0, y1, smooth, sigma, distance, step, angle):  # type: ignore[no-untyped-def]
    h, w = smooth.shape
    half = np.float32(0.5)
    for y in range(y0, y1):
        up, down = max(y - 1, 0), min(y + 1, h - 1)
        for x in range(w):
            left, right = max(x - 1, 0), min(x + 1, w - 1)
            c = smooth[y, x]
            gx = (smooth[y, right] - smooth[y, left]) * half
            gy = (smooth[down, x] - smooth[up, x]) * half
            xx = smooth[y, right] + smooth[y, left] - np.float32(2.0) * c
            yy = smooth[down, x] + smooth[up, x] - np.float32(2.0) * c
            xy = (smooth[down, right] - smooth[down, left] - smooth[up, right] + smooth[up, left]) * np.float32(0.25)
            slope = gx * gx + gy * gy
            size = np.sqrt(slope)
            bend = (xx * gx * gx + np.float32(2.0) * xy * gx * gy + yy * gy * gy) / max(slope, np.float32(1e-12))
            far = sigma * sigma * bend / max(size, np.float32(1e-6))
            away = min(abs(far), np.float32(4.0) * sigma)
            distance[y, x] = away
            near = min(away, np.float32(2.0) * sigma) / sigma
            step[y, x] = size * sigma * np.float32(2.5066283) * np.exp(half * near * near)
            angle[y, x] = np.arctan2(gy, gx)


def edges(smooth: F32, sigma: float) -> tuple[F32, F32, F32]:
    """How far each pixel is from an edge, how high the step is there, and which way it rises; each (H, W) float32.

    smooth: a picture that was blurred by a Gaussian of `sigma` pixels. Across a step that was blurred so, the second
    derivative along the gradient over the first is minus the distance over the square of sigma (the zero crossing of
    Haralick, 1984), which gives the distance in parts of a pixel and, from the gradient, the height of the step.
    The distance is right up to about two sigma, and less than four of them; the angle is in radians.
    """
    distance, step, angle = (np.empty_like(smooth) for _ in range(3))
    in_rows(_edges, len(smooth), smooth, np.float32(sigma), distance, step, angle)
    return distance, step, angle


def long_enough(there: BOOL, sure: BOOL, length: float, width: float) -> BOOL:
    """The connected lines of a mask that hold a sure place and are long enough, (H, W) bool.

    length: the least, in pixels: of the longer side of a line's box, or of its area by `width`, whichever is more.
    """
    count, names, about, _ = cv2.connectedComponentsWithStats(there.astype(np.uint8), connectivity=8, ltype=cv2.CV_32S)
    sides = np.maximum(about[:, cv2.CC_STAT_WIDTH], about[:, cv2.CC_STAT_HEIGHT])
    keep = np.maximum(sides, about[:, cv2.CC_STAT_AREA] / max(width, 1.0)) >= length
    held = np.zeros(count, bool)
    held[names[sure & there]] = True
    keep &= held
    keep[0] = False
    return np.asarray(keep[names], np.bool_)


@kernel
def _along(y0, y1, values, tx, ty, far, out):  # type: ignore[no-untyped-def]
    h, w = values.shape
    sigma = np.float32(far) * np.float32(0.5)
    for y in range(y0, y1):
        for x in range(w):
            total, weight = values[y, x], np.float32(1.0)
            for side in range(2):
                px, py = np.float32(x), np.float32(y)
                dx, dy = tx[y, x], ty[y, x]
                if side == 1:
                    dx, dy = -dx, -dy
                for n in range(far):
                    px, py = px + dx, py + dy
                    ix, iy = np.int32(px + np.float32(0.5)), np.int32(py + np.float32(0.5))
                    if ix < 0 or iy < 0 or ix >= w or iy >= h:
                        break
                    share = np.exp(-np.float32(0.5) * np.float32((n + 1) * (n + 1)) / (sigma * sigma))
                    total += share * values[iy, ix]
                    weight += share
                    ex, ey = tx[iy, ix], ty[iy, ix]
                    if ex * dx + ey * dy < 0:
                        ex, ey = -ex, -ey
                    dx, dy = ex, ey
            out[y, x] = total / weight


def along_flow(values: F32, smooth: F32, reach: float, sigma: float) -> F32:
    """A mean of values along the lines that a picture's edges flow in, (H, W) float32.

    smooth: the picture, blurred a little. sigma: pixels over which the direction is averaged: the smaller eigenvector
    of the smoothed structure tensor (Kyprianidis and Doellner, 2008). reach: pixels to each side that are averaged.
    """
    gx = cv2.Sobel(smooth, cv2.CV_32F, 1, 0, scale=0.125, borderType=cv2.BORDER_REFLECT)
    gy = cv2.Sobel(smooth, cv2.CV_32F, 0, 1, scale=0.125, borderType=cv2.BORDER_REFLECT)
    xx, yy, xy = gaussian(gx * gx, sigma), gaussian(gy * gy, sigma), gaussian(gx * gy, sigma)
    turn = 0.5 * cv2.phase(xx - yy, 2 * xy)  # of the gradient; the flow is square to it
    tx, ty = -np.sin(turn), np.cos(turn)
    out = np.empty_like(values)
    in_rows(_along, len(values), values, tx, ty, int(np.clip(round(reach), 1, 24)), out)
    return out


def steadied(here: F32, others: list[F32], amount: float) -> F32:
    """A picture averaged over its neighbours in time, where it is as it was, (H, W) float32.

    amount: 0 to 1, how unlike a neighbour may be at most (1: a tenth of white). Each counts by how alike its
    surroundings are, so that what moves is left as it is.
    """
    total, weight = here.copy(), np.ones_like(here)
    tolerance = max(0.1 * amount, 1e-3)
    for other in others:
        apart = gaussian(np.abs(other - here), 2.0) / np.float32(tolerance)
        share = np.exp(-apart * apart)
        total += share * other
        weight += share
    return np.asarray(total / weight, np.float32)
