"""Matte frames: touches that follow the document's marks, and frames that a follow brings."""

from __future__ import annotations

import threading
from collections import OrderedDict, defaultdict
from typing import Any

import numpy as np
from numpy.typing import NDArray
from sqlalchemy import select
from sqlalchemy.dialects.postgresql import insert
from sqlalchemy.orm import Session

from cuvrel.core.follow.doubt import HALT
from cuvrel.core.follow.find import find
from cuvrel.core.follow.run import far_from
from cuvrel.core.media.probe import MediaInfo
from cuvrel.core.media.writer import png_bytes, read_grey
from cuvrel.core.pulls.prepared import Prepared, prepare
from cuvrel.core.pulls.trace import trace
from cuvrel.core.recipe.declared import declared
from cuvrel.core.recipe.errors import MediaError, TraceError
from cuvrel.core.recipe.models import Mark, Pull, Shot
from cuvrel.store.blobs import Blobs
from cuvrel.store.db import notify
from cuvrel.store.models import FootageRow, MatteFrame
from cuvrel.store.pictures import Readers

F32 = NDArray[np.float32]


class Touches:
    """Solves touched frames. Keeps what does not change between marks for the frames last marked."""

    def __init__(self, blobs: Blobs, readers: Readers, keep: int = 4) -> None:
        self._blobs, self._readers, self._keep = blobs, readers, keep
        self._ready: OrderedDict[tuple[str, int, float], Prepared] = OrderedDict()
        self._finds: dict[tuple[str, int, float, float], F32] = {}
        self._lock = threading.Lock()

    def sync(self, session: Session, shot_id: int, before: Shot | None, after: Shot) -> list[tuple[str, int]]:
        """Brings the touched frames in line with the document's marks; returns (pull, frame) of what changed.

        Works for any way from `before` to `after`: an edit, an undo, a redo.
        """
        changed: set[tuple[str, int]] = set()
        old = {p.id: p for m in before.mattes for p in m.pulls} if before else {}
        for matte in after.mattes:
            for pull in matte.pulls:
                if pull.kind == "trace":
                    frames = self._sync_pull(session, shot_id, after, old.get(pull.id), pull)
                    changed |= {(pull.id, frame) for frame in frames}
        return sorted(changed)

    def _sync_pull(self, session: Session, shot_id: int, shot: Shot, old: Pull | None, pull: Pull) -> set[int]:
        then, here = _by_frame(old.marks if old else []), _by_frame(pull.marks)
        same_params = old is not None and _solving(old) == _solving(pull)
        frames = {f for f in then.keys() | here.keys() if then.get(f) != here.get(f) or not same_params}
        for frame in sorted(frames):
            row = session.get(MatteFrame, (shot_id, pull.id, frame))
            marks = here.get(frame, [])
            if marks:
                self._touch(session, shot_id, shot, pull, frame, marks, row)
            elif row is not None and row.origin == "touched":
                self._untouch(session, row)
            tell_frame(session, shot_id, pull.id, frame)
        return frames

    def _touch(
        self,
        session: Session,
        shot_id: int,
        shot: Shot,
        pull: Pull,
        frame: int,
        marks: list[Mark],
        row: MatteFrame | None,
    ) -> None:
        if row is None:
            row = MatteFrame(shot_id=shot_id, pull_id=pull.id, frame=frame, origin="touched")
            session.add(row)
        elif row.origin == "followed":
            row.base = {"blob": row.blob, "doubt": row.doubt, "halt": row.halt}
        row.origin, row.doubt, row.halt = "touched", 0.0, None
        prior = _grey(self._blobs, row.base["blob"]) if row.base and row.base.get("blob") else None
        snap, detail = _solving(pull)
        try:
            if any(mark.kind == "found" for mark in marks):
                marks = [mark for mark in marks if mark.kind != "found"]
                prior = self._found(session, shot, frame, snap, detail, needed=not marks)
            alpha = trace(self._prepared(session, shot, frame, snap), marks, prior, snap, detail)
            row.blob = store_matte(self._blobs, alpha)
        except TraceError:
            # out marks alone: nothing can be solved before there is an in mark, and the interface says so
            row.blob = None
        session.flush()

    def _found(self, session: Session, shot: Shot, frame: int, snap: float, detail: float, needed: bool) -> F32 | None:
        """What the machine finds on a frame; kept, since every further mark on it asks again."""
        footage = plate_row(session, shot)
        info = MediaInfo.from_json(footage.info)
        key = (footage.blob, frame, snap, detail)
        if key not in self._finds:
            reader = self._readers.get(footage.blob, info)
            while len(self._finds) >= self._keep:
                self._finds.pop(next(iter(self._finds)), None)
            try:
                self._finds[key] = find(reader.frame, frame, info.frames, snap, detail)
            except TraceError:
                if needed:
                    raise
                return None
        return self._finds[key]

    def _untouch(self, session: Session, row: MatteFrame) -> None:
        if row.base:
            row.origin, row.blob = "followed", row.base["blob"]
            row.doubt, row.halt, row.base = row.base["doubt"], row.base["halt"], None
        else:
            session.delete(row)
        session.flush()

    def _prepared(self, session: Session, shot: Shot, frame: int, snap: float) -> Prepared:
        footage = plate_row(session, shot)
        key = (footage.blob, frame, snap)
        with self._lock:
            if key in self._ready:
                self._ready.move_to_end(key)
                return self._ready[key]
        info = MediaInfo.from_json(footage.info)
        ready = prepare(self._readers.get(footage.blob, info).frame, info.frames, frame, snap)
        with self._lock:
            self._ready[key] = ready
            while len(self._ready) > self._keep:
                self._ready.popitem(last=False)
        return ready

    def warm(self, session: Session, shot: Shot, frame: int) -> None:
        """Prepares a frame that is about to be marked."""
        snaps = {_solving(p)[0] for m in shot.mattes for p in m.pulls if p.kind == "trace"}
        for snap in snaps:
            self._prepared(session, shot, frame, snap)


def plate_row(session: Session, shot: Shot) -> FootageRow:
    """The row of the shot's plate. Raises MediaError."""
    row = session.get(FootageRow, int(shot.plate)) if shot.plate.isdigit() else None
    if row is None or row.state != "ready":
        raise MediaError("The plate of this shot is not ready.")
    return row


def _by_frame(marks: list[Mark]) -> dict[int, list[Mark]]:
    frames: dict[int, list[Mark]] = defaultdict(list)
    for mark in marks:
        frames[mark.frame].append(mark)
    return dict(frames)


def _solving(pull: Pull) -> tuple[float, float]:
    values = declared("pull", "trace").read(pull.params).at(0)
    return float(values["snap"]), float(values["detail"])


def _grey(blobs: Blobs, blob: str) -> F32:
    return read_grey(blobs.get(blob)).astype(np.float32) / np.float32(255)


def stored_matte(blobs: Blobs, row: MatteFrame) -> F32 | None:
    """The row's matte, (H, W) float32 at plate size, or None."""
    return _grey(blobs, row.blob) if row.blob else None


def store_matte(blobs: Blobs, alpha: F32) -> str:
    """Keeps a matte as an 8-bit grey PNG and returns its key."""
    return blobs.put(png_bytes(np.round(np.clip(alpha, 0, 1) * 255).astype(np.uint8)))


def store_followed(
    session: Session, shot_id: int, pull_id: str, frame: int, blob: str, doubt: float, halt: dict[str, Any] | None
) -> bool:
    """Keeps a followed frame unless the artist has touched it; tells whether it was kept."""
    values = {"origin": "followed", "doubt": doubt, "blob": blob, "halt": halt, "base": None}
    statement = (
        insert(MatteFrame)
        .values(shot_id=shot_id, pull_id=pull_id, frame=frame, **values)
        .on_conflict_do_update(
            index_elements=["shot_id", "pull_id", "frame"], set_=values, where=MatteFrame.origin != "touched"
        )
        .returning(MatteFrame.frame)
    )
    kept = session.execute(statement).first() is not None
    if kept:
        notify(session, "frame", shot=shot_id, pull=pull_id, frame=frame, origin="followed", doubt=round(doubt, 3),
               blob=blob, halt=halt)  # fmt: skip
    return kept


def touched_near(
    session: Session, blobs: Blobs, shot_id: int, pull_id: str, frame: int, step: int
) -> tuple[int, F32] | None:
    """The touched frame nearest to one, after it where `step` is 1 and before it where it is -1, and its matte."""
    found = session.scalar(
        select(MatteFrame)
        .where(
            MatteFrame.shot_id == shot_id,
            MatteFrame.pull_id == pull_id,
            MatteFrame.origin == "touched",
            MatteFrame.blob.is_not(None),
            MatteFrame.frame > frame if step > 0 else MatteFrame.frame < frame,
        )
        .order_by(MatteFrame.frame * step)
        .limit(1)
    )
    matte = stored_matte(blobs, found) if found else None
    return None if found is None or matte is None else (found.frame, matte)


def known_far(session: Session, blobs: Blobs, shot_id: int, pull_id: str, frame: int) -> list[tuple[int, F32]]:
    """Frames of a trace that lie `run.FAR` off one and can be trusted, and their mattes, the nearest first."""
    known = session.scalars(
        select(MatteFrame.frame).where(
            MatteFrame.shot_id == shot_id,
            MatteFrame.pull_id == pull_id,
            MatteFrame.origin.in_(("touched", "followed")),
            MatteFrame.doubt <= HALT,
            MatteFrame.blob.is_not(None),
        )
    ).all()
    rows = (session.get(MatteFrame, (shot_id, pull_id, n)) for n in far_from(known, frame))
    found = [(row.frame, stored_matte(blobs, row)) for row in rows if row]
    return [(n, matte) for n, matte in found if matte is not None]


def tell_frame(session: Session, shot_id: int, pull_id: str, frame: int) -> None:
    """Tells the listeners how a frame stands now."""
    row = session.get(MatteFrame, (shot_id, pull_id, frame))
    notify(session, "frame", shot=shot_id, pull=pull_id, frame=frame, origin=row.origin if row else None,
           doubt=row.doubt if row else 0.0, blob=row.blob if row else None, halt=row.halt if row else None)  # fmt: skip


def frames_of(session: Session, shot_id: int, settled: bool = False) -> list[MatteFrame]:
    """The stored matte frames of a shot's traces, and with `settled` those of settled mattes, by pull and frame."""
    wanted = select(MatteFrame).where(MatteFrame.shot_id == shot_id)
    if not settled:
        wanted = wanted.where(MatteFrame.origin != "settled")
    return list(session.scalars(wanted.order_by(MatteFrame.pull_id, MatteFrame.frame)))
