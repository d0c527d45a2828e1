"""The document of a look: an open JSON file that stands for itself.

    {"cuvrel_look": 1, "name": "...", "about": "...", "frames": 96, "width": 1280, "height": 720,
     "needs": [{"id": "m", "of": "matte", "name": "Signaller"}],
     "planes": [...], "treatments": [...], "picture": "data:image/jpeg;base64,..."}

Planes and treatments are as in a shot's document; times are counted from the first frame of the range that the look
was made for, sizes are pixels of a plate as large as it says.
"""

from __future__ import annotations

import json
from typing import Any, Literal

from pydantic import Field, ValidationError, model_validator

from cuvrel.core.recipe.errors import RecipeError
from cuvrel.core.recipe.models import Plane, Step
from cuvrel.core.recipe.values import Id, Name, Strict

LARGEST = 4_000_000  # characters of a file


class Need(Strict):
    """Something of the shot that a look is laid on: which kind it is of, and what it was called."""

    id: str = Id
    of: Literal["matte", "footage"]
    name: str = Field(min_length=1, max_length=255)


class Look(Strict):
    """Planes, front to back; or treatments for a plane that there is. frames: how many the range had."""

    cuvrel_look: Literal[1] = 1
    name: str = Name
    about: str = Field("", max_length=300)
    frames: int = Field(gt=0)
    width: int = Field(gt=0, le=16384)
    height: int = Field(gt=0, le=16384)
    needs: list[Need] = Field(default_factory=list, max_length=100)
    planes: list[Plane] = Field(default_factory=list, max_length=200)
    treatments: list[Step] = Field(default_factory=list, max_length=200)
    picture: str | None = Field(None, max_length=400_000, pattern=r"^data:image/jpeg;base64,[A-Za-z0-9+/=]+$")

    @model_validator(mode="after")
    def _one_of_both(self) -> Look:
        if bool(self.planes) == bool(self.treatments):
            raise ValueError("a look holds planes, or treatments, and not both")
        return self


def read_look(raw: Any) -> Look:
    """A look from its file's text or from plain JSON. Raises RecipeError with a sentence."""
    if isinstance(raw, str):
        if len(raw) > LARGEST:
            raise RecipeError("The file is too large for a look.")
        try:
            raw = json.loads(raw)
        except ValueError as fault:
            raise RecipeError("This is no look: the file is not JSON.") from fault
    if not isinstance(raw, dict) or "cuvrel_look" not in raw:
        raise RecipeError("This is no look: it has no 'cuvrel_look'.")
    try:
        look = Look.model_validate(raw)
    except ValidationError as fault:
        first = fault.errors()[0]
        where = "/".join(str(part) for part in first["loc"]) or "its contents"
        text = str(first["msg"]).removeprefix("Value error, ")
        raise RecipeError(f"The look is wrong at {where}: {text}.") from fault
    for plane in look.planes:
        for family in ("plane", "placement", "time", "card"):
            plane.values(family)
    for step in [*look.treatments, *(step for plane in look.planes for step in plane.treatments)]:
        step.values()
    return look


def written(look: Look) -> str:
    """A look as its file's text."""
    return json.dumps(look.model_dump(mode="json"), indent=1, ensure_ascii=False) + "\n"
