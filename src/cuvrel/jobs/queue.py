"""The queue, and what every job has in common: its row, its progress, its end."""

from __future__ import annotations

import logging
import time
import traceback
from collections.abc import Callable
from typing import Any, TypeVar

import procrastinate
from procrastinate.exceptions import ConnectorException
from sqlalchemy import select, text
from sqlalchemy.exc import DBAPIError, InterfaceError, OperationalError, PendingRollbackError
from sqlalchemy.orm import Session

from cuvrel.core.recipe.errors import CuvrelError
from cuvrel.store.config import Config
from cuvrel.store.db import Database, notify
from cuvrel.store.models import JobRow, now
from cuvrel.store.room import is_full

log = logging.getLogger("cuvrel.jobs")
OPEN = ("waiting", "working")
MOST_TRIES = 3
ALIVE = 7023  # of PostgreSQL's advisory locks, with a worker's number: it holds this as long as it lives
_LIVING = (
    "FROM pg_locks l WHERE l.locktype = 'advisory' AND l.granted AND l.classid = :alive "
    "AND l.database = (SELECT oid FROM pg_database WHERE datname = current_database())"
)
PATIENCE = 300.0  # seconds that a job waits for a database or a store that is away
TRANSIENT = (OperationalError, InterfaceError, PendingRollbackError, ConnectorException, ConnectionError, TimeoutError)
"""What passes when the database, or where the blobs are, is there again."""


class Stopped(Exception):
    """Somebody asked for the job to stop; what is done so far stays."""


class Parted(Exception):
    """The job's work is done by parts of it now; it comes to the queue again once they are through."""


def queue_app(config: Config) -> procrastinate.App:
    """The queue on this database, for putting tasks in."""
    return procrastinate.App(
        connector=procrastinate.SyncPsycopgConnector(conninfo=config.conninfo, min_size=1, max_size=4)
    )


def job_json(row: JobRow) -> dict[str, Any]:
    """The job as the interface sees it."""
    return {
        "id": row.id, "kind": row.kind, "shot": row.shot_id, "footage": row.footage_id, "project": row.project_id,
        "title": row.title, "state": row.state, "done": row.done, "total": row.total, "message": row.message,
        "result": row.result, "stopping": row.stop and row.state in OPEN,
        "started": row.started.isoformat() if row.started else None,
        "finished": row.finished.isoformat() if row.finished else None,
        "told": row.told,
        "args": {k: v for k, v in row.args.items() if k in ("pull", "tracks", "start", "step", "kind", "target")},
    }  # fmt: skip


def tell(session: Session, row: JobRow) -> None:
    """Tells the listeners how the job stands, counted: what arrives late is known to be old. Needs the row locked.

    Of a part of another job nothing is told.
    """
    row.told += 1
    if row.parent_id is not None:
        return
    notify(session, "job", job=job_json(row))


def put(session: Session, kind: str, project_id: int, title: str, **fields: Any) -> JobRow:
    """A new job's row. Call `enqueue` once the transaction is through."""
    row = JobRow(kind=kind, project_id=project_id, title=title[:200], **fields)
    session.add(row)
    session.flush()
    tell(session, row)
    return row


def enqueue(database: Database, app: procrastinate.App, job_id: int, priority: int = 0) -> None:
    """Puts the job into the queue. Should this be cut short, the workers' recovery does it later.

    priority: what has a lower one waits for all that has a higher one.
    """
    queue_id = app.configure_task(name="cuvrel.job", queue="work", priority=priority).defer(job_id=job_id)
    with database.session() as session:
        row = session.get(JobRow, job_id, with_for_update=True)
        if row is not None and row.queue_id is None:  # else its turn has come already
            row.queue_id = queue_id


def recover(database: Database, app: procrastinate.App) -> int:
    """Puts jobs that no living worker has and no queue holds back into the queue; returns how many.

    A job that was at work when its worker died goes on from its last progress. A worker lives as long as the database
    holds its lock, or its heart beats: one that is too busy to beat is not taken for dead.
    """
    lost = []
    with database.session() as session:
        # serialise: two workers starting together must not put one job in twice
        session.execute(text("SELECT pg_advisory_xact_lock(7021)"))
        for row in session.scalars(select(JobRow).where(JobRow.state.in_(OPEN)).with_for_update(skip_locked=True)):
            held = session.execute(
                text(
                    "SELECT j.status, w.id IS NOT NULL AND w.last_heartbeat > now() - interval '12 seconds' OR EXISTS "
                    f"(SELECT {_LIVING} AND l.objid = :worker) AS alive "
                    "FROM procrastinate_jobs j LEFT JOIN procrastinate_workers w ON w.id = j.worker_id WHERE j.id = :id"
                ),
                {"id": row.queue_id, "alive": ALIVE, "worker": row.worker or 0},
            ).first()
            if held and (held.status == "todo" or (held.status == "doing" and held.alive)):
                continue
            if held is None and _parts_open(session, row.id):
                continue  # it rests while its parts are done
            young = row.queue_id is None and (now() - row.created).total_seconds() < 5
            if young:
                continue  # its transaction is through, its defer is on the way
            if held and held.status == "doing":
                session.execute(
                    text("UPDATE procrastinate_jobs SET status = 'failed' WHERE id = :id"), {"id": row.queue_id}
                )
            row.state, row.queue_id = "waiting", None
            tell(session, row)
            lost.append((row.id, 0 if row.parent_id is None else -1))
    for job_id, priority in lost:
        log.warning("job %s lost its worker; it goes on from its last progress", job_id)
        enqueue(database, app, job_id, priority)
    return len(lost)


def living(session: Session) -> int:
    """How many workers there are."""
    return int(session.scalar(text(f"SELECT count(*) {_LIVING}"), {"alive": ALIVE}) or 0)


def _parts_open(session: Session, job_id: int) -> bool:
    found = session.scalar(select(JobRow.id).where(JobRow.parent_id == job_id, JobRow.state.in_(OPEN)).limit(1))
    return found is not None


def part_ended(session: Session, parent_id: int) -> bool:
    """Draws the conclusion of a part's end for the job that it is a part of; says whether that is to be put in again.

    One part that failed ends them all.
    """
    whole = session.get(JobRow, parent_id, with_for_update=True)
    if whole is None or whole.state not in OPEN:
        return False
    parts = session.scalars(select(JobRow).where(JobRow.parent_id == parent_id).with_for_update()).all()
    failed = next((part for part in parts if part.state == "failed"), None)
    if failed is not None or whole.stop:
        for part in parts:
            if part.state in OPEN:
                part.stop = True
                part.state = "stopped" if part.state == "waiting" else part.state
    whole.done = sum(part.done for part in parts)
    if any(part.state in OPEN for part in parts):
        tell(session, whole)
        return False
    if failed is not None:
        whole.state, whole.message, whole.finished = "failed", failed.message, now()
    elif whole.stop or any(part.state == "stopped" for part in parts):
        whole.state, whole.message, whole.finished = "stopped", "Stopped.", now()
    else:
        whole.state, whole.queue_id = "waiting", None
    tell(session, whole)
    return whole.state == "waiting"


def run(
    database: Database, job_id: int, work: Callable[[JobRow], str], queue_id: int | None = None,
    again: Callable[[int], None] = lambda job_id: None, worker: int | None = None,
) -> None:  # fmt: skip
    """Runs a waiting job's work and writes down how it ended. The work's return value is its closing line.

    again: puts a job into the queue, whose last part this was. worker: the number of who runs it.

    A job that was stopped and run again before its turn is in the queue twice; whoever comes second leaves it alone,
    and the entry by which it is at work (`queue_id`) is written down for the recovery.
    """
    row = _steadily(lambda: _begun(database, job_id, queue_id, worker))
    if row is None:
        return
    begun = time.monotonic()
    try:
        if row.tries > MOST_TRIES:
            raise CuvrelError(
                f"Its worker died {MOST_TRIES} times at the same place; it is not tried again by itself.",
                "It may need more memory than there is. The worker's log says more; then run it again.",
            )
        state, message = "done", _worked(database, row, work)
    except Parted:
        _steadily(lambda: _rest(database, job_id, again))
        return
    except Stopped:
        state, message = "stopped", "Stopped."
    except CuvrelError as fault:
        state, message = "failed", str(fault)
    except Exception as fault:
        state, message = "failed", _said(job_id, fault)
    more = {"state": state, "says": message, "seconds": round(time.monotonic() - begun, 1), "kind": row.kind}
    log.info("job %s", state, extra=more)
    parent = _steadily(lambda: _ended(database, job_id, state, message))
    if parent is not None and _steadily(lambda: _part_through(database, parent)):
        _steadily(lambda: again(parent))


def _said(job_id: int, fault: Exception) -> str:
    """The closing line of a job that ended by a fault that nobody foresaw."""
    if is_full(fault):
        log.error("job %s: the disk is full", job_id)
        return "The disk is full. Make room, then run it again."
    if isinstance(fault, MemoryError):
        return "There is not enough memory for this. Make room, or work on smaller footage, then run it again."
    if _transient(fault):
        log.error("job %s: the database or the store stayed away: %s", job_id, fault)
        return "The database or the store of the files stayed away for too long. Run it again; it goes on where it was."
    log.error("job %s failed\n%s", job_id, "".join(traceback.format_exception(fault)))
    return "Something went wrong inside the program. Run it again; if it fails again, the worker's log says more."


def _begun(database: Database, job_id: int, queue_id: int | None, worker: int | None) -> JobRow | None:
    """Takes a waiting job; None where it does not wait any more."""
    with database.session() as session:
        row = session.get(JobRow, job_id, with_for_update=True)
        if row is None or row.state != "waiting":
            return None
        row.state, row.started, row.queue_id = "working", row.started or now(), queue_id or row.queue_id
        row.worker, row.tries = worker, row.tries + 1
        tell(session, row)
        return row


def _ended(database: Database, job_id: int, state: str, message: str) -> int | None:
    """Writes down how a job ended; the job that it is a part of."""
    with database.session() as session:
        row = session.get(JobRow, job_id, with_for_update=True)
        if row is None:
            return None
        row.state, row.message, row.finished = state, message, now()
        tell(session, row)
        return row.parent_id


def _part_through(database: Database, parent: int) -> bool:
    with database.session() as session:
        return part_ended(session, parent)


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


def _rest(database: Database, job_id: int, again: Callable[[int], None]) -> None:
    """Leaves a job to its parts, which may have ended while it was left."""
    with database.session() as session:
        row = session.get(JobRow, job_id, with_for_update=True)
        if row is not None:
            row.queue_id, row.tries = None, 0
    with database.session() as session:
        through = not _parts_open(session, job_id) and part_ended(session, job_id)
    if through:
        again(job_id)


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
    """Writes progress down. Raises Stopped when somebody asked for it (or the job is gone)."""
    row = session.get(JobRow, job_id, with_for_update=True)
    if row is None or row.stop:
        raise Stopped
    row.done, row.total = done, total
    if done > row.reached:
        row.reached, row.tries = done, 1
    if progress:
        row.progress = {**row.progress, **progress}
    tell(session, row)
