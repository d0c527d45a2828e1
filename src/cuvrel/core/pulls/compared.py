"""A frame weighed against its clean plate by a small network: whole limbs, without cast light, shadows or grain.

A threshold on a difference cannot tell a lit wall from a lit coat. What tells them apart is gathered here:
differences of colour and of light in units of the picture's own grain, and whether the clean plate's
texture still shows through. The network (`core/pulls/difference.onnx`; `training/` says how it was made)
weighs them pixel by pixel and with their surroundings.
"""

from __future__ import annotations

from functools import cache
from pathlib import Path

import cv2
import numpy as np
from numpy.typing import NDArray

from cuvrel.core.media.box import blocks, doubled, even
from cuvrel.core.media.rows import at_once, in_rows, kernel
from cuvrel.core.motion.ground import spread
from cuvrel.core.pulls.known import covered
from cuvrel.core.pulls.memory import to_lab
from cuvrel.core.pulls.network import Network, quarters
from cuvrel.core.pulls.soften import enlarged, soften

F32 = NDArray[np.float32]
U8 = NDArray[np.uint8]
SMALL = 480  # the longer side at which things are looked for,
LONG = 1280  # and at which their outline is decided
MAYBE = 0.15  # how likely a place must be to be looked at
TRUST = 0.6  # how far the picture's edges count beside those that were decided, before the clean plate has its say
SHARE = 0.5  # of an edge that the clean plate's light gives, beside what was decided
BINS = 16  # levels of light at which grain is measured
COARSE = 4  # light is spread at such a fraction of the size,
REACH = 80  # as far as such a part of the longer side
FREE = 0.3  # how likely to be before the clean plate a place may be that tells of its light
QUARTERS = 24  # planes that are quarters of both pictures'
PLANES = QUARTERS + 10


@cache
def network() -> Network:
    """What weighs the comparison."""
    return Network(Path(__file__).with_name("difference.onnx"), step=16)


@kernel
def _spread(picture, clean, counts):  # type: ignore[no-untyped-def]
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
def _told(y0, y1, picture, clean, table, told, grey, behind, noise):  # type: ignore[no-untyped-def]
    """Differences of colour and of light in units of grain, limited to 12 of them; greys and grain of each pixel."""
    third, most = np.float32(1 / 3), np.float32(12)
    for y in range(y0, y1):
        for x in range(picture.shape[1]):
            a0, a1, a2 = np.float32(picture[y, x, 0]), np.float32(picture[y, x, 1]), np.float32(picture[y, x, 2])
            b0, b1, b2 = np.float32(clean[y, x, 0]), np.float32(clean[y, x, 1]), np.float32(clean[y, x, 2])
            level = int((b0 + b1 + b2) * np.float32(BINS / 768))
            s0, s1, s2 = table[level, 0], table[level, 1], table[level, 2]
            grey[y, x], behind[y, x] = (a0 + a1 + a2) * third, (b0 + b1 + b2) * third
            noise[y, x] = (s0 + s1 + s2) * third * np.float32(0.6)
            r0, r1, r2 = np.log((a0 + 6) / (b0 + 6)), np.log((a1 + 6) / (b1 + 6)), np.log((a2 + 6) / (b2 + 6))
            n0, n1, n2 = s0 / (b0 + 6), s1 / (b1 + 6), s2 / (b2 + 6)
            told[y, x, 0] = min(max((r0 - r1) / np.sqrt(n0 * n0 + n1 * n1), -most), most)
            told[y, x, 1] = min(max((r2 - r1) / np.sqrt(n2 * n2 + n1 * n1), -most), most)
            told[y, x, 2] = min(max((r0 + r1 + r2) / (n0 + n1 + n2), -most), most)


def _texture(moments: F32, side: int) -> F32:
    """How far the clean plate's texture shows through, (h, w) float32, -1 to 1, 0 where it has none.

    moments: (h, w, 6) of both greys, their squares, their product, and the grain's square.
    """
    a, b, aa, bb, ab, floor = cv2.split(cv2.blur(moments, (side, side)))
    own, was = np.maximum(aa - a * a, 1), np.maximum(bb - b * b, 0)
    like = (ab - a * b) / np.sqrt(own * np.maximum(was, 1))
    return np.asarray(like * was / (was + floor + 1), np.float32)


def relit(rgb: U8, clean: U8, found: F32) -> U8:
    """The clean plate under the light that a frame's free places tell of: lamps, their halo, shadows.

    rgb, clean: (h, w, 3) uint8 sRGB, already of one light and one place. found: how likely each place is
    before the clean plate, (h', w') float32 of any size, 0 to 1. What there is more or less of light is the
    mean difference about a place, weighed by how free its surroundings are; nothing where none are.
    """
    h, w = rgb.shape[:2]
    size = max(1, w // COARSE), max(1, h // COARSE)
    free = np.clip(1 - cv2.resize(found, size, interpolation=cv2.INTER_AREA), 0, 1)
    free = np.where(free > 1 - FREE, free * free, np.float32(0)).astype(np.float32)
    more = cv2.resize(rgb, size, interpolation=cv2.INTER_AREA).astype(np.float32)
    more -= cv2.resize(clean, size, interpolation=cv2.INTER_AREA)
    about = spread(more * free[..., None], free, max(w, h) / (REACH * COARSE))
    return np.asarray(np.clip(clean + cv2.resize(about, (w, h)), 0, 255), np.uint8)


def planes(rgb: U8, clean: U8, table: F32, before: F32 | None = None) -> F32:
    """What the network reads, (PLANES, h, w) float32 of about -1 to 1, at half of the pictures' size.

    rgb, clean: (2 h, 2 w, 3) uint8 sRGB, already of one light and one place. table: their grain. before:
    how likely each place is by a first look, (h, w) float32, 0 to 1; without one its plane is empty.
    """
    told = np.empty(rgb.shape, np.float32)
    ga, gb, gn = np.empty((3, *rgb.shape[:2]), np.float32)
    in_rows(_told, len(rgb), rgb, clean, table, told, ga, gb, gn)
    half = (rgb.shape[1] // 2, rgb.shape[0] // 2)
    # a mean of n pixels has a root of n less grain
    found: list[F32] = []
    for sigma in (1.0, 3.5):
        soft = cv2.resize(cv2.GaussianBlur(told, (0, 0), sigma), half, interpolation=cv2.INTER_AREA)
        found += [np.tanh(soft[..., k] * np.float32(0.6 * sigma / 3)) for k in range(3)]
    moments = cv2.merge([ga, gb, ga * ga, gb * gb, ga * gb, gn * gn])
    shown = at_once(lambda: _texture(moments, 7), lambda: _texture(moments, 17))
    found += [cv2.resize(one, half, interpolation=cv2.INTER_AREA) for one in shown]
    found.append(cv2.resize(np.tanh(np.log(gn) - 1.5), half, interpolation=cv2.INTER_AREA))
    found.append(np.zeros(half[::-1], np.float32) if before is None else 2 * before - 1)
    labs = [to_lab(one).astype(np.float32) * np.float32(1 / 128) - np.float32(1) for one in (rgb, clean)]
    full = [lab[..., k] for lab in labs for k in range(3)]
    return np.concatenate([quarters(full), np.stack(found).astype(np.float32)])


def working(picture: U8, longest: int) -> U8:
    """A picture no longer than that, both sides even."""
    height, width = picture.shape[:2]
    h, w = even(height, width, longest)
    if picture.shape[:2] == (h, w):
        return picture
    return np.ascontiguousarray(cv2.resize(picture, (w, h), interpolation=cv2.INTER_AREA))


def lit(clean: U8, gain: F32) -> U8:
    """A clean plate under a frame's light. gain: (3,) float32 of display-encoded values."""
    return cv2.LUT(clean, np.clip(np.arange(256)[:, None] * gain[None], 0, 255).astype(np.uint8)[:, None])


def _decided(rgb: U8, clean: U8, table: F32, before: F32 | None = None) -> F32:
    """How likely each pixel is before the clean plate, (h, w) float32, 0 to 1. Sides are even."""
    odds = network().both_ways(planes(rgb, clean, table, before), QUARTERS)
    return np.asarray(1 / (1 + np.exp(-odds)), np.float32)


def looked(rgb: U8, clean: U8, longest: int = SMALL) -> F32:
    """How likely each pixel is by a first look at a small size, (h, w) float32, 0 to 1, no longer than that."""
    small, behind = (working(one, longest) for one in (rgb, clean))
    return _decided(small, behind, grain(small, behind))


def weighed(rgb: U8, clean: U8, detail: float = 1.0) -> F32:
    """Coverage of what is before the clean plate, (H, W) float32, 0 to 1.

    Looked for at a small size, and decided at a larger one about what was found, under the light that the
    rest tells of. rgb, clean: (H, W, 3) uint8 sRGB, already of one light and one place. detail: as for the
    trace.
    """
    found = looked(rgb, clean)
    picture, plate = at_once(lambda: working(rgb, LONG), lambda: working(clean, LONG))
    u = np.zeros(picture.shape[:2], np.float32)
    height, width = u.shape
    # in cells of two pixels, since the network reads every second one
    before = cv2.resize(found, (width // 2, height // 2), interpolation=cv2.INTER_LINEAR)
    box = blocks(before > MAYBE, 12, 8)
    if box is not None:
        plate = relit(picture, plate, found)
        large = doubled(box)
        here, there = (np.ascontiguousarray(one[large]) for one in (picture, plate))
        u[large] = _decided(here, there, grain(picture, plate), before[box])
    soft = soften(u, picture, detail, trust=TRUST)
    if detail > 0:
        soft += np.float32(SHARE * detail) * (covered(picture, plate, soft) - soft)
    return soft if picture.shape == rgb.shape else enlarged(soft, rgb, picture)
