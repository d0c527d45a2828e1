"""Pulls that are drawn, that take other footage, or that are fitted to a frame."""

from typing import Any

from cuvrel.core.stand.view_kinds import MatteView
from tests.web.conftest import Web, decoded, problem


def shape(**changes: Any) -> dict[str, Any]:
    at = {"frame": 0, "x": 48, "y": 27, "width": 40, "height": 30}
    return {"id": "h1", "name": "Arm", "kind": "ellipse", "keys": [at], **changes}


def added(web: Web, shot: int, *ops: tuple[str, Any]) -> dict[str, Any]:
    revision = web.get(f"/api/shots/{shot}").json["revision"]
    return web.edit(shot, revision, [{"op": "add", "path": path, "value": value} for path, value in ops])


def test_a_drawn_shape_is_a_matte_and_a_wrong_one_is_refused(web: Web) -> None:
    shot = web.shot()
    added(web, shot, ("/mattes/0/pulls/-", {"id": "u1", "kind": "shape", "shapes": [shape()]}))
    assert decoded(web.fetch(shot, 3, MatteView(matte="m1"), 480).data)[27, 48].mean() > 250
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
    assert web.fetch(shot, 2, MatteView(matte="m1")).status_code == 200


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
