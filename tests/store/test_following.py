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
from tests.store.conftest import Rig


def test_following_fills_the_frames_and_stops_at_the_end(rig: Rig) -> None:
    rig.mark(0)
    rig.quiet()
    job = rig.finish(rig.start_follow(0))
    assert job.state == "done"
    assert "end" in job.message
    found = rig.rows()
    assert set(found) == set(range(16))
    assert all(found[f].origin == "followed" for f in range(1, 16))
    assert all(0 <= found[f].doubt <= 1 for f in found)
    assert (job.done, job.total) == (15, 15)
    assert overlap(rig.matte(3), rig.clip.truth(3)) > 0.6


def test_following_back(rig: Rig) -> None:
    rig.mark(6)
    rig.quiet()
    job = rig.finish(rig.start_follow(6, -1))
    assert job.state == "done"
    assert set(rig.rows()) == set(range(7))


def test_touched_frames_are_never_overwritten_and_end_the_follow(rig: Rig) -> None:
    rig.mark(0)
    rig.mark(5)
    rig.quiet()
    kept = rig.rows()[5].blob
    job = rig.finish(rig.start_follow(0))
    assert "touched" in job.message
    found = rig.rows()
    assert set(found) == set(range(6))
    assert found[5].origin == "touched"
    assert found[5].blob == kept
    with rig.database.session() as session:
        assert not store_followed(session, rig.shot, "t1", 5, kept, 0.5, None)


def test_a_mark_on_a_followed_frame_mends_it_and_undo_brings_the_followed_one_back(rig: Rig) -> None:
    rig.mark(0)
    rig.quiet()
    rig.finish(rig.start_follow(0))
    was = rig.rows()[4]
    out = {"id": "mend", "frame": 4, "kind": "out", "radius": 4, "points": [[20, 20], [60, 22]]}
    assert rig.edit([{"op": "add", "path": "/mattes/0/pulls/0/marks/-", "value": out}]) == [("t1", 4)]
    mended = rig.rows()[4]
    assert (mended.origin, mended.doubt, mended.halt) == ("touched", 0.0, None)
    assert mended.base["blob"] == was.blob
    rig.step("undo")
    back = rig.rows()[4]
    assert (back.origin, back.blob, back.doubt, back.base) == ("followed", was.blob, was.doubt, None)


def test_a_follow_that_was_cut_off_goes_on_from_its_last_frame(rig: Rig) -> None:
    rig.mark(0)
    rig.quiet()
    whole = rig.finish(rig.start_follow(0))
    assert whole.state == "done"
    wanted = {f: r.blob for f, r in rig.rows().items()}
    with rig.database.session() as session:
        for row in session.scalars(select(MatteFrame).where(MatteFrame.frame > 3)):
            session.delete(row)
    job = rig.start_follow(0)
    with rig.database.session() as session:
        row = session.get(JobRow, job)
        row.state, row.progress = "waiting", {"at": 3}
    assert rig.finish(job).state == "done"
    found = rig.rows()
    assert set(found) == set(range(16))
    assert {f: found[f].blob for f in range(4)} == {f: wanted[f] for f in range(4)}


def test_a_whole_follow_goes_both_ways_from_all_touched_frames_and_on_from_the_way_it_was_cut_off_in(
    rig: Rig,
) -> None:
    rig.mark(4)
    rig.mark(9)
    rig.quiet()
    job = rig.start_follow(4, whole=True)
    assert rig.finish(job).state == "done"
    found = rig.rows()
    assert set(found) == set(range(16))
    assert [f for f, row in found.items() if row.origin == "touched"] == [4, 9]
    # as if the worker had died at the beginning of the last way, before any of its frames was there
    with rig.database.session() as session:
        for row in session.scalars(select(MatteFrame).where(MatteFrame.frame > 9)):
            session.delete(row)
        again = session.get(JobRow, job)
        assert again is not None
        again.state, again.progress, again.finished = "waiting", {"way": 2}, None
    before = {f: row.blob for f, row in rig.rows().items()}
    assert set(before) == set(range(10))
    assert rig.finish(job).state == "done"
    after = {f: row.blob for f, row in rig.rows().items()}
    assert set(after) == set(range(16))
    assert {f: after[f] for f in before} == before, "what was there is not followed once more"


def test_a_follow_stops_promptly_and_keeps_what_it_has(rig: Rig, monkeypatch: pytest.MonkeyPatch) -> None:
    rig.mark(0)
    rig.quiet()
    job = rig.start_follow(0)

    def impatient(session, job_id, done, total, **progress):  # type: ignore[no-untyped-def]
        if done == 3:
            with rig.database.session() as other:
                other.get(JobRow, job_id).stop = True
        advance(session, job_id, done, total, **progress)

    monkeypatch.setattr("cuvrel.jobs.tasks.advance", impatient)
    assert rig.finish(job).state == "stopped"
    assert set(rig.rows()) <= {0, 1, 2, 3}
    assert 2 in rig.rows()


def test_a_halt_is_kept_with_its_place_and_can_be_waved_through(rig: Rig, monkeypatch: pytest.MonkeyPatch) -> None:
    rig.mark(0)
    # a follower that trusts itself little
    monkeypatch.setattr("cuvrel.core.follow.carry.HALT", 1e-6)
    job = rig.finish(rig.start_follow(0))
    frame = job.result["frame"]
    halt = rig.rows()[frame].halt
    assert halt["reason"] in job.message
    assert 0 <= halt["x"] <= rig.clip.info.width
    assert max(rig.rows()) == frame
    again = rig.finish(rig.start_follow(frame))
    assert max(rig.rows()) > frame
    assert again.state == "done"


def test_between_two_touches_following_joins_what_comes_back(rig: Rig) -> None:
    rig.mark(0)
    rig.quiet()
    rig.finish(rig.start_follow(0))
    alone = {f: rig.matte(f) for f in (2, 6)}
    rig.mark(8)
    job = rig.finish(rig.start_follow(0))
    assert "joined" in job.message
    assert job.done == job.total == 14
    assert np.abs(rig.matte(2) - alone[2]).mean() < np.abs(rig.matte(6) - alone[6]).mean()
    assert overlap(rig.matte(7), rig.clip.truth(7)) > 0.6


def test_following_remembers_the_touched_frames_on_either_side(rig: Rig, monkeypatch: pytest.MonkeyPatch) -> None:
    for frame in (0, 3, 6):
        rig.mark(frame)
    rig.quiet()
    taught = list[np.ndarray]()
    remember = Follower.remember
    monkeypatch.setattr(Follower, "remember", lambda self, rgb, m: (taught.append(m), remember(self, rgb, m))[1])
    rig.finish(rig.start_follow(3))
    # from the frame in the middle both, and on the way back, from the last one, that in the middle
    assert len(taught) == 3
    for found, frame in zip(taught, (0, 6, 3), strict=True):
        np.testing.assert_array_equal(found, rig.matte(frame))


def test_following_looks_for_the_place_on_frames_further_off_that_can_be_trusted(
    rig: Rig, monkeypatch: pytest.MonkeyPatch
) -> None:
    rig.mark(0)
    rig.quiet()
    rig.finish(rig.start_follow(0))
    rig.mark(3)
    surveyed = list[np.ndarray]()
    survey = Follower.survey
    monkeypatch.setattr(Follower, "survey", lambda self, rgb, m: (surveyed.append(m), survey(self, rgb, m))[1])
    before = {frame: rig.matte(frame) for frame in range(rig.clip.info.frames)}
    with rig.database.session() as session:
        for row in frames_of(session, rig.shot):
            row.doubt = 0.95 if row.frame == 9 else 0.2
    rig.finish(rig.start_follow(3))
    assert [next(n for n in before if np.array_equal(before[n], one)) for one in surveyed] == [10, 15]


def test_a_join_that_was_cut_off_goes_on(rig: Rig) -> None:
    rig.mark(0)
    rig.mark(6)
    rig.quiet()
    job = rig.start_follow(0)
    assert rig.finish(job).state == "done"
    wanted = {f: r.blob for f, r in rig.rows().items()}
    with rig.database.session() as session:
        row = session.get(JobRow, job)
        row.state, row.progress, row.finished = "waiting", {"at": 5, "back": 2}, None
    assert rig.finish(job).state == "done"
    assert {f: r.blob for f, r in rig.rows().items() if f != 1} == {f: b for f, b in wanted.items() if f != 1}


def test_the_last_shape_can_be_kept_for_a_frame(rig: Rig) -> None:
    rig.mark(0)
    with rig.database.session() as session:
        args = {"pull": "t1", "start": 0, "step": 1, "keep": True}
        job = put(session, "follow", rig.project, "Following", shot_id=rig.shot, args=args).id
    rig.finish(job)
    assert (rig.matte(1) > 0.5).sum() == pytest.approx((rig.matte(0) > 0.5).sum(), rel=0.12)
    assert len(rig.rows()) > 2, "a shape that was kept is not halted at"


def test_a_frame_without_marks_is_found_and_taken_back(rig: Rig) -> None:
    found = {"id": "f", "frame": 4, "kind": "found", "radius": 1, "points": []}
    assert rig.edit([{"op": "add", "path": "/mattes/0/pulls/0/marks/-", "value": found}]) == [("t1", 4)]
    assert rig.rows()[4].origin == "touched"
    assert overlap(rig.matte(4), rig.clip.truth(4)) > 0.4
    rig.step("undo")
    assert 4 not in rig.rows()
