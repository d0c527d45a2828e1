"""Colour, blending, treatments and the edge step, against formulas."""

import itertools

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from hypothesis.extra.numpy import arrays

from cuvrel.core.edge.edge import EdgeParams, edge
from cuvrel.core.imaging import colour
from cuvrel.core.imaging.blend import blend, mix, through
from cuvrel.core.imaging.distance import signed_distance
from cuvrel.core.imaging.noise import wander_field
from cuvrel.core.imaging.row_kernels import in_rows
from cuvrel.core.media.reader import resized
from cuvrel.core.recipe.context import Context
from cuvrel.core.recipe.declared import declared
from cuvrel.core.recipe.values import START, Env

unit = st.floats(0, 1, width=32)
colours = arrays(np.float32, (2, 3, 4), elements=unit)


def premultiplied(straight: np.ndarray) -> np.ndarray:
    out = straight.copy()
    out[..., :3] *= straight[..., 3:]
    return out


def disc(size: int = 96, radius: float = 24.0, soft: float = 1.0) -> np.ndarray:
    y, x = np.mgrid[0:size, 0:size] - (size - 1) / 2
    return np.clip((radius - np.hypot(x, y)) / soft + 0.5, 0, 1).astype(np.float32)


def test_srgb_both_ways() -> None:
    codes = np.arange(256, dtype=np.uint8)
    picture = np.stack([codes, codes[::-1], codes], axis=1)[None]
    assert np.array_equal(colour.encode(colour.decode(picture)), picture)
    assert colour.srgb_to_linear(np.array(0.5)) == pytest.approx(0.21404, abs=1e-4)
    assert colour.linear_to_srgb(np.array(0.0031308)) == pytest.approx(0.04045, abs=1e-4)


def test_straight_and_premultiplied_bytes() -> None:
    rgba = np.zeros((1, 2, 4), np.float32)
    rgba[0, 0] = (0.5 * colour.DECODE[150], 0, 0, 0.5)
    straight = colour.encode_rgba(rgba)
    assert straight[0, 0].tolist() == [150, 0, 0, 128]
    assert straight[0, 1].tolist() == [0, 0, 0, 0]
    assert colour.encode_rgba(rgba, premultiplied=True)[0, 0].tolist() == [75, 0, 0, 128]


def test_light_without_alpha_gets_the_alpha_to_hold_it() -> None:
    halo = np.zeros((1, 1, 4), np.float32)
    halo[0, 0] = (0.4, 0.1, 0, 0)
    lit = colour.with_light(halo)
    assert lit[0, 0, 3] == pytest.approx(0.4)
    assert np.array_equal(colour.encode(lit), colour.encode(halo))


def encoded(v: np.ndarray) -> np.ndarray:
    return colour.linear_to_srgb(v).astype(np.float64)


def w3c(below: np.ndarray, above: np.ndarray, mode: str) -> np.ndarray:
    """Compositing and Blending Level 1, section 5: co = cs as (1 - ab) + cb ab (1 - as) + as ab B(cb, cs)."""
    ab, a = below[..., 3:].astype(np.float64), above[..., 3:].astype(np.float64)
    cb = np.divide(below[..., :3], ab, where=ab > 0, out=np.zeros(below[..., :3].shape))
    cs = np.divide(above[..., :3], a, where=a > 0, out=np.zeros(above[..., :3].shape))
    if mode == "normal":
        mixed = cs
    else:
        s, d = encoded(cs), encoded(cb)
        mixed = colour.srgb_to_linear(s + d - s * d if mode == "screen" else s * d)
    out = np.empty(below.shape)
    out[..., :3] = cs * a * (1 - ab) + cb * ab * (1 - a) + a * ab * mixed
    out[..., 3:] = a + ab * (1 - a)
    return out


@pytest.mark.parametrize("mode", ["normal", "screen", "multiply"])
@given(below=colours, above=colours)
@settings(max_examples=60, deadline=None)
def test_blend_modes_follow_the_standard(mode: str, below: np.ndarray, above: np.ndarray) -> None:
    below, above = premultiplied(np.round(below, 3)), premultiplied(np.round(above, 3))
    assert np.allclose(blend(below, above, mode), w3c(below, above, mode), atol=2e-3)


@given(below=colours, above=colours, opacity=unit)
@settings(max_examples=40, deadline=None)
def test_add_adds_light(below: np.ndarray, above: np.ndarray, opacity: float) -> None:
    out = blend(below, above, "add", opacity)
    assert np.allclose(out[..., :3], below[..., :3] + above[..., :3] * np.float32(opacity), atol=1e-5)
    assert (out[..., 3] <= 1).all()


@given(a=colours, b=colours, c=colours)
@settings(max_examples=40, deadline=None)
def test_over_is_associative(a: np.ndarray, b: np.ndarray, c: np.ndarray) -> None:
    a, b, c = (premultiplied(p) for p in (a, b, c))
    left = blend(blend(a, b, "normal"), c, "normal")
    right = blend(a, blend(b, c, "normal"), "normal")
    assert np.allclose(left, right, atol=1e-5)


@pytest.mark.parametrize("mode", ["normal", "add", "screen", "multiply"])
@given(below=colours, above=colours)
@settings(max_examples=20, deadline=None)
def test_nothing_shows_at_no_opacity(mode: str, below: np.ndarray, above: np.ndarray) -> None:
    below, above = premultiplied(below), premultiplied(above)
    none = np.zeros(below.shape[:2], np.float32)
    assert np.allclose(blend(below, above, mode, 0.0), below, atol=1e-6)
    assert np.allclose(blend(below, above, mode, 1.0, none), below, atol=1e-6)


def test_a_mask_is_an_opacity_per_pixel() -> None:
    rng = np.random.default_rng(2)
    below, above = (premultiplied(rng.random((5, 7, 4), np.float32)) for _ in range(2))
    mask = rng.random((5, 7), np.float32)
    assert np.allclose(
        blend(below, above, "normal", 1.0, mask), blend(below, through(above, mask), "normal"), atol=1e-5
    )
    assert np.allclose(mix(below, above, 0.5, mask), below + (above - below) * 0.5 * mask[..., None], atol=1e-6)


def test_rows_are_covered_once_whatever_their_number() -> None:
    for rows in (1, 63, 64, 65, 1001):
        count = np.zeros(rows, int)

        def kernel(y0: int, y1: int, count: np.ndarray = count) -> None:
            count[y0:y1] += 1

        in_rows(kernel, rows)
        assert (count == 1).all()


# treatments

CONTEXT = Context(1.0, disc(), now=Env(5.0))


def pictured(size: int = 96) -> np.ndarray:
    rng = np.random.default_rng(4)
    rgb = resized(rng.integers(0, 255, (size // 8, size // 8, 3), dtype=np.uint8), (size, size))
    return colour.decode(np.ascontiguousarray(rgb))


def grade(picture: np.ndarray, **values: float) -> np.ndarray:
    entry = declared("treatment", "grade")
    return entry.run(picture, entry.params().at(START) | values, CONTEXT)


def test_exposure_doubles_the_light_per_stop() -> None:
    picture = pictured()
    assert np.allclose(grade(picture, exposure=1.0)[..., :3], 2 * picture[..., :3], rtol=1e-4)


def test_saturation_0_is_grey_of_the_same_luminance() -> None:
    picture = pictured()
    grey = grade(picture, saturation=0.0)
    weights = np.array([0.2126, 0.7152, 0.0722], np.float32)
    assert np.allclose(grey[..., 0], grey[..., 2], atol=1e-6)
    assert np.allclose(grey[..., :3] @ weights, picture[..., :3] @ weights, atol=1e-4)


def test_contrast_turns_about_middle_grey() -> None:
    flat = np.full((4, 4, 4), 0.18, np.float32)
    flat[..., 3] = 1
    assert np.allclose(grade(flat, contrast=70.0)[..., :3], 0.18, atol=1e-4)
    assert (grade(flat * np.float32(0.5) + np.float32([0, 0, 0, 0.5]), contrast=70.0)[..., 0] < 0.09).all()


def test_temperature_and_tint_keep_the_luminance_of_grey() -> None:
    flat = np.full((4, 4, 4), 0.4, np.float32)
    flat[..., 3] = 1
    weights = np.array([0.2126, 0.7152, 0.0722], np.float32)
    for values in ({"temperature": 60.0}, {"tint": -50.0}, {"temperature": -80.0, "tint": 30.0}):
        out = grade(flat, **values)
        assert np.allclose(out[..., :3] @ weights, 0.4, atol=1e-3)
    assert (grade(flat, temperature=60.0)[..., 0] > grade(flat, temperature=60.0)[..., 2]).all()


def test_grading_does_not_care_how_much_a_pixel_covers() -> None:
    picture = pictured()
    half = picture * np.float32(0.5)
    values = {"contrast": 40.0, "exposure": 0.5, "saturation": 140.0}
    assert np.allclose(grade(half, **values), grade(picture, **values) * 0.5, atol=2e-4)


def glow(matte: np.ndarray | None, frame: int = 0, **values: float) -> np.ndarray:
    entry = declared("treatment", "glow")
    nothing = np.zeros((96, 96, 4), np.float32)
    return entry.run(nothing, entry.params().at(START) | values, Context(1.0, matte, now=Env(float(frame))))


def test_a_glow_is_brightest_on_the_outline_and_falls_off_with_distance() -> None:
    light = glow(disc(), core=3.0, reach=12.0)[..., 0]
    middle = light[48]
    ring = round((96 - 1) / 2 - 24)
    assert middle[ring - 1 : ring + 2].max() == pytest.approx(light.max(), rel=0.05)
    outward = middle[: ring - 2][::-1]
    assert (np.diff(outward) <= 1e-4).all()
    assert outward[-1] < 0.05 * light.max()


def test_a_glow_without_an_outline_does_nothing() -> None:
    nothing = np.zeros((96, 96, 4), np.float32)
    assert np.array_equal(glow(None), nothing)
    assert np.array_equal(glow(np.zeros((96, 96), np.float32)), nothing)
    assert np.array_equal(glow(disc(), strength=0.0), nothing)


def test_wander_moves_with_time_and_is_the_same_each_time() -> None:
    still = [glow(disc(), frame=f, wander=0.0) for f in (0, 9)]
    # OpenCV's exact distance transform differs in the last bit with the memory's alignment
    assert np.allclose(*still, atol=1e-5)
    moved = [glow(disc(), frame=f, wander=8.0) for f in (0, 9, 9)]
    assert not np.allclose(moved[0], moved[1])
    assert np.allclose(moved[1], moved[2], atol=1e-5)


def test_the_wander_field_hangs_on_the_plate_and_changes_smoothly() -> None:
    full, half = wander_field((96, 96), 24.0, 0.4), wander_field((48, 48), 12.0, 0.4)
    assert np.abs(resized(full, (48, 48)) - half).max() < 0.05
    path = [wander_field((8, 8), 4.0, t) for t in np.linspace(0.9, 1.1, 5)]
    assert max(np.abs(b - a).max() for a, b in itertools.pairwise(path)) < 0.2


# the edge step

NEUTRAL = EdgeParams().at(START)


def test_distance_is_right_to_a_fraction_of_a_pixel() -> None:
    y, x = np.mgrid[0:96, 0:96] - 47.5
    wanted = 24 - np.hypot(x, y)
    found = signed_distance(disc())
    near = np.abs(wanted) < 12
    assert np.abs(found - wanted)[near].mean() < 0.35
    assert np.abs(found - wanted)[near].max() < 1.1


@pytest.mark.parametrize(("fill", "sign"), [(0.0, -1), (1.0, 1)])
def test_a_matte_without_an_outline_is_far_from_it(fill: float, sign: int) -> None:
    assert (signed_distance(np.full((10, 20), fill, np.float32)) == sign * 20).all()


@pytest.mark.parametrize("grow", [-8.0, -2.5, 0.0, 1.5, 6.0])
def test_growing_changes_the_area_as_geometry_says(grow: float) -> None:
    out = edge(disc(radius=24), NEUTRAL | {"grow": grow}, Context(1.0))
    assert out.sum() == pytest.approx(np.pi * (24 + grow) ** 2, rel=0.035)


def test_growing_keeps_the_softness() -> None:
    soft = disc(radius=24, soft=8.0)
    out = edge(soft, NEUTRAL | {"grow": 5.0}, Context(1.0))
    assert ((out > 0.05) & (out < 0.95)).sum() == pytest.approx(
        ((soft > 0.05) & (soft < 0.95)).sum() * 29 / 24, rel=0.25
    )


def test_feathering_outwards_leaves_the_inside_and_inwards_the_outside() -> None:
    matte = disc()
    out = edge(matte, NEUTRAL | {"feather_out": 6.0}, Context(1.0))
    assert (out[matte > 0.99] > 0.9).all()
    assert out.sum() > matte.sum()
    inwards = edge(matte, NEUTRAL | {"feather_in": 6.0}, Context(1.0))
    assert (inwards[matte < 0.01] < 0.1).all()
    assert inwards.sum() < matte.sum()


def test_black_and_white_point_and_gamma() -> None:
    ramp = np.linspace(0, 1, 101, dtype=np.float32)[None].repeat(4, axis=0)
    out = edge(ramp, NEUTRAL | {"black_point": 0.2, "white_point": 0.8}, Context(1.0))
    assert (out[:, :20] == 0).all()
    assert (out[:, 81:] == 1).all()
    assert out[0, 50] == pytest.approx(0.5, abs=0.01)
    assert edge(ramp, NEUTRAL | {"gamma": 2.0}, Context(1.0))[0, 25] == pytest.approx(0.5, abs=0.01)


def test_a_half_size_edge_looks_like_the_full_one() -> None:
    values = NEUTRAL | {"grow": 4.0, "feather_out": 8.0}
    full = edge(disc(192, 50), values, Context(1.0))
    half = edge(resized(disc(192, 50), (96, 96)), values, Context(0.5))
    assert np.abs(resized(full, (96, 96)) - half).mean() < 0.01
