"""The subject's own remembered look, against subjects that are known."""

from __future__ import annotations

import cv2
import numpy as np

from cuvrel.core.follow.appearance import PLANES, Appearance
from cuvrel.core.motion.flow import sample

SIZE = (90, 160)
CALM = np.ones(SIZE, np.float32)
STILL = np.zeros((*SIZE, 2), np.float32)


def rough(seed: int, low: int, high: int, cell: int = 6) -> np.ndarray:
    rng = np.random.default_rng(seed)
    coarse = rng.uniform(low, high, (SIZE[0] // cell, SIZE[1] // cell + 1, 3)).repeat(cell, axis=0).repeat(cell, axis=1)
    soft = cv2.GaussianBlur(coarse[:, : SIZE[1]], (0, 0), 2)
    return (soft + rng.normal(0, 2.5, soft.shape)).clip(0, 255)


def square(left: int, top: int = 24, side: int = 40) -> np.ndarray:
    matte = np.zeros(SIZE, np.float32)
    matte[top : top + side, left : left + side] = 1
    return matte


def picture(matte: np.ndarray, by: int = 0) -> np.ndarray:
    """A subject in patches, moved to the right, before a place of like colours."""
    body = np.roll(rough(3, 60, 190), by, axis=1)
    return (rough(4, 60, 190) * (1 - matte[..., None]) + body * matte[..., None]).astype(np.uint8)


def with_bar(frame: np.ndarray, left: int) -> np.ndarray:
    out = frame.copy()
    out[:, left : left + 12] = (20, 235, 30)
    return out


def test_the_look_moves_with_the_subject() -> None:
    own = Appearance(picture(square(30)), square(30))
    own.move(np.full((*SIZE, 2), (-5.0, 0.0), np.float32), CALM)
    close, about, sure = own.planes(picture(square(35), 5), square(35))
    assert PLANES == 3
    for plane in (close, about, sure):
        assert plane.shape == SIZE
        assert np.abs(plane).max() <= 1
    inner = np.s_[28:60, 39:71]
    assert sure[inner].min() > 0.9
    assert close[inner].mean() < -0.5
    assert own.alike[inner].mean() > 0.9
    assert (sure[:, :30] == -1).all(), "nothing is known elsewhere"
    assert not own.alike[:, :30].any()
    assert not own.unlike[:, :30].any()


def test_what_passes_before_it_looks_otherwise_and_it_is_known_again_behind() -> None:
    subject = square(60)
    own = Appearance(picture(subject), subject)
    for left in range(48, 104, 8):
        frame = with_bar(picture(subject), left)
        seen = subject.copy()
        seen[:, left : left + 12] = 0
        own.move(STILL, CALM)
        own.planes(frame, subject)
        bar = np.zeros(SIZE, bool)
        bar[28:60, max(64, left + 2) : min(96, left + 10)] = True
        if bar.any():
            assert own.unlike[bar].mean() > 0.9
            assert not own.alike[bar].any()
        passed = np.zeros(SIZE, bool)
        passed[28:60, 64 : max(64, min(96, left - 4))] = True
        assert not passed.any() or own.alike[passed].mean() > 0.9
        own.update(frame, seen)


def test_a_limb_moves_as_it_does_and_not_as_the_whole() -> None:
    body, limb = square(20), square(110, 30, 24)
    matte = np.maximum(body, limb)
    own = Appearance(picture(matte), matte)
    flow = STILL.copy()
    flow[:, 90:] = (0, 4)  # the limb alone rises
    moved = sample(picture(matte), flow)
    own.move(flow, CALM)
    own.planes(moved, np.maximum(body, square(110, 26, 24)))
    for part in (np.s_[30:58, 26:54], np.s_[30:44, 115:129]):
        assert own.alike[part].mean() > 0.9


def test_what_stays_hidden_is_less_and_less_sure() -> None:
    subject = square(60)
    own = Appearance(picture(subject), subject)
    nothing = np.zeros(SIZE, np.float32)
    for _ in range(6):
        own.move(STILL, CALM)
        own.planes(picture(nothing), subject)
        own.update(picture(nothing), nothing)
    hidden = own.planes(picture(subject), subject)[2][30:58, 66:94]
    assert 0 < hidden.min() < 0.9, "it fades, but is remembered for a while"
