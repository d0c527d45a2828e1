"""What a first look's subject tells a second look of colours and of shares of light."""

from __future__ import annotations

import cv2
import numpy as np
import pytest

from cuvrel.core.arrays import F32, U8
from cuvrel.core.imaging.colour import DECODE, encode
from cuvrel.core.keys.likeness import likeness

COAT, WALL = (150, 120, 30), (60, 70, 90)
SHAPE = (120, 160)


def flat(colour: tuple[int, int, int]) -> U8:
    return np.full((*SHAPE, 3), colour, np.uint8)


def before(cover: F32, own: U8, clean: U8) -> U8:
    """A thing laid over a picture, in amounts of light."""
    light = cv2.LUT(clean, DECODE) + cover[..., None] * (cv2.LUT(own, DECODE) - cv2.LUT(clean, DECODE))
    return encode(np.dstack([light, np.ones(SHAPE, np.float32)]).astype(np.float32))


def disc(x: float, y: float, radius: float, soft: float) -> F32:
    yy, xx = np.mgrid[: SHAPE[0], : SHAPE[1]].astype(np.float32)
    return np.clip((radius - np.hypot(xx - x, yy - y)) / soft + 0.5, 0, 1).astype(np.float32)


def half(plane: F32) -> F32:
    return np.asarray(cv2.resize(plane, (SHAPE[1] // 2, SHAPE[0] // 2), interpolation=cv2.INTER_AREA), np.float32)


def test_a_soft_edge_holds_as_much_of_the_subjects_light_as_it_is_covered() -> None:
    cover = disc(80, 60, 34, 12)
    clean = flat(WALL)
    (share,), (trust, _, _) = likeness(before(cover, flat(COAT), clean), clean, half(cover))
    edge = (cover > 0.2) & (cover < 0.8)
    assert np.abs((share[edge] + 1) / 2 - cover[edge]).mean() < 0.06
    assert trust[half(edge.astype(np.float32)) > 0.9].min() > 0.5


def test_a_share_counts_little_where_subject_and_place_have_one_light() -> None:
    cover = disc(80, 60, 34, 12)
    clean = flat(COAT)
    (_,), (trust, _, _) = likeness(before(cover, flat(COAT), clean), clean, half(cover))
    assert trust[half(cover) > 0.5].max() < -0.9


@pytest.mark.parametrize("at", [(80, 60), (40, 90)])
def test_a_sleeve_that_a_first_look_missed_has_the_coats_colour(at: tuple[int, int]) -> None:
    sleeve = disc(*at, 9, 2)
    body = disc(80, 40, 22, 2)
    clean = flat(WALL)
    picture = before(np.maximum(body, sleeve), flat(COAT), clean)
    _, (_, close, anywhere) = likeness(picture, clean, half(body * (1 - sleeve)))
    missed, wall = half(sleeve) > 0.9, half(np.maximum(body, sleeve)) < 0.01
    for odds in (close, anywhere):
        assert odds[missed].min() > 0.3
        assert odds[wall].max() < -0.3


def test_a_first_look_that_found_nothing_tells_nothing_of_a_subject() -> None:
    picture = np.random.default_rng(1).integers(30, 200, (*SHAPE, 3)).astype(np.uint8)
    (share,), (trust, close, anywhere) = likeness(picture, picture, np.zeros((60, 80), np.float32))
    assert np.isfinite(share).all()
    assert trust.max() == -1
    assert max(close.max(), anywhere.max()) <= 0
