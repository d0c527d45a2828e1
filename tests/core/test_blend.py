"""Blend modes against the formulas of W3C Compositing and Blending Level 1."""

import numpy as np
import pytest
from hypothesis import example, given
from hypothesis import strategies as st

from cuvrel.core.imaging.blend import MODES, blend, mix
from cuvrel.core.imaging.colour import linear_to_srgb, srgb_to_linear

STANDARD = [name for name in MODES if name not in ("normal", "add", "subtract")]


def soft(s: np.ndarray, d: np.ndarray) -> np.ndarray:
    root = np.where(d <= 0.25, ((16 * d - 12) * d + 4) * d, np.sqrt(d))
    return np.where(s <= 0.5, d - (1 - 2 * s) * d * (1 - d), d + (2 * s - 1) * (root - d))


def burnt(s: np.ndarray, d: np.ndarray) -> np.ndarray:
    return np.where(s <= 0, 0, 1 - np.minimum(1, (1 - d) / np.maximum(s, 1e-9)))


def lum(c: np.ndarray) -> np.ndarray:
    return c @ np.array([0.3, 0.59, 0.11])


def clip(c: np.ndarray) -> np.ndarray:
    light, low, high = lum(c), c.min(), c.max()
    if low < 0:
        c = light + (c - light) * light / (light - low)
    if high > 1:
        c = light + (c - light) * (1 - light) / (high - light)
    return c


def with_lum(c: np.ndarray, light: float) -> np.ndarray:
    return clip(c + (light - lum(c)))


def with_sat(c: np.ndarray, sat: float) -> np.ndarray:
    order = np.argsort(c, kind="stable")
    out = np.zeros(3)
    if c[order[2]] > c[order[0]]:
        out[order[1]] = (c[order[1]] - c[order[0]]) * sat / (c[order[2]] - c[order[0]])
        out[order[2]] = sat
    return out


def sat(c: np.ndarray) -> float:
    return float(c.max() - c.min())


FORMULAS = {
    "multiply": lambda s, d: s * d,
    "screen": lambda s, d: s + d - s * d,
    "darken": np.minimum,
    "lighten": np.maximum,
    "color-dodge": lambda s, d: np.where(d == 0, 0, np.where(s >= 1, 1, np.minimum(1, d / np.maximum(1 - s, 1e-9)))),
    "color-burn": lambda s, d: np.where(d >= 1, 1, burnt(s, d)),
    "hard-light": lambda s, d: np.where(s <= 0.5, 2 * s * d, (2 * s - 1) + d - (2 * s - 1) * d),
    "overlay": lambda s, d: np.where(d <= 0.5, 2 * s * d, (2 * d - 1) + s - (2 * d - 1) * s),
    "soft-light": soft,
    "difference": lambda s, d: np.abs(s - d),
    "exclusion": lambda s, d: s + d - 2 * s * d,
    "hue": lambda s, d: with_lum(with_sat(s, sat(d)), lum(d)),
    "saturation": lambda s, d: with_lum(with_sat(d, sat(s)), lum(d)),
    "color": lambda s, d: with_lum(s, lum(d)),
    "luminosity": lambda s, d: with_lum(d, lum(s)),
}  # fmt: skip


def pixel(colour: tuple[float, ...], alpha: float) -> np.ndarray:
    """A premultiplied linear pixel of a display-encoded colour."""
    light = srgb_to_linear(np.asarray(colour))
    return np.array([[[*(light * alpha), alpha]]], np.float32)


# less than this a number of 32 bits cannot hold in linear light; the hue of what is black but for that is lost
TINY = 1e-30
ROUNDING = 1e-5  # of a colour that was multiplied by an alpha, held in 32 bits and divided again
part = st.floats(0, 1, width=32).map(lambda v: v if v > TINY else 0.0)
colour = st.tuples(part, part, part)


def test_all_modes_of_the_standard_are_there() -> None:
    assert set(STANDARD) == set(FORMULAS)
    assert len(MODES) == 18


@pytest.mark.parametrize("mode", STANDARD)
@example(source=(0.0, 0.0, 0.0), backdrop=(0.0, 0.5, 1.0), alpha=1.0, below=0.953125)
@example(source=(1.0, 1.0, 1.0), backdrop=(0.0, 0.5, 1.0), alpha=0.3, below=0.7)
@example(source=(0.0, 1 - 2.0**-23, 0.0), backdrop=(0.0, 2.0**-23, 0.0), alpha=1.0, below=1.0)
@given(source=colour, backdrop=colour, alpha=st.floats(0.05, 1), below=st.floats(0.05, 1))
def test_a_mode_is_the_standards_formula(
    mode: str, source: tuple[float, ...], backdrop: tuple[float, ...], alpha: float, below: float
) -> None:
    got = blend(pixel(backdrop, below), pixel(source, alpha), mode)[0, 0]

    def shown(by_s: float, by_d: float) -> np.ndarray:
        """What a screen shows of it, over black."""
        s, d = (np.clip(np.asarray(one, np.float64) + by, 0, 1) for one, by in ((source, by_s), (backdrop, by_d)))
        mixed = srgb_to_linear(np.clip(FORMULAS[mode](s, d), 0, 1)).astype(np.float64)
        light_s, light_d = (srgb_to_linear(c).astype(np.float64) for c in (s, d))
        want = (1 - below) * alpha * light_s + (1 - alpha) * below * light_d + alpha * below * mixed
        return linear_to_srgb(np.clip(want, 0, 1))

    # dodge and burn rise from nothing to all where a layer is white or black but for a rounding: either will do
    about = (-ROUNDING, 0.0, ROUNDING) if mode in ("color-dodge", "color-burn") else (0.0,)
    near = [shown(by_s, by_d) for by_s in about for by_d in about]
    found = linear_to_srgb(np.clip(got[:3], 0, 1))
    close = 0.02 if mode in ("hue", "saturation") else 0.003
    assert (found > np.min(near, axis=0) - close).all()
    assert (found < np.max(near, axis=0) + close).all()
    assert got[3] == pytest.approx(alpha + below - alpha * below, abs=1e-5)


@given(source=colour, backdrop=colour, third=colour, a=part, b=part, c=part)
def test_normal_is_associative(source: tuple, backdrop: tuple, third: tuple, a: float, b: float, c: float) -> None:
    low, middle, top = pixel(third, c), pixel(backdrop, b), pixel(source, a)
    one = blend(blend(low, middle, "normal"), top, "normal")
    other = blend(low, blend(middle, top, "normal"), "normal")
    assert np.allclose(one, other, atol=1e-5)


@given(source=colour, backdrop=colour)
def test_what_is_added_can_be_taken_away(source: tuple, backdrop: tuple) -> None:
    low, top = pixel(backdrop, 1.0), pixel(source, 1.0)
    assert np.allclose(blend(blend(low, top, "add"), top, "subtract"), low, atol=1e-5)


@pytest.mark.parametrize("mode", MODES)
def test_nothing_changes_nothing_and_opacity_fades(mode: str) -> None:
    low, top = pixel((0.5, 0.6, 0.7), 1.0), pixel((0.4, 0.3, 0.1), 0.8)
    assert np.allclose(blend(low, np.zeros_like(low), mode), low, atol=1e-5)
    assert np.allclose(blend(low, top, mode, 0.0), low, atol=1e-5)
    full, none = blend(low, top, mode, 1.0), blend(low, top, mode, 0.0)
    half = blend(low, top, mode, 0.5)
    assert np.allclose(half, (full + none) / 2, atol=2e-5)


@pytest.mark.parametrize("mode", MODES)
def test_a_mask_is_an_opacity_by_place(mode: str) -> None:
    rng = np.random.default_rng(4)
    low = np.concatenate([rng.uniform(0, 1, (70, 40, 3)), np.ones((70, 40, 1))], 2).astype(np.float32)
    top = np.concatenate([rng.uniform(0, 0.5, (70, 40, 3)), np.full((70, 40, 1), 0.5)], 2).astype(np.float32)
    mask = rng.uniform(0, 1, (70, 40)).astype(np.float32)
    got = blend(low, top, mode, 0.7, mask)
    for y, x in ((0, 0), (33, 20), (69, 39)):
        alone = blend(low[y : y + 1, x : x + 1], top[y : y + 1, x : x + 1], mode, 0.7 * float(mask[y, x]))
        assert np.allclose(got[y, x], alone[0, 0], atol=1e-5)


def test_light_without_alpha_is_never_lost() -> None:
    halo = np.array([[[0.3, 0.2, 0.1, 0.0]]], np.float32)
    low = pixel((0.4, 0.4, 0.4), 1.0)
    for mode in STANDARD:
        assert np.allclose(blend(low, halo, mode)[0, 0, :3], low[0, 0, :3] + halo[0, 0, :3], atol=1e-5)


def test_a_mix_goes_from_one_to_the_other() -> None:
    low, top = pixel((0.1, 0.2, 0.3), 1.0), pixel((0.9, 0.8, 0.7), 1.0)
    assert np.allclose(mix(low, top, 0.25), low + (top - low) * 0.25, atol=1e-6)
