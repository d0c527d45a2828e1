"""Pictures whose pixels are taken from other places, and movements about a place."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from cuvrel.core.arrays import F32, F64


def grid(picture: F32) -> tuple[F32, F32]:
    """The x and the y of each pixel's middle, (1, W) and (H, 1)."""
    h, w = picture.shape[:2]
    return np.arange(w, dtype=np.float32)[None], np.arange(h, dtype=np.float32)[:, None]


def taken(picture: F32, x: F32, y: F32, border: int = cv2.BORDER_REFLECT) -> F32:
    """The picture with each pixel taken from a place."""
    size = picture.shape[:2]
    whole = [np.ascontiguousarray(np.broadcast_to(one, size), np.float32) for one in (x, y)]
    return np.asarray(cv2.remap(picture, whole[0], whole[1], cv2.INTER_LINEAR, borderMode=border), np.float32)


def sized(cover: F32, size: tuple[int, ...]) -> F32:
    """A coverage as large as something else, (H, W) float32; itself where it is already."""
    if cover.shape == size:
        return cover
    return np.asarray(cv2.resize(cover, (size[1], size[0]), interpolation=cv2.INTER_AREA), np.float32)


def middle(picture: F32, values: dict[str, Any], scale: float) -> tuple[float, float]:
    h, w = picture.shape[:2]
    x, y = values["centre"]
    return w / 2 + float(x) * scale - 0.5, h / 2 + float(y) * scale - 0.5


def about(at: Sequence[float] | NDArray, scale: float, degrees: float, by: Sequence[float] | NDArray = (0, 0)) -> F64:
    """Growth and a clockwise turn about a place, then a shift, (2, 3), in the pixels that the place is given in."""
    turn = np.deg2rad(degrees)
    c, s = scale * np.cos(turn), scale * np.sin(turn)
    spin = np.array([[c, -s], [s, c]])
    return np.column_stack([spin, np.asarray(at) + by - spin @ at])
