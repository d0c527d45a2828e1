"""The outline over time: points run evenly along it, and a steady outline unrolls into straight lines."""

from __future__ import annotations

import numpy as np

from cuvrel.core.stand.unroll import evenly, onion, outline, unrolled
from tests.core.test_edge import disc


def test_points_lie_on_the_outline_at_even_lengths() -> None:
    points = outline(disc(60, 50, 30))
    assert points is not None
    even = evenly(points, 90)
    radius = np.hypot(even[:, 0] - 60, even[:, 1] - 50)
    assert np.abs(radius - 30).max() < 1.2
    steps = np.hypot(*np.diff(np.vstack([even, even[:1]]), axis=0).T)
    assert steps.max() < 1.5 * steps.min()
    assert even[0, 1] == even[:, 1].min()


def test_an_empty_matte_has_no_outline_and_its_band_is_grey() -> None:
    empty = np.zeros((100, 120), np.float32)
    assert outline(empty) is None
    strip = unrolled([(empty, np.full((100, 120, 3), 200, np.uint8))] * 3, 1, 1.0)
    assert strip.shape == (100, 120, 3)
    assert (strip[10, 50] == 74).all()


def painted(matte: np.ndarray) -> np.ndarray:
    """Bright inside, dark outside."""
    return np.repeat(np.round(40 + 180 * matte).astype(np.uint8)[..., None], 3, axis=2)


def test_inside_is_at_the_top_of_each_band() -> None:
    matte = disc(60, 50, 30)
    strip = unrolled([(matte, painted(matte))] * 5, 0, 1.0)
    for band in range(5):
        rows = strip[band * 20 : band * 20 + 20, 20:-20].astype(float).mean(axis=(1, 2))
        assert rows[:6].mean() > 190
        assert rows[-6:].mean() < 70


def test_jitter_is_seen_as_a_torn_texture() -> None:
    picture = painted(disc(60, 50, 30))
    rng = np.random.default_rng(2)
    calm = unrolled([(disc(60, 50, 30), picture)] * 20, 0, 1.0)
    shaky = [(disc(60, 50, 30 + float(rng.normal(0, 2))), picture) for _ in range(20)]
    torn = unrolled(shaky, 0, 1.0)

    def tear(strip: np.ndarray) -> float:
        bands = strip[:, 12:-12, 0].reshape(20, 5, -1).astype(float)
        return float(np.abs(np.diff(bands, axis=0)).mean())

    assert tear(torn) > 5 * tear(calm)


def test_onion_skin_shows_earlier_outlines_in_red_and_later_ones_in_blue() -> None:
    picture = np.full((100, 120, 3), 128, np.uint8)
    out = onion(picture, disc(60), [disc(50)], [disc(70)]).astype(int)
    red = (out[..., 0] - out[..., 2] > 60).nonzero()
    blue = (out[..., 2] - out[..., 0] > 60).nonzero()
    assert red[1].mean() < 60 < blue[1].mean()
    assert (out.min(axis=2) > 230).sum() > 100
