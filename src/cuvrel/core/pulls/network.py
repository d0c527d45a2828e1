"""Runs the small networks that weigh evidence: `training/` trains them, OpenCV runs them.

A network reads planes at half the working size, full-size planes as four quarters each, and answers with
the log odds of being subject at working size.
"""

from __future__ import annotations

from pathlib import Path
from threading import Lock
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

F32 = NDArray[np.float32]
SURELY = 9.0  # log odds beyond which it makes no difference


def quarters(planes: list[F32]) -> F32:
    """Full-size planes, (2h, 2w) each, as four of half size each: (4 * n, h, w)."""
    return np.stack([plane[dy::2, dx::2] for plane in planes for dy in (0, 1) for dx in (0, 1)])


class Network:
    """One network, ready to run; safe for use by several threads, one after another.

    step: the sides of what it reads are multiples of it, as often as it halves them.
    """

    def __init__(self, path: Path, step: int = 8) -> None:
        self._step = step
        # the classic engine has fast 3 x 3 convolutions; measured a quarter quicker than the new one here
        self._net: Any = cv2.dnn.readNetFromONNX(str(path), cv2.dnn.ENGINE_CLASSIC)
        self._net.enableWinograd(True)
        self._lock = Lock()

    def odds(self, stack: F32) -> F32:
        """(C, h, w) float32 of about -1 to 1 to log odds, (2h, 2w) float32."""
        _, h, w = stack.shape
        padded = np.empty((1, len(stack), h + -h % self._step, w + -w % self._step), np.float32)
        np.clip(stack, -1, 1, out=padded[0, :, :h, :w])
        padded[0, :, h:, :w] = padded[0, :, h - 1 : h, :w]
        padded[0, :, :, w:] = padded[0, :, :, w - 1 : w]
        with self._lock:
            self._net.setInput(padded)
            four = self._net.forward()[0, :, :h, :w]
        out = np.empty((2 * h, 2 * w), np.float32)
        for k in range(4):
            out[k // 2 :: 2, k % 2 :: 2] = four[k]
        return np.clip(out, -SURELY, SURELY)
