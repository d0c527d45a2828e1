"""What the makers of clips draw by."""

from __future__ import annotations

import numpy as np


def log_uniform(rng: np.random.Generator, low: float, high: float) -> float:
    """A number between two, as often in each equal ratio of them: sizes, speeds, strengths."""
    return float(np.exp(rng.uniform(np.log(low), np.log(high))))
