"""Selective colour: one range of hues, shifted by itself."""

from __future__ import annotations

from typing import Any

import numpy as np

from cuvrel.core.arrays import F32, Single
from cuvrel.core.imaging.oklab import from_oklab, hue_of, to_oklab
from cuvrel.core.imaging.row_kernels import in_rows, kernel
from cuvrel.core.imaging.tables import cover_of
from cuvrel.core.recipe.context import Context
from cuvrel.core.recipe.declared import Params, colour, declare, number
from cuvrel.core.recipe.values import Colour, Scalar


class SelectiveParams(Params):
    """Reds, until another colour is picked; nothing is shifted."""

    colour: Colour = colour((0.8, 0.16, 0.12), "Colour", hint="whose hue is in the middle of the range")
    width: Scalar = number(
        25.0, "Range", 1, 180, step=1, unit="°", hint="of hues to either side that are shifted wholly"
    )
    soft: Scalar = number(20.0, "Softness", 0, 90, step=1, unit="°", hint="beyond it, where the shift fades")
    greys: Scalar = number(0.04, "Leaves out greys", 0, 0.2, step=0.005, hint="colours this pale stay as they are")
    hue: Scalar = number(0.0, "Hue", -180, 180, step=1, unit="°", neutral=0)
    saturation: Scalar = number(100.0, "Saturation", 0, 300, step=1, unit="%", neutral=100)
    lightness: Scalar = number(0.0, "Lightness", -100, 100, step=1, unit="%", neutral=0)


def _rests(values: dict[str, Any]) -> bool:
    return [float(values[name]) for name in ("hue", "saturation", "lightness")] == [0, 100, 0]


@kernel
def _shifted(
    y0: int,
    y1: int,
    picture: F32,
    ha: Single,
    hb: Single,
    inner: Single,
    outer: Single,
    pale: Single,
    cosine: Single,
    sine: Single,
    more: Single,
    lift: Single,
    out: F32,
) -> None:
    zero, one = np.float32(0.0), np.float32(1.0)
    columns = picture.shape[1]
    row = np.empty((4, columns), np.float32)
    red, green, blue, cover = row[0], row[1], row[2], row[3]
    for y in range(y0, y1):
        for x in range(columns):
            c = max(cover_of(picture[y, x, 0], picture[y, x, 1], picture[y, x, 2], picture[y, x, 3]), np.float32(1e-6))
            red[x], green[x], blue[x] = picture[y, x, 0] / c, picture[y, x, 1] / c, picture[y, x, 2] / c
            cover[x] = c
        # a row of each channel, and nothing branched on: so it runs on vector instructions
        for x in range(columns):
            light, p, q = to_oklab(red[x], green[x], blue[x])
            chroma = np.sqrt(p * p + q * q)
            near = (p * ha + q * hb) / max(chroma, np.float32(1e-6))
            # by the cosine of the angle between the hues: one at `inner`, nothing at `outer`
            t = min(max((near - outer) / max(inner - outer, np.float32(1e-6)), zero), one)
            u = min(max((chroma - np.float32(0.5) * pale) / max(pale, np.float32(1e-6)), zero), one)
            w = t * t * (np.float32(3.0) - np.float32(2.0) * t) * u
            s, d = (p * cosine - q * sine) * more, (p * sine + q * cosine) * more
            light = max(light + w * (min(lift, zero) * light + max(lift, zero) * (one - light)), zero)
            i, j, k = from_oklab(light, p + w * (s - p), q + w * (d - q))
            red[x] = max(i, zero) if w > zero else red[x]
            green[x] = max(j, zero) if w > zero else green[x]
            blue[x] = max(k, zero) if w > zero else blue[x]
        for x in range(columns):
            out[y, x, 0], out[y, x, 1], out[y, x, 2] = red[x] * cover[x], green[x] * cover[x], blue[x] * cover[x]
            out[y, x, 3] = picture[y, x, 3]


@declare(
    "treatment", "selective", "Selective colour", SelectiveParams,
    hint="one range of hues in another hue, saturation or lightness", group="Colour", rests=_rests,
)  # fmt: skip
def selective(picture: F32, values: dict[str, Any], context: Context) -> F32:
    """The picture with one range of hues shifted, (H, W, 4) float32 premultiplied linear RGBA.

    In OKLab: hue turns about the axis of greys, saturation is a factor of the distance from it, lightness goes a
    share of the way to white or black.
    """
    ha, hb = hue_of(values["colour"])
    width, soft = float(values["width"]), float(values["soft"])
    turn = np.deg2rad(float(values["hue"]))
    out = np.empty_like(picture)
    numbers = (
        ha, hb, np.cos(np.deg2rad(min(width, 180.0))), np.cos(np.deg2rad(min(width + soft, 180.0))) - 1e-4,
        float(values["greys"]), np.cos(turn), np.sin(turn), float(values["saturation"]) / 100,
        float(values["lightness"]) / 100,
    )  # fmt: skip
    in_rows(_shifted, len(picture), picture, *(np.float32(n) for n in numbers), out)
    return out
