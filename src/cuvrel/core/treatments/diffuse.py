"""Diffuse: pixels scattered, as through rough glass."""

from __future__ import annotations

from typing import Any

import cv2
import numpy as np

from cuvrel.core.arrays import F32
from cuvrel.core.imaging.sampling import grid, taken
from cuvrel.core.recipe.context import Context
from cuvrel.core.recipe.declared import Params, declare, number
from cuvrel.core.recipe.values import Scalar


class DiffuseParams(Params):
    """Pixels scattered a little."""

    amount: Scalar = number(
        8.0, "Amount", 0, 1000, step=0.5, unit="px", neutral=0, slide=(0, 80), hint="how far pixels stray"
    )
    size: Scalar = number(1.5, "Size", 0.5, 60, step=0.1, unit="px", slide=(0.5, 12), hint="of what strays together")
    pace: Scalar = number(12.0, "Pace", 0, 60, step=0.5, unit="/s", hint="how often it changes; 0 stands still")
    seed: float = number(1.0, "Variant", 0, 9999, step=1, animatable=False)


@declare(
    "treatment", "diffuse", "Diffuse", DiffuseParams, hint="pixels scattered, as through rough glass", group="Break",
    rests=lambda values: float(values["amount"]) == 0, clock=lambda values: float(values["pace"]) > 0,
)  # fmt: skip
def diffuse(picture: F32, values: dict[str, Any], context: Context) -> F32:
    """The picture with its pixels taken from places that stray, (H, W, 4) float32 premultiplied linear RGBA."""
    h, w = picture.shape[:2]
    pace = float(values["pace"])
    step = int(np.floor(context.frame / context.fps * pace + 1e-9)) if pace > 0 else 0
    size = max(float(values["size"]) * context.scale, 1.0)
    rng = np.random.default_rng((round(float(values["seed"])), step))
    nodes = rng.uniform(-1, 1, (int(np.ceil(h / size)), int(np.ceil(w / size)), 2)).astype(np.float32)
    far = np.float32(float(values["amount"]) * context.scale)
    stray = cv2.resize(nodes, (w, h), interpolation=cv2.INTER_NEAREST) * far
    x, y = grid(picture)
    return taken(picture, x + stray[..., 0], y + stray[..., 1])
