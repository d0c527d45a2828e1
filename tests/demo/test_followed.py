"""The demo shots' shipped mattes: written and read back whole, and one for every frame of every clip."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest

from cuvrel.core.checks.halt import Halt
from cuvrel.core.follow.plan import Frame
from cuvrel.core.media.probe import probe
from cuvrel.core.tracks.path import Measured
from cuvrel.demo import tracked
from cuvrel.demo.followed import read, settled, write
from cuvrel.demo.looks import SHOTS
from cuvrel.demo.project import CLIPS, clip_marks
from cuvrel.demo.tracked import TRACKS


def grey(value: float) -> np.ndarray:
    return np.full((16, 24), value, np.float32)


def test_what_a_follow_leaves_is_written_and_read_back(tmp_path: Path) -> None:
    halt = Halt("the outline jumped", "Mark it.", 3.0, 4.0, 5.0)
    frames = [
        Frame(0, grey(1.0), "touched", 0.0, 1.0),
        Frame(1, grey(0.2), "followed", 0.7, 1.0, halt),
        Frame(2, grey(0.4), "followed", 0.1, 1.0),
        Frame(1, grey(0.8), "touched", 0.0, 1.0),
        Frame(2, grey(0.6), "followed", 0.05, 1.0),
    ]
    kept = settled(frames)
    assert [one.number for one in kept] == [0, 1, 2]
    write(tmp_path, "x", kept)
    back = read(tmp_path, "x")
    assert [(one.origin, one.doubt, int(one.matte[0, 0])) for one in back] == [
        ("touched", 0.0, 255),
        ("touched", 0.0, 204),
        ("followed", 0.05, 153),
    ]
    base = back[1].base
    assert base is not None
    assert (int(base.matte[0, 0]), base.doubt) == (51, 0.7)
    assert base.halt == {"reason": "the outline jumped", "advice": "Mark it.", "x": 3.0, "y": 4.0, "radius": 5.0}
    assert back[0].base is None


@pytest.mark.parametrize("name", SHOTS)
def test_every_frame_of_a_demo_clip_has_its_matte_and_every_marked_one_is_touched(name: str) -> None:
    kept = read(CLIPS, name)
    assert len(kept) == probe(CLIPS / f"{name}.mp4").frames
    touched = {one.number for one in kept if one.origin == "touched"}
    assert touched == {mark.frame for mark in clip_marks(name)}


@pytest.mark.parametrize("name", list(TRACKS))
def test_every_track_of_a_clip_ships_for_every_frame(name: str) -> None:
    count = probe(CLIPS / f"{name}.mp4").frames
    found: dict[str, list[int]] = {}
    for track, number, data, doubt in tracked.read(CLIPS, name):
        assert Measured.unpacked(data).doubt == doubt
        found.setdefault(track, []).append(number)
    assert found == {track["id"]: list(range(count)) for track in TRACKS[name]}
