"""Ripple: round or straight waves that run."""

from __future__ import annotations

from typing import Any, Literal

import numpy as np

from cuvrel.core.arrays import F32
from cuvrel.core.imaging.sampling import grid, middle, taken
from cuvrel.core.recipe.context import Context
from cuvrel.core.recipe.declared import Params, choice, declare, number, point
from cuvrel.core.recipe.values import Point, Scalar


class RippleParams(Params):
    """Rings that are seen at once."""

    kind: Literal["round", "straight"] = choice("round", "Waves", ["round", "straight"])
    height: Scalar = number(8.0, "Height", 0, 1000, step=0.5, unit="px", neutral=0, slide=(0, 80))
    length: Scalar = number(70.0, "Length", 4, 4000, step=1, unit="px", slide=(4, 500), hint="from crest to crest")
    phase: Scalar = number(
        0.0, "Phase", -1e6, 1e6, step=1, unit="°", slide=(-360, 360), hint="keyed or driven, they run"
    )
    falloff: Scalar = number(0.0, "Fall-off", 0, 1, hint="how much flatter they are far from the centre")
    centre: Point = point((0.0, 0.0), "Centre")
    direction: Scalar = number(
        90.0,
        "Direction",
        -36_000,
        36_000,
        step=1,
        unit="°",
        slide=(-180, 180),
        direction=True,
        hint="of straight waves",
    )


@declare(
    "treatment", "ripple", "Ripple", RippleParams, hint="round or straight waves that run", group="Bend",
    rests=lambda values: float(values["height"]) == 0,
)  # fmt: skip
def ripple(picture: F32, values: dict[str, Any], context: Context) -> F32:
    """The picture displaced by waves, (H, W, 4) float32 premultiplied linear RGBA; borders mirror.

    Each pixel is taken from height * sin(2 pi d / length - phase) further along the wave's way, where d is the
    distance from the centre, or along the direction.
    """
    scale = context.scale
    mx, my = middle(picture, values, scale)
    x, y = grid(picture)
    dx, dy = x - np.float32(mx), y - np.float32(my)
    far = np.sqrt(dx * dx + dy * dy)
    if values["kind"] == "round":
        away, ux, uy = far, dx / np.maximum(far, 1e-3), dy / np.maximum(far, 1e-3)
    else:
        turn = np.deg2rad(float(values["direction"]))
        ux, uy = np.float32(np.cos(turn)), np.float32(np.sin(turn))
        away = dx * ux + dy * uy
    length = max(float(values["length"]) * scale, 1.0)
    wave = np.sin(away * np.float32(2 * np.pi / length) - np.float32(np.deg2rad(float(values["phase"]) % 360)))
    wave *= np.float32(float(values["height"]) * scale)
    if float(values["falloff"]) > 0:
        half = np.float32(0.25 * np.hypot(*picture.shape[:2]))
        wave *= np.exp(-far / half * np.float32(3 * float(values["falloff"])))
    return taken(picture, x + wave * ux, y + wave * uy)
