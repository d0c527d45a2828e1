"""A track's piece of its frame of reference, and of another frame, side by side."""

from __future__ import annotations

from collections.abc import Callable

import cv2
import numpy as np

from cuvrel.core.arrays import U8
from cuvrel.core.imaging.homography import FROM_MIDDLE, inverse, moved
from cuvrel.core.imaging.sampling import averaged_down
from cuvrel.core.tracks.path import Path

SIDE = 220  # pixels of each of the two pictures
AROUND = 1.5  # how much of what lies about a track they show, of its own size
GREY = (74, 74, 74)  # beyond the picture


def beside(path: Path, plate: Callable[[int], U8], frame: int) -> U8:
    """The two, (SIDE, 2 SIDE, 3) uint8: as it was marked, and as it is on a frame, brought back by its motion.

    Where the track holds the two look alike. plate: a frame's picture, (H, W, 3) uint8 sRGB.
    """
    (left, top), (right, bottom) = moved(path.own, np.array([[-1, -1], [1, 1]]))
    half = max(right - left, bottom - top) / 2 * AROUND
    zoom = SIDE / (2 * half)
    x, y = (left + right) / 2, (top + bottom) / 2
    enlarged = np.array([[zoom, 0, SIDE / 2 - zoom * x], [0, zoom, SIDE / 2 - zoom * y], [0, 0, 1.0]])

    def piece(number: int) -> U8:
        way = inverse(FROM_MIDDLE) @ enlarged @ inverse(path.since(number)) @ FROM_MIDDLE
        picture, to = averaged_down(plate(number), way)
        how = cv2.INTER_CUBIC if zoom > 1 else cv2.INTER_LINEAR
        return np.asarray(cv2.warpPerspective(picture, to, (SIDE, SIDE), flags=how, borderValue=GREY), np.uint8)

    return np.concatenate([piece(path.track.frame), piece(frame)], axis=1)
