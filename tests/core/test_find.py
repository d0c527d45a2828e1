"""Finding the subject without marks."""

from __future__ import annotations

import cv2
import numpy as np
import pytest

from cuvrel.core.checks.quality import overlap
from cuvrel.core.follow.evidence import fitted
from cuvrel.core.follow.find import find, moving, person
from cuvrel.core.follow.plan import trace_and_follow as follow_clip
from cuvrel.core.follow.run import Settings
from cuvrel.core.recipe.errors import TraceError
from cuvrel.core.recipe.models import Mark
from tests.conftest import Clip
from tests.core.test_follow import sliding


def panned(frames: int = 12) -> tuple[list[np.ndarray], list[np.ndarray]]:
    """`sliding`, as a camera sees it that goes the other way."""
    pictures, truths = sliding(frames, 4.0)
    moved = [np.roll(p, -2 * n, axis=1) for n, p in enumerate(pictures)]
    return moved, [np.roll(t, -2 * n, axis=1) for n, t in enumerate(truths)]


def test_what_moves_against_the_camera_is_found() -> None:
    pictures, truths = panned()
    matte = find(lambda n: pictures[n], 6, len(pictures))
    assert overlap(matte, truths[6]) > 0.85


def test_motion_is_measured_against_the_camera_s() -> None:
    pictures, truths = panned()
    speed = moving(lambda n: pictures[n], 6, len(pictures))
    truth = cv2.resize(truths[6], speed.shape[::-1], interpolation=cv2.INTER_AREA)
    scale = speed.shape[1] / truths[6].shape[1]
    assert np.median(speed[truth > 0.9]) == pytest.approx(4 * scale, rel=0.3)
    assert np.median(speed[truth < 0.1]) < 0.5


def test_a_figure_is_found_as_a_person(clip: Clip) -> None:
    there = person(clip.frame(8))
    truth = cv2.resize(clip.truth(8), there.shape[::-1], interpolation=cv2.INTER_AREA)
    assert there[truth > 0.9].mean() > there[truth < 0.1].mean() + 0.3


def test_a_still_picture_of_nothing_says_so() -> None:
    rng = np.random.default_rng(2)
    still = cv2.GaussianBlur(rng.uniform(60, 190, (180, 320, 3)), (0, 0), 5).astype(np.uint8)
    with pytest.raises(TraceError, match="nothing moves"):
        find(lambda _: still, 3, 8)


def test_a_found_frame_is_followed_and_mended_like_a_marked_one() -> None:
    pictures, truths = panned()
    marks = [Mark(id="f", frame=6, kind="found", radius=1, points=[])]
    frames = {f.number: f for f in follow_clip(lambda n: pictures[n], len(pictures), marks, Settings())}
    assert frames[6].origin == "touched"
    assert overlap(frames[9].matte, truths[9]) > 0.8


def test_an_affine_motion_is_fitted_through_outliers() -> None:
    y, x = np.mgrid[0:90, 0:160].astype(np.float32)
    flow = np.stack([1.5 + 0.01 * x - 0.02 * y, -2 + 0.03 * x], axis=2).astype(np.float32)
    flow[20:50, 30:70] = (14, 9)
    fit = fitted(flow, np.ones((90, 160), np.float32), 1e-3)
    assert np.allclose(fit, [[0.01, -0.02, 1.5], [0.03, 0, -2]], atol=0.08)


def test_few_pixels_give_a_shift_and_none_give_rest() -> None:
    flow = np.full((60, 60, 2), 3, np.float32)
    weight = np.zeros((60, 60), np.float32)
    assert np.array_equal(fitted(flow, weight, 40.0), np.zeros((2, 3)))
    weight[20:30, 20:30] = 1
    assert np.allclose(fitted(flow, weight, 40.0), [[0, 0, 3], [0, 0, 3]], atol=0.05)
