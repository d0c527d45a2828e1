"""The queue: jobs are put in, withdrawn, and taken up again after a worker that died, all by Procrastinate's means.

A job has a row of its own (`JobRow`), which people see, and at most one entry in the queue, which workers take. Both
are written in one transaction, so that there is never one without the other. A job without an entry either has ended
or rests while its parts are done.
"""

from __future__ import annotations

import asyncio
import logging
from collections.abc import Iterable
from typing import Any, Literal

import procrastinate
import psycopg
from procrastinate.jobs import Job, Status
from sqlalchemy import select, text
from sqlalchemy.orm import Session

from cuvrel.store.db import Database, notify
from cuvrel.store.disk_space import Room
from cuvrel.store.models import JobRow, now

log = logging.getLogger("cuvrel.jobs")
OPEN = ("waiting", "working")
QUEUE, TASK = "work", "cuvrel.job"
STALLED = 12.0  # seconds without a heartbeat after which a worker may be dead
ALIVE = 7023  # of PostgreSQL's advisory locks, with a worker's number: it holds this as long as it lives
RECOVERING = 7021  # the advisory lock of the worker that looks for what dead ones left
_LIVING = (
    "FROM pg_locks l WHERE l.locktype = 'advisory' AND l.granted AND l.classid = :alive "
    "AND l.database = (SELECT oid FROM pg_database WHERE datname = current_database())"
)
# never opened: entries are written on the connections of sessions
_app = procrastinate.App(connector=procrastinate.SyncPsycopgConnector())


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


def put(session: Session, kind: str, project_id: int, title: str, *, priority: int = 0, **fields: Any) -> JobRow:
    """A new job, in the queue from the moment when the session commits.

    priority: what has a lower one waits for all that has a higher one.
    """
    row = JobRow(kind=kind, project_id=project_id, title=title[:200], **fields)
    session.add(row)
    session.flush()
    enqueue(session, row, priority)
    tell(session, row)
    return row


def enqueue(session: Session, row: JobRow, priority: int = 0) -> None:
    """Puts a waiting job into the queue, when the session commits."""
    task = _app.configure_task(name=TASK, queue=QUEUE, priority=priority, connection=_connection(session))
    row.queue_id = task.defer(job_id=row.id)


def withdraw(session: Session, row: JobRow) -> None:
    """Takes a job's entry out of the queue; a worker that is at work on it is asked to abort, and hears it at once."""
    if row.queue_id is not None:
        _app.job_manager.cancel_job_by_id(row.queue_id, abort=True, delete_job=True, connection=_connection(session))


def stop(session: Session, row: JobRow) -> None:
    """Asks a job that is under way to stop; one that no worker has stops at once. Needs `locked_job`."""
    if row.state not in OPEN:
        return
    row.stop = True
    withdraw(session, row)
    if row.state == "waiting":
        row.state, row.message = "stopped", "Stopped."
    elif row.queue_id is None:
        part_ended(session, row.id)  # no worker has it; its parts may
    tell(session, row)


def once_more(session: Session, row: JobRow) -> None:
    """Puts a job that failed or was stopped into the queue again, with its parts; it goes on from its last progress."""
    ended = JobRow.parent_id == row.id, JobRow.state.in_(("failed", "stopped"))
    for one in (row, *session.scalars(select(JobRow).where(*ended))):
        one.state, one.stop, one.message, one.finished, one.queue_id = "waiting", False, "", None, None
        one.tries, one.free = 0, None
    enqueue(session, row)
    tell(session, row)


def go_on_with_room(database: Database, room: Room) -> int:
    """Runs jobs again that ended for want of room on the disk, once there is more of it than there was; how many.

    More by a quarter of the reserve: what a job frees by ending is not taken for room that somebody made.
    """
    free = room.free()
    if room.low:
        return 0
    with database.session() as session:
        waits = JobRow.free < free - room.reserve // 4, JobRow.state == "failed", JobRow.trashed.is_(None)
        ids = list(session.scalars(select(JobRow.id).where(*waits, JobRow.parent_id.is_(None))))
    for number in ids:
        with database.session() as session:
            row = locked_job(session, number)
            if row is not None and row.state == "failed" and row.free is not None:
                log.info("job %s goes on: there is room on the disk again", number)
                once_more(session, row)
    return len(ids)


def stop_all(session: Session, jobs: Iterable[int]) -> None:
    """Stops jobs by their ids, with their parts."""
    for number in jobs:
        row = locked_job(session, number)
        if row is not None:
            stop(session, row)


def _connection(session: Session) -> Any:
    """The driver's connection on which a session's transaction runs."""
    return session.connection().connection.driver_connection


async def recover(database: Database, app: procrastinate.App) -> int:
    """Puts jobs whose worker is dead back into the queue, where they go on from their last progress; how many.

    A worker lives as long as its heart beats or the database holds its lock: one that is too busy to beat is not taken
    for dead.
    """
    if not await _stalled(app):
        return 0
    async with await psycopg.AsyncConnection.connect(database.conninfo, autocommit=True) as connection:
        # two that put one job back would have it done by two
        await connection.execute("SELECT pg_advisory_lock(%s)", (RECOVERING,))
        back = 0
        for entry in await _stalled(app):
            match await asyncio.to_thread(_left_behind, database, entry):
                case "waits":
                    await app.job_manager.retry_job(entry)
                    back += 1
                case "over":
                    await app.job_manager.finish_job(entry, Status.ABORTED, delete_job=True)
        return back


async def _stalled(app: procrastinate.App) -> list[Job]:
    return list(await app.job_manager.get_stalled_jobs(queue=QUEUE, seconds_since_heartbeat=STALLED))


def _left_behind(database: Database, entry: Job) -> Literal["held", "waits", "over"]:
    """What becomes of an entry of a worker whose heart does not beat: it is held by that worker still, its job waits
    for another one, or nobody wants it any more.
    """
    with database.session() as session:
        row = locked_job(session, int(str(entry.task_kwargs["job_id"])))
        if row is None or row.queue_id != entry.id or row.state not in OPEN:
            return "over"
        alive = text(f"SELECT EXISTS (SELECT 1 {_LIVING} AND l.objid = :worker)")
        if session.scalar(alive, {"alive": ALIVE, "worker": row.worker or 0}):
            return "held"
        if row.stop:
            end(session, row, "stopped", "Stopped.")
            return "over"
        row.state = "waiting"
        log.warning("job %s lost its worker; it goes on from its last progress", row.id)
        tell(session, row)
        return "waits"


def locked_job(session: Session, job_id: int) -> JobRow | None:
    """A job's row to be changed. What it is a part of is locked first, as all do who change both."""
    parent = session.scalar(select(JobRow.parent_id).where(JobRow.id == job_id))
    if parent is not None:
        session.get(JobRow, parent, with_for_update=True)
    return session.get(JobRow, job_id, with_for_update=True)


def living(session: Session) -> int:
    """How many workers there are."""
    return int(session.scalar(text(f"SELECT count(*) {_LIVING}"), {"alive": ALIVE}) or 0)


def parts_open(session: Session, job_id: int) -> bool:
    """Whether any part of a job waits or is worked on."""
    found = session.scalar(select(JobRow.id).where(JobRow.parent_id == job_id, JobRow.state.in_(OPEN)).limit(1))
    return found is not None


def end(session: Session, row: JobRow, state: str, message: str, free: int | None = None) -> None:
    """Writes down how a job ended, and what that means for the one that it is a part of. Needs `locked_job`.

    free: bytes that are free on the disk, where it ended for want of room.
    """
    row.state, row.message, row.finished, row.free = state, message, now(), free
    tell(session, row)
    if row.parent_id is not None:
        part_ended(session, row.parent_id)


def part_ended(session: Session, parent_id: int) -> None:
    """Draws the conclusion of a part's end for the job that it is a part of, which goes in again after the last.

    One part that failed ends them all.
    """
    whole = session.get(JobRow, parent_id, with_for_update=True)
    if whole is None or whole.state not in OPEN:
        return
    parts = session.scalars(select(JobRow).where(JobRow.parent_id == parent_id).with_for_update()).all()
    failed = next((part for part in parts if part.state == "failed"), None)
    if failed is not None or whole.stop:
        for part in parts:
            if part.state in OPEN:
                part.stop = True
                withdraw(session, part)
                part.state = "stopped" if part.state == "waiting" else part.state
    whole.done = sum(part.done for part in parts)
    if any(part.state in OPEN for part in parts):
        tell(session, whole)
        return
    if failed is not None:
        end(session, whole, "failed", failed.message, failed.free)
    elif whole.stop or any(part.state == "stopped" for part in parts):
        end(session, whole, "stopped", "Stopped.")
    else:
        whole.state = "waiting"
        enqueue(session, whole)
        tell(session, whole)
