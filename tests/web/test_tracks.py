"""Tracks over HTTP: followed, told, ridden on, taken away; and what outlives being cut off."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest

from cuvrel.core.tracks.path import Measured
from cuvrel.jobs.running import advance
from cuvrel.store.models import JobRow, MatteFrame
from tests.web.conftest import Web, decoded, problem

HEAD = (232.0, 66.0)  # the signaller's, on frame 0


@pytest.fixture
def tracked(web: Web) -> int:
    """A shot with a point on the signaller's head and a patch on the wall."""
    shot = web.shot()
    patch = [[300, 60], [420, 60], [420, 160], [300, 160]]
    add(web, shot, {"id": "a", "name": "Head", "kind": "region", "frame": 4, "points": about(*HEAD)})
    add(web, shot, {"id": "b", "name": "Wall", "kind": "patch", "frame": 4, "points": patch})
    return shot


def about(x: float, y: float, far: float = 24.0) -> list[list[float]]:
    return [[x - far, y - far], [x + far, y - far], [x + far, y + far], [x - far, y + far]]


def edit(web: Web, shot: int, ops: list[dict[str, Any]]) -> Any:
    answer = web.edit(shot, web.get(f"/api/shots/{shot}").json["revision"], ops)
    assert answer.status_code == 200, answer.json
    return answer.json


def add(web: Web, shot: int, track: dict[str, Any]) -> None:
    edit(web, shot, [{"op": "add", "path": "/tracks/-", "value": track}])


def follow(web: Web, shot: int, *tracks: str, **how: Any) -> dict[str, Any]:
    started = web.post(f"/api/shots/{shot}/track", {"tracks": list(tracks), "start": 4, "step": 0, **how})
    assert started.status_code == 202, started.json
    return web.work(started.json["id"])


def rows(web: Web, shot: int, track: str) -> dict[int, dict[str, Any]]:
    return {one["frame"]: one for one in web.get(f"/api/shots/{shot}").json["frames"] if one["pull"] == track}


def since(web: Web, shot: int, track: str) -> np.ndarray:
    found = web.get(f"/api/shots/{shot}/tracks/{track}/path").json
    return np.array(found["since"]).reshape(-1, 3, 3)


def test_several_tracks_are_followed_side_by_side_both_ways(web: Web, tracked: int) -> None:
    done = follow(web, tracked, "a", "b")
    assert (done["state"], done["done"], done["total"]) == ("done", 30, 30)
    assert sorted(rows(web, tracked, "a")) == sorted(rows(web, tracked, "b")) == list(range(16))
    wall = since(web, tracked, "b")
    assert wall.shape == (16, 3, 3)
    np.testing.assert_allclose(wall[4], np.eye(3), atol=1e-6)
    # the camera stands on a boat's deck and rolls by a few pixels, no more
    assert np.abs(wall[:, :2, 2]).max() < 12
    features = web.get(f"/api/shots/{tracked}/tracks/a/features?frame=5").json["features"]
    assert len(features) > 3
    assert all(0 <= agrees <= 1 for _, _, agrees in features)


def test_a_follow_ends_where_it_is_told_to_and_only_one_has_a_track(web: Web, tracked: int) -> None:
    follow(web, tracked, "b", step=1, to=9)
    assert sorted(rows(web, tracked, "b")) == list(range(4, 10))
    path = f"/api/shots/{tracked}/track"
    assert web.post(path, {"tracks": ["a"], "start": 4, "step": 1}).status_code == 202
    assert "already" in problem(web.post(path, {"tracks": ["b", "a"], "start": 4, "step": 1}), 422)
    assert problem(web.post(path, {"tracks": ["zz"], "start": 4, "step": 1}), 404)
    assert problem(web.get(f"/api/shots/{tracked}/tracks/zz/path"), 404)


def test_a_touch_is_held_is_never_overwritten_and_comes_back_with_undo(web: Web, tracked: int) -> None:
    follow(web, tracked, "b")
    before = since(web, tracked, "b")
    moved = [[310, 60], [430, 60], [430, 160], [310, 160]]
    place = "/tracks/1/touches/-"
    edit(web, tracked, [{"op": "add", "path": place, "value": {"frame": 12, "points": moved}}])
    touched = since(web, tracked, "b")
    np.testing.assert_allclose(touched[12] @ [300, 60, 1], [310, 60, 1], atol=1e-4)
    np.testing.assert_allclose(touched[3], before[3], atol=1e-6)
    assert 1 < touched[8][0, 2] - before[8][0, 2] < 9
    follow(web, tracked, "b", start=12, step=1)
    again = since(web, tracked, "b")
    np.testing.assert_allclose(again[12], touched[12], atol=1e-6)
    # from the touch on it is followed as it was put
    middle = [360, 110, 1]
    went = (before[14] @ middle - before[12] @ middle)[:2]
    np.testing.assert_allclose((again[14] @ middle)[:2], (touched[12] @ middle)[:2] + went, atol=3)
    web.post(f"/api/shots/{tracked}/undo")
    assert not web.get(f"/api/shots/{tracked}").json["document"]["tracks"][1]["touches"]


def test_a_follow_that_was_cut_off_goes_on(web: Web, tracked: int) -> None:
    whole = follow(web, tracked, "b", step=1)
    assert whole["state"] == "done"
    wanted = since(web, tracked, "b")
    with web.database.session() as session:
        for n in range(8, 16):
            session.delete(session.get(MatteFrame, (tracked, "b", n)))
    started = web.post(f"/api/shots/{tracked}/track", {"tracks": ["b"], "start": 4, "step": 1}).json["id"]
    with web.database.session() as session:
        session.get(JobRow, started).state = "working"
        advance(session, started, 3, 11, been={"b": [0, 7]})
    with web.database.session() as session:
        session.get(JobRow, started).state = "waiting"
    done = web.work(started)
    assert (done["state"], done["message"]) == ("done", "Followed to the end.")
    np.testing.assert_allclose(since(web, tracked, "b"), wanted, atol=0.3)


def test_what_cannot_be_followed_says_so_and_what_is_out_of_sight_halts(web: Web, tracked: int) -> None:
    add(web, tracked, {"id": "c", "name": "Sky", "kind": "point", "frame": 0, "points": [[-300, -300]]})
    failed = follow(web, tracked, "c", start=0)
    assert failed["state"] == "failed"
    assert failed["message"] == (
        "There is too little to see here that could be followed. Mark something with edges or corners."
    )
    # all but the matte is left out, and the matte has nothing: nothing can be seen
    edit(
        web,
        tracked,
        [
            {"op": "add", "path": "/tracks/1/params/patience", "value": 2},
            {"op": "add", "path": "/mattes/-", "value": {"id": "m9", "name": "Hand", "pulls": [hand()]}},
            {"op": "add", "path": "/tracks/1/params/without", "value": "m9"},
        ],
    )
    done = follow(web, tracked, "b", step=1)
    assert done["message"] == "Halted: it can't be seen any more."
    assert done["result"]["pull"] == "b"
    frame = done["result"]["frame"]
    assert frame == 8
    assert rows(web, tracked, "b")[frame]["halt"]["reason"] == "it can't be seen from here on"


def hand() -> dict[str, Any]:
    """A box that covers everything from frame 8 on."""
    off = {"frame": 7, "x": -900, "y": 0, "width": 10, "height": 10, "ease": "hold"}
    on = {"frame": 8, "x": 240, "y": 135, "width": 2000, "height": 2000, "ease": "hold"}
    shape = {"id": "h1", "name": "Hand", "kind": "box", "keys": [off, on]}
    return {"id": "hp", "kind": "shape", "shapes": [shape]}


def test_what_rides_is_told_drawn_and_baked(web: Web, tracked: int) -> None:
    follow(web, tracked, "b")
    ride = {"track": "b", "frame": 4, "how": "perspective"}
    told = web.post(f"/api/shots/{tracked}/motions", {"rides": [ride, {**ride, "still": True}]}).json["motions"]
    there, still = (np.array(one).reshape(-1, 3, 3) for one in told)
    np.testing.assert_allclose(there, since(web, tracked, "b"), atol=1e-5)
    np.testing.assert_allclose((there[9] @ still[9]) / (there[9] @ still[9])[2, 2], np.eye(3), atol=1e-5)
    before = web.fetch(tracked, 12).data
    edit(web, tracked, [{"op": "add", "path": "/planes/0/ride", "value": {**ride, "how": "position"}}])
    assert web.fetch(tracked, 12).data != before
    baked = web.post(f"/api/shots/{tracked}/rides", {"kind": "bake", "path": "/planes/0/ride"}).json
    ridden = web.fetch(tracked, 12)
    edit(web, tracked, baked["ops"])
    np.testing.assert_allclose(decoded(web.fetch(tracked, 12).data), decoded(ridden.data), atol=3)
    assert "Nothing rides" in problem(
        web.post(f"/api/shots/{tracked}/rides", {"kind": "bake", "path": "/planes/0/ride"}), 422
    )


def test_a_track_goes_and_says_who_rode_on_it(web: Web, tracked: int) -> None:
    ride = {"track": "a", "frame": 4, "how": "position"}
    edit(web, tracked, [{"op": "add", "path": "/planes/0/ride", "value": ride}])
    assert "names the track" in problem(
        web.edit(tracked, web.get(f"/api/shots/{tracked}").json["revision"], [{"op": "remove", "path": "/tracks/0"}]),
        422,
    )
    gone = web.post(f"/api/shots/{tracked}/rides", {"kind": "remove", "ident": "a"}).json
    assert gone["said"] == ["placement of the plane 'Plate'"]
    edit(web, tracked, gone["ops"])
    document = web.get(f"/api/shots/{tracked}").json["document"]
    assert [one["id"] for one in document["tracks"]] == ["b"]
    assert document["planes"][0]["ride"] is None


def test_the_two_looks_of_a_track_are_alike_where_it_holds(web: Web, tracked: int) -> None:
    follow(web, tracked, "b")
    both = decoded(web.get(f"/api/shots/{tracked}/tracks/b/look.jpg?frame=12").data)
    assert both.shape == (220, 440, 3)
    left, right = both[20:200, 20:200].astype(float), both[20:200, 240:420].astype(float)
    # but for the flag that passes in front
    assert np.median(np.abs(left - right)) < 4


def test_a_copy_and_a_packed_project_keep_what_was_measured(web: Web, tracked: int) -> None:
    follow(web, tracked, "b", step=1)
    copy = web.post(f"/api/shots/{tracked}/copy").json["id"]
    np.testing.assert_allclose(since(web, copy, "b"), since(web, tracked, "b"))
    with web.database.session() as session:
        blob = session.get(MatteFrame, (copy, "b", 6)).blob
    assert Measured.unpacked(web.services.blobs.get(blob)).before is not None
