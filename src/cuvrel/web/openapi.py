"""The OpenAPI document of the API. The front end's client is generated from it."""

from __future__ import annotations

import re
from collections.abc import Iterator
from typing import Any

from flask_openapi3 import OpenAPI

MARK = "#/components/schemas/"
PROBLEM = {"application/problem+json": {"schema": {"$ref": f"{MARK}Problem"}}}
UPLOADS = {
    "/api/projects/{id}/footage": {"type": "array", "items": {"type": "string", "format": "binary"}},
    "/api/packed": {"type": "string", "format": "binary"},
}
"""What the part `file` of a multipart request is, by address."""
_UPLOADS = re.compile("|".join(re.sub(r"\{\w+\}", "[^/]+", path) for path in UPLOADS))
NOTHING: dict[str, Any] = {"description": "Done; there is nothing to say."}


def is_upload(method: str, path: str) -> bool:
    """Whether what is sent to an address may be large."""
    return method == "POST" and _UPLOADS.fullmatch(path) is not None


def file_of(*kinds: str) -> dict[str, Any]:
    """An answer that is a file of one of these types."""
    return {
        "description": "The file.",
        "content": {kind: {"schema": {"type": "string", "format": "binary"}} for kind in kinds},
    }


def described(app: OpenAPI) -> dict[str, Any]:
    """The document as it is served: OpenAPI 3.1.

    Every field of an answer is required: answers hold all of them. What is no success is a problem (RFC 9457), of the
    statuses that are named or any other one.
    """
    document: dict[str, Any] = app.api_doc
    components = document["components"]
    components.pop("securitySchemes", None)  # there are none, and null is no list of them
    schemas = components["schemas"]
    answers = []
    for path, operation in _operations(document):
        responses = operation["responses"]
        for status, response in responses.items():
            if not str(status).startswith("2"):
                response["content"] = PROBLEM
        responses["default"] = {"description": "A problem", "content": PROBLEM}
        answers.append(responses)
        if path in UPLOADS:
            schema = {"type": "object", "properties": {"file": UPLOADS[path]}, "required": ["file"]}
            operation["requestBody"] = {"content": {"multipart/form-data": {"schema": schema}}, "required": True}
    for name in _reached(answers, schemas):
        if "properties" in schemas[name]:
            schemas[name]["required"] = list(schemas[name]["properties"])
    return document


def _operations(document: dict[str, Any]) -> Iterator[tuple[str, dict[str, Any]]]:
    for path, item in document["paths"].items():
        for operation in item.values():
            if "responses" in operation:
                yield path, operation


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
