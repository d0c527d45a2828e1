"""Tracks in the document: what is tracked, from which frame, and what the hand said on others.

What was measured is stored beside the document (see core/tracks/path.py). Plate pixels throughout, origin at the top
left corner of the top left pixel.
"""

from __future__ import annotations

from typing import Any, Literal

import numpy as np
from pydantic import Field, model_validator

from cuvrel.core.recipe.declared import Params, Reading, choice, declare_values, declared, number, reference, switch
from cuvrel.core.recipe.values import Id, Name, Strict, Xy

TrackKind = Literal["point", "region", "patch", "camera"]
FEWEST: dict[TrackKind, tuple[int, int]] = {"point": (1, 1), "region": (3, 2000), "patch": (4, 4), "camera": (0, 0)}
ON_A_TOUCH: dict[TrackKind, int] = {"point": 1, "region": 4, "patch": 4, "camera": 0}
Xyz = tuple[float, float, float]


class _Looking(Params):
    """What counts for every kind."""

    without: str | None = reference(
        "Leaves out", "matte", hint="what it covers is not looked at: a hand that passes in front"
    )
    within: str | None = reference("Keeps to", "matte", hint="nothing else is looked at")


class _Tracking(_Looking):
    """What counts for all that is followed."""

    patience: float = number(
        24, "Halts after", 1, 2000, step=1, unit="frames", slide=(1, 120), animatable=False,
        hint="so many frames on which it could not be seen",
    )  # fmt: skip


class PointParams(_Tracking):
    """A small square about a place."""

    radius: float = number(
        12, "Looks at", 4, 400, step=1, unit="px", slide=(4, 80), animatable=False,
        hint="how far about the point: as much as holds its mark and little else",
    )  # fmt: skip


class RegionParams(_Tracking):
    """What lies inside an outline."""

    freedom: Literal["position", "size and turn", "stretch and shear"] = choice(
        "size and turn", "May change", ["position", "size and turn", "stretch and shear"],
        hint="how: the less it may, the steadier it holds",
    )  # fmt: skip


class PatchParams(_Tracking):
    """A flat piece of the picture, in perspective."""


class CameraParams(_Looking):
    """Where the camera stood, by all that stands still; the subject is left out."""

    moves: Literal["it moves", "it turns alone", "either"] = choice(
        "either", "The camera", ["either", "it moves", "it turns alone"],
        hint="on a tripod it turns alone: then there is no depth",
    )  # fmt: skip
    zooms: Literal["it stays", "it changes", "either"] = choice(
        "either", "The lens", ["either", "it stays", "it changes"], hint="whether its focal length changes in the shot"
    )
    bends: bool = switch(True, "Bends", hint="the lens may show straight lines bent")
    focal: float = number(
        0.0, "Focal length", 0, 2000, step=1, unit="mm", slide=(0, 200), animatable=False,
        hint="of a lens on a picture 36 mm wide, where it is known; 0: it is found",
    )  # fmt: skip


declare_values("track", "Point", PointParams, "a small thing with a mark or a corner of its own", "point")
declare_values("track", "Region", RegionParams, "all inside an outline: position, size and turn", "region")
declare_values("track", "Patch", PatchParams, "four corners on something flat, in perspective", "patch")
declare_values(
    "track", "Camera", CameraParams, "where the camera stood, so that things can be stood in the scene", "camera"
)


class Touch(Strict):
    """Where a hand put a track on a frame: a point, or the four corners of a patch or of the box about a region."""

    frame: int = Field(ge=0)
    points: list[Xy] = Field(min_length=1, max_length=4)


class Spot(Strict):
    """A round piece of the picture on the track's frame of reference."""

    x: float
    y: float
    radius: float = Field(gt=0, le=2000)


class Space(Strict):
    """How a hand lays out the space that a camera found. All is told in that space as it was solved.

    origin: where (0, 0, 0) lies. up, ahead: two ways; what of `ahead` is not level is left out. size: how many units of
    the hand's a unit of the solved space is, and `unit` what one is called.
    """

    origin: Xyz = (0.0, 0.0, 0.0)
    up: Xyz = (0.0, -1.0, 0.0)
    ahead: Xyz = (0.0, 0.0, 1.0)
    size: float = Field(1.0, gt=0, le=1e6)
    unit: str = Field("", max_length=20)

    @model_validator(mode="after")
    def _two_ways(self) -> Space:
        up, ahead = np.array(self.up), np.array(self.ahead)
        if np.linalg.norm(np.cross(up, ahead)) < 1e-3 * np.linalg.norm(up) * np.linalg.norm(ahead) + 1e-12:
            raise ValueError("up and ahead must be two ways")
        return self


class Track(Reading):
    """Measured motion that things may ride on. Its frames are stored under its id, as a trace's are.

    frame: its frame of reference. points: there, the point, the outline or the four corners. less, more: what is left
    out of it, and what is looked at besides, whatever the outline says. A camera has none of these; its frame is one of
    those that it is solved by. space: how a hand lays out what a camera found.
    """

    id: str = Id
    name: str = Name
    kind: TrackKind
    frame: int = Field(ge=0)
    points: list[Xy] = Field(max_length=2000)
    touches: list[Touch] = Field(default_factory=list, max_length=10_000)
    less: list[Spot] = Field(default_factory=list, max_length=2000)
    more: list[Spot] = Field(default_factory=list, max_length=2000)
    params: dict[str, Any] = Field(default_factory=dict)
    space: Space | None = None

    @model_validator(mode="after")
    def _sound(self) -> Track:
        least, most = FEWEST[self.kind]
        if not least <= len(self.points) <= most:
            raise ValueError(f"a {self.kind} has {least if least == most else f'at least {least}'} points")
        if self.space is not None and self.kind != "camera":
            raise ValueError("a camera alone has a space")
        if self.kind == "camera" and self.touches:
            raise ValueError("a camera is not put anywhere by hand")
        frames = [touch.frame for touch in self.touches]
        if frames != sorted(set(frames)) or self.frame in frames:
            raise ValueError("touches must be in the order of their frames, one per frame, and none on its own frame")
        if any(len(touch.points) != ON_A_TOUCH[self.kind] for touch in self.touches):
            raise ValueError(f"a touch of a {self.kind} has {ON_A_TOUCH[self.kind]} points")
        return self

    def values(self) -> Params:
        """The checked parameters of its kind. Raises RecipeError."""
        return self._read("track", self.kind, self.params)

    @property
    def label(self) -> str:
        """What its kind is called."""
        return declared("track", self.kind).label
