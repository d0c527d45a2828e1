"""Laying a shot down in a project: from another shot, or from a packed one."""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from itertools import count
from typing import Any

from sqlalchemy import select
from sqlalchemy.orm import Session

from cuvrel.core.recipe.check import read_shot
from cuvrel.core.recipe.references import references, renamed, renamed_footage
from cuvrel.core.recipe.upgrades import upgraded_operations
from cuvrel.store import shots
from cuvrel.store.documents import document_of
from cuvrel.store.footage import entry
from cuvrel.store.lying import entry_id, number_of
from cuvrel.store.models import EditRow, FootageRow, MatteFrame, Project, ShotRow

FOOTAGE = ("name", "state", "blob", "size", "info", "proxy", "film", "sound")  # what a piece of footage is
FRAME = ("owner", "frame", "origin", "doubt", "blob", "base", "halt", "lessons")  # what a stored frame is


def lay_down(
    session: Session, project_id: int, raw: dict[str, Any], history: dict[str, Any] | None,
    footage: Mapping[str, FootageRow | ShotRow], name: str | None = None,
) -> ShotRow:  # fmt: skip
    """A new shot of a document and its history, which may be of any version. Raises RecipeError.

    history: {"cursor": N, "edits": [...]}, or None. footage: the rows that stand for the document's footage, by the ids
    that it has there; a shot that lies in it and has none leaves a gap.
    """
    shot = read_shot(raw)
    numbers = {old: str(row.id) if isinstance(row, FootageRow) else entry_id(row.id) for old, row in footage.items()}
    gaps = [one.id for one in shot.footage if one.shot and one.id not in footage]
    numbers |= {old: f"s{'0' * n}" for n, old in enumerate(gaps, 1)}  # no shot has such a number
    document = renamed(shot.model_dump(mode="json"), references(shot), {"footage": numbers})
    for one in document["footage"]:
        there = footage.get(one["id"])
        if isinstance(there, FootageRow):
            one.update(entry(there).model_dump(mode="json"))
        else:
            one["id"] = numbers[one["id"]]
    if name is not None:
        document["name"] = name
    row = shots.create(session, project_id, document)
    if history is None:
        return row
    row.cursor, version = int(history["cursor"]), int(raw.get("version", 1))
    for seq, edit in enumerate(history["edits"], 1):
        ops, inverse = (renamed_footage(upgraded_operations(edit[way], version), numbers) for way in ("ops", "inverse"))
        label, gesture = str(edit["label"])[:200], edit["gesture"]
        session.add(EditRow(document_id=row.id, seq=seq, label=label, gesture=gesture, ops=ops, inverse=inverse))
    return row


def history_of(session: Session, row: ShotRow) -> dict[str, Any]:
    """A shot's history as it is laid down."""
    edits = session.scalars(select(EditRow).where(EditRow.document_id == row.id).order_by(EditRow.seq)).all()
    kept = [{"label": one.label, "gesture": one.gesture, "ops": one.ops, "inverse": one.inverse} for one in edits]
    return {"cursor": row.cursor, "edits": kept}


def frames_as_rows(session: Session, shot_id: int) -> list[dict[str, Any]]:
    """All stored frames of a shot, each as plain JSON."""
    rows = session.scalars(select(MatteFrame).where(MatteFrame.shot_id == shot_id)).all()
    return [{name: getattr(row, name) for name in FRAME} for row in rows]


def copy_name(session: Session, row: ShotRow | Project) -> str:
    """What a copy is called: by the original, with a number where its neighbours have that name by now."""
    beside = select(Project.name) if isinstance(row, Project) else select(ShotRow.name).where(
        ShotRow.project_id == row.project_id
    )  # fmt: skip
    taken = set(session.scalars(beside))
    stem = re.sub(r" copy( \d+)?$", "", row.name)[:100]
    names = (f"{stem} copy{f' {n}' if n > 1 else ''}" for n in count(1))
    return next(name for name in names if name not in taken)


def copy_shot(
    session: Session, row: ShotRow, name: str | None = None, project_id: int | None = None,
    footage: Mapping[str, FootageRow | ShotRow] | None = None,
) -> ShotRow:  # fmt: skip
    """A copy of a shot with its frames; in another project with its history, too, and with that project's footage."""
    document = document_of(session, row).document
    if footage is None:
        ids = [int(one["id"]) for one in document["footage"] if not one["shot"]]
        files = session.scalars(select(FootageRow).where(FootageRow.id.in_(ids)))
        numbers = [number_of(one["id"]) for one in document["footage"] if one["shot"]]
        inside = session.scalars(select(ShotRow).where(ShotRow.id.in_([one for one in numbers if one])))
        footage = {**{str(one.id): one for one in files}, **{entry_id(one.id): one for one in inside}}
    history = None if project_id is None else history_of(session, row)
    new = lay_down(session, project_id or row.project_id, document, history, footage, name)
    session.add_all(MatteFrame(shot_id=new.id, **one) for one in frames_as_rows(session, row.id))
    session.flush()
    return new


def copy_project(session: Session, project: Project, name: str) -> Project:
    """A copy of a project with its footage and its shots; files are shared until they are not the same any more."""
    new = Project(name=name)
    session.add(new)
    session.flush()
    here = (FootageRow.project_id == project.id) & FootageRow.trashed.is_(None) & (FootageRow.state == "ready")
    footage: dict[str, FootageRow | ShotRow] = {}
    for row in session.scalars(select(FootageRow).where(here).order_by(FootageRow.id)):
        about = {name: getattr(row, name) for name in FOOTAGE}
        twin = FootageRow(project_id=new.id, **about)
        session.add(twin)
        session.flush()
        footage[str(row.id)] = twin
    there = (ShotRow.project_id == project.id) & ShotRow.trashed.is_(None)
    for shot in in_order(session.scalars(select(ShotRow).where(there).order_by(ShotRow.id)).all()):
        footage[entry_id(shot.id)] = copy_shot(session, shot, None, new.id, footage)
    return new


def in_order(rows: Sequence[ShotRow]) -> list[ShotRow]:
    """The same, each behind those that lie in it."""
    numbers, left = {row.id for row in rows}, list(rows)
    out: list[ShotRow] = []
    done: set[int] = set()
    while left:
        ready = [row for row in left if numbers.intersection(row.about.get("holds", ())) <= done]
        out += ready or left  # there are no circles; of one from elsewhere each leaves a gap in the other
        done |= {row.id for row in ready or left}
        left = [row for row in left if row.id not in done]
    return out
