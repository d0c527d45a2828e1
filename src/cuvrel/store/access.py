"""The one door: whoever asks gets rows by their numbers here, and nowhere else in the resources.

Today there is one account, which owns all there is. When there are more, what each may have is decided here, and what
somebody may not have is not told apart from what is not there.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import TypeVar

from sqlalchemy import select
from sqlalchemy.orm import Session

from cuvrel.core.recipe.models import Shot
from cuvrel.store import shots, trash, versions
from cuvrel.store.lying import number_of
from cuvrel.store.models import FootageRow, JobRow, PresetRow, Project, ShotRow, VersionRow
from cuvrel.store.shots import NotFound


@dataclass(frozen=True)
class Who:
    """Somebody who asks."""

    name: str


OWNER = Who("owner")
Row = TypeVar("Row", Project, FootageRow, JobRow, PresetRow)


def _by_number(session: Session, table: type[Row], number: int, what: str, lock: bool) -> Row:
    row = session.get(table, number, with_for_update=True if lock else None)
    if row is None:
        raise NotFound(f"There is no such {what}.")
    return row


def project_for(session: Session, who: Who, number: int, lock: bool = False) -> Project:
    """A project. lock: until the transaction ends. Raises NotFound, as all of these."""
    return _by_number(session, Project, number, "project", lock)


def footage_for(session: Session, who: Who, number: int, lock: bool = False) -> FootageRow:
    """A piece of footage."""
    return _by_number(session, FootageRow, number, "footage", lock)


def shot_for(session: Session, who: Who, number: int, lock: bool = False) -> ShotRow:
    """A shot."""
    return shots.locked(session, number) if lock else shots.found(session, number)


def inside_for(session: Session, who: Who, shot: Shot) -> dict[str, ShotRow]:
    """The shots that lie in one that somebody has, by the ids of their entries; what is gone for good is missing."""
    numbers = {one.id: number_of(one.id) for one in shot.footage if one.shot}
    rows = {row.id: row for row in session.scalars(select(ShotRow).where(ShotRow.id.in_(numbers.values())))}
    return {entry: rows[number] for entry, number in numbers.items() if number in rows}


def thing_for(session: Session, who: Who, kind: trash.Kind, number: int) -> trash.Row:
    """A project, a shot, footage or a job, in the trash or not, locked until the transaction ends."""
    row: trash.Row = trash.found(session, kind, number)
    return row


def version_for(session: Session, who: Who, shot: int, number: int) -> VersionRow:
    """A named version of a shot."""
    shot_for(session, who, shot)
    return versions.found(session, shot, number)


def job_for(session: Session, who: Who, number: int, lock: bool = False) -> JobRow:
    """A job; of parts of another job nobody is told."""
    row = _by_number(session, JobRow, number, "job", lock)
    if row.parent_id is not None:
        raise NotFound("There is no such job.")
    return row


def preset_for(session: Session, who: Who, number: int) -> PresetRow:
    """Settings of an export under a name."""
    return _by_number(session, PresetRow, number, "preset", False)
