"""Keyframes: what a value is at a frame."""

import itertools
import math
from typing import Any

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from pydantic import ValidationError

from cuvrel.core.motion.timing import TimeParams
from cuvrel.core.recipe import values
from cuvrel.core.recipe.curves import curve_at, ramp_at
from cuvrel.core.recipe.values import Env, Key, Keys, is_on
from cuvrel.core.stand.placement import PlacementParams


def at(value: Any, time: float) -> Any:
    return values.at(value, Env(time))


numbers = st.floats(-1e6, 1e6)
eases = st.sampled_from(["hold", "linear", "smooth"])


@st.composite
def keyframes(draw: st.DrawFn) -> Keys:
    frames = sorted(draw(st.sets(st.integers(0, 500), min_size=1, max_size=6)))
    return Keys(keys=[Key(frame=f, value=draw(numbers), ease=draw(eases)) for f in frames])


@given(keyframes())
def test_at_a_key_the_value_is_the_keys(keys: Keys) -> None:
    for key in keys.keys:
        assert at(keys, key.frame) == pytest.approx(key.value)


@given(keyframes(), st.integers(0, 600))
def test_between_keys_the_value_stays_between_them(keys: Keys, frame: int) -> None:
    held = [k.value for k in keys.keys]
    assert min(held) - 1e-6 <= at(keys, frame) <= max(held) + 1e-6


@given(keyframes(), st.floats(0, 1000))
def test_before_the_first_and_after_the_last_key_it_holds(keys: Keys, before: float) -> None:
    assert at(keys, keys.keys[0].frame - before) == keys.keys[0].value
    assert at(keys, 10_000) == keys.keys[-1].value


@given(st.floats(0, 100), st.floats(0, 100), st.sampled_from(["linear", "smooth"]))
def test_easing_is_monotone(a: float, b: float, ease: str) -> None:
    keys = Keys(keys=[Key(frame=0, value=a, ease=ease), Key(frame=24, value=b)])
    path = [at(keys, f) for f in range(25)]
    steps = [y - x for x, y in itertools.pairwise(path)]
    assert all(s >= -1e-9 for s in steps) if b >= a else all(s <= 1e-9 for s in steps)


def test_linear_smooth_and_hold_by_their_formulas() -> None:
    def quarter(ease: str) -> float:
        return at(Keys(keys=[Key(frame=0, value=0.0, ease=ease), Key(frame=8, value=8.0)]), 2)

    assert quarter("linear") == pytest.approx(2.0)
    assert quarter("smooth") == pytest.approx(8 * (3 * 0.25**2 - 2 * 0.25**3))
    assert quarter("hold") == 0.0


def test_colours_move_channel_by_channel() -> None:
    keys = Keys(keys=[Key(frame=0, value=(0, 0, 1), ease="linear"), Key(frame=4, value=(1, 0, 0))])
    assert at(keys, 1) == pytest.approx((0.25, 0.0, 0.75))


def test_plain_values_do_not_move() -> None:
    assert at(3.5, 99) == 3.5
    assert at((1, 0, 0), 4) == (1, 0, 0)


@pytest.mark.parametrize("frames", [[3, 1], [2, 2]])
def test_keys_out_of_order_or_twice_on_a_frame_are_refused(frames: list[int]) -> None:
    with pytest.raises(ValidationError):
        Keys(keys=[Key(frame=f, value=0.0) for f in frames])


@pytest.mark.parametrize("value", [math.nan, math.inf])
def test_values_that_are_no_numbers_are_refused(value: float) -> None:
    with pytest.raises(ValidationError):
        Key(frame=0, value=value)


def test_a_keyed_switch_stays_as_its_last_key_says() -> None:
    keyed = Keys(keys=[Key(frame=2, value=1.0), Key(frame=5, value=0.0, ease="smooth"), Key(frame=8, value=1.0)])
    assert [is_on(keyed, Env(f)) for f in (0, 2, 4, 5, 7, 8, 99)] == [True, True, True, False, False, True, True]
    assert is_on(True, Env(3)) is True
    params = PlacementParams.model_validate({"flip_x": keyed.model_dump()})
    assert [params.at(Env(f))["flip_x"] for f in (3, 6)] == [True, False]


def test_a_switch_is_on_or_off_and_no_other_switch_can_be_keyed() -> None:
    with pytest.raises(ValueError, match="at a keyframe"):
        PlacementParams.model_validate({"flip_x": {"keys": [{"frame": 0, "value": 0.5}]}})
    with pytest.raises(ValueError, match="bool"):
        TimeParams.model_validate({"reverse": {"keys": [{"frame": 0, "value": 1}]}})


def test_points_move_straight_from_one_to_the_other() -> None:
    keys = Keys(keys=[Key(frame=0, value=(0, 10), ease="linear"), Key(frame=4, value=(8, -10))])
    assert at(keys, 1) == pytest.approx((2, 5))
    assert at(Keys.model_validate({"keys": [{"frame": 0, "value": [3, 4]}]}), 9) == (3, 4)


steps = st.lists(st.floats(0.01, 1), min_size=1, max_size=8)


@given(steps, st.lists(st.floats(0, 1), min_size=9, max_size=9))
def test_a_curve_meets_its_points_and_never_overshoots_them(spans: list[float], heights: list[float]) -> None:
    total = sum(spans)
    places = [0.0, *itertools.accumulate(span / total for span in spans)]
    points = list(zip(places, heights, strict=False))
    assert curve_at(points, places) == pytest.approx(heights[: len(points)])
    for (x0, y0), (x1, y1) in itertools.pairwise(points):
        between = curve_at(points, np.linspace(x0, x1, 9))
        assert min(y0, y1) - 1e-9 <= between.min()
        assert between.max() <= max(y0, y1) + 1e-9
        assert np.all(np.diff(between) * (y1 - y0) >= -1e-9)


def test_curves_and_ramps_move_by_their_points_or_where_these_differ_by_what_they_read() -> None:
    straight, bent = ((0.0, 0.0), (1.0, 1.0)), ((0.0, 0.0), (0.5, 0.9), (1.0, 1.0))
    keys = Keys(keys=[Key(frame=0, value=straight, ease="linear"), Key(frame=4, value=bent)])
    half = at(keys, 2)
    assert [x for x, _ in half] == [0, 0.5, 1]
    assert half[1][1] == pytest.approx((0.5 + 0.9) / 2)
    night, day = ((0.0, 0.0, 0.0, 0.2), (1.0, 0.2, 0.2, 0.4)), ((0.0, 0.4, 0.2, 0.0), (1.0, 1.0, 1.0, 0.8))
    keys = Keys(keys=[Key(frame=0, value=night, ease="linear"), Key(frame=2, value=day)])
    assert at(keys, 1)[0] == pytest.approx((0, 0.2, 0.1, 0.1))
    assert ramp_at(day, [0.0, 0.5, 1.0])[1] == pytest.approx((0.7, 0.6, 0.4))
    assert curve_at(((0.3, 0.6),), [0.0, 1.0]) == pytest.approx([0.6, 0.6])
