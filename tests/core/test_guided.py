"""The guided filter: its own formula, its borders, and that it finds the picture's edge."""

from __future__ import annotations

import cv2
import numpy as np
import pytest

from cuvrel.core.imaging.guided_filter import guided
from cuvrel.core.trace.upsampling import enlarged, soften


def _by_formula(guide: np.ndarray, p: np.ndarray, radius: int, eps: float) -> np.ndarray:
    """He, Sun and Tang's equations 14 to 16, window by window."""
    h, w = p.shape
    total, count = np.zeros((h, w, 4)), np.zeros((h, w))
    for y in range(h):
        for x in range(w):
            rows, cols = slice(max(0, y - radius), y + radius + 1), slice(max(0, x - radius), x + radius + 1)
            colours, values = guide[rows, cols].reshape(-1, 3), p[rows, cols].ravel()
            spread = np.cov(colours.T, bias=True) + eps * np.eye(3)
            a = np.linalg.solve(spread, ((colours - colours.mean(0)) * (values - values.mean())[:, None]).mean(0))
            total[rows, cols] += (*a, values.mean() - a @ colours.mean(0))
            count[rows, cols] += 1
    fit = total / count[..., None]
    return (fit[..., :3] * guide).sum(2) + fit[..., 3]


@pytest.mark.parametrize("radius", [1, 3])
def test_it_is_the_published_formula_up_to_the_border(radius: int) -> None:
    rng = np.random.default_rng(radius)
    guide = cv2.GaussianBlur(rng.uniform(0, 1, (70, 24, 3)).astype(np.float32), (0, 0), 1.0)
    p = (guide[..., 0] + 0.3 * guide[..., 2] > 0.65).astype(np.float32)
    found = guided(guide, p, np.ones(p.shape, np.uint8), radius, 1e-3)
    expected = np.clip(_by_formula(guide.astype(np.float64), p, radius, 1e-3), 0, 1)
    assert np.abs(found - expected).max() < 2e-3
    between = guided(guide, p, np.ones(p.shape, np.uint8), radius, 1e-3, 2.0, 0.25)
    assert np.abs(between - (p + 0.25 * (np.clip(2 * expected - 0.5, 0, 1) - p))).max() < 4e-3


@pytest.mark.parametrize("shape", [(1, 1), (2, 3), (3, 40), (40, 2), (5, 200), (7, 97)])
def test_windows_larger_than_the_picture(shape: tuple[int, int]) -> None:
    rng = np.random.default_rng(5)
    guide, p = rng.uniform(0, 1, (*shape, 3)).astype(np.float32), rng.uniform(0, 1, shape).astype(np.float32)
    found = guided(guide, p, np.ones(shape, np.uint8), 6, 1e-2)
    assert np.abs(found - np.clip(_by_formula(guide.astype(np.float64), p, 6, 1e-2), 0, 1)).max() < 5e-3


def test_what_is_not_asked_for_stays() -> None:
    rng = np.random.default_rng(1)
    guide, p = rng.uniform(0, 1, (80, 60, 3)).astype(np.float32), rng.uniform(0, 1, (80, 60)).astype(np.float32)
    where = np.zeros(p.shape, np.uint8)
    where[20:50, 10:30] = 1
    found = guided(guide, p, where, 3, 1e-3)
    whole = guided(guide, p, np.ones_like(where), 3, 1e-3)
    assert np.array_equal(found[where == 0], p[where == 0])
    assert np.abs(found - whole)[where > 0].max() < 1e-4


def test_an_outline_that_is_a_pixel_off_comes_to_the_edge() -> None:
    rgb = np.full((90, 120, 3), 60, np.uint8)
    rgb[:, 60:] = (180, 140, 90)
    u = np.zeros((90, 120), np.float32)
    u[:, 59:] = 1
    found = soften(u, rgb)
    assert found[45, 60] > 0.85
    assert found[45, 59] < 0.45
    assert (found[:, :50] < 0.01).all()
    assert (found[:, 70:] > 0.99).all()


@pytest.mark.parametrize("size", [(90, 120), (45, 60)])
def test_a_labelling_counts_beside_the_pictures_edges_as_far_as_they_are_not_trusted(size: tuple[int, int]) -> None:
    rgb = np.random.default_rng(3).integers(0, 255, (90, 120, 3), np.uint8)
    y, x = np.mgrid[0 : size[0], 0 : size[1]].astype(np.float32) * (90 / size[0])
    u = np.clip(25.3 - np.hypot(x - 60, y - 45), 0, 1)
    own = np.clip(cv2.resize(u, (120, 90), interpolation=cv2.INTER_CUBIC), 0, 1)
    drawn, mixed = soften(u, rgb), soften(u, rgb, trust=0.3)
    assert np.abs(drawn - own).max() > 0.1
    # its own edge is told from all about it, which is not in the box that is looked at
    inside = np.s_[5:85, 20:100]
    assert np.abs(soften(u, rgb, trust=0) - own)[inside].max() < 1e-5
    assert np.abs(mixed - (own + 0.3 * (drawn - own)))[inside].max() < 1e-5


def test_a_larger_plate_adds_what_it_shows_between_the_mattes_pixels() -> None:
    y, x = np.mgrid[0:240, 0:320].astype(np.float32)
    truth = np.clip(70 + 9 * np.sin(5 * np.arctan2(y - 120, x - 160)) - np.hypot(x - 160, y - 120), 0, 1)
    light = truth[..., None] * np.float32((0.6, 0.4, 0.1)) + (1 - truth[..., None]) * np.float32((0.05, 0.1, 0.2))
    rgb = np.round(255 * np.power(light, 1 / 2.2)).astype(np.uint8)
    half = (160, 120)
    small, matte = (cv2.resize(one, half, interpolation=cv2.INTER_AREA) for one in (rgb, truth))
    found = enlarged(matte, rgb, small)
    plain = cv2.resize(matte, (320, 240), interpolation=cv2.INTER_CUBIC)
    assert np.square(found - truth).mean() < 0.6 * np.square(plain - truth).mean()
    assert found.dtype == np.float32
    assert found.min() >= 0
    assert found.max() <= 1
    flat = np.full_like(rgb, 90)
    assert np.abs(enlarged(matte, flat, flat[::2, ::2]) - np.clip(plain, 0, 1)).max() < 0.02
