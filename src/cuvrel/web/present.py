"""Rows as answers."""

from __future__ import annotations

from typing import Any

from flask import Response
from pydantic import BaseModel
from sqlalchemy import func, select
from sqlalchemy.orm import Session

from cuvrel.core.media.sound import RATE
from cuvrel.core.recipe.errors import MediaError
from cuvrel.core.recipe.models import Shot
from cuvrel.core.recipe.reel import Reel
from cuvrel.core.recipe.revise import Checked
from cuvrel.jobs.queue import OPEN, job_json
from cuvrel.store.documents import document_of
from cuvrel.store.mattes import frames_of
from cuvrel.store.models import FootageRow, JobRow, MatteFrame, Project, ShotRow
from cuvrel.store.shots import history
from cuvrel.web.models import FilmOut, FootageOut, FrameOut, JobOut, ProjectOut, ShotCard, ShotOut, SoundOut, Use

KEPT = ("export", "people", "audit")  # the kinds of jobs whose results are of use for longer
FILES = ("export", "pack")  # the kinds of jobs that make a file
DOUBTFUL = 0.5  # doubt above which a frame is shown as in doubt
FOLLOWS = ("follow", "track")  # the kinds of jobs that carry something through the shot


def answer(model: BaseModel, status: int = 200) -> Response:
    """A JSON response."""
    return Response(model.model_dump_json(), status, content_type="application/json")


def job_out(row: JobRow) -> JobOut:
    """A job."""
    return JobOut(**job_json(row))


def footage_out(row: FootageRow) -> FootageOut:
    """A piece of footage."""
    told = ("width", "height", "frames", "fps", "codec", "alpha", "variable", "depth", "floats", "said", "space",
            "assumed", "hand", "interlaced", "kind", "layers", "parts", "sounds", "timecode", "reel",
            "window")  # fmt: skip
    about = {k: row.info[k] for k in told if k in row.info}
    if row.sound:
        sound = row.info["sound"]
        seconds = row.sound["count"] / RATE
        about["sound"] = SoundOut(codec=sound["codec"], rate=sound["rate"], channels=sound["channels"], seconds=seconds)
    film = None
    if row.film:
        rest: dict[str, Any] = {k: v for k, v in row.film.items() if k != "blob"}
        film = FilmOut(url=f"/api/footage/{row.id}/film/{row.film['blob']}.jpg", **rest)
    return FootageOut(
        id=row.id, name=row.name, hash=row.blob, state=row.state, message=row.message, size=row.size, film=film, **about
    )


def _doubts(session: Session, project: int) -> dict[int, int]:
    """How many frames of each shot of a project are in doubt."""
    counted = (
        select(MatteFrame.shot_id, func.count(MatteFrame.frame.distinct()))
        .join(ShotRow, ShotRow.id == MatteFrame.shot_id)
        .where(ShotRow.project_id == project, MatteFrame.doubt > DOUBTFUL, MatteFrame.origin != "touched")
        .group_by(MatteFrame.shot_id)
    )
    return {shot: int(count) for shot, count in session.execute(counted)}


def shot_card(row: ShotRow, doubts: int = 0) -> ShotCard:
    """A shot in a list."""
    return ShotCard(
        id=row.id,
        name=row.name,
        frames=row.about["frames"],
        fps=row.about["fps"],
        mattes=row.about["mattes"],
        updated=row.updated.isoformat(),
        picture=f"/api/shots/{row.id}/card.jpg?revision={row.revision}",
        doubts=doubts,
        pieces=row.about.get("pieces", 0),
    )


def project_out(session: Session, row: Project) -> ProjectOut:
    """A project with what it holds."""
    shots = session.scalars(
        select(ShotRow).where(ShotRow.project_id == row.id, ShotRow.trashed.is_(None)).order_by(ShotRow.id)
    ).all()
    footage = session.scalars(
        select(FootageRow).where(FootageRow.project_id == row.id, FootageRow.trashed.is_(None)).order_by(FootageRow.id)
    ).all()
    jobs = session.scalars(
        select(JobRow)
        .where(
            JobRow.project_id == row.id,
            JobRow.trashed.is_(None),
            JobRow.parent_id.is_(None),
            JobRow.kind.in_(FILES) | JobRow.state.in_(OPEN) | (JobRow.state == "failed") & (JobRow.kind == "unpack"),
        )
        .order_by(JobRow.id.desc())
        .limit(100)
    ).all()
    doubts = _doubts(session, row.id)
    return ProjectOut(
        id=row.id,
        name=row.name,
        updated=row.updated.isoformat(),
        shots=[shot_card(s, doubts.get(s.id, 0)) for s in shots if s.kind == "shot"],
        reels=[shot_card(s) for s in shots if s.kind == "reel"],
        footage=[footage_out(f) for f in footage],
        jobs=[job_out(j) for j in jobs],
    )


def frame_out(row: MatteFrame) -> FrameOut:
    """A stored matte frame."""
    return FrameOut(pull=row.owner, frame=row.frame, origin=row.origin, doubt=row.doubt, blob=row.blob, halt=row.halt)


def uses_of(document: Checked) -> list[Use]:
    """What names what in a document."""
    return [Use(owner=one.owner, thing=f"{'plane' if one.kind == 'group' else one.kind}:{one.id}")
            for one in document.references]  # fmt: skip


def _pieces_out(shot: Shot) -> FootageOut:
    """What stands for the plate of a reel."""
    about = shot.plate_footage()
    return FootageOut(id=0, name=about.name, state="ready", message="", size=0, width=about.width, height=about.height,
                      frames=about.frames, fps=about.fps)  # fmt: skip


def shot_out(session: Session, row: ShotRow) -> ShotOut:
    """A shot with all that the workspace needs."""
    project = session.get(Project, row.project_id)
    assert project is not None
    checked = document_of(session, row)
    shot = checked.shot
    plate = session.get(FootageRow, int(shot.plate)) if shot.plate.isdigit() else None
    if plate is None and not isinstance(shot, Reel):
        raise MediaError("The footage that it works on is not there.")
    # a follow that failed is shown until another one was started
    newest = select(func.max(JobRow.id)).where(JobRow.shot_id == row.id, JobRow.kind.in_(FOLLOWS)).scalar_subquery()
    failed = (JobRow.state == "failed") & (JobRow.id == newest)
    jobs = session.scalars(
        select(JobRow)
        .where(
            JobRow.shot_id == row.id,
            JobRow.trashed.is_(None),
            JobRow.parent_id.is_(None),
            JobRow.kind.in_(KEPT) | JobRow.state.in_(OPEN) | failed,
        )
        .order_by(JobRow.id.desc())
        .limit(60)
    ).all()
    return ShotOut(
        id=row.id,
        project=project.id,
        project_name=project.name,
        revision=row.revision,
        document=shot,
        history=history(session, row),
        frames=[frame_out(f) for f in frames_of(session, row.id)],
        jobs=[job_out(j) for j in jobs],
        plate=_pieces_out(shot) if plate is None else footage_out(plate),
        uses=uses_of(checked),
    )
