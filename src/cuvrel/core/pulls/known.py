"""How much of a pixel is covered where what lies behind it is known.

A soft edge is a mix of two colours in linear light. One of them the clean plate shows in that very pixel, the other
the subject shows a pixel or two further in; so the share of each follows (Smith and Blinn, Blue Screen Matting,
SIGGRAPH 1996, with a known backing of any colour and a foreground taken from its neighbours). It counts as far as
the two colours are further from each other than the subject's own colours are about there.
"""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

from cuvrel.core.media.box import bounds
from cuvrel.core.media.colour import DECODE

F32 = NDArray[np.float32]
U8 = NDArray[np.uint8]
REACH = 3  # pixels on each side of an outline that may be mixed
INWARD = 2.0  # pixels about a point, as a standard deviation, from which the subject's colour is taken
GRAIN = 0.8  # pixels over which a picture is evened out
VARIED = 16.0  # weight of the spread of the subject's own colours,
FAINT = 1e-3  # and the square of a difference that is as weak as no spread at all
SEEN = 0.07  # share of the points about one that must be the subject's for its colour to be known


def covered(rgb: U8, clean: U8, matte: F32) -> F32:
    """A matte with its edges by what lies behind them, (H, W) float32, 0 to 1; far from its outline it stays.

    rgb, clean: (H, W, 3) uint8 sRGB, of one light and one place. matte: (H, W) float32, its outline a pixel or two
    astray at the most.
    """
    box = bounds(matte > 0.5, 8 * REACH)
    if box is None:
        return matte
    light, behind = (cv2.GaussianBlur(cv2.LUT(one[box], DECODE), (0, 0), GRAIN) for one in (rgb, clean))
    out = matte.copy()
    out[box] += change(light, behind, matte[box])
    return out


def change(light: F32, behind: F32, matte: F32, astray: F32 | float = FAINT, known: F32 | float = 1.0) -> F32:
    """What a matte lacks at its edges by what lies behind them, (h, w) float32, -1 to 1.

    light, behind: (h, w, 3) float32, amounts of light here and of the place without the subject, evened out.
    matte: (h, w) float32. astray: the square of a difference that means nothing, (h, w) or for all.
    known: how far it is known what lies behind, (h, w), 0 to 1, or for all.
    """
    hard = (matte > 0.5).astype(np.uint8)
    inside = cv2.erode(hard, _disc(1)).astype(np.float32)[..., None]
    spread = np.square(light).sum(axis=2, keepdims=True)
    moments = cv2.GaussianBlur(np.concatenate([light * inside, spread * inside, inside], axis=2), (0, 0), INWARD)
    weight = moments[..., 4] + np.float32(1e-4)
    subject = moments[..., :3] / weight[..., None]
    varied = np.maximum(moments[..., 3] / weight - np.square(subject).sum(axis=2), 0)
    apart = subject - behind
    far = np.square(apart).sum(axis=2)
    share = np.clip(((light - behind) * apart).sum(axis=2) / (far + np.float32(1e-6)), 0, 1)
    sure = known * far / (far + np.float32(VARIED) * varied + astray) * np.clip(weight / np.float32(SEEN), 0, 1)
    edge = cv2.morphologyEx(hard, cv2.MORPH_GRADIENT, _disc(REACH))
    return np.asarray(edge * sure * (share - matte), np.float32)


def _disc(radius: int) -> U8:
    side = 2 * radius + 1
    return np.asarray(cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (side, side)), np.uint8)
