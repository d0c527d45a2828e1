"""Packed projects in the browser: out as one file, in again whole, or refused with a sentence and nothing kept."""

from __future__ import annotations

import io
import json
import zipfile
from collections.abc import Callable
from typing import Any

import numpy as np
import pytest

from cuvrel.core.media.writer import png_bytes
from tests.web.conftest import MadeOnce, Web, problem

Files = dict[str, bytes]


@pytest.fixture(scope="module")
def packed(made_once: MadeOnce) -> bytes:
    return made_once("packed", pack)


def pack(web: Web) -> bytes:
    """A project with a marked and followed shot as one file."""
    shot = web.shot()
    web.mark(shot)
    about = web.get(f"/api/shots/{shot}").json
    web.work(web.post(f"/api/shots/{shot}/follow", {"pull": "t1", "start": 0, "step": 1}).json["id"])
    job = web.post(f"/api/projects/{about['project']}/pack")
    assert job.status_code == 202
    assert "already" in problem(web.post(f"/api/projects/{about['project']}/pack"), 422)
    assert web.work(job.json["id"])["state"] == "done"
    listed = web.get(f"/api/projects/{about['project']}").json["jobs"]
    assert [one["kind"] for one in listed] == ["pack"]
    answer = web.get(f"/api/jobs/{job.json['id']}/file")
    assert "quay.zip" in answer.headers["Content-Disposition"]
    return answer.data


def bring_in(web: Web, data: bytes) -> Any:
    form = {"file": (io.BytesIO(data), "Quay.zip")}
    return web.client.post("/api/packed", data=form, content_type="multipart/form-data")


def test_a_packed_project_comes_in_again(web: Web, packed: bytes) -> None:
    answer = bring_in(web, packed)
    assert answer.status_code == 202
    project = answer.json["project"]
    assert web.get(f"/api/projects/{project}").json["shots"] == []
    assert web.work(answer.json["id"])["state"] == "done"
    (card,) = web.get(f"/api/projects/{project}").json["shots"]
    shot = web.get(f"/api/shots/{card['id']}").json
    assert len(shot["frames"]) == 16
    assert shot["history"]["undo"] == "marks"
    assert web.fetch(card["id"]).status_code == 200
    assert web.post(f"/api/shots/{card['id']}/undo").status_code == 200


def members(data: bytes) -> Files:
    with zipfile.ZipFile(io.BytesIO(data)) as archive:
        return {name: archive.read(name) for name in archive.namelist()}


def zipped(files: Files) -> bytes:
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w") as archive:
        for name, data in files.items():
            archive.writestr(name, data)
    return out.getvalue()


def changed(name: str, change: Callable[[Any], None]) -> Callable[[Files], None]:
    """A file of JSON with something changed in it."""

    def run(files: Files) -> None:
        raw = json.loads(files[name])
        change(raw)
        files[name] = json.dumps(raw).encode()

    return run


def frame(**more: Any) -> Callable[[Files], None]:
    return changed("shot-01.json", lambda raw: raw["frames"]["t1"]["5"].update(more))


def first_matte(files: Files, data: bytes) -> None:
    files[next(name for name in files if name.startswith("mattes/"))] = data


BARE = {"origin": "followed", "doubt": 0}
AT_ONCE: dict[str, Callable[[Files], None]] = {
    "no project": lambda files: files.pop("project.json"),
    "not an object": lambda files: files.update({"project.json": b"[]"}),
    "another format": changed("project.json", lambda raw: raw.update(cuvrel=9)),
    "no list": changed("project.json", lambda raw: raw.update(shots={})),
    "no hash": changed("project.json", lambda raw: raw["footage"][0].update(hash="x")),
    "leaves": lambda files: files.update({"../evil": b""}),
}
LATER: dict[str, Callable[[Files], None]] = {
    "an origin": frame(origin="stolen"),
    "a halt": frame(halt={"reason": 1}),
    "doubt": frame(doubt=4),
    "no such file": frame(file="mattes/none.png"),
    "beyond the end": changed("shot-01.json", lambda raw: raw["frames"]["t1"].update({"99": BARE})),
    "a frame's number": changed("shot-01.json", lambda raw: raw["frames"]["t1"].update({"x": BARE})),
    "no picture": lambda files: first_matte(files, b"no picture"),
    "another size": lambda files: first_matte(files, png_bytes(np.zeros((9, 9), np.uint8))),
    "an operation": changed("shot-01.json", lambda raw: raw["history"]["edits"][0]["ops"].append({"op": "frob"})),
    "a history": changed("shot-01.json", lambda raw: raw["history"].update(cursor=99)),
    "a document": changed("shot-01.json", lambda raw: raw["shot"].update(plate="99")),
    "other footage": lambda files: files.update({n: b"x" for n in files if n.startswith("footage/")}),
}  # fmt: skip


@pytest.mark.parametrize("how", AT_ONCE)
def test_what_is_no_packed_project_is_refused_at_once(web: Web, packed: bytes, how: str) -> None:
    files = members(packed)
    AT_ONCE[how](files)
    before = len(web.get("/api/projects").json["projects"])
    assert "Quay.zip" in problem(bring_in(web, zipped(files)), 422)
    assert len(web.get("/api/projects").json["projects"]) == before


def test_what_is_damaged_deeper_in_is_refused_whole(web: Web, packed: bytes) -> None:
    for how, change in LATER.items():
        files = members(packed)
        change(files)
        answer = bring_in(web, zipped(files))
        assert answer.status_code == 202, how
        done = web.work(answer.json["id"])
        assert done["state"] == "failed", how
        assert "Quay.zip" in done["message"], (how, done["message"])
        left = web.get(f"/api/projects/{answer.json['project']}").json
        assert (left["shots"], left["footage"]) == ([], []), how
        assert left["jobs"][0]["message"] == done["message"], how


def test_a_member_that_is_larger_than_it_says_is_not_unpacked(web: Web, packed: bytes) -> None:
    files = members(packed)
    bomb = io.BytesIO()
    with zipfile.ZipFile(bomb, "w", zipfile.ZIP_DEFLATED) as archive:
        for name, data in files.items():
            archive.writestr(name, data if name != "shot-01.json" else b" " * (65 << 20) + data)
    answer = bring_in(web, bomb.getvalue())
    assert "larger than it can be" in web.work(answer.json["id"])["message"]


def test_no_project_and_no_file_are_said(web: Web) -> None:
    assert problem(web.post("/api/projects/99/pack"), 404)
    answer = web.client.post("/api/packed", data={}, content_type="multipart/form-data")
    assert "No file" in problem(answer, 422)
    assert "not a packed project" in problem(bring_in(web, b"no zip"), 422)
