"""What tells a subject from its clean plate, gathered for the network that weighs it.

A threshold on a difference cannot tell a lit wall from a lit coat. What tells them apart are differences of colour
and of light in units of the picture's own grain, and whether the clean plate's texture still shows through.
"""

from __future__ import annotations

import cv2
import numpy as np

from cuvrel.core.arrays import F32, I64, U8
from cuvrel.core.imaging.network import coloured, quarters
from cuvrel.core.imaging.row_kernels import at_once, in_rows, kernel, small_kernel
from cuvrel.core.keys.likeness import HALF, WHOLE, likeness
from cuvrel.core.trace.colour_model import to_lab

BINS = 16  # levels of light at which grain is measured
PICTURES = 24  # planes that are quarters of both pictures',
QUARTERS = PICTURES + 4 * WHOLE  # and, in a second look, of what else is of their size
HALVES = 10  # planes of half of it that both looks read
FIRST, SECOND = PICTURES + HALVES, QUARTERS + HALVES + HALF  # planes of each look
NEAR, ABOUT = 1.0, 3.5  # pixels over which differences are evened out
LIFT = np.float32(6)  # of values, so that what is all but black tells little
LOGS = np.log(np.arange(256) + LIFT).astype(np.float32)


@kernel
def _spread(picture: U8, clean: U8, counts: I64) -> None:
    """Counts every second pixel's absolute difference by level of light, channel and difference."""
    for y in range(0, picture.shape[0], 2):
        for x in range(0, picture.shape[1], 2):
            total = np.int64(clean[y, x, 0]) + np.int64(clean[y, x, 1]) + np.int64(clean[y, x, 2])
            level = total * BINS // 768
            for k in range(3):
                counts[level, k, abs(np.int64(picture[y, x, k]) - np.int64(clean[y, x, k]))] += 1


def grain(picture: U8, clean: U8) -> F32:
    """How much a frame differs from its clean plate by grain alone at each level of light, (BINS, 3) float32.

    In levels of 255, at least 1: the median absolute difference, so that the subject may fill up to half of
    every level. picture, clean: (h, w, 3) uint8.
    """
    counts = np.zeros((BINS, 3, 256), np.int64)
    _spread(picture, clean, counts)
    seen = counts.sum(axis=2)[:, 0] >= 50
    if not seen.any():
        return np.ones((BINS, 3), np.float32)
    half = np.cumsum(counts, axis=2) * 2 >= counts.sum(axis=2, keepdims=True)
    middle = np.argmax(half, axis=2) * 1.48
    known = np.flatnonzero(seen)
    table = np.stack([np.interp(np.arange(BINS), known, middle[known, k]) for k in range(3)], axis=1)
    return np.maximum(table, 1).astype(np.float32)


@kernel
def _greys(y0: int, y1: int, picture: U8, clean: U8, grey: F32, behind: F32, level: U8) -> None:
    """Both pictures' greys, and the clean plate's level of light."""
    third = np.float32(1 / 3)
    for y in range(y0, y1):
        for x in range(grey.shape[1]):
            was = np.float32(clean[0, y, x]) + np.float32(clean[1, y, x]) + np.float32(clean[2, y, x])
            now = np.float32(picture[0, y, x]) + np.float32(picture[1, y, x]) + np.float32(picture[2, y, x])
            grey[y, x], behind[y, x], level[y, x] = now * third, was * third, np.uint8(was * np.float32(BINS / 768))


@kernel
def _in_grain(y0: int, y1: int, clean: U8, now: F32, was: F32, spread: F32, differences: F32) -> None:
    """Differences of colour and of light, logarithms now and before, in units of grain, limited to 12 of them."""
    most, one = np.float32(12), np.float32(1)
    for y in range(y0, y1):
        for x in range(differences.shape[2]):
            r0, r1, r2 = now[0, y, x] - was[0, y, x], now[1, y, x] - was[1, y, x], now[2, y, x] - was[2, y, x]
            n0 = spread[0, y, x] / (np.float32(clean[0, y, x]) + LIFT)
            n1 = spread[1, y, x] / (np.float32(clean[1, y, x]) + LIFT)
            n2 = spread[2, y, x] / (np.float32(clean[2, y, x]) + LIFT)
            differences[0, y, x] = min(max((r0 - r1) * (one / np.sqrt(n0 * n0 + n1 * n1)), -most), most)
            differences[1, y, x] = min(max((r2 - r1) * (one / np.sqrt(n2 * n2 + n1 * n1)), -most), most)
            differences[2, y, x] = min(max((r0 + r1 + r2) / (n0 + n1 + n2), -most), most)


def _differences(channels: U8, behind: U8, level: U8, table: F32) -> F32:
    """What `_in_grain` tells of the channels of a frame and of its clean plate, (3, h, w) uint8 each."""
    now, was, spread, differences = np.empty((4, *channels.shape), np.float32)
    for k in range(3):
        cv2.LUT(channels[k], LOGS, dst=now[k])
        cv2.LUT(behind[k], LOGS, dst=was[k])
        cv2.LUT(level, np.pad(table[:, k], (0, 256 - BINS)), dst=spread[k])
    in_rows(_in_grain, level.shape[0], behind, now, was, spread, differences)
    return differences


def _evened(differences: F32, near: F32, about: F32) -> None:
    """Differences evened out over NEAR and ABOUT pixels, at half their size, -1 to 1."""
    for k in range(3):
        # a mean of n pixels has a root of n less grain
        _halved(cv2.GaussianBlur(differences[k], (0, 0), NEAR), near[k])
        np.tanh(near[k] * np.float32(0.6 * NEAR / 3), out=near[k])
        wide = cv2.GaussianBlur(_halved(differences[k], about[k]), (0, 0), ABOUT / 2)
        np.tanh(wide * np.float32(0.6 * ABOUT / 3), out=about[k])


def _halved(plane: F32, into: F32) -> F32:
    return np.asarray(cv2.resize(plane, into.shape[::-1], dst=into, interpolation=cv2.INTER_AREA), np.float32)


@small_kernel
def _inward(at: int, size: int) -> int:
    """A place beyond a border mirrored into the picture; the border itself stands once."""
    if size == 1:
        return 0
    at = abs(at) % (2 * size - 2)
    return at if at < size else 2 * size - 2 - at


@kernel
def _texture(y0: int, y1: int, grey: F32, behind: F32, level: U8, squares: F32, radius: int, out: F32) -> None:
    """How far the clean plate's texture shows through about each place, -1 to 1, 0 where it has none.

    The correlation of both greys in a square, as far as the clean plate's own spread stands out of the grain.
    """
    h, w = grey.shape
    rows = np.zeros((6, w))  # sums over the square's rows: greys, squares, product, square of the grain
    ahead = np.zeros((6, w + 2 * radius + 1))  # of those, over all columns before one
    cols = np.array([_inward(x - radius, w) for x in range(w + 2 * radius)])
    part = 1 / np.float64((2 * radius + 1) ** 2)
    for y in range(y0 - radius, y1 + radius):
        new = _inward(y, h)
        for x in range(w):
            a, b = np.float64(grey[new, x]), np.float64(behind[new, x])
            rows[0, x] += a
            rows[1, x] += b
            rows[2, x] += a * a
            rows[3, x] += b * b
            rows[4, x] += a * b
            rows[5, x] += squares[level[new, x]]
        at = y - radius
        if at < y0:
            continue
        for k in range(6):
            total = 0.0
            for x in range(len(cols)):
                total += rows[k, cols[x]]
                ahead[k, x + 1] = total
        for x in range(w):
            beyond = x + 2 * radius + 1
            a, b = (ahead[0, beyond] - ahead[0, x]) * part, (ahead[1, beyond] - ahead[1, x]) * part
            own = max((ahead[2, beyond] - ahead[2, x]) * part - a * a, 1.0)
            was = max((ahead[3, beyond] - ahead[3, x]) * part - b * b, 0.0)
            like = ((ahead[4, beyond] - ahead[4, x]) * part - a * b) / np.sqrt(own * max(was, 1.0))
            out[at, x] = like * was / (was + (ahead[5, beyond] - ahead[5, x]) * part + 1)
        old = _inward(at - radius, h)
        for x in range(w):
            a, b = np.float64(grey[old, x]), np.float64(behind[old, x])
            rows[0, x] -= a
            rows[1, x] -= b
            rows[2, x] -= a * a
            rows[3, x] -= b * b
            rows[4, x] -= a * b
            rows[5, x] -= squares[level[old, x]]


def planes(rgb: U8, clean: U8, table: F32, before: F32 | None = None) -> F32:
    """What a network reads, float32 of about -1 to 1, at half of the pictures' size: (FIRST or SECOND, h, w).

    rgb, clean: (2 h, 2 w, 3) uint8 sRGB, already of one light and one place. table: their grain. before:
    how likely each place is by a first look, (h, w) float32, 0 to 1; with it these are a second look's planes.
    """
    h, w = rgb.shape[0] // 2, rgb.shape[1] // 2
    out = np.empty((FIRST if before is None else SECOND, h, w), np.float32)
    channels, behind_them = (np.stack(cv2.split(one)) for one in (rgb, clean))
    grey, behind = np.empty((2, *rgb.shape[:2]), np.float32)
    level = np.empty(rgb.shape[:2], np.uint8)
    in_rows(_greys, len(rgb), channels, behind_them, grey, behind, level)
    noise = table.mean(1) * np.float32(0.6)  # of a grey
    amount = np.tanh(np.log(noise) - 1.5)

    def texture(radius: int, into: F32) -> None:
        shown = np.empty(rgb.shape[:2], np.float32)
        in_rows(_texture, len(shown), grey, behind, level, noise * noise, radius, shown)
        _halved(shown, into)

    half = out[PICTURES if before is None else QUARTERS :]
    at_once(
        lambda: texture(3, half[6]), lambda: texture(8, half[7]),
        lambda: _evened(_differences(channels, behind_them, level, table), half[:3], half[3:6]),
        lambda: coloured(to_lab(rgb), out[: PICTURES // 2]),
        lambda: coloured(to_lab(clean), out[PICTURES // 2 : PICTURES]),
        lambda: _halved(amount[level], half[8]),
    )  # fmt: skip
    if before is None:
        half[9] = 0
    else:
        half[9] = 2 * before - 1
        full, half[HALVES:] = likeness(rgb, clean, before)
        out[PICTURES:QUARTERS] = quarters(full)
    return out
