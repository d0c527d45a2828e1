"""Keeping the store tidy: what nothing points to any more, and what nobody asks for.

A blob is used while a row names it, the snapshot of a job lists it which may still be worked on, or a lease holds it;
nothing is told by its age. What may go is known in two ways: by leases that are over (those of jobs that ended, those
of what was deleted for good), which are looked at every few seconds, and by a list of all that lies in the store, which
is made every hour. Either way a blob goes while nobody else is in a transaction (`Database.alone`): one that is not
named then can be named by nobody without being put again, and who puts it finds that it is not there.
"""

from __future__ import annotations

import time
from datetime import timedelta

from sqlalchemy import Connection, delete, or_, select, text
from sqlalchemy.orm import Session

from cuvrel.store.blobs import Blobs
from cuvrel.store.db import Busy, Database
from cuvrel.store.frames import listed
from cuvrel.store.leases import let_go
from cuvrel.store.models import JobRow, LeaseRow, now
from cuvrel.store.named import named
from cuvrel.store.shots import prune
from cuvrel.store.trash import OPEN, expire

EVERY = 3600.0  # seconds between two lists of the store
LOOKED_AT = timedelta(minutes=2)  # after a blob is found to be named by nothing: who has just read its key may read it
AT_ONCE = 500  # blobs that are looked at in one transaction
PAUSE = 0.1  # seconds before it is tried again to be alone
SECONDS = 0.5  # that a transaction beside which there is no other one removes files for
TIDYING = 7020  # of PostgreSQL's advisory locks: who holds it makes the list


def used_blobs(session: Session, blobs: Blobs) -> set[str]:
    """Every blob that a row names, in the trash or not, and those that the snapshot of a job lists which may still be
    worked on: it works from the stored frames of then.
    """
    return _used(session.connection(), blobs, None)


def _used(connection: Connection, blobs: Blobs, keys: list[str] | None) -> set[str]:
    """What of these keys is used, of all where they are None."""
    found = named()
    wanted = select(found.c.key).distinct()
    if keys is not None:
        wanted = wanted.where(found.c.key.in_(keys))
    out = set(connection.scalars(wanted))
    snapshot = JobRow.args["frames"].astext
    for one in connection.scalars(select(snapshot).where(JobRow.state != "done", snapshot.is_not(None)).distinct()):
        of_it = listed(blobs, one)
        out |= of_it if keys is None else of_it.intersection(keys)
    return out


def free(database: Database, blobs: Blobs, patience: float = 2.0, held: timedelta = timedelta(0)) -> int:
    """Removes what leases that are over were of and what is not used; how many blobs went.

    patience: seconds after which it gives up where others are in long transactions; what is left goes another time.
    held: leases without a job are over that have this long to go, or less; by themselves at their time.
    """
    gone, until = 0, time.monotonic() + patience
    while True:
        try:
            more, left = _freed(database, blobs, held)
        except Busy:
            if time.monotonic() > until:
                return gone
            time.sleep(PAUSE)
            continue
        gone += more
        if not left:
            return gone


def _freed(database: Database, blobs: Blobs, held: timedelta) -> tuple[int, bool]:
    """How many blobs went in one transaction, and whether there is more to look at."""
    open_jobs = select(JobRow.id).where(JobRow.state.in_(OPEN))
    lasts = or_(LeaseRow.job.in_(open_jobs), LeaseRow.job.is_(None) & (LeaseRow.until > now() + held))
    over = select(LeaseRow.id, LeaseRow.key).where(~lasts).order_by(LeaseRow.id).limit(AT_ONCE)
    with database.session() as session:
        if session.execute(over.limit(1)).first() is None:
            return 0, False
    gone, until = 0, time.monotonic() + SECONDS
    with database.alone() as connection:
        rows = connection.execute(over).all()
        keys = sorted({key for _, key in rows})
        kept = set(connection.scalars(select(LeaseRow.key).where(LeaseRow.key.in_(keys), lasts)))
        kept |= _used(connection, blobs, keys)
        done = set()
        for key in keys:
            if time.monotonic() > until:
                break
            gone += key not in kept and blobs.remove(key)
            done.add(key)
        connection.execute(delete(LeaseRow).where(LeaseRow.id.in_([number for number, key in rows if key in done])))
    return gone, len(rows) == AT_ONCE or len(done) < len(keys)


def look_for_strays(database: Database, blobs: Blobs, after: timedelta = LOOKED_AT) -> None:
    """Lists the store, and says of all that nothing names or holds that it may go after a while."""
    there = set(blobs.listed())
    with database.session() as session:
        there -= used_blobs(session, blobs)
        there.difference_update(session.scalars(select(LeaseRow.key)))
        let_go(session, there, after)


def sweep(database: Database, blobs: Blobs, held: timedelta = timedelta(0)) -> int:
    """Lists the store and removes at once what is not used; returns how many blobs went."""
    look_for_strays(database, blobs, timedelta(0))
    return free(database, blobs, held=held)


def tidy(database: Database, blobs: Blobs) -> None:
    """Empties the trash of what is too old, forgets old changes, and looks for what nothing names.

    One process at a time does it.
    """
    with database.engine.begin() as connection:
        if not connection.scalar(text("SELECT pg_try_advisory_xact_lock(:lock)"), {"lock": TIDYING}):
            return
        with database.session() as session:
            expire(session, blobs)
            prune(session)
        look_for_strays(database, blobs)
