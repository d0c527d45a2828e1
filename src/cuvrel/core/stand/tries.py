"""Trying out: the stand with one thing laid on, of which nothing is written down.

A view of such a stand is called `with:TARGET:KIND`: `with:plane:ID:KIND` has a treatment more on a plane,
`with:plane:ID:STEP:N` one of its treatments at its starter of that number, `with:matte:ID:KIND` a pull more on a matte,
and `with:stand:MATTE:KIND` is a new plane, alone where it covers what is behind it; MATTE may be empty.
"""

from __future__ import annotations

from collections.abc import Iterator

from cuvrel.core.recipe.begun import begun
from cuvrel.core.recipe.declared import all_declared, declared
from cuvrel.core.recipe.models import Matte, Plane, Pull, Shot, Step
from cuvrel.core.stand.build import Stand

TRIED = "tried"  # the id of what is laid on
THROUGH = ("line", "glaze", "group")  # planes that are nothing without what is behind them


def tries(shot: Shot, target: str) -> Iterator[tuple[str, str]]:
    """What can be laid on a target: each kind, or starter's name, and the view that shows it. Raises KeyError."""
    of, ident, *step = target.split(":")
    if of == "matte" and not step:
        matte = shot.matte(ident)
        held = {declared("pull", pull.kind).holds for pull in matte.pulls}
        for entry in all_declared():
            if entry.family == "pull" and not (entry.holds == "marks" and "marks" in held):
                yield entry.kind, f"with:{target}:{entry.kind}"
        return
    if of == "stand" and not step:
        if ident:
            shot.matte(ident)
        for entry in all_declared():
            if entry.family == "plane" and not (entry.needs_matte and not ident):
                yield entry.kind, f"with:{target}:{entry.kind}"
        return
    plane = shot.plane(ident)
    if step:
        kind = _step(plane, step[0]).kind
        for number, (name, _) in enumerate(declared("treatment", kind).starters):
            yield name, f"with:{target}:{number}"
        return
    for entry in all_declared():
        if entry.family == "treatment" and not (entry.needs_matte and plane.matte is None and plane.gate is None):
            yield entry.kind, f"with:{target}:{entry.kind}"


def laid_on(stand: Stand, parts: list[str]) -> tuple[Stand, str]:
    """The stand with what a view's name says laid on, and the view to look at. Raises KeyError or RecipeError."""
    of, ident, *rest = parts
    shot = stand.shot
    if of == "matte":
        (kind,) = rest
        pulled = _pulled(shot.matte(ident), kind)
        mattes = [pulled if one.id == ident else one for one in shot.mattes]
        return Stand(shot.model_copy(update={"mattes": mattes}), stand.sources, stand.scale), f"veil:{ident}"
    if of == "stand":
        new = begun(rest[0], TRIED, ident or None)
        shown = Stand(shot.model_copy(update={"planes": [new, *shot.planes]}), stand.sources, stand.scale)
        return shown, "result" if new.kind in THROUGH else f"plane:{TRIED}"
    plane = shot.plane(ident)
    if len(rest) == 1:
        declared("treatment", rest[0])
        steps = [*plane.treatments, Step(id=TRIED, kind=rest[0])]
    else:
        wanted = _step(plane, rest[0])
        values = declared("treatment", wanted.kind).starters[int(rest[1])][1]
        started = wanted.model_copy(update={"params": {**wanted.params, **values}, "on": True})
        steps = [started if one is wanted else one for one in plane.treatments]
    tried = plane.model_copy(update={"treatments": steps})
    planes = [tried if one.id == ident else one for one in shot.planes]
    return Stand(shot.model_copy(update={"planes": planes}), stand.sources, stand.scale), "result"


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
