"""Laying a look on a shot: what it needs is chosen from what the shot has, times and sizes are fitted."""

from __future__ import annotations

import math
from collections.abc import Mapping
from typing import Any

import jsonpointer

from cuvrel.core.looks.models import Look
from cuvrel.core.recipe.conform import Fit, fitted
from cuvrel.core.recipe.errors import RecipeError
from cuvrel.core.recipe.models import Plane, Shot
from cuvrel.core.recipe.references import Kind, free_id, references, renamed

Json = dict[str, Any]
Chosen = Mapping[str, str | None]  # by a need's id, the id of what the shot has for it


def suited(look: Look, shot: Shot, prefer: str | None = None) -> dict[str, str | None]:
    """What the shot has for each of a look's needs: of the same name, or else the preferred matte, or its first one.

    Footage of another name is not taken: it is None, and so is a matte where there is none.
    """
    out: dict[str, str | None] = {}
    spare = [matte.id for matte in shot.mattes]
    if prefer in spare:
        spare.remove(prefer)
        spare.insert(0, prefer)
    named = {matte.name.casefold(): matte.id for matte in shot.mattes}
    for need in look.needs:
        if need.of == "matte":
            out[need.id] = named.get(need.name.casefold())
        else:
            out[need.id] = next((one.id for one in shot.footage if one.name == need.name), None)
    for need in look.needs:
        if need.of == "matte" and out[need.id] is None and spare:
            unused = [one for one in spare if one not in out.values()]
            out[need.id] = (unused or spare)[0]
    return out


def laid_on(look: Look, shot: Shot, chosen: Chosen, plane: str | None = None) -> Json:
    """The shot's document with the look on it: its planes in front of all, or its treatments on a plane.

    Raises RecipeError where a matte that it needs is not chosen, or the plane is not there.
    """
    _all_there(look, shot, chosen)
    document: Json = shot.model_dump(mode="json")
    if look.treatments:
        target = next((one for one in shot.planes if one.id == plane), None)
        if target is None:
            raise RecipeError("This look is of treatments; choose the plane that they are for.")
        steps = _fitted(look, shot, chosen, [target.model_copy(update={"treatments": look.treatments, "group": None})])
        at = [one.id for one in shot.planes].index(target.id)
        document["planes"][at]["treatments"] += steps[0]["treatments"]
    else:
        document["planes"] = [*_fitted(look, shot, chosen, look.planes), *document["planes"]]
    return document


def operations(look: Look, shot: Shot, chosen: Chosen, plane: str | None = None) -> list[Json]:
    """The same as operations on the document as it is now (JSON Patch)."""
    done = laid_on(look, shot, chosen, plane)
    if look.planes:
        new = done["planes"][: len(look.planes)]
        return [{"op": "add", "path": f"/planes/{n}", "value": one} for n, one in enumerate(new)]
    at = [one.id for one in shot.planes].index(str(plane))
    steps = done["planes"][at]["treatments"][-len(look.treatments) :]
    return [{"op": "add", "path": f"/planes/{at}/treatments/-", "value": one} for one in steps]


def _all_there(look: Look, shot: Shot, chosen: Chosen) -> None:
    mattes, footage = {one.id for one in shot.mattes}, {one.id for one in shot.footage}
    for need in look.needs:
        found = chosen.get(need.id)
        if need.of == "matte" and found not in mattes:
            raise RecipeError(f"'{look.name}' needs a matte for '{need.name}'.", "Make one, or choose another.")
        if need.of == "footage" and found is not None and found not in footage:
            raise RecipeError(f"There is no such footage for '{need.name}' in this shot.")


def _fitted(look: Look, shot: Shot, chosen: Chosen, planes: list[Plane]) -> list[Json]:
    """A look's planes as they are on the shot, with ids that it does not have."""
    plate, span = shot.plate_footage(), len(shot.frames)
    fit = Fit(
        to=shot.frames.start,
        stretch=(span - 1) / (look.frames - 1) if look.frames > 1 else 1.0,
        size=math.sqrt(plate.width * plate.height / (look.width * look.height)),
    )
    # what it names is not in the shot yet, so it is told by its own names
    alone = shot.model_copy(update={"planes": planes})
    held = alone.model_copy(update={"planes": _with(alone, fit)})
    names: dict[Kind, dict[str, str]] = {"matte": {}, "footage": {}, "plane": {}, "group": {}}
    for need in look.needs:
        found = chosen.get(need.id)
        if found is not None:
            names[need.of][need.id] = found
    used = {one.id for one in shot.planes} | {step.id for one in shot.planes for step in one.treatments}
    for plane in planes:
        names["plane"][plane.id] = names["group"][plane.id] = free_id(plane.id, used)
    wanted = [one for one in references(held) if one.owner.startswith("plane:")]
    document: Json = renamed(held.model_dump(mode="json"), wanted, names)
    for one in wanted:
        # footage that the shot does not have is named no more
        if one.kind == "footage" and chosen.get(one.id) is None:
            jsonpointer.set_pointer(document, one.path, None)
    out: list[Json] = document["planes"]
    for new in out:
        new["id"] = names["plane"][new["id"]]
        for step in new["treatments"]:
            step["id"] = free_id(step["id"], used)
    return out


def _with(shot: Shot, fit: Fit) -> list[Plane]:
    owners = {f"plane:{plane.id}" for plane in shot.planes}
    return [Plane.model_validate(one) for one in fitted(shot, fit, owners)["planes"]]
