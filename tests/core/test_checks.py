"""The measures of quality, against cases worked out by hand; the simulated artist."""

import cv2
import numpy as np
import pytest

from cuvrel.core.checks import quality
from cuvrel.core.checks.frames import look, verdicts
from cuvrel.core.follow.artist import next_mark
from cuvrel.core.trace.marks import rasterise


def box(left: int, right: int, size: int = 100) -> np.ndarray:
    out = np.zeros((size, size), np.float32)
    out[20:80, left:right] = 1
    return out


def test_overlap_of_boxes() -> None:
    assert quality.overlap(box(10, 50), box(10, 50)) == 1
    assert quality.overlap(box(10, 50), box(30, 70)) == pytest.approx(20 / 60)
    assert quality.overlap(box(10, 20), box(60, 70)) == 0
    empty = np.zeros((100, 100), np.float32)
    assert quality.overlap(empty, empty) == 1
    assert quality.overlap(empty, box(0, 9)) == 0


def test_contour_accuracy_forgives_a_pixel_and_not_ten() -> None:
    assert quality.contour_accuracy(box(10, 50), box(10, 50)) == 1
    assert quality.contour_accuracy(box(11, 50), box(10, 50)) == pytest.approx(1)
    assert quality.contour_accuracy(box(20, 60), box(10, 50)) < 0.85
    empty = np.zeros((100, 100), np.float32)
    assert quality.contour_accuracy(empty, empty) == 1
    assert quality.contour_accuracy(empty, box(10, 50)) == 0


def test_alpha_measures() -> None:
    a, b = box(10, 50), box(10, 51)
    assert quality.sad(a, b) == pytest.approx(60 / 1000)
    assert quality.mse(a, b) == pytest.approx(60 / 10_000)
    assert quality.gradient_error(a, a) == pytest.approx(0)
    assert quality.gradient_error(a, b) > 0


def test_steadiness_counts_changes_that_the_truth_does_not_make() -> None:
    a, b = box(10, 50), box(12, 52)
    assert quality.dtssd(b, a, b, a) == 0
    assert quality.dtssd(a, a, b, a) > 0
    shifted = np.clip(b * 0.9, 0, 1)
    assert quality.dtssd(shifted, np.clip(a * 0.9, 0, 1), b, a) < quality.dtssd(a, a, b, a)


def test_the_artist_marks_the_largest_fault_inside_it() -> None:
    truth, matte = box(10, 50), box(10, 50)
    matte[30:60, 60:90] = 1  # wrongly taken in
    matte[30:34, 20:24] = 0  # a small hole
    mark = next_mark(matte, truth)
    assert mark is not None
    drawn = rasterise([mark], "out", truth.shape, (1, 1))
    assert (truth[drawn] == 0).all()
    assert matte[drawn].mean() > 0.9


def test_the_artist_draws_in_marks_on_what_is_missing() -> None:
    mark = next_mark(box(10, 20), box(10, 50))
    assert mark is not None
    assert mark.kind == "in"
    assert all(20 < x < 50 and 20 < y < 80 for x, y in mark.points)


def test_the_artist_s_stroke_bends_with_what_is_wrong() -> None:
    truth = np.zeros((100, 100), np.float32)
    truth[10:90, 10:18] = truth[82:90, 10:90] = 1  # a hook
    mark = next_mark(np.zeros_like(truth), truth)
    assert mark is not None
    drawn = rasterise([mark], "in", truth.shape, (1, 1))
    assert truth[drawn].mean() > 0.98
    assert drawn[:30].any(), "up one leg"
    assert drawn[:, 70:].any(), "and along the other"


def test_the_artist_leaves_a_good_matte_alone() -> None:
    assert next_mark(box(10, 50), box(10, 50)) is None
    assert next_mark(box(10, 51), box(10, 50)) is None


def frames_of_a_disc(count: int = 9) -> list[tuple[np.ndarray, np.ndarray]]:
    """A disc that moves with its picture: mattes and pictures."""
    rng = np.random.default_rng(1)
    ground = cv2.GaussianBlur(rng.uniform(0, 255, (90, 120, 3)).astype(np.float32), (0, 0), 2)
    out = []
    for n in range(count):
        y, x = np.mgrid[0:90, 0:120]
        disc = np.clip(20.5 - np.hypot(x - 40 - 2 * n, y - 45), 0, 1).astype(np.float32)
        picture = ground * (1 - disc[..., None]) + np.roll(ground, 2 * n, axis=1)[::-1] * disc[..., None]
        out.append((disc, picture.astype(np.uint8)))
    return out


def looked(frames: list[tuple[np.ndarray, np.ndarray]]) -> list[np.ndarray]:
    return [look(m, p, frames[n - 1] if n else None).row() for n, (m, p) in enumerate(frames)]


def test_a_steady_matte_has_no_problem() -> None:
    assert all(not v.problems for v in verdicts(looked(frames_of_a_disc()), 0, 1.0))


def test_a_matte_that_begins_or_ends_is_no_problem_but_one_that_is_gone_for_a_while_is() -> None:
    frames = frames_of_a_disc()
    nothing = np.zeros_like(frames[0][0])

    def without(*empty: int) -> list[int]:
        some = [(nothing, p) if n in empty else (m, p) for n, (m, p) in enumerate(frames)]
        return [v.frame for v in verdicts(looked(some), 0, 1.0) if v.problems]

    last = len(frames) - 1
    assert without(*(n for n in range(last + 1) if n != 4)) == []
    assert without(0, 1, last) == []
    assert without(4) == [4]
    assert without(4, 5, 6) == [4, 5, 6]
    assert without(*range(2, 7)) == []
    gone = verdicts(looked([(nothing, p) if n == 4 else (m, p) for n, (m, p) in enumerate(frames)]), 0, 1.0)[4]
    assert gone.problems == ("jump",)
    holed = [(nothing, p) if n != 4 else (m, p) for n, (m, p) in enumerate(frames)]
    holed[4][0][42:48, 46:52] = 0
    assert look(*holed[4], None).holes == 1
    assert not any(v.problems for v in verdicts(looked(holed), 0, 1.0)), "there is no frame beside it to compare with"
    assert gone.jump == pytest.approx(-0.95, abs=0.01)


def test_a_hole_a_jump_and_chatter_are_each_pointed_out() -> None:
    frames = frames_of_a_disc()
    holed = frames[3][0].copy()
    holed[42:48, 42:48] = 0
    grown = np.maximum(frames[6][0], np.roll(frames[6][0], 14, axis=1))
    shifted = [(holed, p) if n == 3 else (grown, p) if n == 6 else (m, p) for n, (m, p) in enumerate(frames)]
    found = {v.frame: v for v in verdicts(looked(shifted), 100, 0.5)}
    assert found[103].problems == ("hole",) or "hole" in found[103].problems
    assert "jump" in found[106].problems
    assert found[106].jump > 0.3
    assert "chatter" in found[106].problems
    assert not found[101].problems
    assert verdicts([], 0, 1.0) == []
