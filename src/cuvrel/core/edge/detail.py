"""Fine detail: coverage of hair and blur solved from the picture in the band about an outline.

The energy is that of closed-form matting (Levin, Lischinski and Weiss, TPAMI 2008) in linear light: in
every little window coverage is an affine function of colour. Its matrix is never built; each step of a
conjugate gradient applies it window by window (as He, Sun and Tang, CVPR 2010, do for large windows), only
where the band is, from a start that a half-size solve gives.
"""

from __future__ import annotations

import cv2
import numpy as np
from numba import njit
from numpy.typing import NDArray

from cuvrel.core.media.box import bounds
from cuvrel.core.media.rows import in_rows

F32 = NDArray[np.float32]
U8 = NDArray[np.uint8]
CALM = 1e-6  # keeps a window of one colour from dividing by nothing


@njit(nogil=True, cache=True, fastmath=True)
def _windows(y0, y1, image, band, mean, inverse, about):  # type: ignore[no-untyped-def]
    """Mean and inverse covariance of the colours in each window that holds a pixel of the band."""
    h, w = band.shape
    for y in range(max(1, y0), min(h - 1, y1)):
        for x in range(1, w - 1):
            near = False
            for dy in range(-1, 2):
                for dx in range(-1, 2):
                    near = near or band[y + dy, x + dx] > 0
            about[y, x] = near
            if not near:
                continue
            m0, m1, m2 = 0.0, 0.0, 0.0
            c00, c01, c02, c11, c12, c22 = 0.0, 0.0, 0.0, 0.0, 0.0, 0.0
            for dy in range(-1, 2):
                for dx in range(-1, 2):
                    a, b, c = image[y + dy, x + dx, 0], image[y + dy, x + dx, 1], image[y + dy, x + dx, 2]
                    m0, m1, m2 = m0 + a, m1 + b, m2 + c
                    c00, c01, c02 = c00 + a * a, c01 + a * b, c02 + a * c
                    c11, c12, c22 = c11 + b * b, c12 + b * c, c22 + c * c
            m0, m1, m2 = m0 / 9, m1 / 9, m2 / 9
            c00, c01, c02 = c00 / 9 - m0 * m0 + CALM, c01 / 9 - m0 * m1, c02 / 9 - m0 * m2
            c11, c12, c22 = c11 / 9 - m1 * m1 + CALM, c12 / 9 - m1 * m2, c22 / 9 - m2 * m2 + CALM
            i00, i01, i02 = c11 * c22 - c12 * c12, c02 * c12 - c01 * c22, c01 * c12 - c02 * c11
            i11, i12, i22 = c00 * c22 - c02 * c02, c01 * c02 - c00 * c12, c00 * c11 - c01 * c01
            scale = 1.0 / (c00 * i00 + c01 * i01 + c02 * i02)
            mean[y, x, 0], mean[y, x, 1], mean[y, x, 2] = m0, m1, m2
            inverse[y, x, 0], inverse[y, x, 1], inverse[y, x, 2] = i00 * scale, i01 * scale, i02 * scale
            inverse[y, x, 3], inverse[y, x, 4], inverse[y, x, 5] = i11 * scale, i12 * scale, i22 * scale


@njit(nogil=True, cache=True, fastmath=True)
def _affine(y0, y1, p, image, about, mean, inverse, fit):  # type: ignore[no-untyped-def]
    """The affine function of colour that fits `p` in each window: (h, w, 4)."""
    for y in range(y0, y1):
        for x in range(p.shape[1]):
            if not about[y, x]:
                continue
            s, s0, s1, s2 = np.float32(0), np.float32(0), np.float32(0), np.float32(0)
            for dy in range(-1, 2):
                for dx in range(-1, 2):
                    v = p[y + dy, x + dx]
                    s += v
                    s0 += v * (image[y + dy, x + dx, 0] - mean[y, x, 0])
                    s1 += v * (image[y + dy, x + dx, 1] - mean[y, x, 1])
                    s2 += v * (image[y + dy, x + dx, 2] - mean[y, x, 2])
            ninth = np.float32(1 / 9)
            s, s0, s1, s2 = s * ninth, s0 * ninth, s1 * ninth, s2 * ninth
            a = inverse[y, x, 0] * s0 + inverse[y, x, 1] * s1 + inverse[y, x, 2] * s2
            b = inverse[y, x, 1] * s0 + inverse[y, x, 3] * s1 + inverse[y, x, 4] * s2
            c = inverse[y, x, 2] * s0 + inverse[y, x, 4] * s1 + inverse[y, x, 5] * s2
            fit[y, x, 0], fit[y, x, 1], fit[y, x, 2] = a, b, c
            fit[y, x, 3] = s - a * mean[y, x, 0] - b * mean[y, x, 1] - c * mean[y, x, 2]


@njit(nogil=True, cache=True, fastmath=True)
def _applied(y0, y1, p, image, band, about, fit, out):  # type: ignore[no-untyped-def]
    """The matrix times `p` at the pixels of the band."""
    for y in range(y0, y1):
        for x in range(p.shape[1]):
            if band[y, x] == 0:
                continue
            a, b, c, d, n = np.float32(0), np.float32(0), np.float32(0), np.float32(0), 0
            for dy in range(-1, 2):
                for dx in range(-1, 2):
                    if about[y + dy, x + dx]:
                        a += fit[y + dy, x + dx, 0]
                        b += fit[y + dy, x + dx, 1]
                        c += fit[y + dy, x + dx, 2]
                        d += fit[y + dy, x + dx, 3]
                        n += 1
            out[y, x] = n * p[y, x] - (a * image[y, x, 0] + b * image[y, x, 1] + c * image[y, x, 2] + d)


class _Energy:
    """The matrix of one picture and band; the band keeps two pixels from the picture's border."""

    def __init__(self, image: F32, band: U8) -> None:
        self.image, self.band = image, band
        h, w = band.shape
        self.mean, self.inverse = np.zeros((h, w, 3), np.float32), np.zeros((h, w, 6), np.float32)
        self.about, self.fit = np.zeros((h, w), np.bool_), np.zeros((h, w, 4), np.float32)
        in_rows(_windows, h, image, band, self.mean, self.inverse, self.about)

    def times(self, p: F32) -> F32:
        """The matrix times p, 0 outside the band."""
        h = p.shape[0]
        out = np.zeros_like(p)
        in_rows(_affine, h, p, self.image, self.about, self.mean, self.inverse, self.fit)
        in_rows(_applied, h, p, self.image, self.band, self.about, self.fit, out)
        return out


def _solved(energy: _Energy, start: F32, rounds: int) -> F32:
    """Conjugate gradient from `start`, whose values outside the band stay."""
    x = start.copy()
    rest = -energy.times(x)
    way = rest.copy()
    size = float(np.vdot(rest, rest))
    first = size
    for _ in range(rounds):
        if size <= 1e-5 * first or size < 1e-9:
            break
        along = energy.times(way)
        step = np.float32(size / max(1e-20, float(np.vdot(way, along))))
        x += step * way
        rest -= step * along
        after = float(np.vdot(rest, rest))
        way = rest + np.float32(after / size) * way
        size = after
    return x


def solve(linear: F32, known: F32, band: U8, rounds: int = 24, levels: int = 2) -> F32:
    """Coverage in the band from the picture's colours, (H, W) float32, 0 to 1; `known` elsewhere.

    linear: (H, W, 3) float32 linear light. known: (H, W) float32, which also is the start in the band.
    band: (H, W) uint8, not 0 where coverage is to be solved. rounds: steps at the full size; smaller sizes,
    `levels` of them in all, bring what is far.
    """
    box = bounds(band, 4)
    if box is None:
        return known
    # a rim of copies, so that no window leaves the picture
    image = cv2.copyMakeBorder(linear[box], 2, 2, 2, 2, cv2.BORDER_REFLECT)
    start = cv2.copyMakeBorder(known[box].astype(np.float32), 2, 2, 2, 2, cv2.BORDER_REFLECT)
    mask = cv2.copyMakeBorder(band[box], 2, 2, 2, 2, cv2.BORDER_CONSTANT, value=0)
    if levels > 1 and min(mask.shape) > 48:
        half = (image.shape[1] // 2, image.shape[0] // 2)
        small = solve(
            cv2.resize(image, half, interpolation=cv2.INTER_AREA),
            cv2.resize(start, half, interpolation=cv2.INTER_AREA),
            (cv2.resize(mask.astype(np.float32), half, interpolation=cv2.INTER_AREA) > 0.01).astype(np.uint8),
            2 * rounds,
            levels - 1,
        )
        up = cv2.resize(small, (image.shape[1], image.shape[0]), interpolation=cv2.INTER_LINEAR)
        start = np.where(mask > 0, up, start)
    alpha = _solved(_Energy(np.ascontiguousarray(image), mask), np.ascontiguousarray(start), rounds)
    out = known.astype(np.float32).copy()
    out[box] = np.where(band[box] > 0, np.clip(alpha[2:-2, 2:-2], 0, 1), out[box])
    return out


def fine_detail(rgb: U8, matte: F32, reach: float, share: float = 1.0) -> F32:
    """A matte whose soft edges come from the picture, (H, W) float32, 0 to 1.

    rgb: (H, W, 3) uint8 sRGB. matte: (H, W) float32. reach: pixels on each side of the outline in which
    coverage is solved. share: 0 keeps the matte, 1 takes what was solved.
    """
    hard = (matte > 0.5).astype(np.uint8)
    side = 2 * max(1, round(reach)) + 1
    kernel = cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (side, side))
    band = cv2.morphologyEx(hard, cv2.MORPH_GRADIENT, kernel)
    soft = cv2.dilate(((matte > 0.06) & (matte < 0.94)).astype(np.uint8), np.ones((3, 3), np.uint8))
    band |= soft & cv2.dilate(band, kernel)
    known = np.where(band > 0, matte, hard).astype(np.float32)
    linear = np.power(rgb.astype(np.float32) / 255, np.float32(2.2))
    solved = solve(linear, known, band)
    return np.asarray(matte + np.float32(share) * (solved - matte), np.float32)


def own_colours(linear: F32, matte: F32, radius: float) -> F32:
    """The subject's own colours in soft edge pixels, (H, W, 3) float32 linear light.

    There the picture mixes the subject with the old background. Both are taken from their surroundings,
    weighed by coverage, and the mix is resolved for the subject (Forte, Approximate Fast Foreground Colour
    Estimation, ICIP 2021). linear: (H, W, 3) float32; matte: (H, W) float32; radius: pixels.
    """
    box = bounds((matte > 0.004) & (matte < 0.996), round(2 * radius) + 2)
    if box is None:
        return linear
    image, alpha = linear[box], np.ascontiguousarray(matte[box])[..., None]
    fore, back = image, image
    for size in (radius, max(1.0, radius / 8)):
        side = 2 * round(size) + 1
        weight = cv2.blur(alpha, (side, side))[..., None] + np.float32(1e-5)
        smooth = cv2.blur(fore * alpha, (side, side)) / weight
        behind = cv2.blur(back * (1 - alpha), (side, side)) / (1 - weight + np.float32(2e-5))
        fore = np.clip(smooth + alpha * (image - alpha * smooth - (1 - alpha) * behind), 0, None)
        back = behind
    out = linear.copy()
    out[box] = np.where(alpha < 0.996, fore, image)
    return out
