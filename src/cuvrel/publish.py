"""What is published: the recipe's schema, the API's description, and vectors of what both ends compute."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any

from pydantic import TypeAdapter

from cuvrel.core import catalogue  # noqa: F401  (fills the registry)
from cuvrel.core.recipe.declared import all_declared
from cuvrel.core.recipe.models import Shot
from cuvrel.core.recipe.reel import Reel
from cuvrel.vectors import vectors
from cuvrel.web.app import bare_app
from cuvrel.web.openapi import described


def recipe_schema() -> dict[str, Any]:
    """The schema of a shot's or a reel's document, with the parameters of each declared thing under `x-declared`."""
    schema = TypeAdapter(Reel | Shot).json_schema()
    schema["$schema"] = "https://json-schema.org/draft/2020-12/schema"
    schema["title"] = "Cuvrel shot or reel"
    schema["x-declared"] = {f"{d.family}/{d.kind}": d.params.model_json_schema() for d in all_declared()}
    return schema


def api_document() -> dict[str, Any]:
    """The OpenAPI document as it is served at /api/openapi.json; the front end's client is generated from it."""
    return described(bare_app())


def write(folder: Path) -> None:
    """Writes recipe.json, openapi.json and vectors.json."""
    folder.mkdir(parents=True, exist_ok=True)
    for name, schema in (("recipe", recipe_schema()), ("openapi", api_document()), ("vectors", vectors())):
        (folder / f"{name}.json").write_text(json.dumps(schema, indent=1) + "\n")
