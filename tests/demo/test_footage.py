"""The harbour footage: true to itself, the same for the same seed, and what ships of it is whole."""

from __future__ import annotations

import json
import threading
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

import cv2
import numpy as np
import pytest
from footage.elements import MOVING, STILLS
from footage.people import Person, bent, vec
from footage.render import Film, render, slug
from footage.scenes import SCENES

from cuvrel.core.media.probe import probe
from cuvrel.core.media.reader import Reader
from cuvrel.core.recipe.check import read_shot
from cuvrel.demo.looks import SHOTS, demo_document
from cuvrel.demo.project import CLIPS, clip_marks

SMALL = (160, 90)


@pytest.fixture(scope="module")
def films() -> dict[str, Film]:
    return {name: Film(make(), SMALL, samples=1, instants=3) for name, make in SCENES.items()}


@pytest.mark.parametrize("name", SCENES)
def test_a_frame_is_the_same_every_time_and_has_its_subject_in_it(films: dict[str, Film], name: str) -> None:
    film = films[name]
    key = film.scene.key
    picture, covers = film.frame(key)
    again, covers_again = film.frame(key)
    assert np.array_equal(picture, again)
    assert all(np.array_equal(a, b) for a, b in zip(covers, covers_again, strict=True))
    assert picture.shape == (90, 160, 3)
    assert len(covers) == len(film.scene.owners)
    share = (covers[0] > 127).mean()
    assert 0.002 < share < 0.5
    assert ((covers[0] > 10) & (covers[0] < 245)).any(), "coverage is fractional at edges"


def test_frames_that_are_drawn_at_once_do_not_mix_their_poses(monkeypatch: pytest.MonkeyPatch) -> None:
    film = Film(SCENES["signaller"](), SMALL, samples=1, instants=2)
    posed, at_once = film.scene.parts, list[int]()
    busy, met = threading.Semaphore(1), threading.Event()

    def slowly(t: float) -> list[list[float]]:
        alone = busy.acquire(blocking=False)
        at_once.append(not alone)
        if not alone:
            met.set()
        met.wait(0.05)  # for another one to come in
        found = posed(t)
        if alone:
            busy.release()
        return found

    monkeypatch.setattr(film.scene, "parts", slowly)
    with ThreadPoolExecutor(2) as pool:
        list(pool.map(film.frame, range(4)))
    assert len(at_once) == 8
    assert not any(at_once)


def test_the_subject_moves_and_the_alpha_moves_with_it(films: dict[str, Film]) -> None:
    film = films["night-watch"]
    centres = []
    for number in (8, 36, 60):
        cover = film.frame(number)[1][0].astype(np.float64)
        centres.append(float((cover.sum(axis=0) * np.arange(SMALL[0])).sum() / cover.sum()))
    assert centres[0] + 20 < centres[1] < centres[2] - 20


def test_the_background_of_the_locked_off_clip_is_seen_at_some_time(films: dict[str, Film]) -> None:
    film = films["night-watch"]
    covers = [film.frame(n)[1][0] for n in range(0, 72, 5)]
    assert (np.min(covers, axis=0) == 0).all()


def test_the_corners_lie_where_the_board_is(tmp_path: Path) -> None:
    render(tmp_path, "notice-board", scale=0.2, frames=3, samples=1, instants=3)
    about = json.loads((tmp_path / "notice-board.json").read_text())
    truth = Reader(tmp_path / "notice-board.alpha.mkv", probe(tmp_path / "notice-board.alpha.mkv"))
    for number, corners in enumerate(about["corners"]):
        drawn = np.zeros((144, 256), np.uint8)
        cv2.fillConvexPoly(drawn, np.round(np.array(corners)).astype(np.int32), 255)
        found = truth.frame(number)[..., 0]
        union = ((drawn > 127) | (found > 127)).sum()
        assert ((drawn > 127) & (found > 127)).sum() / union > 0.85


def test_a_post_hides_who_passes_behind_it(films: dict[str, Film]) -> None:
    film = films["porters"]
    areas = [int((film.frame(n)[1][1] > 127).sum()) for n in range(20, 60, 4)]
    assert min(areas) < 0.6 * max(areas)


def test_one_porter_leaves_and_comes_back(films: dict[str, Film]) -> None:
    film = films["porters"]
    areas = [int((film.frame(n)[1][2] > 127).sum()) for n in (2, 36, 66)]
    assert areas[1] == 0
    assert min(areas[0], areas[2]) > 10


def test_a_limb_reaches_its_goal_when_it_can_and_bends_the_right_way() -> None:
    shoulder, goal = vec(0, 1, 0), vec(0.3, 0.9, 0.1)
    elbow, hand = bent(shoulder, goal, 0.3, 0.25, vec(0, -1, 0))
    assert np.allclose(hand, goal)
    assert np.isclose(np.linalg.norm(elbow - shoulder), 0.3)
    assert np.isclose(np.linalg.norm(hand - elbow), 0.25)
    assert elbow[1] < 1 - 0.05
    _, far = bent(shoulder, vec(5, 1, 0), 0.3, 0.25, vec(0, -1, 0))
    assert np.linalg.norm(far - shoulder) <= 0.55


def test_feet_stay_near_the_ground_through_a_walk() -> None:
    """An ankle is 9 cm up when its foot is flat; at the widest stride it comes up by at most 7 more."""
    who = Person(1)
    for phase in np.linspace(0, 2 * np.pi, 9):
        who.parts(vec(0, 0, 0), 0.0, 0.0, 0.8, float(phase))
        low = min(float(who.joints[f"foot{side}"][1]) for side in (-1, 1))
        assert 0.03 < low < 0.16


@pytest.mark.parametrize("name", SHOTS)
def test_what_ships_is_whole_and_its_strokes_lie_on_what_they_say(name: str) -> None:
    about = json.loads((CLIPS / f"{name}.json").read_text())
    movie, alpha = probe(CLIPS / f"{name}.mp4"), probe(CLIPS / f"{name}.alpha.mkv")
    assert (movie.width, movie.height, movie.frames) == (1280, 720, alpha.frames)
    assert about["size"] == [1280, 720]
    for file in about["subjects"].values():
        assert probe(CLIPS / file).frames == movie.frames
    truth = Reader(CLIPS / f"{name}.alpha.mkv", alpha).frame(about["frame"])[..., 0]
    for stroke in about["strokes"]:
        values = [truth[int(y), int(x)] for x, y in stroke["points"]]
        assert min(values) > 127 if stroke["kind"] == "in" else max(values) < 20
    kinds = [stroke["kind"] for stroke in about["strokes"]]
    assert kinds.count("in") >= 1
    assert kinds.count("out") >= 2


@pytest.mark.parametrize("name", SHOTS)
def test_each_demo_shot_is_a_good_document(name: str) -> None:
    info = probe(CLIPS / f"{name}.mp4")
    plate = {
        "id": "1",
        "name": name,
        "hash": "0" * 40,
        "width": 1280,
        "height": 720,
        "frames": info.frames,
        "fps": 24.0,
    }
    shot = read_shot(demo_document(plate, clip_marks(name), name))
    assert shot.mattes[0].pulls[0].marks
    assert slug(shot.mattes[0].name) in slug(" ".join(SCENES[name]().owners))


@pytest.mark.parametrize("name", MOVING)
def test_elements_are_on_black_and_move(name: str) -> None:
    element = MOVING[name]((320, 180))
    first, later = element.frame(6), element.frame(30)
    assert not np.array_equal(first, later)
    assert np.median(first) < 24
    assert first.max() > 120
    assert probe(CLIPS / f"{name}.mp4").frames == 48


@pytest.mark.parametrize("name", STILLS)
def test_stills_are_the_same_every_time(name: str) -> None:
    make = STILLS[name]
    assert np.array_equal(make((160, 90)), make((160, 90)))
    assert cv2.imread(str(CLIPS / f"{name}.png")) is not None
