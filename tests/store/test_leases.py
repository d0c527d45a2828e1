"""Blobs are held, not aged: in whatever order things happen, nothing that is named goes and nothing else stays."""

from __future__ import annotations

import json
import threading
import time
from collections.abc import Callable, Iterator
from contextlib import ExitStack
from datetime import timedelta
from pathlib import Path
from tempfile import TemporaryDirectory

import pytest
from hypothesis import HealthCheck, Phase, settings
from hypothesis import strategies as st
from hypothesis.stateful import (
    Bundle,
    RuleBasedStateMachine,
    consumes,
    invariant,
    rule,
    run_state_machine_as_test,
)
from sqlalchemy import delete, select, update
from sqlalchemy.orm import Session

from cuvrel.store import trash
from cuvrel.store.backup import backup
from cuvrel.store.blobs import Blobs
from cuvrel.store.db import LONG, Database
from cuvrel.store.leases import Leases, held_by, let_go
from cuvrel.store.models import FootageRow, JobRow, LeaseRow, MatteFrame, Project, ShotRow, VersionRow, now
from cuvrel.store.sweep import free, look_for_strays, sweep, used_blobs
from tests.conftest import Cluster, fresh
from tests.store.conftest import OVER, Rig, used

CONTENTS = st.integers(0, 4).map(lambda n: f"content {n}".encode())
WHEN = st.sampled_from(["not", "leased", "looked"])


class Interrupted(Blobs):
    """A store in whose puts something else happens: after the lease, or after the look for the blob."""

    meanwhile: Callable[[], None] | None = None
    when = "not"

    def put(self, data: bytes, by_hand: bool = False) -> str:
        lease, exists = self._lease, self.fs.exists

        def leased(key: str) -> None:
            lease(key)
            self._happen("leased")

        def looked(place: str) -> bool:
            found = bool(exists(place))
            self._happen("looked")
            return found

        self._lease, self.fs.exists = leased, looked
        try:
            return super().put(data, by_hand)
        finally:
            self._lease, self.fs.exists = lease, exists

    def _happen(self, when: str) -> None:
        if self.when == when and self.meanwhile is not None:
            meanwhile, self.meanwhile = self.meanwhile, None
            meanwhile()


def machine(database: Database, other: Database, folder: Path) -> type[RuleBasedStateMachine]:
    """Two processes on one store: the one puts and names, the other removes."""

    class Store(RuleBasedStateMachine):
        named, in_hand, jobs = Bundle("named"), Bundle("in_hand"), Bundle("jobs")

        def __init__(self) -> None:
            super().__init__()
            with database.engine.begin() as connection:
                for row in (LeaseRow, JobRow, FootageRow, ShotRow, Project):
                    connection.execute(delete(row))
            self.place = TemporaryDirectory(dir=folder)
            self.blobs = Interrupted(self.place.name, folder, Leases(database).take)
            self.held: set[str] = set()
            self.open: list[tuple[ExitStack, Session, str | None]] = []
            with database.session() as session:
                project = Project(name="Trial")
                elsewhere = Project(name="Another")
                session.add_all([project, elsewhere])
                session.flush()
                shot = ShotRow(project_id=elsewhere.id, name="Shot", document={})
                session.add(shot)
                session.flush()
                self.project, self.shot = project.id, shot.id

        def _put(self, data: bytes, when: str) -> str:
            self.blobs.meanwhile, self.blobs.when = lambda: self._sweep(timedelta(0)), when
            key = self.blobs.put(data)
            self.blobs.when = "not"
            return key

        def _sweep(self, held: timedelta) -> None:
            look_for_strays(other, self.blobs, timedelta(0))
            free(other, self.blobs, patience=0, held=held)

        def _footage(self, session: Session, key: str) -> int:
            row = FootageRow(project_id=self.project, name="f", blob=key, size=1)
            session.add(row)
            session.flush()
            return row.id

        @rule(target=in_hand, data=CONTENTS, when=WHEN)
        def put(self, data: bytes, when: str) -> str:
            key = self._put(data, when)
            self.held.add(key)
            return key

        @rule(target=named, key=consumes(in_hand))
        def name(self, key: str) -> int | None:
            """A request names what it has put; one that took too long finds that it is not held any more."""
            if key not in self.held:
                return 0
            with database.session() as session:
                return self._footage(session, key)

        @rule(target=named, data=CONTENTS, when=WHEN, comes=st.booleans())
        def put_and_name_in_one(self, data: bytes, when: str, comes: bool) -> int:
            with ExitStack() as stack:
                session = stack.enter_context(database.session())
                number = self._footage(session, self._put(data, when))
                self._sweep(timedelta(0))
                if not comes:
                    session.rollback()
                    return 0
            return number

        @rule(number=named)
        def copy_begins(self, number: int) -> None:
            """A transaction reads a key that it will name when it ends."""
            if len(self.open) < 2:
                stack = ExitStack()
                session = stack.enter_context(database.session())
                row = session.get(FootageRow, number)
                self.open.append((stack, session, row.blob if row is not None else None))

        @rule(comes=st.booleans())
        def copy_ends(self, comes: bool) -> None:
            if self.open:
                stack, session, key = self.open.pop(0)
                if comes and key is not None:
                    frames = [{"owner": "t1", "frame": 0, "blob": key, "base": None, "lessons": None}]
                    session.add(VersionRow(document_id=self.shot, name="v", revision=0, document={}, frames=frames))
                if not comes:
                    session.rollback()
                stack.close()

        @rule(number=named, kept=st.booleans())
        def forget(self, number: int, kept: bool) -> None:
            """Into the trash and out of it, or away for good, which frees at once."""
            with database.session() as session:
                if session.get(FootageRow, number) is None:
                    return
                trash.put_away(session, "footage", number)
                if kept:
                    trash.restore(session, "footage", number)
                else:
                    trash.delete(session, self.blobs, "footage", number)
            free(other, self.blobs, patience=0)

        @rule(target=jobs, data=CONTENTS, number=named)
        def job(self, data: bytes, number: int) -> int:
            """A job works from a snapshot that lists a blob which a row names now."""
            with database.session() as session:
                row = session.get(FootageRow, number)
                listed = [["t1", 0, row.blob]] if row is not None else []
                snapshot = self.blobs.put(json.dumps(listed).encode())
                job = JobRow(kind="export", project_id=self.project, state="working", args={"frames": snapshot})
                session.add(job)
                session.flush()
                number = job.id
            with held_by(number):
                key = self._put(data, "looked")
            with database.session() as session:
                session.get_one(JobRow, number).progress = {"note": key[:8], "mine": key}
            return number

        @rule(number=jobs, data=CONTENTS, state=st.sampled_from(["done", "failed", "stopped"]))
        def job_ends(self, number: int, data: bytes, state: str) -> None:
            with held_by(number):
                key = self._put(data, "leased")
            self.tidy(True)
            with database.session() as session:
                row = session.get(JobRow, number)
                if row is not None and row.state == "working":
                    assert self.blobs.has(key), "a job's lease holds as long as it works"
                    row.state, row.result = state, {"blob": key}

        @rule(keep=st.booleans())
        def settle(self, keep: bool) -> None:
            """A stored frame takes the place of another one."""
            with database.session() as session:
                key = self.blobs.put(b"frame" if keep else b"another frame")
                session.merge(MatteFrame(shot_id=self.shot, owner="t1", frame=0, origin="touched", blob=key,
                                         base={"blob": self.blobs.put(b"base")}))  # fmt: skip

        @rule()
        def back_up(self) -> None:
            with TemporaryDirectory(dir=folder) as to:
                about = backup(database, self.blobs, Path(to), lambda done, total: self._sweep(timedelta(0)))
                assert about["blobs"] == len(used(database, self.blobs))

        @rule(over=st.booleans())
        def tidy(self, over: bool) -> None:
            """Another process removes what may go; an hour may have passed."""
            if over:
                self.held.clear()
            self._sweep(OVER if over else timedelta(0))

        @invariant()
        def nothing_is_lost(self) -> None:
            with other.session() as session:
                keys = used_blobs(session, self.blobs) | self.held
            assert {key for key in keys if not self.blobs.has(key)} == set()

        def teardown(self) -> None:
            while self.open:
                self.copy_ends(True)
            sweep(other, self.blobs, OVER)
            with database.session() as session:
                waits = set(session.scalars(select(LeaseRow.key)))
            assert set(self.blobs.listed()) - used(database, self.blobs) <= waits, "only jobs that work hold more"
            with database.session() as session:
                session.execute(update(JobRow).where(JobRow.state == "working").values(state="done"))
            sweep(other, self.blobs, OVER)
            assert set(self.blobs.listed()) == used(database, self.blobs)
            self.place.cleanup()

    return Store


@pytest.fixture
def two(cluster: Cluster, monkeypatch: pytest.MonkeyPatch) -> Iterator[tuple[Database, Database]]:
    monkeypatch.setattr("cuvrel.store.db.ALONE", 0.01)
    with fresh(cluster) as url:
        databases = Database(url), Database(url)
        databases[0].migrate()
        yield databases
        for one in databases:
            one.close()


def holds(two: tuple[Database, Database], folder: Path, examples: int, steps: int) -> None:
    run_state_machine_as_test(
        machine(*two, folder),
        settings=settings(max_examples=examples, stateful_step_count=steps, deadline=None, database=None,
                          suppress_health_check=list(HealthCheck), phases=(Phase.explicit, Phase.generate)),
    )  # fmt: skip


def test_no_blob_that_is_named_is_lost_and_none_that_is_not_stays(
    two: tuple[Database, Database], tmp_path: Path
) -> None:  # fmt: skip
    holds(two, tmp_path, 6, 25)


@pytest.mark.long
def test_no_blob_is_lost_in_many_orders(two: tuple[Database, Database], tmp_path: Path) -> None:
    holds(two, tmp_path, 300, 50)


def test_who_puts_a_blob_while_another_removes_it_puts_it_anew(rig: Rig, monkeypatch: pytest.MonkeyPatch) -> None:
    """Two threads: the one finds the blob unused and is about to remove it, the other one puts it."""
    key = rig.blobs.put(b"a rope")
    removing, go = threading.Event(), threading.Event()
    remove = Blobs.remove

    def slow(blobs: Blobs, one: str) -> bool:
        if one == key:
            removing.set()
            assert go.wait(10)
        return remove(blobs, one)

    monkeypatch.setattr(Blobs, "remove", slow)
    with rig.database.session() as session:
        session.execute(delete(LeaseRow))
        let_go(session, [key])
    sweeper = threading.Thread(target=lambda: free(rig.database, rig.blobs))
    sweeper.start()
    assert removing.wait(10)
    putter = threading.Thread(target=lambda: rig.blobs.put(b"a rope"))
    putter.start()
    putter.join(0.5)
    assert putter.is_alive(), "it waits for the end of what is removed"
    go.set()
    sweeper.join()
    putter.join()
    assert rig.blobs.get(key) == b"a rope"


def test_what_is_deleted_for_good_is_freed_at_once_and_what_others_name_stays(rig: Rig) -> None:
    rig.mark(0)
    only = rig.rows()[0].blob
    with rig.database.session() as session:
        twin = FootageRow(project_id=rig.project, name="twin", state="ready", size=1,
                          blob=session.get_one(FootageRow, rig.footage).blob)  # fmt: skip
        session.add(twin)
        session.flush()
        shared = twin.blob
        trash.put_away(session, "shot", rig.shot)
        trash.delete(session, rig.blobs, "shot", rig.shot)
        trash.put_away(session, "footage", rig.footage)
        trash.delete(session, rig.blobs, "footage", rig.footage)
    free(rig.database, rig.blobs, held=OVER)
    assert rig.blobs.has(shared)
    assert not rig.blobs.has(only)
    with rig.database.session() as session:
        project = session.get_one(Project, rig.project)
        project.trashed = now()
        session.flush()
        trash.delete(session, rig.blobs, "project", rig.project)
    free(rig.database, rig.blobs, held=OVER)
    assert list(rig.blobs.listed()) == []


def test_what_an_hour_has_passed_over_is_looked_at_and_a_long_transaction_is_waited_for(rig: Rig) -> None:
    key = rig.blobs.put(b"nobody's")
    with rig.database.session() as session:
        let_go(session, [key])
    with rig.database.session() as session:
        session.scalar(select(Project.id))
        assert free(rig.database, rig.blobs, patience=0, held=OVER) == 0, "this transaction might come to name it"
        assert rig.blobs.has(key)
    assert free(rig.database, rig.blobs) == 0, "the lease of who put it holds"
    assert free(rig.database, rig.blobs, held=OVER) >= 0
    look_for_strays(rig.database, rig.blobs, timedelta(0))
    free(rig.database, rig.blobs, held=OVER)
    assert not rig.blobs.has(key)


def test_a_long_transaction_keeps_nobody_waiting_for_who_wants_to_be_alone(
    rig: Rig, monkeypatch: pytest.MonkeyPatch
) -> None:
    """While a project is packed or a backup taken, all else goes on as if nothing was to be removed."""
    with rig.database.session() as session:
        let_go(session, [rig.blobs.put(b"nobody's")])
    with rig.database.session() as session:
        session.scalar(select(Project.id))
        time.sleep(LONG + 0.1)
        monkeypatch.setattr("cuvrel.store.db.ALONE", 60.0)
        begun = time.monotonic()
        assert free(rig.database, rig.blobs, patience=0, held=OVER) == 0
        assert time.monotonic() - begun < 30, "it does not queue up before the others"
