"""Named versions of a shot: how it stood, to be looked at and gone back to."""

from __future__ import annotations

from typing import Any

from sqlalchemy import delete, select
from sqlalchemy.orm import Session

from cuvrel.core.recipe.check import read_shot
from cuvrel.core.recipe.models import Shot
from cuvrel.store import shots
from cuvrel.store.copying import frames_as_rows
from cuvrel.store.documents import document_of
from cuvrel.store.mattes import tell_frame
from cuvrel.store.models import MatteFrame, ShotRow, VersionRow


def keep(session: Session, shot_id: int, name: str, shown: int | None = None) -> VersionRow:
    """Names how a shot stands: its document, and its stored frames; its picture is of the frame `shown`.

    Raises NotFound.
    """
    row = shots.locked(session, shot_id)
    document, frames = document_of(session, row).document, frames_as_rows(session, row.id)
    version = VersionRow(
        document_id=row.id, name=name, revision=row.revision, document=document, frames=frames, shown=shown
    )
    session.add(version)
    session.flush()
    return version


def found(session: Session, shot_id: int, number: int) -> VersionRow:
    """A version of a shot. Raises NotFound."""
    row = session.get(VersionRow, number)
    if row is None or row.document_id != shot_id:
        raise shots.NotFound("There is no such version of this shot.")
    return row


def versions_of(session: Session, row: ShotRow) -> list[VersionRow]:
    """All versions of a shot, the newest first."""
    wanted = select(VersionRow).where(VersionRow.document_id == row.id).order_by(VersionRow.id.desc())
    return list(session.scalars(wanted))


def shot_of(version: VersionRow) -> Shot:
    """The document of a version. Raises RecipeError."""
    return read_shot(version.document)


def snapshot_of(version: VersionRow) -> list[list[Any]]:
    """The stored frames of a version as [owner, frame, blob]."""
    return [[one["owner"], one["frame"], one["blob"]] for one in version.frames]


def _by_place(frames: list[dict[str, Any]]) -> set[tuple[str, int, str | None]]:
    return {(one["owner"], one["frame"], one["blob"]) for one in frames}


def go_back(session: Session, version: VersionRow) -> shots.Done:
    """Makes the shot what it was: one more step of its history, and the stored frames of then.

    Undoing the step brings the document back. Stored frames are no part of a document: where those of now would be
    lost, they are kept as a version of their own.
    """
    row = shots.locked(session, version.document_id)
    if _by_place(frames_as_rows(session, row.id)) - _by_place(version.frames):
        keep(session, row.id, f"before going back to {version.name}"[:200])
    now = document_of(session, row).document
    then = read_shot(version.document).model_dump(mode="json")
    ops = [{"op": "replace", "path": f"/{name}", "value": value} for name, value in then.items() if now[name] != value]
    if not ops:
        ops = [{"op": "replace", "path": "/name", "value": then["name"]}]
    done = shots.edit(session, row.id, row.revision, ops, f"back to {version.name}")
    # what a pull or a track of then has been given since is no part of then, whether it had any frames or none
    shot = done.after.shot
    owners = {one["owner"] for one in version.frames}
    owners |= {pull.id for matte in shot.mattes for pull in matte.pulls} | {track.id for track in shot.tracks}
    now_there = delete(MatteFrame).where(MatteFrame.shot_id == row.id, MatteFrame.owner.in_(owners))
    gone = {(owner, frame) for owner, frame in session.execute(now_there.returning(MatteFrame.owner, MatteFrame.frame))}
    session.expire_all()
    session.add_all(MatteFrame(shot_id=row.id, **one) for one in version.frames)
    session.flush()
    for owner, frame in sorted(gone | {(one["owner"], one["frame"]) for one in version.frames}):
        tell_frame(session, row.id, owner, frame)
    return done
