"""Versions, names and copies over HTTP."""

import io

import numpy as np

from cuvrel.core.stand.view_kinds import MatteView
from tests.web.conftest import SEEN, Web, decoded, problem


def test_a_version_is_kept_shown_gone_back_to_and_forgotten(web: Web) -> None:
    shot = web.shot()
    web.mark(shot)
    plain = decoded(web.fetch(shot).data)
    kept = web.post(f"/api/shots/{shot}/versions", {"name": "untreated", "frame": 2})
    assert kept.status_code == 201
    about = web.get(f"/api/shots/{shot}").json
    plane = {"id": "w", "name": "World", "kind": "glaze",
             "treatments": [{"id": "g", "kind": "grade", "params": {"exposure": -4.0}}]}  # fmt: skip
    edited = web.edit(shot, about["revision"], [{"op": "add", "path": "/planes/0", "value": plane}])
    assert edited.status_code == 200, edited.json
    dark = decoded(web.fetch(shot).data)
    assert dark.mean() < plain.mean() / 2
    listed = web.get(f"/api/shots/{shot}/versions").json["versions"]
    assert [(one["id"], one["name"], one["revision"]) for one in listed] == [
        (kept.json["id"], "untreated", about["revision"])
    ]
    number = kept.json["id"]
    where = f"{SEEN}&width=240&version={number}"
    key = web.get(f"/api/shots/{shot}/keys?{where}&first=0&last=0").json["keys"][0]
    beside = decoded(web.get(f"/api/shots/{shot}/picture/{key}?{where}&frame=0").data)
    np.testing.assert_array_equal(beside, plain)
    small = decoded(web.get(listed[0]["picture"]).data)
    assert small.shape[1] == 320
    where = f"{SEEN}&width=320&version={number}"
    key = web.get(f"/api/shots/{shot}/keys?{where}&first=2&last=2").json["keys"][0]
    looked_at = decoded(web.get(f"/api/shots/{shot}/picture/{key}?{where}&frame=2").data)
    assert np.abs(small.astype(int) - looked_at).mean() < 2, "the picture is of the frame that was looked at"
    went = web.post(f"/api/shots/{shot}/versions/{number}/back")
    assert went.status_code == 200
    assert went.json["history"]["undo"] == "back to untreated"
    np.testing.assert_array_equal(decoded(web.fetch(shot).data), plain)
    web.post(f"/api/shots/{shot}/undo")
    np.testing.assert_array_equal(decoded(web.fetch(shot).data), dark)
    assert web.client.delete(f"/api/shots/{shot}/versions/{number}").status_code == 200
    assert web.get(f"/api/shots/{shot}/versions").json["versions"] == []
    assert "no such version" in problem(web.post(f"/api/shots/{shot}/versions/{number}/back"), 404)


def test_things_are_called_otherwise(web: Web) -> None:
    shot = web.shot()
    about = web.get(f"/api/shots/{shot}").json
    project, footage = about["project"], about["plate"]["id"]
    for things, number in (("projects", project), ("footage", footage), ("shots", shot)):
        answer = web.post(f"/api/{things}/{number}/name", {"name": f"New {things}"})
        assert answer.status_code == 200, answer.json
    found = web.get(f"/api/projects/{project}").json
    assert found["name"] == "New projects"
    assert found["footage"][0]["name"] == "New footage"
    assert found["shots"][0]["name"] == "New shots"
    assert web.get(f"/api/shots/{shot}").json["history"]["undo"] == "rename", "a shot's name is part of its document"
    job = web.post(f"/api/shots/{shot}/exports", {"what": "result", "how": "h264", "first": 0, "last": 1}).json["id"]
    web.work(job)
    web.post(f"/api/jobs/{job}/name", {"name": "For the harbour master"})
    found = web.get(f"/api/jobs/{job}").json
    assert found["title"] == "For the harbour master"
    assert found["result"]["filename"] == "for-the-harbour-master.mp4"
    assert "filename=for-the-harbour-master.mp4" in web.get(f"/api/jobs/{job}/file").headers["Content-Disposition"]
    problem(web.post(f"/api/projects/{project}/name", {"name": ""}), 422)
    problem(web.post("/api/projects/999999/name", {"name": "x"}), 404)


def test_shots_and_projects_are_copied_and_footage_is_not(web: Web) -> None:
    shot = web.shot()
    web.mark(shot)
    project = web.get(f"/api/shots/{shot}").json["project"]
    twin = web.post(f"/api/shots/{shot}/copy")
    assert twin.status_code == 201
    assert twin.json["name"] == "Shot 01 copy"
    first, second = (web.fetch(one, view=MatteView(matte="m1")).data for one in (shot, twin.json["id"]))
    assert first == second
    new = web.post(f"/api/projects/{project}/copy").json
    found = web.get(f"/api/projects/{new['id']}").json
    assert [one["name"] for one in found["shots"]] == ["Shot 01", "Shot 01 copy"]
    assert web.post(f"/api/shots/{twin.json['id']}/copy").json["name"] == "Shot 01 copy 2"
    assert web.fetch(found["shots"][0]["id"], view=MatteView(matte="m1")).data == first
    footage = found["footage"][0]["id"]
    assert "Footage serves" in problem(web.post(f"/api/footage/{footage}/copy"), 422)
    # the copy stands when the first is gone for good
    web.client.delete(f"/api/projects/{project}")
    web.client.delete(f"/api/projects/{project}?for_good=true")
    again = web.upload(new["id"], ("more.mp4", io.BytesIO(web.clip.path.read_bytes()).read()))
    assert again.status_code in (201, 202)
    assert web.fetch(found["shots"][0]["id"], view=MatteView(matte="m1")).data == first
