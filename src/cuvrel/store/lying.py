"""Shots that lie in other shots, or in reels: which, whether they are there, and whether they are as they were."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from typing import Any

from sqlalchemy import func, select
from sqlalchemy.orm import Session

from cuvrel.core.recipe.models import Footage, Shot
from cuvrel.store.documents import document_of
from cuvrel.store.footage import read_by_hand
from cuvrel.store.frames import snapshot
from cuvrel.store.models import MatteFrame, ShotRow


def entry_id(number: int) -> str:
    """The id under which a shot lies in another one."""
    return f"s{number}"


def number_of(entry: str) -> int | None:
    """The number of the shot behind an entry's id; None for other footage."""
    return int(entry[1:]) if entry[:1] == "s" and entry[1:].isdigit() and len(entry) < 11 else None


def entry_of(row: ShotRow, shot: Shot) -> Footage:
    """What another shot knows of one that lies in it."""
    wide, high = shot.size
    return Footage(id=entry_id(row.id), name=row.name, hash="", shot=True, width=wide, height=high,
                   frames=shot.plate_footage().frames, fps=shot.fps)  # fmt: skip


def holds(shot: Shot) -> list[int]:
    """The numbers of the shots that lie in one."""
    found = (number_of(one.id) for one in shot.footage if one.shot)
    return sorted({one for one in found if one is not None})


@dataclass(frozen=True)
class State:
    """How a shot is that lies in another one: the same state is the same pictures, but for how footage is read.

    frames: the number of its stored frames, and the sum of their stamps.
    """

    revision: int
    there: bool
    frames: tuple[int, int]
    holds: tuple[int, ...]


def states(session: Session, numbers: Iterable[int]) -> dict[int, State]:
    """The states of shots and of all that lie in these, by number; of those that there are. It reads no document."""
    out: dict[int, State] = {}
    wanted = set(numbers)
    while wanted:
        rows = session.execute(
            select(ShotRow.id, ShotRow.revision, ShotRow.trashed, ShotRow.about).where(ShotRow.id.in_(wanted))
        ).all()
        counted = select(MatteFrame.shot_id, func.count(), func.sum(MatteFrame.stamp))
        stored = {
            shot: (int(count), int(stamps))
            for shot, count, stamps in session.execute(
                counted.where(MatteFrame.shot_id.in_(wanted)).group_by(MatteFrame.shot_id)
            )
        }
        for number, revision, trashed, about in rows:
            inside = tuple(about.get("holds", ()))
            out[number] = State(revision, trashed is None, stored.get(number, (0, 0)), inside)
        wanted = {one for number in wanted & out.keys() for one in out[number].holds} - out.keys()
    return out


def rows_in(session: Session, shot: Shot) -> list[ShotRow]:
    """All shots that lie in one, however deep, that are not in the trash."""
    there = [number for number, state in states(session, holds(shot)).items() if state.there]
    return list(session.scalars(select(ShotRow).where(ShotRow.id.in_(there)).order_by(ShotRow.id)))


@dataclass(frozen=True)
class Whole:
    """All that a shot's pictures are made from.

    document: its own. frames: stored ones as [owner, frame, blob], those of shots that lie in it with the shot's number
    behind. shots: the documents of these, by number. read: how footage of any of them is read by hand.
    """

    document: dict[str, Any]
    frames: list[list[Any]]
    shots: dict[str, dict[str, Any]]
    read: Mapping[str, Mapping[str, str]]


def whole_of(session: Session, row: ShotRow) -> Whole:
    """All of a shot as it is now."""
    checked = document_of(session, row)
    frames, shots, read = snapshot(session, row.id), {}, read_by_hand(session, checked.shot)
    for one in rows_in(session, checked.shot):
        inside = document_of(session, one)
        shots[str(one.id)] = inside.document
        frames += [[*frame, one.id] for frame in snapshot(session, one.id)]
        read |= read_by_hand(session, inside.shot)
    return Whole(checked.document, frames, shots, read)
