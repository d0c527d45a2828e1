"""The API is what its document says: thousands of calls made from it, by a fixed seed, none of which is a fault."""

from __future__ import annotations

import os
import warnings
from typing import Any

import hypothesis
import pytest
import schemathesis
from hypothesis import HealthCheck
from schemathesis.checks import not_a_server_error
from schemathesis.specs.openapi.checks import (
    content_type_conformance,
    response_headers_conformance,
    response_schema_conformance,
    status_code_conformance,
)

from cuvrel.web.app import bare_app
from tests.web.conftest import Web

CASES = int(os.environ.get("CUVREL_CALLS", "2000"))
EACH = CASES // 70  # calls of each operation at the most; some have fewer that differ
SAMPLE = 4  # calls of each that are made on every run
CHECKS = [
    not_a_server_error, status_code_conformance, content_type_conformance, response_headers_conformance,
    response_schema_conformance,
]  # fmt: skip


def called(web: Web, each: int) -> tuple[int, int]:
    """Calls every operation so often; how many operations and calls it were."""
    web.mark(web.shot())
    schema = schemathesis.openapi.from_wsgi("/api/openapi.json", web.app)
    operations = [found.ok() for found in schema.get_all_operations()]
    return len(operations), sum(tried(operation, each) for operation in operations)


@pytest.mark.long
def test_thousands_of_calls_are_answered_as_the_document_says(web: Web) -> None:
    assert called(web, EACH)[1] >= CASES


def test_calls_of_every_operation_are_answered_as_the_document_says(web: Web) -> None:
    operations, made = called(web, SAMPLE)
    assert operations > 80
    assert made > 0.8 * SAMPLE * operations


def tried(operation: Any, count: int, seed: int = 1867) -> int:
    """Makes so many calls of an operation; how many it were."""
    made = 0

    @hypothesis.seed(seed)
    @hypothesis.settings(
        max_examples=count, deadline=None, database=None, suppress_health_check=list(HealthCheck),
        phases=[hypothesis.Phase.generate],
    )  # fmt: skip
    @hypothesis.given(case=operation.as_strategy())
    def call(case: Any) -> None:
        nonlocal made
        made += 1
        case.call_and_validate(checks=CHECKS)

    with warnings.catch_warnings():
        warnings.simplefilter("ignore")
        call()
    return made


def test_the_document_is_valid() -> None:
    from openapi_spec_validator import OpenAPIV31SpecValidator

    from cuvrel.web.openapi import described

    faults = [fault.message for fault in OpenAPIV31SpecValidator(described(bare_app())).iter_errors()]
    assert faults == []


@pytest.mark.parametrize("path", ["/api/projects/{id}/footage", "/api/packed"])
def test_uploads_say_what_they_take(web: Web, path: str) -> None:
    operation = web.get("/api/openapi.json").json["paths"][path]["post"]
    assert "file" in operation["requestBody"]["content"]["multipart/form-data"]["schema"]["properties"]
