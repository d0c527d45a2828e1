"""The server: event streams, which cost a connection and no thread, beside the application with its threads.

A stream that waits for something to happen must not hold what a request needs, so streams live in the event loop
(ASGI), and all else is handed to the Flask application (WSGI) in a pool of threads of which no stream has any.
"""

from __future__ import annotations

import asyncio
import contextlib
import logging
import threading
from collections.abc import AsyncIterator
from typing import Any, cast

import uvicorn
from a2wsgi import WSGIMiddleware
from flask import Flask
from starlette.applications import Starlette
from starlette.requests import Request
from starlette.responses import JSONResponse, Response, StreamingResponse
from starlette.routing import Mount, Route
from werkzeug.sansio.utils import host_is_trusted
from werkzeug.wsgi import FileWrapper

from cuvrel.core.warm import warm_up
from cuvrel.store.config import Config
from cuvrel.web.app import HEADERS, create_app
from cuvrel.web.listen import Listener
from cuvrel.web.problems import Problem

log = logging.getLogger("cuvrel.web")
BEAT = 10.0  # seconds between signs of life of a stream
THREADS = 24
MOST_STREAMS = 2000


def create(config: Config | None = None) -> Starlette:
    """The whole server as an ASGI application, on a database that has been migrated."""
    config = config or Config.from_env()
    app = create_app(config)
    listener = Listener(config.conninfo)

    async def events(request: Request) -> Response:
        """A stream of JSON events: shot, frame, job, footage; `again` says that some may have been missed."""
        if not host_is_trusted(request.headers.get("host", ""), config.hosts):
            return _problem(400, "The server is not known by this name.")
        if request.headers.get("sec-fetch-site") == "cross-site":
            return _problem(403, "This request comes from another site's page.")
        if listener.streams >= MOST_STREAMS:
            return _problem(503, "Too many windows listen to this server.")
        headers = {**HEADERS, "Cache-Control": "no-store", "X-Accel-Buffering": "no"}
        return StreamingResponse(_told(listener), media_type="text/event-stream", headers=headers)

    @contextlib.asynccontextmanager
    async def living(_: Starlette) -> AsyncIterator[None]:
        yield
        await listener.close()

    return Starlette(
        routes=[Route("/api/events", events, methods=["GET"]), Mount("/", cast(Any, _threaded(app)))], lifespan=living
    )


async def _told(listener: Listener) -> AsyncIterator[str]:
    async with listener.subscribed() as mine:
        yield 'retry: 1000\ndata: {"event": "hello"}\n\n'
        while True:
            try:
                payload = await asyncio.wait_for(mine.get(), BEAT)
            except TimeoutError:
                yield ": beat\n\n"
            else:
                yield f"data: {payload}\n\n"


def _problem(status: int, title: str) -> Response:
    body = Problem(title=title, status=status).model_dump()
    return JSONResponse(body, status, headers=HEADERS, media_type="application/problem+json")


def _threaded(app: Flask) -> WSGIMiddleware:
    """The application in threads of its own; files go out in large pieces, as each is handed over by itself."""

    def run(environ, start_response):  # type: ignore[no-untyped-def]
        environ["wsgi.file_wrapper"] = lambda file, _=0: FileWrapper(file, 1 << 18)
        environ["wsgi.multiprocess"] = False
        return app(environ, start_response)

    return WSGIMiddleware(run, workers=THREADS)


def main(host: str, port: int) -> None:
    """Serves until it is told to stop; meanwhile what nobody has to wait for is compiled and loaded."""
    config = Config.from_env()
    if config.warm:
        threading.Thread(target=warm_up, name="warm", daemon=True).start()
    uvicorn.run(
        create(config), host=host, port=port, loop="asyncio", http="httptools", ws="none", lifespan="on",
        log_config=None, access_log=False, server_header=False, timeout_graceful_shutdown=2, timeout_keep_alive=75,
        backlog=1024,
    )  # fmt: skip
