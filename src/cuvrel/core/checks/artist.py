"""A simulated artist: draws the mark that a person would draw where a matte is most wrong."""

from __future__ import annotations

from typing import Literal

import cv2
import numpy as np
from numpy.typing import NDArray

F32 = NDArray[np.float32]
Kind = Literal["in", "out"]


def next_mark(matte: F32, truth: F32) -> tuple[Kind, float, list[tuple[float, float]]] | None:
    """Kind, radius and points, in pixels, of one stroke in the largest wrong part; None when none is wrong.

    The stroke runs along the part's longer axis through its thickest place and stays inside it.
    """
    wrong = ((matte > 0.5) != (truth > 0.5)).astype(np.uint8)
    depth = cv2.distanceTransform(wrong, cv2.DIST_L2, 5)
    count, labels, stats, _ = cv2.connectedComponentsWithStats((depth > 1.5).astype(np.uint8))
    if count < 2:
        return None
    part = 1 + int(np.argmax(stats[1:, cv2.CC_STAT_AREA]))
    mask = labels == part
    inner = np.where(mask, depth, 0)
    y, x = np.unravel_index(int(np.argmax(inner)), inner.shape)
    kind: Kind = "in" if truth[y, x] > 0.5 else "out"
    ys, xs = np.nonzero(mask)
    centred = np.stack([xs - xs.mean(), ys - ys.mean()])
    _, axes = np.linalg.eigh(centred @ centred.T)
    along = axes[:, 1]
    radius = float(np.clip(0.5 * inner[y, x], 1.0, 8.0))
    points = [(float(x), float(y))]
    for way in (1.0, -1.0):
        for step in range(1, 60):
            px, py = x + way * along[0] * step * 2, y + way * along[1] * step * 2
            iy, ix = round(py), round(px)
            if not (0 <= iy < mask.shape[0] and 0 <= ix < mask.shape[1]) or depth[iy, ix] < radius:
                break
            points.insert(0 if way > 0 else len(points), (float(px), float(py)))
    points = [points[0], *points[2:-1:4], points[-1]] if len(points) > 3 else points
    return kind, radius, [(px + 0.5, py + 0.5) for px, py in points]
