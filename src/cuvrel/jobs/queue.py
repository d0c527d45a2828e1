"""The queue, and what every job has in common: its row, its progress, its end."""

from __future__ import annotations

import logging
import time
import traceback
from collections.abc import Callable
from typing import Any

import procrastinate
from sqlalchemy import select, text
from sqlalchemy.exc import OperationalError
from sqlalchemy.orm import Session

from cuvrel.core.recipe.errors import CuvrelError
from cuvrel.store.config import Config
from cuvrel.store.db import Database, notify
from cuvrel.store.models import JobRow, now

log = logging.getLogger("cuvrel.jobs")
OPEN = ("waiting", "working")


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

    A job that was at work when its worker died goes on from its last progress.
    """
    lost = []
    with database.session() as session:
        # serialise: two workers starting together must not put one job in twice
        session.execute(text("SELECT pg_advisory_xact_lock(7021)"))
        for row in session.scalars(select(JobRow).where(JobRow.state.in_(OPEN)).with_for_update(skip_locked=True)):
            held = session.execute(
                text(
                    "SELECT j.status, w.id IS NOT NULL AND w.last_heartbeat > now() - interval '12 seconds' AS alive "
                    "FROM procrastinate_jobs j LEFT JOIN procrastinate_workers w ON w.id = j.worker_id WHERE j.id = :id"
                ),
                {"id": row.queue_id},
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
    again: Callable[[int], None] = lambda job_id: None,
) -> None:  # fmt: skip
    """Runs a waiting job's work and writes down how it ended. The work's return value is its closing line.

    again: puts a job into the queue, whose last part this was.

    A job that was stopped and run again before its turn is in the queue twice; whoever comes second leaves it alone,
    and the entry by which it is at work (`queue_id`) is written down for the recovery.
    """
    with database.session() as session:
        row = session.get(JobRow, job_id, with_for_update=True)
        if row is None or row.state != "waiting":
            return
        row.state, row.started, row.queue_id = "working", row.started or now(), queue_id or row.queue_id
        tell(session, row)
    try:
        state, message = "done", _worked(database, row, work)
    except Parted:
        _rest(database, job_id, again)
        return
    except Stopped:
        state, message = "stopped", "Stopped."
    except CuvrelError as fault:
        state, message = "failed", str(fault)
    except Exception:
        log.error("job %s failed\n%s", job_id, traceback.format_exc())
        state = "failed"
        message = (
            "Something went wrong inside the program. Run it again; if it fails again, the server's log says more."
        )
    with database.session() as session:
        row = session.get(JobRow, job_id, with_for_update=True)
        if row is None:
            return
        row.state, row.message, row.finished = state, message, now()
        tell(session, row)
        parent = row.parent_id
    if parent is not None:
        with database.session() as session:
            whole = part_ended(session, parent)
        if whole:
            again(parent)


def _rest(database: Database, job_id: int, again: Callable[[int], None]) -> None:
    """Leaves a job to its parts, which may have ended while it was left."""
    with database.session() as session:
        row = session.get(JobRow, job_id, with_for_update=True)
        if row is not None:
            row.queue_id = None
    with database.session() as session:
        through = not _parts_open(session, job_id) and part_ended(session, job_id)
    if through:
        again(job_id)


def _worked(database: Database, row: JobRow, work: Callable[[JobRow], str]) -> str:
    """The closing line of the work; where the database goes away under it, it goes on from its last progress."""
    while True:
        if row.stop:
            raise Stopped
        try:
            return work(row)
        except OperationalError:
            log.warning("job %s lost the database; it goes on once that is back", row.id)
            row = _again(database, row.id)


def _again(database: Database, job_id: int, patience: float = 300.0) -> JobRow:
    """The job's row once the database answers. Raises OperationalError when it stays away."""
    deadline = time.monotonic() + patience
    while True:
        try:
            with database.session() as session:
                row = session.get(JobRow, job_id)
            if row is None:
                raise Stopped
            return row
        except OperationalError:
            if time.monotonic() > deadline:
                raise
            time.sleep(0.5)


def advance(session: Session, job_id: int, done: int, total: int, **progress: Any) -> None:
    """Writes progress down. Raises Stopped when somebody asked for it (or the job is gone)."""
    row = session.get(JobRow, job_id, with_for_update=True)
    if row is None or row.stop:
        raise Stopped
    row.done, row.total = done, total
    if progress:
        row.progress = {**row.progress, **progress}
    tell(session, row)
