"""Reading and checking a document: shape, references, declared parameters, older versions."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from typing import Any

from pydantic import ValidationError

from cuvrel.core.recipe.declared import declared
from cuvrel.core.recipe.errors import RecipeError
from cuvrel.core.recipe.models import Shot, Step
from cuvrel.core.recipe.reel import Reel
from cuvrel.core.recipe.references import Reference, looks_behind, references
from cuvrel.core.recipe.upgrades import upgrade


def read_shot(raw: Any) -> Shot:
    """A checked document from plain JSON of any version.

    Raises RecipeError, with a sentence that names the place, for a wrong shape, a value out of range,
    a repeated id, or a reference to something that is not there.
    """
    return checked(upgrade(raw))[0]


def shot_model(raw: Any) -> Shot:
    """The model of a shot's or a reel's document of today's version, by its kind. Raises pydantic's ValidationError."""
    of_reel = isinstance(raw, dict) and raw.get("kind") == "reel"
    return Reel.model_validate(raw) if of_reel else Shot.model_validate(raw)


def checked(raw: Any) -> tuple[Shot, tuple[Reference, ...]]:
    """The same for a document of today's version, of which parts may be models that were checked before.

    Returns its references, too.
    """
    try:
        shot = shot_model(raw)
    except ValidationError as fault:
        first = fault.errors()[0]
        path = "/".join(str(part) for part in first["loc"])
        text = str(first["msg"]).removeprefix("Value error, ")
        raise RecipeError(f"The document is wrong at {path}: {text}.") from fault
    _unique("footage", [f.id for f in shot.footage])
    _unique("mattes", [m.id for m in shot.mattes])
    _unique("planes", [p.id for p in shot.planes])
    _unique("pulls and tracks", [pull.id for m in shot.mattes for pull in m.pulls] + [t.id for t in shot.tracks])
    _unique("treatments", [step.id for p in shot.planes for step in p.treatments])
    if isinstance(shot, Reel):
        _unique("pieces", [piece.id for piece in shot.pieces])
    for matte in shot.mattes:
        for pull in matte.pulls:
            _unique(f"shapes of '{matte.name}'", [shape.id for shape in pull.shapes])
            _unique(f"marks of '{matte.name}'", [mark.id for mark in pull.marks])
    found = tuple(references(shot))  # reading them checks all declared values
    _there(shot, found)
    _seen(shot, found)
    _matted(shot)
    _tracked(shot)
    _spans(shot)
    _circles(shot, found)
    return shot, found


def _unique(what: str, ids: Sequence[str]) -> None:
    if len(set(ids)) == len(ids):
        return
    seen: set[str] = set()
    for one in ids:
        if one in seen:
            raise RecipeError(f"Two {what} have the id '{one}'.")
        seen.add(one)


def _there(shot: Shot, found: Iterable[Reference]) -> None:
    known = {
        "footage": {f.id for f in shot.footage},
        "matte": {m.id for m in shot.mattes},
        "plane": {p.id for p in shot.planes},
        "track": {t.id for t in shot.tracks},
        "group": {p.id for p in shot.planes if p.kind == "group"},
    }
    for one in found:
        if one.kind in known and one.id not in known[one.kind]:
            who = f"{one.what} of {one.named}" if one.what else one.named
            raise RecipeError(f"{who[0].upper()}{who[1:]} names the {one.kind} '{one.id}', which is not there.")


def _seen(shot: Shot, found: Iterable[Reference]) -> None:
    """Refuses sound alone, or a table, where a picture is wanted, and a picture where a table is."""
    for one in found:
        if one.kind != "footage" or one.path == "/sound/under":
            continue
        entry = shot.footage_by_id(one.id)
        if entry.shot != (one.what == "piece") and not (entry.shot and one.element):
            if entry.shot:
                raise RecipeError(f"'{entry.name}' is a shot; {one.named} needs a file.", "Show it by an element.")
            raise RecipeError(f"'{entry.name}' is no shot.", "Make a shot of it first.")
        if one.table and entry.frames:
            raise RecipeError(f"'{entry.name}' is no colour table.", "Bring in a .cube file.")
        if not one.table and not entry.frames:
            raise RecipeError(f"'{entry.name}' holds no picture; {one.named} needs one.", "Lay sound under as sound.")


def _matted(shot: Shot) -> None:
    """Refuses planes and treatments that need a matte and have none."""
    for plane in shot.planes:
        if declared("plane", plane.kind).needs_matte and plane.matte is None:
            raise RecipeError(f"The plane '{plane.name}' needs a matte.")
        for step in plane.treatments:
            entry = declared("treatment", step.kind)
            if entry.needs_matte and plane.matte is None and plane.gate is None:
                raise RecipeError(
                    f"{entry.label} on the plane '{plane.name}' needs a matte.", "Give the plane a gate first."
                )


def _tracked(shot: Shot) -> None:
    """Refuses marks of a track on frames that there are not."""
    count = shot.plate_footage().frames
    for track in shot.tracks:
        beyond = [frame for frame in (track.frame, *(touch.frame for touch in track.touches)) if frame >= count]
        if beyond:
            raise RecipeError(f"The track '{track.name}' is marked on frame {beyond[0]}, but the plate has {count}.")
    cameras = {track.id for track in shot.tracks if track.kind == "camera"}
    for plane in shot.planes:
        if plane.card is not None and plane.card.track not in cameras:
            raise RecipeError(f"The plane '{plane.name}' stands in the scene of a track that is no camera.")


def _spans(shot: Shot) -> None:
    for first, last, named in [
        *((plane.first, plane.last, f"plane '{plane.name}'") for plane in shot.planes),
        (shot.range.first, shot.range.last, f"shot '{shot.name}'"),
        *((one.first, one.last, f"silence of '{shot.name}'") for one in shot.sound.hushes),
        *((one.frame, one.to, "mix between two camera shots") for one in shot.cuts),
    ]:
        if first is not None and last is not None and first > last:
            raise RecipeError(f"The {named} would end before its first frame.")


def _matted_step(step: Step) -> bool:
    return declared("treatment", step.kind).needs_matte


def _circles(shot: Shot, found: Iterable[Reference]) -> None:
    """Refuses what, in the end, needs itself: a matte from a plane that uses the matte, groups that hold each other."""
    uses: dict[str, list[str]] = {}
    named = {f"matte:{m.id}": f"the matte '{m.name}'" for m in shot.mattes}
    # what a plane shows by itself is looked at by others before its gate
    named |= {f"{one}:{p.id}": f"the plane '{p.name}'" for p in shot.planes for one in ("plane", "alone")}
    gated = {p.id for p in shot.planes if p.matte is None and any(_matted_step(one) for one in p.treatments)}
    for plane in shot.planes:
        uses.setdefault(f"plane:{plane.id}", []).append(f"alone:{plane.id}")
    for one in found:
        kind, _, ident = one.owner.partition(":")
        by_itself = kind == "plane" and ("/gate/" not in one.path or ident in gated)
        owner = f"alone:{ident}" if by_itself else one.owner
        if one.kind == "group":
            uses.setdefault(f"alone:{one.id}", []).append(one.owner)
        elif one.kind in ("matte", "plane"):
            uses.setdefault(owner, []).append(f"{'alone' if one.kind == 'plane' else one.kind}:{one.id}")
    for looking, behind in looks_behind(shot):
        uses.setdefault(looking.replace("plane:", "alone:"), []).append(f"plane:{behind}")
    clear: set[str] = set()
    for start in uses:
        path: list[str] = []
        waiting = [(start, 0)]
        while waiting:
            at, depth = waiting.pop()
            del path[depth:]
            if at in path:
                raise RecipeError(f"There is a circle: {named[at]} and {named[path[-1]]} need each other.")
            if at in clear:
                continue
            path.append(at)
            waiting += [(one, depth + 1) for one in uses.get(at, [])]
        clear.add(start)
