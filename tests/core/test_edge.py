"""The edge step by property: what it promises for holes, specks, smoothing and steadiness over time."""

from __future__ import annotations

from typing import Any

import cv2
import numpy as np
import pytest

from cuvrel.core.checks.chatter import chatter, grey_flow
from cuvrel.core.edge.edge import EdgeParams, edge, smoothed, without_islands
from cuvrel.core.edge.steady import steadied
from cuvrel.core.imaging.distance import signed_distance
from cuvrel.core.recipe.context import Context
from cuvrel.core.recipe.values import START


def values(**changes: Any) -> dict[str, Any]:
    return {**EdgeParams().at(START), **changes}


def disc(x: float = 60, y: float = 50, radius: float = 30, size: tuple[int, int] = (100, 120)) -> np.ndarray:
    yy, xx = np.mgrid[0 : size[0], 0 : size[1]].astype(np.float32)
    return np.clip(radius + 0.5 - np.hypot(xx - x, yy - y), 0, 1).astype(np.float32)


def test_the_defaults_change_nothing() -> None:
    matte = disc()
    assert np.array_equal(edge(matte, values(), Context(1.0)), matte)


def test_small_holes_are_filled_and_large_ones_stay() -> None:
    matte = disc()
    matte[40:46, 50:56] = 0
    matte[55:75, 60:72] = 0
    out = without_islands(matte, 8, 0)
    assert out[40:46, 50:56].min() == 1
    assert out[58:72, 62:70].max() == 0


def test_a_bay_at_the_picture_border_is_no_hole() -> None:
    matte = np.ones((60, 60), np.float32)
    matte[0:5, 20:25] = 0
    assert without_islands(matte, 30, 0)[2, 22] == 0


def test_small_specks_go_with_their_soft_edge_and_the_subject_stays() -> None:
    matte = np.maximum(disc(), disc(15, 15, 3))
    out = without_islands(matte, 0, 10)
    assert out[:25, :25].max() == 0
    assert np.array_equal(out[:, 28:], disc()[:, 28:])


def test_holes_and_specks_are_the_same_wherever_in_the_picture_a_subject_stands() -> None:
    rough = cv2.GaussianBlur(np.random.default_rng(4).normal(0, 8, (90, 110)).astype(np.float32), (0, 0), 2.5)
    matte = np.zeros((100, 120), np.float32)
    matte[5:95, 5:115] = np.clip(rough + 0.5, 0, 1)
    alone = without_islands(matte, 14, 12)
    assert (alone != matte).any()
    for top, left in ((0, 0), (60, 200), (140, 3)):
        plate = np.zeros((240, 320), np.float32)
        plate[top : top + 100, left : left + 120] = matte
        out = without_islands(plate, 14, 12)
        assert np.array_equal(out[top : top + 100, left : left + 120], alone)
        assert out.sum() == pytest.approx(alone.sum())


def test_smoothing_takes_bumps_off_and_keeps_a_straight_edge_to_the_pixel() -> None:
    matte = np.zeros((80, 80), np.float32)
    matte[:, :40] = 1
    assert np.abs(smoothed(matte, 4) - matte)[20:60].max() < 0.02
    bumpy = matte.copy()
    bumpy[30:34, 40:44] = 1
    out = smoothed(bumpy, 4)
    assert out[30:34, 41:44].mean() < 0.35
    assert np.abs(out - matte)[5:15].max() < 0.02


@pytest.mark.parametrize("grow", [-6.5, -2.0, 1.25, 8.0])
def test_grow_moves_the_outline_by_what_it_says(grow: float) -> None:
    out = edge(disc(), values(grow=grow), Context(1.0))
    radius = np.sqrt(out.sum() / np.pi)
    assert abs(radius - (30 + grow)) < 0.25


def test_half_size_looks_like_half_of_full_size() -> None:
    what = values(grow=3.0, feather_out=6.0, smooth=4.0)
    full = edge(disc(120, 100, 60, (200, 240)), what, Context(1.0))
    half = edge(
        cv2.resize(disc(120, 100, 60, (200, 240)), (120, 100), interpolation=cv2.INTER_AREA), what, Context(0.5)
    )
    assert np.abs(cv2.resize(full, (120, 100), interpolation=cv2.INTER_AREA) - half).mean() < 2 / 255


def test_distance_is_right_to_a_fraction_of_a_pixel_and_may_be_cut_off() -> None:
    matte = disc(60.3, 49.6, 30)
    yy, xx = np.mgrid[0:100, 0:120].astype(np.float32)
    true = 30 - np.hypot(xx - 60.3, yy - 49.6)
    near = np.abs(true) < 12
    assert np.abs(signed_distance(matte) - true)[near].max() < 0.75


@pytest.mark.parametrize("reach", [0.5, 5.0, 17.0, 40.0])
def test_a_distance_that_is_cut_off_is_right_as_far_as_it_was_asked_for(reach: float) -> None:
    rng = np.random.default_rng(6)
    shapes = [disc(60.3, 49.6, 30), cv2.GaussianBlur(rng.uniform(0, 1, (90, 130)).astype(np.float32), (0, 0), 3)]
    shapes[1] = np.clip((shapes[1] - 0.5) * 8 + 0.5, 0, 1)  # islands, bays and what touches the border
    for matte in shapes:
        whole, cut = signed_distance(matte), signed_distance(matte, reach)
        asked = np.abs(whole) <= reach
        assert asked.any()
        np.testing.assert_allclose(cut[asked], whole[asked], atol=1e-5)
        assert (np.sign(cut) == np.sign(whole)).all()
        assert (np.abs(cut[~asked]) > reach).all()


class Moving:
    """A textured disc that moves over a textured ground, with its true matte."""

    def __init__(self, speed: float) -> None:
        rng = np.random.default_rng(4)
        self.ground = cv2.GaussianBlur(rng.integers(0, 255, (120, 160, 3), dtype=np.uint8), (0, 0), 2)
        self.skin = cv2.GaussianBlur(rng.integers(0, 255, (120, 160, 3), dtype=np.uint8), (0, 0), 2) // 2 + 100
        self.speed = speed

    def frame(self, n: int) -> tuple[np.ndarray, np.ndarray]:
        x = 50 + self.speed * n
        matte = disc(x, 60, 26, (120, 160))
        shift = np.array([[1, 0, self.speed * n], [0, 1, 0]], np.float32)
        skin = cv2.warpAffine(self.skin, shift, (160, 120), borderMode=cv2.BORDER_WRAP)
        picture = self.ground + (skin.astype(np.float32) - self.ground) * matte[..., None]
        return picture.astype(np.uint8), matte


def test_steady_takes_jitter_off_a_still_edge() -> None:
    scene = Moving(0)
    picture, truth = scene.frame(0)
    rng = np.random.default_rng(1)
    shaky = [disc(50 + rng.normal(0, 0.7), 60 + rng.normal(0, 0.7), 26, (120, 160)) for _ in range(9)]
    calm = [
        steadied(shaky[n], picture, [(shaky[k], picture) for k in (n - 2, n - 1, n + 1, n + 2)]) for n in range(2, 7)
    ]
    flow = grey_flow(picture, picture)
    before = np.mean([chatter(shaky[n], shaky[n - 1], flow) for n in range(3, 7)])
    after = np.mean([chatter(calm[n], calm[n - 1], flow) for n in range(1, 5)])
    assert after < 0.5 * before
    assert np.abs(calm[2] - truth).mean() < np.mean([np.abs(s - truth).mean() for s in shaky])


def test_steady_does_not_lag_a_moving_edge() -> None:
    scene = Moving(6)
    frames = [scene.frame(n) for n in range(5)]
    picture, truth = frames[2]
    out = steadied(truth, picture, [(frames[n][1], frames[n][0]) for n in (0, 1, 3, 4)])
    x = np.arange(160)
    assert abs(float((out.sum(0) * x).sum() / out.sum() - (truth.sum(0) * x).sum() / truth.sum())) < 0.3
    assert np.abs(out - truth).mean() < 0.004
