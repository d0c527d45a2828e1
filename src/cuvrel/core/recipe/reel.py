"""The document of a reel: pieces of shots in a row, how each moves, and how each follows from the one before.

A reel is a shot whose plate is its pieces: planes over all, sound, range, format and views are a shot's own.
"""

from __future__ import annotations

from dataclasses import dataclass
from fractions import Fraction
from math import floor
from typing import Any, Literal, cast

from pydantic import Field, PrivateAttr, model_validator

from cuvrel.core.recipe.declared import Params, Reading, choice, colour, curve, declare_values, inner, number, point
from cuvrel.core.recipe.declared import switch as on_off
from cuvrel.core.recipe.models import Footage, Matte, Plane, Shot
from cuvrel.core.recipe.rates import exact
from cuvrel.core.recipe.tracks import Track
from cuvrel.core.recipe.values import Curve, Id, Name, Point, Rgb, Strict

PIECES = 2000
SIZE = (1280, 720)  # of a reel without a piece
Ease = Literal["none", "at the start", "at the end", "both ends", "drawn"]
EASES = ["none", "at the start", "at the end", "both ends", "drawn"]
LINE = ((0.0, 0.0), (1.0, 1.0))


class FittingParams(Params):
    """How a piece fits the reel: its size, its rate, how loud it is."""

    fit: Literal["fill", "fit", "as it is"] = choice(
        "fill", "Size", ["fill", "fit", "as it is"],
        hint="fill the frame and lose what is beyond it, fit into it, or lie in its middle pixel by pixel",
    )  # fmt: skip
    between: Literal["nearest", "mix", "motion"] = choice(
        "nearest", "At another rate", ["nearest", "mix", "motion"],
        hint="the nearest frame, frames mixed, or made from the motion between them",
    )  # fmt: skip
    level: float = number(0.0, "Level", -60, 24, step=0.5, unit="dB", slide=(-40, 12), animatable=False)


class MoveParams(Params):
    """How a piece moves from its first frame to its last one. The defaults leave it at rest."""

    kind: Literal["none", "push in", "pull out", "slide", "from and to"] = choice(
        "none", "Move", ["none", "push in", "pull out", "slide", "from and to"]
    )
    size: float = number(
        132.0, "Size", 10, 1000, step=1, unit="%", slide=(100, 200), animatable=False,
        hint="of the picture where the move is nearest; of a slide all the time",
    )  # fmt: skip
    direction: float = number(
        0.0, "Direction", -360, 360, step=1, unit="°", animatable=False, direction=True,
        hint="in which the picture goes",
    )  # fmt: skip
    way: float = number(
        20.0, "Way", 0, 400, step=1, unit="%", slide=(0, 100), animatable=False, hint="of the frame's width"
    )
    from_size: float = number(100.0, "From size", 1, 1000, step=1, unit="%", slide=(50, 250), animatable=False)
    to_size: float = number(120.0, "To size", 1, 1000, step=1, unit="%", slide=(50, 250), animatable=False)
    from_place: Point = point((0.0, 0.0), "From", animatable=False, hint="where the picture's middle lies at first")
    to_place: Point = point((0.0, 0.0), "To", animatable=False, hint="where the picture's middle lies at last")
    from_turn: float = number(0.0, "From turn", -3600, 3600, step=0.5, unit="°", slide=(-45, 45), animatable=False)
    to_turn: float = number(0.0, "To turn", -3600, 3600, step=0.5, unit="°", slide=(-45, 45), animatable=False)
    ease: Ease = choice("both ends", "Eased", EASES)
    drawn: Curve = curve(LINE, "Ease", -1, 2, hint="how far it has come over its time", animatable=False)
    overshoot: float = number(
        0.0, "Overshoot", 0, 100, step=1, unit="%", slide=(0, 50), animatable=False,
        hint="it goes so much too far and comes back",
    )  # fmt: skip
    towards: Literal["the middle", "a place", "a track"] = choice(
        "the middle", "Towards", ["the middle", "a place", "a track"],
        hint="what comes to lie in the middle where the move is nearest",
    )  # fmt: skip
    place: Point = point((0.0, 0.0), "Place", animatable=False, hint="in the shot's own frame")
    track: str | None = inner("Track", "track", hint="of the shot; its subject stays in the middle")
    shutter: float = number(
        180.0, "Motion blur", 0, 720, step=5, unit="°", animatable=False, hint="of the move; 180 is usual"
    )
    samples: float = number(12.0, "Blur samples", 2, 64, step=1, animatable=False)
    border: Literal["mirror", "clamp", "tile", "none"] = choice(
        "mirror", "Beyond it", ["mirror", "clamp", "tile", "none"], hint="what is seen beyond the picture's own border"
    )


class JoinParams(Params):
    """How a piece follows from the one before it. The default is a cut."""

    kind: Literal["cut", "mix", "push", "cover", "uncover", "colour", "matte"] = choice(
        "cut", "Join", ["cut", "mix", "push", "cover", "uncover", "colour", "matte"],
        hint="the new picture pushes the old one out, slides over it, or is uncovered as that slides away",
    )  # fmt: skip
    length: float = number(
        12.0, "Length", 1, 10_000, step=1, unit="fr", slide=(1, 72), animatable=False,
        hint="frames on which both pieces are there",
    )  # fmt: skip
    ease: Ease = choice("both ends", "Eased", EASES)
    drawn: Curve = curve(LINE, "Ease", -1, 2, hint="how far it has come over its time", animatable=False)
    direction: float = number(
        180.0, "Direction", -360, 360, step=1, unit="°", animatable=False, direction=True,
        hint="in which the pictures slide",
    )  # fmt: skip
    colour: Rgb = colour((0.0, 0.0, 0.0), "Colour", animatable=False)
    of: Literal["this shot", "the one before"] = choice("this shot", "Matte of", ["this shot", "the one before"])
    matte: str | None = inner("Matte", "matte", hint="the join grows out of it; without one it is a mix")
    inward: bool = on_off(False, "Inward", hint="it comes from the frame's border and ends in the matte")
    soft: float = number(20.0, "Soft", 0, 2000, step=1, unit="px", slide=(0, 200), animatable=False)
    shutter: float = number(180.0, "Motion blur", 0, 720, step=5, unit="°", animatable=False)
    samples: float = number(12.0, "Blur samples", 2, 64, step=1, animatable=False)


class Piece(Reading):
    """A length of a shot. shot: the id of its entry in the reel's footage. first, last: frames of it, both included.

    fitting, move, join: parameters of what is declared under these names.
    """

    id: str = Id
    shot: str = Id
    first: int = Field(0, ge=0)
    last: int = Field(0, ge=0)
    fitting: dict[str, Any] = Field(default_factory=dict)
    move: dict[str, Any] = Field(default_factory=dict)
    join: dict[str, Any] = Field(default_factory=dict, description="to the piece before; that of the first one rests")

    @model_validator(mode="after")
    def _forward(self) -> Piece:
        if self.last < self.first:
            raise ValueError("a piece would end before its first frame")
        return self

    def values(self, family: Literal["fitting", "move", "join"]) -> Params:
        """The checked parameters. Raises RecipeError."""
        return self._read(family, family, {"fitting": self.fitting, "move": self.move, "join": self.join}[family])


class Marker(Strict):
    """A named frame of a reel."""

    frame: int = Field(ge=0)
    name: str = Name


@dataclass(frozen=True)
class Laid:
    """Where a piece lies in its reel: the reel's frame on which it begins, its frames there, and how many of the first
    ones it shares with the piece before. source: its shot's frame for each of the reel's is first + n * pace.
    """

    piece: Piece
    begin: int
    count: int
    shared: int
    pace: Fraction

    @property
    def end(self) -> int:
        """The reel's frame behind its last one."""
        return self.begin + self.count


class Reel(Shot):
    """Pieces in a row, and planes over all of them."""

    kind: Literal["reel"] = "reel"
    plate: Literal[""] = Field("", description="there is none: its pieces stand for it")
    footage: list[Footage] = Field(default_factory=list)
    mattes: list[Matte] = Field(default_factory=list, max_length=0)
    tracks: list[Track] = Field(default_factory=list, max_length=0)
    pieces: list[Piece] = Field(default_factory=list, max_length=PIECES)
    markers: list[Marker] = Field(default_factory=list, max_length=1000)

    _laid: tuple[Laid, ...] | None = PrivateAttr(None)
    _plate: Footage | None = PrivateAttr(None)

    def laid(self) -> tuple[Laid, ...]:
        """Where all pieces lie. A piece begins before the one before it ends where they are joined by more than a cut;
        a join is no longer than the pieces have room for.
        """
        if self._laid is None:
            self._laid = tuple(_laid(self.pieces, self.fps, {one.id: one.fps for one in self.footage}))
        return self._laid

    @property
    def fps(self) -> float:
        """Frames a second: its own, else those of the first piece."""
        return self.format.fps or next((self.footage_by_id(one.shot).fps for one in self.pieces), 24.0)

    def plate_footage(self) -> Footage:
        """What a plate of the reel's pictures would be: at least one frame, that of a reel without a piece is empty."""
        if self._plate is None:
            wide, high = SIZE
            first = next((self.footage_by_id(one.shot) for one in self.pieces), None)
            if first is not None and first.width:
                wide, high = first.width, first.height
            frames = max((one.end for one in self.laid()), default=1)
            self._plate = Footage(id="pieces", name="Pieces", hash="", shot=True, frames=frames, fps=self.fps,
                                  width=self.format.width or wide, height=self.format.height or high)  # fmt: skip
        return self._plate


def _laid(pieces: list[Piece], fps: float, rates: dict[str, float]) -> list[Laid]:
    out: list[Laid] = []
    for piece in pieces:
        pace = exact(rates.get(piece.shot) or fps) / exact(fps)
        count = max(1, floor((piece.last - piece.first + 1) / pace + Fraction(1, 2)))
        begin, shared = 0, 0
        if out:
            before = out[-1]
            join = cast(JoinParams, piece.values("join"))
            wanted = 0 if join.kind == "cut" else round(join.length)
            # each keeps a frame of its own, and of the one before what its own join takes is not there any more
            shared = max(0, min(wanted, count - 1, before.count - before.shared - 1))
            begin = before.end - shared
        out.append(Laid(piece, begin, count, shared, pace))
    return out


def begun_reel(name: str, **more: Any) -> dict[str, Any]:
    """The document of a new reel, without a piece."""
    planes = [Plane(id="pieces", name="Pieces", kind="plate")]
    return Reel(name=name, planes=planes, **more).model_dump(mode="json")


declare_values("fitting", "Piece", FittingParams, "how a piece fits the reel")
declare_values("move", "Move", MoveParams, "how a piece moves from its first frame to its last one")
declare_values("join", "Join", JoinParams, "how a piece follows from the one before it")
