"""Seam: the region of a take within the cheapest closed line about a thing of it."""

from __future__ import annotations

from typing import Any, Literal

import numpy as np

from cuvrel.core.arrays import F32, U8
from cuvrel.core.imaging.colour import encode
from cuvrel.core.imaging.sampling import about_middle
from cuvrel.core.recipe.context import Context
from cuvrel.core.recipe.declared import Params, choice, declare, number, point, reference
from cuvrel.core.recipe.needs import Need, Pictures, behind, plane
from cuvrel.core.recipe.values import Point, Scalar
from cuvrel.core.takes.seam import seam


class SeamParams(Params):
    """A thing in the middle of the plate, as soft as the takes agree."""

    plane: str | None = reference("Take", "plane", hint="the plane whose picture is compared with the plate")
    around: Literal["the thing there", "all that differs"] = choice(
        "the thing there", "Around", ["the thing there", "all that differs"],
        hint="what differs in one piece with the place, or each thing within reach",
    )  # fmt: skip
    place: Point = point((0.0, 0.0), "Place", hint="on the thing that the line runs around")
    reach: Scalar = number(
        200.0, "Reach", 8, 8000, step=1, unit="px", slide=(8, 800), hint="the line runs no further from the place"
    )
    soft: Scalar = number(
        24.0, "Softness", 0.5, 500, step=0.5, unit="px", slide=(0.5, 100),
        hint="at most, on either side; less where the takes differ near the line",
    )  # fmt: skip


def _take(values: dict[str, Any], frame: int) -> list[Need]:
    return [plane(frame, values["plane"]), behind(frame, values["plane"])] if values["plane"] else []


@declare(
    "pull", "seam", "Seam", SeamParams,
    hint="around a thing of a take, along the line where it agrees with the plate", needs=_take, behind=True,
)  # fmt: skip
def seam_pull(rgb: U8, values: dict[str, Any], context: Context, pictures: Pictures) -> F32:
    """Coverage of the take within its seam, (H, W) float32, 0 to 1; nothing while no take is chosen.

    The take is compared with what lies behind it, which may be the plate frozen.
    """
    high, wide = rgb.shape[:2]
    taken = pictures[0] if len(pictures) else None
    if taken is None:
        return np.zeros((high, wide), np.float32)
    taken, lies = about_middle(taken, (high, wide)), pictures[1]
    first = rgb if lies is None else encode(about_middle(lies, (high, wide)))
    x, y = (float(c) * context.scale for c in values["place"])
    reach, soft = float(values["reach"]) * context.scale, float(values["soft"]) * context.scale
    return seam(first, encode(taken), (wide / 2 + x, high / 2 + y), reach, soft, taken[..., 3] > 0.99,
                values["around"] == "all that differs")  # fmt: skip
