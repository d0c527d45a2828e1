"""Levels: black, white and gamma of what comes in, and black and white of what goes out."""

from __future__ import annotations

from typing import Any, Literal

import numpy as np

from cuvrel.core.arrays import F32, F64
from cuvrel.core.imaging.tables import table, through_tables
from cuvrel.core.recipe.context import Context
from cuvrel.core.recipe.declared import Params, choice, declare, number
from cuvrel.core.recipe.values import Scalar

SAME: F32 = table(lambda v: v)


class LevelsParams(Params):
    """The defaults change nothing."""

    channel: Literal["all", "red", "green", "blue"] = choice("all", "Channels", ["all", "red", "green", "blue"])
    black: Scalar = number(0.0, "Black in", 0, 1, neutral=0, hint="what is as dark as this becomes black")
    white: Scalar = number(1.0, "White in", 0, 1, neutral=1, hint="what is as bright as this becomes white")
    gamma: Scalar = number(1.0, "Gamma", 0.1, 10, neutral=1, slide=(0.2, 4), hint="above 1 the mid-tones are brighter")
    black_out: Scalar = number(0.0, "Black out", 0, 1, neutral=0, hint="what black becomes")
    white_out: Scalar = number(1.0, "White out", 0, 1, neutral=1, hint="what white becomes")


def _rests(values: dict[str, Any]) -> bool:
    return [float(values[n]) for n in ("black", "white", "gamma", "black_out", "white_out")] == [0, 1, 1, 0, 1]


def levelled(v: F64, values: dict[str, Any]) -> F64:
    """Display-encoded values through levels: out = b + (w - b) * ((v - black) / (white - black)) ^ (1 / gamma).

    Where white lies at or below black it is a step, just above black.
    """
    black, low, high = float(values["black"]), float(values["black_out"]), float(values["white_out"])
    span = max(float(values["white"]) - black, 1e-4)
    share = np.clip((v - black) / span, 0.0, 1.0) ** (1.0 / float(values["gamma"]))
    return np.asarray(low + (high - low) * share, np.float64)


@declare(
    "treatment", "levels", "Levels", LevelsParams,
    hint="black, white and gamma, in and out", group="Colour", rests=_rests,
)  # fmt: skip
def levels(picture: F32, values: dict[str, Any], context: Context) -> F32:
    """The picture with other levels, (H, W, 4) float32 premultiplied linear RGBA; see `levelled`."""
    new = table(lambda v: levelled(v, values))
    chosen = values["channel"]
    red, green, blue = (new if chosen in ("all", name) else SAME for name in ("red", "green", "blue"))
    return through_tables(picture, red, green, blue)
