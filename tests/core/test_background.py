"""The background as earlier frames showed it, against places that are known."""

from __future__ import annotations

import numpy as np
import pytest

from cuvrel.core.follow.background import PLANES, Background

SIZE = (90, 160)
STILL = np.zeros((*SIZE, 2), np.float32)
CALM = np.ones(SIZE, np.float32)
NOWHERE = np.zeros(SIZE, bool), np.zeros(SIZE, bool)  # of the subject's own look nothing is known


def place(seed: int = 2, wide: int = SIZE[1]) -> np.ndarray:
    rng = np.random.default_rng(seed)
    coarse = rng.uniform(60, 190, (SIZE[0] // 6, wide // 8, 3)).repeat(6, axis=0).repeat(8, axis=1)
    return (coarse + rng.normal(0, 1.5, coarse.shape)).clip(0, 255).astype(np.uint8)


def square(left: int, top: int = 30, side: int = 24) -> np.ndarray:
    matte = np.zeros(SIZE, np.float32)
    matte[top : top + side, left : left + side] = 1
    return matte


def shown(ground: np.ndarray, matte: np.ndarray, seed: int = 7) -> np.ndarray:
    """A subject in the place's mean colour before it."""
    rng = np.random.default_rng(seed)
    body = ground.mean(axis=(0, 1)) + rng.normal(0, 1.5, ground.shape)
    return (ground * (1 - matte[..., None]) + body * matte[..., None]).clip(0, 255).astype(np.uint8)


def test_what_came_before_a_known_place_differs_from_it() -> None:
    ground = place()
    known = Background(shown(ground, square(20)), square(20))
    known.move(STILL, CALM, square(20))
    close, about, sure, _ = known.planes(shown(ground, square(70)), square(20), *NOWHERE)
    assert PLANES == 4
    for plane in (close, about, sure):
        assert plane.shape == SIZE
        assert np.abs(plane).max() <= 1
    here, away = square(70) > 0, np.ones(SIZE, bool)
    away[20:64, 10:104] = False
    assert close[here].mean() > 0.6
    assert close[away].mean() < -0.6
    assert about[here].mean() > 0.6 > -0.6 > about[away].mean()
    assert (sure[square(20) > 0] == -1).all(), "what the subject hid is not known"
    assert (close[square(20) > 0] == -1).all(), "and tells nothing"


def test_what_a_subject_leaves_behind_is_known_after_a_few_frames() -> None:
    ground = place()
    known = Background(shown(ground, square(20)), square(20))
    for _ in range(3):
        known.move(STILL, CALM, square(100))
        frame = shown(ground, square(100))
        known.planes(frame, square(100), *NOWHERE)
        known.update(frame, square(100))
    close, _, sure, _ = known.planes(shown(ground, square(22)), square(100), *NOWHERE)
    assert sure[32:52, 24:42].min() > 0.9
    assert close[32:52, 24:42].mean() > 0.6, "and the subject is found before it when it comes back"


def test_the_place_moves_with_the_camera() -> None:
    wide = place(wide=SIZE[1] + 40)
    first = wide[:, 20 : 20 + SIZE[1]]
    known = Background(first, np.zeros(SIZE, np.float32))
    # the camera turns right by four pixels: what is here was four further right before
    known.move(np.full((*SIZE, 2), (4.0, 0.0), np.float32), CALM, np.zeros(SIZE, np.float32))
    close, _, sure, _ = known.planes(wide[:, 24 : 24 + SIZE[1]], np.zeros(SIZE, np.float32), *NOWHERE)
    assert close[:, 4:-8].mean() < -0.6
    assert sure[:, : SIZE[1] - 8].min() > 0.9
    assert sure[:, -3:].max() < -0.9, "what comes into the frame is not known yet"


@pytest.mark.parametrize("more", [-9, 9])
def test_other_light_is_no_difference(more: int) -> None:
    ground = place()
    known = Background(ground, np.zeros(SIZE, np.float32))
    close, about, _, _ = known.planes(
        (ground.astype(int) + more).clip(0, 255).astype(np.uint8), np.zeros(SIZE, np.float32), *NOWHERE
    )
    assert close.mean() < -0.8
    assert about.mean() < -0.8


def test_a_subject_that_was_taken_for_background_is_not_learned_at_once() -> None:
    ground = place()
    known = Background(ground, np.zeros(SIZE, np.float32))
    frame, nothing = shown(ground, square(70)), np.zeros(SIZE, np.float32)
    known.move(STILL, CALM, nothing)
    known.planes(frame, nothing, *NOWHERE)
    known.update(frame, nothing)
    close, _, _, _ = known.planes(frame, nothing, *NOWHERE)
    assert close[square(70) > 0].mean() > 0.4


def test_another_thing_stays_one_when_it_touches_the_subject() -> None:
    ground = place()
    subject = square(70)
    known = Background(shown(ground, subject), subject)
    for left in range(4, 48, 6):
        frame = shown(shown(ground, subject), square(left), seed=9)
        flow = np.zeros((*SIZE, 2), np.float32)
        flow[square(left) > 0] = (-6, 0)
        known.move(flow, CALM, subject)
        other = known.planes(frame, subject, *NOWHERE)[3]
        known.update(frame, subject)
    assert left + 24 >= 70, "they touch"
    inner = square(left)
    inner[:, 68:] = 0
    assert other[inner > 0].mean() > 0.8
    assert other[subject > 0].mean() < -0.9


def test_what_hangs_together_with_the_subject_is_no_other_thing() -> None:
    ground = place()
    subject, limb = square(70), square(90, 36, 12)
    known = Background(shown(ground, subject), subject)
    known.move(STILL, CALM, subject)
    other = known.planes(shown(ground, np.maximum(subject, limb)), subject, *NOWHERE)[3]
    assert (other == -1).all()
