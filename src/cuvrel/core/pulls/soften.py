"""From a decision at working size to coverage at plate size."""

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
STEEP, SEEKING = 1.1, 1.3  # a mean of many windows is a little too soft, the more so the wider they are


def soften(u: F32, rgb: U8, detail: float = 1.0, seek: float = 0.0) -> F32:
    """Coverage at the size of `rgb`, (H, W) float32, 0 to 1, with edges that follow the picture's.

    u: the labelling at any size. detail: 0 keeps the plain outline, 1 lets soft edges (hair, blur) come
    from the picture by a guided filter in a narrow band. seek: 0 to 1, how far the outline first moves to
    edges that lie up to twice as far from it.
    """
    size = rgb.shape[1], rgb.shape[0]
    ratio = max(1.0, rgb.shape[1] / u.shape[1])
    whole = u if u.shape == rgb.shape[:2] else cv2.resize(u, size, interpolation=cv2.INTER_CUBIC)
    reach = (2 if seek > 0 else 1) * _radius(ratio)
    out = np.zeros(rgb.shape[:2], np.float32)
    # below a seventh nothing is left when the edge has been steepened
    around = bounds(whole > 0.1, 4 * reach)
    if around is None:
        return out
    part, picture = np.ascontiguousarray(whole[around]), rgb[around]
    if seek > 0:
        part = _drawn(part, picture, ratio, reach, SEEKING, seek)
        ratio = max(1.0, ratio / 2)  # its outline is the plate's own now
    out[around] = _drawn(part, picture, ratio, _radius(ratio), STEEP, detail)
    return out


def _radius(ratio: float) -> int:
    return max(RADIUS, round(RADIUS * ratio))


def _drawn(full: F32, rgb: U8, ratio: float, radius: int, steep: float, share: float) -> F32:
    """A matte with its edges drawn to the picture's, `share` of the way, within `radius` of its outline."""
    # an outline between pixels: blur a little, then steepen about one half
    plain = np.clip((cv2.GaussianBlur(full, (0, 0), 0.6 * ratio) - 0.5) * 1.4 + 0.5, 0, 1).astype(np.float32)
    if share <= 0:
        return plain
    hard = (full > 0.5).astype(np.uint8)
    kernel = cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (2 * radius + 1, 2 * radius + 1))
    band = cv2.morphologyEx(hard, cv2.MORPH_GRADIENT, kernel)
    box = bounds(band, 3 * radius)
    if box is None:
        return plain
    # in linear light, where a soft edge is a mix of both sides
    guide, soft, where = cv2.LUT(rgb[box], DECODE), plain[box], np.ascontiguousarray(band[box])
    for _ in range(PASSES):
        soft = np.clip((guided(guide, soft, where, radius, EPS) - 0.5) * steep + 0.5, 0, 1)
    blend = np.minimum(cv2.GaussianBlur(where.astype(np.float32), (0, 0), radius / 2), 1) * where * share
    plain[box] += blend * (soft - plain[box])
    return np.asarray(np.clip(plain, 0, 1), np.float32)
