"""The worker: takes jobs from the queue, one at a time, and picks up what a dead worker left."""

from __future__ import annotations

import asyncio
import contextlib
import logging
import os
import threading
from functools import partial

import procrastinate

from cuvrel.core.warm import warm_up
from cuvrel.jobs.queue import enqueue, queue_app, recover, run
from cuvrel.jobs.tasks import Works
from cuvrel.store.blobs import Blobs
from cuvrel.store.config import Config
from cuvrel.store.db import Database
from cuvrel.store.sweep import EVERY, tidy

log = logging.getLogger("cuvrel.worker")


def worker_app(config: Config, works: Works, putter: procrastinate.App) -> procrastinate.App:
    """The queue with its one task, for a worker. putter: the open queue, for putting jobs in."""
    app = procrastinate.App(connector=procrastinate.PsycopgConnector(conninfo=config.conninfo, min_size=1, max_size=4))

    @app.task(name="cuvrel.job", queue="work", pass_context=True)
    def job(context: procrastinate.JobContext, job_id: int) -> None:
        run(
            works.database, job_id, works.work, context.job.id, lambda part_of: enqueue(works.database, putter, part_of)
        )

    return app


async def _look_after(database: Database, putter: procrastinate.App) -> None:
    """Every few seconds, takes up jobs whose worker died."""
    while True:
        with contextlib.suppress(Exception):
            await asyncio.to_thread(recover, database, putter)
        await asyncio.sleep(3)


async def _keep_tidy(database: Database, blobs: Blobs) -> None:
    """At the start and then every hour."""
    while True:
        try:
            await asyncio.to_thread(tidy, database, blobs)
        except Exception:
            log.exception("the store could not be tidied; it is tried again in an hour")
        await asyncio.sleep(EVERY)


async def _serve(config: Config) -> None:
    database = Database(config.database)
    blobs = Blobs(config.blobs, config.var)
    putter = queue_app(config)
    works = Works(database, blobs, config.cache_bytes, partial(enqueue, database, putter))
    threading.Thread(target=warm_up, name="warm", daemon=True).start()
    app = worker_app(config, works, putter)
    with putter.open():
        await _served(app, putter, database, blobs)


async def _served(app: procrastinate.App, putter: procrastinate.App, database: Database, blobs: Blobs) -> None:
    async with app.open_async():
        watches = [
            asyncio.create_task(_look_after(database, putter)),
            asyncio.create_task(_keep_tidy(database, blobs)),
        ]
        try:
            await app.run_worker_async(
                queues=["work"], concurrency=1, name=f"worker-{os.getpid()}", fetch_job_polling_interval=1.0,
                update_heartbeat_interval=3.0, stalled_worker_timeout=12.0, delete_jobs="successful",
                shutdown_graceful_timeout=2.0,
            )  # fmt: skip
        finally:
            for watch in watches:
                watch.cancel()


def main(config: Config) -> None:
    """Runs until it is told to stop."""
    logging.basicConfig(level=logging.WARNING, format="%(asctime)s worker %(name)s: %(message)s")
    asyncio.run(_serve(config))
