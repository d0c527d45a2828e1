"""What all workers of a test run share: made once, by whoever needs it first."""

from __future__ import annotations

import fcntl
import os
from collections.abc import Callable
from pathlib import Path

import pytest

from cuvrel.jobs.queue import run
from cuvrel.jobs.tasks import Works
from cuvrel.store.blobs import Blobs
from cuvrel.store.db import Database


class Hand:
    """A worker that does a job when it is told to, and then the jobs that this one made."""

    def __init__(self, database: Database, blobs: Blobs) -> None:
        self.database, self.waiting = database, list[int]()
        self.works = Works(database, blobs, 64 << 20, lambda job, priority: self.waiting.append(job))

    def do(self, job: int) -> None:
        """The job, and all that comes of it."""
        self.waiting.append(job)
        while self.waiting:
            run(self.database, self.waiting.pop(0), self.works.work, again=self.waiting.append)


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
