"""What a treatment is told besides its picture and values."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray


@dataclass(frozen=True)
class Context:
    """frame: the shot's frame number. scale: this picture's size over the plate's. fps: the shot's rate.

    matte: (H, W) float32 of the plane's own matte or gate, where there is one.
    """

    frame: int
    scale: float
    fps: float
    matte: NDArray[np.float32] | None
