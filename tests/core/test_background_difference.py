"""Frames compared with what other frames show, under the camera's motion and the light."""

from __future__ import annotations

import cv2
import numpy as np
import pytest

from cuvrel.core.motion import background_difference
from cuvrel.core.trace.clues import FAR, NEAR
from cuvrel.core.trace.prepared import Prepared
from tests.core.test_background import SIZE, place, shown, square
from tests.core.test_trace import scene


def test_a_small_motion_is_a_camera_that_stands() -> None:
    fit = np.zeros((2, 3), np.float32)
    assert background_difference.stands(fit, SIZE)
    fit[0, 2] = 0.02
    assert background_difference.stands(fit, SIZE)
    fit[1, 0] = 0.001  # a turn that comes to a sixth of a pixel at the border
    assert not background_difference.stands(fit, SIZE)


def test_another_frame_is_brought_under_this_one_s_view() -> None:
    wide = place(wide=SIZE[1] + 16)
    here, there = wide[:, : SIZE[1]], wide[:, 6 : 6 + SIZE[1]]
    fit = np.array([[0, 0, -6], [0, 0, 0]], np.float32)  # what is here lies six to the left there
    found = background_difference.brought(there.astype(np.float32), fit)
    assert np.abs(found[:, 6:] - here[:, 6:]).max() < 1e-3
    assert not found[:, :6].any(), "and what that frame does not show is empty"


def test_light_follows_the_free_places_and_not_the_things() -> None:
    more = np.full((*SIZE, 3), 4.0, np.float32)
    more[30:54, 60:84] = 80
    free = (square(60) == 0).astype(np.float32)
    assert np.abs(background_difference.light(more, free) - 4).max() < 0.2


def test_units_are_of_the_grain_that_the_rest_shows() -> None:
    rng = np.random.default_rng(4)
    more = rng.normal(0, 3, (*SIZE, 3)).astype(np.float32)
    more[30:54, 60:84] += 30
    rest = square(60) == 0
    units = background_difference.in_grain(more, rest)
    assert np.median(units[rest]) == pytest.approx(1, abs=0.05)
    assert units[~rest].mean() > 8
    calm = background_difference.in_grain(more, rest, 2.0)
    assert calm[35:50, 65:80].mean() > 2 * units[35:50, 65:80].mean(), "a blur takes grain out"


def moved(count: int, step: int, camera: int = 0) -> list[np.ndarray]:
    wide = place(wide=SIZE[1] + 40)
    return [
        shown(wide[:, 20 + camera * n : 20 + camera * n + SIZE[1]], square(10 + step * n), seed=n) for n in range(count)
    ]


@pytest.mark.parametrize("camera", [0, 1])
def test_what_moved_differs_from_all_the_other_frames(camera: int) -> None:
    # large enough that motion is found in it
    pictures = [one.repeat(3, axis=0).repeat(3, axis=1) for one in moved(17, 5, camera)]
    near = [(n, pictures[8 + n]) for n in (*NEAR, *FAR)]
    planes = Prepared(pictures[8], neighbours=near).scene.others
    assert len(planes) == 2
    scale = planes[0].shape[1] / SIZE[1]
    rows, cols = slice(round(34 * scale), round(50 * scale)), slice(round(54 * scale), round(70 * scale))
    rest = np.ones(planes[0].shape, bool)
    rest[:, round(8 * scale) : round(118 * scale)] = False
    for plane in planes:
        assert 0 <= plane.min() <= plane.max() <= 1
        assert plane[rows, cols].mean() > 0.5
        assert plane[rest].mean() < 0.35


def test_what_moved_differs_to_the_pixel() -> None:
    pictures = [one.repeat(3, axis=0).repeat(3, axis=1) for one in moved(17, 5)]
    near = [(n, pictures[8 + n]) for n in (*NEAR, *FAR)]
    planes = Prepared(pictures[8], neighbours=near).scene.closely
    assert len(planes) == 2
    scale = planes[0].shape[1] / SIZE[1]
    truth = cv2.resize(square(50), planes[0].shape[::-1], interpolation=cv2.INTER_NEAREST)
    kernel = np.ones((round(scale) + 3,) * 2, np.uint8)
    inside, outside = cv2.erode(truth, kernel) > 0, cv2.dilate(truth, kernel) == 0
    for plane in planes:
        assert 0 <= plane.min() <= plane.max() <= 1
        assert plane[outside].mean() < 0.05
    # three frames away it hides a part of its own place still, eight frames away it is gone
    assert planes[1][inside].mean() > 0.8 > planes[0][inside].mean() > 0.2


def test_without_other_frames_nothing_is_said() -> None:
    rgb, _ = scene()
    told = Prepared(rgb).scene
    for plane in (*told.others, *told.closely):
        assert (plane == 0.5).all()
