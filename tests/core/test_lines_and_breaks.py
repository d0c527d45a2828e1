"""Lines, hatching, the mirrored slide and the breaks: each against its formula."""

from __future__ import annotations

from typing import Any

import cv2
import numpy as np
import pytest

from cuvrel.core.imaging.blur import shifted
from cuvrel.core.imaging.colour import encode, srgb_to_linear
from cuvrel.core.imaging.lines import brightness, edges, gaussian, long_enough
from cuvrel.core.imaging.noise import grain_tile
from cuvrel.core.recipe.context import Context
from cuvrel.core.recipe.declared import declared
from cuvrel.core.recipe.errors import RecipeError
from cuvrel.core.recipe.values import Env
from cuvrel.core.treatments.grain_match import measured
from cuvrel.core.treatments.signal import bursting
from cuvrel.core.treatments.slide import way_left
from tests.core.little import SIZE, colours, cut_out, defaults, disc, ran, treated


def grey(values: np.ndarray) -> np.ndarray:
    """An opaque picture of display-encoded grey."""

    return np.ascontiguousarray(
        np.dstack([srgb_to_linear(values)] * 3 + [np.ones(values.shape, np.float32)]), np.float32
    )


def lit(kind: str, picture: np.ndarray, others: list[np.ndarray] | None = None, /, **values: object) -> np.ndarray:
    entry = declared("treatment", kind)
    return np.asarray(entry.run(picture, defaults(entry, **values), Context(1.0), others or []))


def at(kind: str, picture: np.ndarray, when: int, /, **values: object) -> np.ndarray:
    entry = declared("treatment", kind)
    return np.asarray(entry.run(picture, defaults(entry, **values), Context(1.0, now=Env(float(when), 24.0))))


def test_distance_to_an_edge_is_exact_in_parts_of_a_pixel() -> None:
    for place in (40.0, 40.3, 40.75):
        columns = np.arange(96) + 0.5
        step = np.tile(np.clip(columns - place + 0.5, 0, 1).astype(np.float32) * 0.4 + 0.2, (64, 1))
        distance, height, _ = edges(gaussian(step, 2.0), 2.0)
        near = np.abs(columns - place) < 3
        np.testing.assert_allclose(distance[32, near], np.abs(columns - place)[near], atol=0.2)
        np.testing.assert_allclose(height[32, near], 0.4, rtol=0.08)


def test_an_edge_line_has_its_width_and_lies_on_the_edge() -> None:
    picture = grey(0.2 + 0.6 * disc(128, 64, 64, 40))
    for width in (1.5, 3.0, 9.0):
        out = lit("edges", picture, width=width, ink=[1, 1, 1], detail=0.8, threshold=5)[..., 0]
        assert out.sum() == pytest.approx(2 * np.pi * 40 * width, rel=0.12)
        rows, columns = np.mgrid[0:128, 0:128] + 0.5
        far = np.abs(np.hypot(columns - 64, rows - 64) - 40)
        assert (out * far).sum() / out.sum() == pytest.approx(width / 4, abs=0.35)


def test_edge_lines_of_a_still_shot_do_not_change() -> None:
    still = grey(0.2 + 0.6 * disc(96, 48, 48, 30))
    entry = declared("treatment", "edges")
    once, again = (treated(entry, defaults(entry), frame, film=lambda f, s: still) for frame in (5, 29))
    np.testing.assert_array_equal(once, again)


def test_steadying_takes_noise_out_of_what_stands_still_and_leaves_what_moves() -> None:
    rng = np.random.default_rng(3)
    base = 0.3 + 0.4 * disc(96, 48, 48, 30)
    noisy = [grey(np.clip(base + 0.03 * rng.standard_normal(base.shape), 0, 1)) for _ in range(4)]
    drawn = {steady: [lit("edges", noisy[n], [noisy[n - 1], noisy[n + 1]], steady=steady, threshold=6)[..., 0]
                      for n in (1, 2)] for steady in (0.0, 1.0)}  # fmt: skip
    boil = {steady: np.abs(pair[0] - pair[1]).mean() for steady, pair in drawn.items()}
    assert boil[1.0] < 0.75 * boil[0.0]
    moving = [grey(0.2 + 0.6 * disc(96, 30 + 12 * n, 48, 14)) for n in range(3)]
    np.testing.assert_allclose(
        lit("edges", moving[1], [moving[0], moving[2]], steady=1.0), lit("edges", moving[1]), atol=0.08
    )


def test_short_lines_are_cleaned_away_and_long_ones_stay() -> None:
    mask = np.zeros((60, 100), bool)
    mask[10, 5:90], mask[30, 5:15], mask[50, 5:95] = True, True, True
    sure = mask.copy()
    sure[50] = False
    kept = long_enough(mask, sure, 20, 1)
    assert kept[10, 5:90].all(), "long, and sure"
    assert not kept[30].any(), "short"
    assert not kept[50].any(), "long, but nowhere sure"


def test_ink_lies_along_contours_and_nowhere_else() -> None:
    picture = grey(0.25 + 0.55 * disc(128, 64, 64, 40))
    drawn = lit("ink", picture, on="paper", paper=[1, 1, 1], ink=[0, 0, 0])[..., 0]
    rows, columns = np.mgrid[0:128, 0:128] + 0.5
    far = np.hypot(columns - 64, rows - 64) - 40
    assert drawn[np.abs(far) > 8].min() > 0.99
    ring = [drawn[(np.abs(far) < 3) & (np.floor(np.arctan2(rows - 64, columns - 64) * 8 / np.pi) == n)].min()
            for n in range(-8, 8)]  # fmt: skip
    assert max(ring) < 0.2, "the contour is closed"
    flat = grey(np.full((64, 64), 0.5, np.float32))
    assert lit("ink", flat, on="nothing")[..., 3].max() == 0


def test_a_cut_out_has_a_contour_of_its_own_though_no_inner_line() -> None:
    flat_subject = np.ascontiguousarray(np.full((96, 96, 4), 0.02, np.float32) * disc(96, 48, 48, 30)[..., None])
    flat_subject[..., 3] = disc(96, 48, 48, 30)
    drawn = lit("ink", flat_subject, on="nothing", inner=0.0)[..., 3]
    assert drawn[48, 76:80].max() > 0.8
    assert drawn[40:56, 40:56].max() == 0


def test_a_difference_with_itself_is_black_and_a_shift_is_its_formula() -> None:
    picture = colours(64)
    same = ran("differs", picture, how="shifted", shift=0.0)
    np.testing.assert_array_equal(same[..., :3], 0)
    np.testing.assert_array_equal(same[..., 3], 1)
    ramp = np.zeros((32, 64, 4), np.float32)
    ramp[..., :3], ramp[..., 3] = ((np.arange(64) / 64) ** 2)[None, :, None], 1
    out = ran("differs", ramp, how="shifted", shift=4.0, direction=0.0, gain=3.0)
    np.testing.assert_allclose(out[16, 8:60, 0], (3 * 4 / 64) ** 2, atol=1e-3)
    darker = ran("differs", ramp, how="shifted", shift=4.0, direction=0.0, side="what is darker")
    np.testing.assert_allclose(darker[16, 8:60, :3], 0, atol=1e-5)


def test_hatching_is_as_dark_as_the_picture_at_every_size_and_stays_put() -> None:
    means = []
    for shade in (0.1, 0.3, 0.5, 0.7):
        picture = grey(np.full((160, 160), shade, np.float32))
        values = {"on": "paper", "paper": [1, 1, 1], "ink": [0, 0, 0], "uneven": 0.0}
        means.append(ran("hatch", picture, **values)[..., 0].mean())
        entry = declared("treatment", "hatch")
        for scale in (0.5, 0.25):
            size = round(160 * scale)
            small = grey(np.full((size, size), shade, np.float32))
            seen = entry.run(small, defaults(entry, **values), Context(scale))[..., 0].mean()
            assert seen == pytest.approx(means[-1], abs=0.03), (shade, scale)
    assert means == sorted(means)
    assert means[-1] == pytest.approx(1, abs=1e-6), "what is bright has no lines"


def test_a_slide_rests_where_it_was_and_repeats_after_two_widths() -> None:
    picture = colours(64)
    values = {"across": 480.0, "frame": 40.0, "ease": 12.0, "shutter": 0.0}
    for frame in (40, 41, 200):
        np.testing.assert_array_equal(at("slide", picture, frame, **values), picture)
    still = {**values, "rests": "never", "across": 24.0 * 2 * 64}
    np.testing.assert_allclose(at("slide", picture, 7, **still), picture, atol=1e-5)
    mirrored = {**values, "rests": "never", "across": 24.0 * 64}
    np.testing.assert_allclose(at("slide", picture, 1, **mirrored), picture[:, ::-1], atol=1e-5)
    times = [way_left(f, {"rests": "on a frame", "frame": 40.0, "ease": 12.0}, 24.0) for f in range(42)]
    steps = np.diff(times)
    assert steps[:27] == pytest.approx(1 / 24), "full speed until it slows down"
    assert (np.diff(steps) <= 1e-9).all()


def test_a_sweep_along_a_line_is_the_direct_mean() -> None:
    picture = np.ascontiguousarray(cv2.GaussianBlur(colours(96), (0, 0), 2))
    by = np.array([13.0, 6.0])
    total = np.zeros_like(picture)
    shares = (np.arange(64) + 0.5) / 64 - 0.5
    for share in shares:
        way = np.array([[1, 0, by[0] * share], [0, 1, by[1] * share]])
        total += cv2.warpAffine(picture, way, (96, 96), borderMode=cv2.BORDER_REPLICATE) / len(shares)
    np.testing.assert_allclose(shifted(picture, by), total, atol=4e-3)


def test_each_break_of_a_signal_does_its_own_and_nothing_else() -> None:
    picture = colours(SIZE)
    none = {"noise": 0.0, "tears": 0.0, "jitter": 0.0, "roll": 0.0, "dropped": 0.0}
    np.testing.assert_array_equal(at("signal", picture, 9, **none), picture)
    rolled = at("signal", picture, 12, **{**none, "roll": 0.5})
    np.testing.assert_array_equal(rolled, np.roll(picture, -SIZE // 4, axis=0))
    torn = at("signal", picture, 5, **{**none, "tears": 40.0, "tear_count": 1.0})
    moved = np.abs(torn - picture).max(axis=(1, 2)) > 1e-3
    assert 1 <= moved.sum() < SIZE // 3
    assert np.diff(np.flatnonzero(moved)).max(initial=1) == 1, "one strip"
    dropped = at("signal", picture, 5, **{**none, "dropped": 0.3, "line": 4.0})
    lines = (np.abs(dropped - picture).max(axis=(1, 2)) > 1e-3).reshape(-1, 4)
    assert (lines.all(axis=1) | ~lines.any(axis=1)).all(), "a line is lost as a whole"
    assert 0.1 < lines.all(axis=1).mean() < 0.55


def test_bursts_last_as_long_as_said_to_the_frame() -> None:
    on = np.array([bursting(frame, 24.0, 0.5, 6.0, 4) for frame in range(2000)])
    edges_at = np.flatnonzero(np.diff(on.astype(int)))
    runs = np.diff(edges_at)[::2] if not on[0] else np.diff(edges_at)[1::2]
    assert runs.min() >= 6
    assert np.median(runs) == 6
    begun = sum(bursting(frame, 24.0, 0.5, 1.0, 4) for frame in range(2000))
    assert begun == pytest.approx(2000 / 24 * 0.5, rel=0.35)


@pytest.mark.parametrize(("fps", "pace", "every"), [(25, 5.0, 5), (24, 8.0, 3), (30, 0.6, 50), (50, 12.5, 4)])
def test_jerks_come_on_the_frame_on_which_they_are_due(fps: float, pace: float, every: int) -> None:
    """A step a 5th of a second is every 5th frame at 25 a second; rounding may not bring any a frame late."""
    entry = declared("treatment", "shake")
    picture, values = colours(), defaults(entry, kind="jerky", pace=pace, across=300.0)
    frames = [entry.run(picture, values, Context(1.0, now=Env(float(n), fps))) for n in range(4 * every + 1)]
    steps = [n for n in range(1, len(frames)) if not np.array_equal(frames[n - 1], frames[n])]
    assert steps == list(range(every, len(frames), every))


def test_sorted_runs_hold_the_same_pixels_in_order_and_others_stay() -> None:
    rng = np.random.default_rng(1)
    picture = grey(rng.uniform(0, 1, (40, 80)).astype(np.float32))
    values = {"direction": 0.0, "low": 0.0, "high": 1.0, "longest": 20_000.0}
    out = ran("sort", picture, **values)
    seen = brightness(out)
    assert (np.diff(seen, axis=1) >= -1 / 200).mean() > 0.9
    np.testing.assert_allclose(np.sort(out[..., 0], axis=1), np.sort(picture[..., 0], axis=1))
    chosen = ran("sort", picture, **{**values, "low": 0.4, "high": 0.6})
    outside = (brightness(picture) < 0.39) | (brightness(picture) > 0.61)
    np.testing.assert_array_equal(chosen[outside], picture[outside])
    down = ran("sort", picture, **{**values, "direction": 90.0})
    np.testing.assert_allclose(np.sort(down[..., 0], axis=0), np.sort(picture[..., 0], axis=0))


def test_sorted_runs_lie_in_the_matte_that_is_chosen() -> None:
    rng = np.random.default_rng(1)
    picture = grey(rng.uniform(0, 1, (64, 64)).astype(np.float32))
    chosen = disc(64, 32, 32, 20)
    entry = declared("treatment", "sort")
    for direction in (0.0, 90.0, 33.0):
        values = defaults(entry, within="someone", direction=direction)
        out = entry.run(picture, values, Context(1.0), [chosen])
        # turned and turned back, its border is a pixel wide
        clear = cv2.dilate(chosen, np.ones((5, 5))) == 0
        np.testing.assert_array_equal(out[clear], picture[clear])
        assert np.abs(out - picture)[chosen > 0.5].mean() > 0.05


def test_what_is_sharp_beyond_the_gate_does_not_bleed_into_what_is_soft() -> None:
    subject = disc(96, 48, 48, 20)
    picture = np.zeros((96, 96, 4), np.float32)
    picture[..., 1], picture[..., 3] = 0.2, 1
    picture[..., 0] = subject
    entry = declared("treatment", "defocus")
    outside = 1 - subject
    kept = entry.run(picture, defaults(entry, radius=10.0, highlights=1.0), Context(1.0), [outside])
    free = entry.run(picture, defaults(entry, radius=10.0, highlights=1.0), Context(1.0), [])
    beside = (outside == 1) & (disc(96, 48, 48, 26) > 0)
    assert kept[beside][:, 0].max() < 0.02
    assert free[beside][:, 0].max() > 0.2
    # a cut-out's own matte leaves nothing out
    own = np.ascontiguousarray(cut_out(20))
    mine = entry.run(own, defaults(entry, radius=5.0), Context(1.0), [own[..., 3]])
    np.testing.assert_array_equal(mine, entry.run(own, defaults(entry, radius=5.0), Context(1.0), []))


def test_a_seed_gives_the_same_noise_on_every_machine() -> None:
    """NumPy keeps the stream of its default generator; these are its numbers."""
    np.testing.assert_allclose(grain_tile(1, 1.0)[0, 0], GRAIN, atol=1e-6)
    noise = at("signal", colours(SIZE), 3, tears=0.0, jitter=0.0, dropped=0.0, noise=1.0)
    assert np.round(noise[10, 10:14, 0] * 1000).astype(int).tolist() == NOISE


@pytest.mark.parametrize(("amount", "size", "colour"), [(12.0, 1.0, 0.3), (20.0, 2.0, 0.8), (8.0, 3.0, 0.0)])
def test_grain_that_was_laid_on_is_measured_again(amount: float, size: float, colour: float) -> None:
    rows, columns = np.mgrid[0:480, 0:480] / 480
    smooth = grey((0.2 + 0.6 * columns + 0.05 * rows).astype(np.float32))
    values = {"amount": amount, "size": size, "colour": colour, "shadows": 1.0, "lights": 0.5}
    found = measured(encode(at("grain", smooth, 3, **values)))
    assert found["size"] == pytest.approx(size, abs=0.35)
    assert found["colour"] == pytest.approx(colour, abs=0.12)
    laid = at("grain", smooth, 5, **found, seed=2.0)
    wanted = at("grain", smooth, 5, **values, seed=2.0)
    assert (laid - smooth).std() == pytest.approx((wanted - smooth).std(), rel=0.12)


def test_a_frame_without_a_flat_part_has_no_grain_to_measure() -> None:
    with pytest.raises(RecipeError, match="flat enough"):
        measured(np.zeros((240, 240, 3), np.uint8))
    with pytest.raises(RecipeError, match="too small"):
        measured(np.zeros((20, 20, 3), np.uint8))


GRAIN = (0.1343328356742859, -1.722007393836975, -2.2113137245178223)
NOISE = [77, 87, 76, 252]


def test_a_slide_at_its_limits_takes_no_more_memory_and_time_than_any_other(monkeypatch: pytest.MonkeyPatch) -> None:
    """However fast, it goes through a mirrored picture no further than that repeats, and no pixel is mirrored often."""
    entry = declared("treatment", "slide")
    picture = np.ascontiguousarray(np.random.default_rng(1).uniform(0, 1, (90, 160, 4)), np.float32)
    picture[..., 3] = 1
    fast = {"across": 100_000.0, "down": -100_000.0, "shutter": 720.0, "rests": "never"}
    border, padded = cv2.copyMakeBorder, [0]

    def counted(*args: Any) -> np.ndarray:
        padded.append(border(*args).size)
        return border(*args)

    monkeypatch.setattr(cv2, "copyMakeBorder", counted)
    for more in (fast, {**fast, "turn": 3600.0}, {**fast, "down": 0.0}, {**fast, "turn": 30.0, "shutter": 0.0}):
        out = np.asarray(entry.run(picture, defaults(entry, **more), Context(1.0, now=Env(100.0, 24))))
        assert np.isfinite(out).all()
    assert 0 < max(padded) < 16 * picture.size
    # turned by a right angle it repeats after twice its height across, and after twice its width down
    once = {"turn": 90.0, "shutter": 0.0, "rests": "never"}
    ways = [{"across": 37.0, "down": 11.0}, {"across": 37.0 + 7 * 180, "down": 11.0 - 3 * 320}]
    near, far = (
        entry.run(picture, defaults(entry, **once, **way), Context(1.0, now=Env(24.0, 24))) for way in ways
    )  # fmt: skip
    np.testing.assert_allclose(near, far, atol=1e-4)
    assert np.abs(near - picture).max() > 0.1
