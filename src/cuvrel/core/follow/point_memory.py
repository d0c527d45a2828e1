"""A picture that is remembered point by point over the frames, and how each new frame compares with it."""

from __future__ import annotations

import cv2
import numpy as np

from cuvrel.core.arrays import F32, U8, Mask
from cuvrel.core.motion.background_difference import apart, light, share

SURE = 0.34  # how much more certain a point becomes with every frame that shows it
QUICK, SLOW = 0.4, 0.04  # how fast it is learned anew, where a frame agrees with it and where not
AGREES = 4.0  # in units of the picture's own grain
NEW = 0.1  # how sure a point is at the most that was never seen


def clear(matte: F32, most: float) -> Mask:
    """Where a frame shows the place and nothing of the subject's soft outline, (h, w). most: coverage, 0 to 1."""
    return np.asarray(cv2.dilate(matte, np.ones((5, 5), np.uint8)) < most)


class Remembered:
    """Colours, (h, w, 3) float32 Lab of 0 to 255, and how sure each of them is, (h, w) float32, 0 to 1.

    lab: (h, w, 3) uint8 of the first frame. shown: (h, w), where it shows what is to be remembered.
    """

    def __init__(self, lab: U8, shown: Mask) -> None:
        self._lab = lab.astype(np.float32)
        self._sure = shown.astype(np.float32)
        self._apart = np.zeros(shown.shape, np.float32)

    def _compared(self, lab: U8, where: Mask) -> tuple[F32, F32]:
        """How far a frame is from what is remembered, closely and about each pixel, (h, w) float32, 0 to 1.

        lab: (h, w, 3) uint8. where: (h, w), what may tell of the light and of the grain.
        """
        more = lab - self._lab
        free = self._sure * where
        more -= light(more, free)
        rest = free > 0.5
        self._apart = apart(more, rest)
        return share(self._apart) * self._sure, share(apart(more, rest, 2.0)) * self._sure

    def _learn(self, lab: U8, shown: Mask) -> Mask:
        """Takes in the frame that was compared, where it is shown, and gives where it agrees, (h, w)."""
        new = self._sure < NEW
        agrees = new | (self._apart < AGREES)
        speed = np.where(new, np.float32(1), np.where(agrees, np.float32(QUICK), np.float32(SLOW)))
        self._lab += (speed * shown)[..., None] * (lab - self._lab)
        agrees &= shown
        self._sure = np.where(agrees, np.minimum(1, self._sure + np.float32(SURE)), self._sure).astype(np.float32)
        return agrees
