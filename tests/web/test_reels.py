"""Reels over the API: made, edited, looked at, exported, gaps, circles, copies, packed, timeline files."""

from __future__ import annotations

import io
import zipfile
from pathlib import Path
from typing import Any

import numpy as np
import pytest

from cuvrel import headless
from cuvrel.core.export.order import Settings
from cuvrel.core.media.probe import probe
from cuvrel.core.media.reader import Reader
from tests.web.conftest import Web, decoded, problem

LAST = 9


@pytest.fixture
def row(web: Web) -> tuple[int, list[int]]:
    """A project, and two shots of it over their first ten frames; the second one is glazed dark."""
    first = web.shot()
    project = web.get(f"/api/shots/{first}").json["project"]
    footage = int(web.get(f"/api/shots/{first}").json["document"]["plate"])
    second = web.post(f"/api/projects/{project}/shots", {"name": "Shot 02", "footage": footage}).json["id"]
    glaze = {"id": "g", "name": "Dark", "kind": "glaze",
             "treatments": [{"id": "s", "kind": "grade", "params": {"exposure": -2.0}}]}  # fmt: skip
    ranged = {"op": "replace", "path": "/range", "value": {"first": 0, "last": LAST}}
    web.edit(first, 1, [ranged])
    web.edit(second, 0, [ranged, {"op": "add", "path": "/planes/0", "value": glaze}])
    return project, [first, second]


def reel_of(web: Web, project: int, shots: list[int], name: str = "Morning reel") -> int:
    made = web.post(f"/api/projects/{project}/reels", {"name": name, "shots": shots})
    assert made.status_code == 201, made.json
    return int(made.json["id"])


def keys(web: Web, shot: int) -> list[str]:
    found: list[str] = web.keys(shot)["keys"]
    return found


def mixed(web: Web, reel: int, length: int = 4) -> None:
    revision = web.get(f"/api/shots/{reel}").json["revision"]
    answer = web.edit(reel, revision, [
        {"op": "add", "path": "/pieces/1/join", "value": {"kind": "mix", "length": float(length)}}
    ])  # fmt: skip
    assert answer.status_code == 200, answer.json


def test_a_reel_shows_its_shots_and_is_listed_beside_them(web: Web, row: tuple[int, list[int]]) -> None:
    project, shots = row
    reel = reel_of(web, project, shots)
    about = web.get(f"/api/shots/{reel}").json
    assert [one["kind"] for one in (about["document"], web.get(f"/api/shots/{shots[0]}").json["document"])] == [
        "reel", "shot",
    ]  # fmt: skip
    assert about["plate"]["frames"] == 20
    listed = web.get(f"/api/projects/{project}").json
    assert [one["id"] for one in listed["shots"]] == shots
    assert [(one["id"], one["pieces"]) for one in listed["reels"]] == [(reel, 2)]
    bright, dark = (decoded(web.fetch(reel, n).data).mean() for n in (9, 10))
    assert dark < bright * 0.7
    assert web.get(f"/api/shots/{reel}/card.jpg").status_code == 200
    # a cut shows the very pictures of its shots
    assert decoded(web.fetch(reel, 3).data).shape == decoded(web.fetch(shots[0], 3).data).shape
    assert np.array_equal(decoded(web.fetch(reel, 3).data), decoded(web.fetch(shots[0], 3).data))


def test_a_change_in_a_shot_changes_what_it_touches_and_nothing_else(web: Web, row: tuple[int, list[int]]) -> None:
    project, shots = row
    reel = reel_of(web, project, shots)
    mixed(web, reel)
    before = keys(web, reel)
    revision = web.get(f"/api/shots/{shots[1]}").json["revision"]
    web.edit(shots[1], revision, [
        {"op": "replace", "path": "/planes/0/treatments/0/params", "value": {"exposure": -1.0}}
    ])  # fmt: skip
    after = keys(web, reel)
    changed = [n for n, (a, b) in enumerate(zip(before, after, strict=True)) if a != b]
    assert changed == list(range(6, 16))
    web.post(f"/api/shots/{shots[1]}/undo")
    assert keys(web, reel) == before


def test_a_shot_in_the_trash_leaves_a_gap_and_comes_back_into_it(web: Web, row: tuple[int, list[int]]) -> None:
    project, shots = row
    reel = reel_of(web, project, shots)
    before = keys(web, reel)
    assert web.client.delete(f"/api/shots/{shots[1]}").status_code == 200
    assert decoded(web.fetch(reel, 12).data).max() == 0
    inside = web.get(f"/api/shots/{reel}/inside").json["shots"]
    assert [(one["name"], one["state"]) for one in inside.values()] == [("Shot 01", "there"), ("Shot 02", "trash")]
    web.post(f"/api/shots/{shots[1]}/restore")
    assert keys(web, reel) == before
    web.client.delete(f"/api/shots/{shots[1]}")
    web.client.delete(f"/api/shots/{shots[1]}?for_good=true")
    assert decoded(web.fetch(reel, 12).data).max() == 0
    assert list(web.get(f"/api/shots/{reel}/inside").json["shots"]) == [f"s{shots[0]}"]


def test_circles_are_refused_with_both_names(web: Web, row: tuple[int, list[int]]) -> None:
    project, shots = row
    reel = reel_of(web, project, shots)
    entry = web.post(f"/api/projects/{project}/laying", {"shot": reel}).json["entry"]
    revision = web.get(f"/api/shots/{shots[0]}").json["revision"]
    element = {"id": "e", "name": "Reel", "kind": "element", "params": {"footage": entry["id"]}}
    ops = [{"op": "add", "path": "/footage/-", "value": entry}, {"op": "add", "path": "/planes/0", "value": element}]
    told = problem(web.edit(shots[0], revision, ops), 422)
    assert "Morning reel" in told
    assert "Shot 01" in told
    # itself, and what is of no project of theirs
    own = web.edit(reel, 0, [{"op": "add", "path": "/footage/-", "value": entry}])
    assert "each would lie in the other" in problem(own, 422)
    other = reel_of(web, web.project("Elsewhere"), [])
    assert problem(web.edit(other, 0, [{"op": "add", "path": "/footage/-", "value": entry}]), 422)
    # where there is no circle a reel lies in a shot
    third = web.post(f"/api/projects/{project}/laying", {"footage": int(footage_of(web, shots[0]))}).json["id"]
    made = web.edit(third, 0, ops)
    assert made.status_code == 200, made.json
    assert np.array_equal(decoded(web.fetch(third, 12).data), decoded(web.fetch(reel, 12).data))


def test_what_rests_on_another_shot_is_not_settled(web: Web, row: tuple[int, list[int]]) -> None:
    project, shots = row
    entry = web.post(f"/api/projects/{project}/laying", {"shot": shots[1]}).json["entry"]
    revision = web.get(f"/api/shots/{shots[0]}").json["revision"]
    element = {"id": "e", "name": "Other", "kind": "element", "params": {"footage": entry["id"]}}
    line = {"id": "c", "name": "By the other", "pulls": [
        {"id": "k", "kind": "footage", "params": {"plane": "e"}}
    ]}  # fmt: skip
    made = web.edit(shots[0], revision, [
        {"op": "add", "path": "/footage/-", "value": entry}, {"op": "add", "path": "/planes/0", "value": element},
        {"op": "add", "path": "/mattes/-", "value": line},
    ])  # fmt: skip
    assert made.status_code == 200, made.json
    told = problem(web.post(f"/api/shots/{shots[0]}/settle", {"matte": "c"}), 422)
    assert "rests on another shot" in told


def footage_of(web: Web, shot: int) -> str:
    return str(web.get(f"/api/shots/{shot}").json["document"]["plate"])


def test_footage_becomes_one_bare_shot(web: Web, row: tuple[int, list[int]]) -> None:
    project, shots = row
    footage = int(footage_of(web, shots[0]))
    first, again = (web.post(f"/api/projects/{project}/laying", {"footage": footage}).json["id"] for _ in range(2))
    assert first == again
    assert first not in shots
    assert problem(web.post(f"/api/projects/{project}/laying", {"footage": 99_999}), 404)
    assert problem(web.post(f"/api/projects/{project}/reels", {"name": "R", "shots": [99_999]}), 404)


def exported(web: Web, reel: int, **more: Any) -> bytes:
    job = web.post(f"/api/shots/{reel}/exports", {"what": "result", "how": "ffv1", **more})
    assert job.status_code == 202, job.json
    assert web.work(job.json["id"])["state"] == "done"
    data: bytes = web.get(f"/api/jobs/{job.json['id']}/file").data
    return data


def test_a_reel_is_exported_as_it_was_when_it_was_asked(web: Web, row: tuple[int, list[int]], tmp_path: Path) -> None:
    project, shots = row
    reel = reel_of(web, project, shots)
    mixed(web, reel)
    job = web.post(f"/api/shots/{reel}/exports", {"what": "result", "how": "ffv1"}).json["id"]
    revision = web.get(f"/api/shots/{shots[1]}").json["revision"]
    web.edit(shots[1], revision, [{"op": "remove", "path": "/planes/0"}])
    web.client.delete(f"/api/shots/{shots[0]}")
    assert web.work(job)["state"] == "done"
    file = tmp_path / "reel.mkv"
    file.write_bytes(web.get(f"/api/jobs/{job}/file").data)
    info = probe(file)
    assert (info.frames, info.fps) == (16, 24.0)
    seen = Reader(file, info)
    assert seen.frame(15).mean() < seen.frame(2).mean() * 0.7


def test_versions_copies_and_undo_are_a_documents(web: Web, row: tuple[int, list[int]]) -> None:
    project, shots = row
    reel = reel_of(web, project, shots)
    kept = web.post(f"/api/shots/{reel}/versions", {"name": "cut"}).json
    mixed(web, reel)
    changed = keys(web, reel)
    version = next(one for one in kept["versions"] if one["name"] == "cut") if "versions" in kept else kept
    assert web.post(f"/api/shots/{reel}/versions/{version['id']}/back").status_code in (200, 204)
    assert len(web.get(f"/api/shots/{reel}").json["document"]["pieces"][1]["join"]) == 0
    web.post(f"/api/shots/{reel}/undo")
    assert keys(web, reel) == changed
    twin = web.post(f"/api/shots/{reel}/copy").json
    assert keys(web, twin["id"]) == changed
    # in a copy of the project the reel holds that project's shots
    copied = web.post(f"/api/projects/{project}/copy").json["id"]
    listed = web.get(f"/api/projects/{copied}").json
    other = listed["reels"][0]["id"]
    inside = web.get(f"/api/shots/{other}/inside").json["shots"]
    assert {one["id"] for one in inside.values()} <= {one["id"] for one in listed["shots"]}
    assert keys(web, other) == changed


def test_a_packed_reel_comes_in_again_and_is_rendered_without_a_server(
    web: Web, row: tuple[int, list[int]], tmp_path: Path
) -> None:
    project, shots = row
    gone = web.post(f"/api/projects/{project}/laying", {"footage": int(footage_of(web, shots[0]))}).json["id"]
    reel = reel_of(web, project, [*shots, gone])
    mixed(web, reel)
    web.client.delete(f"/api/shots/{gone}")
    job = web.post(f"/api/projects/{project}/pack").json["id"]
    assert web.work(job)["state"] == "done"
    data = web.get(f"/api/jobs/{job}/file").data
    form = {"file": (io.BytesIO(data), "Quay.zip")}
    came = web.client.post("/api/packed", data=form, content_type="multipart/form-data").json
    assert web.work(came["id"])["state"] == "done"
    listed = web.get(f"/api/projects/{came['project']}").json
    other = listed["reels"][0]["id"]
    for frame in (2, 7, 13):
        apart = decoded(web.fetch(other, frame).data).astype(float) - decoded(web.fetch(reel, frame).data)
        assert np.abs(apart).max() < 3
    inside = web.get(f"/api/shots/{other}/inside").json["shots"]
    assert {one["id"] for one in inside.values()} == {one["id"] for one in listed["shots"]}
    # and from the file itself
    with zipfile.ZipFile(io.BytesIO(data)) as archive:
        archive.extractall(tmp_path)
    to = tmp_path / "reel.mkv"
    headless.render(tmp_path / "reel-01.json", Settings(how="ffv1"), None, to, None, 1.0, lambda done, of: None)
    info = probe(to)
    assert info.frames == web.get(f"/api/shots/{reel}").json["plate"]["frames"]
    ours = tmp_path / "ours.mkv"
    ours.write_bytes(exported(web, reel))
    here, there = Reader(to, info), Reader(ours, probe(ours))
    for frame in (0, 7, 12):
        assert np.array_equal(here.frame(frame), there.frame(frame))


@pytest.mark.parametrize("kind", ["otio", "edl"])
def test_a_reel_goes_through_a_timeline_file(web: Web, row: tuple[int, list[int]], kind: str) -> None:
    project, shots = row
    reel = reel_of(web, project, shots)
    mixed(web, reel)
    answer = web.get(f"/api/shots/{reel}/timeline.{kind}")
    assert answer.status_code == 200
    assert f"morning-reel.{kind}" in answer.headers["Content-Disposition"]
    file = {"name": f"cut.{kind}", "kind": kind, "text": answer.data.decode()}
    looked = web.post(f"/api/projects/{project}/timelines/look", file).json
    assert [one["found"] for one in looked["media"]] == [f"shot:{one}" for one in shots]
    assert looked["pieces"] == 2
    made = web.post(f"/api/projects/{project}/timelines", file)
    assert made.status_code == 201
    assert made.json["said"] == []
    assert keys(web, made.json["reel"]["id"]) == keys(web, reel)
    # elsewhere what is not there is asked for, and leaves a gap where nothing is given
    elsewhere = web.project("Elsewhere")
    assert [one["found"] for one in web.post(f"/api/projects/{elsewhere}/timelines/look", file).json["media"]] == [
        "",
        "",
    ]
    made = web.post(f"/api/projects/{elsewhere}/timelines", file)
    assert made.status_code == 201
    assert len(made.json["said"]) == 2
    assert decoded(web.fetch(made.json["reel"]["id"], 3).data).max() == 0


def test_a_broken_timeline_leaves_nothing_behind(web: Web, row: tuple[int, list[int]]) -> None:
    project, shots = row
    for kind in ("otio", "edl"):
        file = {"name": f"cut.{kind}", "kind": kind, "text": "{ broken"}
        assert "cut" in problem(web.post(f"/api/projects/{project}/timelines", file), 422)
    assert web.get(f"/api/projects/{project}").json["reels"] == []
    assert "only a reel" in problem(web.get(f"/api/shots/{shots[0]}/timeline.otio"), 422)
    assert problem(web.get(f"/api/shots/{reel_of(web, project, [])}/timeline.edl"), 422)
