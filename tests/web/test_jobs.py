"""Work that takes its time: following, settling, exports, and what became of it."""

from typing import Any

import pytest
from procrastinate.job_context import AbortReason
from sqlalchemy import text
from sqlalchemy.exc import InterfaceError, OperationalError, PendingRollbackError

from cuvrel.core.media.probe import probe
from cuvrel.jobs.queue import ALIVE, QUEUE, put, recover
from cuvrel.jobs.running import Interrupted, _begun, advance, listening, run
from cuvrel.jobs.worker import worker_app
from cuvrel.store.db import Database
from cuvrel.store.models import JobRow
from tests.shared import alone
from tests.web.conftest import Web, problem


def test_follow_is_a_job_and_only_one_at_a_time(web: Web) -> None:
    shot = web.shot()
    body = {"pull": "t1", "start": 0, "step": 1}
    assert "no matte" in problem(web.post(f"/api/shots/{shot}/follow", body), 422)
    web.mark(shot)
    first = web.post(f"/api/shots/{shot}/follow", body)
    assert first.status_code == 202
    assert "already" in problem(web.post(f"/api/shots/{shot}/follow", body), 422)
    assert problem(web.post(f"/api/shots/{shot}/follow", {**body, "pull": "zz"}), 404)
    assert problem(web.post(f"/api/shots/{shot}/follow", {**body, "step": 2}), 422)
    done = web.work(first.json["id"])
    assert done["state"] == "done"
    frames = web.get(f"/api/shots/{shot}").json["frames"]
    assert {f["origin"] for f in frames} == {"touched", "followed"}


def test_a_matte_is_settled_and_told_when_it_is_out_of_date(web: Web) -> None:
    shot = web.shot()
    web.mark(shot)
    assert problem(web.post(f"/api/shots/{shot}/settle", {"matte": "zz"}), 404)
    assert web.get(f"/api/shots/{shot}/settled").json == {"out_of_date": []}
    job = web.post(f"/api/shots/{shot}/settle", {"matte": "m1"})
    assert job.status_code == 202
    assert "already" in problem(web.post(f"/api/shots/{shot}/settle", {"matte": "m1"}), 422)
    assert web.work(job.json["id"])["state"] == "done"
    about = web.get(f"/api/shots/{shot}").json
    assert about["document"]["mattes"][0]["settled"]
    assert about["history"]["undo"].startswith("settle")
    assert web.get(f"/api/shots/{shot}/settled").json == {"out_of_date": []}
    web.edit(shot, about["revision"], [{"op": "add", "path": "/mattes/0/edge/grow", "value": 3}])
    assert web.get(f"/api/shots/{shot}/settled").json == {"out_of_date": ["m1"]}


def test_a_waiting_job_stops_at_once_and_can_be_run_again(web: Web) -> None:
    shot = web.shot()
    web.mark(shot)
    job = web.post(f"/api/shots/{shot}/exports", {"what": "matte", "how": "ffv1", "targets": ["m1"]}).json
    assert web.post(f"/api/jobs/{job['id']}/stop").json["state"] == "stopped"
    assert web.work(job["id"])["state"] == "stopped"
    assert web.post(f"/api/jobs/{job['id']}/again").status_code == 202
    assert web.work(job["id"])["state"] == "done"
    assert "Only a job that failed" in problem(web.post(f"/api/jobs/{job['id']}/again"), 422)


def test_every_telling_of_a_job_is_newer_than_the_last(web: Web) -> None:
    shot = web.shot()
    web.mark(shot)
    told = [job := web.post(f"/api/shots/{shot}/exports", {"what": "matte", "how": "ffv1", "targets": ["m1"]}).json]
    told.append(web.post(f"/api/jobs/{job['id']}/stop").json)
    told.append(web.post(f"/api/jobs/{job['id']}/again").json)
    told.append(web.work(job["id"]))
    assert [one["state"] for one in told] == ["waiting", "stopped", "waiting", "done"]
    numbers = [one["told"] for one in told]
    assert numbers == sorted(set(numbers))


def test_a_job_that_is_in_the_queue_twice_is_done_once(web: Web) -> None:
    shot = web.shot()
    web.mark(shot)
    job = web.post(f"/api/shots/{shot}/settle", {"matte": "m1"}).json["id"]
    inner: list[dict[str, Any]] = []

    def work(row: JobRow) -> str:
        run(web.database, job, lambda _: pytest.fail("a second worker took it too"))
        inner.append(web.get(f"/api/jobs/{job}").json)
        return web.works.work(row)

    run(web.database, job, work)
    assert inner[0]["state"] == "working"
    assert web.get(f"/api/jobs/{job}").json["state"] == "done"


def test_an_export_is_absent_until_it_is_complete(web: Web, tmp_path: Any) -> None:
    shot = web.shot()
    web.mark(shot)
    job = web.post(
        f"/api/shots/{shot}/exports", {"what": "cutout", "how": "prores4444", "targets": ["m1"], "last": 5}
    ).json
    assert "not finished" in problem(web.get(f"/api/jobs/{job['id']}/file"), 404)
    done = web.work(job["id"])
    assert done["result"]["filename"] == "shot-01_signaller_cutout_straight.mov"
    answer = web.get(f"/api/jobs/{job['id']}/file")
    assert "filename=shot-01_signaller_cutout_straight.mov" in answer.headers["Content-Disposition"]
    (tmp_path / "c.mov").write_bytes(answer.data)
    info = probe(tmp_path / "c.mov")
    assert (info.frames, info.alpha) == (6, True)
    assert web.get(f"/api/jobs/{job['id']}/sidecar").json["alpha"] == "straight"


@pytest.mark.parametrize(
    "body",
    [
        {"how": "film"},
        {"kind": "result-h264"},
        {"what": "plane", "targets": ["m1"]},
        {"name": "{nobody}"},
        {"what": "cutout", "targets": ["m1"], "how": "h264"},
        {"what": "layers", "how": "prores4444"},
        {"what": "matte", "how": "ffv1"},
        {"what": "matte", "how": "ffv1", "targets": ["zz"]},
        {"first": 9, "last": 3},
        {"last": 16},
        {"how": "h264", "alpha": "straight"},
    ],
)
def test_exports_that_can_not_be_made_are_refused(web: Web, body: dict[str, Any]) -> None:
    assert problem(web.post(f"/api/shots/{web.shot()}/exports", body), 422)


async def taken_by_a_worker_that_dies(web: Web) -> int:
    """The entry that it took; the next look finds what it left behind. Done by the queue's own means."""
    app = worker_app(web.config, web.works)
    async with app.open_async():
        worker = await app.job_manager.register_worker()
        entry = await app.job_manager.fetch_job(queues=[QUEUE], worker_id=worker)
        assert entry is not None
        assert await recover(web.database, app) == 0  # its heart beats
        await app.job_manager.unregister_worker(worker)
        assert await recover(web.database, app) in (0, 1)
        return int(entry.id or 0)


def test_work_that_lost_its_worker_is_put_back(web: Web) -> None:
    shot = web.shot()
    web.mark(shot)
    job = web.post(f"/api/shots/{shot}/settle", {"matte": "m1"}).json["id"]
    entry = alone(taken_by_a_worker_that_dies(web))
    with web.database.session() as session:
        row = session.get_one(JobRow, job)
        assert (row.state, row.queue_id) == ("waiting", entry)
    assert web.work(job)["state"] == "done"


def test_what_a_worker_left_is_not_taken_while_its_lock_is_held(web: Web) -> None:
    shot = web.shot()
    web.mark(shot)
    job = web.post(f"/api/shots/{shot}/settle", {"matte": "m1"}).json["id"]
    with web.database.session() as session:
        session.execute(text("SELECT pg_advisory_xact_lock(:alive, 77)"), {"alive": ALIVE})
        with web.database.session() as other:
            row = other.get_one(JobRow, job)
            row.state, row.worker = "working", 77
        alone(taken_by_a_worker_that_dies(web))
        assert web.get(f"/api/jobs/{job}").json["state"] == "working"


def test_a_stopped_job_whose_worker_died_is_over(web: Web) -> None:
    shot = web.shot()
    web.mark(shot)
    job = web.post(f"/api/shots/{shot}/settle", {"matte": "m1"}).json["id"]

    async def left() -> None:
        app = worker_app(web.config, web.works)
        async with app.open_async():
            worker = await app.job_manager.register_worker()
            entry = await app.job_manager.fetch_job(queues=[QUEUE], worker_id=worker)
            assert entry is not None
            assert _begun(web.database, job, entry.id, 5) is not None
            assert web.post(f"/api/jobs/{job}/stop").json["stopping"]
            assert list(await app.job_manager.list_jobs_to_abort_async()) == [entry.id]
            await app.job_manager.unregister_worker(worker)
            assert await recover(web.database, app) == 0
            assert not list(await app.job_manager.list_jobs_async(queue=QUEUE))

    alone(left())
    assert web.get(f"/api/jobs/{job}").json["state"] == "stopped"


def test_a_job_is_in_the_queue_when_and_only_when_its_row_is(web: Web) -> None:
    app = worker_app(web.config, web.works)

    async def entries() -> list[int | None]:
        async with app.open_async():
            return [one.id for one in await app.job_manager.list_jobs_async(queue=QUEUE)]

    shot = web.shot()
    with web.database.session() as session:
        put(session, "settle", web.get(f"/api/shots/{shot}").json["project"], "Never", shot_id=shot)
        session.rollback()
    assert alone(entries()) == []
    with web.database.session() as session:
        row = put(session, "settle", web.get(f"/api/shots/{shot}").json["project"], "Now", shot_id=shot)
    assert alone(entries()) == [row.queue_id]
    web.post(f"/api/jobs/{row.id}/stop")
    assert alone(entries()) == []


def test_a_job_is_put_down_when_its_worker_is_to_end_and_goes_on_where_it_was(web: Web) -> None:
    shot = web.shot()
    web.mark(shot)
    job = web.post(f"/api/shots/{shot}/settle", {"matte": "m1"}).json["id"]
    asked = 0

    def ending() -> AbortReason | None:
        nonlocal asked
        asked += 1
        return AbortReason.SHUTDOWN if asked > 5 else None

    with pytest.raises(Interrupted), listening(ending):
        web.hand.take(job)
    with web.database.session() as session:
        row = session.get_one(JobRow, job)
        assert (row.state, row.done, row.tries) == ("waiting", 5, 0)
    assert web.work(job)["state"] == "done"


def dies(web: Web, job: int, done: int | None = None) -> None:
    """A worker takes the job, comes so far, and is gone."""
    assert _begun(web.database, job, None, 5) is not None
    with web.database.session() as session:
        if done is not None:
            advance(session, job, done, 16)
        session.get_one(JobRow, job).state = "waiting"


def test_a_job_that_takes_its_worker_along_is_tried_three_times(web: Web) -> None:
    shot = web.shot()
    web.mark(shot)
    job = web.post(f"/api/shots/{shot}/settle", {"matte": "m1"}).json["id"]
    for _ in range(3):
        dies(web, job)
    done = web.work(job)
    assert done["state"] == "failed"
    assert "3 times at the same place" in done["message"]
    web.post(f"/api/jobs/{job}/again")
    assert web.work(job)["state"] == "done"


def test_a_job_that_comes_further_each_time_goes_on(web: Web) -> None:
    shot = web.shot()
    web.mark(shot)
    job = web.post(f"/api/shots/{shot}/settle", {"matte": "m1"}).json["id"]
    for done in range(1, 8):
        dies(web, job, done)
    assert web.work(job)["state"] == "done"


def test_a_job_that_dies_at_one_frame_again_and_again_ends(web: Web) -> None:
    shot = web.shot()
    web.mark(shot)
    job = web.post(f"/api/shots/{shot}/settle", {"matte": "m1"}).json["id"]
    for _ in range(4):
        dies(web, job, 6)  # the same frames are done anew each time, as by an export's range
    assert web.work(job)["state"] == "failed"


def test_a_database_that_is_away_for_a_moment_costs_a_job_nothing(web: Web, monkeypatch: pytest.MonkeyPatch) -> None:
    shot = web.shot()
    web.mark(shot)
    job = web.post(f"/api/shots/{shot}/exports", {"what": "result", "how": "h264"}).json["id"]
    faults = [OperationalError("", {}, Exception("server closed the connection")), InterfaceError("", {}, Exception()),
              PendingRollbackError("x"), ConnectionResetError()]  # fmt: skip
    real, left = Database.session, 40

    def session(self: Database) -> Any:
        nonlocal left
        left -= 1
        if left % 4 == 0 and faults:
            raise faults.pop()
        return real(self)

    monkeypatch.setattr(Database, "session", session)
    web.hand.do(job)
    monkeypatch.undo()
    assert not faults
    assert web.get(f"/api/jobs/{job}").json["state"] == "done"


def test_one_that_stays_away_is_what_the_job_says(web: Web, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr("cuvrel.jobs.running.PATIENCE", 0.0)
    shot = web.shot()
    web.mark(shot)
    job = web.post(f"/api/shots/{shot}/settle", {"matte": "m1"}).json["id"]

    def away(_: JobRow) -> str:
        raise OperationalError("", {}, Exception("gone"))

    run(web.database, job, away)
    assert "stayed away" in web.get(f"/api/jobs/{job}").json["message"]
