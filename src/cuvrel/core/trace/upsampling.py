"""From a decision at working size to coverage at plate size."""

from __future__ import annotations

import cv2
import numpy as np

from cuvrel.core.arrays import F32, U8
from cuvrel.core.imaging.colour import DECODE
from cuvrel.core.imaging.guided_filter import functions, guided, valued
from cuvrel.core.imaging.region import Box, bounds

RADIUS = 3  # pixels of the labelling on each side of its outline in which the picture's edges count
EPS = 2e-5  # spread of colour, squared, below which there is no edge
STEEP, SEEKING = 1.1, 1.3  # a mean of many windows is a little too soft, the more so the wider they are


def soften(u: F32, rgb: U8, detail: float = 1.0, seek: float = 0.0, small: U8 | None = None, trust: float = 1.0) -> F32:
    """Coverage at the picture's size from a labelling at a smaller one, with edges that follow the picture's.

    Parameters
    ----------
    u
        (h, w) float32, 0 to 1: the labelling.
    rgb
        (H, W, 3) uint8 sRGB.
    detail
        0 keeps the plain outline; 1 takes soft edges (hair, blur) from the picture, by a guided filter in a narrow band
        whose functions of colour are found at the labelling's size and read at the picture's.
    seek
        0 to 1: how far the outline first moves to edges that lie up to twice as far from it.
    small
        The picture at the labelling's size, if it is at hand.
    trust
        0 to 1: how far the picture's edges count beside the labelling's own.

    Returns
    -------
    F32
        (H, W), 0 to 1.
    """
    height, width = rgb.shape[:2]
    if u.shape[1] > width:
        u, small = cv2.resize(u, (width, height), interpolation=cv2.INTER_AREA), None
    out = np.zeros((height, width), np.float32)
    # below a seventh nothing is left when the edge has been steepened
    around = bounds(u > 0.1, 8 * RADIUS)
    if around is None:
        return out
    box = _scaled(around, (height / u.shape[0], width / u.shape[1]))
    picture, part = rgb[box], np.ascontiguousarray(u[around])
    size = picture.shape[1], picture.shape[0]
    same = part.shape == picture.shape[:2]
    # in linear light, where a soft edge is a mix of both sides
    if small is None:
        small = picture if same else cv2.resize(picture, (part.shape[1], part.shape[0]), interpolation=cv2.INTER_AREA)
    else:
        small = small[around]
    guide = cv2.LUT(small, DECODE)

    def at_plate(one: F32) -> F32:
        return one if same else cv2.resize(one, size, interpolation=cv2.INTER_CUBIC)

    own = part
    if seek > 0:
        part = _drawn(_drawn(part, guide, 2 * RADIUS, SEEKING, seek), guide, 2 * RADIUS, SEEKING, seek)
    else:
        part = _drawn(part, guide, RADIUS, STEEP, detail)
    plain = at_plate(part)
    if detail <= 0:
        out[box] = np.clip(plain, 0, 1)
        return out
    band = _band(part, RADIUS + 1)
    found = functions(guide, part, band, RADIUS, EPS)
    if not same:
        guide, found = cv2.LUT(picture, DECODE), cv2.resize(found, size, interpolation=cv2.INTER_LINEAR)
    where = _band(plain, max(RADIUS, round(RADIUS * width / u.shape[1])))
    drawn = np.clip(valued(guide, found, plain, where, STEEP, detail), 0, 1)
    if trust < 1:
        drawn = cv2.addWeighted(drawn, trust, np.clip(at_plate(own), 0, 1), 1 - trust, 0)
    out[box] = drawn
    return out


def enlarged(matte: F32, rgb: U8, small: U8) -> F32:
    """A matte whose edges are as they should be, at the size of `rgb`, (H, W) float32, 0 to 1.

    What the plate shows between the matte's pixels is added to it, as the guided filter sees it. matte: (h, w)
    float32. rgb: (H, W, 3), and small, (h, w, 3), the same picture at the matte's size, uint8 sRGB.
    """
    size = rgb.shape[1], rgb.shape[0]
    plain = np.clip(cv2.resize(matte, size, interpolation=cv2.INTER_CUBIC), 0, 1)
    about = _band(matte, 2 * RADIUS)
    if not about.any():
        return plain
    guide, plate = cv2.LUT(small, DECODE), cv2.LUT(rgb, DECODE)
    found = functions(guide, matte, about, RADIUS, EPS)
    where = _band(plain, RADIUS)
    there = valued(plate, cv2.resize(found, size, interpolation=cv2.INTER_LINEAR), plain, where)
    coarse = cv2.resize(valued(guide, found, matte, about), size, interpolation=cv2.INTER_CUBIC)
    return np.where(where > 0, np.clip(plain + there - coarse, 0, 1), plain).astype(np.float32)


def _scaled(box: Box, by: tuple[float, float]) -> Box:
    return slice(round(box[0].start * by[0]), round(box[0].stop * by[0])), slice(
        round(box[1].start * by[1]), round(box[1].stop * by[1])
    )


def _band(matte: F32, radius: int) -> U8:
    """What lies within `radius` of the outline, (h, w) uint8."""
    kernel = np.ones((2 * radius + 1, 2 * radius + 1), np.uint8)
    return np.asarray(cv2.morphologyEx((matte > 0.5).astype(np.uint8), cv2.MORPH_GRADIENT, kernel), np.uint8)


def _drawn(full: F32, guide: F32, radius: int, steep: float, share: float) -> F32:
    """A matte with its edges drawn to the picture's, `share` of the way, within `radius` of its outline."""
    # an outline between pixels: blur a little, then steepen about one half
    plain = np.clip((cv2.GaussianBlur(full, (0, 0), 0.6) - 0.5) * 1.4 + 0.5, 0, 1).astype(np.float32)
    if share <= 0:
        return plain
    where = _band(full, radius)
    return guided(guide, plain, where, radius, EPS, steep, share)
