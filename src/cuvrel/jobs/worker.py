"""The worker: takes jobs from the queue, one at a time, and picks up what a dead worker left."""

from __future__ import annotations

import asyncio
import contextlib
import logging
import os
import secrets
import threading
import time
from collections.abc import Callable

import procrastinate
import psycopg
import structlog
from procrastinate.exceptions import JobAborted

from cuvrel.core.warm import warm_up
from cuvrel.jobs.queue import ALIVE, QUEUE, STALLED, TASK, go_on_with_room, recover
from cuvrel.jobs.running import Interrupted, listening, run
from cuvrel.jobs.tasks import Works
from cuvrel.store.blobs import Blobs
from cuvrel.store.config import Config
from cuvrel.store.db import Database
from cuvrel.store.leases import store_of
from cuvrel.store.sweep import EVERY, free, tidy

log = logging.getLogger("cuvrel.worker")
FREED = 5.0  # seconds between two looks at what may go


def worker_app(config: Config, works: Works) -> procrastinate.App:
    """The queue with its one task. What leaves the task puts its entry back, as the end of the worker does."""
    alive, calm = Alive(config.conninfo), Calm(works.rest)
    app = procrastinate.App(connector=procrastinate.PsycopgConnector(conninfo=config.conninfo, min_size=1, max_size=4))

    @app.task(name=TASK, queue=QUEUE, pass_context=True, retry=procrastinate.RetryStrategy(wait=1))
    def job(context: procrastinate.JobContext, job_id: int) -> None:
        with structlog.contextvars.bound_contextvars(job=job_id), calm, listening(context.abort_reason):
            try:
                run(works.database, job_id, works.work, context.job.id, alive.number, works.blobs.room)
            except Interrupted:
                raise JobAborted from None

    return app


class Alive:
    """Holds a lock in the database as long as this process lives, by which others know that it does.

    The lock goes with the connection, which the system closes when the process ends, however busy it was before.
    """

    def __init__(self, conninfo: str) -> None:
        self.number = secrets.randbelow(2**31 - 1) + 1
        self._conninfo = conninfo
        threading.Thread(target=self._hold, name="alive", daemon=True).start()

    def _hold(self) -> None:
        while True:
            with (
                contextlib.suppress(psycopg.Error),
                psycopg.connect(
                    self._conninfo, autocommit=True, keepalives_idle=5, keepalives_interval=2, keepalives_count=3
                ) as connection,
            ):
                if connection.info.host and not connection.info.host.startswith("/"):
                    # a machine that is cut off is missed within about ten seconds
                    for name, value in (("idle", 5), ("interval", 2), ("count", 3)):
                        connection.execute(f"SET tcp_keepalives_{name} = {value}")
                connection.execute("SELECT pg_advisory_lock(%s, %s)", (ALIVE, self.number))
                while True:
                    time.sleep(2)
                    connection.execute("SELECT 1")
            time.sleep(0.5)


class Calm:
    """Lets go of memory when no job has come for a while. Used about each job."""

    def __init__(self, rest: Callable[[], None], seconds: float = 20.0) -> None:
        self._rest, self._seconds = rest, seconds
        self._timer: threading.Timer | None = None

    def __enter__(self) -> None:
        if self._timer is not None:
            self._timer.cancel()
            self._timer.join()

    def __exit__(self, *_: object) -> None:
        self._timer = threading.Timer(self._seconds, self._rest)
        self._timer.daemon = True
        self._timer.start()


async def _look_after(database: Database, app: procrastinate.App) -> None:
    """Every few seconds, takes up jobs whose worker died."""
    while True:
        try:
            await recover(database, app)
        except Exception:
            log.exception("jobs of dead workers could not be taken up; it is tried again")
        await asyncio.sleep(3)


async def _keep_tidy(database: Database, blobs: Blobs) -> None:
    """What may go goes within seconds; at the start and then every hour all of the store is looked through."""
    wait = 0.0
    while True:
        try:
            if wait <= 0:
                wait = EVERY
                await asyncio.to_thread(tidy, database, blobs)
            await asyncio.to_thread(free, database, blobs)
            await asyncio.to_thread(go_on_with_room, database, blobs.room)
        except Exception:
            log.exception("the store could not be tidied; it is tried again")
        await asyncio.sleep(FREED)
        wait -= FREED


async def _serve(config: Config) -> None:
    database = Database(config.database)
    blobs = store_of(config, database)
    if config.warm:
        threading.Thread(target=warm_up, name="warm", daemon=True).start()
    app = worker_app(config, Works(database, blobs, config.caches))
    async with app.open_async():
        watches = [
            asyncio.create_task(_look_after(database, app)),
            asyncio.create_task(_keep_tidy(database, blobs)),
        ]
        try:
            await app.run_worker_async(
                queues=[QUEUE], concurrency=1, name=f"worker-{os.getpid()}", fetch_job_polling_interval=1.0,
                update_heartbeat_interval=3.0, stalled_worker_timeout=STALLED, delete_jobs="successful",
                shutdown_graceful_timeout=2.0,
            )  # fmt: skip
        finally:
            for watch in watches:
                watch.cancel()


def main(config: Config) -> None:
    """Runs until it is told to stop."""
    asyncio.run(_serve(config))
