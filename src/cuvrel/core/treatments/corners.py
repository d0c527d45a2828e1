"""Four-corner gradient: four colours that flow into one another, laid over what is there."""

from __future__ import annotations

from typing import Any, get_args

import numpy as np

from cuvrel.core.arrays import F32
from cuvrel.core.imaging.blend import blend
from cuvrel.core.imaging.colour import srgb_to_linear
from cuvrel.core.imaging.gradient import flowing
from cuvrel.core.imaging.row_kernels import in_rows, kernel
from cuvrel.core.imaging.tables import cover_of
from cuvrel.core.recipe.context import Context
from cuvrel.core.recipe.declared import Params, choice, colour, declare, number, point
from cuvrel.core.recipe.models import Blend
from cuvrel.core.recipe.values import Colour, Point, Scalar


class CornersParams(Params):
    """Four colours that are seen at once, near the corners of a frame in high definition."""

    colour1: Colour = colour((1.0, 0.45, 0.2), "Colour 1")
    at1: Point = point((-420.0, -240.0), "Place 1")
    colour2: Colour = colour((0.98, 0.85, 0.4), "Colour 2")
    at2: Point = point((420.0, -240.0), "Place 2")
    colour3: Colour = colour((0.15, 0.5, 0.95), "Colour 3")
    at3: Point = point((420.0, 240.0), "Place 3")
    colour4: Colour = colour((0.45, 0.2, 0.75), "Colour 4")
    at4: Point = point((-420.0, 240.0), "Place 4")
    blend: Blend = choice("color", "Laid over by", list(get_args(Blend)))
    amount: Scalar = number(100.0, "Amount", 0, 100, step=1, unit="%", neutral=0)
    soft: Scalar = number(0.6, "Softness", 0.05, 1, hint="how far the colours reach into one another")
    turn: Scalar = number(
        0.0, "Turn", -36_000, 36_000, step=1, unit="°", slide=(-180, 180), hint="of all places about the middle"
    )


@kernel
def _straight(y0: int, y1: int, picture: F32, out: F32) -> None:
    for y in range(y0, y1):
        for x in range(picture.shape[1]):
            c = cover_of(picture[y, x, 0], picture[y, x, 1], picture[y, x, 2], picture[y, x, 3])
            over = np.float32(1.0) / max(c, np.float32(1e-6))
            for k in range(3):
                out[y, x, k] = picture[y, x, k] * over
            out[y, x, 3] = np.float32(1.0)


@kernel
def _covering(y0: int, y1: int, picture: F32, out: F32) -> None:
    """What is straight, as much of it as there was of the picture; written in place."""
    for y in range(y0, y1):
        for x in range(picture.shape[1]):
            c = cover_of(picture[y, x, 0], picture[y, x, 1], picture[y, x, 2], picture[y, x, 3])
            for k in range(3):
                out[y, x, k] *= c
            out[y, x, 3] = picture[y, x, 3]


@declare(
    "treatment", "corners", "Four-corner gradient", CornersParams,
    hint="four colours that flow into one another, by any blend mode", group="Colour",
    rests=lambda values: float(values["amount"]) == 0,
)  # fmt: skip
def corners(picture: F32, values: dict[str, Any], context: Context) -> F32:
    """The picture under a gradient, (H, W, 4) float32 premultiplied linear RGBA; its alpha stays.

    Colours flow as `flowing` says. Light without alpha, a halo, takes the colours as far as it is bright.
    """
    h, w = picture.shape[:2]
    turn = np.deg2rad(float(values["turn"]))
    spin = np.array([[np.cos(turn), np.sin(turn)], [-np.sin(turn), np.cos(turn)]])
    spots = np.array([values[f"at{n}"] for n in range(1, 5)], np.float64) @ spin * context.scale + (w / 2, h / 2)
    colours = np.stack([srgb_to_linear(np.asarray(values[f"colour{n}"])) for n in range(1, 5)])
    flow = flowing((h, w), spots, colours, float(values["soft"]))
    straight = np.empty_like(picture)
    in_rows(_straight, h, picture, straight)
    out = blend(straight, flow, str(values["blend"]), float(values["amount"]) / 100)
    in_rows(_covering, h, picture, out)
    return out
