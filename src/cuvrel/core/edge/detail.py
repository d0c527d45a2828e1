"""Fine detail: coverage of hair and blur solved from the picture in the band about an outline.

The energy is that of closed-form matting (Levin, Lischinski and Weiss, TPAMI 2008) in linear light: in
every little window coverage is an affine function of colour. Its matrix is never built; each step of a
conjugate gradient applies it window by window (as He, Sun and Tang, CVPR 2010, do for large windows), only
where the band is, from a start that a half-size solve gives.
"""

from __future__ import annotations

import cv2
import numpy as np

from cuvrel.core.arrays import F32, I32, U8
from cuvrel.core.imaging.region import bounds
from cuvrel.core.imaging.row_kernels import in_rows, kernel

TRUST = 1.0  # what it costs fine detail to leave the matte that it begins with, where colours do not tell
GRAIN = 1.0  # how many times the usual spread of colours counts as telling as much as not
LINEAR = np.power(np.arange(256, dtype=np.float32) / 255, np.float32(2.2))
MANY = 8000  # pixels from which it is worth sharing a step among cores
CALM = 1e-6  # keeps a window of one colour from dividing by nothing


@kernel
def _windows(n0: int, n1: int, image: F32, places: I32, mean: F32, inverse: F32) -> None:
    """Mean and inverse covariance of the colours in each window, by the windows' middles."""
    for n in range(n0, n1):
        y, x = places[n, 0], places[n, 1]
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
        mean[n, 0], mean[n, 1], mean[n, 2] = m0, m1, m2
        inverse[n, 0], inverse[n, 1], inverse[n, 2] = i00 * scale, i01 * scale, i02 * scale
        inverse[n, 3], inverse[n, 4], inverse[n, 5] = i11 * scale, i12 * scale, i22 * scale


@kernel
def _affine(n0: int, n1: int, p: F32, image: F32, places: I32, mean: F32, inverse: F32, fit: F32) -> None:
    """The affine function of colour that fits `p` in each window, into fit (h, w, 4) at its middle."""
    ninth = np.float32(1 / 9)
    for n in range(n0, n1):
        y, x = places[n, 0], places[n, 1]
        s, s0, s1, s2 = np.float32(0), np.float32(0), np.float32(0), np.float32(0)
        m0, m1, m2 = mean[n, 0], mean[n, 1], mean[n, 2]
        for dy in range(-1, 2):
            for dx in range(-1, 2):
                v = p[y + dy, x + dx]
                s += v
                s0 += v * (image[y + dy, x + dx, 0] - m0)
                s1 += v * (image[y + dy, x + dx, 1] - m1)
                s2 += v * (image[y + dy, x + dx, 2] - m2)
        s, s0, s1, s2 = s * ninth, s0 * ninth, s1 * ninth, s2 * ninth
        a = inverse[n, 0] * s0 + inverse[n, 1] * s1 + inverse[n, 2] * s2
        b = inverse[n, 1] * s0 + inverse[n, 3] * s1 + inverse[n, 4] * s2
        c = inverse[n, 2] * s0 + inverse[n, 4] * s1 + inverse[n, 5] * s2
        fit[y, x, 0], fit[y, x, 1], fit[y, x, 2], fit[y, x, 3] = a, b, c, s - a * m0 - b * m1 - c * m2


@kernel
def _applied(n0: int, n1: int, p: F32, image: F32, pixels: I32, about: U8, fit: F32, out: F32) -> None:
    """The matrix times `p` at the pixels of the band."""
    for n in range(n0, n1):
        y, x = pixels[n, 0], pixels[n, 1]
        a, b, c, d, count = np.float32(0), np.float32(0), np.float32(0), np.float32(0), 0
        for dy in range(-1, 2):
            for dx in range(-1, 2):
                # windows that are none are all 0
                a += fit[y + dy, x + dx, 0]
                b += fit[y + dy, x + dx, 1]
                c += fit[y + dy, x + dx, 2]
                d += fit[y + dy, x + dx, 3]
                count += about[y + dy, x + dx]
        out[n] = count * p[y, x] - (a * image[y, x, 0] + b * image[y, x, 1] + c * image[y, x, 2] + d)


class _Energy:
    """The matrix of one picture and band. The outermost ring of pixels is not part of the picture."""

    def __init__(self, image: F32, band: U8) -> None:
        self.image = image
        self.pixels = np.argwhere(band > 0).astype(np.int32)
        about = cv2.dilate((band > 0).astype(np.uint8), np.ones((3, 3), np.uint8))
        about[:2] = about[-2:] = about[:, :2] = about[:, -2:] = 0
        self.about, self.places = about, np.argwhere(about > 0).astype(np.int32)
        count = len(self.places)
        self.mean, self.inverse = np.empty((count, 3), np.float32), np.empty((count, 6), np.float32)
        self.fit = np.zeros((*band.shape, 4), np.float32)
        in_rows(_windows, count, image, self.places, self.mean, self.inverse)

    def times(self, p: F32) -> F32:
        """The matrix times p, (H, W) float32, at the pixels of the band, (N,) float32."""
        out = np.empty(len(self.pixels), np.float32)
        in_rows(_affine, len(self.places), p, self.image, self.places, self.mean, self.inverse, self.fit, least=MANY)
        in_rows(_applied, len(self.pixels), p, self.image, self.pixels, self.about, self.fit, out, least=MANY)
        return out


def _solved(energy: _Energy, start: F32, prior: F32, rounds: int, trust: F32) -> F32:
    """Conjugate gradient from `start`, whose values outside the band stay. To leave `prior` costs `trust`."""
    at = energy.pixels[:, 0], energy.pixels[:, 1]
    x, trust = start[at], trust[at]
    rest = trust * (prior[at] - x) - energy.times(start)
    way = rest.copy()
    whole = np.zeros_like(start)
    size = first = float(rest @ rest)
    for _ in range(rounds):
        if size <= 1e-9 * first or size < 1e-12:
            break
        whole[at] = way
        along = energy.times(whole) + trust * way
        step = np.float32(size / max(1e-20, float(way @ along)))
        x += step * way
        rest -= step * along
        after = float(rest @ rest)
        way *= np.float32(after / size)
        way += rest
        size = after
    out = start.copy()
    out[at] = x
    return out


def solve(linear: F32, known: F32, band: U8, rounds: int = 10, trust: float = 0.0) -> F32:
    """Coverage in the band from the picture's colours, (H, W) float32, 0 to 1; `known` elsewhere.

    linear: (H, W, 3) float32 linear light. known: (H, W) float32, which also is the start in the band.
    band: (H, W) uint8, not 0 where coverage is to be solved. rounds: steps at the full size; smaller sizes,
    more of them the wider the band is, bring what is far. trust: what it costs to leave the start where the
    picture's colours do not tell; 0 where the start says nothing. Few rounds are no loss: what the last
    ones would still bring is mostly grain.
    """
    box = bounds(band, 4)
    if box is None:
        return known
    widest = float(cv2.distanceTransform((band[box] > 0).astype(np.uint8), cv2.DIST_L2, 3).max())
    levels = 2 + int(widest > 16) + int(widest > 32)
    return _solve(linear, known, band, rounds, levels, trust)


def _plain(image: F32) -> F32:
    """How little the colours about each pixel tell, (h, w) float32, 0 to 1: 1 where there is only grain."""
    mean = cv2.blur(image, (5, 5))
    spread = (cv2.blur(image * image, (5, 5)) - mean * mean).sum(axis=2)
    floor = np.float32(GRAIN * float(np.median(spread)) + 1e-6)
    return np.asarray(floor / (floor + np.maximum(spread, 0)), np.float32)


def _solve(linear: F32, known: F32, band: U8, rounds: int, levels: int, trust: float) -> F32:
    box = bounds(band, 4)
    if box is None:
        return known
    image, prior, mask = linear[box], known[box].astype(np.float32), band[box]
    start = prior
    if levels > 1 and min(mask.shape) > 48:
        half = (image.shape[1] // 2, image.shape[0] // 2)
        small = _solve(
            cv2.resize(image, half, interpolation=cv2.INTER_AREA),
            cv2.resize(prior, half, interpolation=cv2.INTER_AREA),
            (cv2.resize(mask.astype(np.float32), half, interpolation=cv2.INTER_AREA) > 0.01).astype(np.uint8),
            2 * rounds,
            levels - 1,
            trust,
        )
        up = cv2.resize(small, (image.shape[1], image.shape[0]), interpolation=cv2.INTER_LINEAR)
        start = np.where(mask > 0, up, prior)
    ring = (1, 1, 1, 1)
    image, start, prior = (cv2.copyMakeBorder(one, *ring, cv2.BORDER_REFLECT) for one in (image, start, prior))
    faith = trust * _plain(image) if trust > 0 else np.zeros(image.shape[:2], np.float32)
    mask = cv2.copyMakeBorder(mask, *ring, cv2.BORDER_CONSTANT, value=0)
    alpha = _solved(_Energy(image, mask), start, prior, rounds, faith)
    out = known.astype(np.float32).copy()
    out[box] = np.where(band[box] > 0, np.clip(alpha[1:-1, 1:-1], 0, 1), out[box])
    return out


def to_linear(rgb: U8) -> F32:
    """Linear light, (H, W, 3) float32 0 to 1, of display-encoded values, by a power of 2.2."""
    return np.asarray(cv2.LUT(rgb, LINEAR), np.float32)


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
    solved = solve(to_linear(rgb), known, band, trust=TRUST)
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
