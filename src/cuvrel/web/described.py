"""The OpenAPI document of the API. The front end's client is generated from it."""

from __future__ import annotations

from typing import Any

from flask_openapi3 import OpenAPI

MARK = "#/components/schemas/"


def described(app: OpenAPI) -> dict[str, Any]:
    """The document as it is served: OpenAPI 3.1. Every field of an answer is required: answers hold all of them."""
    document: dict[str, Any] = app.api_doc
    schemas = document["components"]["schemas"]
    answers = [
        operation["responses"]
        for path in document["paths"].values()
        for operation in path.values()
        if "responses" in operation
    ]
    for name in _reached(answers, schemas):
        if "properties" in schemas[name]:
            schemas[name]["required"] = list(schemas[name]["properties"])
    return document


def _reached(part: Any, schemas: dict[str, Any]) -> set[str]:
    """The names of all schemas that a part of the document leads to."""
    found: set[str] = set()
    waiting = [part]
    while waiting:
        one = waiting.pop()
        if isinstance(one, list):
            waiting.extend(one)
        elif isinstance(one, dict):
            name = str(one.get("$ref", "")).removeprefix(MARK)
            if name in schemas and name not in found:
                found.add(name)
                waiting.append(schemas[name])
            waiting.extend(one.values())
    return found
