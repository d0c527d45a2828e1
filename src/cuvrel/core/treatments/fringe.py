"""Colour fringe: the channels come apart."""

from __future__ import annotations

from typing import Any, Literal

import numpy as np

from cuvrel.core.arrays import F32, F64
from cuvrel.core.imaging.row_kernels import in_rows, kernel
from cuvrel.core.imaging.sampling import middle
from cuvrel.core.recipe.context import Context
from cuvrel.core.recipe.declared import Params, choice, declare, number, point
from cuvrel.core.recipe.values import Point, Scalar


class FringeParams(Params):
    """A fringe across that is seen at once."""

    amount: Scalar = number(
        10.0, "Amount", 0, 400, step=0.5, unit="px", neutral=0, slide=(0, 60), hint="from red to blue"
    )
    way: Literal["along a direction", "out from a place"] = choice(
        "along a direction", "Apart", ["along a direction", "out from a place"]
    )
    direction: Scalar = number(0.0, "Direction", -36_000, 36_000, step=1, unit="°", slide=(-180, 180), direction=True)
    centre: Point = point((0.0, 0.0), "Place")
    steps: float = number(3.0, "Steps", 3, 15, step=2, animatable=False, hint="more than three make a spectrum of it")


def weights(count: int) -> F64:
    """How much of red, green and blue each step carries, (count, 3): each channel's add up to 1."""
    at = np.linspace(-1, 1, count)
    rows = np.stack([np.clip(1 - np.abs(at - middle), 0, 1) for middle in (-1, 0, 1)], axis=1)
    return np.asarray(rows / rows.sum(axis=0), np.float64)


@kernel
def _apart(y0: int, y1: int, picture: F32, ways: F32, parts: F32, out: F32) -> None:
    h, w = picture.shape[0], picture.shape[1]
    zero = np.float32(0.0)
    for y in range(y0, y1):
        out[y] = zero
        for n in range(ways.shape[0]):
            grow, px, py = ways[n, 0], ways[n, 1], ways[n, 2]
            sy = min(max(np.float32(y) * grow + py, zero), np.float32(h - 1))
            top = min(np.int32(sy), h - 2)
            ty = sy - np.float32(top)
            for x in range(w):
                sx = min(max(np.float32(x) * grow + px, zero), np.float32(w - 1))
                left = min(np.int32(sx), w - 2)
                tx = sx - np.float32(left)
                for k in range(4):
                    if parts[n, k] > zero:
                        a = picture[top, left, k] + (picture[top, left + 1, k] - picture[top, left, k]) * tx
                        b = picture[top + 1, left, k] + (picture[top + 1, left + 1, k] - picture[top + 1, left, k]) * tx
                        out[y, x, k] += parts[n, k] * (a + (b - a) * ty)


@declare(
    "treatment", "fringe", "Colour fringe", FringeParams, hint="red, green and blue come apart", group="Break",
    rests=lambda values: float(values["amount"]) == 0,
)  # fmt: skip
def fringe(picture: F32, values: dict[str, Any], context: Context) -> F32:
    """The picture with its channels apart, (H, W, 4) float32 premultiplied linear RGBA; as much light as before.

    Copies of it are moved by equal steps, each of them in its part of the spectrum; alpha is the mean of all three.
    """
    h, w = picture.shape[:2]
    far = float(values["amount"]) * context.scale / 2
    turn = np.deg2rad(float(values["direction"]))
    at = np.array(middle(picture, values, context.scale))
    reach = max(float(np.hypot(*np.maximum(at, (w, h) - at))), 1.0)
    parts = weights(round(float(values["steps"])) // 2 * 2 + 1)
    steps = np.linspace(-1, 1, len(parts))
    ways = np.empty((len(parts), 3), np.float32)  # where each step takes from: x and y times the first, plus the others
    if values["way"] == "out from a place":
        ways[:, 0] = 1 / np.maximum(1 + far * steps / reach, 1e-3)
        ways[:, 1:] = at * (1 - ways[:, :1])
    else:
        ways[:, 0] = 1
        ways[:, 1], ways[:, 2] = -far * steps * np.cos(turn), -far * steps * np.sin(turn)
    out = np.empty_like(picture)
    shares = np.column_stack([parts, parts.mean(axis=1)]).astype(np.float32)
    in_rows(_apart, h, picture, ways, shares, out)
    return out
