"""The background as the frames since the touched one showed it, at half of the working size.

Where the subject has moved on, or never was, the background is known. What differs from it there is the subject or
another thing, whatever its colours. The remembered picture moves with the camera, and a slow change of light over the
frame is no difference. What differs and lies apart from the subject is another thing; it stays one when it comes to
touch the subject, until the subject is seen there as it is known to look.
"""

from __future__ import annotations

import cv2
import numpy as np

from cuvrel.core.arrays import F32, U8, Mask
from cuvrel.core.follow.point_memory import AGREES, NEW, PointMemory, clear
from cuvrel.core.motion.background_difference import differing, grain, light, moved
from cuvrel.core.motion.fit import fitted
from cuvrel.core.motion.flow import sample

PLANES = 4
DIFFERS = 0.6  # share of a sure difference from which something is there
FORGET = 0.85  # what is left a frame later of another thing that nothing tells of any more
CLEAR = 0.2  # coverage below which a point, and all about it, shows the background
LEAST = 12  # pixels of the least thing that counts
GRAIN, FAINT = 1.0, 0.8  # standard deviation of a blur before two frames' places are compared, and their least grain,
FOREIGN = 5.0  # and levels of Lab that they are apart, as a rule, where they show two places
ABOUT = 12.0  # a point's neighbourhood is as wide as the picture divided by this;
LITTLE, MOSTLY = 0.02, 0.7  # so much of it both must know, and agree in so much of that


class Background(PointMemory):
    """The known background at half of the working size, (h, w, 3) float32 Lab of 0 to 255, and how sure it is.

    camera: its motion to the frame before, (2, 3) as `fit.fitted` gives it.
    lab: (h, w, 3) uint8 of the touched frame. matte: its matte, (h, w) float32.
    """

    def __init__(self, lab: U8, matte: F32) -> None:
        super().__init__(lab, clear(matte, CLEAR))
        self._other = np.zeros(matte.shape, np.float32)
        self.camera = np.zeros((2, 3), np.float32)

    def move(self, flow: F32, calm: F32, shape: F32) -> None:
        """To the next frame, with the camera.

        flow: (h, w, 2) from here to the frame before, in pixels of this size; calm: (h, w), 0 to 1, its trust.
        shape: the carried matte, (h, w).
        """
        self.camera = fitted(flow, (shape < 0.1) * calm, 1.0)
        self._lab, self._sure = moved(self._lab, self._sure, self.camera)
        self._other = sample(self._other, flow)

    def planes(self, lab: U8, shape: F32, alike: Mask, unlike: Mask) -> list[F32]:
        """How far each pixel is from the background, closely and about it, how sure that is, and what is another thing.

        PLANES planes of -1 to 1, (h, w) float32.
        lab: (h, w, 3) uint8 of this frame; shape: the carried matte, (h, w).
        alike, unlike: (h, w), where it surely looks as the subject does there, and where surely otherwise.
        """
        close, about = self._difference_from(lab, shape < 0.1)
        self._other = self._others(about > DIFFERS, shape, alike, unlike)
        return [2 * one - 1 for one in (close, about, self._sure, self._other)]

    def _others(self, there: Mask, shape: F32, alike: Mask, unlike: Mask) -> F32:
        """Where another thing than the subject is, (h, w) float32, 0 to 1. there: what differs from the background."""
        _, labels, stats, _ = cv2.connectedComponentsWithStats(there.astype(np.uint8), connectivity=8)
        own = cv2.dilate((shape > 0.3).astype(np.uint8), np.ones((7, 7), np.uint8)) > 0
        away = stats[:, cv2.CC_STAT_AREA] >= LEAST
        away[np.unique(labels[own])] = False
        away[0] = False
        # before the subject, where the background was never seen, a thing goes on as it moves, and is forgotten soon
        hidden = (
            self._other * np.where(shape > 0.5, np.float32(FORGET * FORGET), np.float32(FORGET)) * (self._sure < 0.5)
        )
        stays = (there | unlike) & (self._other > 0.4)
        return np.where(alike, 0, np.maximum(away[labels] | stays, hidden)).astype(np.float32)

    def borrow(self, other: Background, fit: F32, shape: F32) -> Mask:
        """Takes over what another background knows where this one knows nothing. Returns where that was, (h, w).

        Around each pixel that both know they must agree, or nothing is taken there, since what lies nearer to the
        camera moves otherwise. fit: the camera's motion from this one's frame to the other's, (2, 3). shape: the
        matte on this one's frame.
        """
        lab, sure = moved(other._lab, other._sure, fit)
        both = (self._sure > 0.5) & (sure > 0.5) & (shape < 0.1)
        more = self._lab - lab
        drift = light(more, both.astype(np.float32))
        away = differing(more - drift, GRAIN)
        unit = grain(away, both)
        if unit > FOREIGN:
            return np.zeros_like(both)
        same = away < AGREES * max(unit, FAINT)
        common, agree = (
            cv2.GaussianBlur(one.astype(np.float32), (0, 0), max(both.shape) / ABOUT) for one in (both, both & same)
        )
        # what looks like the subject that hides it tells nothing, and may be a part of it that was missed
        takes = ~same & (self._sure < NEW) & (sure > 0.5) & (common > LITTLE) & (agree > MOSTLY * common)
        self._lab[takes] = (lab + drift)[takes]
        self._sure[takes] = sure[takes]
        return np.asarray(takes)

    def update(self, lab: U8, matte: F32) -> None:
        """Learns what a decided frame shows of the background. matte: (h, w) float32."""
        self._learn(lab, clear(matte, CLEAR))
        self._other *= matte < 0.5
