"""Placement: where a picture lies, what is beyond its border, and how finely it is read."""

from typing import Any

import cv2
import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from cuvrel.core.imaging.sampling import about
from cuvrel.core.recipe.tracks import Track
from cuvrel.core.recipe.values import START
from cuvrel.core.redaction.covering import portrait
from cuvrel.core.redaction.faces import Face
from cuvrel.core.stand.placement import PlacementParams, corners, is_neutral, matrix, placed
from cuvrel.core.tracks.path import Path
from cuvrel.core.tracks.side_by_side import beside
from cuvrel.core.treatments.copies import Screen

SIZE = (60, 80)


def values(**changes: Any) -> dict[str, Any]:
    return PlacementParams.model_validate(changes).at(START)


def picture(h: int = 60, w: int = 80, seed: int = 3) -> np.ndarray:
    """A smooth opaque picture."""
    rng = np.random.default_rng(seed)
    y, x = np.mgrid[0:h, 0:w] / np.array([h, w]).reshape(2, 1, 1)
    waves = zip((1, 2, 1.5), rng.uniform(0, 6, 3), strict=True)
    rgb = np.stack([0.5 + 0.4 * np.sin(6 * x * k + 3 * y + p) for k, p in waves], 2)
    return np.concatenate([rgb, np.ones((h, w, 1))], 2).astype(np.float32)


def laid(image: np.ndarray, border: str = "none", size: tuple[int, int] = SIZE, **changes: Any) -> np.ndarray:
    return placed(image, [matrix(values(**changes), size[1])], size, (1.0, 1.0), 1.0, border)


def test_a_neutral_placement_is_the_picture_itself() -> None:
    assert is_neutral(values())
    assert np.abs(laid(picture()) - picture()).max() < 1e-5
    assert not any(is_neutral(values(**{name: 1})) for name in ("x", "y", "depth", "angle", "tilt", "swing"))
    assert not is_neutral(values(flip_x=True))


def test_whole_pixels_are_moved_to_the_bit() -> None:
    moved = laid(picture(), x=7, y=-4)
    assert np.abs(moved[:-4, 7:] - picture()[4:, :-7]).max() < 1e-5
    assert moved[-3:].max() < 1e-12
    assert moved[:, :6].max() < 1e-12


def test_flips_and_quarter_turns_are_exact() -> None:
    image = picture()
    assert np.abs(laid(image, flip_x=True) - image[:, ::-1]).max() < 1e-4
    assert np.abs(laid(image, flip_y=True) - image[::-1]).max() < 1e-4
    square = picture(60, 60)
    assert np.abs(laid(square, size=(60, 60), angle=90) - np.rot90(square, -1)).max() < 1e-4


@pytest.mark.parametrize(("border", "mode"), [("tile", "wrap"), ("mirror", "symmetric"), ("clamp", "edge")])
def test_borders_follow_their_index_formulas(border: str, mode: Any) -> None:
    image = picture()
    wide = np.pad(image, ((40, 40), (50, 50), (0, 0)), mode=mode)
    got = laid(image, border=border, x=23, y=-17)
    assert np.abs(got - wide[40 + 17 : 100 + 17, 50 - 23 : 130 - 23]).max() < 1e-5


angles = st.floats(-80, 80)
sizes = st.floats(20, 400)
far = st.floats(-60, 60)


@given(x=far, y=far, scale=sizes, stretch=sizes, angle=st.floats(-360, 360), tilt=st.floats(-60, 60),
       swing=st.floats(-60, 60), ax=far, ay=far, px=st.floats(-40, 40), py=st.floats(-30, 30))  # fmt: skip
def test_a_placement_can_be_turned_round(
    x: float, y: float, scale: float, stretch: float, angle: float, tilt: float, swing: float, ax: float, ay: float,
    px: float, py: float,
) -> None:  # fmt: skip
    there = matrix(values(x=x, y=y, scale=scale, stretch=stretch, angle=angle, tilt=tilt, swing=swing, anchor_x=ax,
                          anchor_y=ay), 1920)  # fmt: skip
    at = there @ (px, py, 1)
    back = np.linalg.inv(there) @ at
    assert np.allclose(back[:2] / back[2], (px, py), atol=1e-6)


@given(x=far, y=far, scale=sizes, angle=angles, ax=far, ay=far)
def test_the_anchor_lies_where_it_is_put(x: float, y: float, scale: float, angle: float, ax: float, ay: float) -> None:
    at = matrix(values(x=x, y=y, scale=scale, angle=angle, anchor_x=ax, anchor_y=ay), 1920) @ (ax, ay, 1)
    assert np.allclose(at[:2] / at[2], (ax + x, ay + y), atol=1e-6)


def test_a_push_away_makes_smaller_as_perspective_does() -> None:
    # one and a half widths before the camera: as far again is half as large
    away = matrix(values(depth=1.5), 80)
    at = away @ (20, 10, 1)
    assert np.allclose(at[:2] / at[2], (10, 5))
    # what tilts has its upper edge shorter than its lower one
    (ax, _), (bx, _), (cx, _), (dx, _) = corners(values(tilt=40), (80, 60), (80, 60))
    assert bx - ax < 80 < cx - dx


def test_corners_go_clockwise_from_the_top_left() -> None:
    assert np.allclose(corners(values(x=5), (80, 60), (80, 60)), [(5, 0), (85, 0), (85, 60), (5, 60)])


def test_a_picture_at_a_tenth_does_not_flicker() -> None:
    # fine stripes become their mean, wherever they fall on the small grid
    stripes = np.ones((200, 200, 4), np.float32)
    stripes[:, ::2, :3] = 0
    for x in (0.0, 0.3, 0.5):
        small = placed(stripes, [matrix(values(scale=10, x=x), 200)], (200, 200), (1.0, 1.0), 1.0)
        inner = small[92:108, 92:108, :3]
        assert inner.std() < 0.02
        assert inner.mean() == pytest.approx(0.5, abs=0.02)


def test_what_warps_make_smaller_does_not_alias() -> None:
    """Fine stripes become their mean in copies, beside a track and in a small picture of somebody."""
    stripes = np.zeros((400, 400, 4), np.float32)
    stripes[:, ::2] = 1
    copies = Screen(stripes.shape)
    copies.lay(stripes, (slice(0, 400), slice(0, 400)), about((200, 200), 0.3, 0), 1.0)
    assert copies.picture()[150:250, 150:250, 0].std() < 0.1  # single places: over 0.3
    flat = np.ascontiguousarray((stripes[..., :3] * 255).astype(np.uint8))
    drawn = cv2.imdecode(np.frombuffer(portrait(flat, Face(50, 50, 250, 250, 1.0)), np.uint8), 1)
    assert drawn[10:-10, 10:-10].std() < 20  # single places: over 80
    track = Track.model_validate({"id": "t", "name": "T", "kind": "region", "frame": 0,
                                  "points": [[20, 20], [380, 20], [380, 380], [20, 380]]})  # fmt: skip
    both = beside(Path(track, {}), lambda n: flat, 0)
    assert both[60:160, 60:160].std() < 30
    assert 118 < both[60:160, 60:160].mean() < 138


def test_half_a_preview_looks_like_half_of_the_full_size() -> None:
    image = picture(240, 320)
    how = values(scale=63, angle=17, x=31, y=-12, swing=20)
    full = placed(image, [matrix(how, 320)], (240, 320), (1.0, 1.0), 1.0)
    small = image.reshape(120, 2, 160, 2, 4).mean(axis=(1, 3))
    half = placed(np.ascontiguousarray(small), [matrix(how, 320)], (120, 160), (2.0, 2.0), 0.5)
    assert np.abs(half - full.reshape(120, 2, 160, 2, 4).mean(axis=(1, 3))).mean() < 1 / 255


def test_motion_blur_is_the_mean_over_the_way() -> None:
    dot = np.zeros((60, 80, 4), np.float32)
    dot[28:32, 38:42] = 1
    ways = [matrix(values(x=x), 80) for x in np.linspace(-10, 10, 21)]
    smear = placed(dot, ways, SIZE, (1.0, 1.0), 1.0)
    assert smear.sum() == pytest.approx(dot.sum(), rel=1e-3)
    assert smear[30, 30:50, 3].max() < 0.25
    assert smear[30, 30, 3] == pytest.approx(smear[30, 49, 3], abs=0.02)
    # a turn blurs what is far from the anchor, and the anchor not at all
    bar = np.zeros((60, 80, 4), np.float32)
    bar[29:31, 10:70] = 1
    turned = placed(bar, [matrix(values(angle=a), 80) for a in np.linspace(-8, 8, 17)], SIZE, (1.0, 1.0), 1.0)
    assert turned[30, 40, 3] > 0.7 > 2 * turned[30, 12, 3]


def test_what_is_empty_is_not_moved_and_nothing_is_lost_of_the_rest() -> None:
    image = np.zeros((60, 80, 4), np.float32)
    image[5:15, 50:70] = picture(10, 20)
    # light without alpha counts, too
    image[40, 10, :3] = 0.5
    whole = laid(image, border="clamp", angle=25, x=-6, y=9)
    part = laid(image, angle=25, x=-6, y=9)
    assert np.abs(whole - part).max() < 1e-4
    assert not placed(np.zeros((60, 80, 4), np.float32), [matrix(values(), 80)], SIZE, (1.0, 1.0), 1.0).any()
    assert not laid(image, x=5000).any()


def test_an_overshoot_stays_within_light_and_coverage() -> None:
    edge = np.zeros((60, 80, 4), np.float32)
    edge[:, 40:] = 1
    grown = laid(edge, scale=330, angle=3)
    assert grown.min() >= 0
    assert grown[..., 3].max() <= 1
