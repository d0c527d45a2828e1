"""What is published: the schemas of the recipe and of the API's models, and vectors of what both ends compute."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any

from pydantic import BaseModel
from pydantic.json_schema import models_json_schema

from cuvrel.core import catalogue  # noqa: F401  (fills the registry)
from cuvrel.core.recipe.declared import all_declared
from cuvrel.core.recipe.models import Shot
from cuvrel.vectors import vectors
from cuvrel.web import models


def recipe_schema() -> dict[str, Any]:
    """The document's schema, with the parameters of each declared thing under `x-declared`."""
    schema = Shot.model_json_schema()
    schema["$schema"] = "https://json-schema.org/draft/2020-12/schema"
    schema["title"] = "Cuvrel shot"
    schema["x-declared"] = {f"{d.family}/{d.kind}": d.params.model_json_schema() for d in all_declared()}
    return schema


def api_schema() -> dict[str, Any]:
    """All of the API's models in one schema; the front end's types are generated from it."""
    found = [m for m in vars(models).values() if isinstance(m, type) and issubclass(m, BaseModel)
             and m.__module__ == models.__name__ and m is not models.In]  # fmt: skip
    _, schema = models_json_schema([(m, "serialization") for m in found], title="Models")
    plain = _plain(schema)
    assert isinstance(plain, dict)
    return {**plain, "type": "object", "additionalProperties": False}


def _plain(part: Any, inside: str = "") -> Any:
    """The schema in the older dialect that type generators read: tuples as `items`, no titles on fields."""
    if isinstance(part, list):
        return [_plain(one) for one in part]
    if not isinstance(part, dict):
        return part
    found = {
        k: _plain(v, k)
        for k, v in part.items()
        if inside in ("properties", "$defs") or k not in ("title", "minItems", "maxItems")
    }
    if isinstance(found.get("properties"), dict) and inside != "properties":
        found["required"] = list(found["properties"])  # answers always hold every field
    if "prefixItems" in found:
        items = found.pop("prefixItems")
        found |= {"items": items, "minItems": len(items), "maxItems": len(items)}
    return found


def write(folder: Path) -> None:
    """Writes recipe.json, models.json and vectors.json."""
    folder.mkdir(parents=True, exist_ok=True)
    for name, schema in (("recipe", recipe_schema()), ("models", api_schema()), ("vectors", vectors())):
        (folder / f"{name}.json").write_text(json.dumps(schema, indent=1) + "\n")
