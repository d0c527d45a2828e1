"""Trace: the matte of one frame from marks, against the truth."""

import numpy as np
import pytest

from cuvrel.core.checks.quality import overlap
from cuvrel.core.follow.artist import mended
from cuvrel.core.imaging.relaxed_cut import edge_weights, geodesic, relax
from cuvrel.core.recipe.errors import TraceError
from cuvrel.core.recipe.models import Mark
from cuvrel.core.trace.clues import QUARTERS
from cuvrel.core.trace.colour_model import ColourMemory, to_lab
from cuvrel.core.trace.marks import rasterise
from cuvrel.core.trace.prepared import Prepared, sizes
from cuvrel.core.trace.trace import again, clues, first_look, of_one_piece, owned, trace
from cuvrel.core.trace.upsampling import bounds, soften
from tests.conftest import Clip


def scene(seed: int = 1, size: tuple[int, int] = (240, 320)) -> tuple[np.ndarray, np.ndarray]:
    """A textured disc before a textured ground, and its truth."""
    rng = np.random.default_rng(seed)
    y, x = np.mgrid[0 : size[0], 0 : size[1]]
    truth = np.clip(70 - np.hypot(x - size[1] / 2, y - size[0] / 2) + 0.5, 0, 1).astype(np.float32)
    texture = rng.normal(0, 14, (*size, 3)) + 12 * np.sin(x / 7 + y / 11)[..., None]
    subject, ground = np.array([170, 70, 60]) + texture, np.array([70, 110, 140]) + texture[::-1]
    rgb = subject * truth[..., None] + ground * (1 - truth[..., None])
    return rgb.clip(0, 255).astype(np.uint8), truth


def mark(kind: str, *points: tuple[float, float], radius: float = 4.0, frame: int = 0) -> Mark:
    return Mark(
        id=f"{kind}{points[0][0]:.0f}x{points[0][1]:.0f}".replace(".", "_"),
        frame=frame,
        kind=kind,
        radius=radius,
        points=list(points),
    )


MARKS = [mark("in", (130, 120), (190, 120)), mark("out", (20, 20), (300, 20)), mark("out", (20, 220), (300, 220))]


def test_three_marks_are_enough_for_a_plain_subject() -> None:
    rgb, truth = scene()
    assert overlap(trace(rgb, MARKS), truth) > 0.97


def test_marks_on_the_demo_figure(clip: Clip) -> None:
    frame = clip.about["frame"]
    matte = trace(clip.frame(frame), clip.marks())
    assert matte.shape == (clip.info.height, clip.info.width)
    assert matte.dtype == np.float32
    assert 0 <= matte.min() <= matte.max() <= 1
    assert overlap(matte, clip.truth(frame)) > 0.75


def test_a_second_look_knows_what_the_first_one_found() -> None:
    rgb, truth = scene()
    ready = Prepared(rgb)
    small = ready.sizes.small
    scale = small[1] / rgb.shape[1], small[0] / rgb.shape[0]
    inside, outside = (rasterise(MARKS, kind, small, scale) for kind in ("in", "out"))
    first = clues(ready, inside, outside, None)
    found = first_look(first)
    assert found.shape == small
    assert 0 <= found.min() <= found.max() <= 1
    second = again(ready, first, found)
    state = QUARTERS + 5
    assert (first.stack[state] == -1).all()
    assert (second.stack[state] == 0).all()
    assert np.allclose(second.stack[state - 1], 2 * found[second.box] - 1)
    assert (clues(ready, inside, outside, truth).stack[state] == 1).all()
    # a look that finds another thing is asked about that thing's colours
    ground = again(ready, first, 1 - found).from_marks.odds
    at = found > 0.9
    assert second.from_marks.odds[at].mean() > ground[at].mean() + 1


def test_colours_that_only_the_subject_has_are_its_own() -> None:
    rgb = np.full((180, 320, 3), (90, 110, 120), np.uint8)
    rgb[60:120, 130:190] = (170, 70, 60)
    rgb[54:60, 130:190] = (40, 60, 200)  # a hem
    rgb[:30] = (150, 160, 170)  # also seen nowhere near the subject
    inside = np.zeros((180, 320), bool)
    inside[60:120, 130:190] = True
    own = owned(to_lab(rgb), inside)
    assert own[56, 150] > 1
    assert own[90, 160] > 1
    assert own[20, 160] < -1
    assert own[150, 40] < 0


def test_a_marked_pixel_is_what_the_mark_says() -> None:
    rgb, _ = scene()
    out = mark("out", (150, 110), (160, 110), radius=3)
    matte = trace(rgb, [*MARKS, out])
    assert (matte[rasterise([out], "out", matte.shape, (1, 1))] == 0).all()
    assert (matte[rasterise(MARKS[:1], "in", matte.shape, (1, 1))] == 1).mean() > 0.9


def test_the_same_marks_give_the_same_matte_prepared_or_not() -> None:
    rgb, _ = scene()
    ready = Prepared(rgb)
    first = trace(ready, MARKS)
    assert np.array_equal(first, trace(ready, MARKS))
    assert np.array_equal(first, trace(rgb, MARKS))


def test_out_marks_alone_can_not_be_solved() -> None:
    rgb, _ = scene()
    with pytest.raises(TraceError, match="in mark"):
        trace(rgb, MARKS[1:])


@pytest.mark.parametrize("size", [(3, 5), (40, 700), (17, 16)])
def test_any_size_of_picture(size: tuple[int, int]) -> None:
    rgb = np.random.default_rng(1).integers(0, 255, (*size, 3), dtype=np.uint8)
    matte = trace(rgb, [mark("in", (size[1] / 2, size[0] / 2), radius=1)])
    assert matte.shape == size
    assert np.isfinite(matte).all()


def test_marks_outside_the_picture_do_no_harm() -> None:
    rgb, truth = scene()
    far = [mark("out", (-5000.0, 9000.0), (1e6, -1e6)), mark("in", (-50.0, -50.0))]
    assert overlap(trace(rgb, [*MARKS, far[1]]), truth) > 0.95


def test_a_mend_changes_what_it_is_near_and_leaves_the_rest() -> None:
    rgb, truth = scene()
    wrong = truth.copy()
    wrong[60:100, 230:300] = 1  # a lump of ground taken in
    mended = trace(rgb, [mark("out", (250, 75), (285, 85))], prior=wrong)
    assert overlap(mended, truth) > 0.96 > overlap(wrong, truth)
    left = np.s_[:, :140]
    assert np.abs(mended[left] - wrong[left]).mean() < 0.01


def test_a_mend_brings_back_what_was_lost() -> None:
    rgb, truth = scene()
    wrong = truth.copy()
    wrong[:, :140] = 0
    mended = trace(rgb, [mark("in", (110, 110), (125, 140))], prior=wrong)
    assert overlap(mended, truth) > overlap(wrong, truth) + 0.1


def test_what_is_of_one_piece_with_a_mended_place_is_mended_as_a_whole() -> None:
    changed, struck = np.zeros((2, 80, 120), bool)
    changed[10:16, 10:100] = changed[40:50, 40:60] = struck[12:14, 20:24] = True
    free = of_one_piece(changed, struck)
    assert free[10:16, 10:100].min() > 0.95, "a strip, from end to end"
    assert free[30:].max() == 0, "not what lies apart from it"
    assert not of_one_piece(changed, np.zeros_like(struck)).any(), "and nothing that no mark asks for"


def test_the_artist_mends_a_frame_until_that_is_enough() -> None:
    rgb, truth = scene()
    reached = truth.copy()
    reached[:, 180:] = 0
    ready = Prepared(rgb)
    matte, marks = mended(ready, reached, truth, 4, enough=0.9)
    assert marks[0].kind == "in"
    assert overlap(matte, truth) > max(0.9, overlap(reached, truth) + 0.1)
    kept, same = mended(ready, None, truth, 4, marks, enough=0.1)
    assert same == marks
    assert np.array_equal(kept, trace(ready, marks))
    assert mended(ready, reached, truth, 0)[1] == []
    reached = truth.copy()
    reached[20:50, 20:60] = reached[20:50, 250:290] = reached[150:170, 250:290] = 1  # three lumps of ground taken in
    _, one = mended(ready, reached, truth, 1)
    matte, all_of_them = mended(ready, reached, truth, 1, holds=0.97)
    assert all_of_them[:1] == one
    assert len(all_of_them) > len(one) == 1, "beyond the most as many as it takes"
    assert overlap(matte, truth) >= 0.97


def test_detail_0_is_a_plain_outline() -> None:
    rgb, truth = scene()
    plain, fine = trace(rgb, MARKS, detail=0.0), trace(rgb, MARKS, detail=1.0)
    assert overlap(plain, truth) > 0.96
    assert not np.array_equal(plain, fine)


# its parts


def test_the_solve_is_the_same_on_any_number_of_cores(monkeypatch: pytest.MonkeyPatch) -> None:
    rng = np.random.default_rng(4)
    r = rng.normal(0, 1, (150, 40)).astype(np.float32)
    wx, wy = rng.uniform(0, 2, (2, *r.shape)).astype(np.float32)
    found = []
    for cores in (1, 2, 3):
        monkeypatch.setattr("cuvrel.core.imaging.relaxed_cut.CORES", cores)
        found.append(relax((r < 0).astype(np.float32), r, wx, wy, 50))
    assert np.array_equal(found[0], found[1])
    assert np.array_equal(found[0], found[2])


def test_the_relaxed_solve_finds_the_minimal_cut() -> None:
    """A noisy step: data say half and half, smoothness prefers the straight border."""
    rng = np.random.default_rng(5)
    r = np.where(np.arange(40)[None, :] < 20, -1.0, 1.0) + rng.normal(0, 0.8, (30, 40))
    weights = np.full((30, 40), 1.5, np.float32)
    u = relax(np.full((30, 40), 0.5, np.float32), r.astype(np.float32), weights, weights, 300)
    assert ((u > 0.5) == (np.arange(40)[None, :] < 20)).mean() > 0.97

    # its energy is no higher than that of the true border or of no border
    def energy(v: np.ndarray) -> float:
        return float((r * v).sum() + 1.5 * (np.abs(np.diff(v, axis=0)).sum() + np.abs(np.diff(v, axis=1)).sum()))

    hard = (u > 0.5).astype(float)
    straight = np.repeat((np.arange(40) < 20).astype(float)[None], 30, axis=0)
    assert energy(hard) <= min(energy(straight), energy(np.zeros_like(hard))) + 1e-6


def test_without_smoothness_every_pixel_decides_alone() -> None:
    r = np.random.default_rng(6).normal(0, 1, (12, 9)).astype(np.float32)
    none = np.zeros((12, 9), np.float32)
    u = relax(np.full((12, 9), 0.5, np.float32), r, none, none, 200)
    clear = np.abs(r) > 0.05
    assert ((u > 0.5) == (r < 0))[clear].all()


def test_edges_are_cheap_to_cut_where_the_colour_changes() -> None:
    lab = np.zeros((8, 8, 3), np.float32)
    lab[:, 4:] = 80
    wx, wy = edge_weights(lab, 2.0)
    assert wx[3, 3] < 0.2 * wx[3, 1]
    assert np.allclose(wy, wy[0, 0])


def test_geodesic_distance_goes_around_walls() -> None:
    cost = np.ones((21, 21), np.float32)
    cost[2:21, 10] = 1000  # a wall with a gap at the top
    seeds = np.zeros((21, 21), bool)
    seeds[18, 5] = True
    d = geodesic(seeds, cost)
    assert d[18, 5] == 0
    assert d[18, 8] == pytest.approx(3)
    assert 25 < d[18, 14] < 60  # over the top, not through


def test_the_colour_memory_knows_places() -> None:
    """The same red is the subject on the left and not on the right."""
    rgb = np.full((60, 120, 3), (150, 40, 40), np.uint8)
    rgb[30:] = (40, 60, 150)
    lab = to_lab(rgb)
    left = np.zeros((60, 120), np.float32)
    left[:30, :60] = 1
    memory = ColourMemory((60, 120), cells=8, reach=1)
    memory.add(lab, left, 1 - left)
    odds, trust = memory.odds(lab, np.ones((60, 120), np.uint8))
    assert odds[10, 10] > 1 > -1 > odds[10, 110]
    assert odds[50, 10] < -1
    assert trust.min() > 0.5


def test_the_colour_memory_does_not_trust_what_it_never_saw() -> None:
    red, green = (to_lab(np.full((20, 20, 3), c, np.uint8)) for c in ((200, 30, 30), (30, 200, 30)))
    memory = ColourMemory((20, 20))
    memory.add(red, np.ones((20, 20), np.float32), np.zeros((20, 20), np.float32))
    everywhere = np.ones((20, 20), np.uint8)
    assert memory.odds(red, everywhere)[1].min() > 0.9
    assert memory.odds(green, everywhere)[1].max() < 0.1
    memory.fade(0.0)
    memory.add(green, np.zeros((20, 20), np.float32), np.ones((20, 20), np.float32))
    assert memory.odds(green, everywhere)[0].max() < 0


def test_softening_keeps_the_size_and_the_area() -> None:
    rgb, truth = scene()
    hard = (truth > 0.5).astype(np.float32)
    small = hard[::2, ::2].copy()
    for u in (hard, small):
        alpha = soften(u, rgb)
        assert alpha.shape == truth.shape
        assert alpha.sum() == pytest.approx(truth.sum(), rel=0.03)
    assert soften(np.zeros_like(hard), rgb).max() == 0


def test_bounds_of_a_mask() -> None:
    mask = np.zeros((10, 12), np.uint8)
    assert bounds(mask, 1) is None
    mask[4:6, 7:12] = 1
    assert bounds(mask, 2) == (slice(2, 8), slice(5, 12))


def test_a_mark_covers_what_a_pencil_of_its_radius_would() -> None:
    line = mark("in", (10.5, 10.5), (40.5, 10.5), radius=5)
    mask = rasterise([line], "in", (30, 60), (1, 1))
    assert mask.sum() == pytest.approx(30 * 10 + np.pi * 25, rel=0.15)
    assert rasterise([line], "out", (30, 60), (1, 1)).sum() == 0
    tiny = rasterise([mark("in", (10, 10), radius=0.1)], "in", (8, 15), (0.25, 0.25))
    assert tiny.sum() >= 1


def test_work_is_done_at_a_bounded_size() -> None:
    assert sizes(2160, 3840).work == (540, 960)
    assert sizes(100, 200).work == (100, 200)
    assert sizes(2160, 3840).small == (180, 320)


def test_a_lasso_marks_all_inside_and_near_marks_all_beyond() -> None:
    square = [(10.0, 10.0), (30.0, 10.0), (30.0, 30.0), (10.0, 30.0)]
    lasso = Mark(id="l", frame=0, kind="in", radius=2, points=square, fill=True)
    near = Mark(id="n", frame=0, kind="near", radius=2, points=square)
    inside = rasterise([lasso], "in", (40, 40), (1, 1))
    assert inside[11:29, 11:29].all()
    assert not inside[:8].any()
    beyond = rasterise([near], "out", (40, 40), (1, 1))
    assert not beyond[11:29, 11:29].any()
    assert beyond[:8].all()
    assert not rasterise([near], "in", (40, 40), (1, 1)).any()
    assert np.array_equal(rasterise([lasso], "in", (20, 20), (0.5, 0.5))[6:14, 6:14], np.ones((8, 8), bool))


def test_only_near_here_keeps_a_look_alike_out() -> None:
    rgb, truth = scene()
    twice = np.hstack([rgb, rgb])
    two = [mark("in", (130, 120), (190, 120)), mark("out", (20, 20), (600, 20)), mark("out", (20, 220), (600, 220))]
    near = Mark(id="n", frame=0, kind="near", radius=2, points=[(60, 20), (270, 20), (270, 225), (60, 225)])
    matte = trace(twice, [*two, near])
    assert matte[:, 320:].max() == 0
    assert overlap(matte[:, :320], truth) > 0.95


@pytest.mark.parametrize(("kind", "fill", "count"), [("in", False, 0), ("in", True, 2), ("near", False, 2)])
def test_a_mark_needs_enough_points(kind: str, fill: bool, count: int) -> None:
    with pytest.raises(ValueError, match="at least"):
        Mark(id="a", frame=0, kind=kind, radius=2, points=[(1.0, 2.0)] * count, fill=fill)
