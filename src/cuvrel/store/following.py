"""A trace's frames in the store, as what follows them reads and writes them."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import asdict
from typing import cast

from sqlalchemy import select

from cuvrel.core.arrays import F32
from cuvrel.core.checks.halt import Halt
from cuvrel.core.follow.adaptation import Arrival, Lesson
from cuvrel.core.follow.plan import Frame, FrameStatus, Origin
from cuvrel.store.blobs import Blobs
from cuvrel.store.db import Database
from cuvrel.store.lessons import keep_lesson, lessons_about
from cuvrel.store.mattes import store_followed, store_matte, stored_matte
from cuvrel.store.models import MatteFrame


class StoredFrames:
    """The frames of one trace of a shot (see `Frames` of core/follow/plan.py). Every call is a transaction of its own.

    halting: whether halts are kept with their frames.
    """

    def __init__(self, database: Database, blobs: Blobs, shot_id: int, owner: str, halting: bool = True) -> None:
        self._database, self._blobs, self._halting = database, blobs, halting
        self._shot, self._owner = shot_id, owner
        self._read: dict[int, MatteFrame] = {}  # touched frames as they were when their mattes were read

    def statuses(self) -> Mapping[int, FrameStatus]:
        """All frames that have a matte, and how each stands."""
        with self._database.session() as session:
            rows = session.execute(
                select(MatteFrame.frame, MatteFrame.origin, MatteFrame.doubt, MatteFrame.halt).where(
                    MatteFrame.shot_id == self._shot, MatteFrame.owner == self._owner, MatteFrame.blob.is_not(None)
                )
            ).all()
        return {frame: FrameStatus(cast(Origin, origin), doubt, Halt(**halt) if halt else None)
                for frame, origin, doubt, halt in rows}  # fmt: skip

    def matte(self, number: int) -> F32 | None:
        """The matte of a frame; None where there is none."""
        with self._database.session() as session:
            row = session.get(MatteFrame, (self._shot, self._owner, number))
        if row is None:
            return None
        if row.origin == "touched":
            self._read[number] = row
        return stored_matte(self._blobs, row)

    def keep(self, frame: Frame) -> bool:
        """Keeps a followed frame, and tells of it; False where the frame is a touched one by now."""
        blob = store_matte(self._blobs, frame.matte)
        halt = asdict(frame.halt) if frame.halt and self._halting else None
        with self._database.session() as session:
            return store_followed(session, self._shot, self._owner, frame.number, blob, frame.doubt, halt)

    def lessons(self, about: int) -> list[Lesson]:
        """What touched frames teach that is learned from at a frame."""
        with self._database.session() as session:
            return lessons_about(session, self._blobs, self._shot, self._owner, about)

    def learn(self, arrival: Arrival, lesson: Lesson) -> None:
        """Keeps what a touched frame teaches, unless its matte has changed since it was read."""
        touched = self._read.get(arrival[0])
        if touched is not None:
            with self._database.session() as session:
                keep_lesson(session, self._blobs, touched, arrival[1], lesson)
