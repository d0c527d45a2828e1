"""The trash: projects, shots, footage and jobs that are put away, taken out again, or deleted for good; their space."""

from __future__ import annotations

import contextlib
from datetime import timedelta
from typing import Any, Literal

from sqlalchemy import false, or_, select
from sqlalchemy.orm import Session

from cuvrel.core.recipe.errors import CuvrelError
from cuvrel.store.blobs import Blobs
from cuvrel.store.frames import listed
from cuvrel.store.leases import let_go
from cuvrel.store.models import FootageRow, JobRow, Project, ShotRow, now
from cuvrel.store.named import named
from cuvrel.store.shots import NotFound, shot_of

Kind = Literal["project", "shot", "footage", "job"]
Row = Project | ShotRow | FootageRow | JobRow
TABLES: dict[Kind, Any] = {"project": Project, "shot": ShotRow, "footage": FootageRow, "job": JobRow}
KEPT = timedelta(days=30)
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


def delete(session: Session, blobs: Blobs, kind: Kind, number: int) -> None:
    """Deletes for good what is in the trash; what it alone named goes as soon as the session has committed.

    Raises CuvrelError for what is not in the trash, or what a shot still works on.
    """
    row: Row = found(session, kind, number)
    if row.trashed is None:
        raise CuvrelError("Only what is in the trash can be deleted for good.", "Put it into the trash first.")
    if isinstance(row, FootageRow):
        _unused(session, row, in_trash=True)
    let_go(session, _named_by(session, blobs, kind, number))
    session.delete(row)
    session.flush()


def _named_by(session: Session, blobs: Blobs, kind: Kind, number: int) -> set[str]:
    """All blobs that something names, with what goes with it: the shots, footage, versions and jobs of it."""
    column = {"project": JobRow.project_id, "shot": JobRow.shot_id, "footage": JobRow.footage_id, "job": JobRow.id}
    with_it = or_(column[kind] == number, JobRow.parent_id == number if kind == "job" else false())
    jobs = session.execute(select(JobRow.id, JobRow.args["frames"].astext).where(with_it)).all()
    found = named()
    whole = {"project": found.c.project == number, "shot": found.c.shot == number,
             "footage": (found.c.kind == "footage") & (found.c.id == number), "job": false()}  # fmt: skip
    by_jobs = (found.c.kind == "jobs") & found.c.id.in_([one for one, _ in jobs])
    keys = set(session.scalars(select(found.c.key).where(or_(whole[kind], by_jobs))))
    return keys.union(*(listed(blobs, snapshot) for _, snapshot in jobs if snapshot))


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


def expire(session: Session, blobs: Blobs) -> int:
    """Deletes for good what has been in the trash for over 30 days and nothing needs; returns how many went."""
    gone = 0
    for kind, table in TABLES.items():
        for row in session.scalars(select(table).where(table.trashed < now() - KEPT)):
            with contextlib.suppress(CuvrelError):  # footage that a shot works on stays as long as the shot
                delete(session, blobs, kind, row.id)
                gone += 1
    return gone


def space(session: Session, blobs: Blobs, project: Project) -> dict[str, int]:
    """Bytes that a project takes: of its footage with proxies and film strips, its stored frames, its exports.

    What several rows share counts once, for the first of these.
    """
    found = named()
    keys: dict[str, str] = {}
    for kind in ("footage", "frames", "exports"):
        of = found.c.kind == ("jobs" if kind == "exports" else kind)
        for key in session.scalars(select(found.c.key).where(found.c.project == project.id, of)):
            keys.setdefault(key, kind)
    out = dict.fromkeys(("footage", "frames", "exports"), 0)
    for key, kind in keys.items():
        out[kind] += blobs.size(key)
    return out
