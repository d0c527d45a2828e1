"""Lines that are found in a picture: its brightness, where edges lie, how they flow, and what is worth keeping."""

from __future__ import annotations

import cv2
import numpy as np

from cuvrel.core.arrays import F32, Mask, Single
from cuvrel.core.imaging.colour import exp2, to_display
from cuvrel.core.imaging.row_kernels import in_rows, kernel
from cuvrel.core.imaging.tables import cover_of

BOOL = Mask
FLAT = np.float32(0.004**2)  # squares of a slope, in parts of white a pixel, below which a picture flows nowhere


@kernel
def _brightness(y0: int, y1: int, picture: F32, out: F32) -> None:
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
def _away(y0: int, y1: int, signed: F32, out: F32) -> None:
    h, w = signed.shape
    half = np.float32(0.5)
    for y in range(y0, y1):
        up, here, down = signed[max(y - 1, 0)], signed[y], signed[min(y + 1, h - 1)]
        for x in range(1, w - 1):
            dx, dy = (here[x + 1] - here[x - 1]) * half, (down[x] - up[x]) * half
            # an edge that is softer than the blur grows away from its middle as much more slowly
            steep = min(max(np.sqrt(dx * dx + dy * dy), np.float32(0.1)), np.float32(1.0))
            out[y, x] = abs(here[x]) / steep
        out[y, 0], out[y, w - 1] = out[y, 1], out[y, w - 2]


@kernel
def _edges(y0: int, y1: int, smooth: F32, sigma: Single, distance: F32, step: F32, across: F32) -> None:
    h, w = smooth.shape
    half = np.float32(0.5)
    # pixels and differences of them are as wide as a little blur more
    variance = sigma * sigma + np.float32(0.3)
    for y in range(y0, y1):
        up, here, down = smooth[max(y - 1, 0)], smooth[y], smooth[min(y + 1, h - 1)]
        for x in range(1, w - 1):
            c = here[x]
            gx = (here[x + 1] - here[x - 1]) * half
            gy = (down[x] - up[x]) * half
            xx = here[x + 1] + here[x - 1] - np.float32(2.0) * c
            yy = down[x] + up[x] - np.float32(2.0) * c
            xy = (down[x + 1] - down[x - 1] - up[x + 1] + up[x - 1]) * np.float32(0.25)
            gxx, gxy, gyy = gx * gx, gx * gy, gy * gy
            slope = max(gxx + gyy, np.float32(1e-12))
            size = np.sqrt(slope)
            over = np.float32(1.0) / slope
            bend = (xx * gxx + np.float32(2.0) * xy * gxy + yy * gyy) * over
            far = variance * bend / size
            away = min(max(far, np.float32(-4.0) * sigma), np.float32(4.0) * sigma)
            near = min(away * away, np.float32(4.0) * variance) / variance
            distance[y, x] = away
            step[y, x] = size * np.sqrt(variance) * np.float32(2.5066283) * exp2(np.float32(0.72134752) * near)
            across[0, y, x] = (gxx - gyy) * over
            across[1, y, x] = np.float32(2.0) * gxy * over
        for x, beside in ((0, 1), (w - 1, w - 2)):
            distance[y, x], step[y, x] = distance[y, beside], step[y, beside]
            across[0, y, x], across[1, y, x] = across[0, y, beside], across[1, y, beside]


def edges(smooth: F32, sigma: float) -> tuple[F32, F32, F32]:
    """Where the edges of a blurred picture lie, to a fraction of a pixel.

    Parameters
    ----------
    smooth
        (H, W) float32, at least three pixels wide: the picture after a Gaussian blur.
    sigma
        That blur's standard deviation in pixels.

    Returns ------- distance (H, W) float32: pixels to the nearest edge; right up to about two sigma. step (H, W)
    float32: the height of that edge. way (2, H, W) float32: the cosine and the sine of twice the gradient's angle,
    which are alike on both sides of a line.

    Notes ----- Across a blurred step the second derivative along the gradient, over the first, is minus the distance
    over the square of sigma. That gives the distance, and with the gradient the height. How it grows from pixel to
    pixel tells by how much an edge is softer than the blur.

    References
    ----------
    Haralick, Digital Step Edges from Zero Crossing of Second Directional Derivatives, TPAMI 1984.
    """
    signed, distance, step = (np.empty_like(smooth) for _ in range(3))
    across = np.empty((2, *smooth.shape), np.float32)
    in_rows(_edges, len(smooth), smooth, np.float32(sigma), signed, step, across)
    in_rows(_away, len(smooth), signed, distance)
    return distance, step, across


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
def _along(y0: int, y1: int, values: F32, flow: F32, energy: F32, shares: F32, out: F32) -> None:
    w = values.shape[1]
    half, zero, right, low = np.float32(0.5), np.float32(0.0), np.float32(values.shape[1]), np.float32(values.shape[0])
    for y in range(y0, y1):
        for x in range(w):
            if energy[y, x] < FLAT:
                out[y, x] = values[y, x]
                continue
            total, weight = values[y, x], np.float32(1.0)
            for side in range(2):
                px, py = np.float32(x) + half, np.float32(y) + half
                dx, dy = flow[y, x, 0], flow[y, x, 1]
                if side == 1:
                    dx, dy = -dx, -dy
                for n in range(shares.shape[0]):
                    px, py = px + dx, py + dy
                    if px < zero or py < zero or px >= right or py >= low:
                        break
                    ix, iy = np.uint32(np.int32(px)), np.uint32(np.int32(py))
                    total += shares[n] * values[iy, ix]
                    weight += shares[n]
                    ex, ey = flow[iy, ix, 0], flow[iy, ix, 1]
                    turned = np.float32(1.0) if ex * dx + ey * dy >= zero else np.float32(-1.0)
                    dx, dy = ex * turned, ey * turned
            out[y, x] = total / weight


def along_flow(values: F32, smooth: F32, reach: float, sigma: float) -> F32:
    """Averages values along the lines in which a picture's edges run.

    Parameters
    ----------
    values
        (H, W) float32: what is averaged.
    smooth
        (H, W) float32: the picture, blurred a little.
    reach
        Pixels to each side that are averaged.
    sigma
        Standard deviation, in pixels, over which the direction is averaged.

    Returns
    -------
    F32
        (H, W).

    References
    ----------
    Kyprianidis and Doellner, Image Abstraction by Structure Adaptive Filtering, 2008: the direction is the smaller
    eigenvector of the smoothed structure tensor.
    """
    gx = cv2.Sobel(smooth, cv2.CV_32F, 1, 0, scale=0.125, borderType=cv2.BORDER_REFLECT)
    gy = cv2.Sobel(smooth, cv2.CV_32F, 0, 1, scale=0.125, borderType=cv2.BORDER_REFLECT)
    xx, yy, xy = gaussian(gx * gx, sigma), gaussian(gy * gy, sigma), gaussian(gx * gy, sigma)
    flow = np.empty((*values.shape, 2), np.float32)
    in_rows(_across, len(values), xx, yy, xy, flow)
    steps = int(np.clip(round(reach), 1, 24))
    shares = np.exp(-0.5 * (np.arange(1, steps + 1) / (0.5 * steps)) ** 2).astype(np.float32)
    out = np.empty_like(values)
    in_rows(_along, len(values), values, flow, xx + yy, shares, out)
    return out


@kernel
def _across(y0: int, y1: int, xx: F32, yy: F32, xy: F32, flow: F32) -> None:
    half = np.float32(0.5)
    for y in range(y0, y1):
        for x in range(xx.shape[1]):
            # the direction square to the gradient's, from the cosine and sine of twice its angle
            a, b = xx[y, x] - yy[y, x], np.float32(2.0) * xy[y, x]
            c = a / max(np.sqrt(a * a + b * b), np.float32(1e-12))
            dy = np.sqrt(max(half + half * c, np.float32(0.0)))
            dx = np.sqrt(max(half - half * c, np.float32(0.0)))
            flow[y, x, 0], flow[y, x, 1] = (-dx if b > np.float32(0.0) else dx), dy


def steadied(here: F32, others: list[F32], amount: float) -> F32:
    """A picture averaged over its neighbours in time, where it is as it was, (H, W) float32.

    amount: 0 to 1, how unlike a neighbour may be at most (1: a tenth of white). Each counts by how alike its
    surroundings are, so that what moves is left as it is.
    """
    total, weight = here.copy(), np.ones_like(here)
    for other in others:
        difference = cv2.boxFilter(cv2.absdiff(other, here), -1, (7, 7), borderType=cv2.BORDER_REFLECT)
        in_rows(_weighed, len(here), other, difference, np.float32(1 / max(0.1 * amount, 1e-3)), total, weight)
    total /= weight
    return total


@kernel
def _weighed(y0: int, y1: int, other: F32, difference: F32, steep: Single, total: F32, weight: F32) -> None:
    for y in range(y0, y1):
        for x in range(other.shape[1]):
            d = difference[y, x] * steep
            share = exp2(np.float32(-1.442695) * d * d)
            total[y, x] += share * other[y, x]
            weight[y, x] += share
