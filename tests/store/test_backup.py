"""Backups: taken while the program runs, of one moment, and brought back whole."""

from __future__ import annotations

import errno
import json
import tempfile
from collections.abc import Iterator
from pathlib import Path

import numpy as np
import pytest
from sqlalchemy import select

from cuvrel.core.recipe.errors import CuvrelError
from cuvrel.jobs.queue import put
from cuvrel.store import backup as backups
from cuvrel.store import shots
from cuvrel.store.backup import backup, restore
from cuvrel.store.blobs import Blobs
from cuvrel.store.cluster import Cluster
from cuvrel.store.db import Database
from cuvrel.store.documents import document_of
from cuvrel.store.frames import snapshot
from cuvrel.store.mattes import frames_of
from cuvrel.store.models import JobRow, Project, ShotRow
from cuvrel.store.sweep import sweep
from tests.conftest import fresh
from tests.store.conftest import OVER, Rig, used
from tests.store.test_settling import start_settle


@pytest.fixture
def elsewhere(cluster: Cluster, tmp_path: Path) -> Iterator[tuple[Database, Blobs]]:
    """An empty store on another machine, as it were."""
    with fresh(cluster) as url:
        database = Database(url)
        yield database, Blobs(str(tmp_path / "there/blobs"), tmp_path / "there/var")
        database.close()


def worked(rig: Rig) -> None:
    rig.mark(0)
    rig.quiet()
    rig.finish(rig.start_follow(0))


def test_a_backup_is_brought_back_whole(
    rig: Rig, elsewhere: tuple[Database, Blobs], tmp_path: Path
) -> None:  # fmt: skip
    worked(rig)
    about = backup(rig.database, rig.blobs, tmp_path / "to")
    wanted, frames = rig.document(), [np.asarray(rig.matte(n)) for n in (0, 5, 15)]
    database, blobs = elsewhere
    restore(database, blobs, tmp_path / "to")
    with database.session() as session:
        row = session.scalars(select(ShotRow)).one()
        assert document_of(session, row).document == wanted
        assert len(frames_of(session, row.id)) == 16
        assert shots.history(session, row)["undo"]
    assert len(used(database, blobs)) == about["blobs"]
    there = Rig(database, blobs, rig.hand, rig.touches, rig.project, rig.footage, rig.shot, rig.clip)
    for n, frame in zip((0, 5, 15), frames, strict=True):
        np.testing.assert_array_equal(there.matte(n), frame)
    # work goes on there
    with database.session() as session:
        shots.undo(session, rig.shot)
        session.add(Project(name="New"))


def test_a_second_backup_copies_what_is_new_and_lets_go_of_what_is_old(rig: Rig, tmp_path: Path) -> None:
    rig.mark(0)
    first = backup(rig.database, rig.blobs, tmp_path / "to")
    stamps = {p.name: p.stat().st_mtime_ns for p in (tmp_path / "to/blobs").glob("*/*")}
    assert len(stamps) == first["blobs"]
    rig.mark(5)
    rig.step("undo")  # the frame's matte is not used any more
    rig.mark(9)
    second = backup(rig.database, rig.blobs, tmp_path / "to")
    later = {p.name: p.stat().st_mtime_ns for p in (tmp_path / "to/blobs").glob("*/*")}
    assert len(later) == second["blobs"]
    assert all(later[name] == stamp for name, stamp in stamps.items())


class Death(BaseException):
    """The end of a process in the middle of something."""


def held_by(source: Path, cluster: Cluster, tmp_path: Path) -> tuple[str, int]:
    """What a backup brings back: the shot's name, and how many stored frames it has."""
    with fresh(cluster) as url:
        database, place = Database(url), tempfile.mkdtemp(dir=tmp_path)
        restore(database, Blobs(f"{place}/blobs", Path(place) / "var"), source)
        with database.session() as session:
            row = session.scalars(select(ShotRow)).one()
            found = row.name, len(frames_of(session, row.id))
        database.close()
    return found


def backed_up_and_gone_on(rig: Rig, cluster: Cluster, to: Path) -> tuple[str, int]:
    """Makes a backup and marks another frame; what the backup brings back."""
    rig.mark(0)
    backup(rig.database, rig.blobs, to)
    before = held_by(to, cluster, to.parent)
    rig.mark(5)
    return before


def test_a_backup_that_dies_at_any_step_leaves_a_whole_one(
    rig: Rig, cluster: Cluster, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    to = tmp_path / "to"
    before = backed_up_and_gone_on(rig, cluster, to)
    rig.edit([{"op": "replace", "path": "/name", "value": "Later"}])
    place, clear = backups._into_place, backups._clear_parts
    for step in range(20):
        left = [step]

        def dies(part: Path, to_: Path, left: list[int] = left) -> None:
            if left[0] == 0:
                raise Death
            left[0] -= 1
            place(part, to_)

        monkeypatch.setattr(backups, "_into_place", dies)
        monkeypatch.setattr(backups, "_clear_parts", lambda folder: None)
        try:
            backup(rig.database, rig.blobs, to)
        except Death:
            assert held_by(to, cluster, tmp_path) == before, step
            continue
        break
    assert step >= 2, "a blob, the dump, and the list; what one that died had put in place stays there"
    assert held_by(to, cluster, tmp_path) == ("Later", 2)
    monkeypatch.setattr(backups, "_clear_parts", clear)
    monkeypatch.setattr(backups, "_into_place", place)
    (to / "blobs/aa").mkdir(exist_ok=True)
    (to / "blobs/aa/.half.part").write_bytes(b"cut off")
    backup(rig.database, rig.blobs, to)
    assert not list(to.rglob("*.part"))
    assert len(list(to.glob("database*"))) == 1


def test_a_full_disk_ends_a_backup_with_a_sentence(
    rig: Rig, cluster: Cluster, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    to = tmp_path / "to"
    before = backed_up_and_gone_on(rig, cluster, to)

    def full(source: Path, to_: Path) -> None:
        to_.write_bytes(b"some of it")
        raise OSError(errno.ENOSPC, "No space left on device")

    monkeypatch.setattr(backups.shutil, "copyfile", full)
    with pytest.raises(CuvrelError, match="could not be written: No space left"):
        backup(rig.database, rig.blobs, to)
    monkeypatch.undo()
    assert not list(to.rglob("*.part"))
    assert held_by(to, cluster, tmp_path) == before


def test_what_a_waiting_export_works_from_is_kept_and_backed_up(rig: Rig, tmp_path: Path) -> None:
    """Its snapshot lists mattes which no row names any more."""
    rig.mark(0)
    with rig.database.session() as session:
        listed = snapshot(session, rig.shot)
        frames = rig.blobs.put(json.dumps(listed).encode())
        job = put(session, "export", rig.project, "Result", shot_id=rig.shot, args={"frames": frames}).id
    mattes = {blob for _, _, blob in listed}
    rig.step("undo")
    assert mattes
    assert rig.rows() == {}
    sweep(rig.database, rig.blobs, OVER)
    assert all(rig.blobs.has(one) for one in mattes)
    backup(rig.database, rig.blobs, tmp_path / "to")
    assert mattes <= {file.name for file in (tmp_path / "to/blobs").glob("*/*")}
    with rig.database.session() as session:
        session.get_one(JobRow, job).state = "done"
    sweep(rig.database, rig.blobs, OVER)
    assert not any(rig.blobs.has(one) for one in mattes)


def test_a_settled_matte_keeps_no_backup_from_being_made(rig: Rig, tmp_path: Path) -> None:
    """Its job names the settled frames by a key that looks like a file's, and is none."""
    rig.mark(0)
    assert rig.finish(start_settle(rig)).state == "done"
    about = backup(rig.database, rig.blobs, tmp_path / "to")
    assert about["blobs"] == len(list((tmp_path / "to/blobs").glob("*/*")))


def test_nothing_is_swept_while_a_backup_is_taken(rig: Rig, tmp_path: Path) -> None:
    rig.mark(0)
    lost = rig.blobs.put(b"used by nobody")
    seen: list[bool] = []

    def meanwhile(done: int, total: int) -> None:
        if not seen:
            sweep(rig.database, rig.blobs, OVER)
        seen.append(rig.blobs.has(lost))

    backup(rig.database, rig.blobs, tmp_path / "to", meanwhile)
    assert seen
    assert all(seen)
    sweep(rig.database, rig.blobs, OVER)
    assert not rig.blobs.has(lost)


def test_a_backup_that_is_not_whole_brings_nothing_back(
    rig: Rig, elsewhere: tuple[Database, Blobs], tmp_path: Path
) -> None:  # fmt: skip
    rig.mark(0)
    database, blobs = elsewhere
    with pytest.raises(CuvrelError, match="no whole backup"):
        restore(database, blobs, tmp_path / "none")
    to = tmp_path / "to"
    backup(rig.database, rig.blobs, to)
    with pytest.raises(CuvrelError, match="projects here already"):
        restore(rig.database, rig.blobs, to)
    file = next((to / "blobs").glob("*/*"))
    whole = file.read_bytes()
    file.write_bytes(whole[:-1] + b"?")
    with pytest.raises(CuvrelError, match="is not what it was"):
        restore(database, blobs, to)
    file.unlink()
    with pytest.raises(CuvrelError, match="are missing"):
        restore(database, blobs, to)
    file.write_bytes(whole)
    about = json.loads((to / "backup.json").read_text())
    (to / "backup.json").write_text(json.dumps({**about, "dump": "0" * 40}))
    with pytest.raises(CuvrelError, match="dump of the database"):
        restore(database, blobs, to)
    with database.session() as session:
        assert session.scalars(select(Project)).all() == []
    (to / "backup.json").write_text(json.dumps(about))
    restore(database, blobs, to)
    with database.session() as session:
        assert session.scalars(select(Project)).one().name == "Trial"
