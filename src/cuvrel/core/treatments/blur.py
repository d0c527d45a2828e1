"""Gaussian blur."""

from __future__ import annotations

from typing import Any

from cuvrel.core.arrays import F32
from cuvrel.core.imaging.blur import blurred
from cuvrel.core.recipe.context import Context
from cuvrel.core.recipe.declared import Params, declare, number
from cuvrel.core.recipe.values import Scalar


class BlurParams(Params):
    """A blur that is seen at once."""

    radius: Scalar = number(12.0, "Radius", 0, 2000, step=0.5, unit="px", neutral=0, slide=(0, 200))
    across: Scalar = number(100.0, "Across", 0, 100, step=1, unit="%", hint="of the radius")
    down: Scalar = number(100.0, "Down", 0, 100, step=1, unit="%", hint="of the radius")


@declare(
    "treatment", "blur", "Gaussian blur", BlurParams, hint="soft all over, or in one direction of the frame",
    group="Blur and texture", rests=lambda values: float(values["radius"]) == 0,
)  # fmt: skip
def blur(picture: F32, values: dict[str, Any], context: Context) -> F32:
    """The picture blurred, (H, W, 4) float32 premultiplied linear RGBA; the radius is two sigmas. Borders mirror."""
    sigma = 0.5 * float(values["radius"]) * context.scale
    return blurred(picture, *(sigma * float(values[name]) / 100 for name in ("across", "down")))
