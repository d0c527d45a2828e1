"""Pulls that take other footage: difference key, clean plate, footage as matte."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import cv2
import numpy as np
import pytest

from cuvrel.core.keys.clean_plate import drawn_coverage, joined_plate, median_plate, spaced
from cuvrel.core.keys.colour_key import ColourKeyParams, colour_key, narrowed, sampled, spread_of, widened
from cuvrel.core.keys.difference_clues import grain
from cuvrel.core.keys.difference_key import DifferenceKeyParams, difference_key, matched, suggested
from cuvrel.core.keys.plate_comparison import relit
from cuvrel.core.media.probe import pack_sequence, probe
from cuvrel.core.media.reader import Reader
from cuvrel.core.media.writer import png_bytes
from cuvrel.core.pulls.footage import FootageParams, channel_of, fitted, footage_matte
from cuvrel.core.recipe.check import read_shot
from cuvrel.core.recipe.context import Context
from cuvrel.core.recipe.errors import RecipeError
from cuvrel.core.recipe.values import START
from cuvrel.core.stand.build import Stand
from cuvrel.core.stand.nodes import Cache, work_out
from cuvrel.core.stand.settle import settling_key
from cuvrel.core.stand.view_kinds import ChangeView, CutoutView, MatteView, View
from cuvrel.core.stand.views import view
from tests.recipes import FakeSources, document, footage

HERE = Context(1.0)


def quay(height: int = 180, width: int = 240) -> np.ndarray:
    """A still background with texture at several scales."""
    rng = np.random.default_rng(3)
    out = np.full((height, width, 3), 120, np.float32)
    for cells in (6, 16, 60):
        rough = rng.normal(0, 26, (cells, cells, 3)).astype(np.float32)
        out += cv2.resize(rough, (width, height), interpolation=cv2.INTER_CUBIC)
    return out.clip(8, 247).astype(np.uint8)


def passing(count: int = 9) -> tuple[np.ndarray, list[np.ndarray], list[np.ndarray]]:
    """The background, pictures of a blue thing that crosses it, and its mattes."""
    clean, rng = quay(), np.random.default_rng(5)
    pictures, mattes = [], []
    for n in range(count):
        matte = np.zeros(clean.shape[:2], np.float32)
        cv2.ellipse(matte, (25 + 24 * n, 95), (16, 40), 0, 0, 360, 1, -1)
        picture = np.where(matte[..., None] > 0, (40, 70, 190), clean) + rng.normal(0, 3, clean.shape)
        pictures.append(picture.clip(0, 255).astype(np.uint8))
        mattes.append(matte)
    return clean, pictures, mattes


def key(**changes: Any) -> dict[str, Any]:
    return {**DifferenceKeyParams().at(START), **changes}


def overlap(a: np.ndarray, b: np.ndarray) -> float:
    return float(((a > 0.5) & (b > 0.5)).sum() / ((a > 0.5) | (b > 0.5)).sum())


def test_a_difference_key_finds_what_the_clean_plate_has_not() -> None:
    clean, pictures, mattes = passing()
    # the blur before it costs a pixel along the outline of a thing that is 32 wide
    assert overlap(difference_key(pictures[4], key(), HERE, [clean]), mattes[4]) > 0.9
    assert overlap(difference_key(pictures[4], key(blur=0.0, tolerance=0.1), HERE, [clean]), mattes[4]) > 0.95
    assert difference_key(clean, key(), HERE, [clean]).max() == 0
    assert difference_key(pictures[4], key(), HERE, [None]).max() == 0


def test_the_clean_plate_is_brought_to_the_frames_light_and_place() -> None:
    clean, pictures, mattes = passing()
    turn = np.array([[1, 0, 2.4], [0, 1, -1.6]])
    moved = cv2.warpAffine(pictures[4], turn, (240, 180), borderMode=cv2.BORDER_REPLICATE)
    there = cv2.warpAffine(mattes[4], turn, (240, 180))
    darker = (moved * np.array([0.8, 0.72, 0.65])).astype(np.uint8)
    with_match = difference_key(darker, key(), HERE, [clean])
    assert overlap(with_match, there) > 0.9
    assert overlap(difference_key(darker, key(exposure=False, shift=False), HERE, [clean]), there) < 0.4
    _, gain = matched(darker, clean, True, True)
    assert gain == pytest.approx([0.8, 0.72, 0.65], abs=0.04)


def test_shadows_and_cast_light_are_dropped_as_far_as_asked() -> None:
    clean = quay()
    shade = np.ones(clean.shape[:2], np.float32)
    shade[60:120, 60:120] = 0.72
    dark = (clean * shade[..., None]).astype(np.uint8)
    lit = (clean * (2 - shade)[..., None]).clip(0, 255).astype(np.uint8)
    plain = key(exposure=False, shift=False, tolerance=0.05, soft=0.02, cast=0.0, shadow=0.0)
    for picture, name in ((dark, "shadow"), (lit, "cast")):
        part = difference_key(picture, plain, HERE, [clean])[70:110, 70:110]
        assert part.mean() > 0.8
        assert difference_key(picture, {**plain, name: 1.0}, HERE, [clean])[70:110, 70:110].mean() < 0.05


def test_one_press_sets_a_difference_key() -> None:
    clean, pictures, mattes = passing()
    values = key(tolerance=0.5)
    values |= suggested(pictures[3], clean, values, 1.0)
    for n in (1, 3, 6):
        assert overlap(difference_key(pictures[n], values, HERE, [clean]), mattes[n]) > 0.9


def lamplit(seed: int = 11) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """A dark place, the same with someone in its own colours who carries a lamp, grain over all of it; and coverage."""
    rng = np.random.default_rng(seed)
    clean = (cv2.resize(quay(), (480, 360), interpolation=cv2.INTER_CUBIC) * 0.5).astype(np.uint8)
    h, w = clean.shape[:2]
    matte = np.zeros((h, w), np.float32)
    cv2.ellipse(matte, (240, 190), (42, 95), 0, 0, 360, 1, -1, cv2.LINE_AA)
    cv2.circle(matte, (240, 80), 26, 1, -1, cv2.LINE_AA)
    # a coat of the place's own colours from elsewhere in it: nothing but its texture tells it
    coat = np.roll(clean, (70, 160), (0, 1)).astype(np.float32) * (1.15, 1.0, 0.85)
    picture = clean + matte[..., None] * (coat - clean)
    y, x = np.mgrid[0:h, 0:w]
    lamp = np.exp(-(np.square((x - 330) / 70) + np.square((y - 200) / 60)))[..., None]
    picture = picture * (1 + 0.9 * lamp * (1.0, 0.85, 0.6)) + rng.normal(0, 5, picture.shape)
    return clean, picture.clip(0, 255).astype(np.uint8), matte


def test_whole_things_are_told_from_the_light_they_throw() -> None:
    clean, picture, matte = lamplit()
    whole = difference_key(picture, key(solve=1.0), HERE, [clean])
    plain = max(
        overlap(difference_key(picture, key(tolerance=t, cast=c, blur=3.0), HERE, [clean]), matte)
        for t in (0.02, 0.04, 0.07, 0.1, 0.15)
        for c in (0.0, 1.0)
    )
    assert overlap(whole, matte) > max(0.9, plain + 0.1)
    half = difference_key(picture, key(solve=0.5), HERE, [clean])
    threshold = difference_key(picture, key(), HERE, [clean])
    least, most = np.minimum(whole, threshold), np.maximum(whole, threshold)
    assert ((half >= least - 1e-5) & (half <= most + 1e-5)).all()


def test_grain_and_other_light_alone_are_no_thing() -> None:
    clean, _, _ = lamplit()
    noise = np.random.default_rng(3).normal(0, 6, clean.shape)
    seen = (clean * np.array([1.15, 1.05, 0.9]) + noise).clip(0, 255).astype(np.uint8)
    assert difference_key(seen, key(solve=1.0), HERE, [clean]).mean() < 0.002


def test_grain_is_measured_at_each_level_of_light() -> None:
    clean = np.repeat(np.linspace(20, 230, 320, dtype=np.float32)[None, :, None], 200, axis=0).repeat(3, axis=2)
    rough = np.where(clean < 128, 9.0, 3.0)
    seen = clean + np.random.default_rng(1).normal(0, 1, clean.shape) * rough
    # a thing that fills a part of every level hardly counts as grain
    seen[:20] = 255
    found = grain(seen.clip(0, 255).astype(np.uint8), clean.astype(np.uint8))
    assert found[4, 0] == pytest.approx(9, rel=0.25)
    assert found[12, 0] == pytest.approx(3, rel=0.4)
    # levels that the place does not have are like their neighbours
    assert found[0, 0] == found[1, 0]
    assert (grain(seen[:2, :2].astype(np.uint8), clean[:2, :2].astype(np.uint8)) == 1).all()


def test_a_clean_plate_takes_on_the_light_of_what_is_free() -> None:
    clean = (quay() * 0.6).astype(np.uint8)
    h, w = clean.shape[:2]
    y, x = np.mgrid[0:h, 0:w]
    halo = 60 * np.exp(-(np.square((x - 150) / 30) + np.square((y - 80) / 25)))
    seen = (clean + halo[..., None]).clip(0, 255).astype(np.uint8)
    found = np.zeros((h, w), np.float32)
    found[70:90, 100:120] = 1
    picture = seen.copy()
    picture[found > 0] = (250, 10, 10)
    plate = relit(picture, clean, found)
    free = found == 0
    assert np.abs(plate.astype(float) - seen)[free].mean() < 0.4 * np.abs(clean.astype(float) - seen)[free].mean()
    # the thing's own colours do not spread, and where nothing is free nothing is known
    assert np.abs(plate.astype(float) - seen)[~free].mean() < 15
    assert np.array_equal(relit(picture, clean, np.ones_like(found)), clean)


def test_a_clean_plate_is_what_most_frames_show() -> None:
    clean, pictures, mattes = passing()
    plate, seen = median_plate(pictures)
    assert np.abs(plate.astype(int) - clean).mean() < 2
    assert (seen == 1).all()
    # a thing that stands in one place for most of the time is still seen around when it is known where it is
    slow = [pictures[0]] * 6 + pictures[6:]
    known = [mattes[0]] * 6 + mattes[6:]
    there = mattes[0] > 0
    assert np.abs(median_plate(slow)[0].astype(int) - clean)[there].mean() > 20
    plate, seen = median_plate(slow, known)
    assert np.abs(plate.astype(int) - clean)[there].mean() < 4
    assert seen[there].max() < 0.5


def test_where_no_frame_shows_the_background_it_is_told() -> None:
    _, pictures, mattes = passing(3)
    always = [np.maximum.reduce(mattes)] * 3
    plate, seen = median_plate(pictures, always)
    assert (seen[always[0] > 0] == 0).all()
    assert plate.shape == pictures[0].shape


def test_held_frames_are_joined_softly() -> None:
    a, b = np.full((20, 30, 3), 10, np.uint8), np.full((20, 30, 3), 210, np.uint8)
    cover = np.tile(np.linspace(0, 1, 30, dtype=np.float32), (20, 1))
    out = joined_plate(a, [(b, cover)])
    assert out[0, 0].tolist() == [10] * 3
    assert out[0, -1].tolist() == [210] * 3
    assert (np.diff(out[0, :, 0].astype(int)) >= 0).all()
    assert spaced(0, 99, 5) == [0, 25, 50, 74, 99]
    assert spaced(3, 4) == [3, 4]


def test_a_range_takes_more_colours_in_and_lets_some_go() -> None:
    red, orange = (np.full((8, 8, 3), c, np.uint8) for c in ((200, 30, 30), (220, 130, 30)))
    box = (0, 0, 8, 8)
    values = {**ColourKeyParams().at(START), **sampled(red, box)}
    assert colour_key(orange, values, HERE).max() < 0.2
    wide = {**values, **widened(values, sampled(orange, box))}
    assert colour_key(red, wide, HERE).min() > 0.9
    assert colour_key(orange, wide, HERE).min() > 0.9
    less = {**wide, **narrowed(wide, sampled(orange, box))}
    assert colour_key(orange, less, HERE).max() < 0.1
    assert colour_key(red, less, HERE).min() > 0.9
    assert narrowed(values, sampled(orange, box)) == {} or colour_key(red, values, HERE).min() > 0.9


def test_a_picture_is_spread_over_what_keys_measure() -> None:
    found = spread_of(np.full((10, 10, 3), (255, 0, 0), np.uint8))
    assert found["hue"].index(1.0) == int(29.2 / 5)
    assert found["light"].index(1.0) == int(0.628 * 50)
    assert found["luma"].index(1.0) == int(0.2126 * 64)
    assert sum(found["chroma"]) == 1


def test_channels_and_fits_of_footage() -> None:
    picture = np.zeros((4, 4, 3), np.uint8)
    picture[:, 2:] = (255, 102, 0)
    assert channel_of(picture, "red")[0].tolist() == [0, 0, 1, 1]
    assert channel_of(picture, "green")[0, 3] == pytest.approx(0.4)
    assert channel_of(picture, "luminance")[0, 3] == pytest.approx(0.2126 + 0.7152 * 0.4, abs=1e-5)
    wide = np.tile(np.linspace(0, 1, 40, dtype=np.float32), (10, 1))
    for how in ("fill", "whole", "stretch"):
        assert fitted(wide, (20, 20), how).shape == (20, 20)
    assert fitted(wide, (20, 20), "whole")[0].max() == 0
    assert fitted(wide, (20, 20), "fill")[0, 0] > 0.2
    assert fitted(wide, (20, 20), "stretch")[0, 0] < 0.05
    values = {**FootageParams().at(START), "low": 0.25, "high": 0.75}
    out = footage_matte(np.zeros((10, 40, 3), np.uint8), values, HERE, [wide])
    assert out[0, 5] == 0
    assert out[0, 35] == 1
    assert footage_matte(picture, values, HERE, [None]).max() == 0


def test_the_alpha_of_a_sequence_is_read(tmp_path: Path) -> None:
    picture = np.zeros((6, 8, 4), np.uint8)
    picture[2:4, 2:6, 3] = 200
    still = tmp_path / "a.png"
    still.write_bytes(png_bytes(picture))
    pack_sequence([("a.png", still)], tmp_path / "a.zip")
    info = probe(tmp_path / "a.zip")
    assert info.alpha
    assert (Reader(tmp_path / "a.zip", info, wanted="alpha").frame(0) == picture[..., 3]).all()
    still.write_bytes(png_bytes(picture[..., :3]))
    pack_sequence([("a.png", still)], tmp_path / "b.zip")
    assert (Reader(tmp_path / "b.zip", probe(tmp_path / "b.zip"), wanted="alpha").frame(0) == 255).all()


def stand(*pulls: dict[str, Any], **changes: Any) -> Stand:
    raw = document(
        mattes=[{"id": "m1", "name": "Signaller", "pulls": list(pulls)}],
        footage=[footage(), footage(frames=3, fid="2")],
        **changes,
    )
    return Stand(read_shot(raw), FakeSources())


def test_footage_holds_its_last_frame_and_is_moved_in_time() -> None:
    def cover(frame: int, offset: int = 0) -> np.ndarray:
        params = {"footage": "2", "channel": "red", "offset": offset}
        desk = stand({"id": "u1", "kind": "footage", "params": params})
        return work_out(desk.matte("m1", frame), Cache(1 << 24))

    red = FakeSources().plate(2)[..., 0] / np.float32(255)
    assert np.abs(cover(7) - red).max() < 1e-6
    assert (cover(7) == cover(2)).all()
    assert (cover(4, offset=2) == cover(2)).all()
    assert (cover(0, offset=5) == cover(0)).all()


def test_a_planes_picture_makes_a_matte_but_never_in_a_circle() -> None:
    params = {"plane": "p4", "channel": "luminance"}
    desk = stand({"id": "u1", "kind": "footage", "params": params})
    found = work_out(desk.matte("m1", 2), Cache(1 << 24))
    assert np.abs(found - channel_of(FakeSources().plate(2), "luminance")).max() < 0.01
    with pytest.raises(RecipeError, match="circle"):
        stand({"id": "u1", "kind": "footage", "params": {**params, "plane": "p3"}})


@pytest.mark.parametrize(
    ("kind", "params"), [("difference_key", {"plate": "9"}), ("footage", {"footage": "9"}), ("footage", {"plane": "9"})]
)
def test_a_pull_names_only_what_is_there(kind: str, params: dict[str, Any]) -> None:
    with pytest.raises(RecipeError, match="not there"):
        stand({"id": "u1", "kind": kind, "params": params})


def test_a_still_shape_is_one_picture_for_all_its_frames() -> None:
    still = {
        "id": "h1",
        "name": "Hand",
        "kind": "ellipse",
        "keys": [{"frame": 0, "x": 30, "y": 20, "width": 20, "height": 10}],
    }
    desk = stand({"id": "u1", "kind": "shape", "shapes": [still]})
    assert desk.matte("m1", 0).key == desk.matte("m1", 6).key
    moving = {**still, "keys": [*still["keys"], {"frame": 6, "x": 40, "y": 20, "width": 20, "height": 10}]}
    desk = stand({"id": "u1", "kind": "shape", "shapes": [moving]})
    assert desk.matte("m1", 0).key != desk.matte("m1", 3).key
    assert work_out(desk.matte("m1", 3), Cache(1 << 24)).sum() == pytest.approx(np.pi * 50, rel=5e-3)


def test_views_stop_after_some_of_the_pulls() -> None:
    trace, key_ = {"id": "t1", "kind": "trace"}, {"id": "u1", "kind": "luma_key", "join": "intersect"}
    desk, first = stand(trace, key_), stand(trace)
    cache = Cache(1 << 24)

    def picture(of: Stand, wanted: View) -> np.ndarray:
        return work_out(view(of, wanted, 1), cache)

    assert (picture(desk, MatteView(matte="m1", pulls=1)) == picture(first, MatteView(matte="m1"))).all()
    assert (picture(desk, MatteView(matte="m1")) != picture(first, MatteView(matte="m1"))).any()


def test_the_change_view_and_a_ground_of_any_colour() -> None:
    desk, cache = stand({"id": "t1", "kind": "trace"}), Cache(1 << 24)
    still, moved = (work_out(view(desk, ChangeView(matte="m1"), f), cache) for f in (0, 3))
    assert (still[..., 0] == still[..., 1]).all(), "nothing changes on the first frame"
    gained, lost = moved[20, 36], moved[20, 12]
    assert gained[2] > gained[0] + 40
    assert lost[0] > lost[2] + 40
    out = work_out(view(desk, CutoutView(matte="m1", ground="#2f6f4f"), 0), cache)
    assert out[0, 0].tolist() == [0x2F, 0x6F, 0x4F]


def test_coverage_is_drawn_darker_where_less_was_seen_and_hatched_where_nothing_was() -> None:
    plate = np.full((60, 100, 3), 200, np.uint8)
    seen = np.full((60, 100), np.float32(1))
    seen[:, 40:60] = 0.25
    seen[:, 70:90] = 0
    drawn = drawn_coverage(plate, seen)
    assert drawn.shape == plate.shape
    assert (drawn[:, :35] == 200).all()
    assert drawn[:, 45:55].mean() < 150
    red = drawn[:, 74:86].reshape(-1, 3).mean(axis=0)
    assert red[0] > 2 * red[2]
    assert drawn_coverage(np.repeat(plate, 20, 1), np.repeat(seen, 20, 1)).shape[1] == 640


def confined(*pulls: dict[str, Any]) -> dict[str, Any]:
    box = {
        "id": "h1",
        "name": "Box",
        "kind": "box",
        "keys": [{"frame": 0, "x": 20, "y": 24, "width": 20, "height": 20}],
    }
    left = {"id": "left", "name": "Left", "pulls": [{"id": "s1", "kind": "shape", "shapes": [box]}]}
    return document(mattes=[{"id": "m1", "name": "Signaller", "pulls": list(pulls)}, left])


def matte_of(raw: dict[str, Any], pulls: int | None = None) -> np.ndarray:
    stand = Stand(read_shot(raw), FakeSources())
    return work_out((stand if pulls is None else stand.bare(pulls)).matte("m1", 3), Cache(1 << 28))


def test_a_pull_is_confined_to_another_matte_or_to_all_but_it() -> None:
    trace = {"id": "t1", "kind": "trace"}
    whole = FakeSources().box(3)
    within = work_out(Stand(read_shot(confined(trace)), FakeSources()).matte("left", 3), Cache(1 << 28))
    assert 0 < within.sum() < within.size / 2
    inside = matte_of(confined({**trace, "region": "left"}))
    outside = matte_of(confined({**trace, "region": "left", "beyond": True}))
    assert np.allclose(inside, whole * within, atol=1e-6)
    assert np.allclose(inside + outside, whole, atol=1e-6)
    # inverted, it is so within its region alone
    turned = matte_of(confined({**trace, "region": "left", "invert": True}))
    assert np.allclose(turned, (1 - whole) * within, atol=1e-6)
    # a region counts whole, however much of the confined matte is looked at
    assert np.allclose(matte_of(confined({**trace, "region": "left"}), pulls=1), inside)


def test_a_region_that_is_not_there_or_needs_the_matte_itself_is_refused() -> None:
    with pytest.raises(RecipeError, match="nobody"):
        read_shot(confined({"id": "t1", "kind": "trace", "region": "nobody"}))
    with pytest.raises(RecipeError, match="circle"):
        read_shot(confined({"id": "t1", "kind": "trace", "region": "m1"}))
    raw = confined({"id": "t1", "kind": "trace", "region": "left"})
    raw["mattes"][1]["pulls"].append({"id": "t2", "kind": "trace", "region": "m1"})
    with pytest.raises(RecipeError, match="circle"):
        read_shot(raw)


def test_a_settled_matte_is_out_of_date_when_the_rate_that_drives_it_or_how_its_plate_is_read_changes() -> None:

    def at(fps: float, **params: Any) -> Any:
        matte = {"id": "m1", "name": "Light", "pulls": [{"id": "k1", "kind": "luma_key", "params": params}]}
        return read_shot(document(mattes=[matte], planes=[], format={"fps": fps}))

    assert settling_key(at(25), "m1", []) == settling_key(at(50), "m1", []), "nothing in it passes with time"
    driven = [at(fps, low={"drive": "rate", "base": 0.5, "amount": 0.1}) for fps in (25, 50)]
    keys = [settling_key(one, "m1", []) for one in driven]
    assert keys[0] != keys[1]
    assert settling_key(driven[0], "m1", [], {"1": {}}) == keys[0]
    assert settling_key(driven[0], "m1", [], {"1": {"range": "full"}}) != keys[0]
    assert settling_key(driven[0], "m1", [], {"7": {"range": "full"}}) == keys[0], "it does not use that"


def test_a_settled_matte_is_out_of_date_when_its_region_changes() -> None:
    raw = confined({"id": "t1", "kind": "trace", "region": "left"})
    before = settling_key(read_shot(raw), "m1", [])
    raw["mattes"][1]["pulls"][0]["shapes"][0]["keys"][0]["x"] = 30
    assert settling_key(read_shot(raw), "m1", []) != before
