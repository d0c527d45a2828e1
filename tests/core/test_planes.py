"""Planes of all kinds: elements, fills, groups, gates, time, what is there when, and what it costs."""

from typing import Any

import numpy as np
import pytest

from cuvrel.core.imaging.colour import encode, srgb_to_linear
from cuvrel.core.motion.between import blurred_along, in_between, motion
from cuvrel.core.recipe.check import read_shot
from cuvrel.core.recipe.errors import RecipeError
from cuvrel.core.recipe.models import Shot
from cuvrel.core.stand.build import Stand
from cuvrel.core.stand.costs import WAYS, blended, costs
from cuvrel.core.stand.gate import rim, without
from cuvrel.core.stand.nodes import FRAMES, Cache, work_out
from cuvrel.core.stand.planes import element
from cuvrel.core.stand.view_kinds import BlendView, View
from cuvrel.core.stand.views import view
from tests.recipes import RESULT, FakeSources, document, footage

PLATE = {"id": "p", "name": "Plate", "kind": "plate"}


def shot(*planes: dict[str, Any], **more: Any) -> Shot:
    named = [{"id": f"x{n}", "name": f"Plane {n}", **plane} for n, plane in enumerate(planes)]
    two = [footage(), footage(32, 24, 4, "2")]
    return read_shot(document(planes=[*named, PLATE], footage=two, **more))


def drawn(made: Shot, frame: int = 3, scale: float = 1.0, wanted: View = RESULT) -> np.ndarray:
    return work_out(view(Stand(made, FakeSources(), scale), wanted, frame), Cache(1 << 28))


def light(made: Shot, frame: int = 3) -> np.ndarray:
    return work_out(Stand(made, FakeSources()).result(frame), Cache(1 << 28))


def plate(frame: int) -> np.ndarray:
    return FakeSources().plate(frame)


# fills and elements


def test_a_fill_of_one_colour_is_that_colour() -> None:
    made = shot({"kind": "fill", "params": {"colour1": [0.2, 0.4, 0.6]}})
    assert np.abs(drawn(made).astype(int) - (51, 102, 153)).max() <= 1


def test_colours_of_a_fill_lie_where_they_are_put() -> None:
    made = shot({"kind": "fill", "params": {"colours": 2, "colour1": [0, 0, 0], "colour2": [1, 1, 1], "x1": 0, "y1": 50,
                                            "x2": 100, "y2": 50}})  # fmt: skip
    row = light(made)[24, :, 0]
    assert row[0] < 0.02
    assert row[-1] > 0.98
    assert (np.diff(row) >= -1e-6).all()
    assert row[31:33].mean() == pytest.approx(0.5, abs=0.01)
    hard = shot({"kind": "fill", "params": {**made.planes[0].params, "soft": 0.02}})
    assert set(np.round(light(hard)[24, [0, 25, 40, 63], 0], 3)) == {0.0, 1.0}


def test_an_element_fits_the_frame_as_it_is_told() -> None:
    for fit, box in (("cover", (48, 64)), ("contain", (48, 64)), ("pixels", (24, 32)), ("stretch", (48, 64))):
        made = shot({"kind": "element", "params": {"footage": "2", "fit": fit}})
        alone = work_out(Stand(made, FakeSources()).alone(made.planes[0], 0), Cache(1 << 28))
        cover = alone[..., 3] > 0.5
        assert (cover.any(axis=1).sum(), cover.any(axis=0).sum()) == box, fit


def test_black_and_white_become_see_through_and_light_is_kept() -> None:
    rng = np.random.default_rng(5)
    image = np.concatenate([rng.uniform(0, 1, (70, 30, 3)), np.ones((70, 30, 1))], 2).astype(np.float32)
    image[0, 0, :3], image[0, 1, :3] = 0, 1
    black = element(image, {"see_through": "black"}, 1.0)
    assert black[0, 0, 3] == 0
    assert np.array_equal(black[..., :3], image[..., :3])
    white = element(image, {"see_through": "white"}, 1.0)
    assert white[0, 1, 3] == 0
    # over white it looks as it was shot
    assert np.allclose(white[..., :3] + (1 - white[..., 3:]), image[..., :3], atol=1e-6)
    assert white[..., :3].min() >= 0


def test_an_elements_alpha_is_used_when_asked_for() -> None:
    made = shot({"kind": "element", "params": {"footage": "2", "fit": "stretch", "see_through": "its alpha"}})
    alone = work_out(Stand(made, FakeSources()).alone(made.planes[0], 0), Cache(1 << 28))
    assert alone[24, 2, 3] == 0
    assert alone[24, 20, 3] > 0.9


def test_an_element_without_footage_is_nothing() -> None:
    assert np.array_equal(drawn(shot({"kind": "element"})), plate(3))


# when a plane is there


def test_planes_have_their_frames_and_solo() -> None:
    fill = {"kind": "fill", "params": {"colour1": [1, 0, 0]}}
    made = shot({**fill, "first": 2, "last": 4})
    assert [bool(drawn(made, f)[0, 0, 0] == 255) for f in range(7)] == [False, False, True, True, True, False, False]
    solo = shot({**fill}, {"kind": "fill", "params": {"colour1": [0, 1, 0]}, "solo": True})
    assert np.array_equal(drawn(solo)[5, 5], (0, 255, 0))


def test_a_plane_that_ends_before_it_begins_is_refused() -> None:
    with pytest.raises(RecipeError, match="end before"):
        shot({"kind": "fill", "first": 5, "last": 2})


# groups


GROUP = {"id": "g", "name": "Both", "kind": "group", "opacity": 0.5}


def test_a_group_is_seen_as_one() -> None:
    red = {"kind": "fill", "group": "g", "params": {"colour1": [1, 0, 0]}}
    green = {"kind": "fill", "group": "g", "params": {"colour1": [0, 1, 0]}}
    made = shot(GROUP, red, green)
    # red covers green within the group, which is half there: the plate shines through, and no green
    want = 0.5 * srgb_to_linear(plate(3) / 255.0)
    want[..., 0] += 0.5
    assert np.allclose(light(made)[..., :3], want, atol=2e-3)


def test_a_glaze_in_a_group_treats_what_the_group_holds_alone() -> None:
    dark = {"kind": "glaze", "group": "g", "treatments": [{"id": "t", "kind": "grade", "params": {"exposure": -3}}]}
    fill = {"kind": "fill", "group": "g", "gate": {"matte": "m1"}, "params": {"colour1": [1, 1, 1]}}
    got = light(shot({**GROUP, "opacity": 1.0}, dark, fill))
    inside = FakeSources().box(3) > 0.5
    assert np.allclose(got[inside][:, :3], 1 / 8, atol=1e-3)
    assert np.allclose(got[~inside][:, :3], srgb_to_linear(plate(3) / 255.0)[~inside], atol=1e-4)


def test_a_group_moves_and_slows_what_it_holds() -> None:
    cut = {"kind": "cutout", "matte": "m1", "group": "g"}
    made = shot({**GROUP, "opacity": 1.0, "time": {"speed": 0, "offset": -1}, "placement": {"x": 5}}, cut)
    alone = work_out(Stand(made, FakeSources()).alone(made.planes[0], 6), Cache(1 << 28))
    still = np.roll(FakeSources().box(0), 5, axis=1)
    assert np.allclose(alone[..., 3], still, atol=1e-4)


def test_groups_that_hold_each_other_or_are_not_there_are_refused() -> None:
    with pytest.raises(RecipeError, match="circle"):
        shot({"id": "a", "kind": "group", "group": "b"}, {"id": "b", "kind": "group", "group": "a"})
    with pytest.raises(RecipeError, match="not there"):
        shot({"kind": "fill", "group": "nobody"})
    with pytest.raises(RecipeError, match="not there"):
        shot({"kind": "fill", "group": "p"})


def test_a_matte_from_a_group_that_uses_the_matte_is_a_circle() -> None:
    pulls = [{"id": "f1", "kind": "footage", "params": {"plane": "x0"}}]
    mattes = [{"id": "m1", "name": "Signaller", "pulls": pulls}]
    with pytest.raises(RecipeError, match="need each other"):
        shot({"kind": "group"}, {"kind": "cutout", "matte": "m1", "group": "x0"}, mattes=mattes)


# gates


def test_a_rim_is_as_wide_as_it_is_told() -> None:
    far = np.hypot(*(np.mgrid[0:120, 0:120] - 60.0))
    strip = rim(np.clip(40.5 - far, 0, 1).astype(np.float32), 5, 3, 0)
    assert strip[(far > 36.5) & (far < 41.5)].min() > 0.9
    assert strip[(far < 33) | (far > 45)].max() == 0
    # the distance is right to a fraction of a pixel, of eight
    assert strip.sum() == pytest.approx(np.pi * (43**2 - 35**2), rel=0.06)
    assert rim(np.zeros((20, 20), np.float32), 3, 3, 1).max() == 0


def test_gates_inside_outside_inverted_and_excluded() -> None:
    fill = {"kind": "fill", "params": {"colour1": [1, 1, 1]}}
    box = FakeSources().box(3)

    def cover(**gate: Any) -> np.ndarray:
        made = shot({**fill, "gate": {"matte": "m1", **gate}}, {**fill, "params": {"colour1": [0, 0, 0]}})
        return light(made)[..., 0]

    assert np.allclose(cover(), box, atol=1e-5)
    assert np.allclose(cover(part="outside"), 1 - box, atol=1e-5)
    assert np.allclose(cover(part="outside", invert=True), box, atol=1e-5)
    assert np.allclose(
        cover(part="rim", inner=3, outer=0, invert=True) + cover(part="rim", inner=3, outer=0), 1, atol=1e-4
    )
    assert cover(excluded=["m1"]).max() == 0
    assert np.allclose(without(box, [box * 0.25]), box * 0.75)
    with pytest.raises(RecipeError, match="not there"):
        cover(excluded=["m9"])


# time


def test_a_cut_out_shows_the_plate_and_its_matte_at_another_time() -> None:
    made = shot({"kind": "cutout", "matte": "m1", "time": {"offset": 2}})
    alone = work_out(Stand(made, FakeSources()).alone(made.planes[0], 5), Cache(1 << 28))
    assert np.allclose(alone[..., 3], FakeSources().box(3), atol=1e-5)
    inside = FakeSources().box(3) > 0.5
    assert np.array_equal(encode(alone)[inside], plate(3)[inside])


def test_many_cut_outs_share_what_they_are_cut_from() -> None:
    sources = FakeSources()
    made = shot(*({"kind": "cutout", "matte": "m1", "placement": {"x": 3 * n}} for n in range(4)))
    work_out(Stand(made, sources).result(2), Cache(1 << 28))
    assert sorted(sources.computed) == [("matte", 2), ("plate", 2)]


def test_beyond_its_ends_a_plane_may_be_nothing() -> None:
    made = shot({"kind": "element", "params": {"footage": "2"}, "time": {"ends": "nothing"}})
    assert not np.array_equal(drawn(made, 3), plate(3))
    assert np.array_equal(drawn(made, 5), plate(5))


def test_in_betweens_are_mixed_or_made_from_motion() -> None:
    h, w = 120, 160

    def scene(x: float) -> np.ndarray:
        yy, xx = np.mgrid[0:h, 0:w]
        ground = 90 + 40 * np.sin(xx / 7.0) * np.cos(yy / 9.0)
        blob = 120 * np.exp(-((xx - x) ** 2 + (yy - 60) ** 2) / 200) * (1 + 0.3 * np.sin((xx - x) / 3))
        return np.repeat((ground + blob).clip(0, 255)[..., None], 3, 2).astype(np.uint8)

    a, b, half = scene(60), scene(72), scene(66)
    made = in_between(a.astype(np.float32), b.astype(np.float32), motion(a, b), 0.5)
    by_motion = np.abs(made - half).mean()
    by_mixing = np.abs((a.astype(np.float32) + b) / 2 - half).mean()
    assert by_motion < 0.7 * by_mixing
    # at either end it is the frame itself, nearly
    assert np.abs(in_between(a.astype(np.float32), b.astype(np.float32), motion(a, b), 0.0) - a).mean() < 0.5


def test_blur_along_motion_smears_what_moves_and_nothing_else() -> None:
    rng = np.random.default_rng(2)
    image = np.concatenate([rng.uniform(0, 1, (60, 80, 3)), np.ones((60, 80, 1))], 2).astype(np.float32)
    moved = np.zeros((60, 80, 6), np.float32)
    moved[:, :30, 0] = 12
    out = blurred_along(image, moved, 360)
    assert np.allclose(out[:, 50:], image[:, 50:], atol=1e-6)
    assert out[:, 5:20, 0].std() < 0.6 * image[:, 5:20, 0].std()
    assert blurred_along(image, np.zeros_like(moved), 360) is image


def test_halves_of_a_frame_are_between_two() -> None:
    made = shot({"kind": "element", "params": {"footage": "1"}, "time": {"speed": 50, "between": "mix"}})
    want = (srgb_to_linear(plate(1) / 255.0) + srgb_to_linear(plate(2) / 255.0)) / 2
    assert np.allclose(light(made, 3)[..., :3], want, atol=1e-4)


# half size


@pytest.mark.parametrize("plane", [
    {"kind": "cutout", "matte": "m1", "placement": {"x": 6, "angle": 10, "scale": 80}},
    {"kind": "fill", "params": {"colours": 4}, "opacity": 0.6},
    {"kind": "element", "blend": "soft-light", "params": {"footage": "2"}},
    {"kind": "fill", "gate": {"matte": "m1", "part": "rim", "inner": 6, "outer": 6, "soft": 6}},
], ids=["cut-out", "fill", "element", "rim"])  # fmt: skip
def test_a_half_size_preview_is_half_of_the_full_size(plane: dict[str, Any]) -> None:
    big = FakeSources(256, 192)
    raw = document(
        planes=[{"id": "x", "name": "x", **plane}, PLATE], footage=[footage(256, 192), footage(128, 96, 4, "2")]
    )
    full = work_out(Stand(read_shot(raw), big).result(3), Cache(1 << 28))
    half = work_out(Stand(read_shot(raw), big, 0.5).result(3), Cache(1 << 28))
    assert np.abs(half - full.reshape(96, 2, 128, 2, 4).mean(axis=(1, 3))).mean() < 1 / 255


# trying out, and costs


def test_an_element_can_be_tried_out_without_changing_anything() -> None:
    made = shot({"kind": "element", "params": {"footage": "2"}})
    stand = Stand(made, FakeSources())
    before = made.model_dump()
    found = {how: work_out(blended(stand, "x0", how).result(1), Cache(1 << 28)) for how in WAYS}
    assert made.model_dump() == before
    set_so = shot({"kind": "element", "blend": "screen", "params": {"footage": "2"}})
    assert np.array_equal(found["screen"], light(set_so, 1))
    assert not np.array_equal(found["add"], found["drop black"])
    assert np.array_equal(drawn(made, 1, wanted=BlendView(plane="x0", way="screen")), drawn(set_so, 1))
    with pytest.raises(RecipeError, match="names"):
        drawn(made, 1, wanted=BlendView(plane="x0", way="nothing of the kind"))


def test_costs_are_told_by_plane() -> None:
    made = shot(
        {"kind": "cutout", "matte": "m1"}, {"kind": "fill", "on": False}, {**GROUP}, {"kind": "fill", "group": "g"}
    )
    found = costs(Stand(made, FakeSources()), 2, Cache(1 << 28))
    assert set(found) == {"x0", "x1", "g", "x3", "p"}
    assert found["x1"] == 0
    assert all(found[name] > 0 for name in ("x0", "g", "x3", "p"))


# gates of treatments where the frame is not the plate's


@pytest.mark.parametrize("kind", ["fill", "group", "element"])
def test_a_treatments_gate_is_framed_as_the_planes_own_is(kind: str) -> None:
    """A cover fills what it is let: where the two gates lay apart, the plane's own would show what is not covered."""
    params = {"fill": {"colour1": [0.2, 0.4, 0.6]}, "element": {"footage": "1", "fit": "pixels"}}.get(kind, {})
    solid = {"id": "s", "kind": "cover", "params": {"how": "solid", "soft": 0, "colour": [1, 0, 0]}}
    plane = {"kind": kind, "params": params, "gate": {"matte": "m1"}, "treatments": [solid]}
    inside = [{"id": "y", "name": "Inside", "kind": "plate", "group": "x0"}] if kind == "group" else []
    made = shot(plane, *inside, format={"width": 40, "height": 60})
    picture = light(made)
    gate = work_out(Stand(made, FakeSources()).framed(Stand(made, FakeSources()).matte("m1", 3)), Cache(1 << 28))
    assert picture.shape[:2] == gate.shape == (60, 40)
    red = (picture[..., 0] > 0.99) & (picture[..., 1] < 0.01)
    assert red[gate > 0.5].all()
    assert not red[gate < 0.01].any()


def test_a_stand_keeps_no_more_than_it_needs_however_long_it_lives() -> None:
    made = shot({"kind": "cutout", "matte": "m1", "treatments": [{"id": "t", "kind": "trail", "params": {"count": 3}}]})
    long = made.model_copy(update={"footage": [one.model_copy(update={"frames": 3000}) for one in made.footage]})
    stand = Stand(long, FakeSources())
    keys = [stand.result(frame).key for frame in range(0, 3000)]
    assert len(stand._stacks) == len(stand._films) == FRAMES
    assert [stand.result(frame).key for frame in (0, 1500)] == [keys[0], keys[1500]]
