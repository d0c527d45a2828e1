"""Rows as answers."""

from __future__ import annotations

from typing import Any

from flask import Response
from pydantic import BaseModel
from sqlalchemy import func, select
from sqlalchemy.orm import Session

from cuvrel.jobs.queue import OPEN, job_json
from cuvrel.store.mattes import frames_of
from cuvrel.store.models import FootageRow, JobRow, MatteFrame, Project, ShotRow
from cuvrel.store.shots import history
from cuvrel.web.models import FilmOut, FootageOut, FrameOut, JobOut, ProjectOut, ShotCard, ShotOut


def answer(model: BaseModel, status: int = 200) -> Response:
    """A JSON response."""
    return Response(model.model_dump_json(), status, content_type="application/json")


def job_out(row: JobRow) -> JobOut:
    """A job."""
    return JobOut(**job_json(row))


def footage_out(row: FootageRow) -> FootageOut:
    """A piece of footage."""
    about = {
        k: row.info[k] for k in ("width", "height", "frames", "fps", "codec", "alpha", "variable") if k in row.info
    }
    film = None
    if row.film:
        rest: dict[str, Any] = {k: v for k, v in row.film.items() if k != "blob"}
        film = FilmOut(url=f"/api/footage/{row.id}/film/{row.film['blob']}.jpg", **rest)
    return FootageOut(
        id=row.id, name=row.name, hash=row.blob, state=row.state, message=row.message, size=row.size, film=film, **about
    )


def shot_card(row: ShotRow) -> ShotCard:
    """A shot in a list."""
    document = row.document
    plate = next(f for f in document["footage"] if f["id"] == document["plate"])
    return ShotCard(
        id=row.id,
        name=row.name,
        frames=plate["frames"],
        fps=plate["fps"],
        mattes=len(document["mattes"]),
        updated=row.updated.isoformat(),
        picture=f"/api/shots/{row.id}/card.jpg?revision={row.revision}",
    )


def project_out(session: Session, row: Project) -> ProjectOut:
    """A project with what it holds."""
    shots = session.scalars(select(ShotRow).where(ShotRow.project_id == row.id).order_by(ShotRow.id)).all()
    footage = session.scalars(select(FootageRow).where(FootageRow.project_id == row.id).order_by(FootageRow.id)).all()
    jobs = session.scalars(
        select(JobRow)
        .where(JobRow.project_id == row.id, (JobRow.kind == "export") | JobRow.state.in_(OPEN))
        .order_by(JobRow.id.desc())
        .limit(100)
    ).all()
    return ProjectOut(
        id=row.id,
        name=row.name,
        updated=row.updated.isoformat(),
        shots=[shot_card(s) for s in shots],
        footage=[footage_out(f) for f in footage],
        jobs=[job_out(j) for j in jobs],
    )


def frame_out(row: MatteFrame) -> FrameOut:
    """A stored matte frame."""
    return FrameOut(pull=row.pull_id, frame=row.frame, origin=row.origin, doubt=row.doubt, blob=row.blob, halt=row.halt)


def shot_out(session: Session, row: ShotRow) -> ShotOut:
    """A shot with all that the workspace needs."""
    project = session.get(Project, row.project_id)
    assert project is not None
    plate = session.get(FootageRow, int(row.document["plate"]))
    assert plate is not None
    # a follow that failed is shown until another one was started
    newest = select(func.max(JobRow.id)).where(JobRow.shot_id == row.id, JobRow.kind == "follow").scalar_subquery()
    failed = (JobRow.state == "failed") & (JobRow.id == newest)
    jobs = session.scalars(
        select(JobRow)
        .where(JobRow.shot_id == row.id, (JobRow.kind == "export") | JobRow.state.in_(OPEN) | failed)
        .order_by(JobRow.id.desc())
        .limit(60)
    ).all()
    return ShotOut(
        id=row.id,
        project=project.id,
        project_name=project.name,
        revision=row.revision,
        document=row.document,
        history=history(session, row),
        frames=[frame_out(f) for f in frames_of(session, row.id)],
        jobs=[job_out(j) for j in jobs],
        plate=footage_out(plate),
    )
