"""Reading and checking a document: shape, references, declared parameters, older versions."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from typing import Any

from pydantic import ValidationError

from cuvrel.core.recipe.declared import declared
from cuvrel.core.recipe.errors import RecipeError
from cuvrel.core.recipe.models import VERSION, Plane, Shot
from cuvrel.core.recipe.values import Driver, Keys

# upgrades[n] turns a document of version n into one of version n + 1
UPGRADES: dict[int, Callable[[dict[str, Any]], dict[str, Any]]] = {}


def read_shot(raw: Any) -> Shot:
    """A checked document from plain JSON.

    Raises RecipeError, with a sentence that names the place, for a wrong shape, a value out of range,
    a repeated id, or a reference to something that is not there.
    """
    try:
        shot = Shot.model_validate(upgrade(raw))
    except ValidationError as fault:
        first = fault.errors()[0]
        path = "/".join(str(part) for part in first["loc"])
        text = str(first["msg"]).removeprefix("Value error, ")
        raise RecipeError(f"The document is wrong at {path}: {text}.") from fault
    _unique("footage", (f.id for f in shot.footage))
    _unique("mattes", (m.id for m in shot.mattes))
    _unique("planes", (p.id for p in shot.planes))
    _unique("pulls", (pull.id for m in shot.mattes for pull in m.pulls))
    _unique("treatments", (step.id for p in shot.planes for step in p.treatments))
    _references(shot)
    _parameters(shot)
    _regions(shot)
    _groups(shot)
    _circles(shot)
    return shot


def upgrade(raw: Any) -> Any:
    """The document in today's version. Raises RecipeError for one from a newer program."""
    if not isinstance(raw, dict):
        raise RecipeError("The document must be a JSON object.")
    version = raw.get("version", VERSION)
    if not isinstance(version, int) or version > VERSION:
        raise RecipeError(f"This document is of version {version}; this program reads up to {VERSION}.")
    while version < VERSION:
        if version not in UPGRADES:
            raise RecipeError(f"Documents of version {version} can't be read any more.")
        raw, version = UPGRADES[version](raw), version + 1
    return raw


def _unique(what: str, ids: Iterable[str]) -> None:
    seen: set[str] = set()
    for one in ids:
        if one in seen:
            raise RecipeError(f"Two {what} have the id '{one}'.")
        seen.add(one)


def _references(shot: Shot) -> None:
    footage = {f.id for f in shot.footage}
    mattes = {m.id for m in shot.mattes}
    if shot.plate not in footage:
        raise RecipeError(f"The shot '{shot.name}' names the plate '{shot.plate}', which is not there.")
    for plane in shot.planes:
        if plane.kind in ("cutout", "line") and plane.matte is None:
            raise RecipeError(f"The plane '{plane.name}' needs a matte.")
        for matte in _mattes_of(plane):
            if matte not in mattes:
                raise RecipeError(f"The plane '{plane.name}' uses the matte '{matte}', which is not there.")


def _mattes_of(plane: Plane) -> list[str]:
    """The ids of the mattes that a plane uses."""
    gate = [plane.gate.matte, *plane.gate.excluded] if plane.gate else []
    return [*([plane.matte] if plane.matte else []), *gate]


def _regions(shot: Shot) -> None:
    mattes = {matte.id for matte in shot.mattes}
    for matte in shot.mattes:
        for pull in matte.pulls:
            if pull.region is not None and pull.region not in mattes:
                label = declared("pull", pull.kind).label
                raise RecipeError(
                    f"{label} of '{matte.name}' is confined to the matte '{pull.region}', which is not there."
                )


def _groups(shot: Shot) -> None:
    planes = {plane.id: plane for plane in shot.planes}
    for plane in shot.planes:
        if plane.first is not None and plane.last is not None and plane.first > plane.last:
            raise RecipeError(f"The plane '{plane.name}' would end before its first frame.")
        seen, at = [plane.id], plane
        while at.group is not None:
            if at.group not in planes or planes[at.group].kind != "group":
                raise RecipeError(f"The plane '{at.name}' is held by the group '{at.group}', which is not there.")
            at = planes[at.group]
            if at.id in seen:
                raise RecipeError(f"There is a circle: the groups '{at.name}' and '{plane.name}' hold each other.")
            seen.append(at.id)


def _circles(shot: Shot) -> None:
    """Refuses a matte that is pulled from a plane which, in the end, uses the matte."""
    uses: dict[str, list[str]] = {}
    names: dict[str, str] = {}
    for plane in shot.planes:
        held = [f"p{one.id}" for one in shot.planes if one.group == plane.id]
        uses[f"p{plane.id}"] = [*(f"m{m}" for m in _mattes_of(plane)), *held]
        names[f"p{plane.id}"] = f"the plane '{plane.name}'"
    for matte in shot.mattes:
        planes = [declared("pull", pull.kind).read(pull.params).names("plane") for pull in matte.pulls]
        regions = [f"m{pull.region}" for pull in matte.pulls if pull.region]
        uses[f"m{matte.id}"] = [*(f"p{plane}" for found in planes for plane in found.values()), *regions]
        names[f"m{matte.id}"] = f"the matte '{matte.name}'"
    clear: set[str] = set()
    for start in uses:
        path: list[str] = []
        waiting = [(start, 0)]
        while waiting:
            at, depth = waiting.pop()
            del path[depth:]
            if at in path:
                raise RecipeError(f"There is a circle: {names[at]} and {names[path[-1]]} need each other.")
            if at in clear:
                continue
            path.append(at)
            waiting += [(one, depth + 1) for one in uses[at]]
        clear.add(start)


def _parameters(shot: Shot) -> None:
    footage, planes = {f.id for f in shot.footage}, {p.id for p in shot.planes}
    for matte in shot.mattes:
        for pull in matte.pulls:
            entry = declared("pull", pull.kind)
            params = entry.read(pull.params)
            for of, known in (("footage", footage), ("plane", planes)):
                for one in params.names(of).values():
                    if one not in known:
                        raise RecipeError(
                            f"{entry.label} of '{matte.name}' names the {of} '{one}', which is not there."
                        )
            _unique(f"shapes of '{matte.name}'", (shape.id for shape in pull.shapes))
            _unit(pull.strength, f"{matte.name}, strength")
            _unique(f"marks of '{matte.name}'", (mark.id for mark in pull.marks))
        declared("edge", "edge").read(matte.edge)
    for plane in shot.planes:
        declared("placement", "placement").read(plane.placement)
        declared("time", "time").read(plane.time)
        params = declared("plane", plane.kind).read(plane.params)
        for one in params.names("footage").values():
            if one not in footage:
                raise RecipeError(f"The plane '{plane.name}' names the footage '{one}', which is not there.")
        _unit(plane.opacity, f"{plane.name}, opacity")
        for step in plane.treatments:
            entry = declared("treatment", step.kind)
            entry.read(step.params)
            if entry.needs_matte and plane.matte is None and plane.gate is None:
                raise RecipeError(
                    f"{entry.label} on the plane '{plane.name}' needs a matte.", "Give the plane a gate first."
                )


def _unit(value: Any, what: str) -> None:
    if isinstance(value, Driver):
        value = value.base
    plain = [key.value for key in value.keys] if isinstance(value, Keys) else [value]
    if any(isinstance(one, tuple) or not 0.0 <= one <= 1.0 for one in plain):
        raise RecipeError(f"{what} must lie between 0 and 1.")
