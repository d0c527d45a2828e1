"""Loads every declared pull, edge step, plane kind and treatment, and describes them to the interface."""

from __future__ import annotations

import importlib
import pkgutil
from typing import Any

from cuvrel.core import edge, keys, motion, pulls, stand, trace, treatments
from cuvrel.core.recipe.declared import all_declared


def load() -> None:
    """Imports every module that may declare something. Safe to call again."""
    for package in (motion, keys, trace, pulls, edge, stand, treatments):
        for module in pkgutil.iter_modules(package.__path__):
            importlib.import_module(f"{package.__name__}.{module.name}")


def describe() -> list[dict[str, Any]]:
    """Every declared thing with its parameters in the order in which its card shows them."""
    entries = []
    for item in all_declared():
        fields = []
        for name, about in item.params.fields().items():
            field = item.params.model_fields[name]
            fields.append(
                {"name": name, "label": field.title or name, "hint": field.description or "",
                 "default": field.get_default(call_default_factory=True), **about}
            )  # fmt: skip
        entries.append(
            {"family": item.family, "kind": item.kind, "label": item.label, "hint": item.hint,
             "group": item.group, "needs_matte": item.needs_matte, "holds": item.holds, "fields": fields,
             "starters": [{"name": name, "values": values} for name, values in item.starters],
             "begins": dict(item.begins)}
        )  # fmt: skip
    return entries


load()
