"""Steady: an edge averaged over time along the picture's own motion, so that it neither chatters nor lags."""

from __future__ import annotations

from collections.abc import Sequence

import cv2
import numpy as np

from cuvrel.core.arrays import F32, U8
from cuvrel.core.motion.dense import Dense
from cuvrel.core.motion.flow import forward_backward_error, sample

LONG = 480  # the longer side at which motion is found


def steadied(matte: F32, picture: U8, others: Sequence[tuple[F32, U8]]) -> F32:
    """The matte after averaging with its neighbours in time, (H, W) float32.

    matte, picture: (H, W) float32 and (H, W, 3) uint8 of the frame. others: the same of its neighbours.
    Each neighbour is carried along dense motion (DIS, Kroeger et al., ECCV 2016), and counts where that
    motion comes back to where it set out and where both mattes agree roughly; an edge that moves fast is
    carried with its motion, and does not lag.
    """
    h, w = matte.shape
    ratio = min(1.0, LONG / max(h, w))
    size = max(16, round(w * ratio)), max(16, round(h * ratio))
    here = _grey(picture, size)
    total, weight = matte.copy(), np.ones_like(matte)
    dense = Dense(finest=1, smoothing=0)  # smooth motion takes an edge along with what is behind it
    larger = np.array([w / size[0], h / size[1]], np.float32)
    for other, seen in others:
        there = _grey(seen, size)
        forth, back = dense.between(here, there), dense.between(there, here)
        flow_error = forward_backward_error(forth, back) / np.float32(ratio)
        carried = sample(other, cv2.resize(forth, (w, h), interpolation=cv2.INTER_LINEAR) * larger)
        trust = np.exp(-np.square(cv2.resize(flow_error, (w, h), interpolation=cv2.INTER_LINEAR) / 1.2))
        # what differs by a whole edge is another shape, not jitter
        near = cv2.GaussianBlur(np.abs(carried - matte), (0, 0), 1.5)
        trust *= np.clip(1.6 - 2.0 * near, 0, 1)
        total += trust * carried
        weight += trust
    return np.clip(total / weight, 0, 1).astype(np.float32)


def _grey(picture: U8, size: tuple[int, int]) -> U8:
    return cv2.cvtColor(cv2.resize(picture, size, interpolation=cv2.INTER_AREA), cv2.COLOR_RGB2GRAY)
