"""Time maps: exact, invertible, and what lies beyond a footage's ends."""

from fractions import Fraction
from typing import Any

from hypothesis import given
from hypothesis import strategies as st

from cuvrel.core.motion.timing import Moment, TimeParams, is_neutral, moment, passed
from cuvrel.core.recipe.rates import exact


def time(**values: Any) -> TimeParams:
    return TimeParams.model_validate(values)


def at(frame: int, count: int = 24, **values: Any) -> Moment | None:
    return moment(time(**values), frame, 24.0, count)


def frames(count: int, shot: range, **values: Any) -> list[int | None]:
    found = [at(f, count, **values) for f in shot]
    return [None if one is None else one.frame for one in found]


def test_neutral_time_is_the_frame_itself() -> None:
    assert is_neutral(time())
    assert frames(24, range(24)) == list(range(24))
    assert all(at(f).share == 0 for f in range(24))  # type: ignore[union-attr]


def test_half_speed_repeats_every_frame_and_says_how_far_it_is_between() -> None:
    assert frames(8, range(8), speed=50) == [0, 0, 1, 1, 2, 2, 3, 3]
    assert at(3, 8, speed=50) == Moment(1, 2, Fraction(1, 2))


def test_an_offset_trim_and_reverse() -> None:
    assert frames(8, range(6), offset=2) == [0, 0, 0, 1, 2, 3]
    assert frames(8, range(6), offset=-3) == [3, 4, 5, 6, 7, 7]
    assert frames(8, range(4), skip=2) == [2, 3, 4, 5]
    assert frames(8, range(8), drop=5) == [0, 1, 2, 2, 2, 2, 2, 2]
    assert frames(8, range(4), reverse=True) == [7, 6, 5, 4]
    assert frames(8, range(3), reverse=True, skip=1, drop=2) == [5, 4, 3]
    assert frames(8, range(3), speed=0, offset=-2) == [0, 0, 0]


def test_what_lies_beyond_the_ends() -> None:
    assert frames(3, range(-1, 5)) == [0, 0, 1, 2, 2, 2]
    assert frames(3, range(-1, 5), ends="nothing") == [None, 0, 1, 2, None, None]
    assert frames(3, range(-2, 7), ends="loop") == [1, 2, 0, 1, 2, 0, 1, 2, 0]
    assert frames(4, range(-2, 10), ends="there and back") == [2, 1, 0, 1, 2, 3, 2, 1, 0, 1, 2, 3]
    assert frames(1, range(3), ends="there and back") == [0, 0, 0]
    # the loop's last frame leads on to its first one
    assert at(5, 3, speed=50, ends="loop") == Moment(2, 0, Fraction(1, 2))


def test_no_sum_drifts_over_a_day_of_frames() -> None:
    day = 24 * 60 * 60 * 24
    third = moment(time(speed=33.3333), day, 24.0, day)
    assert third is not None
    assert third.frame + third.share == day * Fraction(333333, 1_000_000)
    # a film that was shot at 30000/1001 beside one of 24: exactly 1250/1001 frames a frame
    other = moment(time(), day, 24.0, 2 * day, own_fps=29.97)
    assert other is not None
    assert other.frame + other.share == day * Fraction(1250, 1001)
    assert exact(23.976) == Fraction(24000, 1001)
    assert exact(33.3) == Fraction(333, 10)


KEYED = {"keys": [{"frame": 0, "value": 100.0, "ease": "linear"}, {"frame": 10, "value": 0.0, "ease": "smooth"},
                  {"frame": 20, "value": 0.0, "ease": "linear"}, {"frame": 30, "value": 200.0}]}  # fmt: skip


def test_a_keyed_speed_is_summed_up_exactly() -> None:
    slow = time(speed=KEYED)
    # linear from 100 % to 0 % over ten frames: five frames; then it stands still; then ten frames more
    assert passed(slow, 10, 24.0) == 5
    assert passed(slow, 20, 24.0) == 5
    assert passed(slow, 30, 24.0) == 15
    assert passed(slow, 35, 24.0) == 25
    assert passed(slow, -4, 24.0) == -4
    assert passed(time(speed=KEYED, offset=10), 30, 24.0) == 10


@given(a=st.floats(1, 400), b=st.floats(1, 400), frame=st.integers(0, 60), ease=st.sampled_from(["linear", "smooth"]))
def test_a_speed_above_nothing_runs_ever_on(a: float, b: float, frame: int, ease: str) -> None:
    keyed = {"keys": [{"frame": 0, "value": a, "ease": ease}, {"frame": 60, "value": b}]}
    params = time(speed=keyed)
    assert passed(params, frame + 1, 24.0) > passed(params, frame, 24.0)
