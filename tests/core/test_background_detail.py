"""A followed matte's edges by the place behind them, as earlier frames showed it."""

from __future__ import annotations

import cv2
import numpy as np
import pytest

from cuvrel.core.checks.quality import mse, overlap
from cuvrel.core.follow.background_detail import BackgroundContrast, BackgroundDetail, SubjectLight
from cuvrel.core.keys.known_background import lights
from tests.core.test_known_background import encoded

SIZE = (120, 180)
COLOUR = np.float32((0.6, 0.4, 0.1))


def ground(shift: float = 0.0) -> np.ndarray:
    """A busy place in amounts of light, seen `shift` pixels further to the right."""
    rng = np.random.default_rng(3)
    wide = cv2.GaussianBlur(rng.normal(0, 1, (SIZE[0], SIZE[1] + 60, 3)).astype(np.float32), (0, 0), 4)
    wide = np.clip(np.float32((0.1, 0.14, 0.2)) * (1 + 2 * wide), 0, 1)
    matrix = np.array([[1, 0, -30 - shift], [0, 1, 0]], np.float32)
    return cv2.warpAffine(wide, matrix, SIZE[::-1], flags=cv2.INTER_LINEAR)


def disc(x: float) -> np.ndarray:
    """Coverage by a soft round thing about (x, 60)."""
    cols, rows = np.meshgrid(np.arange(SIZE[1], dtype=np.float32), np.arange(SIZE[0], dtype=np.float32))
    return cv2.GaussianBlur(np.clip(26 - np.hypot(cols - x, rows - 60) + 0.5, 0, 1), (0, 0), 1.2)


def seen(truth: np.ndarray, behind: np.ndarray, colour: np.ndarray = COLOUR) -> np.ndarray:
    return encoded(truth[..., None] * colour + (1 - truth[..., None]) * behind)


def small(truth: np.ndarray) -> np.ndarray:
    """A matte whose outline lies a pixel too far in."""
    return cv2.erode((truth > 0.5).astype(np.float32), np.ones((3, 3), np.uint8))


def begun(matte: np.ndarray, colour: np.ndarray = COLOUR) -> BackgroundDetail:
    return BackgroundDetail(lights(seen(matte, ground(), colour)), matte)


def lacks(place: BackgroundDetail, rgb: np.ndarray, matte: np.ndarray) -> np.ndarray:
    behind = place.behind(lights(rgb), matte)
    assert behind is not None
    return behind.lacks(matte)


def contrast(
    place: BackgroundDetail, light: np.ndarray, was: float, x: float, box: tuple[slice, slice]
) -> BackgroundContrast:
    """What the place tells of a frame whose subject came from one x to another."""
    flow = np.full((*SIZE, 2), (was - x, 0), np.float32)
    return place.contrast(
        light, disc(was), box, SubjectLight(lights(seen(disc(was), ground())), disc(was)).carried_on(flow)
    )


@pytest.mark.parametrize("shift", [0.0, 1.5])
def test_edges_before_a_place_that_was_seen_are_found(shift: float) -> None:
    place, truth = begun(disc(40)), disc(130)
    matte = small(truth)
    place.move(np.array([[0, 0, -shift], [0, 0, 0]], np.float32))
    found = matte + lacks(place, seen(truth, ground(shift)), matte)
    assert 0 <= found.min() <= found.max() <= 1
    assert 1 - overlap(found, truth) < 0.5 * (1 - overlap(matte, truth))
    assert mse(found, truth) < 0.4 * mse(matte, truth)


@pytest.mark.parametrize("light", [1.0, 0.8])  # also where the light fades all over
def test_what_is_before_a_known_place_differs_from_it_to_the_pixel(light: float) -> None:
    place, truth = begun(disc(40)), disc(130)
    box = slice(10, 110), slice(70, 170)
    found = contrast(place, lights(seen(truth, ground())) * np.float32(light), 40, 130, box)
    whole, free = truth[box] > 0.95, truth[box] < 0.02
    assert found.away.shape == (100, 100)
    assert found.away[whole].mean() > 0.9
    assert found.away[free].mean() < 0.1
    # orange before blue: lighter, redder and yellower
    assert all(plane[whole].mean() > 0.2 > 0.05 > np.abs(plane[free]).mean() for plane in found.signed)


def test_a_veil_is_told_by_how_far_its_light_is_the_subject_s_own() -> None:
    place, box = begun(disc(40)), (slice(10, 110), slice(75, 170))
    veil = cv2.GaussianBlur(disc(130), (0, 0), 6)
    found = contrast(place, lights(seen(veil, ground())), 40, 130, box)
    soft = (veil[box] > 0.1) & (veil[box] < 0.9)
    assert np.abs((found.share + 1) / 2 - veil[box])[soft].mean() < 0.12


def test_what_was_never_seen_tells_nothing() -> None:
    truth = disc(90)
    place, rgb = begun(truth), seen(truth, ground())
    assert np.abs(lacks(place, rgb, small(truth))).max() < 1e-3
    found = contrast(place, lights(rgb), 90, 90, (slice(40, 80), slice(70, 110)))
    assert not any(plane.any() for plane in (found.away, *found.signed, found.share))
    assert (found.known == -1).all()


def test_a_place_that_is_no_more_what_it_was_does_little_harm() -> None:
    other = np.ascontiguousarray(ground()[::-1])
    truth, like = disc(130), np.float32((0.25, 0.3, 0.1))
    found = truth + lacks(begun(disc(40), like), seen(truth, other, like), truth)
    assert overlap(found, truth) > 0.97


def test_a_place_is_learned_where_the_subject_leaves_it() -> None:
    place = begun(disc(60))
    place.learn(lights(seen(disc(130), ground())), disc(130))  # uncovers where it stood
    truth = disc(60)
    matte = small(truth)
    found = matte + lacks(place, seen(truth, ground()), matte)
    assert 1 - overlap(found, truth) < 0.5 * (1 - overlap(matte, truth))


def test_about_a_lost_subject_nothing_is_said() -> None:
    place = begun(disc(60))
    assert place.behind(lights(seen(disc(60), ground())), np.zeros(SIZE, np.float32)) is None
