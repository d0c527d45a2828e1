"""Dense motion: pieces of a fast subject, and pictures that OpenCV's own flow cannot take."""

from __future__ import annotations

import cv2
import numpy as np
import pytest
from numpy.typing import NDArray

from cuvrel.core.motion.dense import Dense
from cuvrel.core.motion.flow import Flow, pieces, sample

U8 = NDArray[np.uint8]


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


def test_pieces_that_stand_still_say_nothing() -> None:
    here, there, matte = jumping((0, 0))
    assert pieces(here, there, matte, matte > 0) is None
