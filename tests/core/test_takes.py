"""Two takes: lined up to a part of a pixel whatever moves in one of them, and their light measured."""

from typing import Any

import cv2
import numpy as np
import pytest

from cuvrel.core.imaging.colour import linear_to_srgb, srgb_to_linear
from cuvrel.core.recipe.errors import RecipeError
from cuvrel.core.takes.line_up import Kind, brought, covered, line_up
from cuvrel.core.takes.tone import tone, undone

WIDE, HIGH = 480, 270


def place(seed: int = 1) -> np.ndarray:
    """A set: surfaces of many sizes, larger than what a take shows, (H, W, 3) uint8."""
    rng = np.random.default_rng(seed)
    out = np.full((HIGH + 120, WIDE + 160, 3), 90, np.uint8)
    for _ in range(160):
        x, y = int(rng.integers(0, out.shape[1])), int(rng.integers(0, out.shape[0]))
        w, h = (int(n) for n in rng.integers(6, 70, 2))
        cv2.rectangle(out, (x, y), (x + w, y + h), [int(n) for n in rng.integers(30, 225, 3)], -1)
    return np.asarray(cv2.GaussianBlur(out, (0, 0), 0.8), np.uint8)


def change(kind: Kind, rng: np.random.Generator, size: tuple[int, int], reach: float, bend: float) -> np.ndarray:
    """From a pixel of the second take to that of the first, corner origin. size: width and height; reach: the most
    pixels that it is shifted; bend: how much a perspective changes a pixel.
    """
    matrix = np.eye(3)
    if kind != "shift":
        turn, scale = np.deg2rad(rng.uniform(-2, 2)), rng.uniform(0.97, 1.03)
        matrix[:2, :2] = scale * np.array([[np.cos(turn), -np.sin(turn)], [np.sin(turn), np.cos(turn)]])
    if kind in ("affine", "perspective"):
        matrix[:2, :2] += rng.uniform(-0.01, 0.01, (2, 2))
    if kind == "perspective":
        matrix[2, :2] = rng.uniform(-bend, bend, 2)
    matrix[:2, 2] = rng.uniform(-reach, reach, 2)
    about = np.array([[1, 0, size[0] / 2], [0, 1, size[1] / 2], [0, 0, 1.0]])
    return np.asarray(about @ matrix @ np.linalg.inv(about))


def takes(kind: Kind, seed: int, light: float = 1.0, hand: bool = True) -> tuple[Any, Any, np.ndarray]:
    whole = place(seed)
    to_whole = np.array([[1, 0, 80.0], [0, 1, 60], [0, 0, 1]])
    matrix = change(kind, np.random.default_rng(seed), (WIDE, HIGH), 14, 4e-5)
    first = brought(whole, np.linalg.inv(to_whole), (HIGH, WIDE))
    second = brought(whole, np.linalg.inv(to_whole @ matrix), (HIGH, WIDE))
    second = linear_to_srgb(np.clip(srgb_to_linear(second.astype(np.float32) / 255) * light, 0, 1)) * 255
    rng = np.random.default_rng(seed + 99)
    first, second = (np.clip(one + rng.normal(0, 1.5, one.shape), 0, 255).astype(np.uint8) for one in (first, second))
    if hand:
        cv2.circle(second, (150, 130), 50, (200, 150, 120), -1)
    return first, second, matrix


def apart(found: np.ndarray, wanted: np.ndarray) -> float:
    """The mean distance between where two changes put a take's pixels."""
    at = np.array([[x, y, 1.0] for x in (40, 240, 440) for y in (30, 135, 240)]).T
    here, there = found @ at, wanted @ at
    return float(np.hypot(*(here[:2] / here[2] - there[:2] / there[2])).mean())


@pytest.mark.parametrize("kind", ["shift", "similar", "affine", "perspective"])
def test_takes_are_lined_up_to_a_part_of_a_pixel(kind: Kind) -> None:
    for seed in (1, 2, 3):
        first, second, matrix = takes(kind, seed, light=0.85)
        found = line_up(first, second, kind)
        assert apart(found.matrix, matrix) < 0.12
        assert found.error is not None
        assert found.error < 0.15
        assert 0.4 < found.still <= 1


def test_what_is_left_out_is_not_looked_at() -> None:
    first, second, matrix = takes("shift", 4, hand=False)
    # half of the first take shows something else, which is alike in both
    stuck = np.zeros((HIGH, WIDE), np.float32)
    stuck[:, : WIDE // 2] = 1
    for one in (first, second):
        one[:, : WIDE // 2] = place(9)[:HIGH, : WIDE // 2]
    found = line_up(first, second, "shift", stuck)
    assert apart(found.matrix, matrix) < 0.12


def test_takes_that_show_nothing_alike_are_refused() -> None:
    first, _, _ = takes("shift", 1)
    for other in (place(7)[:HIGH, :WIDE], np.full((HIGH, WIDE, 3), 128, np.uint8)):
        with pytest.raises(RecipeError, match="nothing alike"):
            line_up(first, other, "similar")


def test_a_take_of_another_size_is_lined_up() -> None:
    first, second, matrix = takes("shift", 5, hand=False)
    small = cv2.resize(second, None, fx=0.75, fy=0.75, interpolation=cv2.INTER_AREA)
    found = line_up(first, small, "similar")
    assert apart(found.matrix @ np.diag([0.75, 0.75, 1.0]), matrix) < 0.3


@pytest.mark.parametrize("gain", [0.7, 1.0, 1.35])
def test_light_is_measured_where_nothing_moves(gain: float) -> None:
    first, second, matrix = takes("similar", 6, light=gain)
    lain = brought(second, matrix, (HIGH, WIDE))
    found = tone(first, lain, covered(matrix, (HIGH, WIDE), (HIGH, WIDE)))
    assert np.allclose(found.gain, gain, rtol=0.02)
    assert np.abs(found.offset).max() < 0.004
    light = srgb_to_linear(lain.astype(np.float32) / 255)
    back = linear_to_srgb(np.clip(undone(light, found), 0, 1)) * 255
    inside = np.s_[30:-30, 330:-30]  # away from the hand and the border
    assert abs(float(back[inside].mean()) - float(first[inside].mean())) < 1


def test_light_that_can_not_be_compared_gets_a_sentence() -> None:
    first, second, _ = takes("shift", 1)
    with pytest.raises(RecipeError, match="Too little"):
        tone(first, second, np.zeros((HIGH, WIDE), bool))
