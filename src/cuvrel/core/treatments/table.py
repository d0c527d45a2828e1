"""Table: colours through a table of a file's, as a screen shows them or as light."""

from __future__ import annotations

from typing import Any, Literal

import numpy as np

from cuvrel.core.arrays import F32
from cuvrel.core.imaging.colour import linear_to_srgb, srgb_to_linear
from cuvrel.core.imaging.tables import covered
from cuvrel.core.media.cube import through
from cuvrel.core.media.space import film_to_light, light_to_film
from cuvrel.core.recipe.context import Context
from cuvrel.core.recipe.declared import Params, choice, declare, number, reference
from cuvrel.core.recipe.needs import Pictures, table
from cuvrel.core.recipe.values import Scalar

Coded = Literal["as displayed", "film log", "linear light"]


class TableParams(Params):
    """A table that takes and gives what a screen shows, as most do."""

    table: str | None = reference("Table", "table", hint="a colour table (.cube) of the project's footage")
    takes: Coded = choice(
        "as displayed", "It takes", ["as displayed", "film log", "linear light"],
        hint="how the colours are coded that the table was made for",
    )  # fmt: skip
    gives: Coded = choice("as displayed", "It gives", ["as displayed", "film log", "linear light"])
    strength: Scalar = number(1.0, "Strength", 0, 1, neutral=0)


def _coded(light: F32, how: str) -> F32:
    if how == "as displayed":
        return linear_to_srgb(np.clip(light, 0, 1))
    return light_to_film(light) if how == "film log" else light


def _light(values: F32, how: str) -> F32:
    if how == "as displayed":
        return srgb_to_linear(np.clip(values, 0, 1))
    return film_to_light(values) if how == "film log" else values


@declare(
    "treatment",
    "table",
    "Table",
    TableParams,
    hint="colours through a table of a .cube file",
    group="Colour",
    needs=lambda values, frame: [table(values["table"])] if values["table"] else [],
    rests=lambda values: not values["table"] or float(values["strength"]) == 0,
)
def through_table(picture: F32, values: dict[str, Any], context: Context, pictures: Pictures) -> F32:
    """The picture through a table, (H, W, 4) float32 premultiplied linear RGBA.

    The table sees colour that is not multiplied by alpha; what is beyond its ends is taken for them.
    """
    found = pictures[0] if len(pictures) else None
    if found is None:
        return picture
    cover = covered(picture)
    straight = (picture[..., :3] / np.maximum(cover, np.float32(1e-6))).astype(np.float32)
    made = np.maximum(_light(through(_coded(straight, values["takes"]), found), values["gives"]), 0)
    share = np.float32(values["strength"])
    out = picture.copy()
    out[..., :3] += share * (made * cover - picture[..., :3])
    return out
