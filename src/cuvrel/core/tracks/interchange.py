"""What is to be tracked, as an open JSON file, and what was found."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any, Literal

import numpy as np
from pydantic import Field, ValidationError, model_validator

from cuvrel.core.recipe.errors import RecipeError
from cuvrel.core.recipe.values import Id, Strict
from cuvrel.core.tracks.align import Freedom
from cuvrel.core.tracks.follow import Found, Start, Tracker

Place = tuple[float, float]


class Wanted(Strict):
    """A track that is wanted: a point `at` a place, a region within an `outline`, a patch between four `corners`, or
    the camera, with `anchors`, places of the picture whose places in the scene are wanted on all frames.

    Plate pixels, origin at the top left corner of the top left pixel. without: a grey video of what is not looked at.
    """

    id: str = Id
    kind: Literal["point", "region", "patch", "camera"]
    frame: int = Field(ge=0)
    at: Place | None = None
    radius: float = Field(12.0, ge=4, le=400)
    outline: list[Place] | None = Field(None, min_length=3, max_length=2000)
    corners: list[Place] | None = Field(None, min_length=4, max_length=4)
    anchors: list[Place] | None = Field(None, max_length=2000)
    shear: bool = Field(False, description="a region may stretch and shear as well as grow and turn")
    without: str | None = None

    @model_validator(mode="after")
    def _marked(self) -> Wanted:
        needs = {"point": "at", "region": "outline", "patch": "corners", "camera": "anchors"}
        if getattr(self, needs[self.kind]) is None:
            raise ValueError(f"a {self.kind} needs '{needs[self.kind]}'")
        return self

    @property
    def start(self) -> Start:
        """The same as what a tracker begins with. Raises ValueError of a camera, which is solved as a whole."""
        if self.kind == "camera":
            raise ValueError("a camera is not followed from a mark")
        points = [self.at] if self.kind == "point" else self.outline if self.kind == "region" else self.corners
        freedom: Freedom | None = "stretch and shear" if self.kind == "region" and self.shear else None
        return Start(self.kind, self.frame, np.asarray(points, np.float64), self.radius, freedom)


def read_wanted(raw: Any) -> list[Wanted]:
    """Tracks that are wanted from plain JSON. Raises RecipeError with the place of the fault."""
    if not isinstance(raw, dict) or not isinstance(raw.get("tracks"), list) or not raw["tracks"]:
        raise RecipeError('What is to be tracked must be an object {"tracks": [...]}.')
    out = []
    for index, one in enumerate(raw["tracks"]):
        try:
            out.append(Wanted.model_validate(one))
        except ValidationError as fault:
            first = fault.errors()[0]
            where = ".".join(str(part) for part in first["loc"]) or "its points"
            text = str(first["msg"]).removeprefix("Value error, ")
            raise RecipeError(f"Track {index} is wrong at {where}: {text}.") from fault
    if len({one.id for one in out}) < len(out):
        raise RecipeError("Two tracks have the same id.")
    return out


def as_json(wanted: Wanted, tracker: Tracker, found: Sequence[Found], count: int) -> dict[str, Any]:
    """A track on all frames of a clip. On frames that were not tracked it stays as it was last, wholly in doubt."""
    at = {one.frame: one for one in found}
    first, last = found[0].frame, found[-1].frame
    rows = []
    for frame in range(count):
        one = at[min(max(frame, first), last)]
        doubt = one.doubt if first <= frame <= last else 1.0
        row = {"frame": frame, "points": np.round(tracker.points(one), 3).tolist(), "doubt": round(doubt, 3)}
        rows.append(row | ({"reason": one.reason} if one.reason and first <= frame <= last else {}))
    return {"id": wanted.id, "kind": wanted.kind, "frames": rows}
