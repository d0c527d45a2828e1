"""DIS optical flow (Kroeger et al., Fast Optical Flow using Dense Inverse Search, ECCV 2016) for pictures of any size.

OpenCV's own ends the process where a picture is narrower than 32 pixels, and answers otherwise after a small one.
"""

from __future__ import annotations

from typing import Any

import cv2
import numpy as np

from cuvrel.core.arrays import F32, U8

LEAST = 32
SMOOTH = 5  # turns of the variational refinement that keep a motion smooth


class Dense:
    """Finds dense motion; keeps its buffers from one pair of frames to the next. For one thread at a time.

    finest: how often the picture is halved at the finest scale that is looked at; coarsest: the same of the
    coarsest one, by itself if None. smoothing: turns of the variational refinement, which keeps the motion smooth
    and so spreads it over a subject's outline. stride: pixels between one patch of 8 pixels and the next.
    """

    def __init__(self, finest: int = 2, coarsest: int | None = None, smoothing: int = SMOOTH, stride: int = 4) -> None:
        self._finest = finest
        self._dis: Any = cv2.DISOpticalFlow.create(cv2.DISOPTICAL_FLOW_PRESET_FAST)
        self._dis.setCoarsestScale(-1 if coarsest is None else coarsest)
        self._dis.setVariationalRefinementIterations(smoothing)
        self._dis.setPatchStride(stride)

    def between(self, here: U8, there: U8) -> F32:
        """Where each pixel of `here` lies in `there`, (H, W, 2) float32 in pixels (x, y) from where it is.

        here, there: (H, W) uint8 grey, contiguous.
        """
        self._dis.setFinestScale(self._finest)  # a small picture changes it for all that come after
        h, w = here.shape
        if min(h, w) < LEAST:
            here, there = (_grown(one) for one in (here, there))
        return np.asarray(self._dis.calc(here, there, None)[:h, :w], np.float32)


def _grown(picture: U8) -> U8:
    """At least as large as it must be, its last lines repeated."""
    down, right = (max(0, LEAST - side) for side in picture.shape)
    return np.asarray(cv2.copyMakeBorder(picture, 0, down, 0, right, cv2.BORDER_REPLICATE), np.uint8)
