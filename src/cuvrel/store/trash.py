"""The trash: projects, shots, footage and jobs that are put away, taken out again, or deleted for good; their space."""

from __future__ import annotations

import contextlib
from collections.abc import Iterable, Iterator
from datetime import timedelta
from typing import Any, Literal

from sqlalchemy import or_, select
from sqlalchemy.orm import Session

from cuvrel.core.recipe.errors import CuvrelError
from cuvrel.store.blobs import Blobs, is_key
from cuvrel.store.models import FootageRow, JobRow, MatteFrame, Project, ShotRow, now
from cuvrel.store.shots import NotFound, shot_of

Kind = Literal["project", "shot", "footage", "job"]
Row = Project | ShotRow | FootageRow | JobRow
TABLES: dict[Kind, Any] = {"project": Project, "shot": ShotRow, "footage": FootageRow, "job": JobRow}
KEPT = timedelta(days=30)
NO_BLOBS = ("document", "token", "state", "pictures", "sidecar")  # of a job: keys in these are of other things
OPEN = ("waiting", "working")


def found(session: Session, kind: Kind, number: int) -> Any:
    """The row, locked until the transaction ends, in the trash or not. Raises NotFound."""
    row = session.get(TABLES[kind], number, with_for_update=True)
    if row is None:
        raise NotFound(f"There is no such {kind}.")
    return row


def put_away(session: Session, kind: Kind, number: int) -> Row:
    """Puts something into the trash. Raises CuvrelError where a shot that is not in the trash works on it.

    Its jobs are stopped by the caller (see `under_way`); a job that works can't be put away itself.
    """
    row: Row = found(session, kind, number)
    if isinstance(row, FootageRow):
        _unused(session, row, in_trash=False)
    if isinstance(row, JobRow) and row.state in OPEN:
        raise CuvrelError("This is still under way.", "Stop it first.")
    row.trashed = row.trashed or now()
    return row


def restore(session: Session, kind: Kind, number: int) -> Row:
    """Takes something out of the trash, and what it can't be without: a shot's footage."""
    row: Row = found(session, kind, number)
    row.trashed = None
    if isinstance(row, ShotRow):
        for footage in _footage_of(session, row):
            footage.trashed = None
    return row


def delete(session: Session, kind: Kind, number: int) -> None:
    """Deletes for good what is in the trash. Raises CuvrelError for what is not, or what a shot still works on."""
    row: Row = found(session, kind, number)
    if row.trashed is None:
        raise CuvrelError("Only what is in the trash can be deleted for good.", "Put it into the trash first.")
    if isinstance(row, FootageRow):
        _unused(session, row, in_trash=True)
    session.delete(row)
    session.flush()


def _footage_of(session: Session, row: ShotRow) -> list[FootageRow]:
    ids = [int(one.id) for one in shot_of(session, row).footage if one.id.isdigit()]
    return list(session.scalars(select(FootageRow).where(FootageRow.id.in_(ids))))


def users(session: Session, footage: FootageRow, in_trash: bool) -> list[ShotRow]:
    """The shots that list a piece of footage; with `in_trash` those in the trash, too."""
    wanted = select(ShotRow).where(ShotRow.project_id == footage.project_id).order_by(ShotRow.id)
    if not in_trash:
        wanted = wanted.where(ShotRow.trashed.is_(None))
    return [row for row in session.scalars(wanted) if _lists(session, row, footage)]


def _lists(session: Session, row: ShotRow, footage: FootageRow) -> bool:
    return any(one.id == str(footage.id) for one in shot_of(session, row).footage)


def _unused(session: Session, footage: FootageRow, in_trash: bool) -> None:
    found = users(session, footage, in_trash)
    if found:
        names = ", ".join(f"'{row.name}'" for row in found[:3]) + (" and others" if len(found) > 3 else "")
        raise CuvrelError(f"'{footage.name}' is used by {names}.", "Take it out of there, or delete the shot first.")


def under_way(session: Session, kind: Kind, number: int) -> list[int]:
    """The jobs that wait or work on something, without those that are a part of another one."""
    of = {"project": JobRow.project_id, "shot": JobRow.shot_id, "footage": JobRow.footage_id}.get(kind)
    if of is None:
        return []
    wanted = select(JobRow.id).where(of == number, JobRow.state.in_(OPEN), JobRow.parent_id.is_(None))
    return list(session.scalars(wanted.order_by(JobRow.id)))


def expire(session: Session) -> int:
    """Deletes for good what has been in the trash for over 30 days and nothing needs; returns how many went."""
    gone = 0
    for kind, table in TABLES.items():
        for row in session.scalars(select(table).where(table.trashed < now() - KEPT)):
            with contextlib.suppress(CuvrelError):  # footage that a shot works on stays as long as the shot
                delete(session, kind, row.id)
                gone += 1
    return gone


def space(session: Session, blobs: Blobs, project: Project) -> dict[str, int]:
    """Bytes that a project takes: of its footage with proxies and film strips, its stored frames, its exports.

    What several rows share counts once, for the first of these.
    """
    footage = session.scalars(select(FootageRow).where(FootageRow.project_id == project.id)).all()
    frames = session.execute(
        select(MatteFrame.blob, MatteFrame.base, MatteFrame.lessons)
        .join(ShotRow, ShotRow.id == MatteFrame.shot_id)
        .where(ShotRow.project_id == project.id, or_(MatteFrame.blob.is_not(None), MatteFrame.base.is_not(None)))
    ).all()
    jobs = session.scalars(select(JobRow).where(JobRow.project_id == project.id)).all()
    parts: dict[str, Iterable[str]] = {
        "footage": (blob for row in footage for blob in footage_blobs(row)),
        "frames": (blob for row in frames for blob in frame_blobs(*row)),
        "exports": (blob for row in jobs for blob in job_blobs(row)),
    }
    counted: set[str] = set()
    out = {}
    for name, wanted in parts.items():
        new = set(wanted) - counted
        counted |= new
        out[name] = sum(blobs.size(blob) for blob in new)
    return out


def footage_blobs(row: FootageRow) -> set[str]:
    """The blobs that a piece of footage needs; what was refused needs none, what was stopped can be run again."""
    if row.state == "refused":
        return set()
    return _named(row.blob, row.proxy.get("blob"), row.film.get("blob"), row.sound.get("blob"))


def frame_blobs(blob: str | None, base: dict[str, Any] | None, lessons: dict[str, Any] | None) -> set[str]:
    """The blobs that a stored frame needs."""
    return _named(blob, (base or {}).get("blob"), *((lessons or {}).get(step) for step in ("1", "-1")))


def job_blobs(row: JobRow) -> set[str]:
    """The blobs that a job needs: all that is named in what it works from (footage names its own) and has written."""
    parts = (row.args, row.result, row.progress)
    return {found for part in parts for name, value in part.items() if name not in NO_BLOBS for found in _keys(value)}


def _keys(value: Any) -> Iterator[str]:
    """All keys of blobs anywhere in plain JSON."""
    if isinstance(value, str):
        if is_key(value):
            yield value
    elif isinstance(value, dict | list):
        for one in value.values() if isinstance(value, dict) else value:
            yield from _keys(one)


def _named(*blobs: str | None) -> set[str]:
    return {str(blob) for blob in blobs if blob}
