"""Radial blur: spinning or zooming about a place."""

from __future__ import annotations

from typing import Any, Literal

import numpy as np

from cuvrel.core.arrays import F32, F64
from cuvrel.core.imaging.blur import swept
from cuvrel.core.imaging.sampling import about
from cuvrel.core.recipe.context import Context
from cuvrel.core.recipe.declared import Params, choice, declare, number, point
from cuvrel.core.recipe.values import Point, Scalar


class RadialParams(Params):
    """A zoom that is seen at once."""

    kind: Literal["zoom", "spin"] = choice("zoom", "Kind", ["zoom", "spin"])
    amount: Scalar = number(
        12.0, "Amount", 0, 100, step=0.5, unit="%", neutral=0, hint="of growth; spinning, of a right angle"
    )
    centre: Point = point((0.0, 0.0), "Centre")


@declare(
    "treatment", "radial", "Radial blur", RadialParams, hint="spinning or zooming about a place",
    group="Blur and texture", rests=lambda values: float(values["amount"]) == 0,
)  # fmt: skip
def radial(picture: F32, values: dict[str, Any], context: Context) -> F32:
    """The mean of the picture along a turn or a growth, (H, W, 4) float32 premultiplied linear RGBA; borders hold."""
    h, w = picture.shape[:2]
    x, y = (float(n) * context.scale for n in values["centre"])
    at = np.array([w / 2 + x - 0.5, h / 2 + y - 0.5])
    reach = float(np.hypot(*np.maximum(at, (w, h) - at)))
    share = float(values["amount"]) / 100
    spins = values["kind"] == "spin"
    whole = share * np.pi / 2 if spins else np.log1p(share)

    def way(part: float) -> F64:
        return about(at, 1.0, np.rad2deg(whole * part)) if spins else about(at, float(np.exp(whole * part)), 0.0)

    return swept(picture, reach * whole, way)
