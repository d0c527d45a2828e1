"""How like what a first look found a place is, by its colour: what a second look weighs beside the difference.

A dark sleeve before a dark wall differs little from its clean plate, yet it has the coat's colour and not the wall's.
And at an outline the light is a mix of the place's, which the clean plate shows, and of the subject's close by.
"""

from __future__ import annotations

import cv2
import numpy as np

from cuvrel.core.arrays import F32, U8
from cuvrel.core.imaging.row_kernels import at_once, in_rows, kernel
from cuvrel.core.keys.known_background import lights
from cuvrel.core.trace.colour_model import ColourMemory, to_lab

CELL = 40  # cells of the picture, at half of its size, within which colours are told apart by place, too
SURE = 0.6  # how likely a place must be to tell of the subject's colours
CLOSE, ABOUT = 4.0, 14.0  # pixels about a place, at half of the size, from which the subject's light is taken,
LESS = 0.03  # and how much less what is further off counts
VARIED = 4.0  # weight of the spread of the subject's own light against its difference from the place's,
FAINT = 0.01  # and of both lights
WHOLE, HALF = 1, 3  # planes of the pictures' size, and of half of it


def likeness(rgb: U8, clean: U8, found: F32) -> tuple[list[F32], list[F32]]:
    """Planes of about -1 to 1: WHOLE of (2 h, 2 w) and HALF of (h, w) float32.

    The first is the share of the subject's light in a place's, of half size are how far that can be trusted, and the
    log odds of its colour to be the subject's, there and anywhere. rgb, clean: (2 h, 2 w, 3) uint8 sRGB, of one light
    and one place. found: how likely each place is by a first look, (h, w) float32, 0 to 1.
    """
    sure = np.clip((cv2.erode(found, np.ones((3, 3), np.uint8)) - np.float32(SURE)) * np.float32(1 / (1 - SURE)), 0, 1)
    (share, trust), (close, anywhere) = at_once(
        lambda: _shares(lights(rgb), lights(clean), sure), lambda: _colours(rgb, clean, found, sure)
    )
    return [share], [trust, close, anywhere]


def _colours(rgb: U8, clean: U8, found: F32, sure: F32) -> tuple[F32, F32]:
    h, w = found.shape
    now, was = (to_lab(cv2.resize(picture, (w, h), interpolation=cv2.INTER_AREA)) for picture in (rgb, clean))
    # the place before, wherever it is seen or hidden close by
    free = np.clip(np.float32(1) - found * 2, 0, 1)
    hidden = cv2.dilate((found > 0.3).astype(np.float32), np.ones((9, 9), np.uint8))
    everywhere = np.full((h, w), 255, np.uint8)
    out = []
    for cells in (max(1, round(max(h, w) / CELL)), 0):
        memory = ColourMemory((h, w), cells, reach=2)
        memory.add(now, sure, free)
        memory.add(was, np.zeros_like(sure), hidden)
        odds, trust = memory.odds(now, everywhere, 1.0)
        out.append(np.asarray(np.tanh(odds * trust / 3), np.float32))
    return out[0], out[1]


@kernel
def _shared(y0: int, y1: int, light: F32, behind: F32, own: F32, varied: F32, share: F32, trust: F32) -> None:
    for y in range(y0, y1):
        for x in range(share.shape[1]):
            far, mixed, both = np.float32(0), np.float32(0), np.float32(1e-6)
            for k in range(3):
                gap = own[y, x, k] - behind[y, x, k]
                far += gap * gap
                both += own[y, x, k] * own[y, x, k] + behind[y, x, k] * behind[y, x, k]
                mixed += (light[y, x, k] - behind[y, x, k]) * gap
            share[y, x] = min(max(2 * mixed / (far + np.float32(1e-6)) - 1, np.float32(-1)), np.float32(1))
            trust[y, x] = far / (far + np.float32(VARIED) * varied[y, x] + np.float32(FAINT) * both)


def _shares(light: F32, behind: F32, sure: F32) -> tuple[F32, F32]:
    h, w = sure.shape
    small = cv2.resize(light, (w, h), interpolation=cv2.INTER_AREA)
    moments = np.dstack([small, np.square(small).sum(axis=2), np.ones((h, w), np.float32)]) * sure[..., None]
    near, wide = cv2.GaussianBlur(moments, (0, 0), CLOSE), round(2 * ABOUT) | 1
    near += np.float32(LESS) * cv2.blur(cv2.blur(moments, (wide, wide)), (wide, wide))
    total = near[..., 4]
    near /= np.maximum(total, np.float32(1e-5))[..., None]
    varied = np.maximum(near[..., 3] - np.square(near[..., :3]).sum(axis=2), 0)
    size = light.shape[1], light.shape[0]
    own, spread = cv2.resize(near[..., :3], size), cv2.resize(varied, size)
    share, trust = np.empty((2, *light.shape[:2]), np.float32)
    in_rows(_shared, len(share), light, behind, own, spread, share, trust)
    trust = cv2.resize(trust, (w, h), interpolation=cv2.INTER_AREA) * np.minimum(total * 100, 1) * 2 - 1
    return share, trust
