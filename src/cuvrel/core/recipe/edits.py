"""Edits as JSON Patch (RFC 6902): applying, inverting, and telling whether two touch the same thing."""

from __future__ import annotations

from typing import Any

import jsonpatch
import jsonpointer

from cuvrel.core.recipe.errors import RecipeError

Doc = dict[str, Any]
Ops = list[dict[str, Any]]


def apply(document: Doc, ops: Ops) -> Doc:
    """A new document; the given one is left as it was. Raises RecipeError when an operation can't apply."""
    try:
        result = jsonpatch.apply_patch(document, ops, in_place=False)
    except (jsonpatch.JsonPatchException, jsonpointer.JsonPointerException, TypeError, KeyError) as fault:
        raise RecipeError(f"The edit can't be applied: {fault}.") from fault
    if not isinstance(result, dict):
        raise RecipeError("The edit would replace the whole document by something else.")
    return result


def inverse(before: Doc, after: Doc) -> Ops:
    """The operations that turn `after` back into `before`, exactly."""
    patch: Ops = jsonpatch.make_patch(after, before).patch
    if apply(after, patch) == before:
        return patch
    # a generated patch that does not restore the document is never stored: fall back to the whole of it
    return [{"op": "replace", "path": f"/{name}", "value": before[name]} for name in before if name in after] + [
        {"op": "add", "path": f"/{name}", "value": before[name]} for name in before if name not in after
    ] + [{"op": "remove", "path": f"/{name}"} for name in after if name not in before]  # fmt: skip


def overlap(ours: Ops, theirs: Ops, base: Doc) -> bool:
    """Whether two sets of operations, both made on `base`, touch the same place.

    They do when a path of one lies at or under a path of the other. Structural operations on a list
    (an insert or removal before its end) touch the whole list, since they move what follows.
    """
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
