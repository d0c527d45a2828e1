"""Takes over the API: compared, lined up, matched, looked at along their join; mattes that are of them."""

from collections.abc import Callable
from pathlib import Path
from typing import Any

import numpy as np
import pytest

from cuvrel.core.media.writer import Encoding, VideoWriter
from cuvrel.core.stand.view_kinds import MatteView
from tests.core.test_joins import FRAMES, JOIN, LIGHT, first, lies, second, thing
from tests.core.test_takes import HIGH, WIDE, apart
from tests.web.conftest import Web, decoded, problem, said
from tests.web.test_colour import brought


def written(to: Path, frame: Callable[[int], Any], fps: float = 24.0) -> Path:
    out = VideoWriter(to, Encoding("libx264", "yuv420p", {"crf": "6"}), WIDE, HIGH, fps)
    for n in range(FRAMES):
        out.write(frame(n))
    out.close()
    return to


def entry(web: Web, project: int, file: Path) -> dict[str, Any]:
    """A file brought in, as a document knows it."""
    found = brought(web, project, file.name, file.read_bytes())
    names = ("name", "hash", "width", "height", "frames", "fps", "timecode", "reel")
    return {"id": str(found["id"]), **{name: found[name] for name in names}}


@pytest.fixture
def takes(web: Web, tmp_path: Path) -> tuple[int, int, str]:
    """A project, a shot on the first of two takes with the second laid over it, and the second's id."""
    project = web.project("Takes")
    plate, taken = (
        entry(web, project, written(tmp_path / f"take-{n}.mp4", one)) for n, one in enumerate((first, second))
    )
    shot = web.post(f"/api/projects/{project}/shots", {"name": "Join", "footage": int(plate["id"])}).json["id"]
    plane = {"id": "t", "name": "Take", "kind": "take", "params": {"footage": taken["id"]}, "first": JOIN}
    answer = web.edit(shot, 0, [{"op": "add", "path": "/footage/-", "value": taken},
                                {"op": "add", "path": "/planes/0", "value": plane}])  # fmt: skip
    assert answer.status_code == 200, answer.json
    return project, shot, taken["id"]


def asked(over: str = "frame", **more: Any) -> dict[str, Any]:
    return {"first": JOIN, "last": FRAMES - 1, "over": over, **more}


def test_a_take_is_lined_up_matched_and_joined(web: Web, takes: tuple[int, int, str]) -> None:
    _, shot, _ = takes
    found = web.post(f"/api/shots/{shot}/planes/t/line-up", asked("each", kind="similar")).json
    up = found["line_up"]
    assert len(up["matrices"]) == FRAMES - JOIN
    assert apart(np.array(up["matrices"][0]).reshape(3, 3), lies(JOIN)) < 0.25
    assert 0.5 < found["still"] <= 1
    web.edit(shot, 1, [{"op": "replace", "path": "/planes/0/line_up", "value": up}])
    tone = web.post(f"/api/shots/{shot}/planes/t/tone", asked()).json
    assert 1 / tone["values"]["red"] == pytest.approx(LIGHT[0], abs=0.04)
    web.edit(shot, 2, [{"op": "add", "path": "/planes/0/treatments/-",
                        "value": {"id": "tone", "kind": "tone", "params": tone["values"]}}])  # fmt: skip
    change = web.get(f"/api/shots/{shot}/planes/t/change?frame={JOIN}").json
    x, y = thing(JOIN)
    assert change["place"] == pytest.approx([x - WIDE / 2, y - HIGH / 2], abs=14)
    assert 30 < change["reach"] < 200
    seam = {"id": "s", "kind": "seam", "params": {"plane": "t", **change}}
    answer = web.edit(shot, 3, [
        {"op": "add", "path": "/mattes/-", "value": {"id": "m", "name": "Join", "pulls": [seam]}},
        {"op": "replace", "path": "/planes/0/gate", "value": {"matte": "m"}},
    ])  # fmt: skip
    assert answer.status_code == 200, answer.json
    checks = web.get(f"/api/shots/{shot}/checks?take=t&first=0&last={FRAMES - 1}").json["checks"]
    assert [one["frame"] for one in checks] == list(range(FRAMES))
    assert all(one["seam"] == 0 for one in checks[:JOIN])
    assert not any(one["problems"] for one in checks)
    # out of tone it is told of
    web.edit(shot, 4, [{"op": "replace", "path": "/planes/0/treatments/0/params/red", "value": 2.0}])
    checks = web.get(f"/api/shots/{shot}/checks?take=t&first={JOIN}&last={JOIN}").json["checks"]
    assert checks[0]["problems"] == ["seam"]
    assert web.get(f"/api/shots/{shot}/checks?take=gone&first=0&last=1").status_code == 404


def test_what_can_not_be_compared_is_refused_and_nothing_is_changed(
    web: Web, takes: tuple[int, int, str], tmp_path: Path
) -> None:
    project, shot, _ = takes
    slow = entry(web, project, written(tmp_path / "slow.mp4", second, 12.0))
    web.edit(shot, 1, [{"op": "add", "path": "/footage/-", "value": slow},
                       {"op": "replace", "path": "/planes/0/params/footage", "value": slow["id"]}])  # fmt: skip
    before = web.get(f"/api/shots/{shot}").json["document"]
    for what, body in (("line-up", asked(kind="shift")), ("tone", asked())):
        assert "12 frames a second" in problem(web.post(f"/api/shots/{shot}/planes/t/{what}", body), 422)
    assert web.post(f"/api/shots/{shot}/planes/gone/line-up", asked()).status_code == 422
    assert web.post(f"/api/shots/{shot}/planes/t/line-up", asked(leave_out="none")).status_code == 404
    assert web.get(f"/api/shots/{shot}").json["document"] == before


def test_a_trace_of_a_take_is_solved_on_the_take(web: Web, takes: tuple[int, int, str]) -> None:
    _, shot, _ = takes
    up = {"kind": "similar", "first": JOIN, "matrices": [lies(n).ravel().tolist() for n in range(JOIN, FRAMES)]}
    x, y = thing(JOIN)
    mark = {"id": "k", "frame": JOIN, "kind": "in", "radius": 8.0, "points": [[x, y], [x + 2, y]]}
    out = {"id": "o", "frame": JOIN, "kind": "out", "radius": 8.0, "points": [[x - 70, y - 50], [x + 70, y - 50]]}
    pull = {"id": "tr", "kind": "trace", "marks": [mark, out]}
    answer = web.edit(shot, 1, [
        {"op": "replace", "path": "/planes/0/line_up", "value": up},
        {"op": "add", "path": "/mattes/-", "value": {"id": "m", "name": "Ball", "of": "t", "pulls": [pull]}},
    ])  # fmt: skip
    assert answer.status_code == 200, answer.json
    keys = web.get(f"/api/shots/{shot}/keys?view={said(MatteView(matte='m'))}&first={JOIN}&last={JOIN}&width={WIDE}")
    key, seen = keys.json["keys"][0], said(MatteView(matte="m"))
    matte = decoded(web.get(f"/api/shots/{shot}/picture/{key}?view={seen}&frame={JOIN}&width={WIDE}").data)
    matte = matte if matte.ndim == 2 else matte[..., 0]
    assert matte[y, x] > 200
    assert matte[:, :100].max() < 60
    # the take's plane can't be removed while the matte is of it
    refused = web.edit(shot, 2, [{"op": "remove", "path": "/planes/0"}])
    assert refused.status_code == 422
