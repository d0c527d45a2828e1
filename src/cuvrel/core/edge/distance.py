"""Distance to a matte's outline."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

F32 = NDArray[np.float32]


def signed_distance(matte: F32) -> F32:
    """Pixels to the half-way contour, (H, W) float32, positive inside, right to a fraction of a pixel.

    Away from the outline the exact Euclidean transform of the two sides (Felzenszwalb and Huttenlocher,
    2012, as OpenCV has it); within a pixel of it the matte's own slope says where the contour lies. A
    matte without an outline is as far away as the picture is wide.
    """
    hard = matte > 0.5
    if not hard.any() or hard.all():
        return np.full(matte.shape, max(matte.shape) * (1.0 if hard.any() else -1.0), np.float32)
    inner = cv2.distanceTransform(hard.astype(np.uint8), cv2.DIST_L2, cv2.DIST_MASK_PRECISE)
    outer = cv2.distanceTransform((~hard).astype(np.uint8), cv2.DIST_L2, cv2.DIST_MASK_PRECISE)
    distance = np.where(hard, inner - 0.5, 0.5 - outer).astype(np.float32)
    gx, gy = cv2.Sobel(matte, cv2.CV_32F, 1, 0, scale=0.125), cv2.Sobel(matte, cv2.CV_32F, 0, 1, scale=0.125)
    slope = cv2.magnitude(gx, gy)
    close = (np.abs(distance) < 1.2) & (slope > 0.15)
    near = np.clip((matte - 0.5) / np.maximum(slope, 1e-3), -1.5, 1.5)
    return np.where(close, near, distance).astype(np.float32)
