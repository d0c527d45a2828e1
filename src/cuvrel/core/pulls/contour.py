"""Contour: edges in the picture as a matte of lines."""

from __future__ import annotations

from itertools import pairwise
from typing import Any

import cv2
import numpy as np

from cuvrel.core.arrays import F32, I16, I32, U8, Mask, Single
from cuvrel.core.imaging.row_kernels import CORES, at_once, in_rows, kernel
from cuvrel.core.keys.luma_key import blurred
from cuvrel.core.recipe.context import Context
from cuvrel.core.recipe.declared import Params, declare, number, switch
from cuvrel.core.recipe.values import Scalar, Switch


class ContourParams(Params):
    """Clear edges as thin lines."""

    strength: Scalar = number(0.35, "Strength", 0.02, 1, hint="how clear an edge must be; less finds more")
    width: Scalar = number(2.0, "Width", 0.5, 60, step=0.5, unit="px")
    length: Scalar = number(30.0, "Clean-up", 0, 500, step=1, unit="px", hint="lines shorter than this are left out")
    blur: Scalar = number(1.5, "Blur before", 0, 40, step=0.5, unit="px", hint="hides grain and fine texture")
    colour: Switch = switch(True, "Colour counts", hint="edges between colours of one brightness, too", animatable=True)
    thin: Switch = switch(
        True, "Thin", hint="one line an edge; otherwise the edge's own steepness is drawn", animatable=True
    )


@kernel
def _steepest(y0: int, y1: int, slopes: I16) -> None:
    """Puts the slope of the steepest plane into the first; slopes: along x and y, of each plane."""
    for k in range(1, slopes.shape[1]):
        for y in range(y0, y1):
            for x in range(slopes.shape[3]):
                bx, by = np.int32(slopes[0, 0, y, x]), np.int32(slopes[1, 0, y, x])
                sx, sy = np.int32(slopes[0, k, y, x]), np.int32(slopes[1, k, y, x])
                more = sx * sx + sy * sy > bx * bx + by * by
                slopes[0, 0, y, x] = sx if more else bx
                slopes[1, 0, y, x] = sy if more else by


@declare("pull", "contour", "Contour", ContourParams, hint="edges in the picture as lines")
def contour(rgb: U8, values: dict[str, Any], context: Context) -> F32:
    """Coverage by the picture's edges.

    Parameters
    ----------
    rgb
        (H, W, 3) uint8 sRGB.
    values
        The pull's values at this frame.
    context
        Gives the scale, by which line widths go.

    Returns
    -------
    F32
        (H, W), 0 to 1.

    References ---------- Canny, A Computational Approach to Edge Detection, TPAMI 1986: the steepest channel's gradient
    (Scharr), thinned to its crests, with hysteresis at 40 % of the strength.
    """
    gx, gy = _slopes(blurred(rgb, max(0.6, float(values["blur"]) * context.scale)), bool(values["colour"]))
    # half a picture's range over a pixel is a full step; a blur of twice the size halves the slope
    full = 16 * 255 * 0.5 / max(1.0, 1.2 * float(values["blur"]) * context.scale)
    limit = float(values["strength"]) * full
    if not values["thin"]:
        much = np.square(gx, dtype=np.float32) + np.square(gy, dtype=np.float32)
        return np.minimum(much * np.float32(1 / limit**2), 1)
    lines = cv2.Canny(gx, gy, 0.4 * limit, limit, L2gradient=True)
    least = float(values["length"]) * context.scale
    _, labels, stats, _ = cv2.connectedComponentsWithStats(lines, connectivity=8)
    keep = stats[:, cv2.CC_STAT_AREA] >= least
    keep[0] = False
    if not keep.any():
        return np.zeros(rgb.shape[:2], np.float32)
    empty = np.empty(rgb.shape[:2], np.uint8)
    in_rows(_empty, len(rgb), labels, keep, empty)
    return _thick(empty, float(values["width"]) * context.scale / 2)


def _slopes(picture: U8, colour: bool) -> I16:
    """The steepest channel's slopes along x and y, or the luma's, (2, h, w)."""
    planes = cv2.split(picture) if colour else [cv2.cvtColor(picture, cv2.COLOR_RGB2GRAY)]
    slopes = np.empty((2, len(planes), *picture.shape[:2]), np.int16)

    def along(way: int) -> None:
        for k, plane in enumerate(planes):
            cv2.Scharr(plane, cv2.CV_16S, 1 - way, way, slopes[way, k])

    at_once(lambda: along(0), lambda: along(1))
    in_rows(_steepest, len(picture), slopes)
    return slopes[:, 0]


def _thick(empty: U8, half: float) -> F32:
    """Lines, which are 0 in `empty`, as coverage. half: of their width, in pixels."""
    out = np.zeros(empty.shape, np.float32)
    reach = int(half) + 2  # what is further from a line does not see it
    rows = np.flatnonzero(empty.min(axis=1) == 0)
    edges = np.linspace(max(0, rows[0] - reach), min(len(empty), rows[-1] + 1 + reach), CORES + 1).astype(int)

    def drawn(first: int, last: int) -> None:
        top = max(0, first - reach)
        distance = cv2.distanceTransform(empty[top : last + reach], cv2.DIST_L2, 5)
        _drawn(distance[first - top : last - top], np.float32(half), out[first:last])

    at_once(*(lambda band=band: drawn(*band) for band in pairwise(edges)))
    return out


@kernel
def _empty(y0: int, y1: int, labels: I32, keep: Mask, out: U8) -> None:
    for y in range(y0, y1):
        for x in range(out.shape[1]):
            out[y, x] = 0 if keep[labels[y, x]] else 1


@kernel
def _drawn(distance: F32, half: Single, out: F32) -> None:
    zero, one = np.float32(0), np.float32(1)
    most = min(one, half + half)
    for y in range(out.shape[0]):
        for x in range(out.shape[1]):
            out[y, x] = min(max(half + np.float32(0.5) - distance[y, x], zero), one) * most
