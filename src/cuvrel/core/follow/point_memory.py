"""A picture that is remembered pixel by pixel over many frames, and how each new frame differs from it."""

from __future__ import annotations

import cv2
import numpy as np

from cuvrel.core.arrays import F32, U8, Mask
from cuvrel.core.motion.background_difference import as_certainty, in_grain, light

SURE = 0.34  # how much more certain a point becomes with every frame that shows it
QUICK, SLOW = 0.4, 0.04  # how fast it is learned anew, where a frame agrees with it and where not
AGREES = 4.0  # in units of the picture's own grain
NEW = 0.1  # how sure a point is at the most that was never seen


def clear(matte: F32, most: float) -> Mask:
    """Where a frame shows the place and nothing of the subject's soft outline, (h, w). most: coverage, 0 to 1."""
    return np.asarray(cv2.dilate(matte, np.ones((5, 5), np.uint8)) < most)


class PointMemory:
    """Colours, (h, w, 3) float32 Lab of 0 to 255, and the confidence of each, (h, w) float32, 0 to 1.

    lab: (h, w, 3) uint8, the first frame. shown: (h, w), where that frame shows what is to be remembered.
    """

    def __init__(self, lab: U8, shown: Mask) -> None:
        self._lab = lab.astype(np.float32)
        self._sure = shown.astype(np.float32)
        self._units = np.zeros(shown.shape, np.float32)

    def _difference_from(self, lab: U8, where: Mask) -> tuple[F32, F32]:
        """How far a frame is from what is remembered, pixel by pixel and smoothed, two of (h, w) float32, 0 to 1.

        lab: (h, w, 3) uint8. where: (h, w), the pixels from which a change of light and the grain are measured.
        """
        more = lab - self._lab
        free = self._sure * where
        more -= light(more, free)
        rest = free > 0.5
        self._units = in_grain(more, rest)
        return as_certainty(self._units) * self._sure, as_certainty(in_grain(more, rest, 2.0)) * self._sure

    def _learn(self, lab: U8, shown: Mask) -> Mask:
        """Blends in the frame that was compared, where it is shown. Returns where it agrees, (h, w)."""
        new = self._sure < NEW
        agrees = new | (self._units < AGREES)
        speed = np.where(new, np.float32(1), np.where(agrees, np.float32(QUICK), np.float32(SLOW)))
        self._lab += (speed * shown)[..., None] * (lab - self._lab)
        agrees &= shown
        self._sure = np.where(agrees, np.minimum(1, self._sure + np.float32(SURE)), self._sure).astype(np.float32)
        return agrees
