"""Another plate under a finished shot: what is fitted to it, and what can't carry over."""

from __future__ import annotations

import math
from collections.abc import Container
from dataclasses import dataclass
from typing import Any, Literal

from cuvrel.core.recipe.conform import Fit, fitted
from cuvrel.core.recipe.declared import declared
from cuvrel.core.recipe.models import Footage, Shot
from cuvrel.core.recipe.references import free_id, references, renamed

Json = dict[str, Any]
Times = Literal["frame by frame", "by the clock"]


@dataclass(frozen=True)
class Swap:
    """ops: what changes, as operations on the document. said: what is fitted. lost: what can't carry over.

    pulls: the traces that begin anew, and are to be followed from their touched frames.
    """

    ops: list[Json]
    said: list[str]
    lost: list[str]
    pulls: list[str]


def swapped(shot: Shot, plate: Footage, times: Times = "frame by frame", anew: Container[str] = frozenset()) -> Swap:
    """A shot on another plate. What follows from the plate's pictures is worked out anew by itself; marks, shapes and
    all values stay, fitted to its size, and to its rate where times go by the clock.

    Stored frames of traces and of settled mattes stay on their frames, whatever the rate. anew: the mattes whose
    traces get other ids, and so have no stored frames but those that their marks bring; they are settled no more.
    """
    old = shot.plate_footage()
    known = {one.id: one for one in shot.footage}
    if plate.id == old.id:
        return Swap([], [], [], [])
    own_rate = shot.format.fps is not None  # then the plate's does not count
    stretch = plate.fps / shot.fps if times == "by the clock" and not own_rate else 1.0
    size = min(plate.width / old.width, plate.height / old.height)
    fit = Fit(stretch=stretch, size=size, old=(old.width, old.height), new=(plate.width, plate.height))
    document = fitted(shot, fit)
    document["range"] = _ranged(shot, plate, fit)
    for side in ("width", "height"):
        own = document["format"][side]
        document["format"][side] = own and max(2, min(round(own * size), 16384))
    gone = _beyond_the_end(document, plate, None if fit.size != 1 or fit.old != fit.new else anew)
    measured = fit.size == 1 and fit.old == fit.new and fit.stretch == 1
    gone += _tracks_within(document, plate)
    pulls = _begun_anew(document, anew)
    ops: list[Json] = []
    if plate.id not in known:
        ops.append({"op": "add", "path": "/footage/-", "value": plate.model_dump(mode="json")})
    ops.append({"op": "replace", "path": "/plate", "value": plate.id})
    if not measured:
        document = _followed_anew(shot, document)
    original = shot.model_dump(mode="json")
    changed = [part for part in ("mattes", "planes", "tracks", "format", "range") if document[part] != original[part]]
    ops += [{"op": "replace", "path": f"/{part}", "value": document[part]} for part in changed]
    return Swap(ops, _said(shot, plate, fit), [*_lost(shot, plate, fit, anew), *gone], pulls)


def _beyond_the_end(document: Json, plate: Footage, of: Container[str] | None) -> list[str]:
    """Takes marks away that lie on frames that the plate does not have, and would be solved there; tells of each matte.

    of: the mattes whose marks are solved anew; None for all.
    """
    out = []
    for matte in document["mattes"]:
        frames = set()
        for pull in matte["pulls"] if of is None or matte["id"] in of else []:
            kept = [mark for mark in pull["marks"] if mark["frame"] < plate.frames]
            frames |= {mark["frame"] for mark in pull["marks"]} - {mark["frame"] for mark in kept}
            pull["marks"] = kept
        if frames:
            many = "a frame" if len(frames) == 1 else f"{len(frames)} frames"
            out.append(f"The marks of '{matte['name']}' on {many} behind its end go.")
    return out


def _tracks_within(document: Json, plate: Footage) -> list[str]:
    """Takes touches of tracks away that lie on frames that the plate does not have; tells of each track."""
    out = []
    for track in document["tracks"]:
        kept = [touch for touch in track["touches"] if touch["frame"] < plate.frames]
        if track["frame"] >= plate.frames:
            track["frame"] = plate.frames - 1
            kept = [touch for touch in kept if touch["frame"] != track["frame"]]
            out.append(f"The track '{track['name']}' was marked behind its end: it is marked on the last frame now.")
        elif len(kept) < len(track["touches"]):
            out.append(f"What a hand set of the track '{track['name']}' behind its end goes.")
        track["touches"] = kept
    return out


def _followed_anew(shot: Shot, document: Json) -> Json:
    """The document with other ids for its tracks: what was measured on other pictures or times is theirs no more."""
    used = {pull["id"] for matte in document["mattes"] for pull in matte["pulls"]}
    used |= {track.id for track in shot.tracks}
    names = {track.id: free_id(track.id, used) for track in shot.tracks}
    out: Json = renamed(document, references(shot), {"track": names})
    for track in out["tracks"]:
        track["id"] = names[track["id"]]
    return out


def _begun_anew(document: Json, anew: Container[str]) -> list[str]:
    """Gives the traces of some mattes ids of their own; returns those that have marks to begin from."""
    used = {pull["id"] for matte in document["mattes"] for pull in matte["pulls"]}
    out: list[str] = []
    for matte in document["mattes"]:
        if matte["id"] not in anew:
            continue
        matte["settled"] = None
        for pull in matte["pulls"]:
            if declared("pull", pull["kind"]).holds == "marks":
                pull["id"] = free_id(pull["id"], used)
                out += [pull["id"]] if pull["marks"] else []
    return out


def _ranged(shot: Shot, plate: Footage, fit: Fit) -> Json:
    ends = (shot.range.first, shot.range.last)
    first, last = (None if end is None else min(fit.frame(end), plate.frames - 1) for end in ends)
    return {"first": first, "last": last}


def _said(shot: Shot, plate: Footage, fit: Fit) -> list[str]:
    old, out = shot.plate_footage(), []
    if fit.old != fit.new:
        out.append(
            f"The picture is {plate.width} × {plate.height} in place of {old.width} × {old.height}: "
            f"shapes, marks, places and sizes are fitted by {fit.size:.3g}."
        )
        if not math.isclose(plate.width / old.width, plate.height / old.height, rel_tol=0.01):
            out.append("Its proportions are others: what was drawn keeps its own, about the middle.")
    if plate.fps != shot.fps and shot.format.fps is None:
        how = f"times are stretched by {fit.stretch:.3g}" if fit.stretch != 1 else "each frame stays what it is"
        out.append(f"The rate is {plate.fps:g} in place of {shot.fps:g} frames a second: {how}.")
    return out


def _lost(shot: Shot, plate: Footage, fit: Fit, anew: Container[str]) -> list[str]:
    old, out = shot.plate_footage(), []
    if fit.frame(shot.frames[-1]) >= plate.frames:
        out.append(f"The plate has {plate.frames} frames: what lies behind frame {plate.frames} is not seen.")
    if fit.stretch != 1:
        traced = [matte.name for matte in shot.mattes
                  if matte.id not in anew and (matte.settled or _marked(matte.pulls))]  # fmt: skip
        if traced:
            out.append(f"Stored frames can't be stretched: {_listed(traced)} must be followed anew.")
    if shot.tracks and (fit.stretch != 1 or fit.old != fit.new):
        out.append(f"{_listed([track.name for track in shot.tracks])} must be followed anew: what rides waits for it.")
    for matte in shot.mattes:
        for pull in matte.pulls:
            if pull.kind == "difference_key" and pull.params.get("plate"):
                out.append(f"'{matte.name}' keys against a clean plate of '{old.name}'; it needs one of the new plate.")
    return out


def _marked(pulls: list[Any]) -> bool:
    return any(declared("pull", pull.kind).holds == "marks" for pull in pulls)


def _listed(names: list[str]) -> str:
    named = [f"'{name}'" for name in names]
    return named[0] if len(named) == 1 else f"{', '.join(named[:-1])} and {named[-1]}"
