"""Coverage where what lies behind is known: the compositing equation turned round."""

import cv2
import numpy as np
import pytest

from cuvrel.core.checks.quality import mse, overlap
from cuvrel.core.imaging.colour import encode
from cuvrel.core.keys.known_background import ALIKE, ONWARD, REACH, covered, lacking, lights


def scene(
    colour: tuple[float, float, float] = (0.5, 0.36, 0.1), rim: float = 0.0
) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """A blurred blob of one colour before a busy ground, mixed in linear light: picture, clean plate and truth.

    rim: how much light there is more, or less, at its outline.
    """
    rng = np.random.default_rng(11)
    y, x = np.mgrid[0:150, 0:200].astype(np.float32)
    turn = np.arctan2(y - 75, x - 100)
    truth = np.clip(45 + 8 * np.sin(5 * turn) - np.hypot(x - 100, y - 75) + 0.5, 0, 1).astype(np.float32)
    truth = cv2.GaussianBlur(truth, (0, 0), 1.5)
    waves = cv2.GaussianBlur(rng.normal(0, 1, (150, 200, 3)).astype(np.float32), (0, 0), 4)
    behind = np.clip(np.float32((0.1, 0.14, 0.2)) * (1 + 2 * waves), 0, 1)
    bright = 1 + rim * np.clip(np.hypot(x - 100, y - 75) / 45, 0, 1.3) ** 4
    light = truth[..., None] * np.float32(colour) * bright[..., None] + (1 - truth[..., None]) * behind
    return encoded(light), encoded(behind), truth


def encoded(light: np.ndarray) -> np.ndarray:
    return encode(np.dstack([light, np.ones(light.shape[:2], np.float32)]).astype(np.float32))


def astray(truth: np.ndarray, by: int) -> np.ndarray:
    """A hard matte whose outline lies some pixels too far out or in."""
    kernel = cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (2 * abs(by) + 1, 2 * abs(by) + 1))
    return (cv2.dilate if by > 0 else cv2.erode)((truth > 0.5).astype(np.float32), kernel)


@pytest.mark.parametrize("by", [-2, -1])
def test_coverage_is_the_share_of_the_two_colours(by: int) -> None:
    rgb, clean, truth = scene()
    matte = astray(truth, by)
    found = covered(rgb, clean, matte)
    assert 1 - overlap(found, truth) < 0.4 * (1 - overlap(matte, truth))
    assert mse(found, truth) < 0.25 * mse(matte, truth)


def test_an_outline_too_far_out_gets_softer_and_no_worse() -> None:
    rgb, clean, truth = scene()
    matte = astray(truth, 1)
    found = covered(rgb, clean, matte)
    assert overlap(found, truth) >= overlap(matte, truth) - 1e-3
    assert mse(found, truth) < 0.5 * mse(matte, truth)


def test_a_bright_subject_does_not_grow_by_its_encoding() -> None:
    rgb, clean, truth = scene((0.9, 0.85, 0.8))
    found = covered(rgb, clean, (truth > 0.5).astype(np.float32))
    assert found.sum() == pytest.approx(truth.sum(), rel=0.02)


@pytest.mark.parametrize("rim", [0.8, -0.5])
def test_a_round_thing_is_mixed_with_its_light_as_that_goes_on(rim: float) -> None:
    rgb, clean, truth = scene((0.4, 0.3, 0.1), rim)
    light, behind, matte = lights(rgb), lights(clean), astray(truth, -1)
    on, alike = (np.clip(matte + lacking(light, behind, matte, own), 0, 1) for own in (ONWARD, ALIKE))
    assert mse(on, truth) < 0.8 * mse(alike, truth)


def test_where_the_subject_looks_as_what_is_behind_it_the_matte_stays() -> None:
    truth = scene()[2]
    plain = np.full((*truth.shape, 3), 120, np.uint8)
    np.testing.assert_allclose(covered(plain, plain, truth), truth, atol=1e-4)


def test_only_the_edge_changes() -> None:
    rgb, clean, truth = scene()
    matte = (truth > 0.5).astype(np.float32)
    found = covered(rgb, clean, matte)
    kernel = np.ones((2 * REACH + 1, 2 * REACH + 1))
    away = cv2.dilate(matte, kernel) == cv2.erode(matte, kernel)
    np.testing.assert_array_equal(found[away], matte[away])
    assert found.dtype == np.float32
    assert found.min() >= 0
    assert found.max() <= 1


def test_an_empty_matte_and_one_of_a_pixel_stay_sane() -> None:
    rgb, clean, truth = scene()
    empty = np.zeros_like(truth)
    np.testing.assert_array_equal(covered(rgb, clean, empty), empty)
    empty[75, 100] = 1
    assert np.isfinite(covered(rgb, clean, empty)).all()
    assert covered(rgb[:1, :1], clean[:1, :1], np.ones((1, 1), np.float32)).shape == (1, 1)
