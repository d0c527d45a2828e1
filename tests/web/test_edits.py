"""Edits, what they touch, and what is told of those that are wrong."""

import json
from typing import Any

import pytest

from tests.web.conftest import SEEN, Web, problem


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


def test_an_edit_of_what_another_window_took_away_is_stale_and_no_fault_of_its_own(web: Web) -> None:
    shot = web.shot()
    about = web.get(f"/api/shots/{shot}").json
    last = len(about["document"]["planes"]) - 1
    assert web.edit(shot, about["revision"], [{"op": "remove", "path": f"/planes/{last}"}]).status_code == 200
    late = web.edit(shot, about["revision"], [{"op": "replace", "path": f"/planes/{last}/opacity", "value": 0.5}])
    assert "Somebody else" in problem(late, 409)
    assert late.json["revision"] == about["revision"] + 1


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
     "/api/footage/1/film/" + "0" * 40 + ".jpg", "/api/shots/1/picture/" + "0" * 40 + f"?{SEEN}&frame=0&width=100",
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
