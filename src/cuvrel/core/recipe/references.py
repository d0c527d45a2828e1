"""Every place of a document that names something else of the shot by its id.

What checks references, follows them, or writes them anew reads this list and walks through no document itself.
"""

from __future__ import annotations

import copy
from collections.abc import Iterable, Iterator, Mapping
from dataclasses import dataclass
from typing import Any, Literal

import jsonpointer

from cuvrel.core.recipe.declared import all_declared, declared
from cuvrel.core.recipe.declared_places import places
from cuvrel.core.recipe.models import Shot
from cuvrel.core.recipe.reel import Reel
from cuvrel.core.recipe.values import Ride, Riding

Kind = Literal["footage", "matte", "plane", "track", "group", "frames"]


@dataclass(frozen=True)
class Reference:
    """A place that names something. path: its JSON pointer. kind: what it names; a group is named by what it holds,
    frames are stored ones that stand for a matte's recipe.

    owner: what names it, as "shot", "matte:ID" or "plane:ID"; named: the same, as "the plane 'NAME'". what: the part
    of it that does, as "Difference key" or "its gate"; "" is the whole. table: the footage is a colour table. element:
    an element shows it, which may show another shot.
    """

    path: str
    kind: Kind
    id: str
    owner: str
    named: str
    what: str = ""
    table: bool = False
    element: bool = False


def references(shot: Shot) -> Iterator[Reference]:
    """All references of a shot, in the order of the document."""
    if isinstance(shot, Reel):
        for n, piece in enumerate(shot.pieces):
            yield Reference(f"/pieces/{n}/shot", "footage", piece.shot, "shot", f"the reel '{shot.name}'", "piece")
    else:
        yield Reference("/plate", "footage", shot.plate, "shot", f"the shot '{shot.name}'", "its plate")
    if shot.viewing is not None and shot.viewing.table:
        yield Reference("/viewing/table", "footage", shot.viewing.table, "shot", f"the shot '{shot.name}'", "its view",
                        table=True)  # fmt: skip
    for n, matte in enumerate(shot.mattes):
        if matte.settled:
            yield Reference(f"/mattes/{n}/settled", "frames", matte.settled, f"matte:{matte.id}", f"'{matte.name}'")
        if matte.of:
            yield Reference(f"/mattes/{n}/of", "plane", matte.of, f"matte:{matte.id}", f"'{matte.name}'")
    for n, plane in enumerate(shot.planes):
        path, owner, named = f"/planes/{n}", f"plane:{plane.id}", f"the plane '{plane.name}'"
        if plane.matte is not None:
            yield Reference(f"{path}/matte", "matte", plane.matte, owner, named)
        if plane.gate is not None:
            yield Reference(f"{path}/gate/matte", "matte", plane.gate.matte, owner, named, "its gate")
            for k, one in enumerate(plane.gate.excluded):
                yield Reference(f"{path}/gate/excluded/{k}", "matte", one, owner, named, "its gate")
        if plane.card is not None:
            yield Reference(f"{path}/card/track", "track", plane.card.track, owner, named, "its scene")
        if plane.group is not None:
            yield Reference(f"{path}/group", "group", plane.group, owner, named)
    for place in places(shot):
        values = place.read()
        for field, of in place.entry.params.naming().items():
            named_id = getattr(values, field)
            if named_id:
                kind: Kind = "footage" if of == "table" else of
                element = (place.entry.family, place.entry.kind) in (("plane", "element"), ("plane", "take"))
                yield Reference(f"{place.path}/{field}", kind, named_id, place.owner, place.named, place.about,
                                of == "table", element)  # fmt: skip
    for rides in riders(shot):
        yield Reference(f"{rides.path}/track", "track", rides.riding.track, rides.owner, rides.named, rides.what)


@dataclass(frozen=True)
class Rider:
    """What rides on a track. path: of the riding, as a JSON pointer. owner, named, what: as a reference has them."""

    path: str
    riding: Riding
    owner: str
    named: str
    what: str


def riders(shot: Shot) -> Iterator[Rider]:
    """All that rides: shapes and their points, pulls, placements, and places among the values."""
    for n, matte in enumerate(shot.mattes):
        owner, named = f"matte:{matte.id}", f"the matte '{matte.name}'"
        for k, pull in enumerate(matte.pulls):
            path = f"/mattes/{n}/pulls/{k}"
            if pull.ride is not None:
                yield Rider(f"{path}/ride", pull.ride, owner, named, declared("pull", pull.kind).label)
            for m, shape in enumerate(pull.shapes):
                for i, ride in enumerate(shape.rides):
                    yield Rider(f"{path}/shapes/{m}/rides/{i}", ride, owner, named, f"the shape '{shape.name}'")
    for n, plane in enumerate(shot.planes):
        if plane.ride is not None:
            yield Rider(f"/planes/{n}/ride", plane.ride, f"plane:{plane.id}", f"the plane '{plane.name}'", "placement")
    for place in places(shot):
        values = place.read()
        for field in place.entry.params.fields():
            value = getattr(values, field)
            if isinstance(value, Ride):
                title = place.entry.params.model_fields[field].title
                yield Rider(f"{place.path}/{field}", value, place.owner, place.named, f"{place.about}: {title}")


def without_ride(rider: Rider) -> dict[str, Any]:
    """The operation on a document that lets something ride no more: it is where it would be without."""
    if isinstance(rider.riding, Ride):
        return {"op": "replace", "path": rider.path, "value": rider.riding.model_dump(mode="json")["base"]}
    if "/rides/" in rider.path:
        return {"op": "remove", "path": rider.path}
    return {"op": "replace", "path": rider.path, "value": None}


def renamed(document: dict[str, Any], found: Iterable[Reference], names: Mapping[Kind, Mapping[str, str]]) -> Any:
    """The document with what is named called otherwise. found: its references. names: new ids by kind and old id."""
    out = copy.deepcopy(document)
    for one in found:
        new = names.get(one.kind, {}).get(one.id)
        if new is not None:
            jsonpointer.set_pointer(out, one.path, new)
    return out


def free_id(ident: str, used: set[str]) -> str:
    """An id like this one that is not used; used from then on."""
    stem, n, out = ident[:30], 2, ident
    while out in used:
        out, n = f"{stem}-{n}", n + 1
    used.add(out)
    return out


def renamed_footage(ops: list[dict[str, Any]], names: Mapping[str, str]) -> list[dict[str, Any]]:
    """Operations on a document in which footage is called otherwise. names: new ids by old ones.

    Operations hold parts of documents, so it is told from the place of a value whether it names footage.
    """
    return [{**op, "value": _renamed(op["value"], _parts(op["path"]), names)} if "value" in op else op for op in ops]


def _parts(path: str) -> tuple[str, ...]:
    return tuple(jsonpointer.JsonPointer(path).parts)


def _renamed(value: Any, at: tuple[str, ...], names: Mapping[str, str]) -> Any:
    if isinstance(value, dict):
        return {name: _renamed(part, (*at, name), names) for name, part in value.items()}
    if isinstance(value, list):
        return [_renamed(part, (*at, str(n)), names) for n, part in enumerate(value)]
    return names.get(value, value) if isinstance(value, str) and _names_footage(at) else value


def _names_footage(at: tuple[str, ...]) -> bool:
    """Whether a place of a document holds the id of footage."""
    if at[:1] == ("pieces",):
        return len(at) == 3 and at[2] == "shot"
    if at[:1] in (("plate",), ("footage",)):
        return len(at) == 1 or (len(at) == 3 and at[2] == "id")
    family = {"mattes": "pull", "planes": "plane"}.get(at[0]) if at else None
    if family is None or len(at) < 2 or at[-2] != "params" or len(at) != (6 if family == "pull" else 4):
        return False
    kinds = [one for one in all_declared() if one.family == family]
    return any(one.params.naming().get(at[-1]) == "footage" for one in kinds)


def looks_behind(shot: Shot) -> Iterator[tuple[str, str]]:
    """Who looks at a plane since it lies behind another one: "plane:ID" or "matte:ID", and the plane's id."""

    def those_behind(ident: str) -> list[str]:
        n, plane = next((n, one) for n, one in enumerate(shot.planes) if one.id == ident)
        return [one.id for one in shot.planes[n + 1 :] if one.group == plane.group]

    for plane in shot.planes:
        if any(declared("treatment", step.kind).behind for step in plane.treatments):
            yield from ((f"plane:{plane.id}", one) for one in those_behind(plane.id))
    for matte in shot.mattes:
        for pull in matte.pulls:
            if declared("pull", pull.kind).behind and pull.params.get("plane"):
                yield from ((f"matte:{matte.id}", one) for one in those_behind(str(pull.params["plane"])))


def rests_on(shot: Shot, start: str) -> set[str]:
    """All that a matte or a plane rests on, itself among it, as "matte:ID", "plane:ID", "track:ID" and "footage:ID".

    A group rests on the planes that it holds.
    """
    uses: dict[str, set[str]] = {}
    for one in references(shot):
        if one.kind == "group":
            uses.setdefault(f"plane:{one.id}", set()).add(one.owner)
        elif one.kind != "frames" and not one.owner.startswith("track:"):
            # what was measured is stored: what a track was held to counts no more
            uses.setdefault(one.owner, set()).add(f"{one.kind}:{one.id}")
    for looking, behind in looks_behind(shot):
        uses.setdefault(looking, set()).add(f"plane:{behind}")
    found, waiting = {start}, [start]
    while waiting:
        new = uses.get(waiting.pop(), set()) - found
        found |= new
        waiting += new
    return found
