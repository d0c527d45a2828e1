"""The kinds of arrays that pictures are: one name for each, everywhere."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

F32 = NDArray[np.float32]
F64 = NDArray[np.float64]
U8 = NDArray[np.uint8]
