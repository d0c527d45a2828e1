"""Blurs whose cost does not grow with their reach."""

from __future__ import annotations

from collections.abc import Callable

import cv2
import numpy as np
from numpy.typing import NDArray

from cuvrel.core.arrays import F32, F64
from cuvrel.core.imaging.row_kernels import in_rows, kernel

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
    small = blurred_small(light, across, down, 1.25)
    h, w = light.shape[:2]
    if small.shape[:2] == (h, w):
        return small.reshape(light.shape)
    large = np.asarray(cv2.resize(small, (w, h), interpolation=cv2.INTER_CUBIC), np.float32)
    return np.maximum(large, 0, out=large).reshape(light.shape)


@kernel
def _both(y0: int, y1: int, padded: F32, shift: F32, to: F32) -> None:
    """Half of the picture moved by a shift and half of it moved back, where both lie in it; (H, 4 W) float32."""
    high, wide = padded.shape
    row, half, one = np.empty(wide, np.float32), np.float32(0.5), np.float32(1.0)
    for y in range(y0, y1):
        row[:] = np.float32(0.0)
        for side in range(2):
            dx, dy = (shift[0], shift[1]) if side == 0 else (-shift[0], -shift[1])
            across, down = np.int32(np.floor(dx)), np.int32(np.floor(dy))
            s, t = np.float32(dx - np.float32(across)), np.float32(dy - np.float32(down))
            first = -4 * across if across < 0 else 0
            size = wide - abs(4 * across) - 4
            for n in range(2):
                share = (t if n == 1 else one - t) * half
                at = y + down + n
                line = padded[0 if at < 0 else (high - 1 if at >= high else at)]
                left = line[first + 4 * across : first + 4 * across + size]
                right = line[first + 4 * across + 4 : first + 4 * across + 4 + size]
                here = row[first : first + size]
                for x in range(size):
                    here[x] += (left[x] * (one - s) + right[x] * s) * share
        to[y] = row


def shifted(picture: F32, by: NDArray, border: int = cv2.BORDER_REPLICATE) -> F32:
    """The mean of a picture along a straight way of (across, down) pixels, (H, W, 4) float32; see `swept`."""
    far = float(np.hypot(*by))
    steps = int(np.clip(np.ceil(np.log2(max(far, 1.0))), 0, MOST))
    if steps == 0:
        return picture
    across, down = (int(np.ceil(abs(float(n)) / 2)) + steps + 2 for n in by)
    out = cv2.copyMakeBorder(picture, down, down, across, across, border)
    high, wide = out.shape[:2]
    given, made = out.reshape(high, 4 * wide), np.empty((high, 4 * wide), np.float32)
    for n in range(steps):
        in_rows(_both, high, given, np.asarray(by, np.float32) * np.float32(0.5 ** (n + 2)), made)
        given, made = made, given
    return np.ascontiguousarray(given.reshape(high, wide, 4)[down:-down, across:-across])


def swept(picture: F32, far: float, way: Callable[[float], F64], border: int = cv2.BORDER_REPLICATE) -> F32:
    """The mean of a picture along a movement.

    Parameters
    ----------
    picture
        (H, W, 4) float32.
    far
        How many pixels the movement takes anything at the most.
    way
        The movement at a share of it, -0.5 to 0.5, as a (2, 3) matrix between pixels' middles. Shares must add up, as
        those of shifts, turns and growths about one place do.
    border
        OpenCV's name of what lies beyond the picture.

    Returns
    -------
    F32
        (H, W, 4).

    Notes
    -----
    The mean of two sweeps of half the length, half a sweep apart, is one of the whole length, so each doubling of the
    length costs two steps.
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
