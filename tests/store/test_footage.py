"""Footage is made ready or refused; bytes are kept once, swept when nothing points to them, and packed whole."""

import errno
import json
import zipfile
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from sqlalchemy import select

from cuvrel.core.media.probe import MediaInfo
from cuvrel.core.media.reader import Reader
from cuvrel.core.media.writer import png_bytes
from cuvrel.core.recipe.errors import MediaError, RecipeError
from cuvrel.jobs.queue import enqueue, put
from cuvrel.jobs.running import Stopped
from cuvrel.store import footage as footage_of
from cuvrel.store import packing, shots
from cuvrel.store.disk_space import NoRoom, Room
from cuvrel.store.footage import clean_name, first_look, make_ready
from cuvrel.store.mattes import frames_of, store_matte, stored_matte
from cuvrel.store.models import FootageRow, JobRow, MatteFrame, Project, now
from cuvrel.store.sweep import sweep
from tests.store.conftest import OVER, Rig, used


def test_footage_is_made_ready_with_proxy_and_film(rig: Rig) -> None:
    with rig.database.session() as session:
        row = session.get(FootageRow, rig.footage)
        assert row.state == "ready"
        info = MediaInfo.from_json(row.info)
        assert info == rig.clip.info
        assert row.film["count"] == 16
        proxy = MediaInfo.from_json(row.proxy["info"])
        reader = Reader(rig.blobs.path(row.proxy["blob"]), proxy)
        near = np.abs(reader.frame(7).astype(int) - rig.clip.frame(7)).mean()
        assert near < 6
        assert near < np.abs(reader.frame(7).astype(int) - rig.clip.frame(3)).mean()


def test_what_is_set_by_hand_while_it_is_brought_in_stays_set(rig: Rig) -> None:
    with rig.database.session() as session:
        row = session.get(FootageRow, rig.footage)

        def meanwhile(done: int, total: int) -> None:
            with rig.database.session() as other:
                there = other.get(FootageRow, rig.footage)
                if done in (0, 1) and not there.info.get("hand"):
                    there.info = {**there.info, "hand": {"range": "full"}}

        make_ready(session, row, rig.blobs, meanwhile)
    with rig.database.session() as session:
        row = session.get(FootageRow, rig.footage)
        assert row.info["hand"] == {"range": "full"}
        assert row.proxy["hand"] == {}, "its small pictures are of another reading, and told so"


def test_footage_in_the_trash_is_not_packed(rig: Rig, tmp_path: Path) -> None:
    still = tmp_path / "still.png"
    still.write_bytes(png_bytes(np.zeros((8, 8, 3), np.uint8)))
    with rig.database.session() as session:
        session.add(FootageRow(project_id=rig.project, name="away.png", blob=rig.blobs.put_file(still), size=9,
                               state="ready", trashed=now(), info={"kind": "video"}))  # fmt: skip
        session.flush()
        packing.pack(session, rig.blobs, session.get(Project, rig.project), tmp_path / "packed.zip")
    with zipfile.ZipFile(tmp_path / "packed.zip") as archive:
        assert len([name for name in archive.namelist() if name.startswith("footage/")]) == 1
        assert [one["name"] for one in json.loads(archive.read("project.json"))["footage"]] == ["small.mp4"]


def test_footage_that_turns_out_broken_is_refused_and_swept(rig: Rig) -> None:
    blob = rig.blobs.put(rig.clip.path.read_bytes()[:3000])
    with rig.database.session() as session:
        row = FootageRow(project_id=rig.project, name="bad.mp4", blob=blob, size=3000)
        session.add(row)
        session.flush()
        job = put(session, "ingest", rig.project, "bad.mp4", footage_id=row.id).id
        footage = row.id
    done = rig.finish(job)
    assert done.state == "failed"
    with rig.database.session() as session:
        row = session.get(FootageRow, footage)
        assert row.state == "refused"
        assert row.message.endswith(".")
        with pytest.raises(MediaError):
            make_ready(session, row, rig.blobs)
    assert rig.blobs.has(blob)
    sweep(rig.database, rig.blobs, OVER)
    assert not rig.blobs.has(blob)


@pytest.mark.parametrize(
    ("name", "clean"),
    [
        ("a/b/../c.mp4", "c.mp4"),
        ("C:\\films\\quay.mov", "quay.mov"),
        ("\x00\x07.mp4", ".mp4"),
        ("", "footage"),
        ("x" * 400, "x" * 255),
    ],
)
def test_names_are_cleaned(name: str, clean: str) -> None:
    assert clean_name(name) == clean


def test_the_first_look_refuses_what_does_not_open(tmp_path: Path) -> None:
    (tmp_path / "x.mp4").write_bytes(b"nothing" * 50)
    with pytest.raises(MediaError):
        first_look(tmp_path / "x.mp4")


def test_blobs_are_kept_once_and_whole(rig: Rig, tmp_path: Path) -> None:
    key = rig.blobs.put(b"rope")
    assert rig.blobs.put(b"rope") == key
    assert rig.blobs.get(key) == b"rope"
    (tmp_path / "f").write_bytes(b"rope")
    assert rig.blobs.put_file(tmp_path / "f") == key
    assert not (tmp_path / "f").exists()
    assert rig.blobs.path(key).read_bytes() == b"rope"
    assert not [n for n in rig.blobs.fs.find(rig.blobs.root) if ".new-" in n]
    for bad in ("../../etc/passwd", "x", key[:-1] + "G"):
        with pytest.raises(ValueError, match="not a blob key"):
            rig.blobs.get(bad)


def test_the_sweep_removes_what_nothing_points_to_and_half_made_files(rig: Rig) -> None:
    rig.mark(0)
    there = used(rig.database, rig.blobs)
    stray = rig.blobs.put(b"stray")
    half = Path(rig.blobs.root) / "ab"
    half.mkdir(exist_ok=True)
    (half / f".new-{'ab' * 20}-1").write_bytes(b"half")
    assert sweep(rig.database, rig.blobs) == 1, "what a lease holds stays; nobody writes the half-made one any more"
    assert rig.blobs.has(stray)
    sweep(rig.database, rig.blobs, OVER)
    assert not rig.blobs.has(stray)
    assert not (half / f".new-{'ab' * 20}-1").exists()
    assert all(rig.blobs.has(blob) for blob in there)
    assert rig.matte(0).any()


def test_a_matte_survives_its_store_to_8_bits(rig: Rig) -> None:
    alpha = np.linspace(0, 1, 64, dtype=np.float32).reshape(8, 8)
    row = MatteFrame(blob=store_matte(rig.blobs, alpha))
    assert np.abs(stored_matte(rig.blobs, row) - alpha).max() <= 0.5 / 255 + 1e-6


def test_a_packed_project_unpacks_to_the_same(rig: Rig, tmp_path: Path) -> None:
    rig.mark(0)
    file = tmp_path / "trial.zip"
    with rig.database.session() as session:
        packing.pack(session, rig.blobs, packing.find_project(session, "Trial"), file)
    with zipfile.ZipFile(file) as archive:
        assert {"project.json", "shot-01.json"} <= set(archive.namelist())
    with rig.database.session() as session:
        project = packing.unpack(session, rig.blobs, file)
        new = project.id
    assert new != rig.project
    with rig.database.session() as session:
        with pytest.raises(shots.NotFound, match="more than one"):
            packing.find_project(session, "Trial")
        project = packing.find_project(session, str(new))
        shot = session.scalar(select(shots.ShotRow).where(shots.ShotRow.project_id == project.id))
        ours = rig.document()
        assert shot.document["mattes"] == ours["mattes"]
        assert shot.document["planes"] == ours["planes"]
        frames = frames_of(session, shot.id)
        assert [f.blob for f in frames] == [rig.rows()[0].blob]


@pytest.mark.parametrize("how", ["text", "evil", "changed", "old"])
def test_packed_projects_that_are_damaged_or_hostile_are_refused_whole(rig: Rig, tmp_path: Path, how: str) -> None:
    file = tmp_path / "p.zip"
    if how == "text":
        file.write_text("not a zip")
    else:
        about = {"cuvrel": 9 if how == "old" else 1, "project": "X", "shots": [], "footage": []}
        with zipfile.ZipFile(file, "w") as archive:
            if how == "evil":
                archive.writestr("../../evil.txt", "x")
            if how == "changed":
                archive.writestr("footage/a.mp4", "x")
                about["footage"] = [{"id": "1", "name": "a", "file": "footage/a.mp4", "hash": "0" * 40}]
            archive.writestr("project.json", json.dumps(about))
    with rig.database.session() as session:
        before = len(session.scalars(select(Project)).all())
    with pytest.raises(RecipeError), rig.database.session() as session:
        packing.unpack(session, rig.blobs, file)
    with rig.database.session() as session:
        assert len(session.scalars(select(Project)).all()) == before
    assert not (tmp_path.parent / "evil.txt").exists()


def test_marks_are_kept_when_work_that_runs_has_no_room_any_more(rig: Rig, monkeypatch: pytest.MonkeyPatch) -> None:
    reserve = 1 << 30
    monkeypatch.setenv("CUVREL_RESERVE", str(reserve))
    monkeypatch.setattr(Room, "free", lambda self: reserve // 3)
    with pytest.raises(NoRoom):
        rig.blobs.put(b"a followed frame")
    rig.mark(0)
    assert rig.rows()[0].blob
    monkeypatch.setattr(Room, "free", lambda self: reserve // 9)
    with pytest.raises(NoRoom):
        rig.mark(4)


@pytest.mark.parametrize(
    ("fault", "says"),
    [
        (OSError(errno.ENOSPC, "No space left on device"), "The disk is full; the file is kept."),
        (NoRoom("The disk is nearly full; what was done so far is kept."), "nearly full"),
        (Stopped(), "was stopped"),
        ("gone", "is not in the store"),
    ],
)
def test_what_is_no_fault_of_the_file_refuses_nothing_and_is_run_again(
    rig: Rig, monkeypatch: pytest.MonkeyPatch, tmp_path: Path, fault: Any, says: str
) -> None:
    copy = tmp_path / "again.mp4"
    copy.write_bytes(rig.clip.path.read_bytes() + b"\0" * 9)
    whole = copy.read_bytes()
    with rig.database.session() as session:
        row = FootageRow(project_id=rig.project, name="again.mp4", blob=rig.blobs.put_file(copy), size=len(whole))
        session.add(row)
        session.flush()
        job = put(session, "ingest", rig.project, "again.mp4", footage_id=row.id).id
        number, blob = row.id, row.blob

    def fails(*_: Any) -> None:
        raise fault

    if fault == "gone":
        rig.blobs.path(blob).unlink()
    else:
        monkeypatch.setattr(footage_of, "_small", fails)
    assert rig.finish(job).state in ("failed", "stopped")
    with rig.database.session() as session:
        row = session.get_one(FootageRow, number)
        assert (row.state, says in row.message) == ("stopped", True), row.message
    assert blob in used(rig.database, rig.blobs), "the sweep leaves it alone"
    monkeypatch.undo()
    rig.blobs.put(whole)
    with rig.database.session() as session:
        row = session.get_one(JobRow, job)
        row.state, row.stop = "waiting", False
        enqueue(session, row)
    assert rig.finish(job).state == "done"
    with rig.database.session() as session:
        row = session.get_one(FootageRow, number)
        assert (row.state, row.message, row.info["frames"]) == ("ready", "", 16)
