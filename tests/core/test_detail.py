"""Fine detail and own colours, against a made-up mix whose parts are known."""

from __future__ import annotations

import cv2
import numpy as np
import pytest
from pymatting import estimate_alpha_cf

from cuvrel.core.edge.detail import fine_detail, own_colours, solve


def hair(seed: int = 4, size: tuple[int, int] = (120, 160)) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """Strands on a body before a soft ground: linear picture, coverage, and the subject's colours."""
    rng = np.random.default_rng(seed)
    h, w = size
    big = np.zeros((4 * h, 4 * w), np.float32)
    cv2.ellipse(big, (2 * w, 2 * h), (w, int(1.4 * h)), 0, 0, 360, 1.0, -1)
    for _ in range(70):
        angle = rng.uniform(0, 2 * np.pi)
        at = np.array([2 * w + w * np.cos(angle), 2 * h + 1.4 * h * np.sin(angle)])
        to = at + rng.uniform(15, 42) * np.array([np.cos(angle), np.sin(angle)]) + rng.normal(0, 6, 2)
        cv2.line(big, at.astype(int).tolist(), to.astype(int).tolist(), 1.0, 3)
    alpha = cv2.resize(big, (w, h), interpolation=cv2.INTER_AREA)
    y, x = np.mgrid[0:h, 0:w]
    fore = np.stack([0.5 + 0.1 * np.sin(x / 30), 0.2 + 0 * x, 0.1 + 0.05 * np.cos(y / 25)], 2)
    back = np.stack([0.1 + 0 * x, 0.3 + 0.1 * np.sin(x / 40), 0.5 + 0.1 * np.cos(y / 30)], 2)
    return (fore * alpha[..., None] + back * (1 - alpha[..., None])).astype(np.float32), alpha, fore.astype(np.float32)


def band_of(alpha: np.ndarray, width: int = 8) -> np.ndarray:
    hard = (alpha > 0.5).astype(np.uint8)
    return cv2.morphologyEx(hard, cv2.MORPH_GRADIENT, np.ones((2 * width + 1, 2 * width + 1), np.uint8))


def test_the_band_is_solved_about_as_well_as_by_the_closed_form() -> None:
    linear, alpha, _ = hair()
    band = band_of(alpha)
    known = np.where(band > 0, 0.5, alpha > 0.5).astype(np.float32)
    ours = solve(linear, known, band, rounds=80)
    theirs = estimate_alpha_cf(linear.astype(np.float64), np.where(band > 0, 0.5, alpha > 0.5).astype(np.float64))
    at = band > 0
    assert np.square(ours - alpha)[at].mean() < 1.2 * np.square(theirs - alpha)[at].mean() + 2e-4


def test_what_is_known_stays_and_coverage_is_a_share() -> None:
    linear, alpha, _ = hair()
    band = band_of(alpha)
    known = np.where(band > 0, 0.5, alpha > 0.5).astype(np.float32)
    out = solve(linear, known, band)
    assert np.array_equal(out[band == 0], known[band == 0])
    assert out.min() >= 0
    assert out.max() <= 1


def test_fine_detail_brings_strands_back_and_a_share_of_nothing_changes_nothing() -> None:
    linear, alpha, _ = hair()
    rgb = np.round(np.power(linear, 1 / 2.2) * 255).astype(np.uint8)
    rough = cv2.GaussianBlur(
        (cv2.morphologyEx(alpha, cv2.MORPH_OPEN, np.ones((5, 5))) > 0.5).astype(np.float32), (0, 0), 1
    )
    out = fine_detail(rgb, rough, 12)
    assert np.square(out - alpha).mean() < 0.1 * np.square(rough - alpha).mean()
    assert np.array_equal(fine_detail(rgb, rough, 12, 0.0), rough)


def test_where_colours_do_not_tell_the_matte_stays_as_it_was() -> None:
    """Of grain alone nothing can be solved; before, the outline was eaten by it."""
    _, alpha, _ = hair()
    grain = np.random.default_rng(2).normal(120, 6, (*alpha.shape, 3)).round().astype(np.uint8)
    soft = cv2.GaussianBlur(alpha, (0, 0), 1.5)
    out = fine_detail(grain, soft, 8)
    free = solve(np.power(grain / np.float32(255), np.float32(2.2)), soft, band_of(soft))
    assert np.abs(out - soft).mean() < 0.5 * np.abs(free - soft).mean()


@pytest.mark.parametrize("value", [0.0, 1.0])
def test_a_matte_without_an_outline_is_left_alone(value: float) -> None:
    rgb = np.full((40, 50, 3), 90, np.uint8)
    matte = np.full((40, 50), value, np.float32)
    assert np.array_equal(fine_detail(rgb, matte, 6), matte)
    assert np.array_equal(own_colours(rgb.astype(np.float32), matte, 6), rgb.astype(np.float32))


def test_the_old_background_leaves_the_soft_edge() -> None:
    linear, alpha, fore = hair()
    own = own_colours(linear, alpha, 18)
    soft = (alpha > 0.15) & (alpha < 0.85)
    before = np.abs(linear - fore)[soft].mean()
    after = np.abs(own - fore)[soft].mean()
    assert after < 0.35 * before
    assert np.array_equal(own[alpha == 1], linear[alpha == 1])
