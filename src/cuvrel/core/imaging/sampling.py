"""Pictures whose pixels are taken from other places, and movements about a place."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from cuvrel.core.arrays import F32, F64

FAR = 16  # sides of a picture beyond which a place in its mirrored copies is looked up nearby


def grid(picture: F32) -> tuple[F32, F32]:
    """The x and the y of each pixel's middle, (1, W) and (H, 1)."""
    h, w = picture.shape[:2]
    return np.arange(w, dtype=np.float32)[None], np.arange(h, dtype=np.float32)[:, None]


def taken(picture: F32, x: F32, y: F32, border: int = cv2.BORDER_REFLECT) -> F32:
    """The picture with each pixel taken from a place."""
    size = picture.shape[:2]
    whole = [np.ascontiguousarray(np.broadcast_to(one, size), np.float32) for one in (x, y)]
    if border == cv2.BORDER_REFLECT:
        whole = [_near(one, side) for one, side in zip(whole, (size[1], size[0]), strict=True)]
    return np.asarray(cv2.remap(picture, whole[0], whole[1], cv2.INTER_LINEAR, borderMode=border), np.float32)


def _near(places: F32, side: int) -> F32:
    """Places of a mirrored picture that lie far away, as the same ones nearby: cv2 would mirror them step by step."""
    if -FAR * side < places.min() and places.max() < FAR * side:
        return places
    return np.asarray(np.mod(places + np.float32(0.5), np.float32(2 * side)) - np.float32(0.5), np.float32)


def sized(cover: F32, size: tuple[int, ...]) -> F32:
    """A coverage as large as something else, (H, W) float32; itself where it is already."""
    if cover.shape == size:
        return cover
    return np.asarray(cv2.resize(cover, (size[1], size[0]), interpolation=cv2.INTER_AREA), np.float32)


def about_middle(picture: F32, size: tuple[int, int]) -> F32:
    """The part of a frame's picture that lies on the plate, or the picture with nothing about it, (H, W, 4)."""
    if picture.shape[:2] == size:
        return picture
    out = np.zeros((*size, 4), np.float32)
    (rows, columns), (high, wide) = picture.shape[:2], size
    top, left = (rows - high) // 2, (columns - wide) // 2
    y0, x0, y1, x1 = max(0, top), max(0, left), min(rows, top + high), min(columns, left + wide)
    out[y0 - top : y1 - top, x0 - left : x1 - left] = picture[y0:y1, x0:x1]
    return out


def averaged_down(picture: NDArray[Any], to: F64) -> tuple[NDArray[Any], F64]:
    """What to warp instead of a picture where warping would make it smaller, and how.

    cv2's warps read single places of a picture (they take INTER_AREA for INTER_LINEAR), so that what is made smaller
    must be averaged before, or it aliases.

    Parameters
    ----------
    picture
        (H, W) or (H, W, C).
    to
        (3, 3), from its pixels to those of the result; points are the pixels' middles.

    Returns
    -------
    The picture, averaged to about the size at which it is largest in the result, and the map from its pixels. Both as
    they are where nothing becomes smaller.
    """
    h, w = picture.shape[:2]
    wide, high = _growth(to, h, w)
    small = min(w, max(1, round(w * min(1.0, wide)))), min(h, max(1, round(h * min(1.0, high))))
    if small == (w, h):
        return picture, to
    fx, fy = w / small[0], h / small[1]
    within = np.array([[fx, 0, (fx - 1) / 2], [0, fy, (fy - 1) / 2], [0, 0, 1.0]])
    return np.asarray(cv2.resize(picture, small, interpolation=cv2.INTER_AREA)), to @ within


def _growth(to: F64, h: int, w: int) -> tuple[float, float]:
    """How many pixels a pixel of a picture becomes along its two axes, where it becomes largest."""
    wide = high = 1e-3
    for x, y in ((w / 2, h / 2), (0, 0), (w, 0), (0, h), (w, h)):
        depth = to[2] @ (x, y, 1)
        if depth <= 1e-9:
            return 1.0, 1.0
        at = to[:2] @ (x, y, 1) / depth
        wide = max(wide, float(np.hypot(*((to[:2, 0] - at * to[2, 0]) / depth))))
        high = max(high, float(np.hypot(*((to[:2, 1] - at * to[2, 1]) / depth))))
    return wide, high


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
