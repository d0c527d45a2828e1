"""Grain: as of film, new on every frame."""

from __future__ import annotations

from typing import Any

import numpy as np

from cuvrel.core.arrays import F32, I32, Single
from cuvrel.core.imaging.noise import TILE, grain_tile
from cuvrel.core.imaging.row_kernels import in_rows, kernel
from cuvrel.core.imaging.tables import cover_of
from cuvrel.core.recipe.context import Context
from cuvrel.core.recipe.declared import Params, declare, number, switch
from cuvrel.core.recipe.values import Scalar


class GrainParams(Params):
    """Grain that is seen at once."""

    amount: Scalar = number(10.0, "Amount", 0, 100, step=0.5, unit="%", neutral=0, slide=(0, 40))
    size: Scalar = number(1.6, "Size", 0.5, 40, step=0.1, unit="px", slide=(0.5, 8))
    shadows: Scalar = number(0.7, "In shadows", 0, 2, hint="how much of it shows where it is dark")
    lights: Scalar = number(0.4, "In lights", 0, 2, hint="how much of it shows where it is bright")
    colour: Scalar = number(0.3, "Colour", 0, 1, hint="0 is grey, 1 has each channel's own")
    seed: float = number(1.0, "Variant", 0, 9999, step=1, animatable=False)
    still: bool = switch(False, "Stands still", hint="the same on every frame")


@kernel
def _grained(
    y0: int,
    y1: int,
    picture: F32,
    tile: F32,
    place: I32,
    amount: Single,
    shadows: Single,
    lights: Single,
    colour: Single,
    out: F32,
) -> None:
    zero, one = np.float32(0.0), np.float32(1.0)
    w = picture.shape[1]
    for y in range(y0, y1):
        noise = tile[(place[0] + place[2] * y) % TILE]
        for x in range(w):
            i = np.uint32((place[1] + place[3] * x) & (TILE - 1))
            a = picture[y, x, 3]
            c = cover_of(picture[y, x, 0], picture[y, x, 1], picture[y, x, 2], a)
            over = one / max(c, np.float32(1e-6))
            r = np.sqrt(max(picture[y, x, 0] * over, zero))
            g = np.sqrt(max(picture[y, x, 1] * over, zero))
            b = np.sqrt(max(picture[y, x, 2] * over, zero))
            bright = min(np.float32(0.3) * r + np.float32(0.6) * g + np.float32(0.1) * b, one)
            share = amount * (shadows + (lights - shadows) * bright) * np.float32(0.5)
            share *= min(np.float32(4.0) * min(bright, one - bright) + np.float32(0.25), one)
            n0, n1, n2 = noise[i, 0], noise[i, 1], noise[i, 2]
            grey = (n0 + n1 + n2) * np.float32(0.5773503)
            r = max(r + share * (grey + (n0 - grey) * colour), zero)
            g = max(g + share * (grey + (n1 - grey) * colour), zero)
            b = max(b + share * (grey + (n2 - grey) * colour), zero)
            out[y, x, 0], out[y, x, 1], out[y, x, 2], out[y, x, 3] = r * r * c, g * g * c, b * b * c, a


@declare(
    "treatment", "grain", "Grain", GrainParams, hint="as of film, new on every frame", group="Blur and texture",
    rests=lambda values: float(values["amount"]) == 0, clock=lambda values: not values["still"],
)  # fmt: skip
def grain(picture: F32, values: dict[str, Any], context: Context) -> F32:
    """The picture with grain, (H, W, 4) float32 premultiplied linear RGBA; the same seed gives the same frames.

    Noise of a Gaussian is added to the square root of light, which is close to what a display is sent, by as much as
    its brightness lets through. In a smaller picture grain finer than a pixel is as much fainter as its mean would be.
    """
    fine = float(values["size"]) * context.scale
    frame = 0 if values["still"] else context.frame
    seed = round(float(values["seed"]))
    # each frame takes its own piece of the tile, as it lies or mirrored
    rng = np.random.default_rng((seed, frame, 5))
    place = np.concatenate([rng.integers(0, TILE, 2), rng.integers(0, 2, 2) * 2 - 1]).astype(np.int32)
    amount = float(values["amount"]) / 100 * min(fine, 1.0)
    numbers = amount, *(float(values[name]) for name in ("shadows", "lights", "colour"))
    out = np.empty_like(picture)
    tile = grain_tile(seed, max(round(fine, 2), 1.0))
    in_rows(_grained, len(picture), picture, tile, place, *(np.float32(n) for n in numbers), out)
    return out
