"""What every job has in common while it runs: it is begun, writes its progress down, and ends."""

from __future__ import annotations

import contextlib
import logging
import time
import traceback
from collections.abc import Callable, Iterator
from contextvars import ContextVar
from typing import Any, TypeVar

from procrastinate.exceptions import ConnectorException
from procrastinate.job_context import AbortReason
from sqlalchemy.exc import DBAPIError, InterfaceError, OperationalError, PendingRollbackError
from sqlalchemy.orm import Session

from cuvrel.core.recipe.errors import CuvrelError
from cuvrel.jobs.queue import end, locked_job, part_ended, parts_open, tell
from cuvrel.store.db import Database
from cuvrel.store.disk_space import NoRoom, Room, is_full
from cuvrel.store.leases import held_by
from cuvrel.store.models import JobRow, now

log = logging.getLogger("cuvrel.jobs")
MOST_TRIES = 3
FULL = "The disk is full. Make room; it goes on by itself then."
PATIENCE = 300.0  # seconds that a job waits for a database or a store that is away
TRANSIENT = (OperationalError, InterfaceError, PendingRollbackError, ConnectorException, ConnectionError, TimeoutError)
"""What passes when the database, or where the blobs are, is there again."""


class Stopped(Exception):
    """Somebody asked for the job to stop; what is done so far stays."""


class Parted(Exception):
    """The job's work is done by parts of it now; it comes to the queue again once they are through."""


class Interrupted(Exception):
    """The worker is to end; the job goes back into the queue, and on from its last progress."""


_asked: ContextVar[Callable[[], AbortReason | None]] = ContextVar("asked", default=lambda: None)


@contextlib.contextmanager
def listening(asked: Callable[[], AbortReason | None]) -> Iterator[None]:
    """While it lasts, `heed` hears by `asked` that the job is to be aborted."""
    token = _asked.set(asked)
    try:
        yield
    finally:
        _asked.reset(token)


def heed() -> None:
    """Leaves the job where that was asked for. Costs nothing: for the steps between which nothing is written down.

    Raises Stopped where a person asked, Interrupted where the worker is to end.
    """
    match _asked.get()():
        case AbortReason.USER_REQUEST:
            raise Stopped
        case AbortReason.SHUTDOWN:
            raise Interrupted


def run(
    database: Database, job_id: int, work: Callable[[JobRow], str], queue_id: int | None = None,
    worker: int | None = None, room: Room | None = None,
) -> None:  # fmt: skip
    """Runs a job's work and writes down how it ended. The work's return value is its closing line.

    queue_id: the entry in the queue by which it is run; where the job has another one by now, nothing is done. worker:
    the number of who runs it. room: where it keeps what it makes; a job that finds too little of it goes on by itself
    once there is more (queue.go_on_with_room). Raises Interrupted where the worker is to end before the work has.
    """
    row = _steadily(lambda: _begun(database, job_id, queue_id, worker))
    if row is None:
        return
    begun, full = time.monotonic(), False
    try:
        if row.tries > MOST_TRIES:
            raise CuvrelError(
                f"Its worker died {MOST_TRIES} times at the same place; it is not tried again by itself.",
                "It may need more memory than there is. The worker's log says more; then run it again.",
            )
        with held_by(job_id):
            state, message = "done", _worked(database, row, work)
    except Parted:
        _steadily(lambda: _rest(database, job_id, queue_id))
        return
    except Interrupted:
        _steadily(lambda: _put_down(database, job_id))
        log.info("job interrupted; it goes on elsewhere", extra={"kind": row.kind})
        raise
    except Stopped:
        state, message = "stopped", "Stopped."
    except CuvrelError as fault:
        state, message, full = "failed", str(fault), isinstance(fault, NoRoom)
    except Exception as fault:
        state, message, full = "failed", _said(job_id, fault), is_full(fault)
    more = {"state": state, "says": message, "seconds": round(time.monotonic() - begun, 1), "kind": row.kind}
    log.info("job %s", state, extra=more)
    free = room.free() if full and room is not None else None
    _steadily(lambda: _ended(database, job_id, state, message, free))


def _said(job_id: int, fault: Exception) -> str:
    """The closing line of a job that ended by a fault that nobody foresaw."""
    if is_full(fault):
        log.error("job %s: the disk is full", job_id)
        return FULL
    if isinstance(fault, MemoryError):
        return "There is not enough memory for this. Make room, or work on smaller footage, then run it again."
    if _transient(fault):
        log.error("job %s: the database or the store stayed away: %s", job_id, fault)
        return "The database or the store of the files stayed away for too long. Run it again; it goes on where it was."
    log.error("job %s failed\n%s", job_id, "".join(traceback.format_exception(fault)))
    return "Something went wrong inside the program. Run it again; if it fails again, the worker's log says more."


def _begun(database: Database, job_id: int, queue_id: int | None, worker: int | None) -> JobRow | None:
    """Takes a waiting job, or one that its entry brings once more; None where there is nothing to do any more."""
    with database.session() as session:
        row = session.get(JobRow, job_id, with_for_update=True)
        if row is None or (queue_id is not None and row.queue_id != queue_id):
            return None
        once_more = row.state == "working" and queue_id is not None
        if row.state != "waiting" and not once_more:
            return None
        row.state, row.started = "working", row.started or now()
        row.worker, row.tries = worker, row.tries + 1
        tell(session, row)
        return row


def _ended(database: Database, job_id: int, state: str, message: str, free: int | None) -> None:
    with database.session() as session:
        row = locked_job(session, job_id)
        if row is not None:
            end(session, row, state, message, free)


def _put_down(database: Database, job_id: int) -> None:
    """Leaves a job as it waits, for whoever takes its entry next; that it was not finished is nobody's fault."""
    with database.session() as session:
        row = session.get(JobRow, job_id, with_for_update=True)
        if row is not None and row.state == "working":
            row.state, row.worker, row.tries = "waiting", None, max(0, row.tries - 1)
            tell(session, row)


def _transient(fault: Exception) -> bool:
    """Whether a fault passes by itself."""
    if is_full(fault):
        return False
    return isinstance(fault, TRANSIENT) or (isinstance(fault, DBAPIError) and fault.connection_invalidated)


Got = TypeVar("Got")


def _steadily(step: Callable[[], Got]) -> Got:
    """What a step gives; while the database is away it is tried again. Raises what does not pass, or not in time."""
    deadline, wait = time.monotonic() + PATIENCE, 0.2
    while True:
        try:
            return step()
        except Exception as fault:
            if not _transient(fault) or time.monotonic() > deadline:
                raise
        time.sleep(wait)
        wait = min(2.0, wait * 1.5)


def _rest(database: Database, job_id: int, queue_id: int | None) -> None:
    """Leaves a job to its parts; where they have ended already, it has gone into the queue again."""
    with database.session() as session:
        row = session.get(JobRow, job_id, with_for_update=True)
        if row is None or row.state != "working" or row.queue_id != queue_id:
            return
        row.queue_id, row.tries = None, 0
        if not parts_open(session, job_id):
            part_ended(session, job_id)


def _worked(database: Database, row: JobRow, work: Callable[[JobRow], str]) -> str:
    """The closing line of the work; where the database goes away under it, it goes on from its last progress."""
    job_id, deadline = row.id, time.monotonic() + PATIENCE
    while True:
        if row.stop:
            raise Stopped
        try:
            return work(row)
        except Exception as fault:
            if not _transient(fault) or time.monotonic() > deadline:
                raise
            log.warning("job %s lost the database or the store; it goes on once that is back", row.id)
        time.sleep(0.3)
        row, before = _steadily(lambda: _as_it_is(database, job_id)), row.done
        if row.done > before:
            deadline = time.monotonic() + PATIENCE


def _as_it_is(database: Database, job_id: int) -> JobRow:
    with database.session() as session:
        row = session.get(JobRow, job_id)
    if row is None:
        raise Stopped
    return row


def advance(session: Session, job_id: int, done: int, total: int, **progress: Any) -> None:
    """Writes progress down. Raises Stopped when somebody asked for it (or the job is gone), Interrupted as `heed`."""
    heed()
    row = session.get(JobRow, job_id, with_for_update=True)
    if row is None or row.stop:
        raise Stopped
    row.done, row.total = done, total
    if done > row.reached:
        row.reached, row.tries = done, 1
    if progress:
        row.progress = {**row.progress, **progress}
    tell(session, row)
