"""Dense motion between two frames, and where it can be trusted."""

from __future__ import annotations

from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

F32 = NDArray[np.float32]
U8 = NDArray[np.uint8]


class Flow:
    """DIS optical flow (Kroeger et al., ECCV 2016) both ways; keeps its buffers between calls."""

    def __init__(self) -> None:
        self._dis: Any = cv2.DISOpticalFlow.create(cv2.DISOPTICAL_FLOW_PRESET_FAST)
        self._dis.setUseSpatialPropagation(True)

    def between(self, here: U8, there: U8) -> tuple[F32, F32]:
        """Where each pixel of `here` lies in `there`, (H, W, 2) float32 in pixels (x, y), and its fault.

        here, there: (H, W) uint8 grey. The fault, (H, W) float32 in pixels, is how far a pixel misses
        itself when it goes there and back (the forward-backward check).
        """
        forth = self._dis.calc(here, there, None)
        back = self._dis.calc(there, here, None)
        fault = forth + sample(back, forth)
        return forth, np.sqrt(np.square(fault).sum(axis=2))


_grids: dict[tuple[int, int], F32] = {}


def _grid(shape: tuple[int, int]) -> F32:
    if shape not in _grids:
        _grids.clear()
        y, x = np.mgrid[0 : shape[0], 0 : shape[1]].astype(np.float32)
        _grids[shape] = np.dstack([x, y])
    return _grids[shape]


def sample(picture: NDArray, flow: F32, border: int = cv2.BORDER_REPLICATE) -> NDArray:
    """The picture read where the flow points, bilinearly: the warp of `there` onto `here`."""
    shape: tuple[int, int] = (flow.shape[0], flow.shape[1])
    return cv2.remap(picture, _grid(shape) + flow, None, cv2.INTER_LINEAR, borderMode=border)


def chain(first: F32, second: F32) -> F32:
    """The motion that goes by `first` and then by `second`, (H, W, 2) float32."""
    return first + sample(second, first)
