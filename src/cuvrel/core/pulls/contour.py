"""Contour: edges in the picture as a matte of lines."""

from __future__ import annotations

from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from cuvrel.core.pulls.context import PullContext
from cuvrel.core.pulls.luma_key import blurred
from cuvrel.core.recipe.declared import Params, declare, number, switch
from cuvrel.core.recipe.values import Scalar

F32 = NDArray[np.float32]
U8 = NDArray[np.uint8]


class ContourParams(Params):
    """Clear edges as thin lines."""

    strength: Scalar = number(0.35, "Strength", 0.02, 1, hint="how clear an edge must be; less finds more")
    width: Scalar = number(2.0, "Width", 0.5, 60, step=0.5, unit="px")
    length: Scalar = number(30.0, "Clean-up", 0, 500, step=1, unit="px", hint="lines shorter than this are left out")
    blur: Scalar = number(1.5, "Blur before", 0, 40, step=0.5, unit="px", hint="hides grain and fine texture")
    colour: bool = switch(True, "Colour counts", hint="edges between colours of one brightness, too")
    thin: bool = switch(True, "Thin", hint="one line an edge; otherwise the edge's own steepness is drawn")


@declare("pull", "contour", "Contour", ContourParams, hint="edges in the picture as lines")
def contour(rgb: U8, values: dict[str, Any], context: PullContext) -> F32:
    """Coverage by edges, (H, W) float32, 0 to 1.

    The steepest channel's gradient (Scharr) is thinned to its crests and kept where it is strong, or hangs
    together with what is strong (Canny, TPAMI 1986: hysteresis at 40 % of the strength). rgb: (H, W, 3)
    uint8 sRGB.
    """
    picture = blurred(rgb, max(0.6, float(values["blur"]) * context.scale))
    planes = cv2.split(picture) if values["colour"] else [cv2.cvtColor(picture, cv2.COLOR_RGB2GRAY)]
    slopes = [(cv2.Scharr(p, cv2.CV_32F, 1, 0), cv2.Scharr(p, cv2.CV_32F, 0, 1)) for p in planes]
    steep = np.stack([cv2.magnitude(gx, gy) for gx, gy in slopes])
    best = steep.argmax(axis=0)
    # half a picture's range over a pixel is a full step; a blur of twice the size halves the slope
    full = 16 * 255 * 0.5 / max(1.0, 1.2 * float(values["blur"]) * context.scale)
    limit = float(values["strength"]) * full
    if not values["thin"]:
        return np.asarray(np.clip(steep.max(axis=0) / limit, 0, 1) ** 2, np.float32)
    gx = np.take_along_axis(np.stack([g[0] for g in slopes]), best[None], 0)[0]
    gy = np.take_along_axis(np.stack([g[1] for g in slopes]), best[None], 0)[0]
    room = 32767 / max(1.0, float(np.abs([gx, gy]).max()))
    room = min(1.0, room)
    lines = cv2.Canny(
        (gx * room).astype(np.int16), (gy * room).astype(np.int16), 0.4 * limit * room, limit * room, True
    )
    least = float(values["length"]) * context.scale
    if least > 1:
        count, labels, stats, _ = cv2.connectedComponentsWithStats(lines, connectivity=8)
        keep = stats[:, cv2.CC_STAT_AREA] >= least
        keep[0] = False
        lines = np.where(keep[labels], np.uint8(255), np.uint8(0)) if count > 1 else lines
    if not lines.any():
        return np.zeros(rgb.shape[:2], np.float32)
    apart = cv2.distanceTransform((lines == 0).astype(np.uint8), cv2.DIST_L2, 5)
    half = float(values["width"]) * context.scale / 2
    return np.asarray(np.clip(half + 0.5 - apart, 0, 1) * min(1.0, 2 * half), np.float32)
