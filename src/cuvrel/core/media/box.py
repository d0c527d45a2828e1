"""The part of a picture that matters."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

Box = tuple[slice, slice]


def bounds(mask: NDArray, pad: int) -> Box | None:
    """The box of what is not 0, grown by `pad` and kept in the picture; None when all is 0."""
    rows, cols = np.flatnonzero(mask.any(axis=1)), np.flatnonzero(mask.any(axis=0))
    if rows.size == 0:
        return None
    h, w = mask.shape
    return (
        slice(max(0, int(rows[0]) - pad), min(h, int(rows[-1]) + 1 + pad)),
        slice(max(0, int(cols[0]) - pad), min(w, int(cols[-1]) + 1 + pad)),
    )
