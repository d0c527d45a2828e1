"""One connection that listens to the database's notices and hands them to every open event stream."""

from __future__ import annotations

import contextlib
import logging
import queue
import threading

import psycopg

from cuvrel.store.db import CHANNEL

log = logging.getLogger("cuvrel.listen")


class Listener:
    """Starts with the first subscriber; connects again when the database was away."""

    def __init__(self, conninfo: str) -> None:
        self._conninfo = conninfo
        self._lock = threading.Lock()
        self._queues: set[queue.Queue[str | None]] = set()
        self._thread: threading.Thread | None = None
        self._ready = threading.Event()
        self._ended = threading.Event()
        self._connection: psycopg.Connection | None = None

    def subscribe(self) -> queue.Queue[str | None]:
        """A queue of payloads. None in it means: the connection was lost for a while, look at everything anew."""
        mine: queue.Queue[str | None] = queue.Queue(maxsize=2000)
        with self._lock:
            self._queues.add(mine)
            if self._thread is None:
                self._thread = threading.Thread(target=self._run, name="listen", daemon=True)
                self._thread.start()
        self._ready.wait(5)
        return mine

    def unsubscribe(self, mine: queue.Queue[str | None]) -> None:
        """Ends a subscription."""
        with self._lock:
            self._queues.discard(mine)

    def close(self) -> None:
        """Stops listening for good."""
        self._ended.set()
        if self._connection is not None:
            self._connection.close()

    def _give(self, payload: str | None) -> None:
        with self._lock:
            for one in list(self._queues):
                try:
                    one.put_nowait(payload)
                except queue.Full:
                    # a browser that does not read: start it over
                    with contextlib.suppress(queue.Empty):
                        while True:
                            one.get_nowait()
                    one.put_nowait(None)

    def _run(self) -> None:
        lost = False
        while not self._ended.is_set():
            try:
                with psycopg.connect(self._conninfo, autocommit=True) as connection:
                    self._connection = connection
                    connection.execute(f"LISTEN {CHANNEL}")
                    self._ready.set()
                    if lost:
                        self._give(None)
                    for notice in connection.notifies():
                        self._give(notice.payload)
            except psycopg.Error as fault:
                if not self._ended.is_set():
                    log.warning("the database is away: %s", fault)
            lost = True
            self._ended.wait(0.5)
