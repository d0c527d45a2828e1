"""Marks drawn into masks."""

from __future__ import annotations

from collections.abc import Iterable

import cv2
import numpy as np

from cuvrel.core.arrays import Mask
from cuvrel.core.recipe.models import Mark


def rasterise(marks: Iterable[Mark], kind: str, size: tuple[int, int], scale: tuple[float, float]) -> Mask:
    """The pixels, (H, W) bool, which the marks of one kind, in or out, cover.

    size: (H, W). scale: (x, y) from plate pixels to this size. A stroke covers at least one pixel, a filled
    mark all inside its line; beyond a near mark's line everything is out.
    """
    mask = np.zeros(size, np.uint8)
    for mark in marks:
        beyond = mark.kind == "near" and kind == "out"
        if (mark.kind != kind and not beyond) or not mark.points:
            continue
        # sub-pixel positions in sixteenths; a plate point (x, y) lies at (x * scale - 0.5) in pixel centres
        points = np.round((np.asarray(mark.points, np.float64) * scale - 0.5) * 16).astype(np.int64)
        points = np.clip(points, -(1 << 26), 1 << 26).astype(np.int32)
        if beyond:
            outside = np.full(size, 255, np.uint8)
            cv2.fillPoly(outside, [points.reshape(-1, 1, 2)], 0, cv2.LINE_8, 4)
            mask |= outside
            continue
        if mark.fill:
            cv2.fillPoly(mask, [points.reshape(-1, 1, 2)], 255, cv2.LINE_8, 4)
            continue
        radius = max(0.5, mark.radius * scale[0])
        cv2.polylines(mask, [points.reshape(-1, 1, 2)], False, 255, max(1, round(2 * radius)), cv2.LINE_8, 4)
        for point in (points[0], points[-1]):
            cv2.circle(mask, (int(point[0]), int(point[1])), round(radius * 16), 255, -1, cv2.LINE_8, 4)
    return mask > 0
