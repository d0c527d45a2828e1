"""Soft ranges: how much of a value counts, with a ramp on each side."""

from __future__ import annotations

import numpy as np
from numba import njit


@njit(nogil=True, cache=True, fastmath=True, inline="always")
def within(value, low, high, soft_low, soft_high):  # type: ignore[no-untyped-def]
    """1 between low and high, falling to 0 over soft_low below and soft_high above, smoothly (3t^2 - 2t^3)."""
    if value < low:
        t = np.float32(1) - (low - value) / max(soft_low, np.float32(1e-4))
    elif value > high:
        t = np.float32(1) - (value - high) / max(soft_high, np.float32(1e-4))
    else:
        return np.float32(1)
    t = max(t, np.float32(0))
    return t * t * (3 - 2 * t)
