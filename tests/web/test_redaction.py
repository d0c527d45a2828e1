"""Redaction over HTTP: people found, covered in one step, audited, accepted, and an export that asks for it."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import numpy as np
import pytest

from cuvrel.core.media.writer import VideoWriter
from cuvrel.store.models import MatteFrame
from tests.core.test_redaction import COUNT, HIGH, WIDE, frame
from tests.web.conftest import Web, decoded, problem


@pytest.fixture
def shot(web: Web, tmp_path: Path) -> int:
    """A shot on a clip in which a head goes across and hides once."""
    writer = VideoWriter(tmp_path / "clip.mp4", "h264", WIDE, HIGH, 24)
    for n in range(COUNT):
        writer.write(frame(n))
    writer.close()
    project = web.project()
    up = web.upload(project, ("clip.mp4", (tmp_path / "clip.mp4").read_bytes())).json
    assert web.work(up["job"]["id"])["state"] == "done"
    return web.post(f"/api/projects/{project}/shots", {"name": "Gate", "footage": up["footage"]["id"]}).json["id"]


def done(web: Web, path: str, body: Any = None) -> dict[str, Any]:
    started = web.post(path, body)
    assert started.status_code == 202, started.json
    job = web.work(started.json["id"])
    assert job["state"] == "done", job["message"]
    return job


WHOLE = {"first": None, "last": None, "of": None}


def edit(web: Web, shot: int, ops: list[dict[str, Any]]) -> None:
    assert web.edit(shot, web.get(f"/api/shots/{shot}").json["revision"], ops).status_code == 200


def test_people_are_found_covered_in_one_step_and_the_audit_is_clean(web: Web, shot: int) -> None:
    search = done(web, f"/api/shots/{shot}/people")
    (somebody,) = search["result"]["people"]
    assert (somebody["first"], somebody["last"]) == (0, COUNT - 1)
    assert decoded(web.get(f"/api/jobs/{search['id']}/people/0.jpg").data).shape == (120, 120, 3)
    assert problem(web.get(f"/api/jobs/{search['id']}/people/7.jpg"), 404)
    before = web.get(f"/api/shots/{shot}").json
    nobody = {"job": search["id"], "chosen": [], "others": False}
    assert "Nobody is chosen" in problem(web.post(f"/api/shots/{shot}/cover", nobody), 422)
    covered = web.post(f"/api/shots/{shot}/cover", {**nobody, "others": True})
    assert covered.status_code == 204
    after = web.get(f"/api/shots/{shot}").json
    assert after["revision"] == before["revision"] + 1
    plane = after["document"]["planes"][0]
    assert (plane["kind"], plane["treatments"][0]["kind"]) == ("glaze", "cover")
    track = after["document"]["tracks"][0]["id"]
    assert {f["frame"] for f in after["frames"] if f["pull"] == track} == set(range(COUNT))
    # where no face is seen it is in doubt
    assert all(f["doubt"] > 0.5 for f in after["frames"] if f["pull"] == track and 13 <= f["frame"] <= 16)
    audit = done(web, f"/api/shots/{shot}/audit", WHOLE)
    assert audit["result"]["clean"], audit["result"]["findings"]
    assert audit["result"]["looked_at"] == COUNT
    # once more covers go to the matte that there is
    web.post(f"/api/shots/{shot}/cover", {**nobody, "others": True})
    shapes = web.get(f"/api/shots/{shot}").json["document"]["mattes"]
    assert [len(m["pulls"][0]["shapes"]) for m in shapes] == [2]
    for _ in range(2):
        web.post(f"/api/shots/{shot}/undo")
    assert web.get(f"/api/shots/{shot}").json["document"]["planes"] == before["document"]["planes"]


def test_what_is_open_is_found_mended_looked_at_again_and_reported(web: Web, shot: int) -> None:
    search = done(web, f"/api/shots/{shot}/people")
    web.post(f"/api/shots/{shot}/cover", {"job": search["id"], "chosen": [0]})
    # the cover ends early
    edit(web, shot, [{"op": "replace", "path": "/planes/0/last", "value": 24}])
    audit = done(web, f"/api/shots/{shot}/audit", WHOLE)
    (found,) = audit["result"]["findings"]
    assert (found["first"], found["last"], found["accepted"]) == (25, 29, None)
    assert found["covered"] < 0.1
    export = {"what": "result", "how": "h264", "audited": True}
    assert "not clean" in problem(web.post(f"/api/shots/{shot}/exports", export), 422)
    # accepted for a reason, the export is allowed, and the report says so with the file's hash
    accepted = web.post(f"/api/jobs/{audit['id']}/accept", {"finding": 0, "reason": "He agreed <in writing>"})
    assert accepted.json["result"]["clean"]
    written = done(web, f"/api/shots/{shot}/exports", export)
    told = web.get(f"/api/jobs/{audit['id']}/report.json").json
    assert told["hash"] == written["result"]["blob"]
    assert [f["frame"] for f in told["frames"] if f["exposed"]] == list(range(25, 30))
    assert told["accepted"] == [{"first": 25, "last": 29, "reason": "He agreed <in writing>"}]
    page = web.get(f"/api/jobs/{audit['id']}/report.html").get_data(as_text=True)
    assert "He agreed &lt;in writing&gt;" in page
    assert "data:image/jpeg" in page
    web.post(f"/api/jobs/{audit['id']}/accept", {"finding": 0, "reason": ""})
    # mended: what is found is covered by itself, and only those frames are looked at again
    edit(web, shot, [{"op": "replace", "path": "/planes/0/last", "value": None}])
    assert "not audited as it is now" in problem(web.post(f"/api/shots/{shot}/exports", export), 422)
    web.post(f"/api/shots/{shot}/cover", {"job": audit["id"], "chosen": [0]})
    # the cover of who was found goes on before, too: looking at a part of that is no audit of the whole
    part = done(web, f"/api/shots/{shot}/audit", {"first": 20, "last": 29, "of": audit["id"]})
    assert (part["done"], part["result"]["findings"], part["result"]["clean"]) == (10, [], False)
    assert f"{part['result']['left_out']} frames of the range were not looked at" in part["message"]
    assert "not audited as it is now" in problem(web.post(f"/api/shots/{shot}/exports", export), 422)
    again = done(web, f"/api/shots/{shot}/audit", {**WHOLE, "of": part["id"]})
    assert (again["done"], again["result"]["looked_at"], again["result"]["findings"]) == (COUNT - 10, COUNT, [])
    assert web.post(f"/api/shots/{shot}/exports", export).status_code == 202


def uncover(web: Web, shot: int, first: int) -> None:
    """The cover ends before a frame."""
    edit(web, shot, [{"op": "replace", "path": "/planes/0/last", "value": first - 1}])


def test_a_finding_that_reaches_out_of_what_is_looked_at_again_stays_open(web: Web, shot: int) -> None:
    search = done(web, f"/api/shots/{shot}/people")
    web.post(f"/api/shots/{shot}/cover", {"job": search["id"], "chosen": [0]})
    uncover(web, shot, 22)
    audit = done(web, f"/api/shots/{shot}/audit", WHOLE)
    assert [(one["first"], one["last"]) for one in audit["result"]["findings"]] == [(22, 29)]
    # covered up to 25: of what was found the rest is open still
    uncover(web, shot, 26)
    part = done(web, f"/api/shots/{shot}/audit", {"first": 20, "last": 25, "of": audit["id"]})
    assert part["done"] == 4, "what is as it was is not looked at again"
    assert [(one["first"], one["last"]) for one in part["result"]["findings"]] == [(26, 29)]
    assert (part["result"]["looked_at"], part["result"]["clean"]) == (COUNT, False)
    assert web.get(f"/api/shots/{shot}/audit").json == {"job": part["id"], "now": True, "clean": False}
    accepted = web.post(f"/api/jobs/{part['id']}/accept", {"finding": 0, "reason": "agreed"}).json
    assert accepted["result"]["clean"]
    assert web.get(f"/api/shots/{shot}/audit").json["clean"]
    # what was accepted stays so where nothing has changed
    later = done(web, f"/api/shots/{shot}/audit", {**WHOLE, "of": part["id"]})
    assert (later["done"], later["result"]["clean"]) == (0, True)
    # an audit of a part alone is none of the whole
    alone = done(web, f"/api/shots/{shot}/audit", {"first": 0, "last": 9, "of": None})
    assert (alone["result"]["looked_at"], alone["result"]["findings"], alone["result"]["clean"]) == (10, [], False)


def test_an_audit_is_of_the_pictures_and_not_of_the_documents_number(web: Web, shot: int) -> None:
    assert web.get(f"/api/shots/{shot}/audit").json == {"job": None, "now": False, "clean": False}
    search = done(web, f"/api/shots/{shot}/people")
    web.post(f"/api/shots/{shot}/cover", {"job": search["id"], "chosen": [0]})
    done(web, f"/api/shots/{shot}/audit", WHOLE)
    assert web.get(f"/api/shots/{shot}/audit").json["clean"]
    # another name is no other picture
    edit(web, shot, [{"op": "replace", "path": "/planes/0/name", "value": "Over the face"}])
    assert web.get(f"/api/shots/{shot}/audit").json["clean"]
    # a frame of a track that is followed anew is, and the document knows nothing of it
    revision = web.get(f"/api/shots/{shot}").json["revision"]
    track = web.get(f"/api/shots/{shot}").json["document"]["tracks"][0]["id"]
    with web.database.session() as session:
        rows = {row.frame: row for row in session.query(MatteFrame).filter_by(shot_id=shot, owner=track)}
        rows[4].blob = rows[24].blob
    assert web.get(f"/api/shots/{shot}").json["revision"] == revision
    assert not web.get(f"/api/shots/{shot}/audit").json["now"]
    export = {"what": "result", "how": "h264", "audited": True}
    assert "not audited as it is now" in problem(web.post(f"/api/shots/{shot}/exports", export), 422)


@pytest.mark.parametrize("weak", [("/planes/0/on", False), ("/planes/0/gate/invert", True), ("/planes/0/opacity", 0.4),
                                  ("/mattes/0/pulls/0/on", False), ("/planes/0/first", 9)])  # fmt: skip
def test_covers_are_not_added_to_a_plane_that_does_not_cover(web: Web, shot: int, weak: tuple[str, Any]) -> None:
    search = done(web, f"/api/shots/{shot}/people")
    web.post(f"/api/shots/{shot}/cover", {"job": search["id"], "chosen": [0]})
    edit(web, shot, [{"op": "add", "path": weak[0], "value": weak[1]}])
    web.post(f"/api/shots/{shot}/cover", {"job": search["id"], "chosen": [0]})
    document = web.get(f"/api/shots/{shot}").json["document"]
    assert [one["name"] for one in document["planes"][:2]] == ["Cover", "Cover"]
    assert len({one["gate"]["matte"] for one in document["planes"][:2]}) == 2


def test_a_cover_is_drawn_in_the_result_and_leaves_the_rest_alone(web: Web, shot: int) -> None:
    before = decoded(web.fetch(shot, 4).data).astype(int)
    search = done(web, f"/api/shots/{shot}/people")
    web.post(f"/api/shots/{shot}/cover", {"job": search["id"], "chosen": [0], "how": "solid"})
    after = decoded(web.fetch(shot, 4).data).astype(int)
    changed = np.abs(after - before).max(axis=2) > 12
    assert 0.02 < changed.mean() < 0.25
    assert not changed[:, -20:].any()


def test_one_search_and_one_audit_at_a_time(web: Web, shot: int) -> None:
    assert web.post(f"/api/shots/{shot}/people").status_code == 202
    assert "already" in problem(web.post(f"/api/shots/{shot}/people"), 422)
    assert web.post(f"/api/shots/{shot}/audit", WHOLE).status_code == 202
    assert "already" in problem(web.post(f"/api/shots/{shot}/audit", WHOLE), 422)
    assert problem(web.post(f"/api/shots/{shot}/cover", {"job": 999, "chosen": [0]}), 404)
