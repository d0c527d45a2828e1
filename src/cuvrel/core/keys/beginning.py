"""What a key begins with on a frame: values that take something of what is there, not the same for all shots."""

from __future__ import annotations

from typing import Any

import cv2
import numpy as np

from cuvrel.core.arrays import F32, U8
from cuvrel.core.keys.colour_fit import fitted
from cuvrel.core.keys.colour_key import sampled, to_lch

Begun = dict[str, float]
LUMA = np.array([0.2126, 0.7152, 0.0722], np.float32)  # as the key weighs, on encoded values
SEEN = 0.004  # the least share of the picture that a matte covers, for its colour to be what is meant


def luma_begun(rgb: U8, cover: F32 | None = None) -> Begun:
    """A luma key's ranges for the bright parts of a picture, or for the dark ones where these are few.

    rgb: (H, W, 3) uint8. cover: (H, W), 0 to 1, what is in the matte by now; then the side that most of it is on.
    The two are parted by Otsu's threshold (A Threshold Selection Method from Gray-Level Histograms, 1979).
    """
    luma = np.round(rgb @ LUMA).astype(np.uint8)
    parted = float(cv2.threshold(luma, 0, 255, cv2.THRESH_BINARY + cv2.THRESH_OTSU)[0]) / 255
    bright = luma > parted * 255
    dark = bright.mean() > 0.5
    if cover is not None and float((cover > 0.9).mean()) >= SEEN:
        dark = bright[cover > 0.9].mean() < 0.5
    if dark:
        return {"low": 0.0, "soft_low": 0.0, "high": round(parted, 3), "soft_high": 0.1}
    return {"low": round(parted, 3), "soft_low": 0.1}


def colour_begun(rgb: U8, cover: F32 | None) -> Begun:
    """A colour key's ranges for what a matte covers, or else for the most colourful thing of a picture.

    rgb: (H, W, 3) uint8. cover: (H, W), 0 to 1, what is in the matte by now. {} where all is grey.
    """
    if cover is not None and float((cover > 0.9).mean()) >= SEEN:
        inside = rgb[cover > 0.9][None]
        ranges = sampled(np.ascontiguousarray(inside), (0, 0, inside.shape[1], 1))
        return _grown(rgb, ranges)
    size = max(4, min(rgb.shape[:2]) // 24)
    chroma = cv2.blur(to_lch(rgb)[..., 1], (size, size), borderType=cv2.BORDER_REPLICATE)
    y, x = (int(n) for n in np.unravel_index(int(np.argmax(chroma)), chroma.shape))
    if chroma[y, x] < 0.1:
        return {}
    box = max(0, x - size // 2), max(0, y - size // 2), x + size // 2 + 1, y + size // 2 + 1
    return _grown(rgb, sampled(rgb, box))


def _grown(rgb: U8, ranges: dict[str, Any]) -> Begun:
    found, _ = fitted(rgb, ranges)
    return {name: float(value) for name, value in {**ranges, **found}.items()}
