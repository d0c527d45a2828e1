"""Documents, and operations on them, of older versions in today's form."""

from __future__ import annotations

from typing import Any

from cuvrel.core.recipe.errors import RecipeError
from cuvrel.core.recipe.models import VERSION

EDGE_POINTS = {"clean_black": "black_point", "clean_white": "white_point"}


def upgrade(raw: Any) -> Any:
    """The document in today's version. Raises RecipeError for one from a newer program."""
    if not isinstance(raw, dict):
        raise RecipeError("The document must be a JSON object.")
    version = raw.get("version", VERSION)
    if not isinstance(version, int) or isinstance(version, bool) or version > VERSION:
        raise RecipeError(f"This document is of version {version}; this program reads up to {VERSION}.")
    while version < VERSION:
        if version not in UPGRADES:
            raise RecipeError(f"Documents of version {version} can't be read any more.")
        raw, version = UPGRADES[version](raw), version + 1
    return raw


def _second(raw: dict[str, Any]) -> dict[str, Any]:
    """The edge step's points are called as those of the luma key are."""
    return {**_called(raw), "version": 2}


def _called(part: Any) -> Any:
    if isinstance(part, list):
        return [_called(one) for one in part]
    if isinstance(part, dict):
        return {EDGE_POINTS.get(name, name): _called(value) for name, value in part.items()}
    return part


def upgraded_operations(ops: list[dict[str, Any]], version: int) -> list[dict[str, Any]]:
    """Operations on a document of some version as they are on one of today's."""
    while version < VERSION:
        ops, version = OPERATIONS[version](ops), version + 1
    return ops


def second_operations(ops: list[dict[str, Any]]) -> list[dict[str, Any]]:
    """Operations on a document of version 1 as they are on one of version 2."""
    out = []
    for op in ops:
        new = {name: _called(value) for name, value in op.items()}
        for name in ("path", "from"):
            if name in op:
                new[name] = "/".join(EDGE_POINTS.get(part, part) for part in str(op[name]).split("/"))
        out.append(new)
    return out


# UPGRADES[n] turns a document of version n into one of version n + 1, OPERATIONS[n] operations on it
UPGRADES = {1: _second}
OPERATIONS = {1: second_operations}
