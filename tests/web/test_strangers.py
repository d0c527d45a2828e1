"""Strangers: other names, other sites' pages, requests that are too large, addresses that are none."""

from __future__ import annotations

import time

import pytest

from cuvrel.store import shots
from cuvrel.store.documents import written_of
from cuvrel.store.mattes import AT_ONCE
from cuvrel.store.models import EditRow, now
from tests.recipes import drawn
from tests.web.conftest import Web, problem


@pytest.mark.parametrize("name", ["evil.example", "127.0.0.1.evil.example", "localhost.evil.example:8017", ""])
def test_a_stranger_s_name_that_leads_here_gets_nothing(web: Web, name: str) -> None:
    for path in ("/api/projects", "/"):
        answer = web.client.get(path, headers={"Host": name})
        assert "not known by this name" in problem(answer, 400)
    assert problem(web.client.post("/api/projects", json={"name": "x"}, headers={"Host": name}), 400)


@pytest.mark.parametrize("name", ["localhost", "127.0.0.1:8017"])
def test_our_own_names_are_known(web: Web, name: str) -> None:
    assert web.client.get("/api/projects", headers={"Host": name}).status_code == 200


def test_another_site_s_page_changes_nothing(web: Web) -> None:
    before = len(web.get("/api/projects").json["projects"])
    for headers in ({"Sec-Fetch-Site": "cross-site"}, {"Origin": "https://evil.example"}):
        answer = web.client.post("/api/projects", json={"name": "x"}, headers=headers)
        assert "another site" in problem(answer, 403)
    assert len(web.get("/api/projects").json["projects"]) == before
    own = {"Sec-Fetch-Site": "same-origin", "Origin": "http://localhost"}
    assert web.client.post("/api/projects", json={"name": "x"}, headers=own).status_code == 201


def test_no_page_of_another_site_may_show_our_pictures(web: Web) -> None:
    headers = web.get("/api/projects").headers
    assert headers["Cross-Origin-Resource-Policy"] == "same-origin"
    assert headers["Referrer-Policy"] == "same-origin"


def test_what_is_no_upload_is_bounded_before_it_is_read(web: Web) -> None:
    whole = b'{"name": "' + b"x" * (17 << 20) + b'"}'
    for path in ("/api/projects", "/api/looks", f"/api/shots/{web.shot()}/edits"):
        answer = web.client.post(path, data=whole, content_type="application/json")
        assert "larger than this server takes" in problem(answer, 413)


@pytest.mark.parametrize("path", ["/" + "a" * 300, "/assets/none.js", "/fonts/none.woff2", "/favicon.png", "/x" * 200])
def test_an_address_that_is_none_is_told_so(web: Web, path: str) -> None:
    answer = web.get(path)
    assert answer.status_code in (200, 404, 503)
    if "." in path:
        assert problem(answer, 404)


def test_small_requests_hold_nobody_for_long(web: Web) -> None:
    shot = web.shot()
    deep = [{"op": "copy", "from": "/planes", "path": "/planes/0/params/x"} for _ in range(40)]
    begun = time.monotonic()
    assert problem(web.edit(shot, 1, deep), 422)
    bake = {"kind": "bake", "places": ["/planes/0"], "first": 0, "last": 10_000_000}
    assert "can't be baked" in problem(web.post(f"/api/shots/{shot}/deeds", bake), 422)
    assert time.monotonic() - begun < 20  # it took minutes, and this machine may be busy


def test_what_takes_too_long_is_given_up_with_a_sentence(web: Web, monkeypatch: pytest.MonkeyPatch) -> None:
    shot = web.shot()
    monkeypatch.setattr("cuvrel.web.app.MOST_SECONDS", 0.0)
    assert "given up" in problem(web.fetch(shot), 503)
    monkeypatch.undo()
    assert web.fetch(shot).status_code == 200


def test_a_document_is_bounded(web: Web, monkeypatch: pytest.MonkeyPatch) -> None:
    shot = web.shot()
    monkeypatch.setattr("cuvrel.core.recipe.revise.MOST", 2000)
    points = [[float(n), 1.0] for n in range(300)]
    mark = {"id": "s1", "frame": 1, "kind": "in", "radius": 4.0, "points": points}
    add = {"op": "add", "path": "/mattes/0/pulls/0/marks/-"}
    assert web.edit(shot, 1, [{**add, "value": mark}]).status_code == 200
    answer = web.edit(shot, 2, [{**add, "value": {**mark, "id": f"t{n}"}} for n in range(3)])
    assert "more than a document can" in problem(answer, 422)
    assert web.get(f"/api/shots/{shot}").json["revision"] == 2
    # what goes away makes room for what comes
    replaced = [{"op": "replace", "path": "/mattes/0/pulls/0/marks/0", "value": {**mark, "id": "u"}}]
    for revision in range(2, 6):
        assert web.edit(shot, revision, replaced).status_code == 200


MALFORMED = [
    {"op": "frob", "path": "/name"},
    {"path": "/name", "value": 1},
    {"op": "replace", "value": "x"},
    {"op": "replace", "path": "name", "value": "x"},
    {"op": "replace", "path": 7, "value": "x"},
    {"op": "replace", "path": "/na~2me", "value": "x"},
    {"op": "replace", "path": "/name"},
    {"op": "move", "path": "/name"},
    {"op": "copy", "from": None, "path": "/name"},
    {"op": "add", "path": ["name"], "value": "x"},
]


@pytest.mark.parametrize("op", MALFORMED, ids=str)
def test_operations_that_are_none_are_refused_on_any_revision(web: Web, op: dict[str, object]) -> None:
    shot = web.shot()
    web.edit(shot, 1, [{"op": "replace", "path": "/name", "value": "Newer"}])
    for revision in (2, 1, 0):
        assert "Operation 0 of the edit" in problem(web.edit(shot, revision, [op]), 422)


@pytest.mark.parametrize(
    ("field", "value"),
    [("id", "999"), ("id", "x"), ("width", 4), ("height", 10_000), ("frames", 3), ("fps", 1.0), ("hash", "0" * 40)],
)
def test_an_edit_says_of_footage_what_the_store_knows(web: Web, field: str, value: object) -> None:
    shot = web.shot()
    ops = [{"op": "replace", "path": f"/footage/0/{field}", "value": value}]
    if field == "id":
        ops.append({"op": "replace", "path": "/plate", "value": value})
    assert problem(web.edit(shot, 1, ops), 422)
    assert web.get(f"/api/shots/{shot}").json["revision"] == 1
    renamed = [{"op": "replace", "path": "/footage/0/name", "value": "other.mp4"}]
    assert web.edit(shot, 1, renamed).status_code == 200


def test_a_shot_that_cannot_be_opened_tells_what_can_be_taken_back(web: Web) -> None:
    shot = web.shot()
    web.edit(shot, 1, [{"op": "replace", "path": "/name", "value": "Before"}], label="rename")
    # as an earlier release, or somebody else's program, may have left it
    with web.database.session() as session:
        row = shots.found(session, shot)
        row.document = {**written_of(session, row), "plate": "999"}
        row.written, row.updated = row.revision, now()
        edits = session.get(EditRow, (shot, row.cursor))
        edits.inverse = [{"op": "replace", "path": "/plate", "value": row.document["footage"][0]["id"]}]
    answer = web.get(f"/api/shots/{shot}")
    assert "can't be opened" in problem(answer, 422)
    assert answer.json["history"]["undo"] == "rename"
    assert web.post(f"/api/shots/{shot}/undo").status_code == 200
    about = web.get(f"/api/shots/{shot}").json
    assert about["document"]["plate"] == about["document"]["footage"][0]["id"]
    assert web.edit(shot, about["revision"], [{"op": "replace", "path": "/name", "value": "Again"}]).status_code == 200


def test_marks_on_many_frames_are_solved_by_a_job_but_for_the_one_that_is_looked_at(web: Web) -> None:
    shot = web.shot()
    first = web.clip.marks(0)
    ops = [
        op for n in range(6) for op in drawn([m.model_copy(update={"id": f"{m.id}f{n}", "frame": n}) for m in first])
    ]
    answer = web.edit(shot, 1, ops, frame=5)
    assert answer.status_code == 200
    solved = {one["frame"]: one["now"]["blob"] for one in answer.json["touched"]}
    assert solved[5]
    assert len([blob for blob in solved.values() if blob]) == AT_ONCE
    jobs = web.get(f"/api/shots/{shot}").json["jobs"]
    assert [job["kind"] for job in jobs] == ["solve"]
    assert web.work(jobs[0]["id"])["state"] == "done"
    frames = web.get(f"/api/shots/{shot}").json["frames"]
    assert {f["frame"] for f in frames if f["blob"] and f["origin"] == "touched"} == set(range(6))
    alone = web.shot()
    web.edit(alone, 1, drawn([m.model_copy(update={"frame": 3}) for m in first]))
    same = next(f for f in web.get(f"/api/shots/{alone}").json["frames"] if f["frame"] == 3)
    assert same["blob"] == next(f for f in frames if f["frame"] == 3)["blob"]
