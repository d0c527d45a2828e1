"""Looks through the web service, another plate under a shot, and the plate's grain."""

from __future__ import annotations

import json
from typing import Any

import cv2
import numpy as np
import pytest

from cuvrel.core.stand.view_kinds import PlaneTarget, StandTarget
from tests.web.conftest import Web, said

PLANES = [
    {"op": "add", "path": "/planes/0", "value": {
        "id": "g1", "name": "Grey quay", "kind": "glaze", "gate": {"matte": "m1", "part": "outside"},
        "treatments": [{"id": "s1", "kind": "grade", "params": {"saturation": 0.0}}]}},
]  # fmt: skip


def revision(web: Web, shot: int) -> int:
    return int(web.get(f"/api/shots/{shot}").json["revision"])


def lay(web: Web, shot: int, look: str, **more: Any) -> Any:
    answer = web.post(f"/api/shots/{shot}/look", {"look": look, **more})
    assert answer.status_code == 200, answer.json
    done = web.edit(shot, revision(web, shot), answer.json["ops"], label=answer.json["label"])
    assert done.status_code == 200, done.json
    return done.json


def test_a_look_is_saved_with_its_picture_listed_renamed_and_deleted(web: Web) -> None:
    shot = web.shot()
    web.mark(shot)
    web.edit(shot, revision(web, shot), PLANES)
    kept = web.post("/api/looks", {"name": "Grey quay", "shot": shot, "frame": 2, "planes": ["g1"]})
    assert kept.status_code == 201, kept.json
    ident = kept.json["id"]
    assert kept.json["needs"] == [{"id": "m1", "of": "matte", "name": "Signaller"}]
    assert web.get(kept.json["picture"]).content_type == "image/jpeg"
    listed = web.get("/api/looks").json["looks"]
    assert listed[0]["id"] == ident
    assert sum(one["shipped"] for one in listed) == 12
    assert web.post(f"/api/looks/{ident}/name", {"name": "Ashen quay"}).json["name"] == "Ashen quay"
    assert web.get(f"/api/looks/{ident}/file").json["name"] == "Ashen quay"
    assert web.client.delete(f"/api/looks/{ident}").status_code == 200
    assert web.get(f"/api/looks/{ident}/file").status_code == 404


def test_a_look_that_was_written_and_read_gives_the_same_picture_and_one_undo_takes_it_off(web: Web) -> None:
    shot = web.shot()
    web.mark(shot)
    web.edit(shot, revision(web, shot), PLANES)
    wanted = web.fetch(shot).data
    kept = web.post("/api/looks", {"name": "Grey quay", "shot": shot, "frame": 0, "planes": ["g1"]}).json
    text = web.get(f"/api/looks/{kept['id']}/file").text
    web.edit(shot, revision(web, shot), [{"op": "remove", "path": "/planes/0"}])
    plain = web.fetch(shot).data
    assert plain != wanted
    read = web.post("/api/looks/file", {"text": text})
    assert read.status_code == 201, read.json
    lay(web, shot, read.json["id"])
    assert web.fetch(shot).data == wanted
    web.post(f"/api/shots/{shot}/undo")
    assert web.fetch(shot).data == plain


def test_looks_are_shown_on_the_shots_own_frame_without_changing_it(web: Web) -> None:
    shot = web.shot()
    web.mark(shot)
    before = web.get(f"/api/shots/{shot}").json["revision"]
    for target, count in ((StandTarget(matte="m1"), 11), (PlaneTarget(plane="plate"), 1)):
        tries = web.get(f"/api/shots/{shot}/tries?target={said(target)}&frame=0&width=160").json["tries"]
        looks = [one for one in tries if one["kind"].startswith("look:")]
        assert len(looks) == count
        for one in looks:
            address = f"/api/shots/{shot}/picture/{one['key']}?view={said(one['view'])}&frame=0&width=160"
            assert web.get(address).status_code == 200
            keys = web.get(f"/api/shots/{shot}/keys?view={said(one['view'])}&first=0&last=0&width=160").json["keys"]
            assert keys == [one["key"]], "the whole picture shows it, too"
    assert web.get(f"/api/shots/{shot}").json["revision"] == before


def test_what_a_look_needs_is_asked_for(web: Web) -> None:
    shot = web.shot()
    body = {"look": "starter-02-one-colour", "prefer": "m1"}
    assert web.post(f"/api/shots/{shot}/suited", body).json["chosen"] == {"subject": "m1"}
    refused = web.post(f"/api/shots/{shot}/look", {**body, "chosen": {"subject": None}})
    assert refused.status_code == 422
    assert "needs a matte for 'Subject'" in json.dumps(refused.json)
    lay(web, shot, "starter-12-old-film", plane="plate")
    assert len(web.get(f"/api/shots/{shot}").json["document"]["planes"][0]["treatments"]) == 5


@pytest.mark.parametrize(
    ("method", "path", "body", "status"),
    [
        ("post", "/api/looks/file", {"text": "nothing"}, 422),
        ("post", "/api/looks/file", {"text": json.dumps({"cuvrel_look": 1})}, 422),
        ("post", "/api/looks/starter-02-one-colour/name", {"name": "Mine"}, 422),
        ("delete", "/api/looks/starter-02-one-colour", None, 422),
        ("get", "/api/looks/9999/file", None, 404),
        ("get", "/api/looks/starter-none/file", None, 404),
        ("get", "/api/looks/starter-02-one-colour/picture.jpg", None, 404),
        ("post", "/api/looks/%2e%2e/name", {"name": "x"}, 422),
    ],
)
def test_looks_that_are_not_there_or_no_looks_are_refused(
    web: Web, method: str, path: str, body: Any, status: int
) -> None:
    answer = getattr(web.client, method)(path, json=body) if body else getattr(web.client, method)(path)
    assert answer.status_code == status, answer.json


def clip(folder: Any, size: tuple[int, int], shift: int) -> bytes:
    """A video of sixteen frames, lossless enough to be told from the other."""
    path = folder / "other.mp4"
    writer = cv2.VideoWriter(str(path), cv2.VideoWriter.fourcc(*"mp4v"), 24, size)
    for n in range(16):
        frame = np.full((size[1], size[0], 3), (40 + shift, 90, 200), np.uint8)
        cv2.circle(frame, (size[0] // 3 + 2 * n, size[1] // 2), size[1] // 4, (30, 220, 30), -1)
        writer.write(frame)
    writer.release()
    return bytes(path.read_bytes())


def test_another_plate_is_laid_under_a_finished_shot_and_taken_out_again(web: Web, tmp_path: Any) -> None:
    shot = web.shot()
    web.mark(shot)
    web.edit(shot, revision(web, shot), PLANES)
    about = web.get(f"/api/shots/{shot}").json
    before = web.fetch(shot).data
    old_frames = web.get(f"/api/shots/{shot}/frames").json["frames"]
    up = web.upload(about["project"], ("other.mp4", clip(tmp_path, (240, 136), 0))).json
    assert web.work(up["job"]["id"])["state"] == "done"
    swap = web.post(f"/api/shots/{shot}/plate", {"footage": up["footage"]["id"], "anew": ["m1"]})
    assert swap.status_code == 200, swap.json
    assert "fitted by" in swap.json["said"][0] or not swap.json["said"]
    assert swap.json["pulls"] == ["t1-2"]
    assert revision(web, shot) == about["revision"], "asking changes nothing"
    done = web.edit(shot, about["revision"], swap.json["ops"], label="swap the plate").json
    assert [one["pull"] for one in done["touched"]] == ["t1-2"], "its marks are solved on the new plate"
    assert web.fetch(shot).data != before
    job = web.post(f"/api/shots/{shot}/follow", {"pull": "t1-2", "start": 0, "step": 1, "whole": True}).json
    assert web.work(job["id"])["state"] == "done"
    new = [one for one in web.get(f"/api/shots/{shot}/frames").json["frames"] if one["pull"] == "t1-2"]
    assert len(new) > 1
    web.post(f"/api/shots/{shot}/undo")
    assert web.fetch(shot).data == before
    kept = [one for one in web.get(f"/api/shots/{shot}/frames").json["frames"] if one["pull"] == "t1"]
    assert kept == old_frames


def test_a_plate_of_another_project_or_none_is_refused(web: Web) -> None:
    shot = web.shot()
    assert web.post(f"/api/shots/{shot}/plate", {"footage": 99_999}).status_code == 404
    other = web.shot()
    foreign = web.get(f"/api/shots/{other}").json["document"]["plate"]
    assert web.post(f"/api/shots/{shot}/plate", {"footage": int(foreign)}).status_code == 404


def test_the_plates_grain_is_told_as_values(web: Web) -> None:
    shot = web.shot()
    answer = web.get(f"/api/shots/{shot}/grain?frame=3")
    assert answer.status_code == 200, answer.json
    assert set(answer.json["values"]) == {"amount", "shadows", "lights", "size", "colour"}
    assert web.get(f"/api/shots/{shot}/grain?frame=99").status_code == 422
