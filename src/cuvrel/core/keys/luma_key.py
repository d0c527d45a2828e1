"""Luma key: coverage by brightness."""

from __future__ import annotations

from typing import Any

import cv2
import numpy as np

from cuvrel.core.arrays import F32, U8, Single
from cuvrel.core.imaging.row_kernels import in_rows, kernel
from cuvrel.core.keys.ramps import steep, within
from cuvrel.core.recipe.context import Context
from cuvrel.core.recipe.declared import Params, declare, number
from cuvrel.core.recipe.values import Scalar


class LumaKeyParams(Params):
    """The bright parts of a picture."""

    low: Scalar = number(0.6, "Black point", 0, 1, hint="what is darker is left out")
    high: Scalar = number(1.0, "White point", 0, 1, hint="what is brighter is left out")
    soft_low: Scalar = number(0.1, "Softness below", 0, 1)
    soft_high: Scalar = number(0.0, "Softness above", 0, 1)
    blur: Scalar = number(
        0.0, "Blur before", 0, 40, step=0.5, unit="px", hint="takes grain out of what is measured", animatable=False
    )


@kernel
def _key(
    y0: int,
    y1: int,
    rgb: U8,
    low: Single,
    high: Single,
    steep_low: Single,
    steep_high: Single,
    out: F32,
) -> None:
    scale = np.float32(1 / 255)
    for y in range(y0, y1):
        for x in range(rgb.shape[1]):
            luma = (
                np.float32(0.2126) * rgb[y, x, 0]
                + np.float32(0.7152) * rgb[y, x, 1]
                + np.float32(0.0722) * rgb[y, x, 2]
            ) * scale
            out[y, x] = within(luma, low, high, steep_low, steep_high)


@declare("pull", "luma_key", "Luma key", LumaKeyParams, hint="by brightness, between two points with softness")
def luma_key(rgb: U8, values: dict[str, Any], context: Context) -> F32:
    """Coverage by luma (ITU-R BT.709 weights on display-encoded values), (H, W) float32, 0 to 1.

    rgb: (H, W, 3) uint8 sRGB. A white point below the black point leaves nothing.
    """
    rgb = blurred(rgb, float(values["blur"]) * context.scale)
    out = np.empty(rgb.shape[:2], np.float32)
    if values["high"] < values["low"]:
        out[:] = 0
        return out
    in_rows(_key, rgb.shape[0], rgb, np.float32(values["low"]), np.float32(values["high"]),
            steep(values["soft_low"]), steep(values["soft_high"]), out)  # fmt: skip
    return out


def blurred(rgb: U8, sigma: float) -> U8:
    """The picture after a Gaussian blur of `sigma` pixels; itself where that is less than a tenth."""
    return rgb if sigma < 0.1 else np.asarray(cv2.GaussianBlur(rgb, (0, 0), sigma), np.uint8)
