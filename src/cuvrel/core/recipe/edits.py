"""Edits as JSON Patch (RFC 6902): applying, inverting, and telling whether two touch the same thing."""

from __future__ import annotations

import copy
import re
from typing import Any

import jsonpatch
import jsonpointer

from cuvrel.core.recipe.errors import RecipeError

Doc = dict[str, Any]
Ops = list[dict[str, Any]]
MOST_COPIED = 500_000
"""Values that the copies of one edit may make: a copy of a copy of a copy grows without a bound."""
OPERATIONS = ("add", "remove", "replace", "move", "copy", "test")
_POINTER = re.compile(r"^(/([^~]|~[01])*)?$", re.DOTALL)  # RFC 6901
FAULTS = (jsonpatch.JsonPatchException, jsonpointer.JsonPointerException, LookupError, TypeError, ValueError)


def apply(document: Doc, ops: Ops) -> Doc:
    """A new document; the given one is left as it was. Raises RecipeError when an operation can't apply."""
    return done(document, ops)[0]


def done(document: Doc, ops: Ops) -> tuple[Doc, Ops]:
    """The document after operations, and the operations that take them back.

    What no operation touches is shared with the given document, which is left as it was: an edit of a large document
    costs what it changes. Raises RecipeError when an operation can't apply.
    """
    check(ops)
    here, inverse, room = document, [], MOST_COPIED
    mine: set[int] = set()  # containers that are this call's own, so that they may be changed in place
    try:
        for op in ops:
            plain = _plain(here, op)
            if op["op"] == "copy":
                room -= weight(plain[0]["value"], room)
                if room < 0:
                    raise RecipeError("The edit copies more than a document can hold.", "Copy it in parts.")
            for one in plain:
                undone = _undone(here, one)
                here = _unshared(here, one["path"], mine)
                here = jsonpatch.JsonPatch([copy.deepcopy(one)]).apply(here, in_place=True)
                if not isinstance(here, dict):
                    raise RecipeError("The edit would replace the whole document by something else.")
                if undone is not None:
                    inverse.append(undone)
    except FAULTS as fault:
        raise RecipeError(f"The edit can't be applied: {fault}.") from fault
    return here, inverse[::-1]


def _plain(document: Doc, op: dict[str, Any]) -> Ops:
    """An operation by operations that add, remove, replace or test."""
    if op["op"] not in ("move", "copy"):
        return [op]
    value = jsonpointer.resolve_pointer(document, op["from"])
    added = {"op": "add", "path": op["path"], "value": value}
    if op["op"] == "copy":
        return [added]
    if op["path"] == op["from"]:
        return []
    if op["path"].startswith(op["from"] + "/"):
        raise ValueError("nothing can be moved into itself")
    return [{"op": "remove", "path": op["from"]}, added]


def check(ops: Ops) -> None:
    """Raises RecipeError for operations that are none, whatever they are made on."""
    for number, op in enumerate(ops):
        kind = op.get("op")
        if kind not in OPERATIONS:
            raise RecipeError(f"Operation {number} of the edit is none: '{str(kind)[:40]}'.")
        needed = ("path", *(("from",) if kind in ("move", "copy") else ()))
        for name in needed:
            if not isinstance(op.get(name), str) or not _POINTER.match(op[name]):
                raise RecipeError(f"Operation {number} of the edit has no good {name}.")
        if kind in ("add", "replace", "test") and "value" not in op:
            raise RecipeError(f"Operation {number} of the edit has no value.")


def weight(value: Any, most: int) -> int:
    """How many values a part of a document holds; counting ends beyond `most`."""
    found, waiting = 0, [value]
    while waiting and found <= most:
        one = waiting.pop()
        found += 1
        if isinstance(one, dict):
            waiting.extend(one.values())
        elif isinstance(one, list):
            waiting.extend(one)
    return found


def _undone(document: Doc, op: dict[str, Any]) -> dict[str, Any] | None:
    """The operation that takes one back, by what is there before it; None for one that changes nothing."""
    if op["op"] == "test":
        return None
    path = op["path"]
    pointer = jsonpointer.JsonPointer(path)
    if not pointer.parts:
        return {"op": "replace", "path": "", "value": document}
    parent, last = pointer.to_last(document)
    if isinstance(parent, list):
        if op["op"] == "add":
            at = len(parent) if last == "-" else int(str(last))
            return {"op": "remove", "path": jsonpointer.JsonPointer.from_parts([*pointer.parts[:-1], at]).path}
        return {"op": "replace" if op["op"] == "replace" else "add", "path": path, "value": parent[int(str(last))]}
    if last not in parent:
        return {"op": "remove", "path": path}
    return {"op": "add" if op["op"] == "remove" else "replace", "path": path, "value": parent[last]}


def _unshared(document: Doc, path: str, mine: set[int]) -> Doc:
    """The document with the containers on the way to a place copied, but for those that are `mine` already."""
    parts = jsonpointer.JsonPointer(path).parts
    if not parts:
        return document
    top = here = _own(document, mine)
    for part in parts[:-1]:
        key = int(part) if isinstance(here, list) else part
        child = here[key]
        if not isinstance(child, (dict, list)):
            return top
        here[key] = _own(child, mine)
        here = here[key]
    return top


def _own(part: Any, mine: set[int]) -> Any:
    if id(part) in mine:
        return part
    new = copy.copy(part)
    mine.add(id(new))
    return new


def overlap(ours: Ops, theirs: Ops, base: Doc) -> bool:
    """Whether two sets of operations, both made on `base`, touch the same place.

    They do when a path of one lies at or under a path of the other. Structural operations on a list
    (an insert or removal before its end) touch the whole list, since they move what follows. Raises RecipeError for
    operations of ours that are none.
    """
    check(ours)
    a, b = _touched(ours, base), _touched(theirs, base)
    return any(_under(x, y) or _under(y, x) for x in a for y in b)


def _touched(ops: Ops, base: Doc) -> list[tuple[str, ...]]:
    places = []
    for op in ops:
        for name in ("path", "from"):
            if name not in op:
                continue
            parts = tuple(jsonpointer.JsonPointer(op[name]).parts)
            if op["op"] == "test":
                continue
            if op["op"] in ("add", "remove", "move", "copy") and parts and _is_list(base, parts[:-1]):
                # an append concerns nobody else's elements; any other change of a list concerns all of it
                places.append(parts if parts[-1] == "-" else parts[:-1])
            else:
                places.append(parts)
    return places


def _is_list(base: Doc, parts: tuple[str, ...]) -> bool:
    here: Any = base
    for part in parts:
        try:
            here = here[int(part)] if isinstance(here, list) else here[part]
        except (KeyError, IndexError, ValueError, TypeError):
            return False
    return isinstance(here, list)


def _under(x: tuple[str, ...], y: tuple[str, ...]) -> bool:
    """Whether x lies at or under y. Two appends to one list ('-' in both) never clash."""
    if x == y and x and x[-1] == "-":
        return False
    return x[: len(y)] == y
