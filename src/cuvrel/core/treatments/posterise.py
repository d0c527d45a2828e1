"""Posterise: few steps of brightness, or of each channel."""

from __future__ import annotations

from typing import Any, Literal

import numpy as np

from cuvrel.core.arrays import F32, F64, Single
from cuvrel.core.imaging.row_kernels import in_rows, kernel
from cuvrel.core.imaging.tables import cover_of, looked_up, table, through_tables
from cuvrel.core.recipe.context import Context
from cuvrel.core.recipe.declared import Params, choice, declare, number
from cuvrel.core.recipe.values import Scalar


class PosteriseParams(Params):
    """Five steps."""

    steps: Scalar = number(5.0, "Steps", 2, 64, step=1, hint="fewer is coarser")
    soft: Scalar = number(0.1, "Softness", 0, 1, hint="of the edges between steps")
    by: Literal["brightness", "channel"] = choice("brightness", "Steps of", ["brightness", "channel"])
    amount: Scalar = number(100.0, "Amount", 0, 100, step=1, unit="%", neutral=0)


@kernel
def _stepped(y0: int, y1: int, picture: F32, entries: F32, amount: Single, out: F32) -> None:
    for y in range(y0, y1):
        for x in range(picture.shape[1]):
            r, g, b, a = picture[y, x, 0], picture[y, x, 1], picture[y, x, 2], picture[y, x, 3]
            c = max(cover_of(r, g, b, a), np.float32(1e-6))
            luma = (np.float32(0.2126) * r + np.float32(0.7152) * g + np.float32(0.0722) * b) / c
            f = looked_up(entries, luma) / max(luma, np.float32(1e-5))
            f = np.float32(1.0) + (f - np.float32(1.0)) * amount
            out[y, x, 0], out[y, x, 1], out[y, x, 2], out[y, x, 3] = r * f, g * f, b * f, a


def stepped(v: F64, steps: float, soft: float) -> F64:
    """Display-encoded values in equal steps from 0 to 1; each rise takes a share `soft` of a step."""
    count = max(1.0, round(steps) - 1.0)
    at = np.clip(v, 0, 1) * count
    low = np.floor(at)
    rise = np.clip((at - low - 0.5) / max(soft, 1e-3) + 0.5, 0, 1)
    return np.asarray((low + rise) / count, np.float64)


@declare(
    "treatment", "posterise", "Posterise", PosteriseParams, hint="few steps of brightness, or of each channel",
    group="Line and print", rests=lambda values: float(values["amount"]) == 0,
)  # fmt: skip
def posterise(picture: F32, values: dict[str, Any], context: Context) -> F32:
    """The picture in steps, (H, W, 4) float32 premultiplied linear RGBA.

    Steps are even in display-encoded values, which lie close to how bright they look. By brightness colours keep
    their hue: they are scaled as a whole.
    """
    amount = float(values["amount"]) / 100
    steps, soft = float(values["steps"]), float(values["soft"])
    if values["by"] == "channel":
        both = table(lambda v: v + (stepped(v, steps, soft) - v) * amount)
        return through_tables(picture, both, both, both)
    out = np.empty_like(picture)
    in_rows(_stepped, len(picture), picture, table(lambda v: stepped(v, steps, soft)), np.float32(amount), out)
    return out
