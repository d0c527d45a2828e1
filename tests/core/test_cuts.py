"""Cuts among flashes: what comes back is no new camera shot."""

from __future__ import annotations

import cv2
import numpy as np
import pytest

from cuvrel.core.motion.cuts import found_cuts, small

WIDE, HIGH = 192, 108


def wall(seed: int) -> np.ndarray:
    rng = np.random.default_rng(seed)
    return cv2.resize(rng.integers(0, 200, (9, 16, 3)).astype(np.uint8), (WIDE, HIGH), interpolation=cv2.INTER_CUBIC)


def clip(flash: range, cut: int | None = None, count: int = 60) -> list[np.ndarray]:
    """A wall that drifts, nearly white while it is flashed at; from a frame on another one."""
    out = []
    for n in range(count):
        picture = np.roll(wall(1 if cut is None or n < cut else 2), n // 4, axis=1)
        out.append(np.clip(picture.astype(int) // 8 + 225, 0, 255).astype(np.uint8) if n in flash else picture)
    return out


def cuts(pictures: list[np.ndarray]) -> list[int]:
    return [one.frame for one in found_cuts([small(one) for one in pictures])]


@pytest.mark.parametrize("length", [1, 2, 3, 4, 6, 8])
@pytest.mark.parametrize("white", [True, False])
def test_a_flash_or_what_passes_before_the_camera_makes_no_cut(length: int, white: bool) -> None:
    flash = range(20, 20 + length)
    pictures = clip(flash)
    if not white:
        for n in flash:
            pictures[n] = wall(7)
    assert cuts(pictures) == []
    again = clip(flash, cut=40)
    if not white:
        for n in flash:
            again[n] = wall(7)
    assert cuts(again) == [40]


def test_a_cut_right_after_a_flash_is_found() -> None:
    assert cuts(clip(range(20, 23), cut=24)) == [24]
