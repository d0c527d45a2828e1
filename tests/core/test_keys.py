"""Keys by brightness and colour, and the contour: against what they must give on made pictures."""

from __future__ import annotations

from typing import Any

import cv2
import numpy as np
import pytest

from cuvrel.core.edge.edge import without_islands
from cuvrel.core.keys.colour_fit import fitted
from cuvrel.core.keys.colour_key import ColourKeyParams, colour_key, sampled, to_lch
from cuvrel.core.keys.luma_key import LumaKeyParams, luma_key
from cuvrel.core.pulls.contour import ContourParams, contour
from cuvrel.core.recipe.context import Context
from cuvrel.core.recipe.values import START

HERE = Context(1.0)


def ramp() -> np.ndarray:
    """All greys from left to right."""
    return np.repeat(np.arange(256, dtype=np.uint8)[None, :, None], 20, axis=0).repeat(3, axis=2).copy()


def luma(**changes: Any) -> dict[str, Any]:
    return {**LumaKeyParams().at(START), **changes}


def colour(**changes: Any) -> dict[str, Any]:
    return {**ColourKeyParams().at(START), **changes}


def lines(**changes: Any) -> dict[str, Any]:
    return {**ContourParams().at(START), **changes}


def test_a_luma_key_is_1_between_its_points_and_falls_smoothly_outside() -> None:
    out = luma_key(ramp(), luma(low=0.4, high=0.7, soft_low=0.2, soft_high=0.1), HERE)[5]
    grey = np.arange(256) / 255
    assert (out[(grey >= 0.4) & (grey <= 0.7)] == 1).all()
    assert (out[(grey < 0.2) | (grey > 0.8)] == 0).all()
    assert out[round(0.3 * 255)] == pytest.approx(0.5, abs=0.02)
    assert (np.diff(out[grey < 0.4]) >= 0).all()
    assert (np.diff(out[grey > 0.7]) <= 0).all()


def test_luma_weighs_as_the_standard_says_and_crossed_points_leave_nothing() -> None:
    picture = np.zeros((4, 3, 3), np.uint8)
    for k in range(3):
        picture[:, k, k] = 255
    out = luma_key(picture, luma(low=0.5, high=1.0, soft_low=0.0), HERE)
    assert out[0].tolist() == [0, 1, 0]
    assert luma_key(ramp(), luma(low=0.8, high=0.3), HERE).max() == 0


@pytest.mark.parametrize(
    ("rgb", "light", "chroma", "hue"),
    # lightness, chroma and hue of the primaries as the space's author publishes them
    [((255, 0, 0), 0.628, 0.2577, 29.2), ((0, 255, 0), 0.866, 0.2948, 142.5), ((0, 0, 255), 0.452, 0.3132, 264.1),
     ((255, 255, 255), 1.0, 0.0, None)],
)  # fmt: skip
def test_the_space_is_oklch(rgb: tuple[int, int, int], light: float, chroma: float, hue: float | None) -> None:
    found = to_lch(np.full((1, 1, 3), rgb, np.uint8))[0, 0]
    assert found[0] == pytest.approx(light, abs=0.002)
    assert found[1] * 0.33 == pytest.approx(chroma, abs=0.002)
    if hue is not None:
        assert found[2] == pytest.approx(hue, abs=0.3)


def test_a_red_that_wraps_around_the_circle_is_one_range() -> None:
    hsv = np.zeros((1, 360, 3), np.float32)
    hsv[0, :, 0], hsv[..., 1], hsv[..., 2] = np.arange(360), 1, 1
    wheel = np.round(cv2.cvtColor(hsv, cv2.COLOR_HSV2RGB) * 255).astype(np.uint8)
    hue = to_lch(wheel)[0, :, 2]
    out = colour_key(wheel, colour(hue=5, hue_width=40, hue_soft=0, chroma_low=0.0), HERE)[0]
    away = np.minimum(np.abs(hue - 5), 360 - np.abs(hue - 5))
    assert (out[away < 19.5] == 1).all()
    assert (out[away > 20.5] == 0).all()
    assert (hue[out == 1] > 340).any()
    assert (hue[out == 1] < 25).any()


def test_what_is_picked_is_keyed_and_another_colour_is_not() -> None:
    rng = np.random.default_rng(2)
    picture = np.full((60, 80, 3), (60, 110, 160), np.uint8)
    picture[20:40, 30:60] = (200, 40, 60)
    picture = (picture + rng.normal(0, 6, picture.shape)).clip(0, 255).astype(np.uint8)
    out = colour_key(picture, colour(**sampled(picture, (34, 24, 56, 36))), HERE)
    assert out[22:38, 32:58].mean() > 0.93
    assert out[:18].mean() < 0.01


def test_a_picked_grey_takes_every_hue_but_no_colour() -> None:
    picture = ramp()
    values = sampled(picture, (100, 2, 140, 18))
    assert values["hue_width"] == 360
    red = np.full((10, 10, 3), (200, 30, 30), np.uint8)
    assert colour_key(red, colour(**values), HERE).max() < 0.05
    assert colour_key(picture, colour(**values), HERE)[5, 120] == 1


def test_a_contour_is_a_line_of_its_width_along_an_edge() -> None:
    picture = np.full((80, 100, 3), 60, np.uint8)
    picture[:, 50:] = 190
    out = contour(picture, lines(width=4.0), HERE)
    assert out[40].sum() == pytest.approx(4, abs=1.2)
    assert out[:, 46:54].sum() > 0.98 * out.sum()


@pytest.mark.parametrize("width", [3.0, 40.0])
def test_a_contour_is_the_same_on_any_number_of_cores(width: float, monkeypatch: pytest.MonkeyPatch) -> None:
    picture = np.full((150, 120, 3), 60, np.uint8)
    cv2.fillPoly(picture, [np.array([[20, 12], [100, 60], [40, 130]])], (190, 120, 80))
    found = []
    for cores in (1, 7):
        monkeypatch.setattr("cuvrel.core.pulls.contour.CORES", cores)
        found.append(contour(picture, lines(width=width), HERE))
    assert found[0].max() == 1
    np.testing.assert_array_equal(*found)


def test_short_lines_are_cleaned_up_and_equal_brightness_needs_colour() -> None:
    picture = np.full((80, 100, 3), 60, np.uint8)
    cv2.circle(picture, (20, 20), 3, (220, 220, 220), -1)
    assert contour(picture, lines(length=60.0), HERE).max() == 0
    assert contour(picture, lines(length=5.0), HERE).max() == 1
    even = np.full((60, 80, 3), (200, 60, 60), np.uint8)
    even[:, 40:] = (60, 119, 60)  # the same grey
    assert contour(even, lines(colour=False), HERE).max() == 0
    assert contour(even, lines(), HERE).max() == 1


@pytest.mark.parametrize("kind", ["luma", "colour", "contour"])
def test_half_size_looks_like_half_of_full_size(kind: str) -> None:
    rng = np.random.default_rng(5)
    picture = cv2.GaussianBlur(rng.uniform(0, 255, (120, 160, 3)).astype(np.float32), (0, 0), 8)
    picture = ((picture - picture.min()) / (picture.max() - picture.min()) * 255).astype(np.uint8)
    small = cv2.resize(picture, (80, 60), interpolation=cv2.INTER_AREA)
    half = Context(0.5)
    run, values = {
        "luma": (luma_key, luma(blur=3.0)),
        "colour": (colour_key, colour(chroma_low=0.05, hue_width=120, blur=3.0)),
        "contour": (contour, lines(strength=0.05, width=6.0, length=0.0, blur=3.0, thin=False)),
    }[kind]
    full = cv2.resize(run(picture, values, HERE), (80, 60), interpolation=cv2.INTER_AREA)
    assert np.abs(run(small, values, half) - full).mean() < 0.05


def sail(shade: float) -> tuple[np.ndarray, np.ndarray]:
    """A shaded crimson sail with a white number before a dull red wall and a grey sky, and its coverage."""
    h, w = 200, 300
    y, x = np.mgrid[0:h, 0:w].astype(np.float32)
    picture = np.full((h, w, 3), (150, 155, 165), np.float32)
    picture[:, 180:] = (105, 70, 68)
    truth = np.zeros((h, w), np.float32)
    cv2.fillPoly(truth, [np.array([[60, 30], [240, 50], [225, 160], [70, 150]])], 1.0)
    light = (0.9 + 0.2 * np.sin(x / 40 + shade))[..., None]
    cloth = np.array([200, 22, 40], np.float32) * light
    cloth[(np.hypot(x - 140, y - 95) < 22)] = (230, 228, 220)
    picture = np.where(truth[..., None] > 0, cloth, picture)
    noise = np.random.default_rng(4).normal(0, 4, picture.shape)
    return cv2.GaussianBlur(picture + noise, (0, 0), 0.7).clip(0, 255).astype(np.uint8), truth


def overlap(a: np.ndarray, b: np.ndarray) -> float:
    return float(((a > 0.5) & (b > 0.5)).sum() / ((a > 0.5) | (b > 0.5)).sum())


def test_a_key_is_fitted_to_the_thing_that_was_sampled_and_holds_under_other_shading() -> None:
    picture, truth = sail(0.0)
    once = colour(**sampled(picture, (90, 60, 100, 70)))
    ranges, edge = fitted(picture, once)
    for shade in (0.0, 1.2, 2.4):
        picture, truth = sail(shade)
        cover = without_islands(colour_key(picture, {**once, **ranges}, HERE), edge["holes"], edge["specks"])
        assert overlap(colour_key(picture, once, HERE), truth) < 0.75
        assert overlap(cover, truth) > 0.95
    # ranges only grow
    assert ranges["hue_width"] >= once["hue_width"]
    for name in ("chroma", "light"):
        assert ranges[f"{name}_low"] <= once[f"{name}_low"]
        assert ranges[f"{name}_high"] >= once[f"{name}_high"]


def test_a_key_that_finds_nothing_is_not_fitted() -> None:
    picture, _ = sail(0.0)
    assert fitted(picture, colour(hue=200.0, hue_width=5.0, chroma_low=0.5)) == ({}, {})
