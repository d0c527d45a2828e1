"""Gates: which part of a matte a plane is seen through."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from cuvrel.core.arrays import F32, Single
from cuvrel.core.imaging.distance import signed_distance
from cuvrel.core.imaging.row_kernels import in_rows, kernel


def rim(matte: F32, inner: float, outer: float, soft: float) -> F32:
    """The strip along a matte's edge, (H, W) float32, 0 to 1.

    inner, outer: pixels that it reaches to the inside and to the outside of the matte's half coverage. soft: pixels
    over which it ends at both sides.
    """
    distance = signed_distance(matte, max(inner, outer) + soft + 2)
    out = np.empty_like(matte)
    in_rows(_rim, len(matte), distance, np.float32(inner), np.float32(outer), np.float32(1 / (soft + 1)), out)
    return out


@kernel
def _rim(y0: int, y1: int, distance: F32, inner: Single, outer: Single, steep: Single, out: F32) -> None:
    zero, one, half = np.float32(0.0), np.float32(1.0), np.float32(0.5)
    for y in range(y0, y1):
        for x in range(distance.shape[1]):
            d = distance[y, x]
            # each end is a ramp about its place, a pixel wide at least
            one_side = min(max((inner - d) * steep + half, zero), one)
            other = min(max((d + outer) * steep + half, zero), one)
            out[y, x] = min(one_side, other)


def without(gate: F32, excluded: Sequence[F32]) -> F32:
    """A gate minus other mattes, (H, W) float32."""
    out = gate
    for matte in excluded:
        out = out * (1 - matte)
    return np.asarray(out, np.float32)
