"""Colour fringe: the channels come apart."""

from __future__ import annotations

from typing import Any, Literal

import cv2
import numpy as np
from numpy.typing import NDArray

from cuvrel.core.recipe.context import Context
from cuvrel.core.recipe.declared import Params, choice, declare, number, point
from cuvrel.core.recipe.values import Point, Scalar

F32 = NDArray[np.float32]
F64 = NDArray[np.float64]


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
    x, y = (float(n) * context.scale for n in values["centre"])
    at = np.array([w / 2 + x - 0.5, h / 2 + y - 0.5])
    reach = max(float(np.hypot(*np.maximum(at, (w, h) - at))), 1.0)
    parts = weights(round(float(values["steps"])) // 2 * 2 + 1)
    out = np.zeros_like(picture)
    for step, share in zip(np.linspace(-1, 1, len(parts)), parts, strict=True):
        if values["way"] == "out from a place":
            size = 1 + far * step / reach
            way = np.array([[size, 0, at[0] * (1 - size)], [0, size, at[1] * (1 - size)]])
        else:
            way = np.array([[1, 0, far * step * np.cos(turn)], [0, 1, far * step * np.sin(turn)]])
        moved = cv2.warpAffine(picture, way, (w, h), flags=cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE)
        out += np.asarray(moved, np.float32) * np.append(share, share.mean()).astype(np.float32)
    return np.maximum(out, 0)
