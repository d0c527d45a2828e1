"""The kinds of arrays that pictures are: one name for each, everywhere."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

F32 = NDArray[np.float32]
F64 = NDArray[np.float64]
I16 = NDArray[np.int16]
I32 = NDArray[np.int32]
I64 = NDArray[np.int64]
U8 = NDArray[np.uint8]
U16 = NDArray[np.uint16]
Mask = NDArray[np.bool_]

Single = np.float32
"""A number of single precision, as kernels compute in it."""

Real = float | np.float32
"""A number of either precision."""
