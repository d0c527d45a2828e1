"""A project with ready footage and a shot on it, in a fresh database."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import timedelta

import numpy as np
import pytest

from cuvrel.core.recipe.check import read_shot
from cuvrel.jobs.queue import put
from cuvrel.jobs.tasks import Works
from cuvrel.store import shots
from cuvrel.store.blobs import Blobs
from cuvrel.store.db import Database
from cuvrel.store.documents import document_of
from cuvrel.store.footage import entry
from cuvrel.store.mattes import Stored, Touches, frames_of, stored_matte
from cuvrel.store.models import JobRow, MatteFrame, Project
from cuvrel.store.pictures import Readers
from cuvrel.store.sweep import used_blobs
from tests.brought_in import BroughtIn
from tests.conftest import Clip
from tests.recipes import document, drawn
from tests.shared import Hand

OVER = timedelta(hours=2)  # all leases of what nobody works on are over


def used(database: Database, blobs: Blobs) -> set[str]:
    """Every blob that something points to."""
    with database.session() as session:
        return used_blobs(session, blobs)


@dataclass
class Rig:
    """What a test of the store works with."""

    database: Database
    blobs: Blobs
    hand: Hand
    touches: Touches
    project: int
    footage: int
    shot: int
    clip: Clip

    @property
    def works(self) -> Works:
        return self.hand.works

    def edit(self, ops: list[dict], revision: int | None = None, **how: object) -> list[tuple[str, int]]:
        """An edit with all that the web does about it; returns what it touched."""
        with self.database.session() as session:
            at = shots.found(session, self.shot).revision if revision is None else revision
            done = shots.edit(session, self.shot, at, ops, **how)
            stored = self.touches.store(session, done.row.id, done.before.shot, done.after.shot, {})
        return self._solved(stored)

    def _solved(self, stored: Stored) -> list[tuple[str, int]]:
        """All that an edit left to be solved."""
        for pull, frame in stored.left:
            self.touches.finish(self.database, self.shot, pull, frame)
        return stored.changed

    def step(self, way: str) -> None:
        with self.database.session() as session:
            done = getattr(shots, way)(session, self.shot)
            assert done is not None
            stored = self.touches.store(session, done.row.id, done.before.shot, done.after.shot, {})
        self._solved(stored)

    def document(self) -> dict:
        with self.database.session() as session:
            return document_of(session, shots.found(session, self.shot)).document

    def mark(self, frame: int = 0, apart: bool = False) -> None:
        """All strokes of the clip, drawn on a frame: in one edit, or in one each."""
        ops = drawn(self.clip.marks(frame))
        for edit in [[op] for op in ops] if apart else [ops]:
            self.edit(edit, label="marks")

    def quiet(self) -> None:
        """Following goes on where it would halt."""
        self.edit([{"op": "add", "path": "/mattes/0/pulls/0/params/halt", "value": False}])

    def rows(self) -> dict[int, MatteFrame]:
        with self.database.session() as session:
            return {row.frame: row for row in frames_of(session, self.shot)}

    def matte(self, frame: int) -> np.ndarray:
        found = stored_matte(self.blobs, self.rows()[frame])
        assert found is not None
        return found

    def start_follow(self, start: int, step: int = 1, whole: bool = False) -> int:
        with self.database.session() as session:
            args = {"pull": "t1", "start": start, "step": step, "whole": whole}
            return put(session, "follow", self.project, "Following", shot_id=self.shot, args=args).id

    def finish(self, job: int) -> JobRow:
        self.hand.do(job)
        with self.database.session() as session:
            row = session.get(JobRow, job)
            assert row is not None
            return row


@pytest.fixture
def rig(database: Database, blobs: Blobs, clip: Clip, brought_in: BroughtIn) -> Rig:
    with database.session() as session:
        project = Project(name="Trial")
        session.add(project)
        session.flush()
        row = brought_in.add(session, blobs, project.id)
        raw = document(plate=str(row.id), footage=[entry(row).model_dump(mode="json")])
        shot = shots.create(session, project.id, read_shot(raw).model_dump(mode="json"))
        ids = project.id, row.id, shot.id
    return Rig(database, blobs, Hand(database, blobs), Touches(blobs, Readers(blobs)), *ids, clip)
