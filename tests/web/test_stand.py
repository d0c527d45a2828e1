"""Deeds done to keyframes, copied keys, what planes cost, and planes tried out another way."""

from typing import Any

import pytest

from cuvrel.core.stand.view_kinds import BlendView, ResultView, View
from cuvrel.store.models import MatteFrame
from tests.web.conftest import Web, problem, said

SCREEN = BlendView(plane="f", way="screen")

GLAZE = {
    "id": "g", "name": "Grey", "kind": "glaze",
    "treatments": [{"id": "s1", "kind": "grade", "params": {"saturation": 0.0, "exposure": -1.0}}],
}  # fmt: skip


@pytest.fixture
def shot(web: Web) -> int:
    found = web.shot()
    ops = [
        {"op": "add", "path": "/planes/0", "value": GLAZE},
        {"op": "add", "path": "/planes/0", "value": {"id": "f", "name": "Fill", "kind": "fill", "opacity": 0.5}},
    ]
    assert web.edit(found, 1, ops).status_code == 200
    return found


def deed(web: Web, shot: int, **body: Any) -> Any:
    return web.post(f"/api/shots/{shot}/deeds", body)


def test_a_deed_is_an_edit_that_can_be_sent_and_taken_back(web: Web, shot: int) -> None:
    told = deed(web, shot, kind="arrive", places=["/planes/1/treatments"], first=2, last=8)
    assert told.status_code == 200
    before = web.get(f"/api/shots/{shot}").json
    # asking changes nothing
    assert before["revision"] == 2
    assert web.edit(shot, 2, told.json["ops"], label=told.json["label"]).status_code == 200
    params = web.get(f"/api/shots/{shot}").json["document"]["planes"][1]["treatments"][0]["params"]
    assert [k["frame"] for k in params["exposure"]["keys"]] == [2, 8]
    moved = deed(web, shot, kind="shift", places=["/planes/1"], first=0, last=15, to_first=3).json
    web.edit(shot, 3, moved["ops"], label=moved["label"])
    params = web.get(f"/api/shots/{shot}").json["document"]["planes"][1]["treatments"][0]["params"]
    assert [k["frame"] for k in params["saturation"]["keys"]] == [5, 11]
    for _ in range(2):
        web.post(f"/api/shots/{shot}/undo")
    assert web.get(f"/api/shots/{shot}").json["document"] == before["document"]


def test_keys_are_copied_and_pasted(web: Web, shot: int) -> None:
    keys = {"keys": [{"frame": 1, "value": 0.0}, {"frame": 4, "value": 1.0, "ease": "linear"}]}
    web.edit(shot, 2, [{"op": "replace", "path": "/planes/0/opacity", "value": keys}])
    clips = web.post(f"/api/shots/{shot}/copied", {"places": ["/planes/0"], "first": 0, "last": 9}).json["clips"]
    assert [(c["name"], len(c["keys"])) for c in clips] == [("/opacity", 2)]
    told = deed(web, shot, kind="paste", places=["/planes/1"], to_first=6, clips=clips).json
    assert [op["path"] for op in told["ops"]] == ["/planes/1/opacity"]
    assert [k["frame"] for k in told["ops"][0]["value"]["keys"]] == [6, 9]
    assert "copy" in problem(
        web.post(f"/api/shots/{shot}/copied", {"places": ["/planes/2"], "first": 0, "last": 9}), 422
    )


@pytest.mark.parametrize("body", [
    {"kind": "arrive", "places": ["/planes/1"], "first": 8, "last": 2},
    {"kind": "shift", "places": ["/nowhere"], "first": 0, "last": 9},
    {"kind": "dance", "places": ["/planes/1"]},
    {"kind": "shift", "places": []},
    {"kind": "paste", "places": ["/planes/1"], "clips": [{"name": "/opacity", "keys": []}]},
    {"kind": "bake", "places": ["/planes/1"], "first": 0, "last": -4},
])  # fmt: skip
def test_deeds_that_cannot_be_done_get_a_sentence(web: Web, shot: int, body: dict[str, Any]) -> None:
    assert problem(web.post(f"/api/shots/{shot}/deeds", body), 422)


def test_deeds_on_a_shot_that_is_not_there(web: Web) -> None:
    assert problem(deed(web, 999, kind="shift", places=["/planes/0"]), 404)
    assert problem(web.get("/api/shots/999/costs?frame=0&width=480"), 404)


def test_every_planes_cost_is_told(web: Web, shot: int) -> None:
    found = web.get(f"/api/shots/{shot}/costs?frame=3&width=480").json["costs"]
    assert set(found) == {"f", "g", "plate"}
    assert all(ms >= 0 for ms in found.values())
    assert problem(web.get(f"/api/shots/{shot}/costs?frame=999&width=480"), 422)


def test_a_plane_is_tried_out_as_a_view(web: Web, shot: int) -> None:
    def key(view: View) -> str:
        return web.get(f"/api/shots/{shot}/keys?view={said(view)}&first=0&last=0&width=480").json["keys"][0]

    tried = key(SCREEN)
    assert tried != key(ResultView())
    picture = web.get(f"/api/shots/{shot}/picture/{tried}?view={said(SCREEN)}&frame=0&width=480")
    assert picture.status_code == 200
    assert problem(
        web.get(f"/api/shots/{shot}/keys?view={said(BlendView(plane='f', way='burn'))}&first=0&last=0&width=480"), 422
    )
    assert problem(
        web.get(
            f"/api/shots/{shot}/keys?view={said(BlendView(plane='nobody', way='screen'))}&first=0&last=0&width=480"
        ),
        422,
    )


@pytest.mark.parametrize("value", [
    {"drive": "wander", "amount": 1, "pace": 0},
    {"drive": "flicker", "pattern": "12"},
    {"drive": "swing"},
    {"keys": [{"frame": 0, "value": 1.0, "ease": "free", "handles": [2, 0, 0, 1]}]},
    {"keys": [{"frame": 3, "value": 1.0}, {"frame": 1, "value": 0.5}]},
    "half",
])  # fmt: skip
def test_values_that_cannot_move_so_are_refused(web: Web, shot: int, value: Any) -> None:
    op = {"op": "replace", "path": "/planes/0/opacity", "value": value}
    assert problem(web.edit(shot, 2, [op]), 422)
    assert web.get(f"/api/shots/{shot}").json["revision"] == 2


def test_a_shot_in_a_list_says_how_many_of_its_frames_are_in_doubt(web: Web) -> None:
    shot = web.shot()
    with web.database.session() as session:
        for owner, frame, origin, doubt in (("t1", 3, "followed", 0.8), ("t2", 3, "followed", 0.9),
                                            ("t1", 4, "followed", 0.3), ("t1", 5, "touched", 0.9),
                                            ("t1", 6, "followed", 0.51)):  # fmt: skip
            session.add(MatteFrame(shot_id=shot, owner=owner, frame=frame, origin=origin, doubt=doubt))
    (project,) = web.get("/api/projects").json["projects"]
    assert [(one["id"], one["doubts"]) for one in project["shots"]] == [(shot, 2)]
