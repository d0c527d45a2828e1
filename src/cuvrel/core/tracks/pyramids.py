"""What tracking looks at: grey pyramids of a frame, freed of light that changes slowly across the picture.

Places here are counted from the middle of the top left pixel: a plate pixel's place minus a half.
"""

from __future__ import annotations

from collections import OrderedDict
from collections.abc import Callable
from dataclasses import dataclass

import cv2
import numpy as np

from cuvrel.core.arrays import F32, F64, U8
from cuvrel.core.imaging.row_kernels import in_rows, kernel

Read = Callable[[int], U8]
Cover = Callable[[int], F32 | None]
LEVELS = 5
REACH = (31, 31)  # pixels of a level over which light is taken as even
FILL = (61, 61)  # pixels about a left-out one that it is filled from
FAINT = 0.025  # of white: contrast below it is not raised to full


@dataclass(frozen=True)
class Level:
    """A frame at half the size of the level before. even: contrast alone. allowed: where it may be looked at."""

    even: F32
    allowed: F32 | None


@dataclass(frozen=True)
class Scene:
    """A frame: as 8-bit grey, and its levels, the finest first. without: what is not looked at, (H, W), 0 to 1."""

    grey: U8
    levels: tuple[Level, ...]
    without: F32 | None = None


def evened(grey: F32, kept: F32 | None = None) -> F32:
    """Grey without its local mean, over its local contrast, (H, W) float32 of deviation about 1.

    So light that grows brighter or dims over a surface leaves it as it was. kept: what counts, 0 to 1.
    """
    if kept is None:
        mean, power = cv2.blur(grey, REACH), cv2.sqrBoxFilter(grey, cv2.CV_32F, REACH)
    else:
        share = np.maximum(cv2.blur(kept, REACH), np.float32(1e-3))
        mean, power = cv2.blur(grey * kept, REACH) / share, cv2.blur(grey * grey * kept, REACH) / share
    out = np.empty_like(grey)
    in_rows(_evened, len(grey), grey, mean, power, out)
    return out


@kernel
def _evened(y0: int, y1: int, grey: F32, mean: F32, power: F32, out: F32) -> None:
    for y in range(y0, y1):
        for x in range(grey.shape[1]):
            m = mean[y, x]
            spread = np.sqrt(max(power[y, x] - m * m, np.float32(0.0)))
            out[y, x] = (grey[y, x] - m) / (spread + np.float32(FAINT))


def scene(picture: U8, without: F32 | None = None) -> Scene:
    """A frame to be tracked in. picture: (H, W, 3) uint8 sRGB. without: what is not looked at, (H, W) float32."""
    grey = np.asarray(cv2.cvtColor(picture, cv2.COLOR_RGB2GRAY), np.uint8)
    if without is not None:
        grey = _filled(grey, without)
    at = grey.astype(np.float32) / np.float32(255)
    allowed = None if without is None else (without <= 0.1).astype(np.float32)
    levels = []
    for _ in range(LEVELS):
        levels.append(Level(evened(at, allowed), allowed))
        if min(at.shape) < 24:
            break
        if allowed is None:
            at = np.asarray(cv2.pyrDown(at), np.float32)
            continue
        share = np.asarray(cv2.pyrDown(allowed), np.float32)
        at = np.asarray(cv2.pyrDown(at * allowed) / np.maximum(share, np.float32(1e-3)), np.float32)
        # a pixel of a smaller picture may be looked at where nearly all of it may
        allowed = (share > 0.7).astype(np.float32)
    return Scene(grey, tuple(levels), without)


def _filled(grey: U8, without: F32) -> U8:
    """Grey whose left-out pixels are a mean of those about them, so that what they showed has no influence at all."""
    kept = (without <= 0.1).astype(np.float32)
    if kept.all():
        return grey
    light = grey.astype(np.float32) * kept
    near, share = cv2.blur(light, FILL), cv2.blur(kept, FILL)
    mean = float(light.sum()) / max(float(kept.sum()), 1.0)
    fill = np.where(share > 0.01, near / np.maximum(share, 0.01), mean)
    return np.where(kept > 0, grey, np.clip(np.round(fill), 0, 255)).astype(np.uint8)


class Scenes:
    """The frames of a clip as scenes; the last ones are kept. read: a frame, (H, W, 3) uint8 sRGB."""

    def __init__(self, read: Read, without: Cover | None = None, keep: int = 4) -> None:
        self._read, self._without, self._keep = read, without, keep
        self._kept: OrderedDict[int, Scene] = OrderedDict()

    def __call__(self, frame: int) -> Scene:
        """A frame's scene."""
        if frame in self._kept:
            self._kept.move_to_end(frame)
            return self._kept[frame]
        found = scene(self._read(frame), None if self._without is None else self._without(frame))
        self._kept[frame] = found
        while len(self._kept) > self._keep:
            self._kept.popitem(last=False)
        return found


def of_level(level: int) -> F64:
    """From places of the finest level to those of another one, (3, 3), as cv2.pyrDown lays them."""
    share = 0.5**level
    return np.diag([share, share, 1.0])
