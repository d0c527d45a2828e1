"""A track's frames in the store, as what follows it reads and writes them."""

from __future__ import annotations

from dataclasses import asdict

from sqlalchemy import select

from cuvrel.core.checks.halt import Halt
from cuvrel.core.tracks.path import Measured
from cuvrel.store.blobs import Blobs
from cuvrel.store.db import Database
from cuvrel.store.mattes import store_followed
from cuvrel.store.models import MatteFrame


class StoredMeasures:
    """The frames of one track of a shot (see `Frames` of core/tracks/plan.py). Every call is a transaction."""

    def __init__(self, database: Database, blobs: Blobs, shot_id: int, track: str) -> None:
        self._database, self._blobs, self._shot, self._track = database, blobs, shot_id, track

    def known(self) -> list[int]:
        """The frames of which something is stored."""
        rows = select(MatteFrame.frame).where(MatteFrame.shot_id == self._shot, MatteFrame.owner == self._track)
        with self._database.session() as session:
            return list(session.scalars(rows))

    def read(self, frame: int) -> Measured | None:
        """What is stored of a frame."""
        with self._database.session() as session:
            row = session.get(MatteFrame, (self._shot, self._track, frame))
            blob = None if row is None else row.blob
        return None if blob is None else Measured.unpacked(self._blobs.get(blob))

    def keep(self, frame: int, measured: Measured, halt: Halt | None) -> None:
        """Stores a frame, and tells of it."""
        blob, why = self._blobs.put(measured.packed()), None if halt is None else asdict(halt)
        with self._database.session() as session:
            store_followed(session, self._shot, self._track, frame, blob, measured.doubt, why)
