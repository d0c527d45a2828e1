"""The background's motion and the subject's own, fitted to dense flow."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

from cuvrel.core.media.rows import in_rows, kernel

F32 = NDArray[np.float32]


def fitted(flow: F32, weight: F32, stiff: float) -> F32:
    """The affine motion that fits a flow best where it weighs, (2, 3) float32: flow(x, y) = A (x, y, 1).

    flow: (h, w, 2). weight: (h, w), not negative. stiff: how much of a turn or a stretch must pay, so that
    few pixels give a shift. Outliers are weighed down (iteratively reweighted least squares, Cauchy).
    """
    step = 3
    y, x = np.mgrid[0 : flow.shape[0] : step, 0 : flow.shape[1] : step]
    w0 = weight[::step, ::step].ravel().astype(np.float64)
    keep = w0 > 0.02
    if keep.sum() < 6:
        return np.zeros((2, 3), np.float32)
    x, y, w0 = x.ravel()[keep].astype(np.float64), y.ravel()[keep].astype(np.float64), w0[keep]
    target = flow[::step, ::step].reshape(-1, 2)[keep].astype(np.float64)
    mx, my = np.average(x, weights=w0), np.average(y, weights=w0)
    design = np.stack([(x - mx) / 100, (y - my) / 100, np.ones_like(x)], 1)
    ridge = np.diag([stiff, stiff, 1e-6])
    weights = w0
    solved = np.zeros((3, 2))
    for _ in range(4):
        weighed = design * weights[:, None]
        solved = np.linalg.solve(weighed.T @ design + ridge, weighed.T @ target)
        miss = np.square(target - design @ solved).sum(1)
        weights = w0 / (1 + miss / 2.0)
    a, b, c = solved[0] / 100, solved[1] / 100, solved[2]
    return np.stack([a, b, c - a * mx - b * my], 1).astype(np.float32)


def wide(planes: F32) -> F32:
    """A Gaussian blur of 10 pixels, worked out at a quarter of the size."""
    h, w = planes.shape[:2]
    small = cv2.resize(planes, (max(1, w // 4), max(1, h // 4)), interpolation=cv2.INTER_AREA)
    return cv2.resize(cv2.GaussianBlur(small, (0, 0), 2.4), (w, h), interpolation=cv2.INTER_LINEAR)


@kernel
def _weighed(y0, y1, flow, calm, shape, out):  # type: ignore[no-untyped-def]
    for y in range(y0, y1):
        for x in range(shape.shape[1]):
            weight = shape[y, x] * calm[y, x]
            out[y, x, 0], out[y, x, 1], out[y, x, 2] = flow[y, x, 0] * weight, flow[y, x, 1] * weight, weight


@kernel
def _sides(y0, y1, flow, ground, weighed, sides, away):  # type: ignore[no-untyped-def]
    for y in range(y0, y1):
        for x in range(sides.shape[1]):
            u, v = flow[y, x, 0], flow[y, x, 1]
            gu = u - (ground[0, 0] * x + ground[0, 1] * y + ground[0, 2])
            gv = v - (ground[1, 0] * x + ground[1, 1] * y + ground[1, 2])
            soft = weighed[y, x, 2] + np.float32(1e-4)
            ou, ov = u - weighed[y, x, 0] / soft, v - weighed[y, x, 1] / soft
            far, own = np.sqrt(gu * gu + gv * gv), np.sqrt(ou * ou + ov * ov)
            side = np.tanh((far - own) / (np.float32(0.5) + np.float32(0.3) * (far + own)))
            sides[y, x] = side * min(np.float32(1), soft * np.float32(50))
            away[y, x] = far


def with_subject(flow: F32, calm: F32, shape: F32) -> tuple[F32, F32]:
    """Whether each pixel moves with the subject (1) or with the background (-1), and how far it leaves the latter.

    Both (h, w) float32, the second in pixels. flow: (h, w, 2). calm: (h, w), 0 to 1, where it can be trusted.
    shape: (h, w), 0 to 1, where the subject is thought to be. Away from it nothing is said (0).
    """
    h, w = shape.shape
    ground = fitted(flow, (shape < 0.1) * calm, 1.0)
    weighed, sides, away = np.empty((h, w, 3), np.float32), np.empty((h, w), np.float32), np.empty((h, w), np.float32)
    in_rows(_weighed, h, flow, calm, shape, weighed)
    in_rows(_sides, h, flow, ground, wide(weighed), sides, away)
    return sides, away
