"""Keyframes: what a value is at a frame."""

import itertools
import math

import pytest
from hypothesis import given
from hypothesis import strategies as st
from pydantic import ValidationError

from cuvrel.core.motion.timing import TimeParams
from cuvrel.core.recipe.values import Key, Keys, at, is_on
from cuvrel.core.stand.placement import PlacementParams

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
    values = [k.value for k in keys.keys]
    assert min(values) - 1e-6 <= at(keys, frame) <= max(values) + 1e-6


@given(keyframes())
def test_before_the_first_and_after_the_last_key_it_holds(keys: Keys) -> None:
    assert at(keys, 0) == pytest.approx(keys.keys[0].value) or keys.keys[0].frame == 0
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
    assert [is_on(keyed, f) for f in (0, 2, 4, 5, 7, 8, 99)] == [True, True, True, False, False, True, True]
    assert is_on(True, 3) is True
    params = PlacementParams.model_validate({"flip_x": keyed.model_dump()})
    assert [params.at(f)["flip_x"] for f in (3, 6)] == [True, False]


def test_a_switch_is_on_or_off_and_no_other_switch_can_be_keyed() -> None:
    with pytest.raises(ValueError, match="at a keyframe"):
        PlacementParams.model_validate({"flip_x": {"keys": [{"frame": 0, "value": 0.5}]}})
    with pytest.raises(ValueError, match="bool"):
        TimeParams.model_validate({"reverse": {"keys": [{"frame": 0, "value": 1}]}})
