"""Vignette: the picture darkens, or takes a colour, towards its corners."""

from __future__ import annotations

from typing import Any

import numpy as np

from cuvrel.core.arrays import F32, Single
from cuvrel.core.imaging.colour import srgb_to_linear
from cuvrel.core.imaging.row_kernels import in_rows, kernel
from cuvrel.core.recipe.context import Context
from cuvrel.core.recipe.declared import Params, colour, declare, number, point
from cuvrel.core.recipe.values import Colour, Point, Scalar


class VignetteParams(Params):
    """Corners that are plainly darker."""

    amount: Scalar = number(70.0, "Amount", 0, 100, step=1, unit="%", neutral=0)
    middle: Scalar = number(45.0, "Middle", 0, 150, step=1, unit="%", hint="of the way to the corner that is spared")
    soft: Scalar = number(60.0, "Softness", 1, 150, step=1, unit="%", hint="over which it sets in")
    round: Scalar = number(0.5, "Roundness", 0, 1, hint="0 follows the frame, 1 is a circle")
    centre: Point = point((0.0, 0.0), "Centre")
    colour: Colour = colour((0.0, 0.0, 0.0), "Colour")


@kernel
def _edged(
    y0: int,
    y1: int,
    picture: F32,
    cx: Single,
    cy: Single,
    rx: Single,
    ry: Single,
    middle: Single,
    soft: Single,
    amount: Single,
    tone: F32,
    out: F32,
) -> None:
    zero, one = np.float32(0.0), np.float32(1.0)
    for y in range(y0, y1):
        dy = (np.float32(y) + np.float32(0.5) - cy) * ry
        for x in range(picture.shape[1]):
            dx = (np.float32(x) + np.float32(0.5) - cx) * rx
            far = np.sqrt(dx * dx + dy * dy)
            t = min(max((far - middle) / soft, zero), one)
            m = amount * t * t * (np.float32(3.0) - np.float32(2.0) * t)
            a = picture[y, x, 3]
            for k in range(3):
                out[y, x, k] = picture[y, x, k] * (one - m) + tone[k] * a * m
            out[y, x, 3] = a


@declare(
    "treatment", "vignette", "Vignette", VignetteParams, hint="darker, or of a colour, towards the corners",
    group="Light", rests=lambda values: float(values["amount"]) == 0,
)  # fmt: skip
def vignette(picture: F32, values: dict[str, Any], context: Context) -> F32:
    """The picture with darkened corners, (H, W, 4) float32 premultiplied linear RGBA.

    Distances from the centre are counted so that the corners of the picture lie at 1, along an ellipse of the
    picture's proportions, a circle, or between the two.
    """
    h, w = picture.shape[:2]
    x, y = values["centre"]
    half = np.array([w, h], np.float64) / 2
    even = np.hypot(*half) / np.sqrt(2)
    # the ellipse through the corners has half-axes of sqrt(2) half sides; the circle the half diagonal
    axes = np.sqrt(2) * half ** (1 - float(values["round"])) * even ** float(values["round"])
    out = np.empty_like(picture)
    numbers = (
        w / 2 + x * context.scale, h / 2 + y * context.scale, 1 / axes[0], 1 / axes[1],
        float(values["middle"]) / 100, float(values["soft"]) / 100, float(values["amount"]) / 100,
    )  # fmt: skip
    in_rows(_edged, h, picture, *(np.float32(n) for n in numbers), srgb_to_linear(np.asarray(values["colour"])), out)
    return out
