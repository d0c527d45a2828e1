"""What the place looks like behind the subject, as the frames since the touched one showed it.

Once the subject has moved on, or where it was never, the background is known; what differs from it is the
subject or another thing, in whatever colours. The picture moves with the camera's own motion and under the
light of the day: where the rest of the frame is a little brighter all around, that is no difference.
"""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

from cuvrel.core.motion.fit import fitted

F32 = NDArray[np.float32]
U8 = NDArray[np.uint8]
PLANES = 3
SURE = 0.34  # how much more certain a place becomes with every frame that shows it
QUICK, SLOW = 0.4, 0.04  # how fast it is learned anew, where a frame agrees with it and where not
AGREES = 4.0  # in units of the picture's own grain


class Background:
    """The known background at half of the working size, (h, w, 3) float32 Lab of 0 to 255, and how sure it is.

    lab: (h, w, 3) uint8 of the touched frame. matte: its matte, (h, w) float32.
    """

    def __init__(self, lab: U8, matte: F32) -> None:
        self._lab = lab.astype(np.float32)
        self._sure = _clear(matte).astype(np.float32)
        self._apart = np.zeros(matte.shape, np.float32)

    def move(self, flow: F32, calm: F32, shape: F32) -> None:
        """To the next frame, with the camera.

        flow: (h, w, 2) from here to the frame before, in pixels of this size; calm: (h, w), 0 to 1, its trust.
        shape: the carried matte, (h, w).
        """
        fit = fitted(flow, (shape < 0.1) * calm, 1.0)
        h, w = shape.shape
        corners = np.array([[0, 0, 1], [w, 0, 1], [0, h, 1], [w, h, 1]], np.float32) @ fit.T
        if float(np.abs(corners).max()) < 0.03:  # a camera that stands
            return
        matrix = np.eye(2, 3, dtype=np.float32) + fit
        flags = cv2.INTER_LINEAR | cv2.WARP_INVERSE_MAP
        self._lab = cv2.warpAffine(self._lab, matrix, (w, h), flags=flags, borderMode=cv2.BORDER_REPLICATE)
        self._sure = cv2.warpAffine(self._sure, matrix, (w, h), flags=flags)

    def planes(self, lab: U8, shape: F32) -> list[F32]:
        """How far each pixel is from the background, closely and about it, and how sure that is: PLANES of -1 to 1.

        lab: (h, w, 3) uint8 of this frame; shape: the carried matte, (h, w).
        """
        more = lab.astype(np.float32) - self._lab
        free = self._sure * (shape < 0.1)
        more -= _light(more, free)
        told: list[F32] = []
        rest = (free > 0.5)[::2, ::2]
        for sigma in (0.0, 2.0):
            seen = cv2.GaussianBlur(more, (0, 0), sigma) if sigma else more
            apart = np.sqrt(np.square(seen).sum(axis=2))
            few = apart[::2, ::2][rest]
            grain = float(np.median(few)) if few.size > 40 else 4.0
            apart /= np.float32(max(grain, 0.6 if sigma else 1.2))
            if not sigma:
                self._apart = apart
            told.append((np.tanh(apart * np.float32(1 / 6)) * self._sure * 2 - 1).astype(np.float32))
        return [*told, self._sure * 2 - 1]

    def settle(self, lab: U8, matte: F32) -> None:
        """After the frame was decided: what is seen of the background is learned. matte: (h, w) float32."""
        clear = _clear(matte)
        new = self._sure < 0.1
        speed = np.where(new, np.float32(1), np.where(self._apart < AGREES, np.float32(QUICK), np.float32(SLOW)))
        self._lab += (speed * clear)[..., None] * (lab - self._lab)
        agrees = clear & (new | (self._apart < AGREES))
        self._sure = np.where(agrees, np.minimum(1, self._sure + np.float32(SURE)), self._sure).astype(np.float32)


def _clear(matte: F32) -> NDArray[np.bool_]:
    """Where a frame shows the background and nothing of the subject's soft outline."""
    return np.asarray(cv2.dilate(matte, np.ones((5, 5), np.uint8)) < 0.2)


def _light(more: F32, free: F32) -> F32:
    """What of a difference is the light's: the mean about each place where it is free, (h, w, 3) float32."""
    h, w = free.shape
    size = max(1, w // 8), max(1, h // 8)
    few = cv2.resize(free, size, interpolation=cv2.INTER_AREA)
    # a limit, so that another thing in the frame is not taken for light
    part = cv2.resize(np.clip(more, -12, 12) * free[..., None], size, interpolation=cv2.INTER_AREA)
    sigma = max(size) / 8
    spread = (
        cv2.GaussianBlur(part, (0, 0), sigma) / (cv2.GaussianBlur(few, (0, 0), sigma) + np.float32(1e-3))[..., None]
    )
    return np.asarray(cv2.resize(spread, (w, h), interpolation=cv2.INTER_LINEAR), np.float32)
