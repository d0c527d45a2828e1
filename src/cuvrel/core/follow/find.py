"""Finding the subject without a mark: a person where there is one, else what moves against the camera's motion.

The person model is MediaPipe's selfie segmentation in its landscape form (Apache-2.0, `person.tflite`).
What either of the two says is rough; it stands in for marks, and the trace decides the outline.
"""

from __future__ import annotations

from collections.abc import Callable
from functools import cache
from pathlib import Path
from threading import Lock
from typing import Any

import cv2
import numpy as np

from cuvrel.core.arrays import F32, U8, Mask
from cuvrel.core.checks.chatter import grey_flow
from cuvrel.core.motion.fit import fitted
from cuvrel.core.recipe.errors import TraceError
from cuvrel.core.trace.prepared import prepare
from cuvrel.core.trace.trace import solve

MODEL = Path(__file__).with_name("person.tflite")
INPUT = (256, 144)  # W, H that the model reads
SIZE = 480  # the longer side at which motion is looked at
STEPS = (-6, -3, 3, 6)  # the frames whose motion against this one counts
_lock = Lock()


@cache
def _model() -> Any:
    return cv2.dnn.readNetFromTFLite(str(MODEL))


def person(rgb: U8) -> F32:
    """How likely each pixel is a person, (144, 256) float32, 0 to 1. rgb: (H, W, 3) uint8 sRGB."""
    small = cv2.resize(rgb, INPUT, interpolation=cv2.INTER_AREA).astype(np.float32) / 255
    with _lock:
        _model().setInput(np.ascontiguousarray(small.transpose(2, 0, 1)[None]))
        return np.asarray(_model().forward()[0, 0], np.float32)


def moving(read: Callable[[int], U8], frame: int, count: int) -> F32:
    """Pixels a frame that a place moves against the camera's motion, (h, w) float32, of about SIZE.

    The camera's motion is the affine motion that most of the picture shares, frame against frame.
    """
    here = read(frame)
    scale = SIZE / max(here.shape[:2])
    size = max(8, round(here.shape[1] * scale)), max(8, round(here.shape[0] * scale))

    def small(picture: U8) -> U8:
        return np.asarray(cv2.resize(picture, size, interpolation=cv2.INTER_AREA), np.uint8)

    mine = small(here)
    y, x = np.mgrid[0 : size[1], 0 : size[0]].astype(np.float32)
    seen = []
    for step in STEPS:
        if not 0 <= frame + step < count:
            continue
        flow = grey_flow(mine, small(read(frame + step)))
        fit = fitted(flow, np.ones(flow.shape[:2], np.float32), 1e-3)
        own = [flow[..., k] - (fit[k, 0] * x + fit[k, 1] * y + fit[k, 2]) for k in (0, 1)]
        seen.append(np.hypot(own[0], own[1]) / abs(step))
    if not seen:
        return np.zeros((size[1], size[0]), np.float32)
    # uncovered background moves against one neighbour only; the subject against most of them
    return np.asarray(cv2.GaussianBlur(np.median(np.stack(seen), axis=0).astype(np.float32), (0, 0), 2.0), np.float32)


def find(read: Callable[[int], U8], frame: int, count: int, snap: float = 0.7, detail: float = 1.0) -> F32:
    """The matte of what seems to be the subject of a frame, (H, W) float32, 0 to 1. Raises TraceError.

    read: a frame's (H, W, 3) uint8 sRGB picture by its number, 0 to count - 1.
    """
    rgb = read(frame)
    there = person(rgb)
    if 0.004 < float((there > 0.6).mean()) < 0.9:
        inside, outside = there > 0.8, there < 0.15
    else:
        speed = moving(read, frame, count)
        least = max(0.25, 0.35 * float(np.percentile(speed, 99.5)))
        fast = (speed > least).astype(np.uint8)
        parts, labels, stats, _ = cv2.connectedComponentsWithStats(fast)
        if parts < 2 or stats[1:, cv2.CC_STAT_AREA].max() < 0.0006 * fast.size:
            raise TraceError(
                "No person was found here, and nothing moves against the background.", "Draw an in mark on the subject."
            )
        # what is large belongs to the subject; crumbs of motion elsewhere do not
        most = int(stats[1:, cv2.CC_STAT_AREA].max())
        keep = np.flatnonzero(stats[:, cv2.CC_STAT_AREA] > 0.2 * most)
        inside, outside = np.isin(labels, keep[keep > 0]), speed < 0.5 * least
    ready = prepare(read, count, frame, snap)
    return solve(ready, *_seeds(inside, outside, ready.sizes.small), None, detail)


def _seeds(inside: Mask, outside: Mask, size: tuple[int, int]) -> tuple[Mask, Mask]:
    """What is surely in and surely out, away from the outline, at a size (H, W)."""
    core = cv2.distanceTransform(inside.astype(np.uint8), cv2.DIST_L2, 5)
    deep = core > min(3.0, 0.5 * float(core.max()))
    clear = cv2.distanceTransform(outside.astype(np.uint8), cv2.DIST_L2, 5) > 5
    sure_in, sure_out = (
        cv2.resize(m.astype(np.uint8), (size[1], size[0]), interpolation=cv2.INTER_NEAREST) > 0 for m in (deep, clear)
    )
    return sure_in, sure_out
