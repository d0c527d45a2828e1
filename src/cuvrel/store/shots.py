"""A shot's document and history: edits on a revision, undo and redo without end."""

from __future__ import annotations

from typing import Any

from sqlalchemy import delete, select
from sqlalchemy.orm import Session

from cuvrel.core import catalogue  # noqa: F401  (fills the registry that documents are checked against)
from cuvrel.core.recipe import edits
from cuvrel.core.recipe.check import read_shot
from cuvrel.core.recipe.errors import CuvrelError
from cuvrel.core.recipe.models import Shot
from cuvrel.store.db import notify
from cuvrel.store.models import ChangeRow, EditRow, Project, ShotRow, now

Doc = dict[str, Any]


class NotFound(CuvrelError):
    """Something asked for is not there."""


class Stale(CuvrelError):
    """An edit on an old revision touches what has changed since; `document` is newer."""

    def __init__(self, shot: ShotRow) -> None:
        super().__init__(
            "Somebody else changed the same thing in the meantime; your last change was not made.",
            "The newer state is shown now. Make the change again if it is still wanted.",
        )
        # copies: the row itself is gone with its transaction
        self.revision, self.document = shot.revision, shot.document


def locked(session: Session, shot_id: int) -> ShotRow:
    """The shot, locked until the transaction ends. Raises NotFound."""
    row = session.scalar(select(ShotRow).where(ShotRow.id == shot_id).with_for_update())
    if row is None:
        raise NotFound("There is no such shot.")
    return row


def found(session: Session, shot_id: int) -> ShotRow:
    """The shot. Raises NotFound."""
    row = session.get(ShotRow, shot_id)
    if row is None:
        raise NotFound("There is no such shot.")
    return row


def create(session: Session, project_id: int, document: Doc) -> ShotRow:
    """A new shot with a checked document."""
    shot = read_shot(document)
    row = ShotRow(project_id=project_id, name=shot.name, document=shot.model_dump(mode="json"))
    session.add(row)
    session.flush()
    return row


def edit(
    session: Session, shot_id: int, revision: int, ops: edits.Ops, label: str = "", gesture: str | None = None
) -> tuple[ShotRow, Shot, Shot]:
    """Applies an edit made on `revision`; returns the row and the document before and after.

    Edits that follow one another with one `gesture` (a slider being dragged) are one step of the history.

    An edit on an older revision is rebased when what has changed since lies elsewhere. Raises Stale when
    it does not, RecipeError when the result would not be a good document; nothing is changed then.
    """
    row = locked(session, shot_id)
    if revision > row.revision or revision < 0:
        raise Stale(row)
    if revision < row.revision:
        since = session.scalars(
            select(ChangeRow).where(ChangeRow.shot_id == shot_id, ChangeRow.revision > revision)
        ).all()
        if any(edits.overlap(ops, change.ops, row.document) for change in since):
            raise Stale(row)
    before = read_shot(row.document)
    after = read_shot(edits.apply(row.document, ops))
    document = after.model_dump(mode="json")
    session.execute(delete(EditRow).where(EditRow.shot_id == shot_id, EditRow.seq > row.cursor))
    last = session.get(EditRow, (shot_id, row.cursor)) if gesture else None
    if last is not None and last.gesture == gesture:
        base = edits.apply(row.document, last.inverse)
    else:
        base = row.document
        row.cursor += 1
        last = EditRow(shot_id=shot_id, seq=row.cursor, label=label[:200], gesture=gesture)
        session.add(last)
    last.ops, last.inverse = edits.inverse(document, base), edits.inverse(base, document)
    _advance(session, row, document, ops)
    return row, before, after


def undo(session: Session, shot_id: int) -> tuple[ShotRow, Shot, Shot] | None:
    """Takes the last edit back; None when there is none."""
    return _step(session, locked(session, shot_id), back=True)


def redo(session: Session, shot_id: int) -> tuple[ShotRow, Shot, Shot] | None:
    """Makes the last undone edit again; None when there is none."""
    return _step(session, locked(session, shot_id), back=False)


def _step(session: Session, row: ShotRow, back: bool) -> tuple[ShotRow, Shot, Shot] | None:
    entry = session.get(EditRow, (row.id, row.cursor if back else row.cursor + 1))
    if entry is None:
        return None
    ops = entry.inverse if back else entry.ops
    before = read_shot(row.document)
    document = edits.apply(row.document, ops)
    row.cursor += -1 if back else 1
    _advance(session, row, document, ops)
    return row, before, read_shot(document)


def _advance(session: Session, row: ShotRow, document: Doc, ops: edits.Ops) -> None:
    row.document, row.revision, row.name, row.updated = document, row.revision + 1, document["name"], now()
    session.add(ChangeRow(shot_id=row.id, revision=row.revision, ops=ops))
    project = session.get(Project, row.project_id)
    if project:
        project.updated = row.updated
    notify(session, "shot", shot=row.id, revision=row.revision)


def history(session: Session, row: ShotRow) -> dict[str, Any]:
    """Whether there is something to undo and to redo, and what it is called."""
    last = session.get(EditRow, (row.id, row.cursor))
    following = session.get(EditRow, (row.id, row.cursor + 1))
    return {"undo": last.label or "last change" if last else None,
            "redo": following.label or "next change" if following else None}  # fmt: skip
