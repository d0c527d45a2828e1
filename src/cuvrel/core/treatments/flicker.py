"""Flicker: light or presence that wavers, or goes on and off."""

from __future__ import annotations

from typing import Any, Literal

import numpy as np

from cuvrel.core.arrays import F32
from cuvrel.core.recipe.context import Context
from cuvrel.core.recipe.declared import Params, choice, declare, number
from cuvrel.core.recipe.values import Scalar, wander


class FlickerParams(Params):
    """Light that wavers."""

    amount: Scalar = number(40.0, "Amount", 0, 100, step=1, unit="%", neutral=0)
    kind: Literal["wavers", "on and off"] = choice("wavers", "Kind", ["wavers", "on and off"])
    of: Literal["light", "presence"] = choice(
        "light", "Of its", ["light", "presence"], hint="presence: it fades away altogether"
    )
    pace: Scalar = number(8.0, "Pace", 0.1, 60, step=0.1, unit="/s", slide=(0.1, 30))
    seed: float = number(1.0, "Variant", 0, 9999, step=1, animatable=False)


@declare(
    "treatment", "flicker", "Flicker", FlickerParams, hint="light or presence that wavers, or goes on and off",
    group="Break", rests=lambda values: float(values["amount"]) == 0, clock=lambda values: True,
)  # fmt: skip
def flicker(picture: F32, values: dict[str, Any], context: Context) -> F32:
    """The picture dimmed by a moving share, (H, W, 4) float32 premultiplied linear RGBA."""
    time = context.frame / context.fps * float(values["pace"])
    seed = 31 * round(float(values["seed"]))
    at = wander(seed, float(np.floor(time + 1e-9)) if values["kind"] == "on and off" else time)
    share = float(at > 0) if values["kind"] == "on and off" else (1 + at) / 2
    left = np.float32(1 - float(values["amount"]) / 100 * (1 - share))
    out = picture * left
    if values["of"] == "light":
        out[..., 3] = picture[..., 3]
    return np.asarray(out, np.float32)
