"""What all workers of a test run share: made once, by whoever needs it first."""

from __future__ import annotations

import asyncio
import fcntl
import os
from collections.abc import Callable, Coroutine
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path
from typing import Any, TypeVar

import pytest
from sqlalchemy import or_, select

from cuvrel.jobs.queue import withdraw
from cuvrel.jobs.running import run
from cuvrel.jobs.tasks import Works
from cuvrel.store.blobs import Blobs
from cuvrel.store.db import Database
from cuvrel.store.models import JobRow

Got = TypeVar("Got")


class Hand:
    """A worker that does a job when it is told to, and then what came into the queue by it."""

    def __init__(self, database: Database, blobs: Blobs) -> None:
        self.database = database
        self.works = Works(database, blobs, 64 << 20)

    def waiting(self, job: int) -> list[int]:
        """Those of a job and its parts that wait for a worker, the job last."""
        of = or_(JobRow.id == job, JobRow.parent_id == job)
        with self.database.session() as session:
            rows = session.scalars(select(JobRow.id).where(of, JobRow.state == "waiting").order_by(JobRow.id))
            return sorted(rows, key=lambda one: (one == job, one))

    def take(self, job: int) -> None:
        """One job, by its entry in the queue."""
        with self.database.session() as session:
            row = session.get_one(JobRow, job)
            entry = row.queue_id
            withdraw(session, row)
        run(self.database, job, self.works.work, entry, room=self.works.blobs.room)

    def do(self, job: int) -> None:
        """The job, and all that comes of it."""
        while waiting := self.waiting(job):
            self.take(waiting[0])


def alone(work: Coroutine[Any, Any, Got]) -> Got:
    """What asynchronous work gives, in a thread of its own: the tests' own may have an event loop that runs."""
    with ThreadPoolExecutor(1) as pool:
        return pool.submit(asyncio.run, work).result()


def shared(factory: pytest.TempPathFactory, name: str, make: Callable[[Path], None]) -> Path:
    """A folder that `make` fills once in a test run, however many workers it has; nobody may write to it."""
    base = factory.getbasetemp()
    root = base.parent if os.environ.get("PYTEST_XDIST_WORKER") else base
    folder, done = root / name, root / f"{name}.done"
    with (root / f"{name}.lock").open("w") as lock:
        fcntl.flock(lock, fcntl.LOCK_EX)
        if not done.exists():
            folder.mkdir()
            make(folder)
            done.touch()
    return folder
