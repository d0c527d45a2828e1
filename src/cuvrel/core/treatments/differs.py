"""Edges by difference: a copy of the picture, blurred or shifted, taken from it."""

from __future__ import annotations

from typing import Any, Literal

import cv2
import numpy as np

from cuvrel.core.arrays import F32, Single
from cuvrel.core.imaging.blur import blurred
from cuvrel.core.imaging.row_kernels import in_rows, kernel
from cuvrel.core.imaging.tables import cover_of
from cuvrel.core.recipe.context import Context
from cuvrel.core.recipe.declared import Params, choice, declare, number
from cuvrel.core.recipe.values import Scalar

SIDES = ("both ways", "what is brighter", "what is darker")


class DiffersParams(Params):
    """What a small shift changes."""

    amount: Scalar = number(100.0, "Amount", 0, 100, step=1, unit="%", neutral=0)
    how: Literal["shifted", "blurred", "shifted and blurred"] = choice(
        "shifted", "The copy is", ["shifted", "blurred", "shifted and blurred"]
    )
    shift: Scalar = number(3.0, "Shift", 0, 400, step=0.5, unit="px", slide=(0, 40))
    direction: Scalar = number(20.0, "Direction", -36_000, 36_000, step=1, unit="°", slide=(-180, 180), direction=True)
    radius: Scalar = number(6.0, "Blur", 0, 400, step=0.5, unit="px", slide=(0, 60))
    gain: Scalar = number(2.5, "Gain", 0, 20, step=0.1, slide=(0, 10))
    side: Literal["both ways", "what is brighter", "what is darker"] = choice("both ways", "Shows", SIDES)
    colour: Scalar = number(1.0, "Colour", 0, 1, hint="0 is grey")


@kernel
def _taken(
    y0: int,
    y1: int,
    picture: F32,
    copy: F32,
    gain: Single,
    side: int,
    colour: Single,
    amount: Single,
    out: F32,
) -> None:
    zero, one = np.float32(0.0), np.float32(1.0)
    w = picture.shape[1]
    row = np.empty(3, np.float32)
    for y in range(y0, y1):
        for x in range(w):
            a = picture[y, x, 3]
            c = cover_of(picture[y, x, 0], picture[y, x, 1], picture[y, x, 2], a)
            light, top = zero, zero
            for k in range(3):
                d = np.sqrt(max(picture[y, x, k], zero)) - np.sqrt(max(copy[y, x, k], zero))
                d = abs(d) if side == 0 else (d if side == 1 else -d)
                row[k] = min(max(d * gain, zero), one)
                light += row[k] * np.float32(1 / 3)
            for k in range(3):
                v = light + (row[k] - light) * colour
                v *= v
                top = max(top, v)
                out[y, x, k] = picture[y, x, k] + (v - picture[y, x, k]) * amount
            # light on black, as far as the picture or the light itself reaches
            out[y, x, 3] = a + (max(c, top) - a) * amount


@declare(
    "treatment", "differs", "Edges by difference", DiffersParams, hint="a shifted or blurred copy taken from it",
    group="Line and print", rests=lambda values: float(values["amount"]) == 0,
)  # fmt: skip
def differs(picture: F32, values: dict[str, Any], context: Context) -> F32:
    """What differs between the picture and a copy of it, (H, W, 4) float32 premultiplied linear RGBA, on black.

    The difference is taken of the square root of light, which is close to what a display is sent, over black. A plane
    in screen mode lays it over another as light.
    """
    h, w = picture.shape[:2]
    copy, how = picture, str(values["how"])
    far = float(values["shift"]) * context.scale
    if how != "blurred" and far > 0:
        turn = np.deg2rad(float(values["direction"]))
        way = np.array([[1, 0, far * np.cos(turn)], [0, 1, far * np.sin(turn)]])
        moved = cv2.warpAffine(copy, way, (w, h), flags=cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE)
        copy = np.asarray(moved, np.float32)
    radius = float(values["radius"]) * context.scale
    if how != "shifted" and radius > 0:
        copy = blurred(copy, radius / 2, radius / 2)
    out = np.empty_like(picture)
    in_rows(
        _taken, h, picture, copy, np.float32(values["gain"]), SIDES.index(str(values["side"])),
        np.float32(values["colour"]), np.float32(float(values["amount"]) / 100), out,
    )  # fmt: skip
    return out
