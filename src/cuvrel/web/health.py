"""How the program itself stands: database, disk, workers, queue."""

from __future__ import annotations

from datetime import timedelta

from flask import Response
from flask_openapi3 import APIBlueprint
from pydantic import BaseModel, Field
from sqlalchemy import func, select

from cuvrel import __version__
from cuvrel.jobs.queue import living
from cuvrel.store.disk_space import said
from cuvrel.store.models import JobRow, now
from cuvrel.web.present import answer
from cuvrel.web.services import services

api = APIBlueprint("health", __name__, url_prefix="/api")
PATIENCE = timedelta(seconds=30)  # that a job waits before it is said that nobody comes


class DiskOut(BaseModel):
    """Bytes that are free, those that new work leaves free, and whether new work is refused."""

    free: int
    reserve: int
    low: bool


class QueueOut(BaseModel):
    """Jobs that wait for a worker, and that one is at work on; parts of exports are counted by themselves."""

    waiting: int
    working: int


class HealthOut(BaseModel):
    """How the program stands. says: what somebody should know, in sentences; none when all is well."""

    ok: bool
    version: str
    database: bool = Field(description="True: without a database the answer is a problem of status 503.")
    disk: DiskOut
    workers: int
    queue: QueueOut
    says: list[str]


@api.get("/health", responses={200: HealthOut})
def health() -> Response:
    """Answers when the server and its database are up, and tells how full the disk is and who is at work."""
    shared = services()
    with shared.database.session() as session:
        rows = select(JobRow.state, func.count()).where(JobRow.state.in_(("waiting", "working"))).group_by(JobRow.state)
        counts = {str(state): int(count) for state, count in session.execute(rows)}
        workers = living(session)
        late = select(JobRow.id).where(JobRow.state == "waiting", JobRow.created < now() - PATIENCE).limit(1)
        stuck = workers == 0 and session.scalar(late) is not None
    room = shared.blobs.room
    free, reserve = room.free(), room.reserve
    says = []
    if free < reserve:
        says.append(
            f"The disk is nearly full: {said(free)} are free. Footage, exports and other long work are refused until "
            "there is room; what you edit is still saved."
        )
    if stuck:
        says.append("No worker runs: long work waits for one.")
    return answer(
        HealthOut(
            ok=not says, version=__version__, database=True, workers=workers, says=says,
            disk=DiskOut(free=free, reserve=reserve, low=free < reserve),
            queue=QueueOut(waiting=counts.get("waiting", 0), working=counts.get("working", 0)),
        )
    )  # fmt: skip
