"""Projects, and footage that is brought in or refused."""

import io
import zipfile

import numpy as np
import pytest

from cuvrel.core.media.writer import png_bytes
from cuvrel.store.config import Config
from tests.brought_in import BroughtIn
from tests.conftest import Clip
from tests.web.conftest import Web, decoded, problem, stored


def test_a_new_project_is_listed_first(web: Web) -> None:
    web.project("First")
    web.project("Second")
    names = [p["name"] for p in web.get("/api/projects").json["projects"]]
    assert names == ["Second", "First"]


def test_a_video_is_brought_in(web: Web, clip: Clip) -> None:
    project = web.project()
    up = web.upload(project, ("Quay, morning.mp4", clip.path.read_bytes()))
    assert up.status_code == 202
    assert up.json["footage"]["state"] == "working"
    assert web.work(up.json["job"]["id"])["state"] == "done"
    footage = web.get(f"/api/projects/{project}").json["footage"][0]
    assert footage["state"] == "ready"
    assert footage["name"] == "Quay, morning.mp4"
    assert (footage["width"], footage["height"], footage["frames"], footage["fps"]) == (480, 270, 16, 24)
    film = web.get(footage["film"]["url"])
    assert decoded(film.data).shape[1] == footage["film"]["width"] * footage["film"]["count"]
    assert "immutable" in film.headers["Cache-Control"]


def test_pictures_become_a_sequence(web: Web) -> None:
    project = web.project()
    files = [(f"f{n}.png", png_bytes(np.full((40, 60, 3), n * 20, np.uint8))) for n in range(5)]
    up = web.upload(project, *files[::-1])
    assert web.work(up.json["job"]["id"])["state"] == "done"
    assert web.get(f"/api/projects/{project}").json["footage"][0]["frames"] == 5
    packed = io.BytesIO()
    with zipfile.ZipFile(packed, "w") as archive:
        for name, data in files:
            archive.writestr(name, data)
    again = web.upload(project, ("sequence.zip", packed.getvalue()))
    assert web.work(again.json["job"]["id"])["state"] == "done"


@pytest.mark.parametrize(
    ("files", "status", "word"),
    [
        ([("e.mp4", b"")], 422, "empty"),
        ([("t.mp4", b"These are minutes, not pictures. " * 90)], 422, "can't be read"),
        ([("notes.txt", b"hello")], 422, ".txt"),
        ([("noending", b"hello")], 422, "noending"),
        ([("a.mp4", b"1"), ("b.mp4", b"2")], 422, "one by one"),
        ([("a.png", b"1"), ("a.png", b"2")], 422, "same name"),
        ([], 422, "No file"),
    ],
)
def test_what_is_no_footage_is_refused_and_leaves_nothing(web: Web, files: list, status: int, word: str) -> None:
    project = web.project()
    assert word in problem(web.upload(project, *files), status)
    assert stored(web.config) == []
    assert web.get(f"/api/projects/{project}").json["footage"] == []


def test_a_truncated_video_is_refused_and_leaves_nothing(web: Web, clip: Clip) -> None:
    project = web.project()
    data = clip.path.read_bytes()
    assert problem(web.upload(project, ("half.mp4", data[: len(data) // 2])), 422)
    assert stored(web.config) == []


def test_a_file_that_is_too_large_is_refused(config: Config, clip: Clip, brought_in: BroughtIn) -> None:
    small = Web(Config(config.database, config.blobs, config.var, max_upload=20_000), clip, brought_in)
    project = small.project()
    assert "larger" in problem(small.upload(project, ("big.mp4", b"0" * 50_000)), 413)
    assert stored(config) == []


@pytest.mark.parametrize("name", ["../../../evil.mp4", "a\\b\\..\\evil.mp4", "\u202eevil\x07.mp4", "x" * 300 + ".mp4"])
def test_hostile_file_names_stay_names(web: Web, clip: Clip, name: str) -> None:
    project = web.project()
    up = web.upload(project, (name, clip.path.read_bytes()))
    assert up.status_code in (202, 422)
    if up.status_code == 202:
        shown = up.json["footage"]["name"]
        assert "/" not in shown
        assert "\\" not in shown
        assert len(shown) <= 255
    blobs = {p.resolve() for p in stored(web.config)}
    assert all(str(p).startswith((web.config.blobs, str(web.config.var))) for p in blobs)


def test_a_shot_needs_ready_footage_of_its_own_project(web: Web, clip: Clip) -> None:
    one, two = web.project("One"), web.project("Two")
    up = web.upload(one, ("small.mp4", clip.path.read_bytes())).json
    body = {"name": "Shot", "footage": up["footage"]["id"]}
    assert "not ready" in problem(web.post(f"/api/projects/{one}/shots", body), 422)
    assert problem(web.post(f"/api/projects/{two}/shots", body), 404)
    assert problem(web.post(f"/api/projects/{one}/shots", {"name": "Shot", "footage": 999}), 404)
