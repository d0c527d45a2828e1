"""Grade: exposure, contrast, temperature, tint, saturation."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

from cuvrel.core.media.rows import in_rows, kernel
from cuvrel.core.recipe.context import Context
from cuvrel.core.recipe.declared import Params, declare, number
from cuvrel.core.recipe.values import Scalar

F32 = NDArray[np.float32]


class GradeParams(Params):
    """The defaults change nothing."""

    exposure: Scalar = number(
        0.0, "Exposure", -6, 6, step=0.05, unit="stops", neutral=0, hint="doubles the light per stop"
    )
    contrast: Scalar = number(0.0, "Contrast", -100, 100, step=1, unit="%", neutral=0, hint="about middle grey")
    temperature: Scalar = number(0.0, "Temperature", -100, 100, step=1, neutral=0, hint="cooler below 0, warmer above")
    tint: Scalar = number(0.0, "Tint", -100, 100, step=1, neutral=0, hint="greener below 0, more magenta above")
    saturation: Scalar = number(100.0, "Saturation", 0, 300, step=1, unit="%", neutral=100, hint="0 is grey")


@kernel
def _grade(y0, y1, picture, red, green, blue, power, saturation, out):  # type: ignore[no-untyped-def]
    pivot = np.float32(0.18)
    for y in range(y0, y1):
        for x in range(picture.shape[1]):
            a = picture[y, x, 3]
            r, g, b = picture[y, x, 0] * red, picture[y, x, 1] * green, picture[y, x, 2] * blue
            if power != 1.0:
                # v -> pivot * (v / pivot) ^ power on straight colour, written for premultiplied values
                base = pivot * max(a, np.float32(1e-5))
                r = base * (max(r, np.float32(0.0)) / base) ** power
                g = base * (max(g, np.float32(0.0)) / base) ** power
                b = base * (max(b, np.float32(0.0)) / base) ** power
            grey = np.float32(0.2126) * r + np.float32(0.7152) * g + np.float32(0.0722) * b
            out[y, x, 0] = max(grey + (r - grey) * saturation, np.float32(0.0))
            out[y, x, 1] = max(grey + (g - grey) * saturation, np.float32(0.0))
            out[y, x, 2] = max(grey + (b - grey) * saturation, np.float32(0.0))
            out[y, x, 3] = a


@declare("treatment", "grade", "Grade", GradeParams, hint="exposure, contrast, temperature, saturation", group="Colour")
def grade(picture: F32, values: dict[str, Any], context: Context) -> F32:
    """A graded picture, (H, W, 4) float32 premultiplied linear RGBA.

    Exposure is a gain of 2^stops. Contrast is a power about 18 % grey, 2^(c/100). Temperature and tint
    are gains that keep the luminance (ITU-R BT.709 weights) of grey. Saturation mixes with luminance.
    """
    warm, tint = float(values["temperature"]) / 100, float(values["tint"]) / 100
    gains = np.array([2 ** (0.45 * warm + 0.15 * tint), 2 ** (-0.3 * tint), 2 ** (-0.45 * warm + 0.15 * tint)])
    gains /= float(gains @ (0.2126, 0.7152, 0.0722))
    gains *= 2.0 ** float(values["exposure"])
    out = np.empty_like(picture)
    in_rows(
        _grade,
        picture.shape[0],
        picture,
        *(np.float32(g) for g in gains),
        np.float32(2.0 ** (float(values["contrast"]) / 100)),
        np.float32(float(values["saturation"]) / 100),
        out,
    )
    return out
