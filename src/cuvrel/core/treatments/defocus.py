"""Defocus: out of focus, as a lens shows it, by a disc or by blades."""

from __future__ import annotations

from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from cuvrel.core.recipe.context import Context
from cuvrel.core.recipe.declared import Params, declare, number
from cuvrel.core.recipe.values import Scalar

F32 = NDArray[np.float32]
LARGEST = 10.0  # pixels of a radius that is worked out in full; larger ones in a smaller picture


class DefocusParams(Params):
    """Plainly out of focus."""

    radius: Scalar = number(12.0, "Radius", 0, 400, step=0.5, unit="px", neutral=0, slide=(0, 80))
    blades: float = number(0.0, "Blades", 0, 12, step=1, animatable=False, hint="below 3 a disc")
    turn: Scalar = number(0.0, "Turn", -360, 360, step=1, unit="°", slide=(-90, 90), hint="of the blades")
    highlights: Scalar = number(
        1.0, "Highlights", 0, 8, step=0.05, slide=(0, 4), hint="how much brighter than they were lights shine"
    )


def aperture(radius: float, blades: int, turn: float) -> F32:
    """The opening's picture, whose sum is 1, each pixel by how much of it is covered; turn in degrees."""
    half = int(np.ceil(radius)) + 1
    fine = (np.arange((2 * half + 1) * 4) + 0.5) / 4 - half - 0.5
    x, y = np.meshgrid(fine, fine)
    if blades < 3:
        inside = np.hypot(x, y) <= radius
    else:
        angle = np.arctan2(y, x) + np.deg2rad(turn)
        part = 2 * np.pi / blades
        inside = np.hypot(x, y) * np.cos((angle % part) - part / 2) <= radius * np.cos(part / 2)
    size = 2 * half + 1
    cover = inside.reshape(size, 4, size, 4).mean(axis=(1, 3))
    return np.asarray(cover / max(cover.sum(), 1e-6), np.float32)


@declare(
    "treatment", "defocus", "Defocus", DefocusParams, hint="out of focus, by a disc or by blades",
    group="Blur and texture", rests=lambda values: float(values["radius"]) == 0,
)  # fmt: skip
def defocus(picture: F32, values: dict[str, Any], context: Context) -> F32:
    """The picture seen out of focus, (H, W, 4) float32 premultiplied linear RGBA, in linear light; borders mirror.

    Highlights: light above a half of white is raised before, as film or a sensor that ran over would have held it.
    """
    h, w = picture.shape[:2]
    radius = float(values["radius"]) * context.scale
    by = max(1.0, radius / LARGEST)
    size = max(2, round(w / by)), max(2, round(h / by))
    small = cv2.resize(picture, size, interpolation=cv2.INTER_AREA) if by > 1 else picture
    raised = float(values["highlights"])
    if raised != 1:
        small = small.copy()
        top = small[..., :3].max(axis=2)
        lift = 1 + (raised - 1) * np.clip((top - 0.5) * 2, 0, 1) ** 2
        small[..., :3] *= lift[..., None].astype(np.float32)
    opening = aperture(radius / by, round(float(values["blades"])), float(values["turn"]))
    seen = cv2.filter2D(small, -1, opening, borderType=cv2.BORDER_REFLECT)
    if by > 1:
        seen = cv2.resize(seen, (w, h), interpolation=cv2.INTER_CUBIC)
    # a large opening is worked out by Fourier's way, whose rounding may fall below 0
    out = np.maximum(np.asarray(seen, np.float32), 0)
    np.minimum(out[..., 3], 1, out=out[..., 3])
    return out
