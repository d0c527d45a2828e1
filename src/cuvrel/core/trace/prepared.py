"""A frame made ready for marks: its sizes, its edges, and what its neighbours tell, found once for all marks on it."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from cuvrel.core.arrays import U8
from cuvrel.core.imaging.relaxed_cut import edge_weights
from cuvrel.core.trace.clues import FAR, NEAR, OFFSETS, Moves, Scene, closely, moves, others
from cuvrel.core.trace.colour_model import to_lab

SMALL = 320  # the longer side of the first solve
WORK = 960  # the longer side that motion and colours are read from


@dataclass(frozen=True)
class Sizes:
    """Plate, working and small sizes as (H, W)."""

    plate: tuple[int, int]
    work: tuple[int, int]
    small: tuple[int, int]


def sizes(height: int, width: int) -> Sizes:
    """The sizes that a plate is worked on at."""

    def fit(longest: int) -> tuple[int, int]:
        ratio = min(1.0, longest / max(height, width))
        return max(2, round(height * ratio)), max(2, round(width * ratio))

    return Sizes((height, width), fit(WORK), fit(SMALL))


def shrink(picture: NDArray, size: tuple[int, int]) -> NDArray:
    """The picture at (H, W), averaged over the pixels it had."""
    if picture.shape[:2] == size:
        return picture
    return cv2.resize(picture, (size[1], size[0]), interpolation=cv2.INTER_AREA)


class Prepared:
    """What does not change between marks on one frame: the picture at its sizes, Lab, edge weights, motion.

    neighbours: pictures of nearby frames with how many frames away each one is; what moves otherwise than
    the background helps to tell the subject. Those in clues.NEAR and clues.FAR are of use.
    """

    def __init__(self, rgb: U8, snap: float = 0.7, neighbours: Sequence[tuple[int, U8]] = ()) -> None:
        self.rgb, self.snap = rgb, snap
        self.sizes = sizes(*rgb.shape[:2])
        work = np.ascontiguousarray(shrink(rgb, self.sizes.work))
        small = np.ascontiguousarray(shrink(work, self.sizes.small))
        self.lab_small = to_lab(small)
        h, w = self.sizes.small
        self.twice = np.ascontiguousarray(cv2.resize(work, (2 * w, 2 * h), interpolation=cv2.INTER_AREA))
        near = [(offset, shrink(one, self.sizes.work)) for offset, one in neighbours]
        found = moves(work, near, (h, w))
        some = [(move, one) for move, (_, one) in zip(found, near, strict=True) if abs(move.offset) in OFFSETS]

        def seen(size: tuple[int, int]) -> list[tuple[Moves, U8]]:
            return [(move, to_lab(np.ascontiguousarray(shrink(one, size)))) for move, one in some]

        large = to_lab(self.twice)
        self.scene = Scene(
            large,
            [one for one in found if one.offset in NEAR],
            others(self.lab_small, seen((h, w))),
            closely(large, seen((2 * h, 2 * w))),
        )
        lab = cv2.GaussianBlur(self.lab_small, (0, 0), 0.8).astype(np.float32)
        gx, gy = cv2.Sobel(lab, cv2.CV_32F, 1, 0, scale=0.125), cv2.Sobel(lab, cv2.CV_32F, 0, 1, scale=0.125)
        slope = np.sqrt((gx * gx + gy * gy).sum(axis=2))
        # the picture's own texture and grain are no border: only what rises above them is
        self.slope = np.maximum(slope - 1.5 * float(np.median(slope)) - 0.5, 0)
        self.wx, self.wy = edge_weights(self.lab_small.astype(np.float32), 1.2 + 2.6 * snap)


def prepare(read: Callable[[int], U8], count: int, frame: int, snap: float = 0.7) -> Prepared:
    """A frame of a clip of `count` frames, prepared with its neighbours."""
    near = [n for n in sorted((*NEAR, *FAR)) if 0 <= frame + n < count]
    return Prepared(read(frame), snap, [(n, read(frame + n)) for n in near])
