"""Churn: bent by slow noise."""

from __future__ import annotations

from typing import Any

import numpy as np

from cuvrel.core.arrays import F32
from cuvrel.core.imaging.noise import slow_field
from cuvrel.core.imaging.sampling import grid, taken
from cuvrel.core.recipe.context import Context
from cuvrel.core.recipe.declared import Params, declare, number, switch
from cuvrel.core.recipe.values import Scalar


class ChurnParams(Params):
    """A churn that is seen at once."""

    amount: Scalar = number(14.0, "Amount", 0, 1000, step=0.5, unit="px", neutral=0, slide=(0, 120))
    size: Scalar = number(60.0, "Size", 4, 2000, step=1, unit="px", slide=(4, 400), hint="of the waves")
    detail: Scalar = number(0.4, "Detail", 0, 1, hint="finer waves on the long ones")
    pace: Scalar = number(1.5, "Pace", 0, 24, step=0.1, unit="/s", hint="how often it changes")
    seed: float = number(1.0, "Variant", 0, 9999, step=1, animatable=False)
    bound: bool = switch(False, "Borders stay", hint="fades towards the picture's border")


@declare(
    "treatment", "churn", "Churn", ChurnParams, hint="bent by slow noise", group="Bend",
    rests=lambda values: float(values["amount"]) == 0, clock=lambda values: float(values["pace"]) > 0,
)  # fmt: skip
def churn(picture: F32, values: dict[str, Any], context: Context) -> F32:
    """The picture displaced by smooth noise, (H, W, 4) float32 premultiplied linear RGBA; borders mirror."""
    scale, amount, detail = context.scale, float(values["amount"]), float(values["detail"])
    pace = float(values["pace"])
    time = context.frame / context.fps * pace if pace > 0 else 0.0
    seed = 100 + 7 * round(float(values["seed"]))
    shifts = []
    for axis in (0, 1):
        field = slow_field(picture.shape[:2], float(values["size"]) * scale, time, seed=seed + axis)
        if detail > 0:
            finer = slow_field(picture.shape[:2], float(values["size"]) * scale / 3, time * 2, seed=seed + axis + 3)
            field = field + np.float32(0.5 * detail) * finer
        shifts.append(field * np.float32(amount * scale))
    x, y = grid(picture)
    if values["bound"]:
        h, w = picture.shape[:2]
        reach = np.float32(max(2 * amount * scale, 1))
        near = np.minimum(np.minimum(x, w - 1 - x), np.minimum(y, h - 1 - y))
        fade = np.clip(near / reach, 0, 1)
        shifts = [shift * fade for shift in shifts]
    return taken(picture, x + shifts[0], y + shifts[1])
