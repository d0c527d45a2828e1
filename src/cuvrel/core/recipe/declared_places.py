"""Every place of a document that holds declared values: where it lies, what it is called, and what it holds."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass
from functools import partial
from typing import Literal

from cuvrel.core.recipe.declared import Declared, Params, declared
from cuvrel.core.recipe.models import Plane, Shot
from cuvrel.core.recipe.reel import Reel

PIECE: tuple[Literal["fitting", "move", "join"], ...] = ("fitting", "move", "join")


@dataclass(frozen=True)
class Place:
    """A place with declared values.

    path: its JSON pointer; a field lies at path/NAME. about: what it is called in a list of values. owner: the matte
    plane or track that it is part of, as "matte:ID" or the like, and its name as "the plane 'NAME'". read: its values,
    checked; raises RecipeError.
    """

    path: str
    about: str
    entry: Declared
    owner: str
    named: str
    read: Callable[[], Params]


def places(shot: Shot) -> Iterator[Place]:
    """All of them, in the order of the document. Raises RecipeError for a kind that there is not."""
    sound = declared("sound", "sound")
    yield Place("/sound", "Sound", sound, "shot", f"the shot '{shot.name}'", partial(_itself, shot.sound))
    for n, matte in enumerate(shot.mattes):
        path, owner, named = f"/mattes/{n}", f"matte:{matte.id}", f"the matte '{matte.name}'"
        for k, pull in enumerate(matte.pulls):
            entry, at = declared("pull", pull.kind), f"{path}/pulls/{k}"
            yield Place(at, entry.label, declared("joining", "joining"), owner, named, partial(_itself, pull))
            yield Place(f"{at}/params", entry.label, entry, owner, named, pull.values)
        yield Place(f"{path}/edge", "Edge", declared("edge", "edge"), owner, named, matte.edge_values)
    for n, plane in enumerate(shot.planes):
        path, owner, named = f"/planes/{n}", f"plane:{plane.id}", f"the plane '{plane.name}'"
        yield Place(path, plane.name, declared("laying", "laying"), owner, named, partial(_itself, plane))
        gate = plane.gate
        if gate is not None:
            about = f"{plane.name}, gate"
            yield Place(f"{path}/gate", about, declared("gate", "gate"), owner, named, partial(_itself, gate))
        kind = declared("plane", plane.kind)
        yield Place(f"{path}/params", plane.name, kind, owner, named, partial(plane.values, "plane"))
        yield _of_plane(plane, "placement", f"{path}/placement", owner, named)
        if plane.card is not None:
            yield _of_plane(plane, "card", f"{path}/card/params", owner, named)
        yield _of_plane(plane, "time", f"{path}/time", owner, named)
        for k, step in enumerate(plane.treatments):
            entry = declared("treatment", step.kind)
            yield Place(f"{path}/treatments/{k}/params", entry.label, entry, owner, named, step.values)
    for n, piece in enumerate(shot.pieces if isinstance(shot, Reel) else ()):
        named = f"piece {n + 1}"
        for family in PIECE:
            entry = declared(family, family)
            yield Place(f"/pieces/{n}/{family}", entry.label, entry, f"piece:{piece.id}", named,
                        partial(piece.values, family))  # fmt: skip
    for n, track in enumerate(shot.tracks):
        entry, named = declared("track", track.kind), f"the track '{track.name}'"
        yield Place(f"/tracks/{n}/params", track.name, entry, f"track:{track.id}", named, track.values)


def _itself(values: Params) -> Params:
    return values


def _of_plane(plane: Plane, family: Literal["placement", "time", "card"], path: str, owner: str, named: str) -> Place:
    entry = declared(family, family)
    return Place(path, entry.label, entry, owner, named, partial(plane.values, family))
