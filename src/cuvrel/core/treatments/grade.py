"""Grade: exposure, contrast, temperature, tint, saturation, hue; shadows, mid-tones and highlights apart."""

from __future__ import annotations

from typing import Any

import numpy as np

from cuvrel.core.arrays import F32, F64
from cuvrel.core.imaging.colour import linear_to_srgb, srgb_to_linear
from cuvrel.core.imaging.row_kernels import in_rows, kernel
from cuvrel.core.imaging.tables import ENTRIES, cover_of, ended, looked_up
from cuvrel.core.recipe.context import Context
from cuvrel.core.recipe.declared import Params, declare, number
from cuvrel.core.recipe.values import Scalar

PIVOT = 0.18  # the grey that contrast leaves


class GradeParams(Params):
    """The defaults change nothing."""

    exposure: Scalar = number(
        0.0, "Exposure", -6, 6, step=0.05, unit="stops", neutral=0, hint="doubles the light per stop"
    )
    contrast: Scalar = number(0.0, "Contrast", -100, 100, step=1, unit="%", neutral=0, hint="about middle grey")
    temperature: Scalar = number(0.0, "Temperature", -100, 100, step=1, neutral=0, hint="cooler below 0, warmer above")
    tint: Scalar = number(0.0, "Tint", -100, 100, step=1, neutral=0, hint="greener below 0, more magenta above")
    saturation: Scalar = number(100.0, "Saturation", 0, 300, step=1, unit="%", neutral=100, hint="0 is grey")
    hue: Scalar = number(0.0, "Hue", -180, 180, step=1, unit="°", neutral=0, hint="turns all colours")
    shadows: Scalar = number(0.0, "Shadows", -100, 100, step=1, unit="%", neutral=0, hint="lifts or sinks the dark end")
    mids: Scalar = number(0.0, "Mid-tones", -100, 100, step=1, unit="%", neutral=0, hint="both ends stay")
    highlights: Scalar = number(
        0.0, "Highlights", -100, 100, step=1, unit="%", neutral=0, hint="stretches the bright end"
    )


@kernel
def _grade(y0: int, y1: int, picture: F32, gains: F32, tones: F32, m: F32, out: F32) -> None:
    """Gains, then tones on straight colour where there are any, then the mix of the channels."""
    zero = np.float32(0.0)
    for y in range(y0, y1):
        for x in range(picture.shape[1]):
            r, g, b, a = picture[y, x, 0], picture[y, x, 1], picture[y, x, 2], picture[y, x, 3]
            c = max(cover_of(r, g, b, a), np.float32(1e-6))
            r, g, b = r * gains[0], g * gains[1], b * gains[2]
            if tones.size > 0:
                over = np.float32(1.0) / c
                r, g, b = looked_up(tones, r * over) * c, looked_up(tones, g * over) * c, looked_up(tones, b * over) * c
            out[y, x, 0] = max(m[0, 0] * r + m[0, 1] * g + m[0, 2] * b, zero)
            out[y, x, 1] = max(m[1, 0] * r + m[1, 1] * g + m[1, 2] * b, zero)
            out[y, x, 2] = max(m[2, 0] * r + m[2, 1] * g + m[2, 2] * b, zero)
            out[y, x, 3] = a


def hue_matrix(degrees: float) -> F64:
    """The turn of all hues, (3, 3), that leaves greys and luminance as they are (W3C Filter Effects, hueRotate)."""
    luma = np.array([0.2126, 0.7152, 0.0722])
    c, s = np.cos(np.deg2rad(degrees)), np.sin(np.deg2rad(degrees))
    grey = np.tile(luma, (3, 1))
    # the standard's third matrix, with the weights of ITU-R BT.709: its rows sum to 0, and it has no luminance
    red, blue = np.array([-luma[0], -luma[1], 1 - luma[2]]), np.array([luma[0] - 1, luma[1], luma[2]])
    side = np.stack([red, -(luma[0] * red + luma[2] * blue) / luma[1], blue])
    return np.asarray(grey + c * (np.eye(3) - grey) + s * side, np.float64)


@declare(
    "treatment", "grade", "Grade", GradeParams,
    hint="exposure, contrast, colour; shadows, mid-tones and highlights apart", group="Colour",
)  # fmt: skip
def grade(picture: F32, values: dict[str, Any], context: Context) -> F32:
    """A graded picture, (H, W, 4) float32 premultiplied linear RGBA.

    Exposure is a gain of 2^stops. Temperature and tint are gains that keep the luminance (ITU-R BT.709 weights) of
    grey. Contrast is a power about 18 % grey, 2^(c/100). Then display-encoded values go through
    (v * slope + offset) ^ power: highlights are a slope that leaves black, shadows an offset that leaves white,
    mid-tones a power. Saturation mixes with luminance, and at last all hues are turned.
    """
    warm, tint = float(values["temperature"]) / 100, float(values["tint"]) / 100
    gains = np.array([2 ** (0.45 * warm + 0.15 * tint), 2 ** (-0.3 * tint), 2 ** (-0.45 * warm + 0.15 * tint)])
    gains /= float(gains @ (0.2126, 0.7152, 0.0722))
    gains *= 2.0 ** float(values["exposure"])
    contrast, shadows, mids, highlights = (
        float(values[name]) / 100 for name in ("contrast", "shadows", "mids", "highlights")
    )
    tones = np.zeros(0, np.float32)
    if contrast or shadows or mids or highlights:
        light = (np.arange(ENTRIES) / (ENTRIES - 1)) ** 2
        tones = (PIVOT * (light / PIVOT) ** 2.0**contrast).astype(np.float32)
        if shadows or mids or highlights:
            low, top, power = 0.25 * shadows, 2.0 ** (0.5 * highlights), 2.0**-mids
            tones = srgb_to_linear(np.clip(linear_to_srgb(tones) * (top - low) + low, 0, 1) ** power)
    saturation = float(values["saturation"]) / 100
    grey = np.tile([0.2126, 0.7152, 0.0722], (3, 1))
    mixed = grey + (np.eye(3) - grey) * saturation
    if float(values["hue"]):
        mixed = hue_matrix(float(values["hue"])) @ mixed
    tones = ended(tones) if tones.size else tones
    out = np.empty_like(picture)
    in_rows(_grade, picture.shape[0], picture, gains.astype(np.float32), tones, mixed.astype(np.float32), out)
    return out
