"""Taking a look off a shot."""

from __future__ import annotations

from collections.abc import Sequence

from cuvrel.core.looks.models import Look, Need
from cuvrel.core.recipe.check import shot_model
from cuvrel.core.recipe.conform import Fit, fitted
from cuvrel.core.recipe.edits import apply
from cuvrel.core.recipe.errors import RecipeError
from cuvrel.core.recipe.models import Plane, Shot
from cuvrel.core.recipe.references import references, riders, without_ride


def look_of_planes(shot: Shot, name: str, planes: Sequence[str]) -> Look:
    """A look of planes and of all that their groups hold. Raises RecipeError where there is no such plane."""
    chosen = _with_held(shot, planes)
    return _taken(shot, name, [plane for plane in shot.planes if plane.id in chosen], of_steps=False)


def look_of_treatments(shot: Shot, name: str, plane: str) -> Look:
    """A look of a plane's treatments. Raises RecipeError where it has none."""
    found = next((one for one in shot.planes if one.id == plane), None)
    if found is None or not found.treatments:
        raise RecipeError("There is no treatment here that could be saved as a look.")
    return _taken(shot, name, [found], of_steps=True)


def _with_held(shot: Shot, planes: Sequence[str]) -> set[str]:
    known = {plane.id for plane in shot.planes}
    if not planes or not set(planes) <= known:
        raise RecipeError("There is no such plane that could be saved as a look.")
    chosen = set(planes)
    while True:
        more = {plane.id for plane in shot.planes if plane.group in chosen} - chosen
        if not more:
            return chosen
        chosen |= more


def _taken(shot: Shot, name: str, planes: list[Plane], of_steps: bool) -> Look:
    plate, ids = shot.plate_footage(), {plane.id for plane in planes}
    # what holds a plane is not taken along by what it holds
    # and a scene is: what stands in one lies flat elsewhere
    loose = [plane.model_copy(update={"card": None, "group": plane.group if plane.group in ids else None})
             for plane in planes]  # fmt: skip
    part = shot.model_copy(update={"planes": loose})
    owners = {f"plane:{one}" for one in ids}
    # tracks are the shot's own: what rides stays where it would be without
    still = [without_ride(rider) for rider in reversed(list(riders(part))) if rider.owner in owners]
    part = shot_model(apply(part.model_dump(mode="json"), still))
    document = fitted(part, Fit(first=shot.frames.start), owners)
    steps = document["planes"][0]["treatments"] if of_steps else []
    wanted = [one for one in references(part) if one.owner in owners]
    if of_steps:
        wanted = [one for one in wanted if "/treatments/" in one.path]
    needs: dict[str, Need] = {}
    for one in wanted:
        if one.kind == "plane" and one.id not in ids:
            raise RecipeError(f"{one.named.capitalize()} looks at a plane that would not be part of the look.")
        if one.kind in ("matte", "footage"):
            there = shot.matte(one.id).name if one.kind == "matte" else shot.footage_by_id(one.id).name
            needs[f"{one.kind}:{one.id}"] = Need(id=one.id, of=one.kind, name=there)
    return Look.model_validate(
        {
            "name": name,
            "frames": len(shot.frames),
            "width": plate.width,
            "height": plate.height,
            "needs": [one.model_dump() for one in needs.values()],
            "planes": [] if of_steps else document["planes"],
            "treatments": steps,
        }
    )
