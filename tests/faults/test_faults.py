"""Killing any process at any moment, for real: what was acknowledged is there, and work goes on."""

from __future__ import annotations

import os
import signal
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import cv2
import numpy as np
import pytest

from cuvrel.core.media.probe import probe
from cuvrel.core.media.reader import Reader
from cuvrel.core.media.writer import VideoWriter
from cuvrel.demo.project import CLIPS
from tests.conftest import Clip
from tests.stack import Stack, wait_for

WIDTH, FRAMES = 640, 40


@pytest.fixture(scope="module")
def stack(tmp_path_factory: pytest.TempPathFactory) -> Iterator[Stack]:
    found = Stack(tmp_path_factory.mktemp("faults"), demo=False)
    found.start()
    yield found
    found.stop()


@pytest.fixture(scope="module")
def shot(stack: Stack, clip: Clip, tmp_path_factory: pytest.TempPathFactory) -> int:
    """A marked shot on the demo clip, smaller but long enough to be killed in the middle of."""
    project = stack.ask("/api/projects", {"name": "Storm"})["id"]
    footage = stack.upload(project, smaller(CLIPS / "signaller.mp4", tmp_path_factory.mktemp("footage") / "storm.mp4"))
    made = stack.ask(f"/api/projects/{project}/shots", {"name": "Shot 01", "footage": footage["id"]})["id"]
    scale = WIDTH / clip.info.width
    marks = []
    for mark in clip.marks():
        points = [[x * scale, y * scale] for x, y in mark.points]
        marks.append({**mark.model_dump(mode="json"), "radius": mark.radius * scale, "points": points})
    pull = {"id": "t1", "kind": "trace", "params": {"halt": False}, "marks": marks}
    matte = {"id": "m1", "name": "Signaller", "pulls": [pull]}
    edit(stack, made, [{"op": "add", "path": "/mattes/-", "value": matte}])
    return made


def smaller(source: Path, to: Path) -> Path:
    """A clip at WIDTH and so many frames, which is followed and exported in less time."""
    reader = Reader(source, probe(source), keep_bytes=0)
    info = reader.info
    height = info.height * WIDTH // info.width
    writer = VideoWriter(to, "h264", WIDTH, height, info.fps)
    for number in range(FRAMES):
        writer.write(cv2.resize(reader.frame(number), (WIDTH, height), interpolation=cv2.INTER_AREA))
    writer.close()
    reader.close()
    return to


def edit(stack: Stack, shot: int, ops: list[dict[str, Any]]) -> dict[str, Any]:
    revision = stack.ask(f"/api/shots/{shot}")["revision"]
    return stack.ask(f"/api/shots/{shot}/edits", {"revision": revision, "ops": ops})


def state(stack: Stack, shot: int) -> tuple[Any, ...]:
    """All that must never be lost: document, history and touched frames."""
    about = stack.ask(f"/api/shots/{shot}")
    touched = [(f["frame"], f["blob"]) for f in about["frames"] if f["origin"] == "touched"]
    return about["revision"], about["document"], about["history"], touched


def rename(stack: Stack, shot: int, name: str) -> None:
    edit(stack, shot, [{"op": "replace", "path": "/name", "value": name}])


@pytest.mark.parametrize("victim", ["server", "worker", "postgres"])
def test_no_acknowledged_edit_is_lost(stack: Stack, shot: int, victim: str) -> None:
    rename(stack, shot, f"Before the {victim} fell")
    before = state(stack, shot)
    stack.kill(victim)
    after = wait_for(lambda: state(stack, shot), 60, "an answer")
    assert after == before
    assert after[3], "the touched frame is there"
    wait_for(lambda: rename(stack, shot, "After") or True, 30, "an edit that works again")
    stack.post(f"/api/shots/{shot}/undo")
    assert stack.ask(f"/api/shots/{shot}")["document"]["name"] == f"Before the {victim} fell"


def job(stack: Stack, number: int) -> dict[str, Any]:
    return stack.ask(f"/api/jobs/{number}")


@pytest.mark.parametrize("victim", ["worker", "postgres"])
def test_a_follow_goes_on_after_a_kill(stack: Stack, shot: int, victim: str) -> None:
    started = stack.ask(f"/api/shots/{shot}/follow", {"pull": "t1", "start": 0, "step": 1})["id"]
    wait_for(lambda: job(stack, started)["done"] >= 4, 60, "a follow under way")
    stack.kill(victim)
    done = wait_for(lambda: (j := job(stack, started))["state"] in ("done", "failed") and j, 120, "an end")
    assert done["state"] == "done", done["message"]
    frames = {f["frame"]: f["origin"] for f in stack.ask(f"/api/shots/{shot}")["frames"]}
    assert sorted(frames) == list(range(FRAMES))
    assert frames[0] == "touched"


def test_a_track_goes_on_after_a_kill(stack: Stack, shot: int) -> None:
    wall = {"id": "wall", "name": "Wall", "kind": "patch", "frame": 0,
            "points": [[200, 40], [300, 40], [300, 120], [200, 120]]}  # fmt: skip
    edit(stack, shot, [{"op": "add", "path": "/tracks/-", "value": wall}])
    started = stack.ask(f"/api/shots/{shot}/track", {"tracks": ["wall"], "start": 0, "step": 0})["id"]
    wait_for(lambda: job(stack, started)["done"] >= 2, 60, "a track under way")
    stack.kill("worker")
    done = wait_for(lambda: (j := job(stack, started))["state"] in ("done", "failed") and j, 120, "an end")
    assert done["state"] == "done", done["message"]
    frames = [f["frame"] for f in stack.ask(f"/api/shots/{shot}")["frames"] if f["pull"] == "wall"]
    assert sorted(frames) == list(range(FRAMES))
    # it came to the same as a follow that nothing disturbs
    where = stack.ask(f"/api/shots/{shot}/tracks/wall/path")
    again = stack.ask(f"/api/shots/{shot}/track", {"tracks": ["wall"], "start": 0, "step": 0})["id"]
    wait_for(lambda: job(stack, again)["state"] == "done", 120, "an end")
    undisturbed = stack.ask(f"/api/shots/{shot}/tracks/wall/path")
    assert where["seen"] == undisturbed["seen"]
    np.testing.assert_allclose(where["since"], undisturbed["since"], atol=0.5)


def test_an_export_goes_on_after_a_kill_and_is_whole(stack: Stack, shot: int, tmp_path: Path) -> None:
    started = stack.ask(f"/api/shots/{shot}/exports", {"what": "result", "how": "h264"})["id"]
    wait_for(lambda: job(stack, started)["done"] >= 26, 60, "an export past its first range")
    stack.kill("worker")
    done = wait_for(lambda: (j := job(stack, started))["state"] in ("done", "failed") and j, 120, "an end")
    assert done["state"] == "done", done["message"]
    (tmp_path / "r.mp4").write_bytes(stack.fetch(f"/api/jobs/{started}/file"))
    assert probe(tmp_path / "r.mp4").frames == FRAMES


def alive(pid: int) -> bool:
    """Whether a process runs (a dead one that nobody has reaped does not)."""
    try:
        return Path(f"/proc/{pid}/stat").read_text().rsplit(")", 1)[1].split()[0] != "Z"
    except OSError:
        return False


def test_killing_the_supervisor_takes_its_children_along_and_nothing_is_lost(stack: Stack, shot: int) -> None:
    before = state(stack, shot)
    children = stack.pids()
    assert stack.process is not None
    os.kill(stack.process.pid, signal.SIGKILL)
    stack.process.wait()
    wait_for(lambda: not any(alive(p) for p in children.values()), 30, "the children's end")
    (stack.var / "address.json").unlink()
    # an upload that was cut off with the server leaves nothing for good
    (stack.var / "upload-cut").mkdir()
    (stack.var / "upload-cut/received").write_bytes(b"half of a film")
    stack.start()
    assert state(stack, shot) == before
    assert not list(stack.var.glob("upload-*"))


def test_a_second_start_from_one_folder_says_where_the_first_one_is(stack: Stack) -> None:
    second = Stack(stack.var.parent, demo=False)
    second.process = None
    import subprocess
    import sys

    done = subprocess.run(
        [sys.executable, "-m", "cuvrel.cli", "up", "--no-demo"],
        env={**os.environ, "CUVREL_VAR": str(stack.var)}, capture_output=True, text=True, timeout=60,
    )  # fmt: skip
    assert done.returncode == 1
    assert stack.url in done.stdout


def test_ctrl_c_stops_everything_and_leaves_nothing_running(stack: Stack, shot: int) -> None:
    before = state(stack, shot)
    pids = [*stack.pids().values(), stack.postmaster()]
    assert stack.stop() == 0
    assert not any(alive(pid) for pid in pids)
    stack.start()
    assert state(stack, shot) == before
