"""A shot's document and history: edits on a revision, undo and redo without end."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from sqlalchemy import delete, select
from sqlalchemy.orm import Session

from cuvrel.core.recipe import edits
from cuvrel.core.recipe.errors import CuvrelError, RecipeError
from cuvrel.core.recipe.models import Footage, Shot
from cuvrel.core.recipe.reel import Reel
from cuvrel.core.recipe.revise import Checked, Revision, revised
from cuvrel.store.db import notify
from cuvrel.store.documents import Documents, document_of, written_of
from cuvrel.store.footage import entry
from cuvrel.store.lying import holds, number_of, states
from cuvrel.store.models import ChangeRow, EditRow, FootageRow, Project, ShotRow, now

Doc = dict[str, Any]
WRITTEN = 32  # changes after which a document is written anew


class NotFound(CuvrelError):
    """Something asked for is not there."""


class Stale(CuvrelError):
    """An edit on an old revision touches what has changed since; `document` is newer."""

    def __init__(self, revision: int, document: Doc) -> None:
        super().__init__(
            "Somebody else changed the same thing in the meantime; your last change was not made.",
            "The newer state is shown now. Make the change again if it is still wanted.",
        )
        self.revision, self.document = revision, document


@dataclass(frozen=True)
class Done:
    """An edit, an undo or a redo that was made: the shot's row, and its document before and after.

    before: None where it could not be read, and has been taken back for that.

    base, ops: the operations that lead from an earlier revision, that of who made the edit, to the new one.
    """

    row: ShotRow
    before: Checked | None
    after: Checked
    base: int
    ops: edits.Ops


@dataclass(frozen=True)
class Foreseen:
    """What a step would make of a shot as it was when it was asked, and the revision that it was then."""

    revision: int
    before: Checked
    made: Revision


def locked(session: Session, shot_id: int) -> ShotRow:
    """The shot, locked until the transaction ends. Raises NotFound."""
    row = session.scalar(
        select(ShotRow).where(ShotRow.id == shot_id).with_for_update().execution_options(populate_existing=True)
    )
    if row is None:
        raise NotFound("There is no such shot.")
    return row


def found(session: Session, shot_id: int) -> ShotRow:
    """The shot. Raises NotFound."""
    row = session.get(ShotRow, shot_id)
    if row is None:
        raise NotFound("There is no such shot.")
    return row


def shot_of(session: Session, row: ShotRow) -> Shot:
    """The checked document of a shot, in today's version."""
    return document_of(session, row).shot


def create(session: Session, project_id: int, document: Doc) -> ShotRow:
    """A new shot with a checked document."""
    checked = Checked.of(document)
    row = ShotRow(project_id=project_id, kind=checked.shot.kind, name=checked.shot.name, document=checked.document,
                  about=_about(checked.shot))  # fmt: skip
    session.add(row)
    session.flush()
    return row


def _about(shot: Shot) -> dict[str, Any]:
    """What lists of shots tell of one."""
    about = {"frames": len(shot.frames), "fps": shot.fps, "mattes": len(shot.mattes), "holds": holds(shot)}
    return about | ({"pieces": len(shot.pieces)} if isinstance(shot, Reel) else {})


def foresee(
    session: Session, shot_id: int, ops: edits.Ops | None, back: bool = False, revision: int | None = None
) -> Foreseen | None:
    """What an edit, or without operations an undo or a redo, would make of the shot as it is; None is nothing.

    revision: on which an edit was made. Nothing is locked and nothing changed: what takes long can be worked out before
    the step is made. Raises what making it would.
    """
    row = found(session, shot_id)
    if ops is not None and revision is not None:
        _held_against(session, row, revision, ops)
    if ops is None:
        step = session.get(EditRow, (row.id, row.cursor if back else row.cursor + 1))
        if step is None:
            return None
        ops = step.inverse if back else step.ops
    try:
        before = document_of(session, row)
    except RecipeError:
        return None  # it can't be opened; see `_step`
    return Foreseen(row.revision, before, revised(before, ops))


def _revised(session: Session, row: ShotRow, ops: edits.Ops, foreseen: Foreseen | None) -> tuple[Checked, Revision]:
    before = document_of(session, row)
    if foreseen is not None and foreseen.revision == row.revision and foreseen.before is before:
        return before, foreseen.made
    return before, revised(before, ops)


def edit(
    session: Session, shot_id: int, revision: int, ops: edits.Ops, label: str = "", gesture: str | None = None,
    foreseen: Foreseen | None = None,
) -> Done:  # fmt: skip
    """Applies an edit made on `revision`.

    Edits that follow one another with one `gesture` (a slider being dragged) are one step of the history. foreseen:
    what was worked out for it before; taken where the shot is still what it was.

    An edit on an older revision is rebased when what has changed since lies elsewhere. Raises Stale when
    it does not, RecipeError when the result would not be a good document; nothing is changed then.
    """
    row = locked(session, shot_id)
    _held_against(session, row, revision, ops)
    before, made = _revised(session, row, ops, foreseen)
    _known_footage(session, row, before, made.after)
    session.execute(delete(EditRow).where(EditRow.document_id == shot_id, EditRow.seq > row.cursor))
    last = session.get(EditRow, (shot_id, row.cursor)) if gesture else None
    if last is None or last.gesture != gesture:
        row.cursor += 1
        session.add(EditRow(document_id=shot_id, seq=row.cursor, label=label[:200], gesture=gesture, ops=made.ops,
                            inverse=made.inverse))  # fmt: skip
        again = False
    else:
        again = _again(last.ops, made)
        last.ops = made.ops if again else [*last.ops, *made.ops]
        last.inverse = last.inverse if again else [*made.inverse, *last.inverse]
    return _advance(session, row, before, made, revision, again)


def _held_against(session: Session, row: ShotRow, revision: int, ops: edits.Ops) -> None:
    """Raises Stale where an edit made on a revision touches what has changed since, or on one that there never was."""
    if revision == row.revision:
        return
    document = document_of(session, row).document
    since = _since(session, row, revision) if 0 <= revision < row.revision else None
    if since is None or any(edits.overlap(ops, change, document) for change in since):
        raise Stale(row.revision, document)


def _known_footage(session: Session, row: ShotRow, before: Checked, after: Checked) -> None:
    """Raises RecipeError where an edit says something else of footage than what the store knows."""
    if before.document["footage"] is after.document["footage"]:
        return
    was = {one.id: one for one in before.shot.footage}
    for one in after.shot.footage:
        if was.get(one.id) == one:
            continue
        if one.shot:
            _known_shot(session, row, one)
            continue
        there = session.get(FootageRow, int(one.id)) if one.id.isdigit() and int(one.id) < 2**31 else None
        if there is None or there.project_id != row.project_id or there.state != "ready":
            raise RecipeError(f"There is no footage '{one.name}' in this project.", "Bring it in first.")
        if one.model_copy(update={"name": ""}) != entry(there).model_copy(update={"name": ""}):
            raise RecipeError(f"The footage '{there.name}' is not what the edit says of it.")


def _known_shot(session: Session, row: ShotRow, one: Footage) -> None:
    """Raises RecipeError where a shot can't be laid in: it is not there, or what it shows holds the one it goes into.

    What it was when it was laid in is taken as it is said: an older version of a reel may be gone back to.
    """
    number = number_of(one.id)
    there = None if number is None else session.get(ShotRow, number)
    if there is None or there.project_id != row.project_id or (there.trashed is not None and number != row.id):
        raise RecipeError(f"There is no shot '{one.name}' in this project.", "It may be in the trash.")
    if number == row.id or row.id in states(session, [there.id]):
        raise RecipeError(f"'{there.name}' holds '{row.name}': each would lie in the other.", "Use a copy of it.")


def _again(last: edits.Ops, made: Revision) -> bool:
    """Whether an edit puts values where the last one put some, so that nothing of these is left."""
    same = [(one["op"], one["path"]) for one in last] == [(one["op"], one["path"]) for one in made.ops]
    return same and all(one["op"] == "replace" for one in made.inverse)


def _since(session: Session, row: ShotRow, revision: int) -> list[edits.Ops] | None:
    """The changes since a revision; None where they are not kept any more."""
    changes = session.execute(
        select(ChangeRow.revision, ChangeRow.ops)
        .where(ChangeRow.document_id == row.id, ChangeRow.revision > revision)
        .order_by(ChangeRow.revision)
    ).all()
    return None if revision < row.forgotten else [list(ops) for _, ops in changes]


def undo(session: Session, shot_id: int, foreseen: Foreseen | None = None) -> Done | None:
    """Takes the last edit back; None when there is none."""
    return _step(session, locked(session, shot_id), True, foreseen)


def redo(session: Session, shot_id: int, foreseen: Foreseen | None = None) -> Done | None:
    """Makes the last undone edit again; None when there is none."""
    return _step(session, locked(session, shot_id), False, foreseen)


def _step(session: Session, row: ShotRow, back: bool, foreseen: Foreseen | None) -> Done | None:
    step = session.get(EditRow, (row.id, row.cursor if back else row.cursor + 1))
    if step is None:
        return None
    ops = step.inverse if back else step.ops
    before: Checked | None
    try:
        before, made = _revised(session, row, ops, foreseen)
    except RecipeError:
        if not back:
            raise
        before, made = None, _mended(session, row, ops)
    row.cursor += -1 if back else 1
    return _advance(session, row, before, made, row.revision)


def _mended(session: Session, row: ShotRow, ops: edits.Ops) -> Revision:
    """What a step back makes of a document that can't be read. Raises RecipeError where that can't be read either."""
    raw = written_of(session, row)
    after = Checked.of(edits.apply(raw, ops))
    row.written = -WRITTEN  # the document is written anew, whole
    return Revision(after, ops, [])


def _advance(
    session: Session, row: ShotRow, before: Checked | None, made: Revision, base: int, again: bool = False
) -> Done:
    """Writes a revision down. again: it takes the place of the last one, which nobody needs to go through any more."""
    shot = made.after.shot
    if again:
        session.execute(delete(ChangeRow).where(ChangeRow.document_id == row.id, ChangeRow.revision == row.revision))
    row.revision, row.name, row.updated, row.about = row.revision + 1, shot.name, now(), _about(shot)
    session.add(ChangeRow(document_id=row.id, revision=row.revision, ops=made.ops))
    if row.revision - row.written >= WRITTEN:
        row.document, row.written = made.after.document, row.revision
    project = session.get(Project, row.project_id)
    if project:
        project.updated = row.updated
    notify(session, "shot", shot=row.id, revision=row.revision, project=row.project_id)
    session.flush()
    documents: Documents = session.info["documents"]
    documents.put(row, made.after)
    since = [] if base == row.revision - 1 else _since(session, row, base) or []
    ops = [op for change in since for op in change] if since else made.ops
    return Done(row, before, made.after, base, ops)


def prune(session: Session, keep: int = 1000) -> int:
    """Forgets changes that nobody's edit will be held against any more; returns how many went."""
    gone = 0
    for row in session.scalars(select(ShotRow).where(ShotRow.revision - ShotRow.forgotten > 2 * keep)):
        until = min(row.written, row.revision - keep)
        statement = delete(ChangeRow).where(ChangeRow.document_id == row.id, ChangeRow.revision <= until)
        gone += session.execute(statement).rowcount  # type: ignore[attr-defined]
        row.forgotten = until
    return gone


def history(session: Session, row: ShotRow) -> dict[str, Any]:
    """Whether there is something to undo and to redo, and what it is called."""
    pair = session.execute(
        select(EditRow.seq, EditRow.label).where(
            EditRow.document_id == row.id, EditRow.seq.in_((row.cursor, row.cursor + 1))
        )
    )
    labels = {one.seq: one.label for one in pair}
    last, following = labels.get(row.cursor), labels.get(row.cursor + 1)
    return {"undo": None if last is None else last or "last change",
            "redo": None if following is None else following or "next change"}  # fmt: skip
