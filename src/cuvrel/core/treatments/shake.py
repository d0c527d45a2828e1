"""Shake: as held by a hand, or by a jolt."""

from __future__ import annotations

from typing import Any, Literal

import cv2
import numpy as np

from cuvrel.core.arrays import F32, F64
from cuvrel.core.imaging.blur import swept
from cuvrel.core.imaging.sampling import about
from cuvrel.core.recipe.context import Context
from cuvrel.core.recipe.declared import Params, choice, declare, number
from cuvrel.core.recipe.values import Scalar, wander

BORDERS = {"none": cv2.BORDER_CONSTANT, "clamp": cv2.BORDER_REPLICATE, "mirror": cv2.BORDER_REFLECT}


class ShakeParams(Params):
    """A hand-held camera."""

    across: Scalar = number(10.0, "Across", 0, 2000, step=0.5, unit="px", neutral=0, slide=(0, 100))
    down: Scalar = number(8.0, "Down", 0, 2000, step=0.5, unit="px", neutral=0, slide=(0, 100))
    turn: Scalar = number(0.6, "Turn", 0, 180, step=0.1, unit="°", neutral=0, slide=(0, 20))
    growth: Scalar = number(0.0, "Growth", 0, 100, step=0.5, unit="%", neutral=0, slide=(0, 20))
    pace: Scalar = number(5.0, "Pace", 0.1, 60, step=0.1, unit="/s", slide=(0.1, 20))
    kind: Literal["smooth", "jerky"] = choice("smooth", "Moves", ["smooth", "jerky"])
    blur: Scalar = number(0.0, "Motion blur", 0, 360, step=5, unit="°", hint="of its own movement; 180 is usual")
    border: Literal["none", "clamp", "mirror"] = choice("mirror", "Beyond it", ["none", "clamp", "mirror"])
    seed: float = number(1.0, "Variant", 0, 9999, step=1, animatable=False)


def _still(values: dict[str, Any]) -> bool:
    return all(float(values[name]) == 0 for name in ("across", "down", "turn", "growth"))


@declare(
    "treatment", "shake", "Shake", ShakeParams, hint="as held by a hand, or by a jolt", group="Break",
    rests=_still, clock=lambda values: True,
)  # fmt: skip
def shake(picture: F32, values: dict[str, Any], context: Context) -> F32:
    """The picture shaken about its middle, (H, W, 4) float32 premultiplied linear RGBA; each part by its own noise."""
    h, w = picture.shape[:2]
    seed, pace, fps = 5 * round(float(values["seed"])), float(values["pace"]), context.fps
    parts = [float(values[name]) for name in ("across", "down", "turn", "growth")]

    def moved(frame: float) -> list[float]:
        time = frame / fps * pace
        time = np.floor(time + 1e-9) if values["kind"] == "jerky" else time
        return [part * wander(seed + n, float(time)) for n, part in enumerate(parts)]

    def way(dx: float, dy: float, turn: float, growth: float) -> F64:
        by = dx * context.scale, dy * context.scale
        return about((w / 2 - 0.5, h / 2 - 0.5), 1 + growth / 100, turn, by)

    border = BORDERS[str(values["border"])]
    here = moved(float(context.frame))
    out = cv2.warpAffine(picture, way(*here), (w, h), flags=cv2.INTER_LINEAR, borderMode=border)
    shutter = float(values["blur"]) / 360
    if shutter > 0 and values["kind"] == "smooth":
        by = np.subtract(moved(context.frame + shutter / 2), moved(context.frame - shutter / 2))
        far = float(np.hypot(by[0], by[1]) * context.scale + abs(np.deg2rad(by[2])) * np.hypot(w, h) / 2)
        out = swept(np.asarray(out, np.float32), far, lambda share: way(*(by * share)), border)
    return np.asarray(out, np.float32)
