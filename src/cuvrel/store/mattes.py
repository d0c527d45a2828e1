"""Matte frames: touches that follow the document's marks, and frames that a follow brings."""

from __future__ import annotations

import threading
from collections import OrderedDict, defaultdict
from collections.abc import Callable, Hashable
from dataclasses import dataclass
from typing import Any

import numpy as np
from sqlalchemy import select
from sqlalchemy.dialects.postgresql import insert
from sqlalchemy.orm import Session

from cuvrel.core.arrays import F32, U8
from cuvrel.core.follow.find import find
from cuvrel.core.media.probe import MediaInfo
from cuvrel.core.media.writer import png_bytes, read_grey
from cuvrel.core.recipe.declared import declared
from cuvrel.core.recipe.errors import MediaError, TraceError
from cuvrel.core.recipe.models import Mark, Pull, Shot
from cuvrel.core.recipe.values import START
from cuvrel.core.stand.build import Stand
from cuvrel.core.stand.nodes import Cache, work_out
from cuvrel.core.trace.prepared import Prepared, prepare
from cuvrel.core.trace.trace import trace
from cuvrel.store.blobs import Blobs
from cuvrel.store.db import Database, notify
from cuvrel.store.documents import document_of
from cuvrel.store.models import FootageRow, MatteFrame, ShotRow, frame_stamps
from cuvrel.store.pictures import Readers, StoreSources

TAKEN = 192 << 20  # bytes of pictures of a take that are kept while a trace is followed through it


@dataclass(frozen=True)
class Wanted:
    """A touched frame whose marks changed, by the pull and its marks on it; without any it is touched no more."""

    pull: Pull
    frame: int
    marks: list[Mark]


@dataclass(frozen=True)
class Solved:
    """A touched frame's matte, and what it was solved from: another mark, or another frame before it, is another one.

    base: the blob of the frame before it was touched, which its marks mend. blob: None where nothing can be solved.
    """

    marks: list[Mark]
    solving: tuple[float, float]
    base: str | None
    blob: str | None


Solutions = dict[tuple[str, int], Solved]
AT_ONCE = 3
"""Frames of one edit that are solved while somebody waits for it; of more, a job solves the rest."""


@dataclass(frozen=True)
class Stored:
    """What an edit did to touched frames, by pull and frame. left: those of them that are still to be solved."""

    changed: list[tuple[str, int]]
    left: list[tuple[str, int]]


@dataclass(frozen=True)
class Seen:
    """What a trace is pulled from: the plate, or a take as it lies on it.

    frame: (H, W, 3) uint8 sRGB by its number; count: how many there are. key: what a frame is known by.
    """

    frame: Callable[[int], U8]
    count: int
    key: Callable[[int], Hashable]


def seen_by(session: Session, shot_id: int, shot: Shot, pull_id: str, blobs: Blobs, readers: Readers) -> Seen:
    """What a trace of a shot is pulled from. Raises KeyError or MediaError."""
    matte, _ = shot.trace(pull_id)
    plate = plate_row(session, shot)
    if matte.of is None:
        reader = readers.get(plate.blob, MediaInfo.from_json(plate.info))
        known = plate.blob, _read(plate)
        return Seen(reader.frame, reader.info.frames, lambda frame: known)
    stand = Stand(shot, StoreSources(session, shot_id, shot, blobs, readers, proxies=False))
    cache = Cache(TAKEN)

    def frame(number: int) -> U8:
        return np.ascontiguousarray(work_out(stand.pulled_from(matte.id, number), cache))

    return Seen(frame, shot.plate_footage().frames, lambda number: stand.pulled_from(matte.id, number).key)


class Touches:
    """Solves touched frames. Keeps what does not change between marks for the frames last marked."""

    def __init__(self, blobs: Blobs, readers: Readers, keep: int = 4) -> None:
        self._blobs, self._readers, self._keep = blobs, readers, keep
        self._ready: OrderedDict[tuple[Any, ...], Prepared] = OrderedDict()
        self._finds: OrderedDict[tuple[Any, ...], F32] = OrderedDict()
        self._lock = threading.Lock()

    def solve(
        self, database: Database, shot_id: int, before: Shot | None, after: Shot, shown: int | None = None
    ) -> Solutions:
        """The mattes of frames whose marks change from `before` to `after`, solved while nothing is locked.

        shown: the frame that somebody looks at; it is among them, where there are more than can be waited for.
        """
        wanted = [one for one in changed_marks(before, after) if one.marks]
        wanted = sorted(wanted, key=lambda one: one.frame != shown)[:AT_ONCE]
        if not wanted:
            return {}
        with database.session() as session:
            seen = {one.pull.id: self._seen(session, shot_id, after, one.pull.id) for one in wanted}
            rows = {(one.pull.id, one.frame): session.get(MatteFrame, (shot_id, one.pull.id, one.frame))
                    for one in wanted}  # fmt: skip
        return {key: self._solved(seen[one.pull.id], one, _base_of(rows[key]))
                for one in wanted for key in [(one.pull.id, one.frame)]}  # fmt: skip

    def store(self, session: Session, shot_id: int, before: Shot | None, after: Shot, solutions: Solutions) -> Stored:
        """Brings the touched frames in line with the document's marks.

        Works for any way from `before` to `after`: an edit, an undo, a redo. What was not solved before, or from
        something else than what is there now, keeps the matte that it has until it is (see `finish`): nothing is
        computed here, as the shot is locked.
        """
        changed, left = [], []
        for one in changed_marks(before, after):
            row = session.get(MatteFrame, (shot_id, one.pull.id, one.frame))
            if one.marks:
                base = _base_of(row)
                found = solutions.get((one.pull.id, one.frame))
                if found is None or (found.marks, found.solving, found.base) != (one.marks, _solving(one.pull), base):
                    left.append((one.pull.id, one.frame))
                    self._touch(session, shot_id, one, row, None if row is None else row.blob)
                else:
                    self._touch(session, shot_id, one, row, found.blob)
            elif row is not None and row.origin == "touched":
                self._untouch(session, row)
            tell_frame(session, shot_id, one.pull.id, one.frame)
            changed.append((one.pull.id, one.frame))
        return Stored(sorted(changed), sorted(left))

    def finish(self, database: Database, shot_id: int, pull_id: str, frame: int) -> None:
        """Solves a touched frame by its marks as they are now, where it still has some.

        Nothing is locked meanwhile; marks that change until it is done are solved again.
        """
        while True:
            with database.session() as session:
                shot_row = session.get(ShotRow, shot_id)
                wanted = None if shot_row is None else _marked_on(document_of(session, shot_row).shot, pull_id, frame)
                row = session.get(MatteFrame, (shot_id, pull_id, frame))
                if shot_row is None or wanted is None or row is None or row.origin != "touched":
                    return
                shot = document_of(session, shot_row).shot
                seen, base = self._seen(session, shot_id, shot, pull_id), _base_of(row)
            found = self._solved(seen, wanted, base)
            with database.session() as session:
                shot_row = session.get(ShotRow, shot_id, with_for_update=True)
                row = session.get(MatteFrame, (shot_id, pull_id, frame))
                if shot_row is None or row is None or row.origin != "touched":
                    return
                now = _marked_on(document_of(session, shot_row).shot, pull_id, frame)
                if now is None or (now.marks, _solving(now.pull), _base_of(row)) != (found.marks, found.solving, base):
                    continue
                self._touch(session, shot_id, now, row, found.blob)
                tell_frame(session, shot_id, pull_id, frame)
                return

    def _seen(self, session: Session, shot_id: int, shot: Shot, pull_id: str) -> Seen:
        return seen_by(session, shot_id, shot, pull_id, self._blobs, self._readers)

    def _solved(self, seen: Seen, wanted: Wanted, base: str | None) -> Solved:
        marks, (snap, detail) = wanted.marks, _solving(wanted.pull)
        prior = None if base is None else _grey(self._blobs, base)
        blob = None
        try:
            drawn = [mark for mark in marks if mark.kind != "found"]
            if len(drawn) < len(marks):
                prior = self._found(seen, wanted.frame, snap, detail, needed=not drawn)
            alpha = trace(self._prepared(seen, wanted.frame, snap), drawn, prior, snap, detail)
            blob = store_matte(self._blobs, alpha, by_hand=True)
        except TraceError:
            # out marks alone: nothing can be solved before there is an in mark, and the interface says so
            pass
        return Solved(marks, (snap, detail), base, blob)

    def _touch(self, session: Session, shot_id: int, wanted: Wanted, row: MatteFrame | None, blob: str | None) -> None:
        if row is None:
            row = MatteFrame(shot_id=shot_id, owner=wanted.pull.id, frame=wanted.frame, origin="touched")
            session.add(row)
        elif row.origin == "followed":
            row.base = {"blob": row.blob, "doubt": row.doubt, "halt": row.halt}
        row.origin, row.doubt, row.halt, row.blob = "touched", 0.0, None, blob
        session.flush()

    def _found(self, seen: Seen, frame: int, snap: float, detail: float, needed: bool) -> F32 | None:
        """What the machine finds on a frame; kept, since every further mark on it asks again."""
        key = (seen.key(frame), frame, snap, detail)
        with self._lock:
            if key in self._finds:
                self._finds.move_to_end(key)
                return self._finds[key]
        try:
            found = find(seen.frame, frame, seen.count, snap, detail)
        except TraceError:
            if needed:
                raise
            return None
        with self._lock:
            self._finds[key] = found
            while len(self._finds) > self._keep:
                self._finds.popitem(last=False)
        return found

    def _untouch(self, session: Session, row: MatteFrame) -> None:
        if row.base:
            row.origin, row.blob = "followed", row.base["blob"]
            row.doubt, row.halt, row.base = row.base["doubt"], row.base["halt"], None
        else:
            session.delete(row)
        session.flush()

    def _prepared(self, seen: Seen, frame: int, snap: float) -> Prepared:
        key = (seen.key(frame), frame, snap)
        with self._lock:
            if key in self._ready:
                self._ready.move_to_end(key)
                return self._ready[key]
        ready = prepare(seen.frame, seen.count, frame, snap)
        with self._lock:
            self._ready[key] = ready
            while len(self._ready) > self._keep:
                self._ready.popitem(last=False)
        return ready

    def warm(self, seen: Seen, pull: Pull, frame: int) -> None:
        """Prepares a frame that is about to be marked."""
        self._prepared(seen, frame, _solving(pull)[0])


def marked_pulls(shot: Shot) -> list[Pull]:
    """The pulls that are guided by marks."""
    return [pull for matte in shot.mattes for pull in matte.pulls if declared("pull", pull.kind).holds == "marks"]


def _marked_on(shot: Shot, pull_id: str, frame: int) -> Wanted | None:
    """A frame that is marked for a pull; None where it is not."""
    pull = next((one for one in marked_pulls(shot) if one.id == pull_id), None)
    marks = [] if pull is None else [mark for mark in pull.marks if mark.frame == frame]
    return None if pull is None or not marks else Wanted(pull, frame, marks)


def changed_marks(before: Shot | None, after: Shot) -> list[Wanted]:
    """The frames whose marks, or how these are solved, differ; with their marks after."""
    old = {pull.id: pull for pull in marked_pulls(before)} if before else {}
    out = []
    for pull in marked_pulls(after):
        was = old.get(pull.id)
        if was is pull:
            continue
        then, here = _by_frame(was.marks if was else []), _by_frame(pull.marks)
        same = was is not None and _solving(was) == _solving(pull)
        frames = {f for f in then.keys() | here.keys() if not same or then.get(f) != here.get(f)}
        out += [Wanted(pull, frame, here.get(frame, [])) for frame in sorted(frames)]
    return out


def _base_of(row: MatteFrame | None) -> str | None:
    """The blob of a frame as it was, or would be, before it is touched."""
    if row is None:
        return None
    return row.blob if row.origin == "followed" else (row.base or {}).get("blob")


def plate_row(session: Session, shot: Shot) -> FootageRow:
    """The row of the shot's plate. Raises MediaError."""
    row = session.get(FootageRow, int(shot.plate)) if shot.plate.isdigit() else None
    if row is None or row.state != "ready":
        raise MediaError("The plate of this shot is not ready.")
    return row


def _read(row: FootageRow) -> tuple[tuple[str, str], ...]:
    """How footage is read where that was set by hand: other values, other pictures."""
    return tuple(sorted(row.info.get("hand", {}).items()))


def _by_frame(marks: list[Mark]) -> dict[int, list[Mark]]:
    frames: dict[int, list[Mark]] = defaultdict(list)
    for mark in marks:
        frames[mark.frame].append(mark)
    return dict(frames)


def _solving(pull: Pull) -> tuple[float, float]:
    values = pull.values().at(START)
    return float(values["snap"]), float(values["detail"])


def _grey(blobs: Blobs, blob: str) -> F32:
    return read_grey(blobs.get(blob)).astype(np.float32) / np.float32(255)


def stored_matte(blobs: Blobs, row: MatteFrame) -> F32 | None:
    """The row's matte, (H, W) float32 at plate size, or None."""
    return _grey(blobs, row.blob) if row.blob else None


def store_matte(blobs: Blobs, alpha: F32, by_hand: bool = False) -> str:
    """Keeps a matte as an 8-bit grey PNG and returns its key. by_hand: as for Blobs.put."""
    return blobs.put(png_bytes(np.round(np.clip(alpha, 0, 1) * 255).astype(np.uint8)), by_hand)


def store_followed(
    session: Session, shot_id: int, owner: str, frame: int, blob: str, doubt: float, halt: dict[str, Any] | None
) -> bool:
    """Keeps a followed frame unless the artist has touched it; tells whether it was kept."""
    values = {"origin": "followed", "doubt": doubt, "blob": blob, "halt": halt, "base": None}
    statement = (
        insert(MatteFrame)
        .values(shot_id=shot_id, owner=owner, frame=frame, **values)
        .on_conflict_do_update(
            index_elements=["shot_id", "owner", "frame"],
            set_={**values, "stamp": frame_stamps.next_value()},
            where=MatteFrame.origin != "touched",
        )
        .returning(MatteFrame.frame)
    )
    kept = session.execute(statement).first() is not None
    if kept:
        notify(session, "frame", shot=shot_id, pull=owner, frame=frame, origin="followed", doubt=round(doubt, 3),
               blob=blob, halt=halt)  # fmt: skip
    return kept


def tell_frame(session: Session, shot_id: int, owner: str, frame: int) -> None:
    """Tells the listeners how a frame stands now."""
    row = session.get(MatteFrame, (shot_id, owner, frame))
    notify(session, "frame", shot=shot_id, pull=owner, frame=frame, origin=row.origin if row else None,
           doubt=row.doubt if row else 0.0, blob=row.blob if row else None, halt=row.halt if row else None)  # fmt: skip


def frames_of(session: Session, shot_id: int, settled: bool = False) -> list[MatteFrame]:
    """The stored matte frames of a shot's traces, and with `settled` those of settled mattes, by pull and frame."""
    wanted = select(MatteFrame).where(MatteFrame.shot_id == shot_id)
    if not settled:
        wanted = wanted.where(MatteFrame.origin != "settled")
    return list(session.scalars(wanted.order_by(MatteFrame.owner, MatteFrame.frame)))
