"""Chatter: how much an outline jitters without the subject moving."""

from __future__ import annotations

import cv2
import numpy as np

from cuvrel.core.arrays import F32, U8
from cuvrel.core.motion.dense import Dense


def chatter(matte: F32, before: F32, flow: F32) -> float:
    """Pixels that the outline strays from where the picture's own motion takes it, mean along the outline.

    matte, before: (H, W) float32 of a frame and of the one before it. flow: (H, W, 2) float32, where each
    pixel of the frame lies in the one before. The area between the two outlines over their length.
    """
    h, w = matte.shape
    y, x = np.mgrid[0:h, 0:w].astype(np.float32)
    there = cv2.remap(before, x + flow[..., 0], y + flow[..., 1], cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE)
    hard = (matte > 0.5).astype(np.uint8)
    length = float((cv2.dilate(hard, np.ones((3, 3), np.uint8)) != hard).sum())
    return float(np.abs(matte - there).sum() / length) if length else 0.0


def grey_flow(here: U8, there: U8) -> F32:
    """Dense motion from one (H, W, 3) uint8 picture to another, (H, W, 2) float32 (DIS, Kroeger et al. 2016)."""
    grey = [cv2.cvtColor(p, cv2.COLOR_RGB2GRAY) for p in (here, there)]
    return Dense().between(grey[0], grey[1])
