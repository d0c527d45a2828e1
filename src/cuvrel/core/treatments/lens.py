"""Lens bend: barrel and pincushion, by the division model."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

from cuvrel.core.arrays import F32
from cuvrel.core.imaging.sampling import grid, middle, taken
from cuvrel.core.recipe.context import Context
from cuvrel.core.recipe.declared import Params, declare, number, point, switch
from cuvrel.core.recipe.values import Point, Scalar


class LensParams(Params):
    """A barrel that is seen at once."""

    bend: Scalar = number(
        25.0, "Bend", -90, 90, step=1, unit="%", neutral=0, hint="above 0 a barrel, below 0 a pincushion"
    )
    fringe: Scalar = number(
        0.0, "Colour fringe", -20, 20, step=0.1, unit="%", neutral=0, hint="how much more blue bends than red"
    )
    fill: bool = switch(True, "Fill corners", hint="grows until no border is seen")
    centre: Point = point((0.0, 0.0), "Centre")


def undistorted(r: NDArray, k: float) -> NDArray:
    """Radii by the division model: r / (1 + k r^2), in half diagonals (Fitzgibbon, CVPR 2001)."""
    return r / np.maximum(1 + k * r * r, 0.05)


@declare(
    "treatment", "lens", "Lens bend", LensParams, hint="barrel or pincushion, as a lens bends", group="Bend",
    rests=lambda values: float(values["bend"]) == 0 and float(values["fringe"]) == 0,
)  # fmt: skip
def lens(picture: F32, values: dict[str, Any], context: Context) -> F32:
    """The picture bent by the division model of a lens, (H, W, 4) float32 premultiplied linear RGBA.

    A pixel at a radius r (half diagonals from the centre) is taken from r / (1 + k r^2), k being the bend; borders
    mirror where they are seen.
    """
    h, w = picture.shape[:2]
    mx, my = middle(picture, values, context.scale)
    half = np.hypot(w, h) / 2
    x, y = grid(picture)
    dx, dy = (x - np.float32(mx)) / np.float32(half), (y - np.float32(my)) / np.float32(half)
    square = dx * dx + dy * dy
    bend = -float(values["bend"]) / 100

    def bent(k: float) -> F32:
        factor = 1 / np.maximum(1 + np.float32(k) * square, np.float32(0.05))
        if values["fill"]:
            # what is seen furthest out comes no further than from the border
            edges = np.array(
                [[0, my], [w - 1, my], [mx, 0], [mx, h - 1], [0, 0], [w - 1, 0], [0, h - 1], [w - 1, h - 1]]
            )
            away = np.maximum(np.hypot(edges[:, 0] - mx, edges[:, 1] - my) / half, 1e-6)
            factor = factor * np.float32(1 / max(1.0, float((undistorted(away, k) / away).max())))
        factor = np.asarray(factor, np.float32)
        far = factor * np.float32(half)
        x0, y0 = (np.asarray(m + d * far, np.float32) for m, d in ((mx, dx), (my, dy)))
        return taken(picture, x0, y0)

    apart = float(values["fringe"]) / 100
    if apart == 0:
        return bent(bend)
    red, green, blue = (bent(bend + side * apart) for side in (0.5, 0.0, -0.5))
    out = green.copy()
    out[..., 0], out[..., 2] = red[..., 0], blue[..., 2]
    return out
