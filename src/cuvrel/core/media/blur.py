"""Blurs whose cost does not grow with their reach."""

from __future__ import annotations

from collections.abc import Callable

import cv2
import numpy as np
from numpy.typing import NDArray

F32 = NDArray[np.float32]
F64 = NDArray[np.float64]
FINEST = 1.0  # pixels of a blur's sigma from which on a smaller picture holds all of it
MOST = 9  # halvings of a sum of samples


def _halvings(sigma: float, length: int, finest: float) -> int:
    """How often a side may be halved for a blur of so many pixels."""
    return max(0, min(int(np.floor(np.log2(max(sigma, 1e-3) / finest))), int(np.log2(max(length // 4, 1)))))


def blurred_small(light: F32, across: float, down: float, finest: float = FINEST) -> F32:
    """A Gaussian blur by sigmas in pixels, in a picture as small as it leaves nothing that this could not hold.

    (h, w, ...) float32, to be enlarged again. Borders mirror, so that no light is lost. finest: pixels of sigma that
    are left in the small picture at the least.
    """
    h, w = light.shape[:2]
    nx, ny = _halvings(across, w, finest), _halvings(down, h, finest)
    size = max(2, round(w / 2**nx)), max(2, round(h / 2**ny))
    small = cv2.resize(light, size, interpolation=cv2.INTER_AREA) if size != (w, h) else light
    sx, sy = across * size[0] / w, down * size[1] / h
    small = cv2.GaussianBlur(small, (0, 0), sigmaX=max(sx, 1e-3), sigmaY=max(sy, 1e-3), borderType=cv2.BORDER_REFLECT)
    return np.asarray(small, np.float32)


def blurred(light: F32, across: float, down: float) -> F32:
    """A Gaussian blur by sigmas in pixels, (H, W, ...) float32."""
    small = blurred_small(light, across, down, 2.5)
    h, w = light.shape[:2]
    if small.shape[:2] == (h, w):
        return small.reshape(light.shape)
    large = cv2.resize(small, (w, h), interpolation=cv2.INTER_CUBIC)
    return np.maximum(np.asarray(large, np.float32), 0).reshape(light.shape)


def swept(picture: F32, far: float, way: Callable[[float], F64], border: int = cv2.BORDER_REPLICATE) -> F32:
    """The mean of a picture along a movement, (H, W, 4) float32.

    way: the movement at a share of it, -0.5 to 0.5, as (2, 3) between pixels' middles; shares must add up as shifts,
    turns and growths about one place do. far: how many pixels it moves something at the most. The mean of two sweeps
    of half the length, half a sweep apart, is one of the whole length: so each doubling costs two steps.
    """
    steps = int(np.clip(np.ceil(np.log2(max(far, 1.0))), 0, MOST))
    size = picture.shape[1], picture.shape[0]
    out = picture
    for n in range(steps):
        share = 0.5 ** (n + 2)
        both = [
            cv2.warpAffine(out, way(side * share), size, flags=cv2.INTER_LINEAR, borderMode=border) for side in (-1, 1)
        ]
        out = np.asarray(cv2.addWeighted(both[0], 0.5, both[1], 0.5, 0), np.float32)
    return out
