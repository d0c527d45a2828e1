"""The document of one shot."""

from __future__ import annotations

import builtins
from collections.abc import Mapping
from itertools import pairwise
from math import dist
from typing import Annotated, Any, Literal, get_args

import numpy as np
from pydantic import Field, field_validator, model_validator

from cuvrel.core.arrays import F64
from cuvrel.core.recipe.declared import Params, Reading, choice, declare_values, number, reference, switch
from cuvrel.core.recipe.shapes import Shape
from cuvrel.core.recipe.tracks import Track
from cuvrel.core.recipe.values import Env, Id, Motion, Name, Riding, Scalar, Strict

VERSION: Literal[2] = 2
WIDEST, LONGEST = 500, 200  # radius of a drag in plate pixels, and its way in radii: what it takes grows with both

Join = Literal["add", "subtract", "intersect", "difference"]
JOINS = get_args(Join)
Blend = Literal[
    "normal", "add", "subtract", "multiply", "screen", "overlay", "darken", "lighten", "color-dodge", "color-burn",
    "hard-light", "soft-light", "difference", "exclusion", "hue", "saturation", "color", "luminosity",
]  # fmt: skip
BLENDS = get_args(Blend)
PlaneKind = Literal["plate", "cutout", "element", "fill", "line", "glaze", "group", "take"]
Part = Literal["inside", "outside", "rim"]


class Mark(Strict):
    """A stroke of the artist's on one frame, in plate pixels, origin at the top left corner.

    in, out: on the subject or not. near: a closed line; what lies outside of it is not the subject. drag: the
    outline under the brush is taken along from the first point to the last. found: no line at all; the machine
    looked for the subject on this frame, and the other marks mend what it found.
    """

    id: str = Id
    frame: int = Field(ge=0)
    kind: Literal["in", "out", "near", "drag", "found"]
    radius: float = Field(gt=0, le=2000, description="plate pixels")
    points: list[tuple[float, float]] = Field(max_length=20_000)
    fill: bool = Field(False, description="the points are a closed line, and all inside it is marked")

    @model_validator(mode="after")
    def _enough_points(self) -> Mark:
        least = {"found": 0, "near": 3, "drag": 2}.get(self.kind, 3 if self.fill else 1)
        if len(self.points) < least:
            raise ValueError(f"a mark of this kind has at least {least} points")
        if self.kind == "drag":
            way = sum(dist(a, b) for a, b in pairwise(self.points))
            if self.radius > WIDEST or way > LONGEST * self.radius:
                raise ValueError(
                    f"a drag has a radius of at most {WIDEST} pixels and is at most {LONGEST} of its radii long"
                )
        return self


class Step(Reading):
    """A treatment on a plane, or a declared step elsewhere: its kind and its parameters."""

    id: str = Id
    kind: str
    name: str = Field("", max_length=120, description="one's own name for it; '' is that of its kind")
    on: bool = True
    params: dict[str, Any] = Field(default_factory=dict)

    def values(self) -> Params:
        """The checked parameters of a treatment. Raises RecipeError."""
        return self._read("treatment", self.kind, self.params)


class Joining(Params):
    """How a pull joins what came before it. region: another matte that it is confined to; beyond: to all but that."""

    join: Join = choice("add", "Joins by", JOINS)
    strength: Scalar = number(1.0, "Strength", 0, 1, hint="how much of it counts")
    invert: bool = switch(False, "Invert")
    region: str | None = reference("Within", "matte", hint="another matte that the pull is confined to")
    beyond: bool = switch(False, "All but it", hint="the pull is confined to all but that matte")


class Pull(Step, Joining):
    """One step of a matte's recipe and how it joins what came before. ride: what it covers moves with a track."""

    marks: list[Mark] = Field(default_factory=list, max_length=100_000)
    shapes: list[Shape] = Field(default_factory=list, max_length=200)
    ride: Riding | None = None

    def values(self) -> Params:
        """The checked parameters of the pull's kind. Raises RecipeError."""
        return self._read("pull", self.kind, self.params)


class Matte(Reading):
    """A named matte: pulls from left to right, then the edge step."""

    id: str = Id
    name: str = Name
    of: str | None = Field(None, max_length=40, description="the plane of the take that it is of; None: the plate")
    pulls: list[Pull] = Field(default_factory=list, max_length=200)
    edge: dict[str, Any] = Field(default_factory=dict, description="parameters of the edge step")
    settled: str | None = Field(
        None, max_length=40, pattern=r"^[0-9a-f]+$", description="key of the stored frames that stand for the recipe"
    )

    def edge_values(self) -> Params:
        """The checked parameters of the edge step. Raises RecipeError."""
        return self._read("edge", "edge", self.edge)


class Gating(Params):
    """Which part of a matte a plane is seen through, and how far its rim reaches."""

    part: Part = choice("inside", "Seen through its", get_args(Part))
    invert: bool = switch(False, "Invert")
    inner: Scalar = number(8.0, "Rim inside", 0, 4000, step=0.5, unit="px", slide=(0, 100))
    outer: Scalar = number(8.0, "Rim outside", 0, 4000, step=0.5, unit="px", slide=(0, 100))
    soft: Scalar = number(2.0, "Rim soft", 0, 4000, step=0.5, unit="px", slide=(0, 100))


class Gate(Gating):
    """The matte that a plane is seen through, and which part of it.

    excluded: mattes whose coverage is taken away, whatever the part and the inversion.
    """

    matte: str = Id
    excluded: list[Annotated[str, Id]] = Field(default_factory=list, max_length=50)


class Laying(Params):
    """How a plane lies over what is behind it."""

    opacity: Scalar = number(1.0, "Opacity", 0, 1, neutral=0)
    blend: Blend = choice("normal", "Blend", BLENDS)


class LineUp(Strict):
    """How another take of the same set-up lies on the plate, frame by frame.

    first: the frame of the shot that the first matrix is of; before it that one counts, and after the last one the
    last. matrices: row by row, from a pixel of the take's footage to the pixel of the plate that shows the same place,
    both counted from the picture's corner. kind: what was looked for. error: pixels that were left, by measure.
    """

    kind: Literal["shift", "similar", "affine", "perspective"] = "similar"
    first: int = Field(0, ge=0)
    matrices: list[Annotated[list[float], Field(min_length=9, max_length=9)]] = Field(min_length=1, max_length=20_000)
    error: float | None = Field(None, ge=0)

    @field_validator("matrices")
    @classmethod
    def _turns_back(cls, found: list[list[float]]) -> list[list[float]]:
        matrices = np.array(found, np.float64).reshape(-1, 3, 3)
        # of what is no number, nothing is left
        sizes = np.abs(np.linalg.det(np.where(np.isfinite(matrices), matrices, 0)))
        flat = (sizes < 1e-9) | ~np.asarray(np.isfinite(matrices)).all(axis=(1, 2))
        if flat.any():
            raise ValueError(f"matrix {int(np.argmax(flat))} takes a plane to a line")
        return found

    def at(self, frame: int) -> F64:
        """The matrix of a frame of the shot, (3, 3)."""
        nearest = max(0, min(len(self.matrices) - 1, frame - self.first))
        return np.array(self.matrices[nearest], np.float64).reshape(3, 3)


class Card(Strict):
    """A plane's picture stands in the scene that a camera track found: where and how, as declared of a card."""

    track: str = Id
    params: dict[str, Any] = Field(default_factory=dict)


class Plane(Reading, Laying):
    """One level on the stand.

    first, last: the frames on which it is there. solo: where any plane has it, only such planes are shown. group:
    the group that holds it. placement, time: parameters of what is declared under these names. ride: where it is
    placed moves with a track. card: it stands in a camera's scene, and its placement counts no more.
    """

    id: str = Id
    name: str = Name
    kind: PlaneKind
    on: bool = True
    matte: str | None = Field(None, description="what a cut-out shows or a line follows")
    gate: Gate | None = None
    solo: bool = False
    first: int | None = Field(None, ge=0)
    last: int | None = Field(None, ge=0)
    group: str | None = Field(None, max_length=40)
    params: dict[str, Any] = Field(default_factory=dict, description="the plane kind's own parameters")
    placement: dict[str, Any] = Field(default_factory=dict)
    ride: Riding | None = None
    line_up: LineUp | None = None
    card: Card | None = None
    time: dict[str, Any] = Field(default_factory=dict)
    treatments: list[Step] = Field(default_factory=list, max_length=200)

    def values(self, family: Literal["plane", "placement", "time", "card"]) -> Params:
        """The checked parameters of the plane's kind, of its placement, its time or its card. Raises RecipeError."""
        if family == "plane":
            return self._read("plane", self.kind, self.params)
        if family == "card":
            return self._read(family, family, {} if self.card is None else self.card.params)
        return self._read(family, family, self.placement if family == "placement" else self.time)


class Format(Strict):
    """A shot's own size and rate; what is None is the plate's.

    width, height: pixels. A frame of another size than the plate's lies about the plate's middle, pixel by pixel.
    fps: the plate's frames are the shot's, one by one, whatever rate their file tells.
    """

    width: int | None = Field(None, ge=2, le=16384)
    height: int | None = Field(None, ge=2, le=16384)
    fps: float | None = Field(None, gt=0, le=1000)


class Range(Strict):
    """The frames that are worked on, played and exported, both included; None is the plate's first or last."""

    first: int | None = Field(None, ge=0)
    last: int | None = Field(None, ge=0)


class Footage(Strict):
    """What the shot knows of a piece of footage; the file itself is found by its content's hash.

    shot: it is another shot, or a reel, as it is at any time; it has no hash, and its figures are those of when it was
    laid in.
    """

    id: str = Id
    name: str = Field(max_length=255)
    hash: str = Field(pattern=r"^([0-9a-f]{32,64})?$", description="blake2b of the file's bytes")
    width: int = Field(ge=0, description="0, as the other figures, where it is sound alone")
    height: int = Field(ge=0)
    frames: int = Field(ge=0)
    fps: float = Field(ge=0, le=1000)
    timecode: str = Field("", max_length=20, description="of its first frame")
    reel: str = Field("", max_length=100)
    shot: bool = False

    @model_validator(mode="after")
    def _hashed(self) -> Footage:
        if bool(self.hash) == self.shot:
            raise ValueError("a file is known by its hash, and a shot has none")
        return self


class Viewing(Strict):
    """How light is looked at, and written where a format is for a screen.

    plain: as sRGB encodes it. view: by a display and a view of the colour configuration. table: through a colour table
    of the project's, which takes and gives what a screen is shown.
    """

    kind: Literal["plain", "view", "table"] = "plain"
    display: str = Field("", max_length=200)
    view: str = Field("", max_length=200)
    table: str | None = Field(None, max_length=40)


class Sounding(Params):
    """What is heard of a shot: what its plate was recorded with, and another sound laid under."""

    on: bool = switch(True, "Plate's sound", hint="what the plate was recorded with is heard")
    level: Scalar = number(0.0, "Level", -60, 24, step=0.5, unit="dB", slide=(-40, 12), neutral=0)
    slowed: Literal["stretch", "mute", "leave"] = choice(
        "stretch", "When slowed", ["stretch", "mute", "leave"],
        hint="the sound goes slower and lower with the plate, is silent, or runs on as it was recorded",
    )  # fmt: skip
    under: str | None = reference("Laid under", "footage", hint="another file's sound")
    under_offset: float = number(
        0.0, "Later by", -1_000_000, 1_000_000, step=1, unit="fr", slide=(-200, 200), animatable=False,
        hint="frames of the shot; before 0 its beginning is left out",
    )  # fmt: skip
    under_level: Scalar = number(0.0, "Its level", -60, 24, step=0.5, unit="dB", slide=(-40, 12))


class Hush(Strict):
    """Frames, both included, on which a voice is not to be known: silent, or pitched out of its place."""

    first: int = Field(ge=0)
    last: int = Field(ge=0)
    how: Literal["silent", "pitched"] = "silent"


class Sound(Sounding):
    """A shot's sound."""

    hushes: list[Hush] = Field(default_factory=list, max_length=500)


class Cut(Strict):
    """A frame on which another camera shot begins; of a mix, `frame` is its first and `to` its last frame."""

    frame: int = Field(ge=1)
    to: int | None = Field(None, ge=1)


class Shot(Strict):
    """The recipe. Planes run front to back."""

    version: Literal[2] = VERSION
    kind: Literal["shot", "reel"] = "shot"
    name: str = Name
    plate: str = Field(description="id of the footage that the shot works on")
    first_number: int = Field(
        1001, ge=-1_000_000, le=100_000_000, description="the number that the sheet shows for frame 0"
    )
    footage: list[Footage] = Field(min_length=1)
    mattes: list[Matte] = Field(default_factory=list, max_length=200)
    planes: list[Plane] = Field(default_factory=list, max_length=500)
    tracks: list[Track] = Field(default_factory=list, max_length=200)
    format: Format = Field(default_factory=Format)
    range: Range = Field(default_factory=Range)
    sound: Sound = Field(default_factory=Sound)
    cuts: list[Cut] = Field(default_factory=list, max_length=10_000)
    working: str = Field(
        "", max_length=200, description="the space of linear light that planes are worked on in; '' is linear BT.709"
    )
    viewing: Viewing | None = Field(
        None, description="None: a scene's light by the default view of the configuration, all else plain"
    )

    @property
    def fps(self) -> float:
        """Frames a second."""
        return self.format.fps or self.plate_footage().fps

    @property
    def size(self) -> tuple[int, int]:
        """Width and height of the frame, in pixels."""
        plate = self.plate_footage()
        return self.format.width or plate.width, self.format.height or plate.height

    @property
    def frames(self) -> builtins.range:
        """The frames of the shot's range, counted from 0 on the plate."""
        count = self.plate_footage().frames
        last = count - 1 if self.range.last is None else min(self.range.last, count - 1)
        return builtins.range(min(self.range.first or 0, last), last + 1)

    def env(self, time: float, tracks: Mapping[str, Motion] | None = None) -> Env:
        """Where values are read at a time, in frames. tracks: their motion by their ids; without, nothing rides."""
        plate = self.plate_footage()
        return Env(time, self.fps, tracks or {}, (plate.width / 2, plate.height / 2))

    def plate_footage(self) -> Footage:
        """The plate's entry."""
        return next(entry for entry in self.footage if entry.id == self.plate)

    def footage_by_id(self, footage_id: str) -> Footage:
        """A piece of footage by id. Raises KeyError."""
        for entry in self.footage:
            if entry.id == footage_id:
                return entry
        raise KeyError(footage_id)

    def matte(self, matte_id: str) -> Matte:
        """A matte by id. Raises KeyError."""
        for matte in self.mattes:
            if matte.id == matte_id:
                return matte
        raise KeyError(matte_id)

    def plane(self, plane_id: str) -> Plane:
        """A plane by id. Raises KeyError."""
        for plane in self.planes:
            if plane.id == plane_id:
                return plane
        raise KeyError(plane_id)

    def track(self, track_id: str) -> Track:
        """A track by id. Raises KeyError."""
        for track in self.tracks:
            if track.id == track_id:
                return track
        raise KeyError(track_id)

    def solo(self) -> set[str]:
        """Where any plane has solo: the planes that are shown, with what they hold and what holds them; else none."""
        chosen = {plane.id for plane in self.planes if plane.solo}
        if not chosen:
            return set()
        holds = {plane.id: plane.group for plane in self.planes}
        out: set[str] = set()
        for plane in self.planes:
            chain: list[str] = []
            at: str | None = plane.id
            while at is not None and at not in chain:
                chain.append(at)
                at = holds.get(at)
            if any(one in chosen for one in chain):
                out.update(chain)
        return out

    def pull(self, pull_id: str, kind: str | None = None) -> tuple[Matte, Pull]:
        """The pull with this id, of a kind if one is given, and the matte it belongs to. Raises KeyError."""
        for matte in self.mattes:
            for pull in matte.pulls:
                if pull.id == pull_id and kind in (None, pull.kind):
                    return matte, pull
        raise KeyError(pull_id)

    def trace(self, pull_id: str) -> tuple[Matte, Pull]:
        """The trace pull with this id and the matte it belongs to. Raises KeyError."""
        return self.pull(pull_id, "trace")


declare_values("joining", "Joining", Joining, "how a pull joins what came before it")
declare_values("gate", "Gate", Gating, "the matte that a plane is seen through, and which part of it")
declare_values("sound", "Sound", Sounding, "what is heard of the shot")
declare_values("laying", "Laying", Laying, "how a plane lies over what is behind it")
