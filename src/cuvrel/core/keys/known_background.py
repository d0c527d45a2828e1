"""How much of a pixel is covered where what lies behind it is known.

A soft edge is a mix of two colours in linear light. One of them the clean plate shows in that very pixel, the other
the subject shows a few pixels further in, on from where its light there goes: round things grow brighter or darker
right up to their outline. So the share of each follows (Smith and Blinn, Blue Screen Matting, SIGGRAPH 1996, with a
known backing of any colour and a foreground from a plane through its neighbours). It counts as far as the two colours
are further from each other than the subject's own colours are from that plane.
"""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np

from cuvrel.core.arrays import F32, U8, Single
from cuvrel.core.imaging.colour import DECODE
from cuvrel.core.imaging.region import bounds
from cuvrel.core.imaging.row_kernels import in_rows, kernel

REACH = 3  # pixels on each side of an outline that may be mixed
GRAIN = 0.8  # pixels over which a picture is evened out
VARIED = 16.0  # weight of the spread of the subject's own colours,
FAINT = 1e-3  # and the square of a difference that is as weak as no spread at all
CELL = 4  # pixels for which a change of the place is told together
SEEN = 0.07  # share of the points about one that must be the subject's for its colour to be known


@dataclass(frozen=True)
class Own:
    """How the subject's own colour is found at its outline.

    inside: pixels from the outline within which other light is mixed in. inward: pixels about a point, as a standard
    deviation, from which the colour is taken. even: square pixels of spread that hold its slope back where SEEN of
    the points about are the subject's.
    """

    inside: int
    inward: float
    even: float


ALIKE = Own(1, 2.0, 1e6)  # as the mean of what is close by, which needs the least;
ONWARD = Own(2, 3.0, 1.0)  # as the light goes on, where what lies behind is known as well as from a clean plate


@kernel
def _lacking(
    y0: int,
    y1: int,
    light: F32,
    behind: F32,
    matte: F32,
    edge: U8,
    inside: U8,
    weights: F32,
    even: Single,
    known: F32,
    cells: F32,
    out: F32,
) -> None:
    radius = len(weights) // 2
    h, w = matte.shape
    told = len(cells) > 0
    drift, astray, sure = np.zeros(3, np.float32), np.float32(FAINT), np.float32(1)
    whole, across, down = np.empty((3, 3), np.float32)
    for y in range(y0, y1):
        for x in range(w):
            if not edge[y, x]:
                continue
            if told:
                cell = cells[min(y // CELL, len(cells) - 1), min(x // CELL, cells.shape[1] - 1)]
                drift[:], astray, sure = cell[:3], cell[3] + np.float32(FAINT), cell[4] * known[y, x]
                if sure <= 0:
                    continue
            # sums of the own light about the point, and of it times dx and dy; every second pixel tells enough
            total, square, sx, sy = np.float32(0), np.float32(0), np.float32(0), np.float32(0)
            sxx, sxy, syy = np.float32(0), np.float32(0), np.float32(0)
            whole[:], across[:], down[:] = 0, 0, 0
            for v in range(max(0, y - radius), min(h, y + radius + 1)):
                first = max(0, x - radius)
                for u in range(first + (first + v) % 2, min(w, x + radius + 1), 2):
                    if inside[v, u]:
                        weight = weights[v - y + radius] * weights[u - x + radius]
                        dx, dy = np.float32(u - x), np.float32(v - y)
                        total += weight
                        sx += weight * dx
                        sy += weight * dy
                        sxx += weight * dx * dx
                        sxy += weight * dx * dy
                        syy += weight * dy * dy
                        for k in range(3):
                            much = weight * light[v, u, k]
                            whole[k] += much
                            across[k] += much * dx
                            down[k] += much * dy
                            square += much * light[v, u, k]
            if total <= 0:
                continue
            enough = 2 * total / np.float32(SEEN)
            # the plane of least squares through it, told at the point
            mx, my = sx / total, sy / total
            held = even / enough
            xx, xy, yy = sxx / total - mx * mx + held, sxy / total - mx * my, syy / total - my * my + held
            scale = 1 / (xx * yy - xy * xy)
            varied, far, mixed = square / total, np.float32(0), np.float32(0)
            for k in range(3):
                mean = whole[k] / total
                px, py = across[k] / total - mean * mx, down[k] / total - mean * my
                gx, gy = (yy * px - xy * py) * scale, (xx * py - xy * px) * scale
                varied -= mean * mean + gx * px + gy * py
                # what goes on as it does may not turn a colour over
                own = mean + min(max(-gx * mx - gy * my, -mean), mean)
                back = behind[y, x, k] + drift[k]
                far += (own - back) * (own - back)
                mixed += (light[y, x, k] - back) * (own - back)
            share = min(max(mixed / (far + np.float32(1e-6)), np.float32(0)), np.float32(1))
            apart = far / (far + np.float32(VARIED) * max(varied, np.float32(0)) + astray)
            out[y, x] = sure * apart * min(enough, np.float32(1)) * (share - matte[y, x])


def lights(rgb: U8) -> F32:
    """A picture's amounts of light, (h, w, 3) float32, evened out by the grain."""
    return cv2.GaussianBlur(cv2.LUT(rgb, DECODE), (0, 0), GRAIN)


def covered(rgb: U8, clean: U8, matte: F32) -> F32:
    """A matte whose soft edges are computed from the background behind them.

    Parameters
    ----------
    rgb, clean
        (H, W, 3) uint8 sRGB: the frame and its clean plate, in one light and one position.
    matte
        (H, W) float32, 0 to 1; its outline is at most a pixel or two astray.

    Returns
    -------
    F32
        (H, W), 0 to 1; away from the outline it is the matte.
    """
    box = bounds(matte > 0.5, 8 * REACH)
    if box is None:
        return matte
    out = matte.copy()
    part = np.ascontiguousarray(matte[box])
    out[box] += lacking(lights(rgb[box]), lights(clean[box]), part, ONWARD, shared=True)
    return out


def lacking(
    light: F32,
    behind: F32,
    matte: F32,
    own: Own = ALIKE,
    known: F32 | None = None,
    cells: F32 | None = None,
    shared: bool = False,
) -> F32:
    """What to add to a matte at its soft edges, where the background behind them is known.

    Parameters
    ----------
    light, behind
        (h, w, 3) float32: linear light of the frame and of the background, evened out.
    matte
        (h, w) float32, 0 to 1.
    own
        How the subject's own colour is found.
    known
        (h, w) float32, 0 to 1: how far the background is known. None: everywhere.
    cells
        (h', w', 5) float32, one for CELL by CELL pixels: how the background's light has changed (3), the square of a
        difference that means nothing, and how far both are known. None: it has not changed.
    shared
        Whether the rows are shared out among cores.

    Returns
    -------
    F32
        (h, w), -1 to 1.

    References
    ----------
    Smith and Blinn, Blue Screen Matting, SIGGRAPH 1996, for a known backing and a known foreground colour.
    """
    hard = (matte > 0.5).astype(np.uint8)
    # well inside there is no other light in it
    inside = cv2.erode(hard, _disc(own.inside))
    edge = cv2.morphologyEx(hard, cv2.MORPH_GRADIENT, _disc(REACH))
    weights = cv2.getGaussianKernel(2 * round(2.5 * own.inward) + 1, own.inward, cv2.CV_32F).ravel()
    out = np.zeros(matte.shape, np.float32)
    told = np.empty((0, 0), np.float32) if known is None else known
    changed = np.empty((0, 0, 5), np.float32) if cells is None else cells
    given = light, behind, matte, edge, inside, weights, np.float32(own.even), told, changed, out
    if shared:
        in_rows(_lacking, len(out), *given)
    else:
        _lacking(0, len(out), *given)
    return out


def _disc(radius: int) -> U8:
    side = 2 * radius + 1
    return np.asarray(cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (side, side)), np.uint8)
