"""The subject's own look, pixel by pixel, as the frames since the touched one showed it.

The remembered picture moves as the subject does, and stays while something passes before it. Where the subject is
expected and the frame looks otherwise, something hides it; where the frame looks as remembered, the subject is back.
"""

from __future__ import annotations

import cv2
import numpy as np

from cuvrel.core.arrays import F32, U8, Mask
from cuvrel.core.follow.point_memory import PointMemory
from cuvrel.core.imaging.row_kernels import in_rows, kernel
from cuvrel.core.motion.fit import fitted, wide
from cuvrel.core.motion.flow import sample

PLANES = 3
UNSURE = 0.1  # how much less certain a point becomes where the subject looks otherwise, and
HIDDEN = 0.96  # what is left of it a frame later where the subject is not seen
ALIKE, UNLIKE = 0.3, 0.8  # shares of a difference about a point below and above which it surely looks so or not
LEAST = 30  # pixels that a motion is fitted to
SPARSE = 0.01  # weight of motion about a point below which the whole subject's counts for more


@kernel
def _strayed(y0: int, y1: int, flow: F32, whole: F32, weight: F32, out: F32) -> None:
    """How far the flow departs from the whole subject's motion, weighted, and its weight."""
    for y in range(y0, y1):
        for x in range(weight.shape[1]):
            w = weight[y, x]
            out[y, x, 0] = (flow[y, x, 0] - (whole[0, 0] * x + whole[0, 1] * y + whole[0, 2])) * w
            out[y, x, 1] = (flow[y, x, 1] - (whole[1, 0] * x + whole[1, 1] * y + whole[1, 2])) * w
            out[y, x, 2] = w


@kernel
def _joined(y0: int, y1: int, whole: F32, strayed: F32, out: F32) -> None:
    for y in range(y0, y1):
        for x in range(out.shape[1]):
            soft = strayed[y, x, 2] + np.float32(SPARSE)
            out[y, x, 0] = whole[0, 0] * x + whole[0, 1] * y + whole[0, 2] + strayed[y, x, 0] / soft
            out[y, x, 1] = whole[1, 0] * x + whole[1, 1] * y + whole[1, 2] + strayed[y, x, 1] / soft


class Appearance(PointMemory):
    """The subject's own colours at half of the working size, (h, w, 3) float32 Lab of 0 to 255, and how sure they are.

    alike, unlike: (h, w), where the frame that `planes` saw surely looks so, and where surely otherwise.

    lab: (h, w, 3) uint8 of the touched frame. matte: its matte, (h, w) float32.
    """

    def __init__(self, lab: U8, matte: F32) -> None:
        super().__init__(lab, _well_inside(matte))
        self._seen = self._sure
        self._whole = np.zeros((2, 3), np.float32)
        self.alike, self.unlike = np.zeros(matte.shape, np.bool_), np.zeros(matte.shape, np.bool_)

    def move(self, flow: F32, calm: F32) -> None:
        """To the next frame: as what is seen of the subject moves about each place, elsewhere as all of it.

        flow: (h, w, 2) from here to the frame before, in pixels of this size; calm: (h, w), 0 to 1, its trust.
        """
        weight = sample(self._seen, flow, cv2.BORDER_CONSTANT) * calm
        if int((weight > 0.3).sum()) >= LEAST:
            self._whole = fitted(flow, weight, 40.0)
        h, w = weight.shape
        strayed, field = np.empty((h, w, 3), np.float32), np.empty((h, w, 2), np.float32)
        in_rows(_strayed, h, flow, self._whole, weight, strayed)
        in_rows(_joined, h, self._whole, wide(strayed), field)
        self._lab = sample(self._lab, field)
        self._sure = sample(self._sure, field, cv2.BORDER_CONSTANT)

    def planes(self, lab: U8, shape: F32) -> list[F32]:
        """How far each pixel is from the subject's own look, closely and about it, and how sure that look is.

        PLANES planes of -1 to 1, (h, w) float32.
        lab: (h, w, 3) uint8 of this frame; shape: the carried matte, (h, w).
        """
        close, about = self._difference_from(lab, shape > 0.7)
        self.alike, self.unlike = (self._sure > 0.5) & (about < ALIKE), about > UNLIKE
        return [2 * one - 1 for one in (close, about, self._sure)]

    def update(self, lab: U8, matte: F32) -> None:
        """Learns what a decided frame shows of the subject. matte: (h, w) float32."""
        inside = _well_inside(matte)
        less = np.where(inside, np.maximum(0, self._sure - np.float32(UNSURE)), self._sure * np.float32(HIDDEN))
        agrees = self._learn(lab, inside)
        self._seen = np.where(agrees, self._sure, np.float32(0))
        self._sure = np.where(agrees, self._sure, less)


def _well_inside(matte: F32) -> Mask:
    """Where a frame shows the subject and nothing of its soft outline."""
    return np.asarray(cv2.erode(matte, np.ones((3, 3), np.uint8)) > 0.8)
