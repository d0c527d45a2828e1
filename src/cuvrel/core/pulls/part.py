"""Part of EXR: a channel as coverage, or what covers the things of some names (Cryptomatte)."""

from __future__ import annotations

from typing import Any

import numpy as np

from cuvrel.core.arrays import F32, U8
from cuvrel.core.pulls.footage import Fit, fitted
from cuvrel.core.recipe.context import Context
from cuvrel.core.recipe.declared import Params, choice, declare, number, parts, reference
from cuvrel.core.recipe.needs import Need, Pictures, part
from cuvrel.core.recipe.values import Scalar

FAR = 1_000_000.0


class PartParams(Params):
    """All of what is chosen, as it is."""

    footage: str | None = reference(
        "Footage", "footage", hint="EXR pictures with channels of their own, or Cryptomatte"
    )
    parts: list[str] = parts("Parts", hint="what is covered by any of them is in the matte")
    fit: Fit = choice(
        "fill", "Fit", ["fill", "whole", "stretch"], hint="how footage of another shape meets the plate's"
    )
    offset: Scalar = number(0, "Offset", -100_000, 100_000, step=1, unit="fr", hint="frames that it starts later")
    low: Scalar = number(0.0, "Black point", -FAR, FAR, slide=(0, 1), hint="what is lower is 0, as a distance may be")
    high: Scalar = number(
        1.0, "White point", -FAR, FAR, slide=(0, 1), hint="what is higher is 1; below black: inverted"
    )


def _source(values: dict[str, Any], frame: int) -> list[Need]:
    if not values["footage"]:
        return []
    there = frame - round(float(values["offset"]))
    return [part(there, values["footage"], one) for one in values["parts"]]


@declare(
    "pull",
    "part",
    "Channel or name",
    PartParams,
    hint="a channel of an EXR, or things by their names (Cryptomatte)",
    needs=_source,
)
def part_matte(rgb: U8, values: dict[str, Any], context: Context, pictures: Pictures) -> F32:
    """Coverage of all that is chosen together, (H, W) float32, 0 to 1; nothing while nothing is."""
    size = rgb.shape[0], rgb.shape[1]
    low, high = float(values["low"]), float(values["high"])
    span = high - low
    out = np.zeros(size, np.float32)
    for n in range(len(pictures)):
        picture = pictures[n]
        if picture is None:
            continue
        grey = (picture - np.float32(low)) / np.float32(span if abs(span) > 1e-6 else 1e-6)
        out += fitted(np.clip(grey, 0, 1).astype(np.float32), size, str(values["fit"]))
    return np.clip(out, 0, 1)
