"""Requests and answers. The front end's types are generated from these."""

from __future__ import annotations

from typing import Annotated, Any, Literal

from pydantic import BaseModel, ConfigDict, Field, Json, StringConstraints

from cuvrel.core.recipe.declared import Family, Over
from cuvrel.core.recipe.keyframe_edits import Clip, Deed
from cuvrel.core.recipe.models import LineUp, Shot
from cuvrel.core.recipe.reel import Reel
from cuvrel.core.recipe.values import CurvePoints, Keys, RampStops
from cuvrel.core.stand.view_kinds import AnyTarget, AnyView


class In(BaseModel):
    """Base of requests: unknown fields are refused."""

    model_config = ConfigDict(extra="forbid")


Named = Annotated[str, StringConstraints(strip_whitespace=True, min_length=1, max_length=120)]
"""A name that somebody gives: blanks about it do not count."""


class ById(BaseModel):
    """A path with an id."""

    id: int = Field(ge=1, le=2_147_483_647)


class NewName(In):
    """A name for something."""

    name: Named


class NewVersion(NewName):
    """A name for how a shot stands, and the frame that is looked at: the version's picture is of it."""

    frame: int | None = Field(None, ge=0)


class NewShot(In):
    """A shot on a piece of footage."""

    name: Named
    footage: int


class Edits(In):
    """JSON Patch operations made on a revision."""

    revision: int = Field(ge=0)
    ops: list[dict[str, Any]] = Field(min_length=1, max_length=5000)
    label: str = Field("", max_length=200)
    gesture: str | None = Field(None, max_length=40)
    frame: int | None = Field(None, ge=0, description="the frame that is looked at: its marks are solved first")


class FollowRequest(In):
    """Follow a trace from a frame: step 1 is on, -1 is back. keep: take the shape over to the next frame as it is.

    whole: from all touched frames, one after another, to both ends of the range; `start` is one of them.
    """

    pull: str
    start: int = Field(ge=0)
    step: Literal[1, -1]
    keep: bool = False
    whole: bool = False


class SettleRequest(In):
    """Store a matte's frames as they are, and read them from then on."""

    matte: str = Field(max_length=40)


class SettledOut(BaseModel):
    """Settled mattes whose recipe is not what was settled."""

    out_of_date: list[str]


class JobOut(BaseModel):
    """Long work and how it stands."""

    id: int
    kind: str
    shot: int | None
    footage: int | None
    project: int
    title: str
    state: Literal["waiting", "working", "done", "failed", "stopped"]
    done: int
    total: int
    message: str
    result: dict[str, Any]
    stopping: bool
    told: int = Field(description="How often this was told; of two, the larger number is the newer.")
    started: str | None
    finished: str | None
    args: dict[str, Any]


class FilmOut(BaseModel):
    """A strip of small pictures, one for every `step` frames."""

    url: str
    step: int
    width: int
    height: int
    count: int


class SoundOut(BaseModel):
    """What footage was recorded with."""

    codec: str
    rate: int
    channels: int
    seconds: float


class HeardOut(BaseModel):
    """One of several sounds of a file, by the number of its stream."""

    stream: int
    title: str
    language: str
    codec: str
    channels: int


class FootageOut(BaseModel):
    """A piece of footage."""

    id: int
    name: str
    hash: str = ""
    state: Literal["working", "ready", "refused", "stopped"] = Field(
        description="stopped: it was not brought in whole, through no fault of the file, which is kept"
    )
    message: str
    size: int
    width: int = 0
    height: int = 0
    frames: int = 0
    fps: float = 0
    codec: str = ""
    alpha: bool = False
    variable: bool = False
    depth: int = 8
    floats: bool = False
    said: list[str] = Field(default_factory=list, description="what a person should know of it")
    space: dict[str, str] = Field(default_factory=dict, description="what its numbers mean, as the file tells")
    assumed: list[str] = Field(default_factory=list, description="what of that the file did not tell")
    hand: dict[str, str] = Field(default_factory=dict, description="what was set by hand instead")
    interlaced: bool = False
    kind: Literal["video", "sequence", "sound", "table"] = "video"
    layers: list[str] = Field(default_factory=list, description="what of EXR pictures can be looked at")
    parts: list[str] = Field(default_factory=list, description="what of them can be a matte")
    window: tuple[int, int, int, int] | None = Field(None, description="the part that the file says is to be shown")
    sounds: list[HeardOut] = Field(default_factory=list, description="the sounds of the file, where there are several")
    timecode: str = ""
    reel: str = ""
    sound: SoundOut | None = None
    film: FilmOut | None = None


class ShotCard(BaseModel):
    """A shot or a reel in a list. `picture` is the address of a small picture of it, `doubts` counts its frames in
    doubt, `pieces` a reel's pieces."""

    id: int
    name: str
    frames: int
    fps: float
    mattes: int
    updated: str
    picture: str
    doubts: int = 0
    pieces: int = 0


class ProjectOut(BaseModel):
    """A project with its shots and footage."""

    id: int
    name: str
    updated: str
    shots: list[ShotCard]
    reels: list[ShotCard]
    footage: list[FootageOut]
    jobs: list[JobOut]


class ProjectList(BaseModel):
    """All projects, the one last worked on first."""

    projects: list[ProjectOut]


class HaltOut(BaseModel):
    """Why and where following stopped trusting itself; plate pixels."""

    reason: str
    advice: str
    x: float
    y: float
    radius: float


class FrameOut(BaseModel):
    """A stored matte frame. `blob` changes when its picture does."""

    pull: str
    frame: int
    origin: Literal["touched", "followed"]
    doubt: float
    blob: str | None
    halt: HaltOut | None


class History(BaseModel):
    """What undo and redo would take back and make again; None where there is nothing."""

    undo: str | None
    redo: str | None


class Use(BaseModel):
    """That something names something else: `owner` is "shot", "matte:ID" or "plane:ID", `thing` "KIND:ID"."""

    owner: str
    thing: str


class ShotOut(BaseModel):
    """A shot with all that the workspace needs at once."""

    id: int
    project: int
    project_name: str
    revision: int
    document: Reel | Shot
    history: History
    frames: list[FrameOut]
    jobs: list[JobOut]
    plate: FootageOut
    uses: list[Use]


class Touched(BaseModel):
    """A matte frame that an edit changed; `now` is None where it is gone."""

    pull: str
    frame: int
    now: FrameOut | None


class EditOut(BaseModel):
    """What an edit, an undo or a redo did, and the stored frames that changed with it.

    ops: the operations that lead from the revision `base`, on which an edit was made, to `revision`. They hold what
    others changed meanwhile, and all fields that the edit left to their defaults.
    """

    base: int
    revision: int
    ops: list[dict[str, Any]]
    history: History
    touched: list[Touched]
    uses: list[Use] | None = Field(description="None where they are what they were")


class DeedRequest(Deed):
    """A deed done to keyframes."""


class DeedOut(BaseModel):
    """The edit that does a deed: to be sent as any other one."""

    ops: list[dict[str, Any]]
    label: str


class CopyRequest(In):
    """The keyframes of all values at or under some places, on the frames first to last."""

    places: list[str] = Field(min_length=1, max_length=500)
    first: int = Field(ge=0)
    last: int = Field(ge=0)


class ClipsOut(BaseModel):
    """Copied keyframes, by value."""

    clips: list[Clip]


class CostsQuery(BaseModel):
    """A frame, at a picture's width."""

    frame: int = Field(ge=0)
    width: int = Field(ge=16, le=16384)


class CostsOut(BaseModel):
    """Milliseconds by plane."""

    costs: dict[str, float]


class FramesOut(BaseModel):
    """The stored matte frames of a shot."""

    frames: list[FrameOut]


class TriesQuery(BaseModel):
    """What is tried out on a frame, at a picture's width.

    target: treatments are laid on a plane, the starters on one that it has, pulls on a matte, planes on the stand.
    """

    target: Json[AnyTarget] = Field(description="An AnyTarget, as JSON.")
    frame: int = Field(ge=0)
    width: int = Field(ge=16, le=960)


class TryOut(BaseModel):
    """One of them: what is laid on, the view that shows it, the frame, and the key of its picture."""

    kind: str
    view: AnyView
    frame: int
    key: str


class TriesOut(BaseModel):
    """All of them, in the catalogue's order, or that of the starters."""

    tries: list[TryOut]


class VersionPath(BaseModel):
    """A version of a shot."""

    id: int = Field(ge=1, le=2_147_483_647)
    version: int = Field(ge=1, le=2_147_483_647)


class VersionOut(BaseModel):
    """A named version of a shot; `picture` is the address of a small picture of it."""

    id: int
    name: str
    revision: int
    created: str
    picture: str


class VersionsOut(BaseModel):
    """The named versions of a shot, the newest first."""

    versions: list[VersionOut]


class NamedOut(BaseModel):
    """Something that was renamed or copied."""

    id: int
    name: str


class KeysQuery(BaseModel):
    """Which frames' picture keys are asked for, in which view and width; of a version, or of the shot as it is."""

    version: int | None = Field(None, ge=1, le=2_147_483_647)
    view: Json[AnyView] = Field(description="An AnyView, as JSON.")
    first: int = Field(ge=0)
    last: int = Field(ge=0)
    width: int = Field(ge=16, le=16384)


class KeysOut(BaseModel):
    """A key per frame, from `first`; pictures under it never change."""

    first: int
    keys: list[str]
    width: int
    height: int


class SampleQuery(BaseModel):
    """A box of a frame, in plate pixels; what lies outside the picture is cut off.

    pull, how: a colour key, and whether the box's colours are added to its range or taken away from it.
    """

    frame: int = Field(ge=0)
    x0: int
    y0: int
    x1: int
    y1: int
    pull: str | None = Field(None, max_length=40)
    how: Literal["add", "take"] = "add"


class SampleOut(BaseModel):
    """What lies in the box: its mean colour, display-encoded, 0 to 1, and a colour key's values for it."""

    colour: tuple[float, float, float]
    values: dict[str, float]


class SuggestOut(BaseModel):
    """Values for a pull, and for the edge step of its matte where that has a part in it, in plate pixels."""

    values: dict[str, float]
    edge: dict[str, float]


class FrameQuery(BaseModel):
    """A frame."""

    frame: int = Field(ge=0)


class StepPath(BaseModel):
    """A treatment of a shot."""

    id: int = Field(ge=1, le=2_147_483_647)
    step: str = Field(max_length=40)


class CdlFile(In):
    """A CDL file's text."""

    text: str = Field(max_length=1_000_000)


class PlanePath(ById):
    """A plane of a shot."""

    plane: str = Field(max_length=40)


class PacesOut(BaseModel):
    """At which paces a plane's footage was filmed, and a speed that shows it the other way than it is read.

    rates: pictures a second, in the order of its stretches; [] where there is but one pace. by_clock: whether the
    footage is read by the clock, so that the speed shows each picture once; else it goes as the clock went.
    """

    rates: list[float]
    by_clock: bool
    speed: Keys | None


class ValuesOut(BaseModel):
    """Values of a treatment, by the names of its fields: as a file has them, or as they were measured."""

    values: dict[str, float]


class TakeRequest(In):
    """Which frames of a shot a take is compared with the plate on, and how.

    over: the first frame alone; one value that holds for all; or one for each frame. leave_out: a matte of what is not
    looked at; about: of what alone is looked at, with what lies about it.
    """

    first: int = Field(ge=0)
    last: int = Field(ge=0)
    over: Literal["frame", "all", "each"] = "frame"
    leave_out: str | None = Field(None, max_length=40)
    about: bool = False


class LineUpRequest(TakeRequest):
    """What the camera may have done between the takes."""

    kind: Literal["shift", "similar", "affine", "perspective"] = "similar"


class LinedOut(BaseModel):
    """How a take lies on the plate. still: the share of the picture that agrees."""

    line_up: LineUp
    still: float


class ChangeOut(BaseModel):
    """The middle of a thing that a take alone shows, from the plate's middle, and the reach of a line around it."""

    place: tuple[float, float]
    reach: float


class MatchedOut(BaseModel):
    """What brings a take to the plate's tone: values of the treatment, keyed where they change.

    left: what is left of the difference, in codes of 255. blur: pixels that the take is sharper by; grain: values of
    the treatment that gives it the plate's grain, where the plate has more.
    """

    values: dict[str, Any]
    left: float
    blur: float
    grain: dict[str, float] | None


class SpreadOut(BaseModel):
    """How a frame's pixels are spread over each scale, as shares of the fullest bin, 0 to 1."""

    hue: list[float]
    chroma: list[float]
    light: list[float]
    luma: list[float]
    red: list[float]
    green: list[float]
    blue: list[float]
    wheel: list[float]


class SuggestQuery(BaseModel):
    """A pull whose values are to be set for a frame."""

    pull: str = Field(max_length=40)
    frame: int = Field(ge=0)


class PlatePart(In):
    """A held frame that a clean plate takes a part from: what a matte covers on that frame, or all of it."""

    frame: int = Field(ge=0)
    matte: str | None = Field(None, max_length=40)


class CleanPlateRequest(In):
    """A clean plate from the shot's frames.

    median: of the frames from first to last. free: the same, but at each pixel only of frames where it lies
    outside the matte. parts: the first part's frame, with the others laid over it one after another.
    """

    how: Literal["median", "free", "parts"]
    first: int | None = Field(None, ge=0)
    last: int | None = Field(None, ge=0)
    matte: str | None = Field(None, max_length=40)
    parts: list[PlatePart] = Field(default_factory=list, max_length=20)


class ChecksQuery(BaseModel):
    """Which frames of which matte, or of which take's join, are looked at."""

    matte: str = Field("", max_length=40)
    take: str = Field("", max_length=40)
    first: int = Field(ge=0)
    last: int = Field(ge=0)


class CheckOut(BaseModel):
    """What a look at one frame of a matte told. jump: change of area, 0.2 is a fifth more than the frame before.

    seam: of a take in place of a matte, how much its join is seen, in codes of 255.
    """

    frame: int
    chatter: float = 0.0
    jump: float = 0.0
    holes: int = 0
    seam: float = 0.0
    problems: list[Literal["chatter", "jump", "hole", "seam"]]


class ChecksOut(BaseModel):
    """Chatter, jumps and holes of some frames."""

    checks: list[CheckOut]


class PicturePath(BaseModel):
    """A shot's picture under its key."""

    id: int = Field(ge=1, le=2_147_483_647)
    key: str = Field(pattern=r"^[0-9a-f]{40}$")


class PictureQuery(BaseModel):
    """What the picture shows, of a named version, or of the shot as it is."""

    version: int | None = Field(None, ge=1, le=2_147_483_647)
    view: Json[AnyView] = Field(description="An AnyView, as JSON.")
    frame: int = Field(ge=0)
    width: int = Field(ge=16, le=16384)


class FieldOut(BaseModel):
    """One declared parameter."""

    name: str
    label: str
    hint: str = ""
    control: Literal["number", "colour", "point", "curve", "ramp", "switch", "choice", "footage", "plane", "matte",
                     "table", "parts", "inner"]  # fmt: skip
    default: (
        float
        | bool
        | str
        | tuple[float, float]
        | tuple[float, float, float]
        | CurvePoints
        | RampStops
        | list[str]
        | None
    ) = None
    options: list[str] = Field(default_factory=list)
    low: float = 0
    high: float = 1
    step: float = 0.01
    unit: str = ""
    animatable: bool = False
    neutral: float | CurvePoints | None = None
    slide: tuple[float, float] | None = None
    direction: bool = False
    over: Over | None = None
    of: Literal["matte", "track"] | None = Field(None, description="of an inner field: what of the piece's shot")
    frame: bool = False
    dated: str | None = None
    warn: tuple[float, str] | None = None


class StarterOut(BaseModel):
    """A set of values to begin with."""

    name: str
    values: dict[str, Any]


class DeclaredOut(BaseModel):
    """A declared pull, edge step, plane kind or treatment."""

    family: Family
    kind: str
    label: str
    hint: str
    group: str
    needs_matte: bool
    holds: Literal["marks", "shapes"] | None = Field(description="what a pull has besides its values")
    fields: list[FieldOut]
    starters: list[StarterOut]
    begins: dict[str, Any] = Field(description="what a new plane of the kind is besides its kind")


class DeleteQuery(BaseModel):
    """for_good: deletes what is in the trash already."""

    for_good: bool = False


class TrashedOut(BaseModel):
    """Something in the trash, and since when; None once it is out of it or deleted."""

    kind: Literal["project", "shot", "footage", "job"]
    id: int
    name: str
    project: int
    trashed: str | None


class TrashOut(BaseModel):
    """All that is in the trash."""

    trash: list[TrashedOut]


class SpaceOut(BaseModel):
    """Bytes by what takes them."""

    footage: int
    frames: int
    exports: int
    total: int


class Uploaded(BaseModel):
    """Footage that has arrived, and the job that makes it ready. others: what came with it."""

    footage: FootageOut
    job: JobOut
    others: list[FootageOut] = Field(default_factory=list)
