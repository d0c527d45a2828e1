"""The server: event streams, which cost a connection and no thread, beside the application with its threads.

A stream that waits for something to happen must not hold what a request needs, so streams live in the event loop
(ASGI), and all else is handed to the Flask application (WSGI) in a pool of threads of which no stream has any. Nor has
an upload that is on its way, or an answer that is being read (web/clients.py).
"""

from __future__ import annotations

import asyncio
import contextlib
import logging
import resource
import threading
from collections.abc import AsyncIterator, Callable, Iterable
from typing import Any

import uvicorn
from flask import Flask
from starlette.applications import Starlette
from starlette.datastructures import Headers
from starlette.middleware import Middleware
from starlette.requests import Request
from starlette.responses import Response, StreamingResponse
from starlette.routing import Mount, Route
from starlette.types import ASGIApp, Receive, Scope, Send
from werkzeug.sansio.utils import host_is_trusted
from werkzeug.wsgi import FileWrapper

from cuvrel.core.warm import warm_up
from cuvrel.store.config import Config
from cuvrel.web.app import HEADERS, MOST_JSON, create_app
from cuvrel.web.clients import PIECE, BoundedProtocol, Threaded, told
from cuvrel.web.listen import Listener
from cuvrel.web.openapi import is_upload

log = logging.getLogger("cuvrel.web")
BEAT = 10.0  # seconds between signs of life of a stream
THREADS = 24
MOST_STREAMS = 2000


def create(config: Config | None = None) -> Starlette:
    """The whole server as an ASGI application, on a database that has been migrated."""
    config = config or Config.from_env()
    config.var.mkdir(parents=True, exist_ok=True)
    app = create_app(config)
    listener = Listener(config.conninfo)

    async def events(request: Request) -> Response:
        """A stream of JSON events: shot, frame, job, footage; `again` says that some may have been missed."""
        if listener.streams >= MOST_STREAMS:
            return told(503, "Too many windows listen to this server.")
        headers = {**HEADERS, "Cache-Control": "no-store", "X-Accel-Buffering": "no"}
        return StreamingResponse(_events(listener), media_type="text/event-stream", headers=headers)

    @contextlib.asynccontextmanager
    async def living(_: Starlette) -> AsyncIterator[None]:
        yield
        await listener.close()

    room = app.extensions["cuvrel"].blobs.room
    most = app.config["MAX_CONTENT_LENGTH"]

    def limit(method: str, path: str) -> int:
        return most if is_upload(method, path) else MOST_JSON

    threaded = Threaded(_with_large_files(app), THREADS, config.var, room, limit, apart=["/api/health"])
    return Starlette(
        routes=[Route("/api/events", events, methods=["GET"]), Mount("/", threaded)], lifespan=living,
        middleware=[Middleware(OwnPages, hosts=list(config.hosts))],
    )  # fmt: skip


class OwnPages:
    """Before anything is received: the server answers by its own names, and its API to its own pages alone."""

    def __init__(self, app: ASGIApp, hosts: list[str]) -> None:
        self._app, self._hosts = app, hosts

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        """One request."""
        if scope["type"] == "http":
            headers = Headers(scope=scope)
            if not host_is_trusted(headers.get("host", ""), self._hosts):
                return await told(400, "The server is not known by this name.")(scope, receive, send)
            if headers.get("sec-fetch-site") == "cross-site" and scope["path"].startswith("/api/"):
                return await told(403, "This request comes from another site's page.")(scope, receive, send)
        await self._app(scope, receive, send)
        return None


async def _events(listener: Listener) -> AsyncIterator[str]:
    async with listener.subscribed() as mine:
        yield 'retry: 1000\ndata: {"event": "hello"}\n\n'
        while True:
            try:
                payload = await asyncio.wait_for(mine.get(), BEAT)
            except TimeoutError:
                yield ": beat\n\n"
            else:
                yield f"data: {payload}\n\n"


def _with_large_files(app: Flask) -> Callable[..., Iterable[bytes]]:
    """The application; files go out in large pieces, as each is handed over by itself."""

    def run(environ: dict[str, Any], start_response: Any) -> Iterable[bytes]:
        environ["wsgi.file_wrapper"] = lambda file, _=0: FileWrapper(file, PIECE)
        return app(environ, start_response)

    return run


def configured(app: Starlette, host: str, port: int) -> uvicorn.Config:
    """How the application is served."""
    return uvicorn.Config(
        app, host=host, port=port, loop="asyncio", http=BoundedProtocol, ws="none", lifespan="on", log_config=None,
        access_log=False, server_header=False, timeout_graceful_shutdown=2, timeout_keep_alive=75, backlog=2048,
    )  # fmt: skip


def main(host: str, port: int) -> None:
    """Serves until it is told to stop; meanwhile what nobody has to wait for is compiled and loaded."""
    config = Config.from_env()
    # every connection is an open file, and a few thousand may wait
    _, most = resource.getrlimit(resource.RLIMIT_NOFILE)
    resource.setrlimit(resource.RLIMIT_NOFILE, (most, most))
    if config.warm:
        threading.Thread(target=warm_up, name="warm", daemon=True).start()
    uvicorn.Server(configured(create(config), host, port)).run()
