"""What the networks are trained on is what it claims to be."""

from __future__ import annotations

import numpy as np
import pytest
from training.backgrounds import place, scenery
from training.camera import Film, Lens, some_film
from training.collect_follower import hurt
from training.collect_trace import halved
from training.composites import Path, clip, crossing
from training.doubt import fit
from training.figures import figure
from training.parts import rimmed, sheet
from training.strokes import first_marks
from training.textures import palette, texture, trimmed

from cuvrel.core.trace.marks import rasterise

SMALL = (160, 90)


@pytest.mark.parametrize("seed", [1, 5, 12])
def test_a_seed_gives_the_same_clip_and_another_one_another(seed: int) -> None:
    pictures, truths = clip(seed, SMALL, 4)
    again, _ = clip(seed, SMALL, 4)
    assert len(pictures) == len(truths) == 4
    assert pictures[0].shape == (90, 160, 3)
    assert all(np.array_equal(a, b) for a, b in zip(pictures, again, strict=True))
    assert not np.array_equal(clip(seed + 1, SMALL, 1)[0][0], pictures[0])
    assert all(t.min() >= -1e-5 and t.max() <= 1 + 1e-5 for t in truths)


def test_most_clips_have_a_subject_and_some_are_hidden_in_part() -> None:
    there = [float((clip(seed, SMALL, 1)[1][0] > 0.5).mean()) for seed in range(16)]
    assert np.median(there) > 0.01
    assert max(there) < 0.9


def test_a_lens_spreads_light_and_takes_none_away() -> None:
    light = np.zeros((61, 61, 3), np.float32)
    light[30, 30] = 1
    assert np.array_equal(Lens(0.0).seen(light), light)
    soft, strays = Lens(0.8).seen(light), Lens(0.8, 0.1, 6.0).seen(light)
    for seen in (soft, strays):
        assert seen.sum() == pytest.approx(light.sum(), rel=1e-3)
    assert soft[30, 40].max() < 1e-6 < strays[30, 40].min()
    assert strays[30, 30, 0] == pytest.approx(0.9 * soft[30, 30, 0], rel=0.02)


def test_a_film_keeps_the_order_of_light_with_a_toe_and_a_shoulder() -> None:
    rng = np.random.default_rng(1)
    light = np.repeat(np.linspace(0, 1, 101, dtype=np.float32)[None, :, None], 3, axis=2)
    plain = Film(1.0, 1.0, 1e6, 0.0, 0.0, 0.0, 0.0, 1.0)
    assert plain.developed(light, rng) == pytest.approx(light, abs=1e-4)
    curved = Film(1.0, 1.4, 0.8, 0.0, 0.0, 0.0, 0.0, 1.0).developed(light, rng)[0, :, 0]
    assert (np.diff(curved) > 0).all()
    assert curved[0] == 0
    assert curved[-1] == pytest.approx(1, abs=1e-5)
    assert curved[1] < 0.01  # the toe
    assert curved[95] > 0.96  # the shoulder


def test_grain_grows_with_light_and_glare_lies_about_what_is_bright() -> None:
    rng = np.random.default_rng(4)
    for coarse in (0.0, 0.9):
        grainy = Film(1.0, 1.0, 1e6, 0.004, 0.02, coarse, 0.0, 1.0)
        dim, lit = (grainy.developed(np.full((90, 90, 3), much, np.float32), rng).std() for much in (0.09, 0.64))
        assert dim == pytest.approx(0.004 + 0.02 * 0.3, rel=0.15)
        assert lit == pytest.approx(0.004 + 0.02 * 0.8, rel=0.15)
    lamp = np.zeros((41, 41, 3), np.float32)
    lamp[18:23, 18:23] = 1
    glares = Film(1.0, 1.0, 1e6, 0.0, 0.0, 0.0, 0.3, 3.0).developed(lamp, rng)
    assert glares[20, 25].min() > 0.02 > glares[20, 39].max()
    assert glares.max() <= 1


def test_some_clips_are_filmed_and_some_are_plain() -> None:
    films = [some_film(np.random.default_rng(seed)) for seed in range(60)]
    assert 0.4 < np.mean([film is not None for film in films]) < 0.8


def test_marks_lie_where_they_say() -> None:
    for seed in range(12):
        truth = clip(seed, (320, 180), 1)[1][0]
        if (truth > 0.5).sum() < 250:
            continue
        marks = first_marks(np.random.default_rng(seed), truth)
        inside, outside = (rasterise(marks, kind, truth.shape, (1, 1)) for kind in ("in", "out"))
        assert inside.any()
        assert (truth[inside] > 0.5).mean() > 0.9
        assert (truth[outside] < 0.5).mean() > 0.97
        assert not (inside & outside).any()


def test_surfaces_are_colours_and_a_palette_like_another_is_like_it() -> None:
    rng = np.random.default_rng(3)
    base = palette(rng)
    for _ in range(8):
        surface = texture(rng, 40, 60, base)
        assert surface.shape == (40, 60, 3)
        assert surface.min() >= 0
        assert surface.max() <= 1
    near = palette(rng, base)
    assert all(np.abs(base - one).sum(1).min() < 0.6 for one in near)
    assert scenery(rng, 50, 70, base).max() <= 1


def test_a_trim_is_on_the_thing_in_another_colour() -> None:
    rng = np.random.default_rng(2)
    mask = np.zeros((80, 60), np.float32)
    mask[10:70, 15:45] = 1
    plain = np.full((80, 60, 3), 0.5, np.float32)
    changed = []
    for _ in range(40):
        out = trimmed(rng, plain, mask)
        assert 0 <= out.min() <= out.max() <= 1
        changed.append(float((np.abs(out - plain).max(2) > 0.01)[mask > 0].mean()))
    assert 0.2 < np.mean([share == 0 for share in changed]) < 0.7
    assert any(0.05 < share < 0.6 for share in changed)
    assert trimmed(rng, plain, np.zeros_like(mask)).shape == plain.shape


def test_what_crosses_meets_the_subject() -> None:
    subject = Path(np.array([60.0, 90.0]), np.array([2.0, 0.5]), np.zeros(2), 0.1, 0.0, 0.0)
    leaves = 0
    for seed in range(8):
        other = crossing(np.random.default_rng(seed), subject, 24, 40.0)
        apart = [np.hypot(*(np.subtract(other.at(t)[:2], subject.at(t)[:2]))) for t in np.arange(0, 24, 0.25)]
        assert min(apart) < 40
        leaves += max(apart) > 40
    assert leaves >= 4  # some go its way


def test_a_sheet_fills_its_picture_and_half_a_matte_is_half_of_it() -> None:
    rng = np.random.default_rng(6)
    picture, middle = sheet(rng, 60, palette(rng), 0)
    assert picture[int(middle[1]), int(middle[0]), 3] > 0.9
    assert picture[0, 0, 3] < 0.1
    truth = picture[..., 3]
    for _ in range(6):
        found = halved(rng, truth)
        assert not np.array_equal(found > 0.5, truth > 0.5)
        assert ((found > 0.5) & (truth > 0.5)).sum() > 0.15 * (truth > 0.5).sum()


def test_light_on_a_rim_lies_on_one_side_and_is_brightest_there() -> None:
    yy, xx = np.mgrid[-40:41, -40:41]
    away = np.hypot(yy, xx)
    depth = np.maximum(30 - away, 0).astype(np.float32)
    for seed in range(6):
        light = rimmed(np.random.default_rng(seed), depth)
        inner, rim = light[away < 10], light[(away > 27) & (away < 29)]
        assert np.ptp(inner) < 0.1
        assert rim.max() > 1.3 * inner.mean()
        assert rim.min() == pytest.approx(float(inner.min()), abs=0.05)


def test_things_hang_together_and_every_part_of_them_is_seen() -> None:
    for seed in range(24):
        rng = np.random.default_rng(seed)
        parts = figure(rng, 120.0, palette(rng))
        assert [part.parent for part in parts].count(-1) == 1
        assert all(part.parent < n for n, part in enumerate(parts))
        for part in parts:
            high, wide, _ = part.picture.shape
            assert 0 <= part.pivot[0] <= wide
            assert 0 <= part.pivot[1] <= high
            assert part.picture[..., 3].max() > 0.4
            # premultiplied: no colour where there is nothing
            assert (part.picture[..., :3] <= part.picture[..., 3:] + 1e-5).all()


def test_a_place_is_all_filled() -> None:
    for seed in range(12):
        rng = np.random.default_rng(seed)
        found = place(rng, 90, 160, palette(rng))
        assert found.shape == (90, 160, 3)
        assert np.isfinite(found).all()
        assert 0 <= found.min() <= found.max() <= 1
        assert found[:, 10:20].max(axis=(1, 2)).min() > 0


def test_frames_made_one_by_one_are_those_of_the_clip() -> None:
    _, truths = clip(4, SMALL, 6)
    pictures, some = clip(4, SMALL, 6, only=[1, 5])
    assert len(pictures) == 2
    assert np.array_equal(some[0], truths[1])
    assert np.array_equal(some[1], truths[5])


def test_the_weights_of_doubt_are_found_where_they_are() -> None:
    rng = np.random.default_rng(1)
    x = rng.uniform(0, 1, (4000, 3))
    bad = rng.uniform(0, 1, 4000) < 1 / (1 + np.exp(-(6 * x[:, 0] - 3)))
    w = fit(x, bad)
    assert w[0] == pytest.approx(6, rel=0.15)
    assert abs(w[1]) < 0.4
    assert abs(w[2]) < 0.4


def test_a_thing_that_rests_stands_still_meanwhile_and_goes_on_from_there() -> None:
    still = np.zeros(2)
    path = Path(np.array([10.0, 20.0]), np.array([3.0, 0.0]), still, 0.1, 0.0, 0.0, rest=(4.0, 9.0))
    places = [path.at(t)[0] for t in (0, 4, 6, 9, 10)]
    assert places == pytest.approx([10, 22, 22, 22, 25])
    assert path.moved(6) == path.moved(9) == 4
    plain = Path(path.start, path.speed, still, 0.1, 0.0, 0.0)
    assert plain.at(6)[0] == pytest.approx(28)


def test_most_touched_mattes_are_left_as_they_are() -> None:
    truth = np.zeros((40, 60), np.float32)
    truth[10:30, 15:45] = 1
    rng = np.random.default_rng(2)
    found = [hurt(rng, truth) for _ in range(60)]
    whole = sum(np.array_equal(one, truth) for one in found)
    assert 25 < whole < 50
    assert all(one.min() >= 0 and one.max() <= 1 + 1e-5 for one in found)
    assert all(((one > 0.5) != (truth > 0.5)).mean() < 0.06 for one in found)
