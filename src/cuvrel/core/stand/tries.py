"""Trying out: the stand with one thing laid on, of which nothing is written down."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from typing import Any

from cuvrel.core.keys.beginning import colour_begun, luma_begun
from cuvrel.core.keys.difference_key import suggested
from cuvrel.core.recipe.declared import all_declared, declared
from cuvrel.core.recipe.models import Matte, Plane, Pull, Shot, Step
from cuvrel.core.recipe.needs import footage
from cuvrel.core.recipe.new_plane import begun
from cuvrel.core.stand.build import Stand
from cuvrel.core.stand.nodes import Cache, work_out
from cuvrel.core.stand.view_kinds import (
    MatteTarget,
    PlaneTarget,
    PlaneTry,
    PlaneView,
    PullTry,
    ResultView,
    StandTarget,
    StarterTry,
    StepTarget,
    Target,
    TreatmentTry,
    Try,
    VeilView,
)

TRIED = "tried"  # the id of what is laid on
THROUGH = ("line", "glaze", "group")  # planes that are nothing without what is behind them


def tries(shot: Shot, target: Target) -> Iterator[tuple[str, Try]]:
    """What can be laid on a target: each kind, or starter's name, and the view that shows it. Raises KeyError."""
    match target:
        case MatteTarget(matte=ident):
            held = {declared("pull", pull.kind).holds for pull in shot.matte(ident).pulls}
            for entry in all_declared():
                if entry.family == "pull" and not (entry.holds == "marks" and "marks" in held):
                    yield entry.kind, PullTry(matte=ident, pull=entry.kind)
        case StandTarget(matte=matte):
            if matte is not None:
                shot.matte(matte)
            for entry in all_declared():
                if entry.family == "plane" and not (entry.needs_matte and matte is None):
                    yield entry.kind, PlaneTry(plane=entry.kind, matte=matte)
        case StepTarget(plane=ident, step=step):
            kind = _step(shot.plane(ident), step).kind
            for number, (name, _) in enumerate(declared("treatment", kind).starters):
                yield name, StarterTry(plane=ident, step=step, starter=number)
        case PlaneTarget(plane=ident):
            plane = shot.plane(ident)
            for entry in all_declared():
                if entry.family == "treatment" and not (
                    entry.needs_matte and plane.matte is None and plane.gate is None
                ):
                    yield entry.kind, TreatmentTry(plane=ident, treatment=entry.kind)


def with_beginnings(
    stand: Stand, target: MatteTarget, found: Sequence[tuple[str, Try]], frame: int, cache: Cache
) -> list[tuple[str, Try]]:  # fmt: skip
    """The tries of a matte's pulls, each with the values that it begins with on a frame.

    stand: at a size at which keys find what they find in the whole picture.
    """
    plate, matte = work_out(stand.plate(frame), cache), stand.shot.matte(target.matte)
    cover = work_out(stand.matte(matte.id, frame), cache) if matte.pulls else None
    params: dict[str, dict[str, Any]] = {"luma_key": luma_begun(plate, cover), "colour_key": colour_begun(plate, cover)}
    keys = [one for each in stand.shot.mattes for one in each.pulls if one.kind == "difference_key"]
    clean = next((str(one.params["plate"]) for one in keys if one.params.get("plate")), None)
    if clean is not None:
        values = declared("pull", "difference_key").read({"plate": clean}).at(stand.env(frame))
        behind = work_out(stand.other(footage(frame, clean)), cache)
        params["difference_key"] = {"plate": clean, **suggested(plate, behind, values, stand.scale)}
    return [
        (kind, one.model_copy(update={"params": params[kind]}) if isinstance(one, PullTry) and kind in params else one)
        for kind, one in found
    ]


def laid_on(stand: Stand, wanted: Try) -> tuple[Stand, ResultView | VeilView | PlaneView]:
    """The stand with something laid on, and how to look at it. Raises KeyError, IndexError or RecipeError."""
    shot = stand.shot
    match wanted:
        case PullTry(matte=ident, pull=kind, params=params):
            pulled = _pulled(stand, shot.matte(ident), kind, params)
            mattes = [pulled if one.id == ident else one for one in shot.mattes]
            return stand.of(shot.model_copy(update={"mattes": mattes})), VeilView(matte=ident)
        case PlaneTry(plane=kind, matte=matte):
            new = begun(kind, TRIED, matte)
            shown = stand.of(shot.model_copy(update={"planes": [new, *shot.planes]}))
            return shown, ResultView() if new.kind in THROUGH else PlaneView(plane=TRIED)
        case TreatmentTry(plane=ident, treatment=kind):
            declared("treatment", kind)
            plane = shot.plane(ident)
            steps = [*plane.treatments, Step(id=TRIED, kind=kind)]
        case StarterTry(plane=ident, step=step, starter=number):
            plane = shot.plane(ident)
            old = _step(plane, step)
            values = declared("treatment", old.kind).starters[number][1]
            started = old.model_copy(update={"params": {**old.params, **values}, "on": True})
            steps = [started if one is old else one for one in plane.treatments]
    tried = plane.model_copy(update={"treatments": steps})
    planes = [tried if one is plane else one for one in shot.planes]
    return stand.of(shot.model_copy(update={"planes": planes})), ResultView()


def _step(plane: Plane, ident: str) -> Step:
    for step in plane.treatments:
        if step.id == ident:
            return step
    raise KeyError(ident)


def _pulled(stand: Stand, matte: Matte, kind: str, params: dict[str, Any]) -> Matte:
    """The matte with a pull more, joined as the interface would join it; a trace that nothing was done with goes."""
    entry = declared("pull", kind)
    if len(matte.pulls) == 1 and declared("pull", matte.pulls[0].kind).holds == "marks":
        owner = matte.pulls[0]
        there = (stand.sources.stored(owner.id, frame, stand.plate_size) for frame in range(stand.frames))
        if not owner.marks and all(one is None for one in there):
            matte = matte.model_copy(update={"pulls": []})
    narrows = matte.pulls and entry.holds is None and all(pull.kind != kind for pull in matte.pulls)
    more = Pull(id=TRIED, kind=kind, params=params, join="intersect" if narrows else "add")
    return matte.model_copy(update={"pulls": [*matte.pulls, more], "settled": None})
