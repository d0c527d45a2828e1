"""Drawn shapes: against areas that geometry gives, and against what keyframes promise."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from pydantic import ValidationError

from cuvrel.core.imaging.raster import coverage, ramp
from cuvrel.core.pulls.outline import outline
from cuvrel.core.pulls.shape import drawn, shaped
from cuvrel.core.recipe.shapes import Shape, ShapeKey, ShapePoint, between
from cuvrel.core.recipe.values import Env

SIZE = (270, 480)


def key(frame: int = 0, **changes: Any) -> ShapeKey:
    return ShapeKey(**{"frame": frame, "x": 240.3, "y": 130.7, "width": 200, "height": 120, **changes})


def shape(kind: str = "ellipse", *keys: ShapeKey, **changes: Any) -> Shape:
    return Shape(**{"id": "h1", "name": "Arm", "kind": kind, "keys": list(keys or [key()]), **changes})


def points(*where: tuple[float, float], **soft: float) -> list[ShapePoint]:
    return [ShapePoint(x=x, y=y, **soft) for x, y in where]


SQUARE = ((100, 60), (200, 60), (200, 160), (100, 160))


@pytest.mark.parametrize("angle", [0, 17, 90, 222])
@pytest.mark.parametrize("scale", [0.5, 1.0, 1.7])
def test_an_ellipses_area_is_right_at_any_turn_and_scale(angle: float, scale: float) -> None:
    size = round(SIZE[0] * scale), round(SIZE[1] * scale)
    cover = drawn(outline("ellipse", key(angle=angle)), size, scale)
    assert cover.sum() == pytest.approx(np.pi * 100 * 60 * scale**2, rel=1e-3)
    assert cover.min() >= 0
    assert cover.max() <= 1


@pytest.mark.parametrize("around", [0.0, 0.4, 1.0])
def test_a_boxs_area_is_right_with_round_corners(around: float) -> None:
    radius = around * 60
    wanted = 200 * 120 - (4 - np.pi) * radius**2
    assert drawn(outline("box", key(angle=33, round=around)), SIZE, 1.0).sum() == pytest.approx(wanted, rel=1e-3)


@given(st.lists(st.tuples(st.floats(5, 470), st.floats(5, 260)), min_size=3, max_size=3))
@settings(max_examples=60, deadline=None)
def test_a_triangle_covers_its_area_to_rounding(corners: list[tuple[float, float]]) -> None:
    (ax, ay), (bx, by), (cx, cy) = corners
    area = abs((bx - ax) * (cy - ay) - (cx - ax) * (by - ay)) / 2
    assert coverage(np.array(corners), SIZE).sum() == pytest.approx(area, rel=1e-4, abs=0.02)


def test_fractions_of_a_pixel_count() -> None:
    cover = coverage(np.array([(2.25, 1.0), (4.5, 1.0), (4.5, 2.5), (2.25, 2.5)]), (4, 6))
    assert cover[1].tolist() == [0, 0, 0.75, 1, 0.5, 0]
    assert cover[2].tolist() == [0, 0, 0.375, 0.5, 0.25, 0]


def test_what_lies_beyond_the_picture_is_cut_off_and_no_more() -> None:
    cover = coverage(np.array([(-50.0, -20.0), (10.0, -20.0), (10.0, 400.0), (-50.0, 400.0)]), SIZE)
    assert cover.sum() == pytest.approx(10 * SIZE[0])
    assert drawn(outline("ellipse", key(x=-900)), SIZE, 1.0).max() == 0
    assert drawn(outline("box", key(x=300, width=5000, height=5000)), SIZE, 1.0).min() == 1


def test_softness_falls_smoothly_between_the_two_outlines() -> None:
    cover = drawn(outline("box", key(x=240, y=135, inner=20, outer=30)), SIZE, 1.0)
    row = cover[135]
    assert row[240 - 79] == pytest.approx(1, abs=1e-3)
    assert row[240 + 131] == pytest.approx(0, abs=1e-3)
    assert (np.diff(row[320:372]) <= 1e-6).all()
    # half-way between the outlines it is one half
    assert row[240 + 105] == pytest.approx(0.5, abs=0.03)
    assert np.abs(np.diff(row)).max() < 0.05


def test_a_soft_ramp_without_width_is_the_polygon() -> None:
    square = np.array(SQUARE, float) + 0.3
    assert np.abs(ramp(square, square, SIZE) - coverage(square, SIZE)).max() < 1e-6


def test_each_point_has_its_own_softness() -> None:
    corners = points(*SQUARE)
    corners[1].outer = corners[2].outer = 40.0
    cover = drawn(outline("polygon", ShapeKey(frame=0, points=corners)), SIZE, 1.0)
    assert cover[110, 102] == pytest.approx(1, abs=1e-3)
    assert cover[110, 97] == 0
    assert 0.02 < cover[110, 215] < 0.9


def test_a_curve_passes_its_points_and_a_corner_stays_sharp() -> None:
    corners = points(*SQUARE)
    line = outline("curve", ShapeKey(frame=0, points=corners)).line
    for x, y in SQUARE:
        assert np.hypot(*(line - (x, y)).T).min() < 1e-9
    round_area = coverage(line, SIZE).sum()
    sharp = [p.model_copy(update={"corner": True}) for p in corners]
    square_area = coverage(outline("curve", ShapeKey(frame=0, points=sharp)).line, SIZE).sum()
    assert square_area == pytest.approx(100 * 100, rel=1e-6)
    assert round_area > 1.1 * square_area


def test_shapes_join_in_their_order() -> None:
    big, small = shape(), shape("ellipse", key(width=100, height=60), id="h2")
    whole, hole = (shaped([one], Env(0), SIZE, 1.0) for one in (big, small))
    ring = shaped([big, small.model_copy(update={"join": "subtract"})], Env(0), SIZE, 1.0)
    assert ring.sum() == pytest.approx(whole.sum() - hole.sum(), rel=1e-5)
    both = shaped([big, small.model_copy(update={"join": "intersect"})], Env(0), SIZE, 1.0)
    assert np.abs(both - hole).max() < 1e-6
    off = shaped([big, small.model_copy(update={"on": False, "join": "subtract"})], Env(0), SIZE, 1.0)
    assert (off == whole).all()


def test_between_keys_an_outline_turns_without_shrinking() -> None:
    corners = np.array(SQUARE, float)
    middle = corners.mean(axis=0)
    turned = (corners - middle) @ np.array([[0, 1], [-1, 0]]) + middle + (60, 20)
    left = ShapeKey(frame=0, points=points(*corners.tolist()))
    right = ShapeKey(frame=10, points=points(*turned.tolist()))
    half = between(left, right, 0.5)
    sides = np.array([(p.x, p.y) for p in half.points])
    assert np.hypot(*(sides - np.roll(sides, 1, axis=0)).T) == pytest.approx([100] * 4)
    assert sides.mean(axis=0) == pytest.approx([180, 120])


@given(st.integers(0, 10**6), st.floats(0, 1))
@settings(max_examples=40, deadline=None)
def test_keys_are_met_exactly_and_the_way_is_steady(seed: int, share: float) -> None:
    rng = np.random.default_rng(seed)
    a, b = (ShapeKey(frame=f, points=points(*rng.uniform(0, 300, (5, 2)).tolist())) for f in (0, 8))
    one = shape("polygon", a, b)
    assert one.at(Env(0)) == a
    assert one.at(Env(8)) == b
    assert one.at(Env(-5)) == a
    assert one.at(Env(99)) == b
    here = between(a, b, share)
    near = between(a, b, min(1, share + 1e-6))
    gap = max(abs(p.x - q.x) + abs(p.y - q.y) for p, q in zip(here.points, near.points, strict=True))
    assert gap < 0.1


def test_a_hold_key_stands_still_until_the_next() -> None:
    one = shape("ellipse", key(0, ease="hold"), key(10, x=300))
    assert one.at(Env(9.9)).x == key().x
    assert one.at(Env(10)).x == 300
    smooth = shape("ellipse", key(0, ease="smooth"), key(10, x=300))
    assert smooth.at(Env(5)).x == pytest.approx((240.3 + 300) / 2)


def test_motion_blur_spreads_a_fast_shape_and_keeps_its_area() -> None:
    one = shape("ellipse", key(0, x=150, width=60, height=60), key(4, x=310, width=60, height=60))
    sharp, blurred = (shaped([one], Env(2), SIZE, 1.0, shutter) for shutter in (0, 360))
    assert blurred.sum() == pytest.approx(sharp.sum(), rel=2e-3)
    assert blurred.max() < 1 + 1e-6
    assert (blurred > 0.01).sum() > 1.4 * (sharp > 0.01).sum()
    still = shape()
    assert (shaped([still], Env(3), SIZE, 1.0, 360) == shaped([still], Env(3), SIZE, 1.0, 0)).all()


def test_half_size_is_near_the_full_size_halved() -> None:
    one = shape("ellipse", key(angle=25, inner=8, outer=12))
    full = shaped([one], Env(0), SIZE, 1.0)
    half = shaped([one], Env(0), (SIZE[0] // 2, SIZE[1] // 2), 0.5)
    small = full.reshape(SIZE[0] // 2, 2, SIZE[1] // 2, 2).mean(axis=(1, 3))
    assert np.abs(half - small).mean() < 1e-3


@pytest.mark.parametrize(
    "wrong",
    [
        {"kind": "polygon", "keys": [{"frame": 0, "points": [{"x": 0, "y": 0}, {"x": 1, "y": 0}]}]},
        {"kind": "ellipse", "keys": [{"frame": 0, "points": [{"x": 0, "y": 0}] * 3}]},
        {"kind": "ellipse", "keys": [{"frame": 4}, {"frame": 4}]},
        {"kind": "curve", "keys": [{"frame": 0, "points": [{"x": 0, "y": 0}] * 3},
                                   {"frame": 1, "points": [{"x": 0, "y": 0}] * 4}]},
        {"kind": "star", "keys": [{"frame": 0}]},
        {"kind": "box", "keys": [{"frame": 0, "width": -1}]},
    ],
)  # fmt: skip
def test_an_unsound_shape_is_refused(wrong: dict[str, Any]) -> None:
    with pytest.raises(ValidationError):
        Shape.model_validate({"id": "h", "name": "H", **wrong})


def pinned() -> Shape:
    """A square whose third point has a key of its own half-way."""

    def key(frame: int, left: float, only: list[int] | None = None, **third: float) -> dict[str, object]:
        corners = [(left, 0.0), (left + 10, 0.0), (left + 10, 10.0), (left, 10.0)]
        points = [{"x": px, "y": py} for px, py in corners]
        points[2] |= third
        return {"frame": frame, "points": points, "only": only or []}

    keys = [key(0, 0), key(5, 77, only=[2], x=40.0, y=40.0), key(10, 20)]
    return Shape.model_validate({"id": "h", "name": "Square", "kind": "polygon", "keys": keys})


def test_a_key_for_one_point_leaves_the_others_on_their_way() -> None:
    shape = pinned()
    middle = [(p.x, p.y) for p in shape.at(Env(5)).points]
    assert middle[2] == (40, 40)
    assert [middle[n] for n in (0, 1, 3)] == [(10, 0), (20, 0), (10, 10)]
    # the point goes to its own key and on from there, in straight lines
    assert (shape.at(Env(2.5)).points[2].x, shape.at(Env(2.5)).points[2].y) == pytest.approx((25, 25))
    assert (shape.at(Env(7.5)).points[2].x, shape.at(Env(7.5)).points[2].y) == pytest.approx((35, 25))
    assert shape.at(Env(0)).points == shape.keys[0].points
    assert shape.at(Env(99)).points == shape.keys[2].points


def test_keys_for_all_points_one_by_one_are_a_key_of_the_whole() -> None:
    raw = pinned().model_dump()
    raw["keys"][1]["only"] = [0, 1, 2, 3]
    whole = pinned().model_dump()
    whole["keys"][1]["only"] = []
    for time in (0, 2.5, 5, 8):
        one, other = (Shape.model_validate(r).at(Env(time)).points for r in (raw, whole))
        assert np.allclose([(p.x, p.y) for p in one], [(p.x, p.y) for p in other])


def test_a_key_for_a_point_that_is_not_there_is_refused() -> None:
    raw = pinned().model_dump()
    raw["keys"][1]["only"] = [4]
    with pytest.raises(ValueError, match="does not have"):
        Shape.model_validate(raw)
