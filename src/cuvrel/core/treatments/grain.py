"""Grain: as of film, new on every frame."""

from __future__ import annotations

from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from cuvrel.core.media.colour import to_display, to_light
from cuvrel.core.media.rows import in_rows, kernel
from cuvrel.core.media.tables import cover_of
from cuvrel.core.recipe.context import Context
from cuvrel.core.recipe.declared import Params, declare, number, switch
from cuvrel.core.recipe.values import Scalar

F32 = NDArray[np.float32]


class GrainParams(Params):
    """Grain that is seen at once."""

    amount: Scalar = number(10.0, "Amount", 0, 100, step=0.5, unit="%", neutral=0, slide=(0, 40))
    size: Scalar = number(1.6, "Size", 0.5, 40, step=0.1, unit="px", slide=(0.5, 8))
    shadows: Scalar = number(0.7, "In shadows", 0, 2, hint="how much of it shows where it is dark")
    lights: Scalar = number(0.4, "In lights", 0, 2, hint="how much of it shows where it is bright")
    colour: Scalar = number(0.3, "Colour", 0, 1, hint="0 is grey, 1 has each channel's own")
    seed: float = number(1.0, "Variant", 0, 9999, step=1, animatable=False)
    still: bool = switch(False, "Stands still", hint="the same on every frame")


def field(shape: tuple[int, int], size: float, seed: tuple[int, ...]) -> F32:
    """Noise of a size in pixels over a picture, (H, W, 3) float32 of mean 0 and deviation 1."""
    h, w = shape
    rows, columns = max(2, int(np.ceil(h / size)) + 1), max(2, int(np.ceil(w / size)) + 1)
    noise = np.random.default_rng(seed).standard_normal((rows, columns, 3), np.float32)
    if size <= 1.01:
        return np.ascontiguousarray(noise[:h, :w])
    large = cv2.resize(noise, (round(columns * size), round(rows * size)), interpolation=cv2.INTER_CUBIC)
    return np.ascontiguousarray(large[:h, :w], np.float32)


@kernel
def _grained(y0, y1, picture, noise, amount, shadows, lights, colour, out):  # type: ignore[no-untyped-def]
    zero, one = np.float32(0.0), np.float32(1.0)
    w = picture.shape[1]
    row = np.empty((4, w), np.float32)
    for y in range(y0, y1):
        for x in range(w):
            c = cover_of(picture[y, x, 0], picture[y, x, 1], picture[y, x, 2], picture[y, x, 3])
            over = one / max(c, np.float32(1e-6))
            row[0, x], row[1, x], row[2, x] = picture[y, x, 0] * over, picture[y, x, 1] * over, picture[y, x, 2] * over
            row[3, x] = c
        for k in range(3):
            part = row[k]
            for x in range(w):
                part[x] = to_display(part[x])
        for x in range(w):
            bright = np.float32(0.3) * row[0, x] + np.float32(0.6) * row[1, x] + np.float32(0.1) * row[2, x]
            share = amount * (shadows + (lights - shadows) * bright) * np.float32(0.5)
            share *= min(np.float32(4.0) * min(bright, one - bright) + np.float32(0.25), one)
            grey = (noise[y, x, 0] + noise[y, x, 1] + noise[y, x, 2]) * np.float32(0.5773503)
            for k in range(3):
                n = grey + (noise[y, x, k] - grey) * colour
                row[k, x] = min(max(row[k, x] + share * n, zero), one)
        for k in range(3):
            part = row[k]
            for x in range(w):
                part[x] = to_light(part[x])
        for x in range(w):
            c = row[3, x]
            out[y, x, 0], out[y, x, 1], out[y, x, 2] = row[0, x] * c, row[1, x] * c, row[2, x] * c
            out[y, x, 3] = picture[y, x, 3]


@declare(
    "treatment", "grain", "Grain", GrainParams, hint="as of film, new on every frame", group="Blur and texture",
    rests=lambda values: float(values["amount"]) == 0, clock=lambda values: not values["still"],
)  # fmt: skip
def grain(picture: F32, values: dict[str, Any], context: Context) -> F32:
    """The picture with grain, (H, W, 4) float32 premultiplied linear RGBA; the same seed gives the same frames.

    Noise of a Gaussian is added to display-encoded colour, by as much as its brightness lets through. In a smaller
    picture grain finer than a pixel is as much fainter as its mean would be.
    """
    fine = float(values["size"]) * context.scale
    frame = 0 if values["still"] else context.frame
    noise = field(picture.shape[:2], max(fine, 1.0), (round(float(values["seed"])), frame))
    amount = float(values["amount"]) / 100 * min(fine, 1.0)
    numbers = amount, *(float(values[name]) for name in ("shadows", "lights", "colour"))
    out = np.empty_like(picture)
    in_rows(_grained, len(picture), picture, noise, *(np.float32(n) for n in numbers), out)
    return out
