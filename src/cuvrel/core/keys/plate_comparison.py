"""A frame weighed against its clean plate by a small network: whole limbs, without cast light, shadows or grain.

Two networks (`core/keys/first_look.onnx` and `second_look.onnx`; `training/` says how they were made) weigh what tells
them apart (`core/keys/difference_clues.py`) pixel by pixel and with its surroundings.
"""

from __future__ import annotations

from functools import cache
from pathlib import Path

import cv2
import numpy as np

from cuvrel.core.arrays import F32, U8
from cuvrel.core.imaging.network import Network
from cuvrel.core.imaging.region import blocks, doubled, even
from cuvrel.core.imaging.row_kernels import at_once
from cuvrel.core.keys.difference_clues import PICTURES, QUARTERS, grain, planes
from cuvrel.core.keys.known_background import covered
from cuvrel.core.motion.background_difference import spread
from cuvrel.core.trace.upsampling import enlarged, soften

SMALL = 480  # the longer side at which things are looked for,
LONG = 1280  # and at which their outline is decided
MAYBE = 0.15  # how likely a place must be to be looked at
TRUST = 0.6  # how far the picture's edges count beside those that were decided, before the clean plate has its say
SHARE = 0.5  # of an edge that the clean plate's light gives, beside what was decided
COARSE = 4  # light is spread at such a fraction of the size,
REACH = 80  # as far as such a part of the longer side
FREE = 0.3  # how likely to be before the clean plate a place may be that tells of its light


@cache
def network(second: bool = False) -> Network:
    """What weighs the comparison in a first look or in a second one."""
    return Network(Path(__file__).with_name("second_look.onnx" if second else "first_look.onnx"), step=16)


def relit(rgb: U8, clean: U8, found: F32) -> U8:
    """The clean plate under the light of the frame: lamps, their halo, shadows.

    Parameters
    ----------
    rgb, clean
        (h, w, 3) uint8 sRGB, in one light on the whole, and one position.
    found
        (h', w') float32 of any size, 0 to 1: how likely each place is the subject.

    Returns ------- U8 (h, w, 3). The change of light is the local mean of the difference, weighted by how free of the
    subject a place is.
    """
    h, w = rgb.shape[:2]
    size = max(1, w // COARSE), max(1, h // COARSE)
    free = np.clip(1 - cv2.resize(found, size, interpolation=cv2.INTER_AREA), 0, 1)
    free = np.where(free > 1 - FREE, free * free, np.float32(0)).astype(np.float32)
    more = cv2.resize(rgb, size, interpolation=cv2.INTER_AREA).astype(np.float32)
    more -= cv2.resize(clean, size, interpolation=cv2.INTER_AREA)
    about = spread(more * free[..., None], free, max(w, h) / (REACH * COARSE))
    about -= np.float32(0.499)  # values are cut off, not rounded
    return np.asarray(cv2.add(clean, cv2.resize(about, (w, h)), dtype=cv2.CV_8U), np.uint8)


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


def _odds_of(rgb: U8, clean: U8, table: F32, before: F32 | None = None) -> F32:
    """How likely each pixel is before the clean plate, (h, w) float32, 0 to 1. Sides are even."""
    second = before is not None
    stack = planes(rgb, clean, table, before)
    odds = network(second).both_ways(stack, QUARTERS if second else PICTURES)
    return np.asarray(1 / (1 + np.exp(-odds)), np.float32)


def first_look(rgb: U8, clean: U8, longest: int = SMALL) -> F32:
    """How likely each pixel is by a first look at a small size, (h, w) float32, 0 to 1, no longer than that."""
    small, behind = (working(one, longest) for one in (rgb, clean))
    return _odds_of(small, behind, grain(small, behind))


def weighed(rgb: U8, clean: U8, detail: float = 1.0) -> F32:
    """Coverage of what stands before a clean plate, by two looks of small networks.

    Parameters
    ----------
    rgb, clean
        (H, W, 3) uint8 sRGB, in one light and one position.
    detail
        0 to 1: as for the trace.

    Returns
    -------
    F32
        (H, W), 0 to 1.

    Notes ----- The first look is at a small size. The second one, larger, sees only what the first found, and the clean
    plate under the light that the rest of the frame shows.
    """
    found = first_look(rgb, clean)
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
        u[large] = _odds_of(here, there, grain(picture, plate), before[box])
    soft = soften(u, picture, detail, trust=TRUST)
    if detail > 0:
        soft += np.float32(SHARE * detail) * (covered(picture, plate, soft) - soft)
    return soft if picture.shape == rgb.shape else enlarged(soft, rgb, picture)
