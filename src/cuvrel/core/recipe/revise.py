"""Editing a checked document at the price of what the edit changes.

A document of a long shot holds thousands of marks. What an edit leaves alone is the same object before and after, in
the plain JSON and in the checked model, and is neither copied nor checked again.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import cache
from typing import Any

from pydantic import BaseModel
from pydantic_core import to_jsonable_python

from cuvrel.core.recipe import edits
from cuvrel.core.recipe.check import checked
from cuvrel.core.recipe.errors import RecipeError
from cuvrel.core.recipe.models import Shot
from cuvrel.core.recipe.references import Reference
from cuvrel.core.recipe.upgrades import upgrade

Doc = dict[str, Any]
MOST = 2_000_000  # values of a document: some twenty megabytes
PARTS = ("footage", "mattes", "planes", "tracks", "pieces", "pulls", "marks", "shapes", "treatments")  # lists of models


@dataclass(frozen=True)
class Checked:
    """A document as plain JSON with all its fields, the model of it, and its references. None is ever changed.

    weight: how many values it holds, or more: what edits brought is counted, and what they took away is not.
    """

    document: Doc
    shot: Shot
    references: tuple[Reference, ...]
    weight: int

    @staticmethod
    def of(raw: Any) -> Checked:
        """Reads a document of any version. Raises RecipeError."""
        shot, found = checked(upgrade(raw))
        document = shot.model_dump(mode="json")
        return Checked(document, shot, found, edits.weight(document, MOST))


@dataclass(frozen=True)
class Revision:
    """What an edit makes of a document: the new one, the operations that lead there, and those that lead back."""

    after: Checked
    ops: edits.Ops
    inverse: edits.Ops


def revised(before: Checked, ops: edits.Ops) -> Revision:
    """The revision that an edit makes. Raises RecipeError when the result would not be a good document."""
    raw, inverse = edits.done(before.document, ops)
    shot, found = checked(_with_models(raw, before.document, before.shot))
    document = _plain(shot, raw, before.document)
    made = [*ops, *_filled(raw, document)]
    return Revision(Checked(document, shot, found, _weighed(before, document, made)), made, inverse)


def _weighed(before: Checked, document: Doc, ops: edits.Ops) -> int:
    """The new document's weight, counted anew only where it might be too much. Raises RecipeError where it is."""
    copied = edits.MOST_COPIED * any(op["op"] == "copy" for op in ops)
    weight = before.weight + copied + sum(edits.weight(op["value"], MOST) for op in ops if "value" in op)
    if weight <= MOST:
        return weight
    weight = edits.weight(document, MOST)
    if weight > MOST:
        raise RecipeError("The shot would hold more than a document can.", "Use several shots, or fewer marks.")
    return weight


def _with_models(raw: Any, before: Doc, model: BaseModel) -> Any:
    """A part of a document, in which models that were checked before stand for what is as it was."""
    if not isinstance(raw, dict):
        return raw
    out = dict(raw)
    for name in _parts(type(model)):
        parts, olds, models = raw.get(name), before[name], getattr(model, name)
        if parts is olds:
            out[name] = models
        elif isinstance(parts, list):
            known = dict(zip(map(id, olds), models, strict=True))
            named = {old["id"]: (old, of) for old, of in zip(olds, models, strict=True)}
            out[name] = [known.get(id(part)) or _renewed(part, named) for part in parts]
    return out


def _renewed(part: Any, named: dict[str, tuple[Doc, BaseModel]]) -> Any:
    """A part that changed: what it holds may be as it was. named: the parts before by their ids."""
    ident = part.get("id") if isinstance(part, dict) else None
    if not isinstance(ident, str) or ident not in named:
        return part
    return _with_models(part, *named[ident])


def _plain(model: BaseModel, raw: Doc, before: Doc | None) -> Doc:
    """A model's document, of which parts that were there before are the same objects."""
    names = _parts(type(model))
    out: Doc = model.model_dump(mode="json", exclude=set(names))
    for name in names:
        parts, olds = raw.get(name, []), (before or {}).get(name, [])
        if parts is olds:
            out[name] = parts
            continue
        known, named = set(map(id, olds)), {old["id"]: old for old in olds}
        out[name] = [
            part if id(part) in known else _plain(of, part, named.get(part["id"]))
            for of, part in zip(getattr(model, name), parts, strict=True)
        ]
    return out


@cache
def _parts(of: type[BaseModel]) -> tuple[str, ...]:
    """The fields of a model that are lists of models with ids."""
    return tuple(name for name in of.model_fields if name in PARTS)


def _filled(raw: Any, document: Any, path: str = "") -> edits.Ops:
    """The operations that add what an edit left out and the document has by default."""
    if raw is document or raw == document:
        return []
    if isinstance(raw, dict) and isinstance(document, dict) and raw.keys() <= document.keys():
        found: edits.Ops = []
        for name, value in document.items():
            at = f"{path}/{name.replace('~', '~0').replace('/', '~1')}"
            if name in raw:
                found += _filled(raw[name], value, at)
            else:
                found.append({"op": "add", "path": at, "value": value})
        return found
    if isinstance(raw, list) and isinstance(document, list) and len(raw) == len(document):
        pairs = enumerate(zip(raw, document, strict=True))
        return [op for n, (one, other) in pairs for op in _filled(one, other, f"{path}/{n}")]
    return [{"op": "replace", "path": path, "value": to_jsonable_python(document)}]
