"""What the resources share in one process."""

from __future__ import annotations

import threading
from typing import cast

import procrastinate
from flask import current_app

from cuvrel.core.stand.nodes import Cache
from cuvrel.core.warm import warm_up
from cuvrel.jobs.queue import enqueue, queue_app
from cuvrel.memory import Shares
from cuvrel.store.access import OWNER, Who
from cuvrel.store.blobs import Blobs
from cuvrel.store.config import Config
from cuvrel.store.db import Database
from cuvrel.store.mattes import Touches
from cuvrel.store.pictures import Readers


class Services:
    """Database, blobs, readers, the picture cache and the queue."""

    def __init__(self, config: Config) -> None:
        self.config = config
        self.database = Database(config.database)
        self.blobs = Blobs(config.blobs, config.var)
        shares = Shares.of(config.caches)
        self.readers = Readers(self.blobs, shares.frames)
        self.touches = Touches(self.blobs, self.readers)
        self.cache = Cache(shares.pictures)
        self._queue: procrastinate.App | None = None
        self._opening = threading.Lock()
        threading.Thread(target=warm_up, name="warm", daemon=True).start()

    def enqueue(self, job_id: int) -> None:
        """Puts a job, whose row is committed, into the queue."""
        with self._opening:
            if self._queue is None:
                queue = queue_app(self.config)
                queue.open()
                self._queue = queue
        enqueue(self.database, self._queue, job_id)


def who() -> Who:
    """Who asks: today, always the owner."""
    return OWNER


def services() -> Services:
    """The current application's services."""
    return cast(Services, current_app.extensions["cuvrel"])
