"""Directional blur: along a line, as of something that moved."""

from __future__ import annotations

from typing import Any

import cv2
import numpy as np

from cuvrel.core.arrays import F32
from cuvrel.core.imaging.blur import shifted
from cuvrel.core.recipe.context import Context
from cuvrel.core.recipe.declared import Params, declare, number
from cuvrel.core.recipe.values import Scalar


class DirectionalParams(Params):
    """A blur across that is seen at once."""

    length: Scalar = number(40.0, "Length", 0, 2000, step=1, unit="px", neutral=0, slide=(0, 400))
    direction: Scalar = number(
        0.0, "Direction", -36_000, 36_000, step=1, unit="°", slide=(-180, 180), direction=True
    )  # fmt: skip
    trail: Scalar = number(
        0.0, "To one side", 0, 1, hint="0 blurs to both sides alike, 1 away from the direction alone"
    )


@declare(
    "treatment", "directional", "Directional blur", DirectionalParams, hint="along a line, as of something that moved",
    group="Blur and texture", rests=lambda values: float(values["length"]) == 0,
)  # fmt: skip
def directional(picture: F32, values: dict[str, Any], context: Context) -> F32:
    """The mean of the picture along a line, (H, W, 4) float32 premultiplied linear RGBA; borders hold."""
    length = float(values["length"]) * context.scale
    turn = np.deg2rad(float(values["direction"]))
    dx, dy = length * np.cos(turn), length * np.sin(turn)
    out = shifted(picture, np.array([dx, dy]))
    aside = 0.5 * float(values["trail"])
    if aside == 0:
        return out
    return swept_to(out, -dx * aside, -dy * aside)


def swept_to(picture: F32, dx: float, dy: float) -> F32:
    """The picture moved by parts of pixels, its borders held."""
    way = np.array([[1, 0, dx], [0, 1, dy]], np.float64)
    size = picture.shape[1], picture.shape[0]
    return np.asarray(cv2.warpAffine(picture, way, size, borderMode=cv2.BORDER_REPLICATE), np.float32)
