"""From one frame to the next: feature points of a region, and the robust motion that most of them agree on."""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np

from cuvrel.core.arrays import F32, F64, Mask
from cuvrel.core.imaging.homography import moved
from cuvrel.core.tracks.align import Freedom
from cuvrel.core.tracks.geometry import Area
from cuvrel.core.tracks.pyramids import Scene

MOST = 160  # points of a region
AROUND = 64  # pixels about a region that a point may go in one frame
RETURNED = 0.8  # pixels that a point may come back beside where it set out
INLIER = 1.5  # pixels
LOOK = {"winSize": (15, 15), "maxLevel": 4, "criteria": (3, 20, 0.02), "minEigThreshold": 1e-4}


@dataclass(frozen=True)
class Went:
    """How a region went from one frame to the next: (3, 3) between pixels, and the share of points that agree.

    points: where the points came to, (N, 2); agree: 0 to 1 each.
    """

    matrix: F64
    share: float
    points: F32
    agree: F32


def went(before: Scene, after: Scene, area: Area, freedom: Freedom) -> Went | None:
    """The motion of what lies in an area from one frame to the next; None where too few points agree.

    Points are followed there and back by the pyramidal method of Lucas and Kanade (Bouguet, 2000), and the motion is
    that of RANSAC, refined on those that agree. What may not be looked at on either frame has no points.
    """
    start = _points(before, area)
    if len(start) < 3:
        return None
    # what lies further off is not looked at
    low = np.floor(start[:, 0].min(axis=0)).astype(int) - AROUND
    high = np.ceil(start[:, 0].max(axis=0)).astype(int) + AROUND
    x0, y0 = int(max(low[0], 0)), int(max(low[1], 0))
    old, new = (np.ascontiguousarray(one.grey[y0 : max(high[1], 0), x0 : max(high[0], 0)]) for one in (before, after))
    start = start - np.array([x0, y0], np.float32)
    there, found, _ = cv2.calcOpticalFlowPyrLK(old, new, start, None, **LOOK)  # type: ignore[call-overload]
    back, again, _ = cv2.calcOpticalFlowPyrLK(new, old, there, None, **LOOK)  # type: ignore[call-overload]
    start, there, back = (one + np.array([x0, y0], np.float32) for one in (start, there, back))
    fair = (found[:, 0] > 0) & (again[:, 0] > 0)
    fair &= np.hypot(*(back - start)[:, 0].T) < RETURNED
    fair &= _allowed(after, there[:, 0])
    a, b = start[fair, 0], there[fair, 0]
    if len(a) < 3:
        return None
    matrix = _agreed(a, b, freedom)
    if matrix is None:
        return None
    off = np.hypot(*(moved(matrix, a) - b).T)
    agree = np.exp(-((off / INLIER) ** 2)).astype(np.float32)
    share = float((off < INLIER).sum() / len(start))
    return Went(matrix, share, b, agree)


def _points(seen: Scene, area: Area) -> F32:
    mask = area.mask((seen.grey.shape[0], seen.grey.shape[1]))
    if seen.without is not None:
        near = cv2.dilate((seen.without > 0.1).astype(np.uint8), np.ones((9, 9), np.uint8))
        mask[near > 0] = 0
    box = cv2.boundingRect(mask)
    if box[2] < 3 or box[3] < 3:
        return np.zeros((0, 1, 2), np.float32)
    x, y, w, h = box
    part = np.ascontiguousarray(seen.grey[y : y + h, x : x + w])
    apart = max(2.0, np.sqrt(w * h / MOST) * 0.5)
    found = cv2.goodFeaturesToTrack(
        part, MOST, 0.01, apart, mask=np.ascontiguousarray(mask[y : y + h, x : x + w]), blockSize=5
    )
    if found is None:
        return np.zeros((0, 1, 2), np.float32)
    return np.asarray(found + np.array([x, y], np.float32), np.float32)


def _allowed(seen: Scene, points: F32) -> Mask:
    if seen.without is None:
        return np.ones(len(points), bool)
    high, wide = seen.without.shape
    x, y = np.round(points[:, 0]).astype(int), np.round(points[:, 1]).astype(int)
    inside = (x >= 0) & (y >= 0) & (x < wide) & (y < high)
    out = np.zeros(len(points), bool)
    out[inside] = seen.without[y[inside], x[inside]] <= 0.1
    return out


def _agreed(a: F32, b: F32, freedom: Freedom) -> F64 | None:
    if freedom == "position" or len(a) < 6:
        by = np.median(b - a, axis=0)
        near = np.hypot(*(b - a - by).T) < INLIER
        if near.sum() >= 3:
            by = (b - a)[near].mean(axis=0)
        return np.array([[1, 0, by[0]], [0, 1, by[1]], [0, 0, 1.0]])
    if freedom == "perspective" and len(a) >= 12:
        whole, _ = cv2.findHomography(a, b, cv2.RANSAC, INLIER, maxIters=400)
        return None if whole is None else np.asarray(whole, np.float64)
    fit = (
        cv2.estimateAffine2D
        if freedom in ("stretch and shear", "perspective") and len(a) >= 10
        else cv2.estimateAffinePartial2D
    )
    flat, _ = fit(a, b, method=cv2.RANSAC, ransacReprojThreshold=INLIER, maxIters=400, refineIters=10)
    return None if flat is None else np.vstack([flat, [0, 0, 1.0]])
