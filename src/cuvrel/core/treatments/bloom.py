"""Bloom: bright light spreads over what is around it."""

from __future__ import annotations

from typing import Any, Literal

import cv2
import numpy as np

from cuvrel.core.arrays import F32, Single
from cuvrel.core.imaging.blur import blurred_small
from cuvrel.core.imaging.colour import srgb_to_linear
from cuvrel.core.imaging.row_kernels import in_rows, kernel
from cuvrel.core.recipe.context import Context
from cuvrel.core.recipe.declared import Params, choice, colour, declare, number
from cuvrel.core.recipe.values import Colour, Scalar

# wide, and narrower by a half each: a bright middle on a long, faint skirt
SCALES = ((1.0, 0.34), (0.5, 0.28), (0.25, 0.22), (0.125, 0.16))


class BloomParams(Params):
    """Highlights that plainly spread."""

    threshold: Scalar = number(0.6, "Threshold", 0, 4, slide=(0, 1.5), hint="only what is brighter spreads; 0 is all")
    knee: Scalar = number(0.2, "Softness", 0, 1, hint="of the threshold")
    radius: Scalar = number(60.0, "Reach", 1, 2000, step=1, unit="px", slide=(1, 500), hint="how far the light spreads")
    intensity: Scalar = number(0.8, "Intensity", 0, 10, step=0.05, neutral=0, slide=(0, 4))
    across: Scalar = number(100.0, "Across", 0, 400, step=1, unit="%", hint="of the reach")
    down: Scalar = number(100.0, "Down", 0, 400, step=1, unit="%", hint="of the reach")
    reach_red: Scalar = number(100.0, "Red's reach", 5, 400, step=1, unit="%")
    reach_green: Scalar = number(100.0, "Green's reach", 5, 400, step=1, unit="%")
    reach_blue: Scalar = number(100.0, "Blue's reach", 5, 400, step=1, unit="%")
    colours: Literal["its own", "one", "two"] = choice(
        "its own", "Colours", ["its own", "one", "two"], hint="of the light; two: the second where it is brightest"
    )
    dim: Colour = colour((1.0, 0.62, 0.3), "Colour")
    bright: Colour = colour((0.6, 0.85, 1.0), "Bright colour")


STARTERS = (
    ("Haze", {"threshold": 0.0, "knee": 0.0, "radius": 90.0, "intensity": 0.35}),
    ("Lantern", {"threshold": 0.55, "radius": 70.0, "intensity": 1.2, "colours": "one"}),
    ("Long light", {"threshold": 0.6, "radius": 160.0, "down": 6.0, "intensity": 1.4}),
    ("Prism", {"threshold": 0.45, "radius": 80.0, "reach_red": 180.0, "reach_blue": 45.0, "intensity": 1.1}),
    ("Cold in warm", {"threshold": 0.4, "radius": 60.0, "colours": "two", "intensity": 1.3}),
)  # fmt: skip


@kernel
def _bright(
    y0: int, y1: int, picture: F32, low: Single, high: Single, kind: int, first: F32, second: F32, out: F32
) -> None:
    zero, one = np.float32(0.0), np.float32(1.0)
    for y in range(y0, y1):
        for x in range(picture.shape[1]):
            r, g, b = picture[y, x, 0], picture[y, x, 1], picture[y, x, 2]
            top = max(r, max(g, b))
            if high <= zero:
                w = one
            else:
                t = min(max((top - low) / max(high - low, np.float32(1e-6)), zero), one)
                w = t * t * (np.float32(3.0) - np.float32(2.0) * t)
            if kind > 0:
                luma = np.float32(0.2126) * r + np.float32(0.7152) * g + np.float32(0.0722) * b
                s = zero if kind == 1 else min(luma, one)
                r = luma * (first[0] + (second[0] - first[0]) * s)
                g = luma * (first[1] + (second[1] - first[1]) * s)
                b = luma * (first[2] + (second[2] - first[2]) * s)
            out[y, x, 0], out[y, x, 1], out[y, x, 2] = max(r * w, zero), max(g * w, zero), max(b * w, zero)


@kernel
def _added(y0: int, y1: int, picture: F32, light: F32, intensity: Single, out: F32) -> None:
    for y in range(y0, y1):
        for x in range(picture.shape[1]):
            for k in range(3):
                out[y, x, k] = picture[y, x, k] + light[y, x, k] * intensity
            out[y, x, 3] = picture[y, x, 3]


def spread(light: F32, across: float, down: float) -> F32:
    """Light spread over several scales up to the widest sigmas given, (H, W, ...) float32, as much light as before."""
    levels = [(blurred_small(light, across * by, down * by), share) for by, share in SCALES]
    # the widest are the smallest: each is enlarged to the next one's size and added there
    total = levels[0][0] * np.float32(levels[0][1])
    for level, share in levels[1:]:
        total = cv2.resize(total, level.shape[1::-1], interpolation=cv2.INTER_LINEAR).reshape(level.shape)
        cv2.scaleAdd(level, share, total, total)
    h, w = light.shape[:2]
    return np.asarray(cv2.resize(total, (w, h), interpolation=cv2.INTER_LINEAR), np.float32).reshape(light.shape)


@declare(
    "treatment", "bloom", "Bloom", BloomParams, hint="bright light spreads over what is around it", group="Light",
    rests=lambda values: float(values["intensity"]) == 0, starters=STARTERS,
)  # fmt: skip
def bloom(picture: F32, values: dict[str, Any], context: Context) -> F32:
    """The picture with its bright light spread over it, (H, W, 4) float32 premultiplied linear RGBA; alpha stays.

    In linear light. The light is a sum of four Gaussians, the widest with a sigma of 0.4 of the reach. With a
    threshold of 0 the light that is added is as much as there is, times the intensity.
    """
    threshold, knee = float(values["threshold"]), float(values["knee"])
    low, high = (float(srgb_to_linear(np.asarray(max(0.0, threshold + s * knee * 0.5)))) for s in (-1, 1))
    h, w = picture.shape[:2]
    light = np.empty((h, w, 3), np.float32)
    first, second = (srgb_to_linear(np.asarray(values[name])) for name in ("dim", "bright"))
    kind = ("its own", "one", "two").index(str(values["colours"]))
    high = 0.0 if threshold == 0 else max(high, low + 1e-4)
    in_rows(_bright, h, picture, np.float32(low), np.float32(high), kind, first, second, light)
    sigma = 0.4 * float(values["radius"]) * context.scale
    across, down = (sigma * float(values[name]) / 100 for name in ("across", "down"))
    reaches = [float(values[f"reach_{name}"]) / 100 for name in ("red", "green", "blue")]
    if len(set(reaches)) == 1:
        light = spread(light, across * reaches[0], down * reaches[0])
    else:
        parts = [spread(one, across * by, down * by) for one, by in zip(cv2.split(light), reaches, strict=True)]
        light = np.asarray(cv2.merge(parts), np.float32)
    out = np.empty_like(picture)
    in_rows(_added, h, picture, light, np.float32(values["intensity"]), out)
    return out
