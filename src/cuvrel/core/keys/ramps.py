"""Soft ranges: how much of a value counts, with a ramp on each side."""

from __future__ import annotations

import numpy as np

from cuvrel.core.arrays import Single
from cuvrel.core.imaging.row_kernels import small_kernel


@small_kernel
def within(value: Single, low: Single, high: Single, steep_low: Single, steep_high: Single) -> Single:
    """1 between low and high, falling to 0 over 1 / steep_low below and 1 / steep_high above, smoothly.

    The fall is 3t^2 - 2t^3. Without a branch, so that many pixels are worked out at a time.
    """
    zero, one = np.float32(0), np.float32(1)
    t = max(one - max(low - value, zero) * steep_low - max(value - high, zero) * steep_high, zero)
    return t * t * (np.float32(3) - np.float32(2) * t)


def steep(soft: float) -> np.float32:
    """What `within` takes for a softness: its inverse; 0 is nearly a step."""
    return np.float32(1 / max(soft, 1e-4))
