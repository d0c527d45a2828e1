"""Faults as `application/problem+json` (RFC 9457): a sentence for a person and what to do."""

from __future__ import annotations

import json
import logging
from typing import Any

from flask import Flask, Response, request
from pydantic import BaseModel, ValidationError
from sqlalchemy.exc import DataError, OperationalError
from werkzeug.exceptions import HTTPException, SecurityError

from cuvrel.core.recipe.errors import CuvrelError
from cuvrel.core.stand.nodes import TooLong
from cuvrel.store.disk_space import NoRoom, is_full
from cuvrel.store.shots import NotFound, Stale

log = logging.getLogger("cuvrel.web")


class Problem(BaseModel):
    """What went wrong: `title` in a sentence, `detail` what would help."""

    type: str = "about:blank"
    title: str
    status: int
    detail: str = ""


_SENTENCES = {
    404: "There is nothing at this address.",
    405: "This can't be done at this address.",
    413: "What was sent is larger than this server takes.",
    415: "The request must be JSON.",
}


def problem(status: int, title: str, detail: str = "", **more: Any) -> Response:
    """A response with a problem document."""
    body = {**Problem(title=title, status=status, detail=detail).model_dump(), **more}
    return Response(json.dumps(body), status, content_type="application/problem+json")


def _full() -> Response:
    log.error("the disk is full")
    hint = "Nothing that was saved is lost. Make room on the disk, then do it again."
    return problem(507, "The disk is full; this was not saved.", hint)


def invalid(fault: ValidationError) -> Response:
    """A request whose body, path or query does not fit its model."""
    first = fault.errors()[0]
    where = ".".join(str(part) for part in first["loc"]) or "the request"
    return problem(422, f"The request is wrong at {where}: {str(first['msg']).removeprefix('Value error, ')}.")


def register(app: Flask) -> None:
    """Hands every fault to this module."""

    @app.before_request
    def no_nulls() -> Response | None:
        # text in the database can't hold the character 0, so it is refused before it gets there
        if request.is_json and b"\\u0000" in request.get_data(cache=True):
            return problem(400, "Text can't contain the character 0.")
        if "\x00" in request.full_path or "%00" in request.full_path:
            return problem(400, "An address can't contain the character 0.")
        return None

    @app.errorhandler(Stale)
    def stale(fault: Stale) -> Response:
        return problem(409, fault.message, fault.hint, revision=fault.revision, document=fault.document)

    @app.errorhandler(NotFound)
    def not_found(fault: NotFound) -> Response:
        return problem(404, fault.message, fault.hint)

    @app.errorhandler(TooLong)
    def too_long(fault: TooLong) -> Response:
        return problem(503, fault.message, fault.hint)

    @app.errorhandler(NoRoom)
    def no_room(fault: NoRoom) -> Response:
        return problem(507, fault.message, fault.hint)

    @app.errorhandler(CuvrelError)
    def refused(fault: CuvrelError) -> Response:
        return problem(422, fault.message, fault.hint)

    @app.errorhandler(DataError)
    def out_of_range(fault: DataError) -> Response:
        return problem(422, "A value in the request is out of range.")

    @app.errorhandler(RecursionError)
    def too_deep(fault: RecursionError) -> Response:
        return problem(422, "The request is nested too deeply.")

    @app.errorhandler(OperationalError)
    def away(fault: OperationalError) -> Response:
        if is_full(fault):
            return _full()
        log.warning("database: %s", str(fault.orig).strip().splitlines()[0])
        return problem(503, "The database is away for a moment.", "Nothing that was saved is lost. Try again shortly.")

    @app.errorhandler(SecurityError)
    def stranger(fault: SecurityError) -> Response:
        return problem(400, "The server is not known by this name.", "Add it to CUVREL_HOSTS, with commas between.")

    @app.errorhandler(HTTPException)
    def http(fault: HTTPException) -> Response:
        status = fault.code or 500
        return problem(status, _SENTENCES.get(status, fault.description or fault.name))

    @app.errorhandler(Exception)
    def unforeseen(fault: Exception) -> Response:
        if is_full(fault):
            return _full()
        log.exception("unforeseen fault at %s", request.path)
        return problem(500, "Something went wrong inside the program; nothing that was saved is lost.", "Try again.")
