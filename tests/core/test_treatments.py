"""What holds for every treatment, by one test over the registry; and each one's own formula."""

from __future__ import annotations

import itertools
from typing import Any

import cv2
import numpy as np
import pytest

from cuvrel.core.edge.arc_position import along, carried, outlines
from cuvrel.core.imaging.colour import linear_to_srgb, srgb_to_linear
from cuvrel.core.imaging.oklab import hue_of, oklab
from cuvrel.core.media.reader import resized
from cuvrel.core.pulls.shape import shaped
from cuvrel.core.recipe.check import read_shot
from cuvrel.core.recipe.context import Context
from cuvrel.core.recipe.declared import Declared, Values, all_declared, declared
from cuvrel.core.recipe.errors import RecipeError
from cuvrel.core.recipe.shapes import Shape
from cuvrel.core.recipe.values import START, Env
from cuvrel.core.stand.build import Stand
from cuvrel.core.treatments import cdl_file
from cuvrel.core.treatments.cdl import sop
from cuvrel.core.treatments.copies import occupied
from cuvrel.core.treatments.defocus import aperture
from cuvrel.core.treatments.fringe import weights
from cuvrel.core.treatments.lens import undistorted
from cuvrel.core.treatments.posterise import stepped
from tests.core.little import SIZE, colours, cut_out, defaults, disc, flat, ran, treated
from tests.recipes import FakeSources, document

TREATMENTS = [entry for entry in all_declared() if entry.family == "treatment"]
every = pytest.mark.parametrize("entry", TREATMENTS, ids=lambda entry: entry.kind)
LUMA = np.array([0.2126, 0.7152, 0.0722], np.float32)


def neutral(entry: Declared) -> Values | None:
    """Its values with each that has a neutral one at that; None where it has none."""
    about = entry.params.fields()
    still = {name: field["neutral"] for name, field in about.items() if field.get("neutral") is not None}
    return {**defaults(entry), **still} if still else None


def hostile(entry: Declared) -> list[dict[str, Any]]:
    """What differs from its defaults: each number at both of its bounds, and each choice, one by one."""
    found: list[dict[str, Any]] = []
    for name, about in entry.params.fields().items():
        if about["control"] == "number":
            found += [{name: about[end]} for end in ("low", "high")]
        if about["control"] == "choice":
            found += [{name: option} for option in about["options"]]
    return found


@every
def test_neutral_values_change_nothing(entry: Declared) -> None:
    """What arrives goes from neutral values, and those change nothing: so some value must have one."""
    values = neutral(entry)
    assert values is not None
    assert treated(entry, values).tobytes() == cut_out(20).tobytes()


@every
def test_half_size_looks_like_full_size(entry: Declared) -> None:
    for values in (defaults(entry), *(defaults(entry, **more) for _, more in entry.starters)):
        full, half = treated(entry, values, size=2 * SIZE), treated(entry, values)
        assert np.abs(resized(np.clip(full, 0, 2), (SIZE, SIZE)) - np.clip(half, 0, 2)).mean() < 0.02


@every
def test_it_is_pure_and_leaves_what_it_is_given(entry: Declared) -> None:
    given = {}

    def film(frame: int, size: int) -> np.ndarray:
        given.setdefault(frame, cut_out(frame, size)).setflags(write=False)
        return given[frame]

    once = treated(entry, defaults(entry), film=film)
    again = treated(entry, defaults(entry), film=film)
    # OpenCV's exact distance transform differs in the last bit with the memory's alignment
    np.testing.assert_allclose(once, again, atol=2e-5)
    for frame, picture in given.items():
        np.testing.assert_array_equal(picture, cut_out(frame))


@every
def test_hostile_values_stay_in_range(entry: Declared) -> None:
    """At every bound on what is cut out; on a full picture and on nothing, its defaults and starters."""
    mild = [{}, *(more for _, more in entry.starters)]
    films = [(cut_out, hostile(entry)), (lambda frame, size: colours(size), mild),
             (lambda frame, size: np.zeros((size, size, 4), np.float32), mild)]  # fmt: skip
    for film, some in films:
        for more in some:
            out = treated(entry, defaults(entry, **more), film=film)
            assert np.isfinite(out).all(), more
            assert out.dtype == np.float32
            assert out.min() >= 0, more
            assert out[..., 3].max() <= 1.0001, more


@every
def test_it_moves_by_itself_only_where_it_says_so(entry: Declared) -> None:
    for values in (defaults(entry), *(defaults(entry, **more) for _, more in entry.starters)):
        clocked = any(stage.clock({n: values[n] for n in stage.fields}) for stage in entry.stages)
        if not clocked:
            continue
        still = lambda frame, size: cut_out(20, size)  # noqa: E731
        assert not np.array_equal(treated(entry, values, 3, film=still), treated(entry, values, 17, film=still))


@every
def test_keys_change_when_its_values_do_and_only_then(entry: Declared) -> None:
    """Its own keys, as a stand has them: of other values, another; of those that leave it out, that of none at all."""

    def key(**params: Any) -> str:
        steps = [{"id": "s", "kind": entry.kind, "params": params}]
        plane = {"id": "p", "name": "Plane", "kind": "cutout", "matte": "m1", "treatments": steps}
        return Stand(read_shot(document(planes=[plane])), FakeSources()).result(3).key

    start, known = defaults(entry), key()
    assert known == key()
    for more in hostile(entry):
        values = defaults(entry, **more)
        same = all(
            (stage.rests(mine) and stage.rests({name: start[name] for name in stage.fields}))
            or mine == {name: start[name] for name in stage.fields}
            for stage in entry.stages
            if (mine := {name: values[name] for name in stage.fields}) is not None
        )
        assert (key(**more) == known) == same, more


# colour


def test_slope_offset_and_power_are_the_standards_equations() -> None:
    shown = np.linspace(0, 1, 33)
    np.testing.assert_allclose(sop(shown, 1.2, -0.1, 0.8), np.clip(shown * 1.2 - 0.1, 0, 1) ** 0.8)
    slope, offset, power, saturation = (1.3, 0.9, 1.1), (-0.05, 0.02, 0.1), (0.8, 1.4, 1.0), 0.6
    more = {f"{name}_{c}": v for name, row in (("slope", slope), ("offset", offset), ("power", power))
            for c, v in zip(("red", "green", "blue"), row, strict=True)}  # fmt: skip
    coded = np.array([0.35, 0.6, 0.22])
    out = ran("cdl", flat(*srgb_to_linear(coded)), **more, saturation=saturation)[0, 0, :3]
    wanted = np.clip(coded * slope + offset, 0, 1) ** np.array(power)
    wanted = np.clip(wanted @ LUMA + saturation * (wanted - wanted @ LUMA), 0, 1)
    np.testing.assert_allclose(linear_to_srgb(out), wanted, atol=2e-4)


def test_levels_are_their_formula_and_leave_other_channels() -> None:
    values = {"black": 0.1, "white": 0.8, "gamma": 1.6, "black_out": 0.05, "white_out": 0.9}
    coded = np.array([0.3, 0.5, 0.7])
    out = linear_to_srgb(ran("levels", flat(*srgb_to_linear(coded)), **values)[0, 0, :3])
    np.testing.assert_allclose(out, 0.05 + 0.85 * ((coded - 0.1) / 0.7) ** (1 / 1.6), atol=3e-4)
    ends = linear_to_srgb(ran("levels", flat(*srgb_to_linear(np.array([0.1, 0.8, 1.0]))), **values)[0, 0, :3])
    np.testing.assert_allclose(ends, [0.05, 0.9, 0.9], atol=1e-3)
    # white at black is a step, just above it
    step = linear_to_srgb(
        ran("levels", flat(*srgb_to_linear(np.array([0.3, 0.49, 0.51]))), black=0.5, white=0.5)[0, 0, :3]
    )
    np.testing.assert_allclose(step, [0, 0, 1], atol=3e-4)
    one = linear_to_srgb(ran("levels", flat(*srgb_to_linear(coded)), channel="green", **values)[0, 0, :3])
    np.testing.assert_allclose(one[[0, 2]], coded[[0, 2]], atol=3e-4)
    assert one[1] == pytest.approx(out[1], abs=1e-5)


def test_curves_that_rise_stay_monotone_and_go_through_their_points() -> None:
    points = [[0.0, 0.05], [0.3, 0.1], [0.4, 0.75], [1.0, 0.9]]
    steps = np.linspace(0, 1, 64)
    picture = np.empty((1, 64, 4), np.float32)
    picture[0, :, :3], picture[..., 3] = srgb_to_linear(steps)[:, None], 1
    out = linear_to_srgb(ran("curves", picture, all=points)[0, :, :3])
    assert (np.diff(out, axis=0) >= -1e-4).all()
    knots = np.array([x for x, _ in points])
    at_knots = linear_to_srgb(ran("curves", flat(*srgb_to_linear(knots[1:])), all=points)[0, 0, :3])
    np.testing.assert_allclose(at_knots, [0.1, 0.75, 0.9], atol=1e-3)
    straight = linear_to_srgb(ran("curves", picture, all=[[0.0, 0.2], [1.0, 0.7]])[0, :, 1])
    np.testing.assert_allclose(straight, 0.2 + 0.5 * steps, atol=1e-3)
    luma = ran("curves", flat(0.4, 0.2, 0.1), luma=points)[0, 0, :3]
    np.testing.assert_allclose(luma / luma.sum(), np.array([0.4, 0.2, 0.1]) / 0.7, atol=1e-3)


def test_saturation_by_hue_touches_its_hues_alone() -> None:
    no_reds = [[0.0, 0.0], [0.1, 0.0], [0.2, 1.0], [0.8, 1.0], [0.95, 0.0]]
    red = ran("curves", flat(0.6, 0.05, 0.05), saturation=no_reds)[0, 0]
    assert red[0] == pytest.approx(red[2], abs=1e-3)
    green = flat(0.05, 0.6, 0.1)
    np.testing.assert_allclose(ran("curves", green, saturation=no_reds), green, atol=1e-3)


def test_selective_colour_turns_its_hue_and_no_other() -> None:
    red, green, grey = (0.5, 0.02, 0.03), (0.03, 0.4, 0.05), (0.3, 0.3, 0.3)
    picked = [float(n) for n in linear_to_srgb(np.array(red))]
    values = {"colour": picked, "hue": 90.0, "width": 20.0, "soft": 10.0}
    turned = ran("selective", flat(*red), **values)[0, 0, :3]
    before, after = oklab(np.array(red)), oklab(turned)
    angle = np.rad2deg(np.arctan2(after[2], after[1]) - np.arctan2(before[2], before[1])) % 360
    assert angle == pytest.approx(90, abs=6), "what leaves the gamut is cut, which moves the hue a little"
    for other in (green, grey):
        np.testing.assert_allclose(ran("selective", flat(*other), **values)[0, 0, :3], other, atol=1e-4)
    assert np.hypot(*hue_of((0.5, 0.5, 0.5))) == pytest.approx(1)


def test_toning_maps_brightness_to_the_ramp() -> None:
    ramp = [[0.0, 0.1, 0.0, 0.2], [1.0, 0.9, 1.0, 0.6]]
    for shown in (0.0, 0.5, 1.0):
        grey = float(srgb_to_linear(np.array(shown)))
        out = linear_to_srgb(ran("toning", flat(grey, grey, grey), colours=ramp)[0, 0, :3])
        np.testing.assert_allclose(out, [0.1 + 0.8 * shown, shown, 0.2 + 0.4 * shown], atol=2e-3)
    kept = ran("toning", flat(0.2, 0.5, 0.1), colours=ramp, keep=100.0)[0, 0, :3]
    assert kept @ LUMA == pytest.approx(np.array([0.2, 0.5, 0.1]) @ LUMA, rel=1e-2)


def test_the_gradient_has_its_colours_in_its_places_and_keeps_the_alpha() -> None:
    corners = {"at1": [-40, -40], "at2": [40, -40], "at3": [40, 40], "at4": [-40, 40]}
    out = ran("corners", colours(), blend="normal", **corners, colour1=[1, 0, 0], colour3=[0, 0, 1])
    assert out[8, 8, 0] > 0.8
    assert out[8, 8, 2] < 0.2
    assert out[88, 88, 2] > 0.8
    half = ran("corners", cut_out(10), blend="color", **corners)
    np.testing.assert_array_equal(half[..., 3], cut_out(10)[..., 3])
    assert not half[..., :3][cut_out(10)[..., 3] == 0].any(), "nothing where there was nothing"


def test_hue_turns_keep_greys_and_luminance() -> None:
    picture = colours()
    turned = ran("grade", picture, hue=35.0)
    np.testing.assert_allclose(turned[..., :3] @ LUMA, picture[..., :3] @ LUMA, atol=2e-2)
    np.testing.assert_allclose(ran("grade", flat(0.3, 0.3, 0.3), hue=120.0), flat(0.3, 0.3, 0.3), atol=1e-5)
    there_and_back = ran("grade", ran("grade", flat(0.3, 0.35, 0.28), hue=40.0), hue=-40.0)
    np.testing.assert_allclose(there_and_back, flat(0.3, 0.35, 0.28), atol=1e-4)


def test_shadows_leave_white_highlights_leave_black_and_mid_tones_leave_both() -> None:
    white, black, grey = flat(1, 1, 1), flat(0, 0, 0, alpha=1), flat(0.2, 0.2, 0.2)
    np.testing.assert_allclose(ran("grade", white, shadows=60.0), white, atol=1e-4)
    np.testing.assert_allclose(ran("grade", black, highlights=60.0), black, atol=1e-4)
    for end in (white, black):
        np.testing.assert_allclose(ran("grade", end, mids=60.0), end, atol=1e-4)
    for name in ("shadows", "mids", "highlights"):
        assert ran("grade", grey, **{name: 50.0})[0, 0, 0] > 0.2 > ran("grade", grey, **{name: -50.0})[0, 0, 0]


def test_balance_takes_a_cast_away_and_is_the_same_on_every_frame() -> None:
    entry = declared("treatment", "balance")
    cast = np.array([1.0, 0.7, 0.5, 1.0], np.float32)

    def film(frame: int, size: int) -> np.ndarray:
        grey = np.repeat(np.linspace(0.05, 0.7, size, dtype=np.float32)[None], size, axis=0)
        flash = 1.3 if frame == 5 else 1.0
        return np.ascontiguousarray(
            np.stack([grey, grey, grey, np.ones_like(grey)], axis=2) * cast * [flash, flash, flash, 1], np.float32
        )

    values = defaults(entry)
    out = treated(entry, values, 7, film=film)
    middle = out[48, 60, :3]
    assert middle.max() / middle.min() < 1.06
    again = treated(entry, values, 8, film=film)
    np.testing.assert_array_equal(out, again)
    near_white = linear_to_srgb(out[48, -1, :3]).min()
    assert near_white > linear_to_srgb(film(7, SIZE)[48, -1, :3]).min()


# light


def test_bloom_keeps_its_light_at_any_reach() -> None:
    picture = np.zeros((128, 192, 4), np.float32)
    picture[40:60, 80:110] = (0.9, 0.6, 0.3, 1.0)
    total = picture[..., :3].sum(axis=(0, 1))
    for reach in (5.0, 40.0, 400.0):
        for more in ({}, {"reach_red": 200.0, "reach_blue": 40.0}, {"down": 10.0}):
            out = ran("bloom", picture, threshold=0.0, knee=0.0, radius=reach, intensity=1.0, **more)
            np.testing.assert_allclose(out[..., :3].sum(axis=(0, 1)), 2 * total, rtol=0.01)
            np.testing.assert_array_equal(out[..., 3], picture[..., 3])


def test_only_what_is_brighter_than_the_threshold_blooms() -> None:
    dim, lit = colours() * np.float32([0.1, 0.1, 0.1, 1]), colours()
    lit[40:50, 40:50, :3] = 2.0
    np.testing.assert_array_equal(ran("bloom", dim, threshold=0.8, knee=0.1), dim)
    assert ran("bloom", lit, threshold=1.2, knee=0.1, radius=30.0)[30, 45, 0] > lit[30, 45, 0] + 0.01


def test_a_streak_goes_across_and_not_down() -> None:
    picture = np.zeros((96, 96, 4), np.float32)
    picture[48, 48] = (50, 50, 50, 1)
    out = ran("bloom", picture, threshold=0.0, knee=0.0, radius=60.0, down=2.0, intensity=1.0)
    assert out[48, 70, 0] > 20 * out[70, 48, 0]


def test_a_vignette_spares_its_middle_and_is_round_or_not() -> None:
    picture = np.ones((60, 120, 4), np.float32)
    out = ran("vignette", picture, amount=100.0, middle=50.0, soft=50.0, round=0.0)
    np.testing.assert_array_equal(out[30, 60], picture[30, 60])
    assert out[0, 0, 0] < 0.01
    assert out[30, 119, 0] == pytest.approx(out[59, 60, 0], abs=0.02), "along the frame's own proportions"
    ring = ran("vignette", picture, amount=100.0, middle=30.0, soft=60.0, round=1.0)
    assert ring[30, 110, 0] < ring[55, 60, 0], "a circle reaches the sides first"
    np.testing.assert_array_equal(out[..., 3], 1)
    moved = ran("vignette", picture, centre=[40, 0])
    assert moved[30, 100, 0] > moved[30, 20, 0]


# what is repeated


def test_a_trail_of_one_is_the_plane_at_that_frame_times_its_strength() -> None:
    entry = declared("treatment", "trail")
    values = defaults(entry, count=1.0, spacing=3.0, strength=40.0, subject=False)
    np.testing.assert_allclose(treated(entry, values, 20), cut_out(17) * np.float32(0.4), atol=1e-5)
    later = defaults(entry, count=1.0, spacing=3.0, strength=40.0, subject=False, when="later")
    np.testing.assert_allclose(treated(entry, later, 20), cut_out(23) * np.float32(0.4), atol=1e-5)
    assert not treated(entry, values, 2).any(), "before the shot there is nothing"


def test_a_trail_lies_behind_the_subject_or_before_it_and_fades() -> None:
    entry = declared("treatment", "trail")
    behind = treated(entry, defaults(entry, count=3.0, spacing=1.0), 20)
    solid = cut_out(20)[..., 3] > 0.999
    np.testing.assert_allclose(behind[solid], cut_out(20)[solid], atol=1e-5)
    before = treated(entry, defaults(entry, count=3.0, spacing=1.0, order="before", tint=[0, 0, 1], tinting=100.0), 20)
    assert np.abs(before[solid] - cut_out(20)[solid]).max() > 0.01
    ghosts = [
        treated(entry, defaults(entry, count=float(n), spacing=12.0, subject=False, fade=50.0, strength=80.0), 39)
        for n in (1, 2, 3)
    ]
    strengths = [float(np.abs(b - a)[..., 3].max()) for a, b in itertools.pairwise([np.zeros_like(ghosts[0]), *ghosts])]
    np.testing.assert_allclose(strengths, [0.8, 0.4, 0.2], atol=0.01)


def test_a_fraction_of_a_frame_lies_between_both() -> None:
    entry = declared("treatment", "trail")
    values = defaults(entry, count=1.0, spacing=2.5, strength=100.0, subject=False)
    out = treated(entry, values, 20, size=2 * SIZE)
    middle = [
        float((p[..., 3].sum(axis=0) * np.arange(2 * SIZE)).sum() / p[..., 3].sum())
        for p in (out, cut_out(17, 2 * SIZE), cut_out(18, 2 * SIZE))
    ]
    assert middle[0] == pytest.approx((middle[1] + middle[2]) / 2, abs=0.6)


def test_clones_at_spread_0_are_the_subject_and_apart_they_stand_where_they_should() -> None:
    entry = declared("treatment", "clones")
    assert treated(entry, defaults(entry, spread=0.0)).tobytes() == cut_out(20).tobytes()
    values = defaults(entry, count=2.0, offset=30.0, size=100.0, last=100.0)
    out = treated(entry, values, 20)
    for by in (-30, 0, 30):
        moved = np.roll(cut_out(20), by, axis=1)
        solid = moved[..., 3] > 0.999
        solid[:, : max(0, by)] = False
        solid[:, SIZE + min(0, by) :] = False
        shown = out[solid] if by == 0 else out[..., 3][solid]
        np.testing.assert_allclose(shown, moved[solid] if by == 0 else 1.0, atol=0.02)


def test_clones_may_show_other_moments() -> None:
    entry = declared("treatment", "clones")
    values = defaults(entry, count=1.0, offset=0.0, size=100.0, late=15.0, fan="one side")
    out = treated(entry, values, 20)
    np.testing.assert_allclose(out[..., 3], np.maximum(out[..., 3], cut_out(5)[..., 3]), atol=0.02)
    assert out[..., 3].sum() > 1.5 * cut_out(20)[..., 3].sum()


# an outline that is drawn on


def test_places_along_an_outline_grow_clockwise_from_the_start() -> None:
    matte = disc(SIZE, 48, 48, 30)
    share = along(matte, (48.0, 18.0))
    found = [
        float(share[48 + round(30 * np.sin(a)), 48 + round(30 * np.cos(a))]) for a in np.deg2rad([-60, 0, 90, 180])
    ]
    np.testing.assert_allclose(found, [1 / 12, 0.25, 0.5, 0.75], atol=0.02)
    assert along(np.zeros((8, 8), np.float32), None).shape == (8, 8)


def test_an_outline_writes_itself_on_and_goes_round() -> None:
    entry = declared("treatment", "glow")
    more = {"start": [0, -30], "taper": 0.0, "core": 4.0, "reach": 0.0}

    def lit(**values: float) -> np.ndarray:
        nothing, matte = np.zeros((SIZE, SIZE, 4), np.float32), disc(SIZE, 48, 48, 30)
        return np.asarray(entry.run(nothing, defaults(entry, **more, **values), Context(1.0, matte), [matte]))[..., 3]

    whole = lit(length=1.0).sum()
    for length in (0.25, 0.5):
        assert lit(length=length).sum() == pytest.approx(length * whole, rel=0.06)
    first = lit(length=0.25)
    assert first[:48, 48:].sum() > 0.95 * first.sum(), "from the top, clockwise"
    on = lit(length=0.25, travel=0.5)
    assert on[48:, :48].sum() > 0.95 * on.sum()


def test_a_start_keeps_to_its_place_on_the_subject() -> None:
    def figure(dx: float, turn: float, size: float) -> tuple[np.ndarray, tuple[float, float]]:
        """A disc with a horn; and where the horn's tip is."""
        rows, columns = np.mgrid[0:200, 0:200].astype(np.float64)
        tip = 100 + dx + 55 * size * np.cos(turn), 100 + 55 * size * np.sin(turn)
        body = np.hypot(columns - 100 - dx, rows - 100) < 32 * size
        for t in np.linspace(0.5, 1, 24):
            at = 100 + dx + (tip[0] - 100 - dx) * t, 100 + (tip[1] - 100) * t
            body |= np.hypot(columns - at[0], rows - at[1]) < 5 * size
        return body.astype(np.float32), tip

    then, tip = figure(0, -1.2, 1.0)
    for dx, turn, size in ((20, -1.2, 1.0), (-15, -0.9, 1.2), (10, -1.5, 0.8)):
        now, wanted = figure(dx, turn, size)
        assert np.hypot(*np.subtract(carried(tip, then, now), wanted)) < 9, (dx, turn, size)
    assert len(outlines(then)) == 1
    assert carried((3.0, 4.0), np.zeros((9, 9), np.float32), then) == (3.0, 4.0)


def test_the_box_of_what_is_there_is_right_to_the_pixel() -> None:
    rng = np.random.default_rng(3)
    for width in (40, 64, 75):
        for _ in range(12):
            picture = np.zeros((48, width, 4), np.float32)
            assert occupied(picture) is None
            y, x = sorted(rng.integers(0, 48, 2)), sorted(rng.integers(0, width, 2))
            picture[y[0], x[1], 3] = picture[y[1], x[0], 0] = 0.5
            found = occupied(picture)
            assert found == (slice(y[0], y[1] + 1), slice(x[0], x[1] + 1))


def test_a_cdl_file_that_was_written_is_read_as_it_was() -> None:
    values = {name: round(0.8 + 0.07 * n, 2) for n, name in enumerate(declared("treatment", "cdl").params.fields())}
    assert cdl_file.read(cdl_file.written(values, "Shot & <plane>")) == pytest.approx(values)
    bare = "<ColorCorrection id='x'><SOPNode><Slope>1.1 1 0.9</Slope></SOPNode></ColorCorrection>"
    assert cdl_file.read(bare)["slope_blue"] == 0.9
    assert cdl_file.read(bare)["saturation"] == 1.0


@pytest.mark.parametrize(
    ("text", "says"),
    [
        ("no xml", "no CDL file"),
        ("<a/>", "no CDL file"),
        ("<!DOCTYPE a [<!ENTITY b 'c'>]><ColorCorrection/>", "no CDL file"),
        ("<ColorCorrection><SOPNode><Slope>1 two 3</Slope></SOPNode></ColorCorrection>", "Slope should be 3 numbers"),
        ("<ColorCorrection><SatNode><Saturation/></SatNode></ColorCorrection>", "Saturation should be 1 number"),
    ],
)
def test_a_file_that_is_none_is_refused_with_a_sentence(text: str, says: str) -> None:
    with pytest.raises(RecipeError, match=says):
        cdl_file.read(text)


def test_an_open_line_runs_from_one_end_to_the_other() -> None:
    key = {"frame": 0, "width": 3.0, "points": [{"x": 20, "y": 30}, {"x": 60, "y": 70}, {"x": 120, "y": 40}]}
    shape = Shape.model_validate({"id": "l", "name": "Line", "kind": "line", "keys": [key]})
    cover = shaped([shape], START, (96, 144), 1.0)
    assert cover.max() == pytest.approx(1, abs=0.02)
    assert cover[30:34, 18:24].max() > 0.5
    length = float(np.hypot(*np.diff([[20, 30], [60, 70], [120, 40]], axis=0).T).sum())
    assert cover.sum() == pytest.approx(3 * length, rel=0.12), "as thick as it says, and open"
    for start, grows in (((15.0, 25.0), True), ((125.0, 40.0), False)):
        share = along(cover, start)
        found = [float(share[y, x]) for x, y in ((22, 33), (60, 70), (116, 43))]
        assert found == (sorted(found) if grows else sorted(found, reverse=True))
        assert max(found) > 0.9
        assert min(found) < 0.1
    single = {"id": "l", "name": "L", "kind": "line", "keys": [{"frame": 0, "points": [{"x": 1, "y": 1}]}]}
    with pytest.raises(ValueError, match="two at least"):
        Shape.model_validate(single)


# line and print, bend, break, blur and texture


def test_a_directional_blur_is_the_mean_along_its_line() -> None:
    picture = colours(64)
    picture[30:34, 28:36, :3] = 3.0
    out = ran("directional", picture, length=16.0)
    direct = np.mean([np.roll(picture, shift, axis=1) for shift in np.arange(-8, 8) + 0], axis=0)
    also = np.mean([np.roll(picture, shift, axis=1) for shift in np.arange(-7, 9) + 0], axis=0)
    np.testing.assert_allclose(out[:, 20:44], ((direct + also) / 2)[:, 20:44], atol=0.06)
    assert out[32, 32, 0] < 0.6 * picture[32, 32, 0]


def test_blurs_keep_their_light_whatever_their_reach() -> None:
    picture = np.zeros((96, 128, 4), np.float32)
    picture[44:52, 60:68] = (1.0, 0.5, 0.25, 1.0)
    total = picture.sum(axis=(0, 1))
    for kind, values in (("blur", {"radius": 9.0}), ("blur", {"radius": 40.0}), ("defocus", {"radius": 7.0}),
                         ("defocus", {"radius": 20.0, "blades": 6.0}), ("directional", {"length": 30.0}),
                         ("radial", {"kind": "spin", "amount": 30.0})):  # fmt: skip
        light = ran(kind, picture, **values).sum(axis=(0, 1))
        np.testing.assert_allclose(light, total, rtol=0.03, err_msg=f"{kind} {values}")


def test_a_defocused_light_has_the_shape_of_its_opening() -> None:
    picture = np.zeros((64, 64, 4), np.float32)
    picture[32, 32] = (100, 100, 100, 1)
    disc_seen = ran("defocus", picture, radius=9.0)[..., 0]
    rows, columns = np.mgrid[0:64, 0:64] - 32
    far = np.hypot(rows, columns)
    assert disc_seen[far < 8].min() > 0.9 * disc_seen[far < 8].max()
    assert disc_seen[far > 10.5].max() < 1e-3
    assert aperture(9.0, 0, 0.0).sum() == pytest.approx(np.pi * 9**2, rel=0.01)
    for turn in (0.0, 17.0, 30.0):
        assert aperture(9.0, 6, turn).sum() == pytest.approx(1.5 * 3**0.5 * 9**2, rel=0.02), "a hexagon's area"


def test_halftone_keeps_the_mean_tone() -> None:
    for kind in ("dots", "lines", "diamonds"):
        for light in (0.08, 0.25, 0.5, 0.75, 0.92):
            picture = np.full((240, 240, 4), light, np.float32)
            picture[..., 3] = 1
            for size in (2.5, 5.0, 12.0):
                out = ran("halftone", picture, kind=kind, ink=[0, 0, 0], paper=[1, 1, 1], size=size, angle=31.0)
                assert out[..., :3].mean() == pytest.approx(light, abs=0.01), (kind, light, size)


def test_lens_bend_is_its_formula_and_its_inverse_comes_back() -> None:
    radii = np.linspace(0, 1, 11)
    np.testing.assert_allclose(undistorted(radii, 0.3), radii / (1 + 0.3 * radii**2))
    picture = np.ascontiguousarray(cv2.GaussianBlur(colours(96), (0, 0), 3))
    there = ran("lens", picture, bend=8.0, fill=False)
    back = ran("lens", there, bend=-8.0, fill=False)
    np.testing.assert_allclose(back[24:72, 24:72], picture[24:72, 24:72], atol=0.02)


def test_a_ripples_phase_repeats_and_its_height_is_how_far_it_bends() -> None:
    ramp = np.zeros((64, 64, 4), np.float32)
    ramp[..., 0], ramp[..., 3] = np.arange(64)[None] / 64, 1
    values = {"kind": "straight", "direction": 0.0, "height": 4.0, "length": 32.0}
    out = ran("ripple", ramp, **values, phase=40.0)
    np.testing.assert_allclose(ran("ripple", ramp, **values, phase=400.0), out, atol=1e-5)
    moved = (out[32, 8:56, 0] - ramp[32, 8:56, 0]) * 64
    assert np.abs(moved).max() == pytest.approx(4, abs=0.15)


def test_fringes_keep_grey_light_and_part_the_channels() -> None:
    picture = np.zeros((40, 64, 4), np.float32)
    picture[:, 30:34] = 1
    for steps in (3.0, 9.0):
        out = ran("fringe", picture, amount=16.0, steps=steps)
        np.testing.assert_allclose(out[..., :3].sum(axis=(0, 1)), picture[..., :3].sum(axis=(0, 1)), rtol=1e-3)
        middles = [(out[20, :, k] * np.arange(64)).sum() / out[20, :, k].sum() for k in range(3)]
        assert middles[0] < middles[1] < middles[2]
    np.testing.assert_allclose(weights(7).sum(axis=0), 1)


def test_posterise_has_as_many_levels_as_it_says() -> None:
    steps = np.linspace(0, 1, 200)
    assert len(np.unique(stepped(steps, 5, 0.0).round(3))) == 5
    np.testing.assert_allclose(stepped(np.array([0.0, 1.0]), 5, 0.3), [0, 1])
    assert (np.diff(stepped(steps, 6, 0.5)) >= 0).all()


def test_grain_is_the_same_for_a_seed_and_has_no_mean() -> None:
    grey = np.full((200, 200, 4), 0.2, np.float32)
    grey[..., 3] = 1
    entry = declared("treatment", "grain")
    run = lambda frame, **more: np.asarray(  # noqa: E731
        entry.run(grey, defaults(entry, **more), Context(1.0, now=Env(float(frame))))
    )
    np.testing.assert_array_equal(run(4), run(4))
    assert np.abs(run(4) - run(5)).mean() > 0.001
    np.testing.assert_array_equal(run(4, still=True), run(9, still=True))
    shown = linear_to_srgb(run(4, colour=0.0)[..., 0])
    assert shown.mean() == pytest.approx(float(linear_to_srgb(np.array(0.2))), abs=0.004)
    np.testing.assert_allclose(run(4, colour=0.0)[..., 0], run(4, colour=0.0)[..., 2], atol=1e-5)
