"""Requests and answers about tracks and what rides on them."""

from __future__ import annotations

from typing import Any, Literal

from pydantic import BaseModel, Field

from cuvrel.core.recipe.values import Riding
from cuvrel.web.models import In

Numbers = list[float]


class TrackPath(BaseModel):
    """A track of a shot."""

    id: int = Field(ge=1, le=2_147_483_647)
    track: str = Field(max_length=40)


class TrackRequest(In):
    """Follow tracks from a frame: step 1 is on, -1 is back, 0 is all of them from each touched frame.

    to: the frame that is followed to at the most.
    """

    tracks: list[str] = Field(min_length=1, max_length=50)
    start: int = Field(ge=0)
    step: Literal[1, -1, 0]
    to: int | None = Field(None, ge=0)


class PathOut(BaseModel):
    """A track on every frame of the plate.

    since: how it has moved since its frame of reference, nine numbers of a (3, 3) matrix between plate pixels, row by
    row. seen: whether it was measured there, or put there by hand. box: what a touch places, on the frame of reference.
    """

    since: list[Numbers]
    seen: list[bool]
    box: list[Numbers]


class SceneOut(BaseModel):
    """A solved camera, in the space that it was solved in.

    views: of each frame of the plate 13 numbers: how the scene is turned before the camera, row by row, how it is
    shifted then, and the focal length in pixels; null where it is not solved. errors: pixels that its features are off.
    bend: of the lens, k1 and k2. still: the camera turns alone. kept: the share of what was followed that agrees.
    says: what is unsure.
    """

    solved: bool
    views: list[Numbers | None]
    errors: list[float | None]
    bend: list[float]
    points: list[Numbers]
    still: bool
    kept: float
    error: float
    says: str


class PlaceRequest(In):
    """A place of the picture whose place in the scene is asked for: x and y in plate pixels, on a frame."""

    frame: int = Field(ge=0)
    x: float = Field(ge=-100_000, le=100_000)
    y: float = Field(ge=-100_000, le=100_000)


class PlaceOut(BaseModel):
    """A place of the scene. at, facing: in the space as it was solved, and which way the surface faces there. told,
    faces: the same as the hand has laid the space out. ground: where the ground lies under that place of the picture,
    as `told`; null above the horizon. doubt: 0 to 1."""

    at: Numbers
    facing: Numbers
    told: Numbers
    faces: Numbers
    ground: Numbers | None
    doubt: float


class SceneFile(BaseModel):
    """A camera's scene as a file."""

    id: int = Field(ge=1, le=2_147_483_647)
    track: str = Field(max_length=40)
    form: Literal["gltf", "ply"]


class SceneGiven(In):
    """A camera from a glTF file, as text, in place of what was solved."""

    text: str = Field(max_length=50_000_000)


class FeaturesOut(BaseModel):
    """The feature points of a frame: x and y in plate pixels, and how well each agrees with the motion, 0 to 1."""

    features: list[Numbers]


class MotionsRequest(In):
    """What rides, to be told how it is moved."""

    rides: list[Riding] = Field(min_length=1, max_length=200)


class MotionsOut(BaseModel):
    """Of each ride how it is moved on every frame of the plate, nine numbers between plate pixels, row by row."""

    motions: list[list[Numbers]]


class LookQuery(BaseModel):
    """A frame that is held beside the frame of reference. of: anything; another one is another picture."""

    frame: int = Field(ge=0)
    of: str = ""


class RideDeed(In):
    """bake: the ride at `path` is written as keyframes. track: the keyframes at `path` become a track with the id
    `ident`. remove: the track `ident` goes, and what rides on it stays where it is without."""

    kind: Literal["bake", "track", "remove"]
    path: str = Field("", max_length=300)
    ident: str = Field("", max_length=40)


class RideDeedOut(BaseModel):
    """What would change, as operations on the document as it is now; and what a track that goes was ridden by."""

    ops: list[dict[str, Any]]
    label: str
    said: list[str] = []
