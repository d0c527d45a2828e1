"""A colour key's ranges fitted to the thing that was sampled: as wide as its outline stays on the picture's edges.

A sample shows a few of a thing's shades. The ranges are widened side by side as long as what hangs
together with the sample ends where the picture has an edge: when a range lets the background in, the
outline runs through plain areas. What remains, signs on a flag and specks elsewhere, is left to the edge
step's fill and drop.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

import cv2
import numpy as np

from cuvrel.core.arrays import U8, Mask
from cuvrel.core.keys.colour_key import to_lch

LONG = 480  # the longer side at which ranges are tried
SIDES = ("hue", "chroma_low", "chroma_high", "light_low", "light_high")
STEPS = {"hue": 6.0, "chroma_low": 0.025, "chroma_high": 0.05, "light_low": 0.035, "light_high": 0.035}
EDGE = 0.04  # change of colour per pixel that is half an edge
HOLDS = 0.05  # the power of the area that counts beside the outline's edges
SOFT = {"hue": 12.0, "chroma": 0.04, "light": 0.04}
TRIES = 9  # the most steps outwards at a time
# highlights are lighter and paler, what lies in the shade is darker and paler
WAYS = (*((side,) for side in SIDES), ("light_high", "chroma_low"), ("light_low", "chroma_low"))


@dataclass(frozen=True)
class Ranges:
    """Half the hue's width in degrees, and the ends of the two other ranges."""

    hue: float
    chroma_low: float
    chroma_high: float
    light_low: float
    light_high: float

    def moved(self, side: str, by: float) -> Ranges:
        """The same with one side further out."""
        sign = -1 if side.endswith("_low") else 1
        most = 180.0 if side == "hue" else 1.0
        return Ranges(**{**self.__dict__, side: float(np.clip(getattr(self, side) + sign * by, 0, most))})


class _View:
    """A picture made ready for trying ranges."""

    def __init__(self, rgb: U8, hue: float) -> None:
        ratio = min(1.0, LONG / max(rgb.shape[:2]))
        size = max(8, round(rgb.shape[1] * ratio)), max(8, round(rgb.shape[0] * ratio))
        small = cv2.resize(rgb, size, interpolation=cv2.INTER_AREA)
        lch = to_lch(cv2.medianBlur(cv2.GaussianBlur(small, (0, 0), 0.7), 3))
        self.light, self.chroma = lch[..., 0], lch[..., 1]
        away = np.abs(lch[..., 2] - np.float32(hue % 360))
        self.away = np.minimum(away, 360 - away)
        turn = np.deg2rad(lch[..., 2])
        # hue counts as much as there is colour
        flat = np.dstack([self.light, self.chroma * np.cos(turn), self.chroma * np.sin(turn)]).astype(np.float32)
        gx, gy = cv2.Scharr(flat, cv2.CV_32F, 1, 0, scale=1 / 32), cv2.Scharr(flat, cv2.CV_32F, 0, 1, scale=1 / 32)
        slope = np.sqrt(np.square(gx).sum(axis=2) + np.square(gy).sum(axis=2))
        # an outline may lie a pixel beside the steepest place
        self.border = np.ones(slope.shape, bool)
        self.border[1:-1, 1:-1] = False
        self.slope = cv2.dilate(slope, np.ones((3, 3), np.uint8))

    def inside(self, at: Ranges) -> Mask:
        """What lies in the ranges, their softness left out."""
        chroma, light = self.chroma, self.light
        return (
            (self.away <= at.hue)
            & (chroma >= at.chroma_low)
            & (chroma <= at.chroma_high)
            & (light >= at.light_low)
            & (light <= at.light_high)
        )


def _of_one_piece(mask: Mask, core: Mask) -> Mask:
    """The parts of a mask that hold some of the core, their holes filled."""
    closed = cv2.morphologyEx(mask.astype(np.uint8), cv2.MORPH_CLOSE, np.ones((3, 3), np.uint8))
    count, labels = cv2.connectedComponents(closed, connectivity=4)
    if count < 2:
        return np.zeros(mask.shape, bool)
    held = np.bincount(labels[core], minlength=count)
    held[0] = 0
    keep = held > 0.02 * core.sum()
    part = keep[labels]
    return part | _holes(part)


def _holes(mask: Mask) -> Mask:
    """What a mask surrounds."""
    outside = np.pad(~mask, 1, constant_values=True).astype(np.uint8)
    _, labels = cv2.connectedComponents(outside, connectivity=4)
    return ((labels != labels[0, 0]) & (outside > 0))[1:-1, 1:-1]


def _worth(view: _View, mask: Mask) -> float:
    """How well an outline lies on edges, and a little for what it holds. Along the picture's border it lies on none."""
    inner = cv2.erode(mask.astype(np.uint8), np.ones((3, 3), np.uint8), borderType=cv2.BORDER_CONSTANT, borderValue=0)
    rim = mask & (inner == 0)
    if rim.sum() < 12:
        return 0.0
    slope = view.slope[rim]
    slope[(view.border & mask)[rim]] = 0
    return float((slope / (slope + EDGE)).mean()) * float(mask.sum()) ** HOLDS


def fitted(rgb: U8, values: dict[str, Any]) -> tuple[dict[str, float], dict[str, float]]:
    """Fits a colour key's ranges to a picture.

    Parameters
    ----------
    rgb
        (H, W, 3) uint8 sRGB.
    values
        The key's values at this frame, as a sample gave them or as they were set.

    Returns ------- ranges Values by the names of the key's parameters; ranges only grow. edge What the matte's edge
    step needs for it: holes to fill, specks to drop. Both are empty where the key finds nothing.
    """
    view = _View(rgb, float(values["hue"]))
    start = Ranges(
        float(values["hue_width"]) / 2,
        *(float(values[name]) for name in ("chroma_low", "chroma_high", "light_low", "light_high")),
    )
    # a sample's ranges are tight, and a key's softness takes the pixels just beyond them half
    near = _out(start, SIDES, 1)
    core = _largest(view.inside(near))
    if core is None:
        return {}, {}

    def worth(at: Ranges) -> float:
        return _worth(view, _of_one_piece(view.inside(at), core))

    def elsewhere(at: Ranges) -> int:
        mask = view.inside(at)
        return int((mask & ~_of_one_piece(mask, core)).sum())

    best = _grown(worth, elsewhere, near)
    found = view.inside(best)
    thing = _of_one_piece(found, core)
    scale = rgb.shape[1] / view.light.shape[1]
    holes, specks = _widest(thing & ~found), _widest(found & ~thing)
    main = float(np.sqrt(thing.sum()))
    edge = {
        "holes": _rounded(1.25 * holes * scale, 400),
        "specks": _rounded(1.25 * min(specks, 0.6 * main) * scale, 400),
    }
    # a key's softness lies outside of its ranges: half of it belongs to what was fitted
    hard = Ranges(*(_inward(start, best, side, SOFT[side.split("_")[0]] / 2) for side in SIDES))
    ranges = {
        "hue_width": round(2 * hard.hue, 1),
        **{name: round(getattr(hard, name), 3) for name in SIDES[1:]},
        **{f"{name}_soft": soft for name, soft in SOFT.items()},
    }
    return ranges, edge


def _inward(start: Ranges, best: Ranges, side: str, by: float) -> float:
    """An end of the best ranges drawn in, but not beyond where it began."""
    if side.endswith("_low"):
        return float(min(getattr(start, side), getattr(best, side) + by))
    return float(max(getattr(start, side), getattr(best, side) - by))


def _largest(mask: Mask) -> Mask | None:
    """The largest piece of a mask that is more than a few pixels."""
    opened = cv2.morphologyEx(mask.astype(np.uint8), cv2.MORPH_OPEN, np.ones((3, 3), np.uint8))
    count, labels, stats, _ = cv2.connectedComponentsWithStats(opened, connectivity=4)
    if count < 2:
        return None
    return np.asarray(labels == 1 + int(np.argmax(stats[1:, cv2.CC_STAT_AREA])))


def _grown(worth: Callable[[Ranges], float], elsewhere: Callable[[Ranges], int], start: Ranges) -> Ranges:
    """Ranges moved out side by side, as far as that makes the outline better, and then as far as it costs nothing.

    elsewhere: how many pixels lie in the ranges that do not belong to the thing.
    """
    best, most = start, worth(start)
    for _ in range(3):
        before = most
        for sides in WAYS:
            here = best
            for step in range(1, TRIES):
                tried = _out(here, sides, step)
                value = worth(tried)
                if value > most * 1.002:
                    best, most = tried, value
        if most <= before:
            break
    # other frames have other shades: ranges lie well between what belongs and what would let others in
    others = elsewhere(best)
    for sides in WAYS[: len(SIDES)]:
        free = 0
        for step in range(1, TRIES):
            tried = _out(best, sides, step)
            if worth(tried) < most * 0.995 or elsewhere(tried) > others * 1.1 + 4:
                break
            free = step
        best = _out(best, sides, 0.6 * free)
    return best


def _out(ranges: Ranges, sides: tuple[str, ...], steps: float) -> Ranges:
    for side in sides:
        ranges = ranges.moved(side, steps * STEPS[side])
    return ranges


def _widest(mask: Mask) -> float:
    """The root of the largest piece's area, in pixels."""
    count, _, stats, _ = cv2.connectedComponentsWithStats(mask.astype(np.uint8), connectivity=8)
    return float(np.sqrt(stats[1:, cv2.CC_STAT_AREA].max())) if count > 1 else 0.0


def _rounded(value: float, most: float) -> float:
    return float(min(most, np.ceil(value)))
