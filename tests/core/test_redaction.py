"""Redaction against truth: a face from a library's photograph moves over a painted wall, hides, and is covered."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any

import cv2
import numpy as np
import pytest
from click.testing import CliRunner
from skimage import data

from cuvrel.cli import main
from cuvrel.core import catalogue
from cuvrel.core.media.writer import VideoWriter
from cuvrel.core.recipe.context import Context
from cuvrel.core.recipe.declared import declared
from cuvrel.core.recipe.tracks import Track
from cuvrel.core.recipe.values import Env, Riding
from cuvrel.core.redaction.audit import OPEN, AuditedFrame, Seen, audited, covered, page, report, runs
from cuvrel.core.redaction.batch import redaction, unsure
from cuvrel.core.redaction.covering import steadied
from cuvrel.core.redaction.faces import Face, alike, around, faces, merged, tiles
from cuvrel.core.redaction.people import Person, look_through, people
from cuvrel.core.stand.build import Stand
from cuvrel.core.stand.nodes import Cache, work_out
from cuvrel.core.stand.uncovered import Uncovered
from cuvrel.core.tracks.path import Measured
from cuvrel.core.tracks.path import Path as Way
from cuvrel.core.treatments.cover import spread
from tests.core.little import defaults, disc
from tests.core.test_tracks import painted

catalogue.load()
WIDE, HIGH, COUNT = 480, 270, 30
HEAD = data.astronaut()[0:260, 110:330]  # a face and what is about it
FACE = (62.0, 66.0, 92.0, 92.0)  # the face's box in that, as both networks have it
WALL = cv2.GaussianBlur(np.clip(painted(5, (WIDE, HIGH)), 0, 255), (0, 0), 3).astype(np.uint8)


def at(n: int) -> tuple[float, float, float]:
    """Where the head's corner lies on a frame, and its size."""
    return 60 + 7.0 * n, 40 + 12 * np.sin(n / 5), 0.45 + 0.008 * n


def truth(n: int) -> Face:
    x, y, size = at(n)
    return Face(x + FACE[0] * size, y + FACE[1] * size, FACE[2] * size, FACE[3] * size, 1.0)


def frame(n: int) -> np.ndarray:
    """A head that goes across and comes near; on frames 12 to 17 a post hides its face."""
    x, y, size = at(n)
    way = np.array([[size, 0, x], [0, size, y]], np.float64)
    cover = cv2.warpAffine(np.full(HEAD.shape[:2], 255, np.uint8), way, (WIDE, HIGH))
    out = np.where(cover[..., None] > 127, cv2.warpAffine(HEAD, way, (WIDE, HIGH)), WALL)
    if 12 <= n <= 17:
        one = truth(n)
        cv2.rectangle(out, (int(one.x - 20), 0), (int(one.x + one.width + 20), HIGH), (90, 70, 50), -1)
    return np.ascontiguousarray(out)


def hidden(n: int) -> bool:
    return 12 <= n <= 17


@pytest.mark.parametrize("change", ["as it is", "small", "turned", "dark", "blurred"])
def test_a_face_is_found_where_it_is(change: str) -> None:
    picture, one = np.array(frame(4)), truth(4)
    if change == "small":
        picture, one = np.tile(WALL, (2, 2, 1)), Face(302, 222, 21, 21, 1)
        picture[200:260, 280:331] = cv2.resize(HEAD, (51, 60), interpolation=cv2.INTER_AREA)
    if change == "turned":
        turn = cv2.getRotationMatrix2D(one.middle, 18, 1)
        picture = cv2.warpAffine(picture, turn, (WIDE, HIGH), borderMode=cv2.BORDER_REPLICATE)
    if change == "dark":
        picture = (picture * 0.3).astype(np.uint8)
    if change == "blurred":
        picture = cv2.GaussianBlur(picture, (0, 0), 2)
    found = faces(np.ascontiguousarray(picture), fine=True)
    assert any(alike(one, other) for other in found), found


def test_a_wall_has_no_face() -> None:
    assert faces(WALL, fine=True) == []
    assert around(WALL, Face(100, 100, 40, 40, 1)) is None


def test_boxes_of_one_face_are_one() -> None:
    both = merged([Face(10, 10, 20, 20, 0.9), Face(12, 10, 20, 20, 0.3), Face(80, 10, 20, 20, 0.6)])
    assert [(round(one.x, 2), one.score) for one in both] == [(10.5, 0.9), (80, 0.6)]


def test_tiles_cover_all_of_a_picture() -> None:
    seen = np.zeros((720, 1280), int)
    for x, y, side in tiles(720, 1280, 360):
        assert 0 <= x <= 1280 - side
        seen[y : y + side, x : x + side] += 1
    assert seen.min() >= 1


def test_every_frame_is_looked_at_and_somebody_who_hides_is_one_person() -> None:
    looked = dict(look_through(frame, range(COUNT)))
    assert list(looked) == list(range(COUNT))
    for n in range(COUNT):
        if not hidden(n):
            assert any(alike(truth(n), one) for one in looked[n]), n
    found = people(frame, range(COUNT))
    assert len(found) == 1
    assert {n for n in range(COUNT) if not hidden(n)} <= set(found[0].faces)


class Info:
    width, height, frames, fps = WIDE, HIGH, COUNT, 24.0


def test_everybody_is_covered_on_every_frame_and_what_is_not_sure_is_said() -> None:
    found = people(frame, range(COUNT))
    shot, clip = redaction(Info(), frame, found, {"how": "mosaic"})  # type: ignore[arg-type]
    stand, cache = Stand(shot, clip), Cache(200 << 20)
    hidden_by = Uncovered(stand).hidden
    looked = list(audited(frame, lambda n: work_out(hidden_by(n), cache), range(COUNT)))
    assert runs(looked) == []
    # where the face is hidden the cover goes on, and is larger
    sizes = {n: float(work_out(hidden_by(n), cache).sum()) for n in (10, 15, 20)}
    assert all(covered(truth(n), work_out(hidden_by(n), cache)) > 1 - OPEN for n in range(COUNT))
    assert sizes[15] > 1.15 * max(sizes[10], sizes[20])
    said = unsure(found, {"head1": clip.measured("head1")}, COUNT)
    assert any("no face is seen on 6 frames" in one for one in said)
    out = work_out(stand.result(4), cache)
    assert faces((np.clip(out[..., :3], 0, 1) ** (1 / 2.2) * 255).astype(np.uint8), fine=True) == []


def test_a_cover_that_is_moved_off_is_found_on_exactly_those_frames() -> None:
    off = {5, 6, 20}

    def cover(n: int) -> np.ndarray:
        one, out = truth(n), np.zeros((HIGH, WIDE), np.float32)
        x, y = one.middle
        cv2.ellipse(out, (int(x) + (60 if n in off else 0), int(y)), (int(one.width * 0.8), int(one.height * 0.9)),
                    0, 0, 360, (1,), -1)  # fmt: skip
        return out

    looked = list(audited(frame, cover, range(COUNT)))
    assert {one.frame for one in looked if one.exposed} == off
    assert runs(looked) == [(5, 6), (20, 20)]
    told = report(looked, source="clip")
    assert (told["clean"], told["looked_at"], told["exposed"][0]) == (False, COUNT, {"first": 5, "last": 6})
    shown = page(told, "Audit <of> clip", {5: b"picture"})
    assert "Audit &lt;of&gt; clip" in shown
    assert "data:image/jpeg" in shown
    assert "http" not in shown


def test_a_face_in_the_covered_picture_is_exposed_whatever_the_cover_says() -> None:
    full = np.ones((HIGH, WIDE), np.float32)
    looked = list(audited(frame, lambda n: full, range(2), picture=frame))
    assert all(one.exposed and one.seen[0].shows for one in looked)
    assert not any(one.exposed for one in audited(frame, lambda n: full, range(2), picture=lambda n: WALL))


def test_half_open_is_told_by_how_much() -> None:
    cover = np.zeros((100, 100), np.float32)
    cover[:, :50] = 1
    assert covered(Face(30, 30, 40, 40, 1), cover) == pytest.approx(0.5, abs=0.03)
    assert covered(Face(200, 200, 40, 40, 1), cover) == 1
    assert AuditedFrame(0, (Seen(Face(0, 0, 9, 9, 1), 0.91),)).exposed is False


def test_boxes_are_steadied_without_being_drawn_back() -> None:
    rng = np.random.default_rng(2)
    shaken = {n: Face(10.0 * n + rng.normal(0, 2), 50, 40, 40, 0.9) for n in range(30)}
    found = steadied(Person(shaken))
    off = [found[n].x - 10.0 * n for n in range(5, 25)]
    assert np.std(off) < 1.2
    assert abs(np.mean(off)) < 0.6


def test_a_cover_grows_with_doubt() -> None:
    track = Track.model_validate({"id": "t", "name": "T", "kind": "region", "frame": 0,
                                  "points": [[90, 90], [110, 90], [110, 110], [90, 110]]})  # fmt: skip
    own = Way(track, {}).own
    rows = {n: Measured(own, own) for n in range(20)} | {n: Measured(None, None, 1.0) for n in range(20, 30)}
    way = Way(track, rows | {n: Measured(own, own) for n in range(30, 50)})
    ride = Riding(track="t", frame=0, how="position and size", widen=0.5)
    env = Env(0, 24, {"t": way})
    grown = [float(env.moved_to(n).moved(ride)[0, 0]) for n in (5, 17, 25, 45)]
    assert grown[0] == grown[3] == 1
    assert grown[2] == pytest.approx(1.5)
    assert 1 < grown[1] < 1.5


# the cover itself

SIZE = 96


def textured() -> np.ndarray:
    rng = np.random.default_rng(4)
    out = np.ones((SIZE, SIZE, 4), np.float32)
    out[..., :3] = rng.uniform(0, 1, (SIZE, SIZE, 3))
    return out


def hide(matte: np.ndarray, picture: np.ndarray | None = None, frame_: int = 0, **values: Any) -> np.ndarray:
    entry = declared("treatment", "cover")
    context = Context(1.0, matte, now=Env(float(frame_)))
    return np.asarray(entry.run(textured() if picture is None else picture, defaults(entry, **values), context))


@pytest.mark.parametrize("how", ["mosaic", "blur", "solid"])
def test_all_that_the_gate_touches_is_hidden_and_the_soft_edge_lies_outside(how: str) -> None:
    matte = disc(SIZE, 50, 46, 24)
    out = hide(matte, how=how)
    alpha = spread(matte, defaults(declared("treatment", "cover"), how=how), 1.0)
    assert float(alpha[matte > 0.02].min()) == 1
    assert 0 < float(alpha[46, 78]) < 1
    assert float(alpha[46, 86]) == 0
    inside = matte > 0.5
    fine = out[..., 0] - cv2.GaussianBlur(out[..., 0], (0, 0), 1.5)
    before = textured()[..., 0] - cv2.GaussianBlur(textured()[..., 0], (0, 0), 1.5)
    assert np.std(fine[inside]) < 0.15 * np.std(before[inside])


def test_cells_ride_with_what_they_hide_so_that_many_frames_tell_no_more_than_one() -> None:
    picture = textured()
    first = hide(disc(SIZE, 40, 46, 20), picture)
    moved = hide(disc(SIZE, 47, 46, 20), np.roll(picture, 7, axis=1))
    np.testing.assert_allclose(np.roll(moved, -7, axis=1)[30:60, 25:55], first[30:60, 25:55], atol=0.02)


def test_cells_that_change_places_average_to_nothing() -> None:
    matte, picture = disc(SIZE, 48, 48, 30), textured()
    picture[:, :48, :3] *= 0.2
    some = [hide(matte, picture, n, moving="change places at random") for n in range(40)]
    still = hide(matte, picture)
    mean = np.mean(some, axis=0)
    apart = abs(float(mean[40:56, 24:44, :3].mean() - mean[40:56, 52:72, :3].mean()))
    assert apart < 0.25 * abs(float(still[40:56, 24:44, :3].mean() - still[40:56, 52:72, :3].mean()))
    assert np.abs(some[0] - some[1]).max() > 0.05


def test_each_thing_has_cells_of_its_own_size() -> None:
    both = np.maximum(disc(SIZE, 26, 48, 20), disc(SIZE, 80, 48, 8))
    out = hide(both, how="mosaic", cells=4, soft=0)
    row = out[48, :, 0]
    changes = np.flatnonzero(np.abs(np.diff(row)) > 1e-4)
    large, small = np.diff(changes[(changes > 8) & (changes < 46)]), np.diff(changes[(changes > 72) & (changes < 88)])
    assert large.max() == pytest.approx(10, abs=1)
    assert small.max() == pytest.approx(4, abs=1)


def test_so_weak_a_cover_warns() -> None:
    field = declared("treatment", "cover").params.fields()["cells"]
    assert field["warn"][0] < 16
    assert "can still be told" in field["warn"][1]


# by the command line


def clip(path: Path) -> None:
    writer = VideoWriter(path, "h264", WIDE, HIGH, 24)
    for n in range(COUNT):
        writer.write(frame(n))
    writer.close()


def test_the_command_line_redacts_audits_and_tells_by_its_exit_code(tmp_path: Path) -> None:
    clip(tmp_path / "clip.mp4")
    run = CliRunner().invoke
    done = run(main, ["redact", str(tmp_path / "clip.mp4"), "--all-faces", "--to", str(tmp_path / "out.mp4"),
                      "--report", str(tmp_path / "redact.json")])  # fmt: skip
    assert done.exit_code == 0, done.output
    assert "no face is seen on 6 frames" in done.output
    told = json.loads((tmp_path / "redact.json").read_text())
    assert (told["clean"], told["looked_at"], len(told["hash"])) == (True, COUNT, 40)
    # a cover that is not there on some frames
    writer = VideoWriter(tmp_path / "cover.mkv", "ffv1-grey", WIDE, HIGH, 24)
    for n in range(COUNT):
        writer.write(np.full((HIGH, WIDE), 0 if n in (3, 4) else 255, np.uint8))
    writer.close()
    found = run(main, ["audit", str(tmp_path / "clip.mp4"), "--cover", str(tmp_path / "cover.mkv"),
                       "--to", str(tmp_path / "audit.json"), "--page", str(tmp_path / "audit.html")])  # fmt: skip
    assert found.exit_code == 3, found.output
    rows = json.loads((tmp_path / "audit.json").read_text())["frames"]
    assert [row["frame"] for row in rows if row["exposed"]] == [3, 4]
    assert set(rows[3]["faces"][0]) == {"box", "score", "covered"}
    assert "data:image/jpeg" in (tmp_path / "audit.html").read_text()
    assert "needs --cover" in run(main, ["audit", str(tmp_path / "clip.mp4"), "--to", str(tmp_path / "a.json")]).output
