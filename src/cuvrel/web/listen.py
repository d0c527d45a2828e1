"""One connection that listens to the database's notices and hands them to every open event stream."""

from __future__ import annotations

import asyncio
import contextlib
import logging
from collections.abc import AsyncIterator

import psycopg

from cuvrel.store.db import CHANNEL

log = logging.getLogger("cuvrel.listen")
WAITING = 2000  # events that a browser which does not read may leave lying
AGAIN = '{"event": "again"}'
"""Some may have been missed: look at everything anew."""


class Listener:
    """Starts with the first subscriber; connects again when the database was away. Lives in one event loop."""

    def __init__(self, conninfo: str) -> None:
        self._conninfo = conninfo
        self._queues: set[asyncio.Queue[str]] = set()
        self._task: asyncio.Task[None] | None = None
        self._ready = asyncio.Event()

    @property
    def streams(self) -> int:
        """How many listen now."""
        return len(self._queues)

    @contextlib.asynccontextmanager
    async def subscribed(self) -> AsyncIterator[asyncio.Queue[str]]:
        """A queue of payloads, from now on until the block ends."""
        mine: asyncio.Queue[str] = asyncio.Queue(WAITING)
        self._queues.add(mine)
        if self._task is None:
            self._task = asyncio.create_task(self._run(), name="listen")
        try:
            with contextlib.suppress(TimeoutError):
                await asyncio.wait_for(self._ready.wait(), 5)
            yield mine
        finally:
            self._queues.discard(mine)

    async def close(self) -> None:
        """Stops listening for good."""
        if self._task is not None:
            self._task.cancel()
            await asyncio.gather(self._task, return_exceptions=True)

    def give(self, payload: str) -> None:
        """Hands a payload to everybody; whoever does not read is told to start over."""
        for one in self._queues:
            if one.full():
                while not one.empty():
                    one.get_nowait()
                one.put_nowait(AGAIN)
            else:
                one.put_nowait(payload)

    async def _run(self) -> None:
        lost = False
        while True:
            try:
                async with await psycopg.AsyncConnection.connect(self._conninfo, autocommit=True) as connection:
                    await connection.execute(f"LISTEN {CHANNEL}")
                    self._ready.set()
                    if lost:
                        self.give(AGAIN)
                    async for notice in connection.notifies():
                        self.give(notice.payload)
            except psycopg.Error as fault:
                log.warning("the database is away: %s", str(fault).strip().splitlines()[0])
            lost = True
            await asyncio.sleep(0.5)
