"""Card: the picture of a plane as coverage, as large and as leant as it is seen in the frame."""

from __future__ import annotations

from typing import Any, Literal

import numpy as np

from cuvrel.core.arrays import F32, U8
from cuvrel.core.imaging.colour import linear_to_srgb
from cuvrel.core.imaging.sampling import about_middle
from cuvrel.core.recipe.context import Context
from cuvrel.core.recipe.declared import Params, choice, declare, number, reference
from cuvrel.core.recipe.needs import Need, Pictures, plane
from cuvrel.core.recipe.values import Scalar

LUMA = np.array([0.2126, 0.7152, 0.0722], np.float32)  # ITU-R BT.709


class CardParams(Params):
    """All that the plane's picture covers."""

    plane: str | None = reference("Plane", "plane", hint="whose picture it is; it may be switched off itself")
    by: Literal["its edge", "its brightness"] = choice(
        "its edge", "By", ["its edge", "its brightness"], hint="all that it covers, or as bright as it is"
    )
    low: Scalar = number(0.0, "Black from", 0, 1, hint="as dark as this is nothing of it; by brightness")
    high: Scalar = number(1.0, "White from", 0, 1, hint="as bright as this is all of it; by brightness")


def _plane(values: dict[str, Any], frame: int) -> list[Need]:
    return [plane(frame, values["plane"])] if values["plane"] else []


@declare(
    "pull", "card", "Card", CardParams, hint="the picture of a plane, such as a card that stands in the scene",
    needs=_plane,
)  # fmt: skip
def card_pull(rgb: U8, values: dict[str, Any], context: Context, pictures: Pictures) -> F32:
    """Coverage, (H, W) float32, 0 to 1, from a plane's own picture; nothing while none is chosen.

    By brightness: luma of what a screen shows (ITU-R BT.709), from `low` to `high`, times what the picture covers.
    """
    size = rgb.shape[0], rgb.shape[1]
    found = pictures[0] if len(pictures) else None
    if found is None:
        return np.zeros(size, np.float32)
    picture = np.asarray(about_middle(found, size), np.float32)
    cover = picture[..., 3]
    if values["by"] == "its edge":
        return np.ascontiguousarray(cover)
    straight = picture[..., :3] / np.maximum(cover, np.float32(1e-6))[..., None]
    luma = linear_to_srgb(np.clip(straight, 0, 1)) @ LUMA
    low, high = float(values["low"]), float(values["high"])
    share = np.clip((luma - low) / max(high - low, 1e-3), 0, 1)
    return np.asarray(share * cover, np.float32)
