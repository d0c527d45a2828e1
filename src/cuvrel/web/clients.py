"""Clients that are slow, or mean to be: they cost a connection, and no thread of the application.

What a client sends is received in the event loop, whole, before a thread is given it; what it is answered goes out from
there as well. Both have to come on at a rate, heads of requests are bounded in bytes and in time, and a connection that
keeps to none of it is cut off.
"""

from __future__ import annotations

import asyncio
import contextvars
import tempfile
import time
from collections.abc import Awaitable, Callable, Iterable, Iterator
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path
from typing import IO, Any, cast

from a2wsgi.wsgi import build_environ
from starlette.responses import JSONResponse, Response
from starlette.types import Message, Receive, Scope, Send
from uvicorn.protocols.http.httptools_impl import HttpToolsProtocol

from cuvrel.store.disk_space import NoRoom, Room, is_full
from cuvrel.web.problems import Problem

MOST_HEAD = 64 << 10  # bytes of a request besides its body
HEAD_SECONDS = 20.0  # in which a head must be there
IDLE = 30.0  # seconds without a byte, in either direction, after which a client is given up
SLOWEST = 2048  # bytes a second that a body comes with at the least, on the whole
IN_MEMORY = 1 << 16  # bytes of a body that are not worth a file, and that wait to be written to one
PIECE = 1 << 20  # bytes that are answered at once
ROOM_EVERY = 64 << 20  # bytes of a body after which the room on the disk is looked at again
ABORT = "cuvrel.abort"


class BoundedProtocol(HttpToolsProtocol):
    """HTTP/1.1 by uvicorn, with a bound on heads: in bytes, and in the time from the connection or a request's first
    byte on. Applications find what cuts a connection off in their scope's extensions (ABORT).
    """

    _timer: asyncio.TimerHandle | None = None
    _beside = 0  # bytes of this request that are none of its body

    def connection_made(self, transport: Any) -> None:
        """A client connects."""
        super().connection_made(transport)
        self._wait_for_head()

    def connection_lost(self, exc: Exception | None) -> None:
        """A client is gone."""
        self._head_is_there()
        super().connection_lost(exc)

    def data_received(self, data: bytes) -> None:
        """More of a request, or of several."""
        self._beside += len(data)
        super().data_received(data)
        if self._beside > MOST_HEAD and not self.transport.is_closing():
            self.transport.write(b"HTTP/1.1 431 Request Header Fields Too Large\r\nconnection: close\r\n\r\n")
            self.transport.close()

    def on_message_begin(self) -> None:
        """A request begins."""
        super().on_message_begin()
        cast(dict[str, Any], self.scope)["extensions"] = {ABORT: self.transport.abort}
        if self._timer is None:
            self._wait_for_head()

    def on_headers_complete(self) -> None:
        """A request's head is there."""
        self._head_is_there()
        super().on_headers_complete()

    def on_body(self, body: bytes) -> None:
        """More of a body; what frames its pieces may be several times as much."""
        self._beside = max(0, self._beside - 16 * len(body))
        super().on_body(body)

    def on_message_complete(self) -> None:
        """A request is there as a whole."""
        self._beside = 0
        super().on_message_complete()

    def _wait_for_head(self) -> None:
        self._timer = self.loop.call_later(HEAD_SECONDS, self.transport.abort)

    def _head_is_there(self) -> None:
        if self._timer is not None:
            self._timer.cancel()
            self._timer = None


class GaveUp(Exception):
    """A client is gone, or is given up; nobody waits for an answer."""


class Refused(Exception):
    """A request that is answered before it was received."""

    def __init__(self, status: int, title: str, detail: str = "") -> None:
        super().__init__(title)
        self.status, self.title, self.detail = status, title, detail


class Threaded:
    """A WSGI application as an ASGI one, in threads that wait for no client.

    folder: where large bodies are kept until they are worked on. limit: the most bytes of a body, by method and path.
    apart: paths that have threads of their own, so that they answer while all others are at work.
    """

    def __init__(
        self, app: Callable[..., Iterable[bytes]], threads: int, folder: Path, room: Room,
        limit: Callable[[str, str], int], apart: Iterable[str] = (),
    ) -> None:  # fmt: skip
        self._app, self._folder, self._room, self._limit = app, folder, room, limit
        self._threads = ThreadPoolExecutor(threads, "request")
        self._few = ThreadPoolExecutor(2, "apart")
        self._files = ThreadPoolExecutor(8, "file")  # what is written and read for clients; it waits for a disk alone
        self._apart = frozenset(apart)

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        """One request."""
        loop = asyncio.get_running_loop()
        try:
            with tempfile.SpooledTemporaryFile(IN_MEMORY, dir=str(self._folder)) as body:
                size = await self._received(scope, receive, body)
                pool = self._few if scope["path"] in self._apart else self._threads
                context = contextvars.copy_context()
                work = _Answer(self._app, _environ(scope, body, size))
                await loop.run_in_executor(pool, context.run, work.begin)
                await self._answered(work, send)
        except Refused as refused:
            answer = told(refused.status, refused.title, refused.detail)
            answer.headers["Connection"] = "close"
            await answer(scope, receive, send)
        except (GaveUp, TimeoutError):
            abort = scope.get("extensions", {}).get(ABORT)
            if abort is not None:
                abort()

    async def _received(self, scope: Scope, receive: Receive, to: IO[bytes]) -> int:
        """Receives a body, and returns its bytes. Raises Refused or GaveUp."""
        limit = self._limit(scope["method"], scope["path"])
        promised = _length(scope)
        if promised > limit:
            raise Refused(413, "What was sent is larger than this server takes.")
        if promised > PIECE:
            await self._file(self._require, promised)
        begun, size, looked, waiting = time.monotonic(), 0, 0, bytearray()
        while True:
            message = await _in_time(receive())
            if message["type"] == "http.disconnect":
                raise GaveUp
            waiting += message.get("body", b"")
            more = message.get("more_body", False)
            if size + len(waiting) > limit:
                raise Refused(413, "What was sent is larger than this server takes.")
            if size + len(waiting) < SLOWEST * (time.monotonic() - begun - IDLE):
                raise Refused(408, "What was sent came too slowly.", "Try it over a better connection.")
            if len(waiting) >= IN_MEMORY or not more:
                if size - looked > ROOM_EVERY:
                    await self._file(self._hold)
                    looked = size
                size += len(waiting)
                if size > IN_MEMORY:
                    await self._file(to.write, bytes(waiting))
                else:
                    to.write(waiting)
                waiting.clear()
            if not more:
                to.seek(0)
                return size

    async def _file(self, step: Callable[..., Any], *args: Any) -> Any:
        """Something that may wait for a disk. Raises Refused where that is full."""
        try:
            return await asyncio.get_running_loop().run_in_executor(self._files, step, *args)
        except NoRoom as fault:
            raise Refused(507, fault.message, fault.hint) from fault
        except OSError as fault:
            if is_full(fault):
                raise Refused(507, "The disk is full; this was not saved.", "Make room, then do it again.") from fault
            raise

    def _require(self, size: int) -> None:
        # as it is received, as its parts are told apart, and as it is kept
        self._room.require(3.0 * size, "what is sent")

    def _hold(self) -> None:
        self._room.hold(0)

    async def _answered(self, work: _Answer, send: Send) -> None:
        """Sends an answer, at the rate at which it is read. Raises TimeoutError where it is not."""
        try:
            head = {"type": "http.response.start", "status": work.status, "headers": work.headers}
            await _in_time(send(head))
            data = work.first
            while not work.over:
                await _in_time(send({"type": "http.response.body", "body": data, "more_body": True}))
                data = await self._file(work.more)
            await _in_time(send({"type": "http.response.body", "body": data, "more_body": False}))
        finally:
            if not work.over:
                await self._file(work.close)


class _Answer:
    """What an application answers: a status and headers, and the body piece by piece."""

    def __init__(self, app: Callable[..., Iterable[bytes]], environ: dict[str, Any]) -> None:
        self._app, self._environ = app, environ
        self._all: Iterable[bytes] = ()
        self._rest: Iterator[bytes] = iter(())
        self.status, self.headers = 500, cast(list[tuple[bytes, bytes]], [])
        self.first, self.over = b"", False

    def begin(self) -> None:
        """Runs the application, to the end of what is answered at once."""
        self._all = self._app(self._environ, self._start)
        self._rest = iter(self._all)
        self.first = self.more()

    def _start(self, status: str, headers: list[tuple[str, str]], exc_info: Any = None) -> Callable[[bytes], None]:
        self.status = int(status.split()[0])
        self.headers = [(name.lower().encode("latin1"), value.encode("latin1")) for name, value in headers]
        return lambda data: None

    def more(self) -> bytes:
        """The next piece; once it is the last one, all is closed."""
        found, size = [], 0
        for data in self._rest:
            found.append(data)
            size += len(data)
            if size >= PIECE:
                return b"".join(found)
        self.close()
        return b"".join(found)

    def close(self) -> None:
        """Lets go of what the answer is read from."""
        self.over = True
        if (close := getattr(self._all, "close", None)) is not None:
            close()


async def _in_time(step: Awaitable[Message | None]) -> Any:
    """What a step of a client's gives. Raises TimeoutError where nothing moves for long."""
    return await asyncio.wait_for(step, IDLE)


def _length(scope: Scope) -> int:
    """The bytes that a head promises; 0 where it promises none."""
    for name, value in scope["headers"]:
        if name == b"content-length" and value.isdigit():
            return int(value)
    return 0


def _environ(scope: Scope, body: Any, size: int) -> dict[str, Any]:
    """As PEP 3333 has it, of a request that is here as a whole."""
    environ = cast(dict[str, Any], build_environ(cast(Any, scope), body))
    environ.pop("HTTP_TRANSFER_ENCODING", None)
    environ.pop("CONTENT_LENGTH", None)
    if size:
        environ["CONTENT_LENGTH"] = str(size)
    environ["wsgi.multiprocess"] = False
    return environ


def told(status: int, title: str, detail: str = "") -> Response:
    """A problem, from outside of the application."""
    body = Problem(title=title, status=status, detail=detail).model_dump()
    return JSONResponse(body, status, media_type="application/problem+json")
