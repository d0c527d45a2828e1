"""How coverage joins what came before it: pulls of a matte, and shapes of a pull."""

from __future__ import annotations

import numpy as np

from cuvrel.core.arrays import F32


def join_pull(total: F32, cover: F32, join: str) -> F32:
    """Coverage joined to what came before, (H, W) float32, 0 to 1.

    add: the union 1 - (1 - a)(1 - b). subtract: a (1 - b). intersect: a b. difference: |a - b|.
    """
    if join == "add":
        return total + cover - total * cover
    if join == "subtract":
        return total * (1 - cover)
    if join == "intersect":
        return total * cover
    return np.abs(total - cover)
