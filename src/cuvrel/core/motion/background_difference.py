"""Comparing a frame with the background as another frame showed it: under the camera's motion, the light and the grain.

All pictures are Lab of 0 to 255 (`trace.colour_model.to_lab`), all at one size.
"""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

from cuvrel.core.arrays import F32, Mask

STILL = 0.03  # pixels of motion at the picture's corners below which a camera stands
MOST = 12.0  # levels of Lab by which light may differ
COARSE = 8  # light is spread at such a fraction of the size
LEAST = 1.2  # levels of Lab that grain is at least taken for


def stands(fit: F32, shape: tuple[int, int]) -> bool:
    """Whether a motion, (2, 3) as `fit.fitted` gives it, leaves a picture of that shape (H, W) where it is."""
    h, w = shape
    corners = np.array([[0, 0, 1], [w, 0, 1], [0, h, 1], [w, h, 1]], np.float32) @ fit.T
    return float(np.abs(corners).max()) < STILL


def at_size(fit: F32, by: float) -> F32:
    """A motion, (2, 3), as it is in a picture `by` times as large."""
    return fit * np.array([1, 1, by], np.float32)


def brought(picture: NDArray, fit: F32, border: int = cv2.BORDER_CONSTANT) -> NDArray:
    """Another frame's picture or plane under this frame's view. fit: motion from this frame to that, (2, 3)."""
    flags = cv2.INTER_LINEAR | cv2.WARP_INVERSE_MAP
    size = picture.shape[1], picture.shape[0]
    return cv2.warpAffine(picture, np.eye(2, 3, dtype=np.float32) + fit, size, flags=flags, borderMode=border)


def moved(picture: NDArray, known: F32, fit: F32) -> tuple[NDArray, F32]:
    """A remembered picture, (h, w, 3), and how far it is known, (h, w), under the next frame's view; fit: as `brought`.

    Both as they are where the camera stands, so that nothing is blurred by being read between pixels.
    """
    if stands(fit, (known.shape[0], known.shape[1])):
        return picture, known
    return brought(picture, fit, cv2.BORDER_REPLICATE), brought(known, fit)


def light(more: F32, free: F32) -> F32:
    """What of a difference is the light's: the mean about each place where it is free, (h, w, 3) float32.

    more: (h, w, 3) of this frame above the other. free: (h, w), 0 to 1, where both show the background.
    """
    h, w = free.shape
    size = max(1, w // COARSE), max(1, h // COARSE)
    few = cv2.resize(free, size, interpolation=cv2.INTER_AREA)
    # a limit, so that another thing in the frame is not taken for light
    part = cv2.resize(np.clip(more, -MOST, MOST) * free[..., None], size, interpolation=cv2.INTER_AREA)
    return np.asarray(cv2.resize(spread(part, few, max(size) / 8), (w, h), interpolation=cv2.INTER_LINEAR), np.float32)


def spread(part: F32, free: F32, sigma: float) -> F32:
    """The mean about each place of what is known in part, (h, w, C) float32; nothing where nothing near is known.

    part: (h, w, C), already times how far each place is known, (h, w). sigma: of what counts as about it, in pixels.
    """
    known = cv2.GaussianBlur(free, (0, 0), sigma) + np.float32(1e-3)
    return np.asarray(cv2.GaussianBlur(part, (0, 0), sigma) / known[..., None], np.float32)


def differing(more: F32, sigma: float = 0.0) -> F32:
    """How large a difference, (h, w, 3), is, (h, w) float32 in levels. sigma: of a blur, in pixels, against grain."""
    seen = cv2.GaussianBlur(more, (0, 0), sigma) if sigma else more
    return np.asarray(np.sqrt(cv2.transform(seen * seen, np.ones((1, 3), np.float32))), np.float32)


def grain(total: F32, rest: Mask) -> float:
    """How large a difference, (h, w), is where it is nothing but grain, (h, w)."""
    few = total[::2, ::2][rest[::2, ::2]]
    return float(np.median(few)) if few.size > 40 else 4.0


def in_grain(more: F32, rest: Mask, sigma: float = 0.0) -> F32:
    """How far a difference goes beyond grain, (h, w) float32 in units of it.

    more: (h, w, 3). rest: (h, w), where it is nothing but grain. sigma: of a blur, in pixels, that takes grain out.
    """
    total = differing(more, sigma)
    return np.asarray(total / np.float32(max(grain(total, rest), LEAST / (1 + sigma / 2))), np.float32)


def as_certainty(units: F32) -> F32:
    """Units of grain as 0 to 1."""
    return np.asarray(np.tanh(units * np.float32(1 / 6)), np.float32)
