"""The application factory."""

from __future__ import annotations

import json
import logging
import secrets
from mimetypes import guess_type
from pathlib import Path
from time import perf_counter
from urllib.parse import urlsplit

import structlog
from flask import Response, g, request, send_from_directory
from flask_openapi3 import Info, OpenAPI

from cuvrel import __version__
from cuvrel.core.stand.nodes import within
from cuvrel.store.config import Config
from cuvrel.web import (
    colour,
    cuts,
    exports,
    footage,
    health,
    looks,
    packed,
    pictures,
    problems,
    projects,
    redaction,
    reels,
    shots,
    sound,
    stand,
    tracks,
    trash,
    versions,
)
from cuvrel.web.openapi import described, is_upload
from cuvrel.web.services import Services

log = logging.getLogger("cuvrel.web")
SLOW = 2.0  # seconds after which a request is worth a line of the log
STATIC = Path(__file__).parent / "static"
MOST_SECONDS = 60.0  # that a request may compute for
MOST_JSON = 16 << 20
"""Bytes of a request that is no upload: the largest edit that a hand makes is a tenth of that."""
HEADERS = {
    "X-Content-Type-Options": "nosniff",
    "Cross-Origin-Resource-Policy": "same-origin",
    "Referrer-Policy": "same-origin",
    "Content-Security-Policy": (
        "default-src 'self'; img-src 'self' blob: data:; style-src 'self' 'unsafe-inline'; frame-ancestors 'none'; "
        "base-uri 'none'; form-action 'self'; object-src 'none'"
    ),
}
"""Of every answer: nothing is loaded from outside, and no type is guessed."""
RESOURCES = (
    projects, colour, footage, shots, stand, pictures, exports, trash, versions, looks, tracks, redaction, sound, cuts,
    packed, reels, health,
)  # fmt: skip


def create_app(config: Config | None = None) -> OpenAPI:
    """The Flask application on a database that has been migrated."""
    config = config or Config.from_env()
    app = bare_app()
    app.config["MAX_CONTENT_LENGTH"] = config.max_upload
    app.config["TRUSTED_HOSTS"] = list(config.hosts)
    app.extensions["cuvrel"] = Services(config)
    return app


def bare_app() -> OpenAPI:
    """The application with all of its addresses and nothing behind them: enough to describe it."""
    app = OpenAPI(
        "cuvrel",
        info=Info(title="Cuvrel", version=__version__),
        doc_ui=False,
        validation_error_callback=problems.invalid,
        validation_error_model=problems.Problem,
        static_folder=None,
    )
    app.config["MAX_FORM_MEMORY_SIZE"] = 4 << 20
    app.config["MAX_FORM_PARTS"] = 20_000
    app.before_request(_begin)
    app.before_request(_bounded)  # before anything reads what was sent
    problems.register(app)
    for module in RESOURCES:
        app.register_api(module.api)
    app.before_request(_same_origin)
    app.before_request(_timed)
    app.teardown_request(_end)
    app.after_request(_headers)
    app.after_request(_logged)

    @app.route("/api/openapi.json")
    def openapi() -> Response:
        return Response(json.dumps(described(app)), content_type="application/json")

    @app.route("/", defaults={"path": ""})
    @app.route("/<path:path>")
    def front_end(path: str) -> Response:
        if path.startswith("api/"):
            return problems.problem(404, "There is nothing at this address.")
        if path and _is_file(path):
            return _static(path)
        if path.startswith(("assets/", "fonts/")) or Path(path).suffix:
            return problems.problem(404, "There is nothing at this address.")
        if not (STATIC / "index.html").is_file():
            return problems.problem(503, "The front end is not built yet.", "Run 'make build'.")
        return send_from_directory(STATIC, "index.html", max_age=0)

    return app


def _is_file(path: str) -> bool:
    try:
        return (STATIC / path).is_file()
    except (OSError, ValueError):  # a name that no file system takes
        return False


def _static(path: str) -> Response:
    """A file of the front end; its packed twin (RFC 7932) where there is one and the browser takes it."""
    packed = f"{path}.br"
    if request.accept_encodings.quality("br") > 0 and (STATIC / packed).is_file():
        answer = send_from_directory(STATIC, packed, mimetype=guess_type(path)[0])
        answer.headers["Content-Encoding"] = "br"
    else:
        answer = send_from_directory(STATIC, path)
    answer.vary.add("Accept-Encoding")
    if path.startswith("assets/"):
        answer.headers["Cache-Control"] = "public, max-age=31536000, immutable"
    return answer


def _bounded() -> None:
    """Only uploads may be large; what is read as a whole is bounded before it is read."""
    if not is_upload(request.method, request.path):
        request.max_content_length = MOST_JSON


def _begin() -> None:
    """Numbers a request for the log."""
    g.begun, g.number = perf_counter(), secrets.token_hex(6)
    structlog.contextvars.bind_contextvars(request=g.number)


def _logged(answer: Response) -> Response:
    """A line for what changes something, goes wrong, or takes long; a picture that is shown is not worth one."""
    spent = perf_counter() - g.get("begun", perf_counter())
    told = request.method not in ("GET", "HEAD") or answer.status_code >= 400 or spent > SLOW
    if told:
        level = logging.WARNING if answer.status_code >= 500 else logging.INFO
        more = {"status": answer.status_code, "ms": round(1000 * spent), "method": request.method}
        log.log(level, request.path[:200], extra=more)
    answer.headers["X-Request-Id"] = g.get("number", "")
    return answer


def _timed() -> None:
    """What a request works out is bounded; receiving an upload takes as long as it takes."""
    g.limit = within(MOST_SECONDS)
    g.limit.__enter__()


def _end(_: BaseException | None) -> None:
    if (limit := g.pop("limit", None)) is not None:
        limit.__exit__(None, None, None)
    structlog.contextvars.unbind_contextvars("request")


def _same_origin() -> Response | None:
    """The API is for our own pages (or for no page at all): others change nothing, and have nothing computed."""
    origin = request.headers.get("Origin")
    if request.headers.get("Sec-Fetch-Site") == "cross-site" and request.path.startswith("/api/"):
        return problems.problem(403, "This request comes from another site's page.")
    if request.method in ("GET", "HEAD", "OPTIONS") or not origin:
        return None
    if urlsplit(origin).netloc != request.host:
        return problems.problem(403, "This request comes from another site's page.")
    return None


def _headers(answer: Response) -> Response:
    for name, value in HEADERS.items():
        answer.headers.setdefault(name, value)
    if (answer.mimetype or "").endswith("json"):
        answer.headers.setdefault("Cache-Control", "no-store")  # it is so now, and may hold what is nobody else's
    return answer
