"""A settled matte is read, not worked out; jobs that fail or are gone say so."""

import numpy as np
import pytest

from cuvrel.core.stand.build import Stand
from cuvrel.core.stand.nodes import work_out
from cuvrel.core.stand.settle import settling_key
from cuvrel.jobs.queue import put
from cuvrel.jobs.running import Stopped, advance, run
from cuvrel.store import shots
from cuvrel.store.documents import document_of
from cuvrel.store.frames import snapshot
from cuvrel.store.mattes import frames_of
from cuvrel.store.models import JobRow
from cuvrel.store.pictures import StoreSources
from tests.store.conftest import Rig


def start_settle(rig: Rig) -> int:
    with rig.database.session() as session:
        row = shots.found(session, rig.shot)
        token = settling_key(shots.shot_of(session, row), "m1", [tuple(f) for f in snapshot(session, rig.shot)])
        args = {"matte": "m1", "token": token, "document": document_of(session, row).document}
        return put(session, "settle", rig.project, "Settling", shot_id=rig.shot, args=args).id


def stand(rig: Rig) -> Stand:
    with rig.database.session() as session:
        shot = shots.shot_of(session, shots.found(session, rig.shot))
        return Stand(shot, StoreSources(session, rig.shot, shot, rig.blobs, rig.works.readers))


def test_a_settled_matte_is_read_and_undo_brings_its_recipe_back(rig: Rig) -> None:
    rig.mark(0)
    rig.edit([{"op": "add", "path": "/mattes/0/edge/grow", "value": 5}])
    live = work_out(stand(rig).matte("m1", 0), rig.works.cache)
    job = rig.finish(start_settle(rig))
    assert (job.state, job.done, job.total) == ("done", 16, 16)
    node = stand(rig).matte("m1", 0)
    assert not node.inputs, "nothing is computed any more"
    assert np.abs(work_out(node, rig.works.cache) - live).max() <= 0.5 / 255 + 1e-6
    # the recipe may change; the settled frames stay until it is unsettled
    rig.edit([{"op": "replace", "path": "/mattes/0/edge/grow", "value": 0}])
    assert stand(rig).matte("m1", 0).key == node.key
    rig.step("undo")
    rig.step("undo")
    assert stand(rig).matte("m1", 0).inputs


def test_a_settle_that_was_cut_off_goes_on_from_its_last_frame(rig: Rig, monkeypatch: pytest.MonkeyPatch) -> None:
    rig.mark(0)
    job = start_settle(rig)

    def cut(session, job_id, done, total, **progress):  # type: ignore[no-untyped-def]
        advance(session, job_id, done, total, **progress)
        if done == 5:
            session.commit()
            raise KeyboardInterrupt

    with monkeypatch.context() as patched:
        patched.setattr("cuvrel.jobs.tasks.advance", cut)
        with pytest.raises(KeyboardInterrupt):
            rig.finish(job)
    assert stand(rig).shot.matte("m1").settled is None
    with rig.database.session() as session:
        session.get(JobRow, job).state = "waiting"  # as the recovery of a dead worker's jobs leaves it
    assert rig.finish(job).state == "done"
    with rig.database.session() as session:
        kept = [f for f in frames_of(session, rig.shot, settled=True) if f.origin == "settled"]
        assert all(f.origin != "settled" for f in frames_of(session, rig.shot))
    assert [f.frame for f in kept] == list(range(16))


def test_following_from_nothing_fails_with_a_sentence(rig: Rig) -> None:
    job = rig.finish(rig.start_follow(2))
    assert job.state == "failed"
    assert "no matte" in job.message
    with rig.database.session() as session:
        gone = put(session, "follow", rig.project, "x", shot_id=rig.shot, args={"pull": "zz", "start": 0, "step": 1}).id
    assert "not in the shot" in rig.finish(gone).message


def test_a_fault_inside_a_job_is_told_in_plain_words(rig: Rig) -> None:
    job = rig.start_follow(0)

    def broken(row: JobRow) -> str:
        raise ZeroDivisionError

    run(rig.database, job, broken)
    with rig.database.session() as session:
        row = session.get(JobRow, job)
        assert row.state == "failed"
        assert "ZeroDivision" not in row.message
        assert "Run it again" in row.message


def test_a_job_that_is_gone_or_stopped_does_nothing(rig: Rig) -> None:
    job = rig.start_follow(0)
    with rig.database.session() as session:
        row = session.get(JobRow, job)
        row.stop = True
    with rig.database.session() as session, pytest.raises(Stopped):
        advance(session, job, 1, 2)
    assert rig.finish(job).state == "stopped"
    run(rig.database, job, rig.works.work)  # ended jobs are left alone
    run(rig.database, 999_999, rig.works.work)
