"""From a hard decision at working size to coverage at plate size."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

from cuvrel.core.media.box import bounds
from cuvrel.core.media.colour import DECODE
from cuvrel.core.pulls.guided import guided

F32 = NDArray[np.float32]
U8 = NDArray[np.uint8]
RADIUS = 3  # pixels of the labelling on each side of its outline in which the picture's edges count
PASSES = 2
EPS = 2e-4  # spread of colour, squared, below which there is no edge
STEEP = 1.1  # a mean of many windows is a little too soft


def soften(u: F32, rgb: U8, detail: float = 1.0) -> F32:
    """Coverage at the size of `rgb`, (H, W) float32, 0 to 1, with edges that follow the picture's.

    u: the labelling at any size. detail: 0 keeps the plain outline, 1 lets soft edges (hair, blur) come
    from the picture by a guided filter (He, Sun and Tang, TPAMI 2013) in a narrow band.
    """
    size = rgb.shape[1], rgb.shape[0]
    ratio = max(1.0, rgb.shape[1] / u.shape[1])
    whole = u if u.shape == rgb.shape[:2] else cv2.resize(u, size, interpolation=cv2.INTER_CUBIC)
    radius = max(RADIUS, round(RADIUS * ratio))
    out = np.zeros(rgb.shape[:2], np.float32)
    # below a seventh nothing is left when the edge has been steepened
    around = bounds(whole > 0.1, 4 * radius)
    if around is None:
        return out
    out[around] = _softened(np.ascontiguousarray(whole[around]), rgb[around], ratio, radius, detail)
    return out


def _softened(full: F32, rgb: U8, ratio: float, radius: int, detail: float) -> F32:
    """The part of the picture that the subject is in."""
    sigma = 0.6 * ratio
    # an outline between pixels: blur a little, then steepen about one half
    plain = np.clip((cv2.GaussianBlur(full, (0, 0), sigma) - 0.5) * 1.4 + 0.5, 0, 1)
    if detail <= 0:
        return plain.astype(np.float32)
    hard = (full > 0.5).astype(np.uint8)
    kernel = cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (2 * radius + 1, 2 * radius + 1))
    band = cv2.morphologyEx(hard, cv2.MORPH_GRADIENT, kernel)
    box = bounds(band, 3 * radius)
    if box is None:
        return plain.astype(np.float32)
    # in linear light, where a soft edge is a mix of both sides
    guide, soft, where = cv2.LUT(rgb[box], DECODE), plain[box], np.ascontiguousarray(band[box])
    for _ in range(PASSES):
        soft = np.clip((guided(guide, soft, where, radius, EPS) - 0.5) * STEEP + 0.5, 0, 1)
    blend = np.minimum(cv2.GaussianBlur(band[box].astype(np.float32), (0, 0), radius / 2), 1) * band[box] * detail
    out = plain.astype(np.float32)
    out[box] += blend * (soft - out[box])
    return np.clip(out, 0, 1)
