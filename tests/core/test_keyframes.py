"""Editing keyframes, drivers, and deeds on a document."""

from typing import Any

import pytest
from hypothesis import example, given
from hypothesis import strategies as st
from pydantic_core import to_jsonable_python

from cuvrel.core.recipe import edits, values
from cuvrel.core.recipe import keyframe_values as kf
from cuvrel.core.recipe.animatable import moving, within
from cuvrel.core.recipe.check import read_shot
from cuvrel.core.recipe.errors import RecipeError
from cuvrel.core.recipe.keyframe_edits import Clip, Deed, copied, done
from cuvrel.core.recipe.values import SMOOTH, START, Driver, Env, Key, Keys, eased, wander
from tests.recipes import document


def at(value: Any, time: float, fps: float = 24.0) -> Any:
    return values.at(value, Env(time, fps))


@st.composite
def keyed(draw: Any) -> Keys:
    frames = sorted(draw(st.sets(st.integers(0, 60), min_size=1, max_size=8)))
    part = st.floats(0, 1)
    keys = []
    for frame in frames:
        ease = draw(st.sampled_from(["hold", "linear", "smooth", "free"]))
        handles = draw(st.tuples(part, part, part, part)) if ease == "free" else None
        keys.append(Key(frame=frame, value=draw(st.floats(-5, 5)), ease=ease, handles=handles))
    return Keys(keys=keys)


span = st.tuples(st.integers(0, 60), st.integers(0, 60)).map(lambda pair: (min(pair), max(pair)))


def frames(value: Any) -> list[int]:
    found = kf.keys_of(value)
    return [key.frame for key in found.keys] if found else []


# easing


@given(t=st.floats(0, 1), u=st.floats(0, 1), ease=st.sampled_from(["linear", "smooth"]))
def test_eases_are_monotone_from_nothing_to_all(t: float, u: float, ease: Any) -> None:
    low, high = sorted((t, u))
    assert eased(ease, low) <= eased(ease, high) + 1e-12
    assert (eased(ease, 0), eased(ease, 1)) == (0, 1)


part = st.floats(0, 1)


@given(handles=st.tuples(part, part, part, part), t=part, u=part)
@example(handles=(1.0, 0.0, 1.0, 0.0), t=0.0, u=1.0)
def test_a_free_ease_with_handles_between_its_keys_never_turns_back(handles: Any, t: float, u: float) -> None:
    low, high = sorted((t, u))
    assert eased("free", low, handles) <= eased("free", high, handles) + 1e-6
    assert (eased("free", 0, handles), eased("free", 1, handles)) == (0, 1)


@given(t=part)
def test_the_smooth_ease_is_a_free_one(t: float) -> None:
    assert eased("free", t, SMOOTH) == pytest.approx(eased("smooth", t), abs=1e-6)


def test_a_key_with_handles_outside_of_its_span_is_refused() -> None:
    with pytest.raises(ValueError, match="between the two keys"):
        Key(frame=0, value=1.0, ease="free", handles=(-0.2, 0, 0.5, 1))


# drivers


def test_drivers_move_a_value() -> None:
    rate = Driver(drive="rate", base=10.0, amount=2.4)
    assert at(rate, 48, 24.0) == pytest.approx(14.8)
    assert at(rate, 48, 48.0) == pytest.approx(12.4)
    flicker = Driver(drive="flicker", base=1.0, amount=0.2, pace=8, pattern="110")
    assert [at(flicker, f, 24.0) for f in range(0, 12)] == [1, 1, 1, 1, 1, 1, 0.2, 0.2, 0.2, 1, 1, 1]
    moved = Driver(drive="rate", base=Keys(keys=[Key(frame=0, value=0.0), Key(frame=10, value=5.0)]), amount=24.0)
    assert at(moved, 10, 24.0) == pytest.approx(15)


@given(seed=st.integers(0, 2**31 - 1), time=st.floats(-1000, 1000))
def test_wander_is_smooth_bounded_and_the_same_each_time(seed: int, time: float) -> None:
    here = wander(seed, time)
    assert -1 <= here <= 1
    assert wander(seed, time) == here
    assert abs(wander(seed, time + 1e-4) - here) < 1e-3


def test_wander_by_heart() -> None:
    # the interface works the same numbers out
    assert [round(wander(1, n), 6) for n in range(4)] == [0.239295, 0.513235, 0.15361, 0.981879]
    assert (round(wander(7, 2.25), 6), round(wander(5, -1.5), 6)) == (-0.685322, -0.038207)
    assert len({round(wander(seed, 0), 6) for seed in range(200)}) == 200
    assert abs(sum(wander(3, n) for n in range(4000)) / 4000) < 0.05


def test_a_driver_is_held_to_its_fields_range() -> None:
    raw = document()
    raw["planes"][1]["treatments"][0]["params"] = {"saturation": {"drive": "rate", "base": 100.0, "amount": -9000.0}}
    shot = read_shot(raw)
    params = [m for m in moving(shot) if m.path.endswith("saturation")]
    assert params[0].value.drive == "rate"
    assert shot.planes[1].treatments[0].values().at(Env(24.0))["saturation"] == 0.0


def test_a_driver_on_what_cannot_move_is_refused() -> None:
    raw = document()
    raw["planes"][0]["time"] = {"offset": {"drive": "rate", "amount": 1}}
    with pytest.raises(RecipeError):
        read_shot(raw)


# sets of keys


@given(value=keyed(), chosen=span, by=st.integers(-30, 30))
def test_a_shift_keeps_every_key_of_the_set_and_its_distances(value: Keys, chosen: tuple[int, int], by: int) -> None:
    inside = [f for f in frames(value) if chosen[0] <= f <= chosen[1]]
    moved = kf.shifted(value, *chosen, by)
    real = max(by, -inside[0]) if inside else 0
    assert set(frames(moved)) >= {f + real for f in inside}
    for f in inside:
        assert at(moved, f + real) == pytest.approx(at(value, f), abs=1e-6)


@given(value=keyed(), by=st.integers(0, 30))
def test_a_shift_of_all_keys_there_and_back_changes_nothing(value: Keys, by: int) -> None:
    assert kf.shifted(kf.shifted(value, 0, 60, by), 0, 90, -by) == value


@given(value=keyed())
def test_reversing_twice_changes_nothing(value: Keys) -> None:
    assert _close(kf.reversed_within(kf.reversed_within(value, 0, 60), 0, 60), value)


def _close(a: Any, b: Any) -> bool:
    for one, other in zip(a.keys, b.keys, strict=True):
        if (one.frame, one.value, one.ease) != (other.frame, other.value, other.ease):
            return False
        if (one.handles is None) != (other.handles is None):
            return False
        if one.handles and max(abs(x - y) for x, y in zip(one.handles, other.handles, strict=True)) > 1e-9:
            return False
    return True


@given(value=keyed(), t=st.floats(0, 1))
def test_a_reversed_set_runs_backwards(value: Keys, t: float) -> None:
    # a hold keeps the value before it, so its way back is another one
    keys = Keys(keys=[k if k.ease != "hold" else k.model_copy(update={"ease": "linear"}) for k in value.keys])
    first, last = frames(keys)[0], frames(keys)[-1]
    time = first + (last - first) * t
    back = kf.reversed_within(keys, first, last)
    assert at(back, first + last - time) == pytest.approx(at(keys, time), abs=1e-4)


@given(value=keyed(), chosen=span)
def test_stretching_to_the_same_span_changes_nothing(value: Keys, chosen: tuple[int, int]) -> None:
    assert kf.stretched(value, *chosen, *chosen) == value


def test_a_stretch_spreads_a_set_evenly() -> None:
    value = Keys(keys=[Key(frame=f, value=float(f)) for f in (0, 10, 20, 50)])
    assert frames(kf.stretched(value, 10, 20, 10, 40)) == [0, 10, 40, 50]
    assert frames(kf.stretched(value, 0, 50, 0, 100)) == [0, 20, 40, 100]
    assert frames(kf.stretched(value, 0, 50, 5, 5)) == [5]


@given(value=keyed(), chosen=span)
def test_removing_leaves_the_others(value: Keys, chosen: tuple[int, int]) -> None:
    left = kf.without_keys(value, *chosen)
    assert frames(left) == [f for f in frames(value) if not chosen[0] <= f <= chosen[1]]
    if not frames(left):
        assert left == value.keys[0].value


@given(value=keyed(), frame=st.integers(0, 40))
def test_pasting_lands_where_it_should(value: Keys, frame: int) -> None:
    laid = kf.pasted(3.0, list(value.keys), frame)
    assert frames(laid)[0] == frame
    assert [b - a for a, b in zip(frames(laid), frames(laid)[1:], strict=False)] == [
        b - a for a, b in zip(frames(value), frames(value)[1:], strict=False)
    ]


@given(value=st.one_of(st.floats(-5, 5), keyed()), chosen=span, ease=st.sampled_from(["smooth", "linear", "free"]))
def test_arriving_starts_neutral_ends_as_it_was_and_never_turns_back(
    value: Any, chosen: tuple[int, int], ease: Any
) -> None:
    first, last = chosen
    there = at(value, last)
    came = kf.arrived(value, 0.0, first, last, ease)
    if first >= last or there == 0:
        assert came == value
        return
    assert at(came, first) == 0
    assert at(came, last) == there
    steps = [at(came, f) for f in range(first, last + 1)]
    assert steps == sorted(steps, reverse=there < 0)
    assert all(at(came, f) == pytest.approx(at(value, f)) for f in range(last, 70)) or isinstance(value, Keys)


def test_arrive_and_leave_make_a_hill() -> None:
    hill = kf.left(kf.arrived(8.0, 0.0, 0, 10), 0.0, 30, 40)
    assert [at(hill, f) for f in (0, 5, 10, 20, 30, 35, 40, 50)] == [0, 4, 8, 8, 8, 4, 0, 0]


@given(seed=st.integers(0, 999), pace=st.floats(0.5, 12))
def test_baked_keys_say_what_the_driver_said(seed: int, pace: float) -> None:
    driver = Driver(drive="wander", base=1.0, amount=3.0, pace=pace, seed=seed)
    keys = kf.baked(driver, 0, 40, START, -1.0, 2.5)
    for f in range(41):
        assert at(keys, f) == pytest.approx(min(max(at(driver, f, 24.0), -1.0), 2.5), abs=1e-7)


def test_a_straight_run_is_baked_as_its_two_ends() -> None:
    assert frames(kf.baked(Driver(drive="rate", amount=24.0), 0, 40, START, -100, 100)) == [0, 40]


# deeds on a document


def doc() -> dict[str, Any]:
    raw = document()
    raw["planes"][1]["treatments"][0]["params"] = {"exposure": -1.0, "saturation": 20.0}
    return read_shot(raw).model_dump(mode="json")


def after(raw: dict[str, Any], **deed: Any) -> dict[str, Any]:
    changed = edits.apply(raw, done(read_shot(raw), Deed.model_validate(deed)))
    read_shot(changed)
    return changed


def test_one_press_makes_a_treatment_arrive() -> None:
    places = ["/planes/1/treatments/0"]
    params = after(doc(), kind="arrive", places=places, first=2, last=6)["planes"][1]["treatments"][0]["params"]
    for name, neutral, value in (("exposure", 0.0, -1.0), ("saturation", 100.0, 20.0)):
        assert [(k["frame"], k["value"]) for k in params[name]["keys"]] == [(2, neutral), (6, value)]
    # what is neutral already needs no keys
    assert "contrast" not in params


def test_a_plane_leaves_by_its_opacity() -> None:
    changed = after(doc(), kind="leave", places=["/planes/1/opacity"], first=3, last=7, ease="free")
    keys = changed["planes"][1]["opacity"]["keys"]
    assert [(k["frame"], k["value"], k["ease"]) for k in keys] == [(3, 1.0, "free"), (7, 0.0, "smooth")]


def test_a_curve_arrives_from_the_one_that_changes_nothing() -> None:
    raw = doc()
    bent = [[0.0, 0.1], [0.5, 0.8], [1.0, 1.0]]
    raw["planes"][1]["treatments"] = [{"id": "c", "kind": "curves", "on": True, "params": {"red": bent}}]
    changed = after(raw, kind="arrive", places=["/planes/1/treatments"], first=1, last=5)
    params = changed["planes"][1]["treatments"][0]["params"]
    assert [key["value"] for key in params["red"]["keys"]] == [[[0.0, 0.0], [1.0, 1.0]], bent]
    assert list(params) == ["red"], "what changes nothing has no need to arrive"


def test_keys_are_copied_to_another_plane_and_value() -> None:
    raw = after(doc(), kind="arrive", places=["/planes/1/treatments"], first=2, last=6)
    clips = copied(read_shot(raw), ["/planes/1/treatments/0"], 0, 7)
    assert sorted(clip.name for clip in clips) == ["/params/exposure", "/params/saturation"]
    raw["planes"][2]["treatments"] = [{"id": "s9", "kind": "grade", "on": True, "params": {}}]
    laid = after(raw, kind="paste", places=["/planes/2/treatments/0"], to_first=1,
                 clips=[clip.model_dump() for clip in clips])  # fmt: skip
    keys = laid["planes"][2]["treatments"][0]["params"]["exposure"]["keys"]
    assert [k["frame"] for k in keys] == [1, 5]
    # a single value takes a single clip whatever its name, and holds it to its own range
    one = [Clip(name="/x", keys=[Key(frame=0, value=7.0), Key(frame=4, value=0.5)]).model_dump()]
    opacity = after(raw, kind="paste", places=["/planes/2/opacity"], to_first=2, clips=one)["planes"][2]["opacity"]
    assert [(k["frame"], k["value"]) for k in opacity["keys"]] == [(2, 1.0), (6, 0.5)]


@pytest.mark.parametrize("kind", ["shift", "copy", "stretch", "reverse", "remove"])
def test_a_deed_without_keys_says_so(kind: str) -> None:
    with pytest.raises(RecipeError, match="no keyframes here"):
        done(read_shot(doc()), Deed.model_validate({"kind": kind, "places": ["/planes/1"], "last": 7, "to_first": 3}))


def test_deeds_that_make_no_sense_are_refused() -> None:
    with pytest.raises(RecipeError, match="behind the first"):
        done(read_shot(doc()), Deed(kind="arrive", places=["/planes/1"], first=5, last=5))
    with pytest.raises(RecipeError, match="no value here"):
        done(read_shot(doc()), Deed(kind="shift", places=["/planes/99"]))
    with pytest.raises(RecipeError, match="copied"):
        done(read_shot(doc()), Deed(kind="paste", places=["/planes/1"]))
    with pytest.raises(RecipeError, match="no keyframes here to copy"):
        copied(read_shot(doc()), ["/planes/1"], 0, 9)
    colour = [Clip(name="/x", keys=[Key(frame=0, value=(1.0, 0.0, 0.0))])]
    with pytest.raises(RecipeError, match="not of a number"):
        done(read_shot(doc()), Deed(kind="paste", places=["/planes/1/opacity"], clips=colour))


def test_every_value_that_moves_can_be_read_and_written_back() -> None:
    raw = doc()
    shot = read_shot(raw)
    found = list(moving(shot))
    assert len({one.path for one in found}) == len(found)
    ops = [{"op": "add", "path": one.path, "value": kf_json(one.value)} for one in found]
    assert read_shot(edits.apply(raw, ops))
    assert {one.path.split("/")[3] for one in within(shot, ["/planes/1"])} >= {"opacity", "placement", "time", "gate"}


def kf_json(value: Any) -> Any:
    return to_jsonable_python(value)
