"""What the difference key's network reads, against formulas."""

from __future__ import annotations

import cv2
import numpy as np
import pytest
from numpy.typing import NDArray

from cuvrel.core.arrays import U8
from cuvrel.core.imaging.network import quarters
from cuvrel.core.keys.difference_clues import FIRST, HALVES, PICTURES, QUARTERS, SECOND, grain, planes
from cuvrel.core.keys.likeness import likeness
from cuvrel.core.trace.colour_model import to_lab

NEAR_LIGHT, ABOUT_LIGHT, FINE, COARSE, AMOUNT, BEFORE = (PICTURES + n for n in (2, 5, 6, 7, 8, 9))
EVEN = np.full((16, 3), 3.0, np.float32)  # a grain of three levels everywhere


def noisy(shape: tuple[int, int], seed: int) -> U8:
    return np.random.default_rng(seed).integers(20, 220, (*shape, 3)).astype(np.uint8)


def test_both_pictures_stand_first_as_quarters_of_their_colours() -> None:
    picture, clean = noisy((20, 28), 1), noisy((20, 28), 2)
    out = planes(picture, clean, EVEN)
    assert out.shape == (FIRST, 10, 14)
    full = [to_lab(one)[..., k] / np.float32(128) - 1 for one in (picture, clean) for k in range(3)]
    np.testing.assert_allclose(out[:PICTURES], quarters(full), atol=1e-6)


def test_a_first_look_knows_nothing_and_a_second_one_what_the_first_found() -> None:
    picture, clean = noisy((20, 28), 3), noisy((20, 28), 8)
    assert (planes(picture, picture, EVEN)[BEFORE] == 0).all()
    found = np.random.default_rng(4).uniform(0, 1, (10, 14)).astype(np.float32)
    first, second = planes(picture, clean, EVEN), planes(picture, clean, EVEN, found)
    assert second.shape == (SECOND, 10, 14)
    np.testing.assert_array_equal(second[:PICTURES], first[:PICTURES])
    np.testing.assert_array_equal(second[QUARTERS:][: HALVES - 1], first[PICTURES:-1])
    np.testing.assert_allclose(second[QUARTERS:][HALVES - 1], 2 * found - 1, atol=1e-6)
    full, half = likeness(picture, clean, found)
    np.testing.assert_array_equal(second[PICTURES:QUARTERS], quarters(full))
    np.testing.assert_array_equal(second[QUARTERS + HALVES :], half)


def test_more_light_is_told_in_units_of_grain() -> None:
    clean = np.full((40, 48, 3), 90, np.uint8)
    brighter = np.full((40, 48, 3), 100, np.uint8)
    out = planes(brighter, clean, EVEN)
    units = np.log(106 / 96) / (3 / 96)
    np.testing.assert_allclose(out[NEAR_LIGHT], np.tanh(units * 0.2), atol=1e-4)
    np.testing.assert_allclose(out[ABOUT_LIGHT], np.tanh(units * 0.7), atol=1e-4)
    colour = [PICTURES, PICTURES + 1, PICTURES + 3, PICTURES + 4]
    assert np.abs(out[colour]).max() < 1e-5, "more light is no other colour"
    assert np.abs(planes(clean, clean, EVEN)[PICTURES : PICTURES + 6]).max() == 0
    np.testing.assert_allclose(out[AMOUNT], np.tanh(np.log(3 * 0.6) - 1.5), atol=1e-4)


@pytest.mark.parametrize("shape", [(160, 96), (12, 10)])  # the second is smaller than the wide square
def test_texture_is_the_correlation_of_both_greys_as_far_as_it_stands_out_of_the_grain(shape: tuple[int, int]) -> None:
    rng = np.random.default_rng(5)
    clean = noisy(shape, 6)
    picture = np.clip(clean + rng.normal(0, 10, clean.shape), 0, 255).astype(np.uint8)
    picture[:, shape[1] // 2 :] = noisy(shape, 7)[:, shape[1] // 2 :]  # there another thing stands before it
    table = grain(picture, clean)
    out = planes(picture, clean, table)
    a, b = (one.astype(np.float64).mean(2) for one in (picture, clean))
    noise = table.mean(1)[(clean.astype(np.int64).sum(2) * 16 // 768)] * 0.6
    for plane, side in ((FINE, 7), (COARSE, 17)):
        ma, mb, aa, bb, ab, nn = (
            sliding(one, side) for one in (a, b, a * a, b * b, a * b, noise.astype(np.float64) ** 2)
        )
        own, was = np.maximum(aa - ma * ma, 1), np.maximum(bb - mb * mb, 0)
        like = (ab - ma * mb) / np.sqrt(own * np.maximum(was, 1)) * was / (was + nn + 1)
        wanted = cv2.resize(like, (shape[1] // 2, shape[0] // 2), interpolation=cv2.INTER_AREA)
        np.testing.assert_allclose(out[plane], wanted, atol=1e-4)
    if shape[1] > 50:
        assert out[FINE][:, :20].mean() > 0.7 > 0.2 > np.abs(out[FINE][:, 30:].mean())


def sliding(one: NDArray[np.float64], side: int) -> NDArray[np.float64]:
    """The mean about each place; the picture goes on in a mirror, its border standing once."""
    wide = np.pad(one, side // 2, mode="reflect")
    return np.lib.stride_tricks.sliding_window_view(wide, (side, side)).mean((2, 3))
