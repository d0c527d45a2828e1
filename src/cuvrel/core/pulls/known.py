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
from cuvrel.core.media.rows import kernel

F32 = NDArray[np.float32]
U8 = NDArray[np.uint8]
REACH = 3  # pixels on each side of an outline that may be mixed
INWARD = 2.0  # pixels about a point, as a standard deviation, from which the subject's colour is taken
GRAIN = 0.8  # pixels over which a picture is evened out
VARIED = 16.0  # weight of the spread of the subject's own colours,
FAINT = 1e-3  # and the square of a difference that is as weak as no spread at all
CELL = 4  # pixels for which a change of the place is told together
SEEN = 0.07  # share of the points about one that must be the subject's for its colour to be known


@kernel
def _lacking(light, behind, matte, edge, inside, weights, known, cells, out):  # type: ignore[no-untyped-def]
    radius = len(weights) // 2
    h, w = matte.shape
    told = len(cells) > 0
    drift, astray, sure = np.zeros(3, np.float32), np.float32(FAINT), np.float32(1)
    for y in range(h):
        for x in range(w):
            if not edge[y, x]:
                continue
            if told:
                cell = cells[min(y // CELL, len(cells) - 1), min(x // CELL, cells.shape[1] - 1)]
                drift[:], astray, sure = cell[:3], cell[3] + np.float32(FAINT), cell[4] * known[y, x]
                if sure <= 0:
                    continue
            # the subject's own colour about the point, and how much it varies; every second pixel tells enough
            total, square = np.float32(0), np.float32(0)
            red, green, blue = np.float32(0), np.float32(0), np.float32(0)
            for v in range(max(0, y - radius), min(h, y + radius + 1)):
                down = weights[v - y + radius]
                first = max(0, x - radius)
                for u in range(first + (first + v) % 2, min(w, x + radius + 1), 2):
                    if inside[v, u]:
                        weight = down * weights[u - x + radius]
                        r, g, b = light[v, u, 0], light[v, u, 1], light[v, u, 2]
                        total += weight
                        red += weight * r
                        green += weight * g
                        blue += weight * b
                        square += weight * (r * r + g * g + b * b)
            if total <= 0:
                continue
            red, green, blue = red / total, green / total, blue / total
            varied = max(square / total - red * red - green * green - blue * blue, np.float32(0))
            b0, b1, b2 = behind[y, x, 0] + drift[0], behind[y, x, 1] + drift[1], behind[y, x, 2] + drift[2]
            a0, a1, a2 = red - b0, green - b1, blue - b2
            far = a0 * a0 + a1 * a1 + a2 * a2
            mixed = (light[y, x, 0] - b0) * a0 + (light[y, x, 1] - b1) * a1 + (light[y, x, 2] - b2) * a2
            share = min(max(mixed / (far + np.float32(1e-6)), np.float32(0)), np.float32(1))
            apart = far / (far + np.float32(VARIED) * varied + astray)
            enough = min(2 * total / np.float32(SEEN), np.float32(1))
            out[y, x] = sure * apart * enough * (share - matte[y, x])


def lights(rgb: U8) -> F32:
    """A picture's amounts of light, (h, w, 3) float32, evened out by the grain."""
    return cv2.GaussianBlur(cv2.LUT(rgb, DECODE), (0, 0), GRAIN)


def covered(rgb: U8, clean: U8, matte: F32) -> F32:
    """A matte with its edges by what lies behind them, (H, W) float32, 0 to 1; far from its outline it stays.

    rgb, clean: (H, W, 3) uint8 sRGB, of one light and one place. matte: (H, W) float32, its outline a pixel or two
    astray at the most.
    """
    box = bounds(matte > 0.5, 8 * REACH)
    if box is None:
        return matte
    out = matte.copy()
    out[box] += lacking(lights(rgb[box]), lights(clean[box]), np.ascontiguousarray(matte[box]))
    return out


def lacking(light: F32, behind: F32, matte: F32, known: F32 | None = None, cells: F32 | None = None) -> F32:
    """What a matte lacks at its edges by what lies behind them, (h, w) float32, -1 to 1.

    light, behind: (h, w, 3) float32, amounts of light here and of the place without the subject, evened out.
    matte: (h, w) float32. known: how far it is known what lies behind, (h, w), 0 to 1. cells: for each CELL pixels
    how the place has changed, (h', w', 5) float32: three of light, the square of a difference that means nothing,
    and how far that is known, 0 to 1. Without these two the place is all known and what it was.
    """
    hard = (matte > 0.5).astype(np.uint8)
    # well inside there is no other light in it
    inside = cv2.erode(hard, _disc(1))
    edge = cv2.morphologyEx(hard, cv2.MORPH_GRADIENT, _disc(REACH))
    weights = cv2.getGaussianKernel(2 * round(2.5 * INWARD) + 1, INWARD, cv2.CV_32F).ravel()
    out = np.zeros(matte.shape, np.float32)
    told = np.empty((0, 0), np.float32) if known is None else known
    changed = np.empty((0, 0, 5), np.float32) if cells is None else cells
    _lacking(light, behind, matte, edge, inside, weights, told, changed, out)
    return out


def _disc(radius: int) -> U8:
    side = 2 * radius + 1
    return np.asarray(cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (side, side)), np.uint8)
