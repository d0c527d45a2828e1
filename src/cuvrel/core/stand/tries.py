"""Trying out: the stand with one thing laid on, of which nothing is written down."""

from __future__ import annotations

from collections.abc import Iterator

from cuvrel.core.recipe.declared import all_declared, declared
from cuvrel.core.recipe.models import Matte, Plane, Pull, Shot, Step
from cuvrel.core.recipe.new_plane import begun
from cuvrel.core.stand.build import Stand
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


def laid_on(stand: Stand, wanted: Try) -> tuple[Stand, ResultView | VeilView | PlaneView]:
    """The stand with something laid on, and how to look at it. Raises KeyError, IndexError or RecipeError."""
    shot = stand.shot
    match wanted:
        case PullTry(matte=ident, pull=kind):
            pulled = _pulled(shot.matte(ident), kind)
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


def _pulled(matte: Matte, kind: str) -> Matte:
    """The matte with a pull more, joined as the interface would join it."""
    entry = declared("pull", kind)
    narrows = matte.pulls and entry.holds is None and all(pull.kind != kind for pull in matte.pulls)
    more = Pull(id=TRIED, kind=kind, join="intersect" if narrows else "add")
    return matte.model_copy(update={"pulls": [*matte.pulls, more], "settled": None})
