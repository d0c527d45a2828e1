"""Followed frames never overwrite touched ones; a follow goes on from where it was, halts and joins."""

import numpy as np
import pytest
from sqlalchemy import select

from cuvrel.core.checks.quality import overlap
from cuvrel.core.follow.carry import Follower
from cuvrel.jobs.queue import put
from cuvrel.jobs.running import advance
from cuvrel.store.mattes import frames_of, store_followed
from cuvrel.store.models import JobRow, MatteFrame
from tests.store.conftest import Bench


def test_following_fills_the_frames_and_stops_at_the_end(bench: Bench) -> None:
    bench.mark(0)
    bench.quiet()
    job = bench.finish(bench.start_follow(0))
    assert job.state == "done"
    assert "end" in job.message
    found = bench.rows()
    assert set(found) == set(range(16))
    assert all(found[f].origin == "followed" for f in range(1, 16))
    assert all(0 <= found[f].doubt <= 1 for f in found)
    assert (job.done, job.total) == (15, 15)
    assert overlap(bench.matte(3), bench.clip.truth(3)) > 0.6


def test_following_back(bench: Bench) -> None:
    bench.mark(6)
    bench.quiet()
    job = bench.finish(bench.start_follow(6, -1))
    assert job.state == "done"
    assert set(bench.rows()) == set(range(7))


def test_touched_frames_are_never_overwritten_and_end_the_follow(bench: Bench) -> None:
    bench.mark(0)
    bench.mark(5)
    bench.quiet()
    kept = bench.rows()[5].blob
    job = bench.finish(bench.start_follow(0))
    assert "touched" in job.message
    found = bench.rows()
    assert set(found) == set(range(6))
    assert found[5].origin == "touched"
    assert found[5].blob == kept
    with bench.database.session() as session:
        assert not store_followed(session, bench.shot, "t1", 5, kept, 0.5, None)


def test_a_mark_on_a_followed_frame_mends_it_and_undo_brings_the_followed_one_back(bench: Bench) -> None:
    bench.mark(0)
    bench.quiet()
    bench.finish(bench.start_follow(0))
    was = bench.rows()[4]
    out = {"id": "mend", "frame": 4, "kind": "out", "radius": 4, "points": [[20, 20], [60, 22]]}
    assert bench.edit([{"op": "add", "path": "/mattes/0/pulls/0/marks/-", "value": out}]) == [("t1", 4)]
    mended = bench.rows()[4]
    assert (mended.origin, mended.doubt, mended.halt) == ("touched", 0.0, None)
    assert mended.base["blob"] == was.blob
    bench.step("undo")
    back = bench.rows()[4]
    assert (back.origin, back.blob, back.doubt, back.base) == ("followed", was.blob, was.doubt, None)


def test_a_follow_that_was_cut_off_goes_on_from_its_last_frame(bench: Bench) -> None:
    bench.mark(0)
    bench.quiet()
    whole = bench.finish(bench.start_follow(0))
    assert whole.state == "done"
    wanted = {f: r.blob for f, r in bench.rows().items()}
    with bench.database.session() as session:
        for row in session.scalars(select(MatteFrame).where(MatteFrame.frame > 3)):
            session.delete(row)
    job = bench.start_follow(0)
    with bench.database.session() as session:
        row = session.get(JobRow, job)
        row.state, row.progress = "waiting", {"at": 3}
    assert bench.finish(job).state == "done"
    found = bench.rows()
    assert set(found) == set(range(16))
    assert {f: found[f].blob for f in range(4)} == {f: wanted[f] for f in range(4)}


def test_a_whole_follow_goes_both_ways_from_all_touched_frames_and_on_from_the_way_it_was_cut_off_in(
    bench: Bench,
) -> None:
    bench.mark(4)
    bench.mark(9)
    bench.quiet()
    job = bench.start_follow(4, whole=True)
    assert bench.finish(job).state == "done"
    found = bench.rows()
    assert set(found) == set(range(16))
    assert [f for f, row in found.items() if row.origin == "touched"] == [4, 9]
    # as if the worker had died at the beginning of the last way, before any of its frames was there
    with bench.database.session() as session:
        for row in session.scalars(select(MatteFrame).where(MatteFrame.frame > 9)):
            session.delete(row)
        again = session.get(JobRow, job)
        assert again is not None
        again.state, again.progress, again.finished = "waiting", {"way": 2}, None
    before = {f: row.blob for f, row in bench.rows().items()}
    assert set(before) == set(range(10))
    assert bench.finish(job).state == "done"
    after = {f: row.blob for f, row in bench.rows().items()}
    assert set(after) == set(range(16))
    assert {f: after[f] for f in before} == before, "what was there is not followed once more"


def test_a_follow_stops_promptly_and_keeps_what_it_has(bench: Bench, monkeypatch: pytest.MonkeyPatch) -> None:
    bench.mark(0)
    bench.quiet()
    job = bench.start_follow(0)

    def impatient(session, job_id, done, total, **progress):  # type: ignore[no-untyped-def]
        if done == 3:
            with bench.database.session() as other:
                other.get(JobRow, job_id).stop = True
        advance(session, job_id, done, total, **progress)

    monkeypatch.setattr("cuvrel.jobs.tasks.advance", impatient)
    assert bench.finish(job).state == "stopped"
    assert set(bench.rows()) <= {0, 1, 2, 3}
    assert 2 in bench.rows()


def test_a_halt_is_kept_with_its_place_and_can_be_waved_through(bench: Bench, monkeypatch: pytest.MonkeyPatch) -> None:
    bench.mark(0)
    # a follower that trusts itself little
    monkeypatch.setattr("cuvrel.core.follow.carry.HALT", 1e-6)
    job = bench.finish(bench.start_follow(0))
    frame = job.result["frame"]
    halt = bench.rows()[frame].halt
    assert halt["reason"] in job.message
    assert 0 <= halt["x"] <= bench.clip.info.width
    assert max(bench.rows()) == frame
    again = bench.finish(bench.start_follow(frame))
    assert max(bench.rows()) > frame
    assert again.state == "done"


def test_between_two_touches_following_joins_what_comes_back(bench: Bench) -> None:
    bench.mark(0)
    bench.quiet()
    bench.finish(bench.start_follow(0))
    alone = {f: bench.matte(f) for f in (2, 6)}
    bench.mark(8)
    job = bench.finish(bench.start_follow(0))
    assert "joined" in job.message
    assert job.done == job.total == 14
    assert np.abs(bench.matte(2) - alone[2]).mean() < np.abs(bench.matte(6) - alone[6]).mean()
    assert overlap(bench.matte(7), bench.clip.truth(7)) > 0.6


def test_following_remembers_the_touched_frames_on_either_side(bench: Bench, monkeypatch: pytest.MonkeyPatch) -> None:
    for frame in (0, 3, 6):
        bench.mark(frame)
    bench.quiet()
    taught = list[np.ndarray]()
    remember = Follower.remember
    monkeypatch.setattr(Follower, "remember", lambda self, rgb, m: (taught.append(m), remember(self, rgb, m))[1])
    bench.finish(bench.start_follow(3))
    # from the frame in the middle both, and on the way back, from the last one, that in the middle
    assert len(taught) == 3
    for found, frame in zip(taught, (0, 6, 3), strict=True):
        np.testing.assert_array_equal(found, bench.matte(frame))


def test_following_looks_for_the_place_on_frames_further_off_that_can_be_trusted(
    bench: Bench, monkeypatch: pytest.MonkeyPatch
) -> None:
    bench.mark(0)
    bench.quiet()
    bench.finish(bench.start_follow(0))
    bench.mark(3)
    surveyed = list[np.ndarray]()
    survey = Follower.survey
    monkeypatch.setattr(Follower, "survey", lambda self, rgb, m: (surveyed.append(m), survey(self, rgb, m))[1])
    before = {frame: bench.matte(frame) for frame in range(bench.clip.info.frames)}
    with bench.database.session() as session:
        for row in frames_of(session, bench.shot):
            row.doubt = 0.95 if row.frame == 9 else 0.2
    bench.finish(bench.start_follow(3))
    assert [next(n for n in before if np.array_equal(before[n], one)) for one in surveyed] == [10, 15]


def test_a_join_that_was_cut_off_goes_on(bench: Bench) -> None:
    bench.mark(0)
    bench.mark(6)
    bench.quiet()
    job = bench.start_follow(0)
    assert bench.finish(job).state == "done"
    wanted = {f: r.blob for f, r in bench.rows().items()}
    with bench.database.session() as session:
        row = session.get(JobRow, job)
        row.state, row.progress, row.finished = "waiting", {"at": 5, "back": 2}, None
    assert bench.finish(job).state == "done"
    assert {f: r.blob for f, r in bench.rows().items() if f != 1} == {f: b for f, b in wanted.items() if f != 1}


def test_the_last_shape_can_be_kept_for_a_frame(bench: Bench) -> None:
    bench.mark(0)
    with bench.database.session() as session:
        args = {"pull": "t1", "start": 0, "step": 1, "keep": True}
        job = put(session, "follow", bench.project, "Following", shot_id=bench.shot, args=args).id
    bench.finish(job)
    assert (bench.matte(1) > 0.5).sum() == pytest.approx((bench.matte(0) > 0.5).sum(), rel=0.12)
    assert len(bench.rows()) > 2, "a shape that was kept is not halted at"


def test_a_frame_without_marks_is_found_and_taken_back(bench: Bench) -> None:
    found = {"id": "f", "frame": 4, "kind": "found", "radius": 1, "points": []}
    assert bench.edit([{"op": "add", "path": "/mattes/0/pulls/0/marks/-", "value": found}]) == [("t1", 4)]
    assert bench.rows()[4].origin == "touched"
    assert overlap(bench.matte(4), bench.clip.truth(4)) > 0.4
    bench.step("undo")
    assert 4 not in bench.rows()
