"""The resources: what a person's browser asks for, and what it is told when something is wrong."""

import io
import json
import queue
import threading
import time
import zipfile
from typing import Any

import cv2
import numpy as np
import pytest

from cuvrel.core.media.probe import probe
from cuvrel.core.media.writer import png_bytes
from cuvrel.store.config import Config
from cuvrel.store.models import JobRow
from cuvrel.web.app import create_app
from tests.conftest import Clip
from tests.recipes import drawn
from tests.web.conftest import Web, problem, stored


def decoded(data: bytes) -> np.ndarray:
    return cv2.imdecode(np.frombuffer(data, np.uint8), cv2.IMREAD_UNCHANGED)


# projects and footage


def test_a_new_project_is_listed_first(web: Web) -> None:
    web.project("First")
    web.project("Second")
    names = [p["name"] for p in web.get("/api/projects").json["projects"]]
    assert names == ["Second", "First"]


def test_a_video_is_brought_in(web: Web, clip: Clip) -> None:
    project = web.project()
    up = web.upload(project, ("Quay, morning.mp4", clip.path.read_bytes()))
    assert up.status_code == 202
    assert up.json["footage"]["state"] == "working"
    assert web.work(up.json["job"]["id"])["state"] == "done"
    footage = web.get(f"/api/projects/{project}").json["footage"][0]
    assert footage["state"] == "ready"
    assert footage["name"] == "Quay, morning.mp4"
    assert (footage["width"], footage["height"], footage["frames"], footage["fps"]) == (480, 270, 16, 24)
    film = web.get(footage["film"]["url"])
    assert decoded(film.data).shape[1] == footage["film"]["width"] * footage["film"]["count"]
    assert "immutable" in film.headers["Cache-Control"]


def test_pictures_become_a_sequence(web: Web) -> None:
    project = web.project()
    files = [(f"f{n}.png", png_bytes(np.full((40, 60, 3), n * 20, np.uint8))) for n in range(5)]
    up = web.upload(project, *files[::-1])
    assert web.work(up.json["job"]["id"])["state"] == "done"
    assert web.get(f"/api/projects/{project}").json["footage"][0]["frames"] == 5
    packed = io.BytesIO()
    with zipfile.ZipFile(packed, "w") as archive:
        for name, data in files:
            archive.writestr(name, data)
    again = web.upload(project, ("sequence.zip", packed.getvalue()))
    assert web.work(again.json["job"]["id"])["state"] == "done"


@pytest.mark.parametrize(
    ("files", "status", "word"),
    [
        ([("e.mp4", b"")], 422, "empty"),
        ([("t.mp4", b"These are minutes, not pictures. " * 90)], 422, "can't be read"),
        ([("notes.txt", b"hello")], 422, ".txt"),
        ([("noending", b"hello")], 422, "without an ending"),
        ([("a.mp4", b"1"), ("b.mp4", b"2")], 422, "one by one"),
        ([("a.png", b"1"), ("a.png", b"2")], 422, "same name"),
        ([], 422, "No file"),
    ],
)
def test_what_is_no_footage_is_refused_and_leaves_nothing(web: Web, files: list, status: int, word: str) -> None:
    project = web.project()
    assert word in problem(web.upload(project, *files), status)
    assert stored(web.config) == []
    assert web.get(f"/api/projects/{project}").json["footage"] == []


def test_a_truncated_video_is_refused_and_leaves_nothing(web: Web, clip: Clip) -> None:
    project = web.project()
    data = clip.path.read_bytes()
    assert problem(web.upload(project, ("half.mp4", data[: len(data) // 2])), 422)
    assert stored(web.config) == []


def test_a_file_that_is_too_large_is_refused(config: Config, clip: Clip) -> None:
    small = Web(Config(config.database, config.blobs, config.var, max_upload=20_000), clip)
    project = small.project()
    assert "larger" in problem(small.upload(project, ("big.mp4", b"0" * 50_000)), 413)
    assert stored(config) == []


@pytest.mark.parametrize("name", ["../../../evil.mp4", "a\\b\\..\\evil.mp4", "\u202eevil\x07.mp4", "x" * 300 + ".mp4"])
def test_hostile_file_names_stay_names(web: Web, clip: Clip, name: str) -> None:
    project = web.project()
    up = web.upload(project, (name, clip.path.read_bytes()))
    assert up.status_code in (202, 422)
    if up.status_code == 202:
        shown = up.json["footage"]["name"]
        assert "/" not in shown
        assert "\\" not in shown
        assert len(shown) <= 255
    blobs = {p.resolve() for p in stored(web.config)}
    assert all(str(p).startswith((web.config.blobs, str(web.config.var))) for p in blobs)


def test_a_shot_needs_ready_footage_of_its_own_project(web: Web, clip: Clip) -> None:
    one, two = web.project("One"), web.project("Two")
    up = web.upload(one, ("small.mp4", clip.path.read_bytes())).json
    body = {"name": "Shot", "footage": up["footage"]["id"]}
    assert "not ready" in problem(web.post(f"/api/projects/{one}/shots", body), 422)
    assert problem(web.post(f"/api/projects/{two}/shots", body), 404)
    assert problem(web.post(f"/api/projects/{one}/shots", {"name": "Shot", "footage": 999}), 404)


# edits and touches


def test_a_mark_answers_with_its_touched_frame(web: Web) -> None:
    shot = web.shot()
    told = web.mark(shot)
    assert [(t["pull"], t["frame"], t["now"]["origin"]) for t in told["touched"]] == [("t1", 0, "touched")]
    assert told["history"] == {"undo": "marks", "redo": None}
    frames = web.get(f"/api/shots/{shot}/frames").json["frames"]
    assert len(frames) == 1
    undone = web.post(f"/api/shots/{shot}/undo").json
    assert undone["touched"][0]["now"] is None
    assert web.post(f"/api/shots/{shot}/redo").json["touched"][0]["now"]["blob"] == told["touched"][0]["now"]["blob"]


def test_undo_with_nothing_to_undo_says_so(web: Web) -> None:
    shot = web.shot()
    web.post(f"/api/shots/{shot}/undo")
    assert "nothing more" in problem(web.post(f"/api/shots/{shot}/undo"), 422)


def test_two_windows_do_not_overwrite_each_other_silently(web: Web) -> None:
    shot = web.shot()
    revision = web.get(f"/api/shots/{shot}").json["revision"]
    path = "/planes/0/opacity"
    assert web.edit(shot, revision, [{"op": "replace", "path": path, "value": 0.5}]).status_code == 200
    elsewhere = web.edit(shot, revision, [{"op": "replace", "path": "/name", "value": "Renamed"}])
    assert elsewhere.status_code == 200
    same = web.edit(shot, revision, [{"op": "replace", "path": path, "value": 0.1}])
    assert "Somebody else" in problem(same, 409)
    assert same.json["document"]["planes"][0]["opacity"] == 0.5
    assert same.json["revision"] == revision + 2


@pytest.mark.parametrize(
    "body",
    [
        None,
        [],
        {"revision": 1},
        {"revision": "x", "ops": []},
        {"revision": -1, "ops": [{"op": "remove", "path": "/name"}]},
        {"revision": 1, "ops": [{"op": "remove", "path": "/name"}]},
        {"revision": 1, "ops": [{"op": "replace", "path": "/planes", "value": 7}]},
        {"revision": 1, "ops": [{"op": "replace", "path": "/name", "value": "a\u0000b"}]},
        {"revision": 1, "ops": [{"op": "replace", "path": "/name", "value": "x" * 5000}]},
        {"revision": 1, "ops": [{"op": "add", "path": "/planes/0/opacity", "value": 1e400}]},
        {"revision": 10**12, "ops": [{"op": "remove", "path": "/name"}]},
        {"revision": 1, "ops": [{"op": "add", "path": "/mattes/0/pulls/0/marks/-", "value": {"id": "../x"}}]},
        {"revision": 1, "ops": [{"op": "test"}]},
    ],
)
def test_bad_edits_get_a_sentence_and_lose_nothing(web: Web, body: Any) -> None:
    shot = web.shot()
    before = web.get(f"/api/shots/{shot}").json["document"]
    answer = web.client.post(f"/api/shots/{shot}/edits", data=json.dumps(body), content_type="application/json")
    assert 400 <= answer.status_code < 500
    assert problem(answer, answer.status_code)
    assert web.get(f"/api/shots/{shot}").json["document"] == before


@pytest.mark.parametrize("data", [b"{", b"\xff\xfe", b"[" * 5000])
def test_bad_json_is_a_4xx(web: Web, data: bytes) -> None:
    answer = web.client.post("/api/projects", data=data, content_type="application/json")
    assert 400 <= answer.status_code < 500


@pytest.mark.parametrize(
    "path",
    ["/api/shots/999", "/api/shots/99999999999999", "/api/projects/0", "/api/nowhere", "/api/jobs/77/file",
     "/api/footage/1/film/" + "0" * 40 + ".jpg", "/api/shots/1/picture/" + "0" * 40 + "?view=result&frame=0&width=100",
     "/api/shots/x%00y"],
)  # fmt: skip
def test_what_is_not_there_is_a_4xx_with_a_sentence(web: Web, path: str) -> None:
    answer = web.get(path)
    assert 400 <= answer.status_code < 500
    assert problem(answer, answer.status_code)


def test_other_sites_pages_can_not_change_anything(web: Web) -> None:
    evil = {"Origin": "http://evil.example"}
    assert problem(web.client.post("/api/projects", json={"name": "x"}, headers=evil), 403)
    own = web.client.post("/api/projects", json={"name": "x"}, headers={"Origin": "http://localhost"})
    assert own.status_code == 201


def test_pages_load_nothing_from_outside(web: Web) -> None:
    page = web.get("/")
    assert page.status_code == 200
    assert "default-src 'self'" in page.headers["Content-Security-Policy"]
    assert "http" not in page.get_data(as_text=True).replace("http-equiv", "")
    assert web.get("/#/shot/1").status_code == 200


# pictures


def keys(web: Web, shot: int, view: str = "result", width: int = 240) -> dict[str, Any]:
    return web.get(f"/api/shots/{shot}/keys?view={view}&first=0&last=15&width={width}").json


def fetch(web: Web, shot: int, frame: int = 0, view: str = "result", width: int = 240) -> Any:
    key = keys(web, shot, view, width)["keys"][frame]
    return web.get(f"/api/shots/{shot}/picture/{key}?view={view}&frame={frame}&width={width}")


def test_pictures_come_under_their_keys_and_are_kept_for_ever(web: Web, clip: Clip) -> None:
    shot = web.shot()
    answer = fetch(web, shot, 4, width=480)
    assert "immutable" in answer.headers["Cache-Control"]
    picture = decoded(answer.data)[..., ::-1]
    assert np.abs(picture.astype(int) - clip.frame(4)).mean() < 6
    again = fetch(web, shot, 4, width=480)
    assert again.data == answer.data


def test_an_edit_changes_only_the_keys_of_its_frames(web: Web) -> None:
    shot = web.shot()
    revision = web.get(f"/api/shots/{shot}").json["revision"]
    before = keys(web, shot)["keys"]
    opacity = {
        "keys": [
            {"frame": 0, "value": 1, "ease": "hold"},
            {"frame": 5, "value": 0.5, "ease": "hold"},
            {"frame": 9, "value": 1},
        ]
    }
    web.edit(shot, revision, [{"op": "replace", "path": "/planes/0/opacity", "value": opacity}])
    after = keys(web, shot)["keys"]
    assert [f for f in range(16) if before[f] != after[f]] == [5, 6, 7, 8]


def test_views_of_a_marked_frame(web: Web) -> None:
    shot = web.shot()
    web.mark(shot)
    matte = decoded(fetch(web, shot, 0, "matte:m1").data)
    assert 0.02 < (matte > 127).mean() < 0.5
    assert decoded(fetch(web, shot, 0, "veil:m1").data).shape == (135, 240, 3)
    assert decoded(fetch(web, shot, 0, "cutout:m1:black").data).mean() < decoded(fetch(web, shot).data).mean()
    assert decoded(fetch(web, shot, 0, "plane:plate").data).shape[2] == 4
    assert web.get(f"/api/shots/{shot}/card.jpg").status_code == 200


def test_a_key_that_is_no_longer_right_is_not_served(web: Web) -> None:
    shot = web.shot()
    key = keys(web, shot)["keys"][0]
    revision = web.get(f"/api/shots/{shot}").json["revision"]
    web.edit(shot, revision, [{"op": "replace", "path": "/planes/0/opacity", "value": 0.5}])
    assert "changed" in problem(web.get(f"/api/shots/{shot}/picture/{key}?view=result&frame=0&width=240"), 404)


@pytest.mark.parametrize("query", ["view=zzz&first=0&last=3&width=240", "view=result&first=-1&last=3&width=240",
                                   "view=result&first=0&last=3&width=1", "view=result&first=0"])  # fmt: skip
def test_keys_that_can_not_be_asked_for(web: Web, query: str) -> None:
    shot = web.shot()
    assert problem(web.get(f"/api/shots/{shot}/keys?{query}"), 422)


def test_a_frame_can_be_prepared_for_marking(web: Web) -> None:
    shot = web.shot()
    assert web.post(f"/api/shots/{shot}/ready?frame=3").status_code == 204
    assert web.post(f"/api/shots/{shot}/ready?frame=3000").status_code == 204


def test_the_catalogue_tells_all_that_a_card_needs(web: Web) -> None:
    found = web.get("/api/catalogue").json
    glow = next(d for d in found["declared"] if d["kind"] == "glow")
    assert glow["needs_matte"]
    core = glow["fields"][0]
    assert (core["label"], core["unit"], core["control"], core["animatable"]) == ("Core width", "px", "number", True)
    assert core["low"] <= core["default"] <= core["high"]
    assert {e["kind"] for e in found["exports"]} >= {"result-h264", "cutout-prores", "matte-ffv1"}


def test_the_api_describes_itself(web: Web) -> None:
    document = web.get("/api/openapi.json").json
    assert document["openapi"].startswith("3.")
    assert {"/api/shots/{id}/edits", "/api/shots/{id}/follow"} <= set(document["paths"])


# jobs


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


def test_checks_of_a_matte(web: Web) -> None:
    shot = web.shot()
    revision = web.mark(shot)["revision"]

    def checks() -> list[dict[str, Any]]:
        return web.get(f"/api/shots/{shot}/checks?matte=m1&first=0&last=3").json["checks"]

    found = checks()
    assert [one["frame"] for one in found] == [0, 1, 2, 3]
    assert found[0]["chatter"] == 0
    assert not any(one["problems"] for one in found), "frames that nobody has pulled yet are no problems"
    assert web.edit(shot, revision, drawn(web.clip.marks(2)), label="marks").status_code == 200
    problems = [one["problems"] for one in checks()]
    assert problems[1] == ["jump"], "the trace is there on frames 0 and 2 and not between"
    assert problems[3] == []
    assert problem(web.get(f"/api/shots/{shot}/checks?matte=zz&first=0&last=3"), 404)
    assert problem(web.get(f"/api/shots/{shot}/checks?matte=m1&first=-1&last=3"), 422)


def test_what_a_colour_key_would_take(web: Web) -> None:
    shot = web.shot()
    values = web.get(f"/api/shots/{shot}/sample?frame=2&x0=10&y0=10&x1=60&y1=30").json["values"]
    assert 0 <= values["hue"] <= 360
    assert values["light_low"] < values["light_high"]
    assert "nothing" in problem(web.get(f"/api/shots/{shot}/sample?frame=2&x0=900&y0=10&x1=990&y1=30"), 422)
    assert problem(web.get(f"/api/shots/{shot}/sample?frame=99&x0=1&y0=1&x1=9&y1=9"), 422)
    revision = web.get(f"/api/shots/{shot}").json["revision"]
    key = {"id": "u1", "kind": "colour_key", "params": values, "join": "add"}
    web.edit(shot, revision, [{"op": "add", "path": "/mattes/0/pulls/-", "value": key}])
    assert decoded(fetch(web, shot, 2, "matte:m1").data)[10:20, 10:50].mean() > 60


def test_the_matte_before_its_edge_step(web: Web) -> None:
    shot = web.shot()
    revision = web.mark(shot)["revision"]
    before = fetch(web, shot, 0, "matte:m1").data
    web.edit(shot, revision, [{"op": "add", "path": "/mattes/0/edge/grow", "value": 12}])
    grown, bare = (decoded(fetch(web, shot, 0, view).data) for view in ("matte:m1", "bare-matte:m1"))
    assert (grown > 127).sum() > 1.3 * (bare > 127).sum()
    assert fetch(web, shot, 0, "bare-matte:m1").data == before


def test_a_waiting_job_stops_at_once_and_can_be_run_again(web: Web) -> None:
    shot = web.shot()
    web.mark(shot)
    job = web.post(f"/api/shots/{shot}/exports", {"kind": "matte-ffv1", "target": "m1"}).json
    assert web.post(f"/api/jobs/{job['id']}/stop").json["state"] == "stopped"
    assert web.work(job["id"])["state"] == "stopped"
    assert web.post(f"/api/jobs/{job['id']}/again").status_code == 202
    assert web.work(job["id"])["state"] == "done"
    assert "Only a job that failed" in problem(web.post(f"/api/jobs/{job['id']}/again"), 422)


def test_an_export_is_absent_until_it_is_complete(web: Web, tmp_path: Any) -> None:
    shot = web.shot()
    web.mark(shot)
    job = web.post(f"/api/shots/{shot}/exports", {"kind": "cutout-prores", "target": "m1", "last": 5}).json
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
    [{"kind": "film"}, {"kind": "matte-ffv1"}, {"kind": "matte-ffv1", "target": "zz"},
     {"kind": "result-h264", "first": 9, "last": 3}, {"kind": "result-h264", "last": 16}, {}],
)  # fmt: skip
def test_exports_that_can_not_be_made_are_refused(web: Web, body: dict[str, Any]) -> None:
    assert problem(web.post(f"/api/shots/{web.shot()}/exports", body), 422)


def test_work_that_lost_its_worker_is_put_back(web: Web) -> None:
    from cuvrel.jobs.queue import queue_app, recover

    shot = web.shot()
    web.mark(shot)
    job = web.post(f"/api/shots/{shot}/exports", {"kind": "matte-ffv1", "target": "m1"}).json["id"]
    app = queue_app(web.config)
    with app.open():
        assert recover(web.database, app) == 0  # it waits in the queue as it should
        with web.database.session() as session:
            row = session.get(JobRow, job)
            row.state = "working"
            old = row.queue_id
            from sqlalchemy import text

            session.execute(text("UPDATE procrastinate_jobs SET status = 'doing' WHERE id = :id"), {"id": old})
        assert recover(web.database, app) == 1
    with web.database.session() as session:
        row = session.get(JobRow, job)
        assert row.state == "waiting"
        assert row.queue_id not in (None, old)


# events


def test_changes_are_told_as_they_happen(web: Web) -> None:
    shot = web.shot()
    mine = web.services.listener.subscribe()
    web.mark(shot)
    told: list[dict[str, Any]] = []
    deadline = time.monotonic() + 10
    while time.monotonic() < deadline and not {"shot", "frame"} <= {t["event"] for t in told}:
        try:
            told.append(json.loads(mine.get(timeout=1) or "{}"))
        except queue.Empty:
            continue
    frame = next(t for t in told if t["event"] == "frame")
    assert (frame["shot"], frame["pull"], frame["frame"], frame["origin"]) == (shot, "t1", 0, "touched")
    assert next(t for t in told if t["event"] == "shot")["revision"] == web.get(f"/api/shots/{shot}").json["revision"]
    web.services.listener.unsubscribe(mine)


def test_the_stream_begins_with_a_sign_of_life(web: Web) -> None:
    answer = web.client.get("/api/events", buffered=False)
    assert answer.mimetype == "text/event-stream"
    first = next(iter(answer.response))
    assert b"hello" in (first if isinstance(first, bytes) else first.encode())
    answer.close()


def test_a_listener_that_does_not_read_is_started_over(web: Web) -> None:
    listener = web.services.listener
    mine = listener.subscribe()
    for n in range(2100):
        listener._give(str(n))
    assert mine.get_nowait() is None
    listener.unsubscribe(mine)


def test_a_database_that_is_away_is_a_503_with_a_sentence(config: Config) -> None:
    away = Config("postgresql+psycopg://cuvrel@127.0.0.1:1/none", config.blobs, config.var)
    app = create_app(away)
    assert "away" in problem(app.test_client().get("/api/projects"), 503)


def test_many_requests_at_once_get_the_same_picture(web: Web) -> None:
    shot = web.shot()
    key = keys(web, shot)["keys"][2]
    path = f"/api/shots/{shot}/picture/{key}?view=result&frame=2&width=240"
    found: list[bytes] = []
    threads = [threading.Thread(target=lambda: found.append(web.app.test_client().get(path).data)) for _ in range(6)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join(30)
    assert len(set(found)) == 1
    assert len(found) == 6


# pulls that take other footage


def shape(**changes: Any) -> dict[str, Any]:
    at = {"frame": 0, "x": 48, "y": 27, "width": 40, "height": 30}
    return {"id": "h1", "name": "Arm", "kind": "ellipse", "keys": [at], **changes}


def added(web: Web, shot: int, *ops: tuple[str, Any]) -> dict[str, Any]:
    revision = web.get(f"/api/shots/{shot}").json["revision"]
    return web.edit(shot, revision, [{"op": "add", "path": path, "value": value} for path, value in ops])


def test_a_drawn_shape_is_a_matte_and_a_wrong_one_is_refused(web: Web) -> None:
    shot = web.shot()
    added(web, shot, ("/mattes/0/pulls/-", {"id": "u1", "kind": "shape", "shapes": [shape()]}))
    assert decoded(fetch(web, shot, 3, "matte:m1", 480).data)[27, 48].mean() > 250
    revision = web.get(f"/api/shots/{shot}").json["revision"]
    body = {"revision": revision, "ops": [{"op": "add", "path": "/mattes/0/pulls/1/shapes/-", "value": shape()}]}
    assert "id" in problem(web.post(f"/api/shots/{shot}/edits", body), 422)
    body["ops"][0]["value"] = shape(id="h2", kind="polygon")
    assert "three" in problem(web.post(f"/api/shots/{shot}/edits", body), 422)
    assert web.get(f"/api/shots/{shot}").json["revision"] == revision


def test_a_clean_plate_is_built_and_becomes_footage_for_a_difference_key(web: Web) -> None:
    shot = web.shot()
    about = web.get(f"/api/shots/{shot}").json
    path = f"/api/shots/{shot}/clean-plate"
    assert problem(web.post(path, {"how": "guess"}), 422)
    assert "matte" in problem(web.post(path, {"how": "free"}), 422)
    assert problem(web.post(path, {"how": "free", "matte": "zz"}), 404)
    assert "frames" in problem(web.post(path, {"how": "parts", "parts": [{"frame": 999}]}), 422)
    assert "behind" in problem(web.post(path, {"how": "median", "first": 5, "last": 2}), 422)
    job = web.work(web.post(path, {"how": "median"}).json["id"])
    assert job["state"] == "done"
    assert job["result"]["covered"] == 1
    footage = web.get(f"/api/projects/{about['project']}").json["footage"]
    plate = next(f for f in footage if f["id"] == job["result"]["footage"])
    assert (plate["frames"], plate["state"]) == (1, "ready")
    entry = {k: plate[k] for k in ("name", "hash", "width", "height", "frames", "fps")} | {"id": str(plate["id"])}
    key = {"id": "u1", "kind": "difference_key", "params": {}}
    added(web, shot, ("/mattes/0/pulls/-", key))
    ask = f"/api/shots/{shot}/suggest?pull=u1&frame=2"
    assert "no clean plate" in problem(web.get(ask), 422)
    assert problem(web.get(ask.replace("u1", "u9")), 404)
    added(web, shot, ("/footage/-", entry), ("/mattes/0/pulls/1/params/plate", entry["id"]))
    assert 0 < web.get(ask).json["values"]["tolerance"] < 1
    assert fetch(web, shot, 2, "matte:m1").status_code == 200


def test_a_clean_plate_of_held_frames_and_one_where_a_matte_is_not(web: Web) -> None:
    shot = web.shot()
    added(web, shot, ("/mattes/0/pulls/-", {"id": "u1", "kind": "shape", "shapes": [shape()]}))
    parts = [{"frame": 0}, {"frame": 5, "matte": "m1"}]
    for body in ({"how": "free", "matte": "m1"}, {"how": "parts", "parts": parts}):
        job = web.work(web.post(f"/api/shots/{shot}/clean-plate", body).json["id"])
        assert job["state"] == "done", job
        # the shape stands still, so no frame ever shows what lies under it
        assert (job["result"]["covered"] < 1) == (body["how"] == "free")
        assert ("No frame shows" in job["message"]) == (body["how"] == "free")


def test_how_a_frame_is_spread_and_a_range_that_grows(web: Web) -> None:
    shot = web.shot()
    found = web.get(f"/api/shots/{shot}/spread?frame=0").json
    assert {len(found["hue"]), len(found["chroma"]), len(found["light"]), len(found["luma"])} == {72, 50, 64}
    assert max(found["luma"]) == 1
    assert problem(web.get(f"/api/shots/{shot}/spread?frame=999"), 422)
    added(web, shot, ("/mattes/0/pulls/-", {"id": "u1", "kind": "colour_key", "params": {"light_high": 0.2}}))
    box = f"/api/shots/{shot}/sample?frame=2&x0=10&y0=10&x1=60&y1=30&pull=u1&how="
    assert web.get(box + "add").json["values"]["light_high"] > 0.2
    assert problem(web.get(box + "mix"), 422)
    assert problem(web.get(box.replace("u1", "t1") + "add"), 404)


def test_a_colour_key_is_fitted_and_the_edge_step_with_it(web: Web) -> None:
    shot = web.shot()
    picked = web.get(f"/api/shots/{shot}/sample?frame=2&x0=100&y0=70&x1=110&y1=80").json["values"]
    added(web, shot, ("/mattes/0/pulls/-", {"id": "u1", "kind": "colour_key", "params": picked}))
    found = web.get(f"/api/shots/{shot}/suggest?pull=u1&frame=2").json
    assert found["values"]["hue_width"] >= picked["hue_width"]
    assert found["values"]["light_high"] >= picked["light_high"]
    assert set(found["edge"]) == {"holes", "specks"}
    added(web, shot, ("/mattes/0/pulls/1/params/light_low", 0.999), ("/mattes/0/pulls/1/params/light_high", 1.0))
    assert "finds nothing" in problem(web.get(f"/api/shots/{shot}/suggest?pull=u1&frame=2"), 422)
