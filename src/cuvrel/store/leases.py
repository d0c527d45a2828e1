"""Blobs that are held before a row names them: whoever puts a blob takes a lease of it first.

A lease of a job holds as long as the job waits or is worked on, any other one for an hour: a request has named its
blobs by then, or never will. A lease that is over tells who looks for what may go that this blob is worth a look.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from contextlib import contextmanager
from contextvars import ContextVar
from datetime import timedelta

from sqlalchemy import insert, text
from sqlalchemy.orm import Session

from cuvrel.store.blobs import Blobs
from cuvrel.store.config import Config
from cuvrel.store.db import NAMING, Database
from cuvrel.store.models import LeaseRow, now

HELD = timedelta(hours=1)
_job: ContextVar[int | None] = ContextVar("job", default=None)
# who removes blobs is alone: a lease that is taken while it looks comes after it, and so does the look for the blob
_TAKE = text(
    "INSERT INTO leases (key, job, until) "
    f"SELECT :key, :job, :until FROM (SELECT pg_advisory_xact_lock_shared({NAMING})) AS shared"
)


@contextmanager
def held_by(job: int) -> Iterator[None]:
    """What is put while it lasts, by this thread, is the job's."""
    token = _job.set(job)
    try:
        yield
    finally:
        _job.reset(token)


class Leases:
    """Takes leases, each in a transaction of its own."""

    def __init__(self, database: Database) -> None:
        self._database = database

    def take(self, key: str) -> None:
        """Holds a blob; once this returns it is there until the lease is over, or is not there yet."""
        with self._database.apart.connect() as connection:
            connection.execute(_TAKE, {"key": key, "job": _job.get(), "until": now() + HELD})


def let_go(session: Session, keys: Iterable[str], after: timedelta = timedelta(0)) -> None:
    """Says that these blobs may go after a while, unless something names or holds them then."""
    rows = [{"key": key, "until": now() + after} for key in sorted(set(keys))]
    if rows:
        session.execute(insert(LeaseRow), rows)


def store_of(config: Config, database: Database) -> Blobs:
    """The blobs that a database names."""
    return Blobs(config.blobs, config.var, Leases(database).take)
