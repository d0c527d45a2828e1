"""The headless command, as a person runs it."""

from __future__ import annotations

import json
import stat
import subprocess
import sys
import zipfile
from pathlib import Path
from typing import Any

import cv2
import numpy as np
import pytest

from cuvrel.core.checks.quality import overlap
from cuvrel.core.media.probe import probe
from cuvrel.core.media.reader import Reader
from cuvrel.core.media.sound import RATE, Stored, extract
from cuvrel.core.recipe.hashing import hash_file
from cuvrel.demo.morning import clapper, harbour_bell
from tests.conftest import Clip
from tests.core.test_stand import portable
from tests.recipes import FakeSources, document
from tests.stack import forget
from tests.web.test_sound import reel


def cuvrel(*args: object, code: int = 0, **env: str) -> subprocess.CompletedProcess[str]:
    import os

    done = subprocess.run(
        [sys.executable, "-m", "cuvrel.cli", *map(str, args)], capture_output=True, text=True, timeout=120,
        env={**os.environ, **env},
    )  # fmt: skip
    assert done.returncode == code, done.stderr
    return done


def marks_file(clip: Clip, to: Path, **changes: Any) -> Path:
    keep = ("frame", "kind", "radius", "points")
    marks = [{k: v for k, v in m.model_dump(mode="json").items() if k in keep} for m in clip.marks()]
    to.write_text(json.dumps({"marks": marks, **changes}))
    return to


def test_help_can_be_followed() -> None:
    top = cuvrel("--help").stdout
    for command in ("follow", "track", "render", "pack", "unpack", "up"):
        assert command in top
    text = cuvrel("follow", "--help").stdout
    assert '"kind": "in"' in text
    assert "--no-halt" in text


def test_follow_writes_a_matte_as_long_as_the_footage_and_a_report(clip: Clip, tmp_path: Path) -> None:
    marks = marks_file(clip, tmp_path / "marks.json")
    to, report = tmp_path / "matte.mkv", tmp_path / "report.json"
    cuvrel("follow", clip.path, "--marks", marks, "--to", to, "--report", report, "--no-halt")
    info = probe(to)
    assert (info.frames, info.codec, info.width, info.height) == (16, "ffv1", 480, 270)
    told = json.loads(report.read_text())
    assert [f["frame"] for f in told["frames"]] == list(range(16))
    assert told["frames"][0]["origin"] == "touched"
    assert {f["origin"] for f in told["frames"][1:]} == {"followed"}
    assert all(0 <= f["doubt"] <= 1 and f["ms"] > 0 for f in told["frames"])
    found = Reader(to, info).frame(2)[..., 0].astype(np.float32) / 255
    assert overlap(found, clip.truth(2)) > 0.6


def test_follow_halts_and_says_so(clip: Clip, tmp_path: Path) -> None:
    report, folder = tmp_path / "report.json", tmp_path / "pictures"
    folder.mkdir()
    for number in range(16):
        # from frame 6 on the subject is gone
        picture = clip.frame(number) if number < 6 else np.full_like(clip.frame(0), 90)
        cv2.imwrite(str(folder / f"f{number:02}.png"), picture[..., ::-1])
    done = cuvrel("follow", folder, "--marks", marks_file(clip, tmp_path / "m.json"), "--to", tmp_path / "x.mkv",
                  "--report", report)  # fmt: skip
    told = json.loads(report.read_text())
    assert told["halts"]
    assert told["halts"][0]["frame"] <= 6
    assert "Halted at frame" in done.stderr
    last = told["halts"][0]["frame"]
    assert {f["origin"] for f in told["frames"] if f["frame"] > last} == {"not reached"}
    assert probe(tmp_path / "x.mkv").frames == 16


def test_follow_takes_a_folder_of_pictures(clip: Clip, tmp_path: Path) -> None:
    folder = tmp_path / "pictures"
    folder.mkdir()
    for number in range(4):
        cv2.imwrite(str(folder / f"f{number}.png"), clip.frame(number)[..., ::-1])
    cuvrel("follow", folder, "--marks", marks_file(clip, tmp_path / "m.json"), "--to", tmp_path / "m.mkv", "--no-halt")
    assert probe(tmp_path / "m.mkv").frames == 4


@pytest.mark.parametrize(
    ("text", "words"),
    [
        ("{", "can't be read"),
        ("[]", "object"),
        ('{"marks": []}', "in mark"),
        ('{"marks": [{"frame": 0}]}', "Mark 0"),
        ('{"marks": [{"frame": 99, "kind": "in", "radius": 3, "points": [[1, 1]]}]}', "frame 99"),
        ('{"marks": [{"frame": 0, "kind": "at", "radius": 3, "points": [[1, 1]]}]}', "kind"),
    ],
)
def test_bad_marks_end_in_a_sentence_and_no_file(clip: Clip, tmp_path: Path, text: str, words: str) -> None:
    (tmp_path / "m.json").write_text(text)
    done = cuvrel("follow", clip.path, "--marks", tmp_path / "m.json", "--to", tmp_path / "o.mkv", code=2)
    assert words in done.stderr
    assert "Traceback" not in done.stderr
    assert sorted(p.name for p in tmp_path.iterdir()) == ["m.json"]


def test_track_writes_every_frame_of_what_is_wanted(clip: Clip, tmp_path: Path) -> None:
    what, to = tmp_path / "what.json", tmp_path / "tracks.json"
    at = [[float(x), float(y)] for x, y in ((40, 30), (110, 30), (110, 90), (40, 90))]
    what.write_text(json.dumps({"tracks": [{"id": "b", "kind": "region", "frame": 2, "outline": at}]}))
    cuvrel("track", clip.path, "--what", what, "--to", to, "--last", "9")
    (track,) = json.loads(to.read_text())["tracks"]
    assert (track["id"], track["kind"]) == ("b", "region")
    assert len(track["frames"]) == 16
    assert track["frames"][2] == {"frame": 2, "points": at, "doubt": 0.0}
    assert track["frames"][12]["doubt"] == 1.0


@pytest.mark.parametrize(
    ("what", "more", "words"),
    [
        ("{}", [], "must be an object"),
        ("nothing", [], "can't be read"),
        ('{"tracks": [{"id": "a", "kind": "point", "frame": 99, "at": [9, 9]}]}', [], "not looked at"),
        ('{"tracks": [{"id": "a", "kind": "point", "frame": 3, "at": [9, 9]}]}', ["--first", "9"], "not looked at"),
        ('{"tracks": [{"id": "a", "kind": "point", "frame": 3, "at": [9, 9]}]}', ["--last", "99"], "no frames 0 to 99"),
        ('{"tracks": [{"id": "a", "kind": "point", "frame": 3, "at": [9, 9], "without": "x.mkv"}]}', [], "no file"),
        ('{"tracks": [{"id": "a", "kind": "point", "frame": 3, "at": [-900, 9]}]}', [], "too little"),
    ],
)
def test_tracks_that_can_not_be_end_in_a_sentence_and_no_file(
    clip: Clip, tmp_path: Path, what: str, more: list[str], words: str
) -> None:
    file, to = tmp_path / "what.json", tmp_path / "tracks.json"
    file.write_text(what)
    done = cuvrel("track", clip.path, "--what", file, "--to", to, *more, code=2)
    assert words in done.stderr
    assert not to.exists()


def test_footage_that_is_none_ends_in_a_sentence(clip: Clip, tmp_path: Path) -> None:
    (tmp_path / "x.mp4").write_text("no film")
    marks = marks_file(clip, tmp_path / "m.json")
    done = cuvrel("follow", tmp_path / "x.mp4", "--marks", marks, "--to", tmp_path / "o.mkv", code=2)
    assert "can't be read" in done.stderr


def test_render_of_a_portable_shot(tmp_path: Path) -> None:
    shot = portable(tmp_path)
    cuvrel("render", shot, "--matte", "Signaller", "--to", tmp_path / "m.mkv", "--frames", "2-4")
    info = probe(tmp_path / "m.mkv")
    assert info.frames == 3
    assert np.array_equal(Reader(tmp_path / "m.mkv", info).frame(1)[..., 0] > 127, FakeSources().box(3) > 0.5)
    cuvrel("render", shot, "--result", "--to", tmp_path / "r.mp4", "--scale", "0.5")
    assert (probe(tmp_path / "r.mp4").width, probe(tmp_path / "r.mp4").frames) == (32, 8)
    cuvrel("render", shot, "--plane", "Signaller", "--to", tmp_path / "p.mov", "--frames", "0-1")
    assert probe(tmp_path / "p.mov").alpha
    cuvrel("render", shot, "--plane", "p1", "--to", tmp_path / "pictures", "--frames", "7")
    assert [p.name for p in (tmp_path / "pictures").iterdir()] == ["frame.1008.png"]
    assert not [p for p in tmp_path.iterdir() if ".part" in p.name]


@pytest.mark.parametrize(
    ("args", "words"),
    [
        (["--result", "--matte", "Signaller", "--to", "x.mp4"], "exactly one"),
        (["--to", "x.mp4"], "exactly one"),
        (["--matte", "Nobody", "--to", "x.mkv"], "'Signaller'"),
        (["--result", "--how", "vp9", "--to", "x.mkv"], ".webm file"),
        (["--layers", "--to", "x.mp4"], "can't hold layers"),
        (["--plane", "p1", "--to", "x.mp4"], "alpha"),
        (["--result", "--to", "x.mp4", "--frames", "5-99"], "not a part"),
        (["--result", "--to", "x.mp4", "--frames", "a-b"], "A-B"),
    ],
)
def test_renders_that_can_not_be_made(tmp_path: Path, args: list[str], words: str) -> None:
    shot = portable(tmp_path)
    args = [str(tmp_path / a) if a.startswith("x.") else a for a in args]
    done = cuvrel("render", shot, *args, code=2)
    assert words in done.stderr
    assert not list(tmp_path.glob("*x.m*"))


def test_pack_and_unpack_without_a_running_server(tmp_path: Path) -> None:
    """The commands start the folder's own database when it is down, and stop it again."""
    env = {"CUVREL_VAR": str(tmp_path / "var")}
    (tmp_path / "empty.zip").write_bytes(b"no")
    assert "not a packed project" in cuvrel("unpack", tmp_path / "empty.zip", code=2, **env).stderr
    assert "no project" in cuvrel("pack", "Nothing", code=2, **env).stderr
    forget(tmp_path / "var")


def test_all_is_backed_up_and_brought_back_elsewhere(tmp_path: Path, clip: Clip) -> None:
    here, there = ({"CUVREL_VAR": str(tmp_path / name)} for name in ("here", "there"))
    lamp = {"id": "1", "name": "lamp.mp4", "file": "footage/lamp.mp4", "hash": hash_file(clip.path)}
    about = {"cuvrel": 1, "project": "Lighthouse", "shots": [], "footage": [lamp]}
    with zipfile.ZipFile(tmp_path / "p.zip", "w") as archive:
        archive.writestr("project.json", json.dumps(about))
        archive.write(clip.path, "footage/lamp.mp4")
    cuvrel("unpack", tmp_path / "p.zip", **here)
    assert "Backed up" in cuvrel("backup", tmp_path / "to", **here).stdout
    assert "projects here already" in cuvrel("restore", tmp_path / "to", code=2, **here).stderr
    assert "Restored" in cuvrel("restore", tmp_path / "to", **there).stdout
    cuvrel("pack", "Lighthouse", "--to", tmp_path / "again.zip", **there)
    with zipfile.ZipFile(tmp_path / "again.zip") as archive:
        (name,) = (one for one in archive.namelist() if one.startswith("footage/"))
        assert archive.read(name) == clip.path.read_bytes()
    for name in ("here", "there"):
        assert stat.S_IMODE((tmp_path / name).stat().st_mode) & 0o007 == 0
        forget(tmp_path / name)


def test_render_keeps_the_sound_and_writes_every_kind_of_file(tmp_path: Path) -> None:
    (tmp_path / "p").mkdir()
    shot = portable(tmp_path / "p")
    clapper(tmp_path / "p/footage/plate.mov", 8, 3)
    raw = json.loads(shot.read_text())
    raw["files"]["1"] = "footage/plate.mov"
    raw["shot"] = document(footage=[{**raw["shot"]["footage"][0], "height": 36}], mattes=[], planes=[
        {"id": "p4", "name": "Plate", "kind": "plate"}])  # fmt: skip
    shot.write_text(json.dumps(raw))
    for name, how, codec in (("r.mp4", None, "aac"), ("r.webm", None, "opus"), ("r.mov", "prores422", "pcm_s24le")):
        more = ["--how", how] if how else []
        cuvrel("render", shot, "--result", "--to", tmp_path / name, *more)
        info = probe(tmp_path / name)
        assert (info.frames, info.sound.codec) == (8, codec)
        extract(tmp_path / name, info.sound, tmp_path / "s")
        loud = np.argmax(np.abs(Stored(tmp_path / "s", info.sound.deep).get(0, RATE))[:, 0])
        assert abs(loud - 3 * RATE / 24) < 60
    cuvrel("render", shot, "--result", "--to", tmp_path / "quiet.mp4", "--no-sound", "--frames", "2-5", "--rate", "12")
    info = probe(tmp_path / "quiet.mp4")
    assert (info.frames, info.fps, info.sound) == (2, 12, None)
    cuvrel("render", shot, "--layers", "--to", tmp_path / "layers", "--how", "exr-half", "--frames", "0-1")
    assert [p.name for p in sorted((tmp_path / "layers").iterdir())] == ["frame.1001.exr", "frame.1002.exr"]
    cuvrel("render", shot, "--result", "--to", tmp_path / "sheet.png", "--how", "sheet", "--every", "2")
    assert (tmp_path / "sheet.png").stat().st_size > 0


def test_cuts_are_written_and_formats_told(tmp_path: Path) -> None:
    cuvrel("cuts", reel(tmp_path / "reel.mp4"), "--to", tmp_path / "cuts.json")
    assert json.loads((tmp_path / "cuts.json").read_text()) == {"cuts": [20, 40]}
    assert "prores4444" in cuvrel("formats").stdout
    done = cuvrel("cuts", harbour_bell(tmp_path / "b.wav"), "--to", tmp_path / "c.json", code=2)
    assert "only sound" in done.stderr
