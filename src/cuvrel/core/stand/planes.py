"""The kinds of planes and their own parameters."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

from cuvrel.core.edge.distance import signed_distance
from cuvrel.core.media.colour import srgb_to_linear
from cuvrel.core.recipe.declared import Params, colour, declare, number
from cuvrel.core.recipe.values import Colour, Scalar

F32 = NDArray[np.float32]


class NoParams(Params):
    """A kind without parameters of its own."""


class LineParams(Params):
    """A line that is seen at once."""

    width: Scalar = number(
        3.0, "Line width", 0, 100, step=0.5, unit="px", neutral=0, hint="0 leaves the line to treatments"
    )
    colour: Colour = colour((1.0, 0.98, 0.92), "Line colour")


@declare("plane", "line", "Line", LineParams, hint="a line along a matte's edge", needs_matte=True)
def line(matte: F32, values: dict[str, Any], scale: float) -> F32:
    """A line centred on the matte's outline, (H, W, 4) float32 premultiplied linear RGBA."""
    half = float(values["width"]) * scale / 2
    out = np.zeros((*matte.shape, 4), np.float32)
    if half > 0:
        cover = np.clip(half + 0.5 - np.abs(signed_distance(matte, half + 1)), 0, min(1.0, 2 * half))
        out[..., :3] = cover[..., None] * srgb_to_linear(np.asarray(values["colour"]))
        out[..., 3] = cover
    return out


@declare("plane", "plate", "Plate", NoParams, hint="the footage that the shot works on")
def plate(picture: F32, values: dict[str, Any], scale: float) -> F32:
    """The plate as it is."""
    return picture


@declare("plane", "cutout", "Cut-out", NoParams, hint="the plate seen through a matte", needs_matte=True)
def cutout(picture: F32, values: dict[str, Any], scale: float) -> F32:
    """The plate as it is; the stand sees it through the matte."""
    return picture


@declare("plane", "glaze", "Glaze", NoParams, hint="treats all that lies behind it")
def glaze(picture: F32, values: dict[str, Any], scale: float) -> F32:
    """What lies behind, as it is; the glaze's treatments do the work."""
    return picture
