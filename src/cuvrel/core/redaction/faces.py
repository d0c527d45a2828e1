"""Faces in a picture, found by two small networks that run locally.

The networks are MediaPipe's face detection in its short and its full range (Apache-2.0; Bazarevsky et al., "BlazeFace:
Sub-millisecond Neural Face Detection on Mobile GPUs", 2019). Each reads a small square, so a picture is looked at whole
and in tiles that overlap, for faces that are small in it.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from functools import cache
from pathlib import Path
from threading import Lock
from typing import Any, Literal

import cv2
import numpy as np

from cuvrel.core.arrays import F32, U8

HERE = Path(__file__).parent
SIDES = {"near": 128, "far": 192}  # of the square that each network reads
OUT = {
    "near": ("regressors", "classificators"),
    "far": ("reshaped_regressor_face_4", "reshaped_classifier_face_4"),
}
SAME = 0.3  # share of two boxes' union that both have, from which on they are one face
WITHIN = 0.6  # share of a box that lies in another one, from which on they are one face
FAIR, SURE = 0.5, 0.75  # scores: that a box is looked at again, and that it is a face without more ado
Range = Literal["near", "far"]
_lock = Lock()


@dataclass(frozen=True)
class Face:
    """A face: the box from brow to chin in pixels, its top left corner first, and how sure it is, 0 to 1."""

    x: float
    y: float
    width: float
    height: float
    score: float

    @property
    def middle(self) -> tuple[float, float]:
        """The middle of its box."""
        return self.x + self.width / 2, self.y + self.height / 2

    @property
    def size(self) -> float:
        """The longer side of its box."""
        return max(self.width, self.height)


@cache
def _network(of: Range) -> Any:
    # the classic engine gives both outputs of one run
    return cv2.dnn.readNetFromTFLite(str(HERE / f"face_{of}.tflite"), cv2.dnn.ENGINE_CLASSIC)


@cache
def _anchors(of: Range) -> F32:
    """The middles of the places that a network tells of, (N, 2), 0 to 1."""
    grids = ((48, 1),) if of == "far" else ((16, 2), (8, 6))
    out = []
    for count, times in grids:
        y, x = np.mgrid[0:count, 0:count]
        places = np.stack([(x + 0.5) / count, (y + 0.5) / count], axis=2).reshape(-1, 2)
        out.append(np.repeat(places, times, axis=0))
    return np.concatenate(out).astype(np.float32)


def _looked(picture: U8, of: Range, least: float) -> list[Face]:
    """Faces of one picture, which is laid whole into the square that a network reads."""
    side = SIDES[of]
    high, wide = picture.shape[:2]
    scale = side / max(high, wide)
    size = max(1, round(wide * scale)), max(1, round(high * scale))
    how = cv2.INTER_AREA if scale < 1 else cv2.INTER_LINEAR
    square = np.zeros((side, side, 3), np.float32)
    left, top = (side - size[0]) // 2, (side - size[1]) // 2
    square[top : top + size[1], left : left + size[0]] = cv2.resize(picture, size, interpolation=how)
    given = np.ascontiguousarray((square / np.float32(127.5) - 1).transpose(2, 0, 1)[None])
    with _lock:
        network = _network(of)
        network.setInput(given)
        boxes, scores = network.forward(list(OUT[of]))
    score = 1 / (1 + np.exp(-np.clip(scores[0, :, 0], -60, 60)))
    kept = np.nonzero(score >= least)[0]
    at, box = _anchors(of)[kept], boxes[0, kept, :4] / side
    found = []
    for (ax, ay), (x, y, w, h), sure in zip(at, box, score[kept], strict=True):
        px, py = (float(ax + x) * side - left) / scale, (float(ay + y) * side - top) / scale
        pw, ph = float(w) * side / scale, float(h) * side / scale
        if pw > 2 and ph > 2:
            found.append(Face(px - pw / 2, py - ph / 2, pw, ph, float(sure)))
    return merged(found)


def merged(faces: Sequence[Face]) -> list[Face]:
    """Boxes that are of one face as one: their mean, weighted by their scores (as BlazeFace does)."""
    left, out = sorted(faces, key=lambda one: -one.score), []
    while left:
        first = left[0]
        same = [one for one in left if one is first or alike(first, one)]
        left = [one for one in left if one not in same]
        weight = sum(one.score for one in same)
        x, y, wide, high = (
            sum(getattr(one, name) * one.score for one in same) / weight for name in ("x", "y", "width", "height")
        )
        out.append(Face(x, y, wide, high, first.score))
    return out


def shared(one: Face, other: Face) -> float:
    """The area that two boxes share, in square pixels."""
    wide = min(one.x + one.width, other.x + other.width) - max(one.x, other.x)
    high = min(one.y + one.height, other.y + other.height) - max(one.y, other.y)
    return max(wide, 0.0) * max(high, 0.0)


def alike(one: Face, other: Face) -> bool:
    """Whether two boxes are of one face."""
    both = shared(one, other)
    a, b = one.width * one.height, other.width * other.height
    return both > SAME * (a + b - both) or both > WITHIN * min(a, b)


def tiles(high: int, wide: int, side: int) -> list[tuple[int, int, int]]:
    """Squares that cover a picture and overlap by a quarter at the least: left, top and side, in pixels."""
    side = min(side, high, wide)

    def begins(length: int) -> list[int]:
        count = 1 if length == side else int(np.ceil((length - side) / (side * 0.75))) + 1
        return [round(n) for n in np.linspace(0, length - side, count)]

    return [(x, y, side) for y in begins(high) for x in begins(wide)]


def faces(picture: U8, fine: bool = False, least: float = FAIR) -> list[Face]:
    """All faces that are found in a picture. picture: (H, W, 3) uint8 sRGB.

    The picture is looked at whole and in squares as high as it is, with `fine` in smaller ones as well, for faces below
    a twentieth of its height. What is not sure is looked at once more by itself, enlarged.
    """
    high, wide = picture.shape[:2]
    found = _looked(picture, "far", least)
    sides = [min(high, wide)] if wide > 1.2 * high or high > 1.2 * wide else []
    if fine:
        sides.append(max(192, min(high, wide) // 2))
    for side in sides:
        for x, y, s in tiles(high, wide, side):
            found += [_moved(one, x, y) for one in _looked(picture[y : y + s, x : x + s], "far", least)]
    out = []
    for one in merged(found):
        again = one if one.score >= SURE else around(picture, one, least)
        if again is not None:
            out.append(again)
    return merged(out)


def around(picture: U8, at: Face, least: float = FAIR) -> Face | None:
    """The face at a place of a picture, or close to it, looked at enlarged; None where there is none."""
    high, wide = picture.shape[:2]
    (mx, my), half = at.middle, max(at.size * 1.25, 12.0)
    x0, y0 = max(0, round(mx - half)), max(0, round(my - half))
    x1, y1 = min(wide, round(mx + half)), min(high, round(my + half))
    if x1 - x0 < 8 or y1 - y0 < 8:
        return None
    found = [_moved(one, x0, y0) for one in _looked(picture[y0:y1, x0:x1], "near", least)]
    near = [one for one in found if np.hypot(one.middle[0] - mx, one.middle[1] - my) < max(at.size, one.size)]
    return max(near, key=lambda one: one.score, default=None)


def _moved(face: Face, x: float, y: float) -> Face:
    return Face(face.x + x, face.y + y, face.width, face.height, face.score)
