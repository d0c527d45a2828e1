"""Hatch lines: pen strokes in one to three directions, closer to one another in width the darker it is."""

from __future__ import annotations

from typing import Any, Literal

import numpy as np

from cuvrel.core.arrays import F32, Single
from cuvrel.core.imaging.colour import srgb_to_linear
from cuvrel.core.imaging.lines import brightness
from cuvrel.core.imaging.noise import slow_field
from cuvrel.core.imaging.row_kernels import in_rows, kernel
from cuvrel.core.imaging.sampling import middle
from cuvrel.core.recipe.context import Context
from cuvrel.core.recipe.declared import Params, choice, colour, declare, number, point
from cuvrel.core.recipe.values import Colour, Point, Scalar

FINEST = 3.0  # pixels from line to line below which lines can't be told apart, and their mean is shown
MARKS = 1024  # lines after which the hand does as before
ON = ("the picture", "paper", "nothing")


class HatchParams(Params):
    """Two directions over the picture's shadows."""

    strength: Scalar = number(100.0, "Strength", 0, 100, step=1, unit="%", neutral=0)
    spacing: Scalar = number(8.0, "Spacing", 2, 400, step=0.5, unit="px", slide=(2, 40), hint="from line to line")
    weight: Scalar = number(0.5, "Weight", 0.05, 1, hint="how wide a line is at most, of its spacing")
    directions: float = number(2.0, "Directions", 1, 3, step=1, animatable=False, hint="one more as it gets darker")
    angle: Scalar = number(40.0, "Angle", -36_000, 36_000, step=1, unit="°", slide=(-90, 90))
    apart: Scalar = number(70.0, "Between them", 5, 90, step=1, unit="°", hint="from one direction to the next")
    from_dark: Scalar = number(0.62, "Begins at", 0.02, 1, hint="brighter parts have no lines")
    uneven: Scalar = number(0.4, "Unevenness", 0, 1, hint="of a hand: lines bend, swell and break off")
    seed: float = number(1.0, "Variant", 0, 9999, step=1, animatable=False)
    ink: Colour = colour((0.07, 0.07, 0.11), "Ink")
    on: Literal["the picture", "paper", "nothing"] = choice("the picture", "On", ON)
    paper: Colour = colour((0.97, 0.95, 0.9), "Paper")
    centre: Point = point((0.0, 0.0), "Pinned to", hint="the place of the picture that the lines go with")


@kernel
def _hatched(
    y0: int,
    y1: int,
    picture: F32,
    seen: F32,
    sway: F32,
    swell: F32,
    turns: F32,
    inverse: Single,
    size: Single,
    at: F32,
    weight: Single,
    begins: Single,
    uneven: Single,
    mean: Single,
    hands: F32,
    on: int,
    strength: Single,
    ink: F32,
    paper: F32,
    out: F32,
) -> None:
    zero, one, half = np.float32(0.0), np.float32(1.0), np.float32(0.5)
    count = turns.shape[0]
    for y in range(y0, y1):
        py = np.float32(y) - at[1]
        for x in range(picture.shape[1]):
            px = np.float32(x) - at[0]
            a = picture[y, x, 3]
            bright = seen[y, x] / max(a, np.float32(1e-3))
            bare = one
            for n in range(count):
                # each direction begins where it is darker by an equal step
                first = begins * np.float32(count - n) / np.float32(count)
                dark = min(max((first - bright) / first, zero), one)
                v = (py * turns[n, 0] - px * turns[n, 1]) * inverse + uneven * half * sway[y, x]
                line = np.floor(v + half)
                hand = hands[n, np.int32(line) & (MARKS - 1)]
                pressed = dark * (one + uneven * (swell[y, x] + hand - half))
                # a hand lifts the pen a little sooner on one line than on the next
                wide = weight * min(max(pressed, zero), one) if dark > uneven * np.float32(0.12) * hand else zero
                away = abs(v - line) * size
                pen = wide * size
                peak = min(half * pen + half, one)
                # a line thinner than a pixel is as much fainter, so that the mean stays
                faint = pen / (peak * peak) if pen < one else one
                cover = min(max(half * pen - away + half, zero), one) * faint
                cover += (wide - cover) * mean
                bare *= one - cover
            k = (one - bare) * strength * a
            left = one - (k / max(a, np.float32(1e-6)) if on == 0 else strength)
            base = (strength * a - k) if on == 1 else zero
            for c in range(3):
                out[y, x, c] = picture[y, x, c] * left + base * paper[c] + k * ink[c]
            out[y, x, 3] = a * left + base + k


@declare(
    "treatment", "hatch", "Hatch lines", HatchParams, hint="pen strokes in one to three directions, by darkness",
    group="Line and print", rests=lambda values: float(values["strength"]) == 0,
)  # fmt: skip
def hatch(picture: F32, values: dict[str, Any], context: Context) -> F32:
    """The picture hatched, (H, W, 4) float32 premultiplied linear RGBA, on it, on paper or alone.

    Lines stay put in the picture, and ride with the place that they are pinned to. What is too fine for the picture's
    pixels is shown as its mean, so that it never beats against them.
    """
    h, w = picture.shape[:2]
    scale = context.scale
    size = float(values["spacing"]) * scale
    steps = np.arange(round(float(values["directions"])), dtype=np.float64)
    degrees = float(values["angle"]) + steps * float(values["apart"])
    turned = np.deg2rad(degrees)
    turns = np.stack([np.cos(turned), np.sin(turned)], axis=1).astype(np.float32)
    seed = round(float(values["seed"]))
    hands = np.random.default_rng((seed, 9)).random((len(turns), MARKS), np.float32)
    sway = slow_field((h, w), 60 * scale, 0.0, seed=400 + seed)
    swell = slow_field((h, w), 24 * scale, 0.0, seed=700 + seed)
    mean = float(np.clip((FINEST - size) / (FINEST - 1.5), 0, 1))
    numbers = [1 / max(size, 1e-3), size]
    rest = [float(values["weight"]), float(values["from_dark"]), float(values["uneven"]), mean]
    out = np.empty_like(picture)
    in_rows(
        _hatched, h, picture, brightness(picture), sway, swell, turns, *(np.float32(n) for n in numbers),
        np.array(middle(picture, values, scale), np.float32), *(np.float32(n) for n in rest), hands,
        ON.index(str(values["on"])), np.float32(float(values["strength"]) / 100),
        srgb_to_linear(np.asarray(values["ink"])), srgb_to_linear(np.asarray(values["paper"])), out,
    )  # fmt: skip
    return out
