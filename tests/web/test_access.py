"""Resources get rows by their numbers through one door, where it is decided what somebody may have."""

from __future__ import annotations

import re
from pathlib import Path

import pytest

from cuvrel import web as package
from tests.web.conftest import Web, problem

BESIDE = re.compile(r"session\.get(_one)?\(\s*(Project|FootageRow|ShotRow|JobRow|PresetRow|VersionRow)\b")
SHOWS = "present.py"  # it is given rows, and tells of what they name


def test_no_resource_gets_a_row_beside_the_door() -> None:
    files = [file for file in Path(package.__file__).parent.glob("*.py") if file.name != SHOWS]
    assert len(files) > 20
    assert [file.name for file in files if BESIDE.search(file.read_text())] == []


@pytest.mark.parametrize(
    "path",
    ["projects/99", "shots/99", "shots/99/frames", "shots/99/settled", "shots/99/versions", "shots/99/sound", "jobs/99",
     "jobs/99/file", "jobs/99/report.json", "jobs/99/people/0.jpg", "projects/99/space", "shots/99/card.jpg"],
)  # fmt: skip
def test_what_is_not_there_is_said(web: Web, path: str) -> None:
    assert "There is no such" in problem(web.get(f"/api/{path}"), 404)


@pytest.mark.parametrize(
    ("path", "body"),
    [("shots/99/edits", {"revision": 0, "ops": [{"op": "replace", "path": "/name", "value": "x"}]}),
     ("shots/99/undo", None), ("shots/99/redo", None), ("shots/99/versions", {"name": "x"}), ("shots/99/cuts", None),
     ("projects/99/pack", None), ("projects/99/copy", None), ("jobs/99/stop", None), ("jobs/99/again", None),
     ("footage/99/reading", {"hand": {}}), ("footage/99/restore", None)],
)  # fmt: skip
def test_what_is_not_there_is_not_changed(web: Web, path: str, body: object) -> None:
    assert "There is no such" in problem(web.post(f"/api/{path}", body), 404)
