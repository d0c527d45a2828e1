"""Dense motion: pieces of a fast subject, and pictures that OpenCV's own flow cannot take."""

from __future__ import annotations

import cv2
import numpy as np
import pytest
from numpy.typing import NDArray

from cuvrel.core.arrays import U8
from cuvrel.core.motion.dense import Dense
from cuvrel.core.motion.flow import Flow, Warp, pieces, sample


def textured(height: int, width: int, seed: int = 3) -> U8:
    noise = np.random.default_rng(seed).integers(0, 256, (height, width)).astype(np.uint8)
    soft = cv2.GaussianBlur(noise, (0, 0), 2.0).astype(np.float32)
    return np.clip((soft - soft.mean()) * 3 + 128, 0, 255).astype(np.uint8)


@pytest.mark.parametrize("size", [(20, 120), (120, 20), (8, 8), (31, 226), (40, 120)])
def test_a_narrow_picture_has_its_motion_found(size: tuple[int, int]) -> None:
    wide = textured(size[0] + 8, size[1] + 8)
    here, there = (np.ascontiguousarray(wide[4 : 4 + size[0], x : x + size[1]]) for x in (4, 3))
    flow = Dense().between(here, there)
    assert flow.shape == (*size, 2)
    if min(size) > 16:
        assert np.abs(np.median(flow, axis=(0, 1)) - (1, 0)).max() < 0.4


def test_motion_is_the_same_after_a_small_picture_was_looked_at() -> None:
    wide = textured(200, 300)
    here, there = (np.ascontiguousarray(wide[8:-8, x : x + 280]) for x in (8, 5))
    dense = Dense(smoothing=0)
    first = dense.between(here, there)
    dense.between(here[:40, :40].copy(), there[:40, :40].copy())
    assert np.array_equal(dense.between(here, there), first)


def test_a_warp_reads_several_planes_as_it_reads_each_and_a_box_as_the_whole() -> None:
    rng = np.random.default_rng(5)
    planes, flow = (rng.normal(0, 3, (40, 60, n)).astype(np.float32) for n in (3, 2))
    whole = Warp(flow).of(planes)
    for n in range(3):
        assert np.abs(whole[..., n] - sample(planes[..., n].copy(), flow)).max() < 1e-4
    box = np.s_[10:30, 20:50]
    assert np.abs(Warp(flow, box).of(planes) - whole[box]).max() < 1e-4


def jumping(by: tuple[int, int]) -> tuple[U8, U8, NDArray[np.float32]]:
    """A thin textured bar before a still background, the frame after and before it jumps, and its matte before."""
    place, bar = textured(180, 320), textured(60, 14, 9)
    there, here, matte = place.copy(), place.copy(), np.zeros((180, 320), np.float32)
    there[60:120, 150:164], matte[60:120, 150:164] = bar, 1
    y, x = 60 + by[1], 150 + by[0]
    here[y : y + 60, x : x + 14] = bar
    return here, there, matte


@pytest.mark.parametrize("by", [(26, 0), (-30, 8), (18, -20)])
def test_a_thin_subject_that_jumps_is_found_piece_by_piece(by: tuple[int, int]) -> None:
    here, there, matte = jumping(by)
    flow, fault = Flow().between(here, there, matte)
    y, x = 60 + by[1], 150 + by[0]
    moved = np.median(flow[y + 10 : y + 50, x + 4 : x + 10], axis=(0, 1))
    assert np.abs(moved + by).max() < 1.0, "each pixel lies where it came from"
    truth = np.zeros_like(matte)
    truth[y : y + 60, x : x + 14] = 1
    carried = (sample(matte, flow) > 0.5) & (fault < 3)  # without what it left behind
    assert (carried & (truth > 0)).sum() / (carried | (truth > 0)).sum() > 0.7


def test_an_outline_goes_with_its_subject_and_not_by_half_a_pixel_with_what_is_behind_it() -> None:
    place, thing = textured(180, 320, 4), textured(60, 60, 8)
    there, here, before, after = place.copy(), place.copy(), *np.zeros((2, 180, 320), np.float32)
    there[60:120, 100:160], before[60:120, 100:160] = thing, 1
    here[63:123, 105:165], after[63:123, 105:165] = thing, 1
    flow = Flow()
    motions = [Flow(smoothing=5).both_ways(here, there)[0], flow.both_ways(here, there)[0]]
    motions.append(flow.between(here, there, before)[0])
    # what it uncovered came from nowhere, and is not asked for
    asked = (before == 0) | (after == 1)
    smooth, coarse, close = (int((((sample(before, one) > 0.5) != (after > 0)) & asked).sum()) for one in motions)
    assert close < 0.5 * coarse
    assert coarse < smooth


def test_a_motion_over_many_frames_is_drawn_to_where_the_touched_frame_is_seen_again() -> None:
    place, thing = textured(180, 320, 4), textured(60, 60, 8)
    there, here, about = place.copy(), place.copy(), np.zeros((180, 320), np.float32)
    there[60:120, 100:160] = thing
    here[63:123, 125:185], about[63:123, 125:185] = thing, 1
    truth = np.zeros((180, 320, 2), np.float32)
    truth[about > 0] = (-25, -3)
    flow = Flow()
    inside = np.s_[70:116, 132:178]
    drifted = truth + np.float32(1.6)
    missed = [np.abs(one - truth)[inside].mean() for one in (drifted, flow.drawn(here, there, drifted, about))]
    assert missed[1] < 0.2 * missed[0]
    assert np.array_equal(flow.drawn(here, there, truth, about)[inside], truth[inside]), "what is right stays"
    assert flow.drawn(here, there, truth, np.zeros_like(about)) is truth


def test_pieces_that_stand_still_say_nothing() -> None:
    here, there, matte = jumping((0, 0))
    assert pieces(here, there, matte, matte > 0) is None
