"""What somebody wants to have written: the order, checked against the shot, and what follows from it."""

from __future__ import annotations

import re
from collections.abc import Mapping
from dataclasses import dataclass
from datetime import date
from typing import Any

from pydantic import BaseModel, ConfigDict, Field

from cuvrel.core.export.formats import WHATS, Alpha, How, Quality, What, how_of
from cuvrel.core.media.managed import checked_colour
from cuvrel.core.media.timecode import is_timecode, shifted
from cuvrel.core.recipe.errors import RecipeError
from cuvrel.core.recipe.models import Shot

MOST_CELLS = 400
MOST_LOOP = 600
TOKENS = ("shot", "what", "of", "how", "alpha", "first", "last", "date", "size")
PATTERN = "{shot}_{of}_{what}_{alpha}"


class Settings(BaseModel):
    """All of an order but the shot: what a preset keeps.

    targets: ids of mattes or planes, as `what` wants: one, or for layers any of both as "matte:ID" and "plane:ID"
    (none is all). lines: the picture's height, if it is to be smaller than the shot's. rate: frames a second, if other
    than the shot's: frames are left out or repeated by the clock. colour: what colours are written in: "" is as the
    shot is looked at, and light of BT.709 where a format holds light; "plain", "space:NAME" or "view:DISPLAY|VIEW".
    every: of a contact sheet, each how many-th frame. name: a pattern of the file's name (TOKENS).
    """

    model_config = ConfigDict(extra="forbid")
    what: What = "result"
    how: str = Field("h264", max_length=40)
    alpha: Alpha = "none"
    targets: list[str] = Field(default_factory=list, max_length=500)
    quality: Quality = "good"
    lines: int | None = Field(None, ge=16, le=16384)
    rate: float | None = Field(None, gt=0.1, le=1000)
    colour: str = Field("", max_length=420)
    sound: bool = True
    every: int = Field(12, ge=1, le=10_000)
    name: str = Field(PATTERN, min_length=1, max_length=200)


@dataclass(frozen=True)
class Order:
    """A checked order. first, last: frames of the shot; targets: those that are there."""

    settings: Settings
    how: How
    first: int
    last: int
    targets: tuple[str, ...]
    alpha: Alpha
    fps: float

    @property
    def frames(self) -> list[int]:
        """The shot's frame for each one that is written."""
        count = self.last - self.first + 1
        if self.how.form == "still":
            return [self.first]
        if self.how.form == "sheet":
            return list(range(self.first, self.last + 1, self.settings.every))
        if self.settings.rate is None or self.settings.rate == self.fps:
            return list(range(self.first, self.last + 1))
        made = max(1, round(count * self.settings.rate / self.fps))
        return [min(self.last, self.first + int(n * self.fps / self.settings.rate + 1e-6)) for n in range(made)]

    @property
    def rate(self) -> float:
        """Frames a second of what is written."""
        return self.settings.rate or self.fps

    def timecode(self, shot: Shot) -> str:
        """The time code of the first frame that is written, or ""."""
        plate = shot.plate_footage()
        if not plate.timecode or self.rate != self.fps:
            return ""  # frames that are left out or repeated have no time code of their own
        return shifted(plate.timecode, self.first, self.fps) if is_timecode(plate.timecode) else ""

    def scale(self, shot: Shot) -> float:
        """The size of what is written over the shot's."""
        return 1.0 if self.settings.lines is None else min(1.0, self.settings.lines / shot.size[1])

    def as_json(self) -> dict[str, Any]:
        """Plain JSON, for a job's row."""
        return {**self.settings.model_dump(mode="json"), "targets": list(self.targets), "alpha": self.alpha,
                "first": self.first, "last": self.last, "fps": self.fps}  # fmt: skip

    @staticmethod
    def from_json(raw: Mapping[str, Any], fps: float) -> Order:
        """The inverse of as_json. fps: for one that was written before it said so."""
        known = {name: raw[name] for name in Settings.model_fields if name in raw and name != "name"}
        settings = Settings(**known)
        return Order(settings, how_of(settings.how), int(raw["first"]), int(raw["last"]), tuple(settings.targets),
                     settings.alpha, float(raw.get("fps", fps)))  # fmt: skip


def ordered(shot: Shot, settings: Settings, first: int | None = None, last: int | None = None) -> Order:
    """A checked order of some frames of a shot, its whole range by default. Raises RecipeError with what to do."""
    how, within = how_of(settings.how), shot.frames
    begin = within[0] if first is None else first
    end = within[-1] if last is None else last
    if not within[0] <= begin <= end <= within[-1]:
        whole = f"which has the frames {within[0]} to {within[-1]}"
        raise RecipeError(f"Frames {begin} to {end} are not a part of this shot, {whole}.")
    targets = _targets(shot, settings)
    checked_colour(settings.colour)
    if settings.what == "layers" and not how.layers:
        raise RecipeError(f"{how.label} can't hold layers.", "Use EXR, PNG or TIFF pictures for them.")
    alpha = settings.alpha
    if settings.what == "matte":
        alpha = "none"
    elif settings.what in ("cutout", "plane", "layers"):
        alpha = "straight" if alpha == "none" else alpha
    if how.depth in ("half", "float"):
        alpha = "premultiplied" if alpha != "none" else "none"  # as the format's own rules have it
    if alpha != "none" and not how.alpha:
        if settings.what != "result":
            raise RecipeError(
                f"{how.label} can't hold alpha.", "Use ProRes 4444, VP9, FFV1 or pictures for it, or write the result."
            )
        raise RecipeError(f"{how.label} can't hold alpha.", "Use ProRes 4444, VP9, FFV1 or pictures for it.")
    order = Order(settings, how, begin, end, targets, alpha, shot.fps)
    if how.form == "sheet" and len(order.frames) > MOST_CELLS:
        least = -(-(end - begin + 1) // MOST_CELLS)
        raise RecipeError(
            f"A contact sheet has room for {MOST_CELLS} frames.", f"Show every {least}th, or more seldom."
        )
    if how.form == "loop" and len(order.frames) > MOST_LOOP:
        raise RecipeError(f"A loop has at most {MOST_LOOP} frames.", "Choose a shorter range, or a video.")
    name_of(settings.name, shot, order)
    return order


def _targets(shot: Shot, settings: Settings) -> tuple[str, ...]:
    if settings.what == "result":
        return ()
    if settings.what == "layers":
        known = [f"plane:{one.id}" for one in shot.planes if one.kind != "glaze"] + [f"matte:{m.id}" for m in (
            shot.mattes)]  # fmt: skip
        wanted = settings.targets or known
        if lost := [one for one in wanted if one not in known]:
            raise RecipeError(f"'{lost[0]}' can't be a layer of this shot.", f"Known: {', '.join(known)}.")
        return tuple(wanted)
    which = "plane" if settings.what == "plane" else "matte"
    here = [one.id for one in (shot.planes if which == "plane" else shot.mattes)]
    if len(settings.targets) != 1 or settings.targets[0] not in here:
        raise RecipeError(f"Say which {which} is meant.", f"Known: {', '.join(here) or 'none'}.")
    return tuple(settings.targets)


def title_of(shot: Shot, order: Order) -> str:
    """What an export is called in a list."""
    named = _named(shot, order)
    return f"{WHATS[order.settings.what]}, {order.how.label}" + (f": {named}" if named else "")


def _named(shot: Shot, order: Order) -> str:
    if order.settings.what in ("cutout", "matte"):
        return shot.matte(order.targets[0]).name
    return shot.plane(order.targets[0]).name if order.settings.what == "plane" else ""


def safe(name: str) -> str:
    """A name that is safe in every file system."""
    return re.sub(r"[^\w-]+", "-", name, flags=re.ASCII).strip("-").lower()


def name_of(pattern: str, shot: Shot, order: Order) -> str:
    """The name of an export's file without its ending. Raises RecipeError for a token that there is not.

    How colour relates to alpha is always said: at the end, where the pattern does not say it.
    """
    size = order.scale(shot)
    alpha = "" if order.alpha == "none" else order.alpha
    values = {
        "shot": safe(shot.name) or "shot",
        "what": order.settings.what,
        "of": safe(_named(shot, order)),
        "how": order.how.kind,
        "alpha": alpha,
        "first": str(shot.first_number + order.first),
        "last": str(shot.first_number + order.last),
        "date": date.today().isoformat(),
        "size": f"{round(shot.size[0] * size)}x{round(shot.size[1] * size)}",
    }
    if unknown := [one for one in re.findall(r"\{([^}]*)\}", pattern) if one not in values]:
        known = ", ".join("{" + one + "}" for one in TOKENS)
        raise RecipeError(f"A name has no part '{{{unknown[0]}}}'.", f"Known: {known}.")
    said = "{alpha}" in pattern
    filled = re.sub(r"\{(\w+)\}", lambda found: values[found[1]], pattern)
    whole = re.sub(r"([_-])[_-]+", r"\1", re.sub(r"[^\w.-]+", "-", filled, flags=re.ASCII)).strip("-_.")
    if alpha and not said:
        whole += f"_{alpha}"
    return whole[:150] or "export"
