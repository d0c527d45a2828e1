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
    """Tells the listeners how the job stands, counted: what arrives late is known to be old. Needs the row locked."""
    row.told += 1
    notify(session, "job", job=job_json(row))


def put(session: Session, kind: str, project_id: int, title: str, **fields: Any) -> JobRow:
    """A new job's row. Call `enqueue` once the transaction is through."""
    row = JobRow(kind=kind, project_id=project_id, title=title[:200], **fields)
    session.add(row)
    session.flush()
    tell(session, row)
    return row


def enqueue(database: Database, app: procrastinate.App, job_id: int) -> None:
    """Puts the job into the queue. Should this be cut short, the workers' recovery does it later."""
    queue_id = app.configure_task(name="cuvrel.job", queue="work").defer(job_id=job_id)
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
            young = row.queue_id is None and (now() - row.created).total_seconds() < 5
            if young:
                continue  # its transaction is through, its defer is on the way
            if held and held.status == "doing":
                session.execute(
                    text("UPDATE procrastinate_jobs SET status = 'failed' WHERE id = :id"), {"id": row.queue_id}
                )
            row.state, row.queue_id = "waiting", None
            tell(session, row)
            lost.append(row.id)
    for job_id in lost:
        log.warning("job %s lost its worker; it goes on from its last progress", job_id)
        enqueue(database, app, job_id)
    return len(lost)


def run(database: Database, job_id: int, work: Callable[[JobRow], str], queue_id: int | None = None) -> None:
    """Runs a waiting job's work and writes down how it ended. The work's return value is its closing line.

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
