"""Touched frames follow the marks; followed frames never overwrite them; jobs go on from where they were."""

import json
import zipfile
from pathlib import Path

import numpy as np
import pytest
from sqlalchemy import select

from cuvrel.core.checks.quality import overlap
from cuvrel.core.follow.carry import Follower
from cuvrel.core.media.probe import MediaInfo, probe
from cuvrel.core.media.reader import Reader
from cuvrel.core.recipe.check import read_shot
from cuvrel.core.recipe.errors import MediaError, RecipeError
from cuvrel.core.stand.build import Stand
from cuvrel.core.stand.nodes import work_out
from cuvrel.core.stand.settle import settling_key
from cuvrel.jobs.queue import Stopped, advance, put, run
from cuvrel.jobs.tasks import RANGE
from cuvrel.store import portable, shots
from cuvrel.store.footage import clean_name, first_look, make_ready
from cuvrel.store.mattes import frames_of, store_followed, store_matte, stored_matte
from cuvrel.store.models import FootageRow, JobRow, MatteFrame, Project
from cuvrel.store.pictures import StoreSources, snapshot
from cuvrel.store.sweep import sweep, used_blobs
from tests.recipes import drawn
from tests.store.conftest import Bench


def rows(bench: Bench) -> dict[int, MatteFrame]:
    with bench.database.session() as session:
        return {row.frame: row for row in frames_of(session, bench.shot)}


def matte(bench: Bench, frame: int) -> np.ndarray:
    found = stored_matte(bench.blobs, rows(bench)[frame])
    assert found is not None
    return found


def start_follow(bench: Bench, start: int, step: int = 1) -> int:
    with bench.database.session() as session:
        args = {"pull": "t1", "start": start, "step": step}
        return put(session, "follow", bench.project, "Following", shot_id=bench.shot, args=args).id


def finish(bench: Bench, job: int) -> JobRow:
    run(bench.database, job, bench.works.work)
    with bench.database.session() as session:
        row = session.get(JobRow, job)
        assert row is not None
        return row


def quiet(bench: Bench) -> None:
    """Following goes on where it would halt."""
    bench.edit([{"op": "add", "path": "/mattes/0/pulls/0/params/halt", "value": False}])


# touches


def test_a_mark_makes_a_touched_frame_with_a_matte(bench: Bench) -> None:
    bench.mark(0)
    row = rows(bench)[0]
    assert (row.origin, row.doubt) == ("touched", 0.0)
    assert overlap(matte(bench, 0), bench.clip.truth(0)) > 0.7


def test_undoing_all_marks_takes_the_touch_away_and_redo_brings_it_back(bench: Bench) -> None:
    bench.mark(0, apart=True)
    blob = rows(bench)[0].blob
    count = len(bench.clip.marks())
    for _ in range(count):
        bench.step("undo")
    assert rows(bench) == {}
    for _ in range(count):
        bench.step("redo")
    assert rows(bench)[0].blob == blob


def test_out_marks_alone_touch_without_a_matte(bench: Bench) -> None:
    out = next(m for m in bench.clip.marks() if m.kind == "out")
    bench.edit(drawn([out]))
    assert rows(bench)[0].origin == "touched"
    assert rows(bench)[0].blob is None


def test_changing_how_a_trace_is_solved_solves_its_touched_frames_again(bench: Bench) -> None:
    bench.mark(0)
    blob = rows(bench)[0].blob
    touched = bench.edit([{"op": "add", "path": "/mattes/0/pulls/0/params/detail", "value": 0.0}])
    assert touched == [("t1", 0)]
    assert rows(bench)[0].blob != blob
    bench.step("undo")
    assert rows(bench)[0].blob == blob


def test_edits_that_do_not_concern_marks_touch_nothing(bench: Bench) -> None:
    bench.mark(0)
    assert bench.edit([{"op": "replace", "path": "/name", "value": "x"}]) == []


# follow


def test_following_fills_the_frames_and_stops_at_the_end(bench: Bench) -> None:
    bench.mark(0)
    quiet(bench)
    job = finish(bench, start_follow(bench, 0))
    assert job.state == "done"
    assert "end" in job.message
    found = rows(bench)
    assert set(found) == set(range(16))
    assert all(found[f].origin == "followed" for f in range(1, 16))
    assert all(0 <= found[f].doubt <= 1 for f in found)
    assert (job.done, job.total) == (15, 15)
    assert overlap(matte(bench, 3), bench.clip.truth(3)) > 0.6


def test_following_back(bench: Bench) -> None:
    bench.mark(6)
    quiet(bench)
    job = finish(bench, start_follow(bench, 6, -1))
    assert job.state == "done"
    assert set(rows(bench)) == set(range(7))


def test_touched_frames_are_never_overwritten_and_end_the_follow(bench: Bench) -> None:
    bench.mark(0)
    bench.mark(5)
    quiet(bench)
    kept = rows(bench)[5].blob
    job = finish(bench, start_follow(bench, 0))
    assert "touched" in job.message
    found = rows(bench)
    assert set(found) == set(range(6))
    assert found[5].origin == "touched"
    assert found[5].blob == kept
    with bench.database.session() as session:
        assert not store_followed(session, bench.shot, "t1", 5, kept, 0.5, None)


def test_a_mark_on_a_followed_frame_mends_it_and_undo_brings_the_followed_one_back(bench: Bench) -> None:
    bench.mark(0)
    quiet(bench)
    finish(bench, start_follow(bench, 0))
    was = rows(bench)[4]
    out = {"id": "mend", "frame": 4, "kind": "out", "radius": 4, "points": [[20, 20], [60, 22]]}
    assert bench.edit([{"op": "add", "path": "/mattes/0/pulls/0/marks/-", "value": out}]) == [("t1", 4)]
    mended = rows(bench)[4]
    assert (mended.origin, mended.doubt, mended.halt) == ("touched", 0.0, None)
    assert mended.base["blob"] == was.blob
    bench.step("undo")
    back = rows(bench)[4]
    assert (back.origin, back.blob, back.doubt, back.base) == ("followed", was.blob, was.doubt, None)


def test_a_follow_that_was_cut_off_goes_on_from_its_last_frame(bench: Bench) -> None:
    bench.mark(0)
    quiet(bench)
    whole = finish(bench, start_follow(bench, 0))
    assert whole.state == "done"
    wanted = {f: r.blob for f, r in rows(bench).items()}
    with bench.database.session() as session:
        for row in session.scalars(select(MatteFrame).where(MatteFrame.frame > 3)):
            session.delete(row)
    job = start_follow(bench, 0)
    with bench.database.session() as session:
        row = session.get(JobRow, job)
        row.state, row.progress = "working", {"at": 3}
    assert finish(bench, job).state == "done"
    found = rows(bench)
    assert set(found) == set(range(16))
    assert {f: found[f].blob for f in range(4)} == {f: wanted[f] for f in range(4)}


def test_a_follow_stops_promptly_and_keeps_what_it_has(bench: Bench, monkeypatch: pytest.MonkeyPatch) -> None:
    bench.mark(0)
    quiet(bench)
    job = start_follow(bench, 0)

    def impatient(session, job_id, done, total, **progress):  # type: ignore[no-untyped-def]
        if done == 3:
            with bench.database.session() as other:
                other.get(JobRow, job_id).stop = True
        advance(session, job_id, done, total, **progress)

    monkeypatch.setattr("cuvrel.jobs.tasks.advance", impatient)
    assert finish(bench, job).state == "stopped"
    assert set(rows(bench)) <= {0, 1, 2, 3}
    assert 2 in rows(bench)


def test_a_halt_is_kept_with_its_place_and_can_be_waved_through(bench: Bench, monkeypatch: pytest.MonkeyPatch) -> None:
    bench.mark(0)
    # a follower that trusts itself little
    monkeypatch.setattr("cuvrel.core.follow.carry.HALT", 1e-6)
    job = finish(bench, start_follow(bench, 0))
    frame = job.result["frame"]
    halt = rows(bench)[frame].halt
    assert halt["reason"] in job.message
    assert 0 <= halt["x"] <= bench.clip.info.width
    assert max(rows(bench)) == frame
    again = finish(bench, start_follow(bench, frame))
    assert max(rows(bench)) > frame
    assert again.state == "done"


def test_between_two_touches_following_joins_what_comes_back(bench: Bench) -> None:
    bench.mark(0)
    quiet(bench)
    finish(bench, start_follow(bench, 0))
    alone = {f: matte(bench, f) for f in (2, 6)}
    bench.mark(8)
    job = finish(bench, start_follow(bench, 0))
    assert "joined" in job.message
    assert job.done == job.total == 14
    assert np.abs(matte(bench, 2) - alone[2]).mean() < np.abs(matte(bench, 6) - alone[6]).mean()
    assert overlap(matte(bench, 7), bench.clip.truth(7)) > 0.6


def test_following_remembers_the_touched_frames_on_either_side(bench: Bench, monkeypatch: pytest.MonkeyPatch) -> None:
    for frame in (0, 3, 6):
        bench.mark(frame)
    quiet(bench)
    taught = list[np.ndarray]()
    remember = Follower.remember
    monkeypatch.setattr(Follower, "remember", lambda self, rgb, m: (taught.append(m), remember(self, rgb, m))[1])
    finish(bench, start_follow(bench, 3))
    # from the frame in the middle both, and on the way back, from the last one, that in the middle
    assert len(taught) == 3
    for found, frame in zip(taught, (0, 6, 3), strict=True):
        np.testing.assert_array_equal(found, matte(bench, frame))


def test_following_looks_for_the_place_on_frames_further_off_that_can_be_trusted(
    bench: Bench, monkeypatch: pytest.MonkeyPatch
) -> None:
    bench.mark(0)
    quiet(bench)
    finish(bench, start_follow(bench, 0))
    bench.mark(3)
    surveyed = list[np.ndarray]()
    survey = Follower.survey
    monkeypatch.setattr(Follower, "survey", lambda self, rgb, m: (surveyed.append(m), survey(self, rgb, m))[1])
    before = {frame: matte(bench, frame) for frame in range(bench.clip.info.frames)}
    with bench.database.session() as session:
        for row in frames_of(session, bench.shot):
            row.doubt = 0.95 if row.frame == 9 else 0.2
    finish(bench, start_follow(bench, 3))
    assert [next(n for n in before if np.array_equal(before[n], one)) for one in surveyed] == [10, 15]


def test_a_join_that_was_cut_off_goes_on(bench: Bench) -> None:
    bench.mark(0)
    bench.mark(6)
    quiet(bench)
    job = start_follow(bench, 0)
    assert finish(bench, job).state == "done"
    wanted = {f: r.blob for f, r in rows(bench).items()}
    with bench.database.session() as session:
        row = session.get(JobRow, job)
        row.state, row.progress, row.finished = "working", {"at": 5, "back": 2}, None
    assert finish(bench, job).state == "done"
    assert {f: r.blob for f, r in rows(bench).items() if f != 1} == {f: b for f, b in wanted.items() if f != 1}


def test_the_last_shape_can_be_kept_for_a_frame(bench: Bench) -> None:
    bench.mark(0)
    with bench.database.session() as session:
        args = {"pull": "t1", "start": 0, "step": 1, "keep": True}
        job = put(session, "follow", bench.project, "Following", shot_id=bench.shot, args=args).id
    finish(bench, job)
    assert (matte(bench, 1) > 0.5).sum() == pytest.approx((matte(bench, 0) > 0.5).sum(), rel=0.12)
    assert len(rows(bench)) > 2, "a shape that was kept is not halted at"


def test_a_frame_without_marks_is_found_and_taken_back(bench: Bench) -> None:
    found = {"id": "f", "frame": 4, "kind": "found", "radius": 1, "points": []}
    assert bench.edit([{"op": "add", "path": "/mattes/0/pulls/0/marks/-", "value": found}]) == [("t1", 4)]
    assert rows(bench)[4].origin == "touched"
    assert overlap(matte(bench, 4), bench.clip.truth(4)) > 0.4
    bench.step("undo")
    assert 4 not in rows(bench)


# settle


def start_settle(bench: Bench) -> int:
    with bench.database.session() as session:
        row = shots.found(session, bench.shot)
        token = settling_key(read_shot(row.document), "m1", [tuple(f) for f in snapshot(session, bench.shot)])
        args = {"matte": "m1", "token": token, "document": row.document}
        return put(session, "settle", bench.project, "Settling", shot_id=bench.shot, args=args).id


def stand(bench: Bench) -> Stand:
    with bench.database.session() as session:
        shot = read_shot(shots.found(session, bench.shot).document)
        return Stand(shot, StoreSources(session, bench.shot, shot, bench.blobs, bench.works.readers))


def test_a_settled_matte_is_read_and_undo_brings_its_recipe_back(bench: Bench) -> None:
    bench.mark(0)
    bench.edit([{"op": "add", "path": "/mattes/0/edge/grow", "value": 5}])
    live = work_out(stand(bench).matte("m1", 0), bench.works.cache)
    job = finish(bench, start_settle(bench))
    assert (job.state, job.done, job.total) == ("done", 16, 16)
    node = stand(bench).matte("m1", 0)
    assert not node.inputs, "nothing is computed any more"
    assert np.abs(work_out(node, bench.works.cache) - live).max() <= 0.5 / 255 + 1e-6
    # the recipe may change; the settled frames stay until it is unsettled
    bench.edit([{"op": "replace", "path": "/mattes/0/edge/grow", "value": 0}])
    assert stand(bench).matte("m1", 0).key == node.key
    bench.step("undo")
    bench.step("undo")
    assert stand(bench).matte("m1", 0).inputs


def test_a_settle_that_was_cut_off_goes_on_from_its_last_frame(bench: Bench, monkeypatch: pytest.MonkeyPatch) -> None:
    bench.mark(0)
    job = start_settle(bench)

    def cut(session, job_id, done, total, **progress):  # type: ignore[no-untyped-def]
        advance(session, job_id, done, total, **progress)
        if done == 5:
            session.commit()
            raise KeyboardInterrupt

    with monkeypatch.context() as patched:
        patched.setattr("cuvrel.jobs.tasks.advance", cut)
        with pytest.raises(KeyboardInterrupt):
            finish(bench, job)
    assert stand(bench).shot.matte("m1").settled is None
    assert finish(bench, job).state == "done"
    with bench.database.session() as session:
        kept = [f for f in frames_of(session, bench.shot, settled=True) if f.origin == "settled"]
        assert all(f.origin != "settled" for f in frames_of(session, bench.shot))
    assert [f.frame for f in kept] == list(range(16))


def test_following_from_nothing_fails_with_a_sentence(bench: Bench) -> None:
    job = finish(bench, start_follow(bench, 2))
    assert job.state == "failed"
    assert "no matte" in job.message
    with bench.database.session() as session:
        gone = put(
            session, "follow", bench.project, "x", shot_id=bench.shot, args={"pull": "zz", "start": 0, "step": 1}
        ).id
    assert "not in the shot" in finish(bench, gone).message


def test_a_fault_inside_a_job_is_told_in_plain_words(bench: Bench) -> None:
    job = start_follow(bench, 0)

    def broken(row: JobRow) -> str:
        raise ZeroDivisionError

    run(bench.database, job, broken)
    with bench.database.session() as session:
        row = session.get(JobRow, job)
        assert row.state == "failed"
        assert "ZeroDivision" not in row.message
        assert "Run it again" in row.message


def test_a_job_that_is_gone_or_stopped_does_nothing(bench: Bench) -> None:
    job = start_follow(bench, 0)
    with bench.database.session() as session:
        row = session.get(JobRow, job)
        row.stop = True
    with bench.database.session() as session, pytest.raises(Stopped):
        advance(session, job, 1, 2)
    assert finish(bench, job).state == "stopped"
    run(bench.database, job, bench.works.work)  # ended jobs are left alone
    run(bench.database, 999_999, bench.works.work)


# exports


def start_export(bench: Bench, kind: str, target: str | None = "m1", first: int = 0, last: int = 15) -> int:
    with bench.database.session() as session:
        frames = bench.blobs.put(json.dumps(snapshot(session, bench.shot)).encode())
        row = shots.found(session, bench.shot)
        args = {"kind": kind, "target": target, "first": first, "last": last, "name": "trial", "document": row.document,
                "frames": frames}  # fmt: skip
        return put(session, "export", bench.project, kind, shot_id=bench.shot, args=args).id


@pytest.fixture
def small_ranges(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr("cuvrel.jobs.tasks.RANGE", 6)


@pytest.mark.usefixtures("small_ranges")
@pytest.mark.parametrize("kind", ["result-h264", "cutout-prores", "matte-ffv1"])
def test_an_export_of_several_ranges_is_one_whole_video(bench: Bench, kind: str) -> None:
    bench.mark(0)
    job = finish(bench, start_export(bench, kind))
    assert job.state == "done", job.message
    path = bench.blobs.path(job.result["blob"])
    info = probe(path)
    assert info.frames == 16
    assert info.fps == pytest.approx(24)
    assert job.result["sidecar"]["frames"] == [1001, 1016]
    if kind == "matte-ffv1":
        found = Reader(path, info).frame(0)[..., 0].astype(np.float32) / 255
        assert np.array_equal(found, matte(bench, 0))


@pytest.mark.usefixtures("small_ranges")
def test_a_picture_sequence_carries_its_sidecar(bench: Bench) -> None:
    bench.mark(0)
    job = finish(bench, start_export(bench, "cutout-png-premultiplied", first=3, last=11))
    with zipfile.ZipFile(bench.blobs.path(job.result["blob"])) as archive:
        names = archive.namelist()
        assert names == [*(f"trial.{n:04d}.png" for n in range(1004, 1013)), "trial.json"]
        assert json.loads(archive.read("trial.json"))["alpha"] == "premultiplied"


@pytest.mark.usefixtures("small_ranges")
def test_an_export_goes_on_from_its_last_whole_range(bench: Bench, monkeypatch: pytest.MonkeyPatch) -> None:
    bench.mark(0)
    job = start_export(bench, "matte-ffv1")
    begun: list[int] = []
    inner = bench.works._range

    def counted(row, export, stand, target, span, *rest):  # type: ignore[no-untyped-def]
        begun.append(span[0])
        if len(begun) == 2:
            raise MediaError("The disk was pulled out.")
        return inner(row, export, stand, target, span, *rest)

    monkeypatch.setattr(bench.works, "_range", counted)
    assert finish(bench, job).state == "failed"
    with bench.database.session() as session:
        row = session.get(JobRow, job)
        assert len(row.progress["parts"]) == 1
        row.state = "waiting"
    assert finish(bench, job).state == "done"
    assert begun == [0, 6, 6, 12]
    assert RANGE == 24


def test_an_export_is_made_of_the_shot_as_it_was(bench: Bench) -> None:
    bench.mark(0)
    job = start_export(bench, "matte-ffv1", last=0)
    was = matte(bench, 0)
    bench.step("undo")
    done = finish(bench, job)
    found = Reader(path := bench.blobs.path(done.result["blob"]), probe(path)).frame(0)[..., 0]
    assert np.array_equal(found, np.round(was * 255))


# footage


def test_footage_is_made_ready_with_proxy_and_film(bench: Bench) -> None:
    with bench.database.session() as session:
        row = session.get(FootageRow, bench.footage)
        assert row.state == "ready"
        info = MediaInfo.from_json(row.info)
        assert info == bench.clip.info
        assert row.film["count"] == 16
        proxy = MediaInfo.from_json(row.proxy["info"])
        reader = Reader(bench.blobs.path(row.proxy["blob"]), proxy)
        near = np.abs(reader.frame(7).astype(int) - bench.clip.frame(7)).mean()
        assert near < 6
        assert near < np.abs(reader.frame(7).astype(int) - bench.clip.frame(3)).mean()


def test_footage_that_turns_out_broken_is_refused_and_swept(bench: Bench) -> None:
    blob = bench.blobs.put(bench.clip.path.read_bytes()[:3000])
    with bench.database.session() as session:
        row = FootageRow(project_id=bench.project, name="bad.mp4", blob=blob, size=3000)
        session.add(row)
        session.flush()
        job = put(session, "ingest", bench.project, "bad.mp4", footage_id=row.id).id
        footage = row.id
    done = finish(bench, job)
    assert done.state == "failed"
    with bench.database.session() as session:
        row = session.get(FootageRow, footage)
        assert row.state == "refused"
        assert row.message.endswith(".")
        with pytest.raises(MediaError):
            make_ready(session, row, bench.blobs)
    assert bench.blobs.has(blob)
    sweep(bench.database, bench.blobs, older=0)
    assert not bench.blobs.has(blob)


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


# blobs


def test_blobs_are_kept_once_and_whole(bench: Bench, tmp_path: Path) -> None:
    key = bench.blobs.put(b"rope")
    assert bench.blobs.put(b"rope") == key
    assert bench.blobs.get(key) == b"rope"
    (tmp_path / "f").write_bytes(b"rope")
    assert bench.blobs.put_file(tmp_path / "f") == key
    assert not (tmp_path / "f").exists()
    assert bench.blobs.path(key).read_bytes() == b"rope"
    assert not [n for n in bench.blobs.fs.find(bench.blobs.root) if ".new-" in n]
    for bad in ("../../etc/passwd", "x", key[:-1] + "G"):
        with pytest.raises(ValueError, match="not a blob key"):
            bench.blobs.get(bad)


def test_the_sweep_removes_what_nothing_points_to_and_half_made_files(bench: Bench) -> None:
    bench.mark(0)
    used = used_blobs(bench.database)
    stray = bench.blobs.put(b"stray")
    half = Path(bench.blobs.root) / "ab"
    half.mkdir(exist_ok=True)
    (half / ".new-123").write_bytes(b"half")
    assert sweep(bench.database, bench.blobs) == 0  # all too young
    sweep(bench.database, bench.blobs, older=0)
    assert not bench.blobs.has(stray)
    assert not (half / ".new-123").exists()
    assert all(bench.blobs.has(blob) for blob in used)
    assert matte(bench, 0).any()


def test_a_matte_survives_its_store_to_8_bits(bench: Bench) -> None:
    alpha = np.linspace(0, 1, 64, dtype=np.float32).reshape(8, 8)
    row = MatteFrame(blob=store_matte(bench.blobs, alpha))
    assert np.abs(stored_matte(bench.blobs, row) - alpha).max() <= 0.5 / 255 + 1e-6


# the portable project


def test_a_packed_project_unpacks_to_the_same(bench: Bench, tmp_path: Path) -> None:
    bench.mark(0)
    file = tmp_path / "trial.zip"
    with bench.database.session() as session:
        portable.pack(session, bench.blobs, portable.find_project(session, "Trial"), file)
    with zipfile.ZipFile(file) as archive:
        assert {"project.json", "shot-01.json"} <= set(archive.namelist())
    with bench.database.session() as session:
        project = portable.unpack(session, bench.blobs, file)
        new = project.id
    assert new != bench.project
    with bench.database.session() as session:
        with pytest.raises(shots.NotFound, match="more than one"):
            portable.find_project(session, "Trial")
        project = portable.find_project(session, str(new))
        shot = session.scalar(select(shots.ShotRow).where(shots.ShotRow.project_id == project.id))
        ours = bench.document()
        assert shot.document["mattes"] == ours["mattes"]
        assert shot.document["planes"] == ours["planes"]
        frames = frames_of(session, shot.id)
        assert [f.blob for f in frames] == [rows(bench)[0].blob]


@pytest.mark.parametrize("how", ["text", "evil", "changed", "old"])
def test_packed_projects_that_are_damaged_or_hostile_are_refused_whole(bench: Bench, tmp_path: Path, how: str) -> None:
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
    with bench.database.session() as session:
        before = len(session.scalars(select(Project)).all())
    with pytest.raises(RecipeError), bench.database.session() as session:
        portable.unpack(session, bench.blobs, file)
    with bench.database.session() as session:
        assert len(session.scalars(select(Project)).all()) == before
    assert not (tmp_path.parent / "evil.txt").exists()
