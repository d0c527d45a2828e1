"""Places through (3, 3) matrices, as a motion or a view in perspective moves them."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from cuvrel.core.arrays import F64

FROM_MIDDLE = np.array([[1, 0, 0.5], [0, 1, 0.5], [0, 0, 1.0]])  # places counted from a pixel's middle, to its corner


def moved(matrix: F64, points: NDArray) -> F64:
    """Points (N, 2) through a matrix."""
    flat = np.asarray(points, np.float64)
    out = flat @ matrix[:2, :2].T + matrix[:2, 2]
    return np.asarray(out / (flat @ matrix[2, :2] + matrix[2, 2])[:, None], np.float64)


def inverse(matrix: F64) -> F64:
    """The way back."""
    return np.asarray(np.linalg.inv(matrix), np.float64)


def slopes(matrix: F64, x: float, y: float) -> F64:
    """How what is close about a place is stretched and turned, (2, 2)."""
    u, v, depth = matrix @ (x, y, 1.0)
    return np.asarray((matrix[:2, :2] - np.outer((u / depth, v / depth), matrix[2, :2])) / depth, np.float64)


def growth(matrix: F64, x: float, y: float) -> float:
    """How much larger something small at a place becomes."""
    return float(np.sqrt(abs(np.linalg.det(slopes(matrix, x, y)))))
