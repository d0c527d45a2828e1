"""A camera over HTTP: solved, asked for places, written and read again."""

from __future__ import annotations

import json
from typing import Any

import numpy as np
import pytest
from sqlalchemy import select

from cuvrel.jobs.running import advance
from cuvrel.store.models import JobRow
from tests.moving import SIZE, way, write
from tests.web.conftest import Web, problem

FRAMES = 24


@pytest.fixture(scope="module")
def street(tmp_path_factory: pytest.TempPathFactory) -> bytes:
    """A video of a walk along a street."""
    return write(tmp_path_factory.mktemp("street") / "street.mp4", FRAMES).read_bytes()


@pytest.fixture
def walk(web: Web, street: bytes) -> int:
    """A shot of it with a camera that is not solved yet."""
    project = web.project()
    sent = web.upload(project, ("street.mp4", street))
    assert sent.status_code in (200, 201, 202), sent.json
    with web.database.session() as session:
        jobs = list(session.scalars(select(JobRow.id)))
    for job in jobs:
        web.work(job)
    footage = web.get(f"/api/projects/{project}").json["footage"][0]
    shot = web.post(f"/api/projects/{project}/shots", {"name": "Walk", "footage": footage["id"]}).json["id"]
    edit(web, shot, [{"op": "add", "path": "/tracks/-", "value": {
        "id": "cam", "name": "Camera", "kind": "camera", "frame": 5, "points": []}}])  # fmt: skip
    return shot


def edit(web: Web, shot: int, ops: list[dict[str, Any]]) -> Any:
    answer = web.edit(shot, web.get(f"/api/shots/{shot}").json["revision"], ops)
    assert answer.status_code == 200, answer.json
    return answer.json


def solve(web: Web, shot: int) -> dict[str, Any]:
    started = web.post(f"/api/shots/{shot}/track", {"tracks": ["cam"], "start": 0, "step": 0})
    assert started.status_code == 202, started.json
    return web.work(started.json["id"])


def test_a_camera_is_solved_stood_in_written_and_read(web: Web, walk: int) -> None:
    at = f"/api/shots/{walk}/tracks/cam"
    assert not web.get(f"{at}/scene").json["solved"]
    assert "not solved" in problem(web.get(f"{at}/scene.gltf"), 422)
    assert "not solved" in problem(web.post(f"{at}/place", {"frame": 3, "x": 5, "y": 5}), 422)
    done = solve(web, walk)
    assert (done["state"], done["message"]) == ("done", "The camera is solved.")
    scene = web.get(f"{at}/scene").json
    assert scene["solved"]
    assert not scene["still"]
    assert all(scene["views"])
    assert len(scene["points"]) > 60
    doubts = [one["doubt"] for one in web.get(f"/api/shots/{walk}").json["frames"] if one["pull"] == "cam"]
    assert len(doubts) == FRAMES
    assert max(doubts) < 0.5
    features = np.array(web.get(f"{at}/features?frame=4").json["features"])
    assert (features[:, 2] > 0.5).mean() > 0.5
    # a place of the wall is seen on other frames where it truly is
    wall = np.array([[0.4, -0.2, 9.0]])
    x, y = way(6).seen(wall)[0]
    place = web.post(f"{at}/place", {"frame": 6, "x": float(x), "y": float(y)}).json
    assert place["doubt"] < 0.6
    ride = {"track": "cam", "frame": 6, "how": "position", "place": place["at"], "facing": place["facing"]}
    ways = np.array(web.post(f"/api/shots/{walk}/motions", {"rides": [ride]}).json["motions"][0]).reshape(-1, 3, 3)
    for n in (0, 20):
        u, v, w = ways[n] @ (x, y, 1.0)
        assert np.hypot(*(np.array([u / w, v / w]) - way(n).seen(wall)[0])) < 1.5
    # a card there stays there
    card = {"track": "cam", "params": dict(zip("xyz", place["told"], strict=True)) | {"width": 0.5, "foot": False}}
    edit(web, walk, [{"op": "add", "path": "/planes/0", "value": {
        "id": "card", "name": "Card", "kind": "fill", "params": {"colour1": [1, 0, 0]}, "card": card}}])  # fmt: skip
    # what is written is read again as it was
    text = web.get(f"{at}/scene.gltf").data.decode()
    assert json.loads(text)["asset"]["version"] == "2.0"
    assert web.get(f"{at}/scene.ply").data.startswith(b"ply")
    read = web.post(f"{at}/scene", {"text": text})
    assert read.status_code == 200, read.json
    assert np.allclose(read.json["views"][7], scene["views"][7], atol=2e-3)
    assert problem(web.post(f"{at}/scene", {"text": "{}"}), 422)
    # what stood in it lies flat when it goes
    gone = web.post(f"/api/shots/{walk}/rides", {"kind": "remove", "path": "", "ident": "cam"}).json
    assert any("scene" in one for one in gone["said"])


def test_a_camera_that_is_none_says_so(web: Web, walk: int) -> None:
    assert "camera" in problem(web.get(f"/api/shots/{walk}/tracks/cam/path"), 404)
    edit(web, walk, [{"op": "add", "path": "/tracks/-", "value": {
        "id": "spot", "name": "Spot", "kind": "point", "frame": 0, "points": [[SIZE[0] / 2, 100]]}}])  # fmt: skip
    assert "no camera" in problem(web.get(f"/api/shots/{walk}/tracks/spot/scene"), 404)


def test_a_solve_that_was_cut_off_goes_on(web: Web, walk: int) -> None:
    solve(web, walk)
    wanted = web.get(f"/api/shots/{walk}/tracks/cam/scene").json["views"]
    started = web.post(f"/api/shots/{walk}/track", {"tracks": ["cam"], "start": 0, "step": 0}).json["id"]
    with web.database.session() as session:
        session.get(JobRow, started).state = "working"
        advance(session, started, 9, 36, been={"cam": [0, 8]})
    with web.database.session() as session:
        session.get(JobRow, started).state = "waiting"
    done = web.work(started)
    assert (done["state"], done["message"]) == ("done", "The camera is solved.")
    # it is laid over what was solved before
    found = web.get(f"/api/shots/{walk}/tracks/cam/scene").json["views"]
    np.testing.assert_allclose(np.array(found[12])[9:12], np.array(wanted[12])[9:12], atol=0.05)
