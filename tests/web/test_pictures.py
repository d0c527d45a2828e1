"""Pictures under their keys, and what tells a card of what it shows."""

from typing import Any

import numpy as np
import pytest

from cuvrel.core.stand.view_kinds import CutoutView, MatteView, PlaneView, VeilView
from cuvrel.web import pictures
from tests.conftest import Clip
from tests.recipes import drawn
from tests.web.conftest import SEEN, Web, decoded, problem


def test_pictures_come_under_their_keys_and_are_kept_for_ever(web: Web, clip: Clip) -> None:
    shot = web.shot()
    answer = web.fetch(shot, 4, width=480)
    assert "immutable" in answer.headers["Cache-Control"]
    picture = decoded(answer.data)[..., ::-1]
    assert np.abs(picture.astype(int) - clip.frame(4)).mean() < 6
    again = web.fetch(shot, 4, width=480)
    assert again.data == answer.data


def test_an_edit_changes_only_the_keys_of_its_frames(web: Web) -> None:
    shot = web.shot()
    revision = web.get(f"/api/shots/{shot}").json["revision"]
    before = web.keys(shot)["keys"]
    opacity = {
        "keys": [
            {"frame": 0, "value": 1, "ease": "hold"},
            {"frame": 5, "value": 0.5, "ease": "hold"},
            {"frame": 9, "value": 1},
        ]
    }
    web.edit(shot, revision, [{"op": "replace", "path": "/planes/0/opacity", "value": opacity}])
    after = web.keys(shot)["keys"]
    assert [f for f in range(16) if before[f] != after[f]] == [5, 6, 7, 8]


def test_views_of_a_marked_frame(web: Web) -> None:
    shot = web.shot()
    web.mark(shot)
    matte = decoded(web.fetch(shot, 0, MatteView(matte="m1")).data)
    assert 0.02 < (matte > 127).mean() < 0.5
    assert decoded(web.fetch(shot, 0, VeilView(matte="m1")).data).shape == (135, 240, 3)
    assert (
        decoded(web.fetch(shot, 0, CutoutView(matte="m1", ground="black")).data).mean()
        < decoded(web.fetch(shot).data).mean()
    )
    assert decoded(web.fetch(shot, 0, PlaneView(plane="plate")).data).shape[2] == 4
    assert web.get(f"/api/shots/{shot}/card.jpg").status_code == 200


def test_a_key_that_is_no_longer_right_is_not_served(web: Web) -> None:
    shot = web.shot()
    key = web.keys(shot)["keys"][0]
    revision = web.get(f"/api/shots/{shot}").json["revision"]
    web.edit(shot, revision, [{"op": "replace", "path": "/planes/0/opacity", "value": 0.5}])
    assert "changed" in problem(web.get(f"/api/shots/{shot}/picture/{key}?{SEEN}&frame=0&width=240"), 404)


def test_a_picture_of_an_earlier_release_is_not_kept(web: Web, monkeypatch: pytest.MonkeyPatch) -> None:
    shot = web.shot()
    key = web.keys(shot)["keys"][0]
    assert web.keys(shot)["keys"][0] == key
    monkeypatch.setattr(pictures, "hash_tree", lambda folder: "another")
    assert web.keys(shot)["keys"][0] != key
    assert "changed" in problem(web.get(f"/api/shots/{shot}/picture/{key}?{SEEN}&frame=0&width=240"), 404)
    assert web.fetch(shot).status_code == 200


@pytest.mark.parametrize("query", ["view=zzz&first=0&last=3&width=240", f"{SEEN}&first=-1&last=3&width=240",
                                   f"{SEEN}&first=0&last=3&width=1", f"{SEEN}&first=0"])  # fmt: skip
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
    key = next(d for d in found["declared"] if d["kind"] == "colour_key")
    hue = next(field for field in key["fields"] if field["name"] == "hue")
    assert (hue["unit"], hue["direction"]) == ("°", False), "a hue is no direction in the picture"
    assert {e["kind"] for e in found["hows"]} >= {"h264", "prores4444", "ffv1", "exr-half"}
    assert [e["kind"] for e in found["whats"]] == ["result", "cutout", "matte", "plane", "layers"]


def test_the_api_describes_itself(web: Web) -> None:
    document = web.get("/api/openapi.json").json
    assert document["openapi"].startswith("3.")
    assert {"/api/shots/{id}/edits", "/api/shots/{id}/follow"} <= set(document["paths"])


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
    assert decoded(web.fetch(shot, 2, MatteView(matte="m1")).data)[10:20, 10:50].mean() > 60


def test_the_matte_before_its_edge_step(web: Web) -> None:
    shot = web.shot()
    revision = web.mark(shot)["revision"]
    before = web.fetch(shot, 0, MatteView(matte="m1")).data
    web.edit(shot, revision, [{"op": "add", "path": "/mattes/0/edge/grow", "value": 12}])
    grown, bare = (
        decoded(web.fetch(shot, 0, view).data) for view in (MatteView(matte="m1"), MatteView(matte="m1", edged=False))
    )
    assert (grown > 127).sum() > 1.3 * (bare > 127).sum()
    assert web.fetch(shot, 0, MatteView(matte="m1", edged=False)).data == before
