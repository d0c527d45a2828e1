"""Edge: grow, feather, clean black and white, gamma."""

from __future__ import annotations

from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from cuvrel.core.edge.distance import signed_distance
from cuvrel.core.recipe.declared import Params, declare, number
from cuvrel.core.recipe.values import Scalar

F32 = NDArray[np.float32]


class EdgeParams(Params):
    """What the edge step may do; the defaults change nothing."""

    grow: Scalar = number(
        0.0, "Grow", -40, 40, step=0.1, unit="px", neutral=0, hint="moves the outline out, or in below 0"
    )
    feather_in: Scalar = number(0.0, "Inner feather", 0, 80, step=0.5, unit="px", neutral=0, hint="softens inwards")
    feather_out: Scalar = number(0.0, "Outer feather", 0, 80, step=0.5, unit="px", neutral=0, hint="softens outwards")
    clean_black: Scalar = number(0.0, "Clean black", 0, 0.95, neutral=0, hint="what lies below becomes 0")
    clean_white: Scalar = number(1.0, "Clean white", 0.05, 1, neutral=1, hint="what lies above becomes 1")
    gamma: Scalar = number(1.0, "Gamma", 0.2, 5, neutral=1, hint="lifts or lowers what is between")


@declare("edge", "edge", "Edge", EdgeParams, hint="the last step of every matte")
def edge(matte: F32, values: dict[str, Any], scale: float) -> F32:
    """The matte after its edge step, (H, W) float32, 0 to 1.

    values: the parameters at this frame, in plate pixels; `scale` is this picture's size over the plate's.
    """
    grow = float(values["grow"]) * scale
    inner, outer = float(values["feather_in"]) * scale, float(values["feather_out"]) * scale
    out = matte
    if grow or inner or outer:
        out = _moved(matte, grow, inner, outer)
    low, high = float(values["clean_black"]), float(values["clean_white"])
    if low > 0 or high < 1:
        out = np.clip((out - low) / max(0.01, high - low), 0, 1)
    if values["gamma"] != 1:
        out = np.power(np.clip(out, 0, 1), 1.0 / float(values["gamma"]))
    return out.astype(np.float32)


def _moved(matte: F32, grow: float, inner: float, outer: float) -> F32:
    """Moves the outline along its normal, so that soft edges keep their softness, then feathers it."""
    distance = signed_distance(matte)
    out = matte
    if grow:
        smooth = cv2.GaussianBlur(distance, (0, 0), 1.0)
        gx, gy = cv2.Sobel(smooth, cv2.CV_32F, 1, 0, scale=0.125), cv2.Sobel(smooth, cv2.CV_32F, 0, 1, scale=0.125)
        length = np.maximum(cv2.magnitude(gx, gy), 1e-3)
        y, x = np.mgrid[0 : matte.shape[0], 0 : matte.shape[1]].astype(np.float32)
        moved = cv2.remap(matte, x + gx / length * grow, y + gy / length * grow, cv2.INTER_LINEAR,
                          borderMode=cv2.BORDER_REPLICATE)  # fmt: skip
        # far from any soft edge the distance alone decides, and folds of the normals do no harm
        plain = np.clip(distance + grow + 0.5, 0, 1)
        out = np.where(np.abs(distance + grow) > abs(grow) + 2, plain, moved).astype(np.float32)
        distance = distance + grow
    if inner or outer:
        ramp = np.clip((distance + outer + 0.5) / (inner + outer + 1.0), 0, 1)
        soft = ramp * ramp * (3 - 2 * ramp)
        # inside keeps its own detail where the feather does not reach
        out = np.where(distance > inner + 2, out, np.where(distance < -outer - 2, np.minimum(out, soft), soft))
    return np.clip(out, 0, 1).astype(np.float32)
