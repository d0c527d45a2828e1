"""Rates and speeds as exact fractions, so that no sum of many small steps drifts."""

from __future__ import annotations

from fractions import Fraction
from functools import lru_cache

FINEST = 10_000  # the smallest step is a ten-thousandth


@lru_cache(maxsize=256)
def exact(value: float) -> Fraction:
    """A typed number as a fraction: 29.97 is 30000/1001, 33.3 is 333/10."""
    for common in (Fraction(24000, 1001), Fraction(30000, 1001), Fraction(60000, 1001), Fraction(120000, 1001)):
        if abs(value - float(common)) < 0.0006:
            return common
    return Fraction(round(value * FINEST), FINEST)
