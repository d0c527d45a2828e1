"""How the program stands: room on the disk, workers, the queue; and what is refused when there is no room."""

from __future__ import annotations

import errno
import io
from datetime import timedelta

import psycopg
import pytest

from cuvrel.jobs.queue import ALIVE, go_on_with_room
from cuvrel.store.disk_space import NoRoom
from cuvrel.store.models import JobRow, now
from tests.web.conftest import Web, problem, stored


def test_all_is_well(web: Web) -> None:
    health = web.get("/api/health").json
    assert (health["ok"], health["database"], health["workers"], health["says"]) == (True, True, 0, [])
    assert health["queue"] == {"waiting": 0, "working": 0}
    assert 0 < health["disk"]["reserve"] <= health["disk"]["free"]


def test_workers_are_counted_by_what_they_hold(web: Web) -> None:
    with psycopg.connect(web.config.conninfo, autocommit=True) as connection:
        connection.execute("SELECT pg_advisory_lock(%s, 17)", (ALIVE,))
        assert web.get("/api/health").json["workers"] == 1
    shot = web.shot()
    web.mark(shot)
    job = web.post(f"/api/shots/{shot}/settle", {"matte": "m1"}).json["id"]
    assert web.get("/api/health").json["queue"] == {"waiting": 1, "working": 0}
    with web.database.session() as session:
        session.get_one(JobRow, job).created = now() - timedelta(minutes=2)
    assert web.get("/api/health").json["says"] == ["No worker runs: long work waits for one."]


def test_a_disk_that_is_nearly_full_refuses_new_work_and_keeps_edits(web: Web, monkeypatch: pytest.MonkeyPatch) -> None:
    shot = web.shot()
    web.mark(shot)
    project = web.get(f"/api/shots/{shot}").json["project"]
    room = web.services.blobs.room
    monkeypatch.setenv("CUVREL_RESERVE", str(room.free() + (1 << 30)))
    before = stored(web.config)
    refused = [
        web.upload(project, ("small.mp4", web.clip.path.read_bytes())),
        web.post(f"/api/shots/{shot}/settle", {"matte": "m1"}),
        web.post(f"/api/shots/{shot}/follow", {"pull": "t1", "start": 0, "step": 1}),
        web.post(f"/api/shots/{shot}/exports", {"what": "result", "how": "h264"}),
        web.client.post("/api/packed", data={"file": (io.BytesIO(b"x"), "p.zip")}, content_type="multipart/form-data"),
    ]
    for answer in refused:
        assert "not enough room on the disk" in problem(answer, 507)
    assert stored(web.config) == before
    assert web.get(f"/api/shots/{shot}").json["jobs"] == []
    health = web.get("/api/health").json
    assert health["disk"]["low"]
    assert "nearly full" in health["says"][0]
    edit = [{"op": "replace", "path": "/name", "value": "Still saved"}]
    assert web.edit(shot, 2, edit).status_code == 200


def test_an_export_is_refused_by_what_it_will_take(web: Web, monkeypatch: pytest.MonkeyPatch) -> None:
    shot = web.shot()
    # room for half a gigabyte beyond the reserve
    monkeypatch.setattr("cuvrel.store.disk_space.Room.free", lambda self: self.reserve + (1 << 19))
    body = {"what": "result", "how": "h264"}
    assert "this export" in problem(web.post(f"/api/shots/{shot}/exports", {**body, "how": "exr-float"}), 507)
    assert web.post(f"/api/shots/{shot}/exports", {**body, "first": 0, "last": 0}).status_code == 202


def test_work_under_way_may_take_half_of_the_reserve(web: Web, monkeypatch: pytest.MonkeyPatch) -> None:
    shot = web.shot()
    web.mark(shot)
    room = web.services.blobs.room
    job = web.post(f"/api/shots/{shot}/settle", {"matte": "m1"}).json["id"]
    free = room.free()
    monkeypatch.setattr("cuvrel.store.disk_space.Room.free", lambda self: free)
    monkeypatch.setenv("CUVREL_RESERVE", str(round(free * 1.5)))
    assert web.work(job)["state"] == "done"
    again = web.post(f"/api/shots/{shot}/exports", {"what": "result", "how": "h264"})
    assert again.status_code == 507
    monkeypatch.setenv("CUVREL_RESERVE", str(3 * free))
    with pytest.raises(NoRoom):
        web.services.blobs.put(b"something new")


def test_what_stopped_for_want_of_room_goes_on_when_there_is_more(web: Web, monkeypatch: pytest.MonkeyPatch) -> None:
    shot = web.shot()
    web.mark(shot)
    job = web.post(f"/api/shots/{shot}/settle", {"matte": "m1"}).json["id"]
    reserve, room = 1 << 30, web.services.blobs.room
    monkeypatch.setenv("CUVREL_RESERVE", str(reserve))
    free = reserve // 3
    monkeypatch.setattr("cuvrel.store.disk_space.Room.free", lambda self: free)
    assert web.work(job)["state"] == "failed"
    free = 2 * reserve
    assert go_on_with_room(web.database, room) == 1
    assert web.work(job)["state"] == "done"
    assert go_on_with_room(web.database, room) == 0
    again = web.post(f"/api/shots/{shot}/settle", {"matte": "m1"}).json["id"]
    with monkeypatch.context() as patch:
        patch.setattr("cuvrel.store.blobs.Blobs.put", lambda *_: room.hold(1 << 60))
        assert web.work(again)["state"] == "failed"
    assert go_on_with_room(web.database, room) == 0, "nobody has made any room since"
    free += reserve // 2
    assert go_on_with_room(web.database, room) == 1


def test_a_disk_that_is_full_all_the_same_is_said(web: Web, monkeypatch: pytest.MonkeyPatch) -> None:
    shot = web.shot()
    web.mark(shot)

    def full(*_: object) -> str:
        raise OSError(errno.ENOSPC, "No space left on device")

    job = web.post(f"/api/shots/{shot}/settle", {"matte": "m1"}).json["id"]
    monkeypatch.setattr("cuvrel.store.blobs.Blobs.put", full)
    done = web.work(job)
    assert (done["state"], done["message"]) == ("failed", "The disk is full. Make room; it goes on by itself then.")
    marks = [{"op": "remove", "path": "/mattes/0/pulls/0/marks/0"}]
    assert "disk is full" in problem(web.edit(shot, 2, marks), 507)
    assert web.get(f"/api/shots/{shot}").json["revision"] == 2
    monkeypatch.undo()
    web.post(f"/api/jobs/{job}/again")
    assert web.work(job)["state"] == "done"
