"""The background's motion and the subject's own, fitted to dense flow."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

from cuvrel.core.motion.flow import length

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


def moved_by(fit: F32, shape: tuple[int, int]) -> F32:
    """The affine motion at every pixel, (h, w, 2)."""
    y, x = np.mgrid[0 : shape[0], 0 : shape[1]].astype(np.float32)
    return np.stack([fit[k, 0] * x + fit[k, 1] * y + fit[k, 2] for k in (0, 1)], axis=2)


def wide(planes: F32) -> F32:
    """A Gaussian blur of 10 pixels, worked out at a quarter of the size."""
    h, w = planes.shape[:2]
    small = cv2.resize(planes, (max(1, w // 4), max(1, h // 4)), interpolation=cv2.INTER_AREA)
    return cv2.resize(cv2.GaussianBlur(small, (0, 0), 2.4), (w, h), interpolation=cv2.INTER_LINEAR)


def with_subject(flow: F32, calm: F32, shape: F32) -> tuple[F32, F32]:
    """Whether each pixel moves with the subject (1) or with the background (-1), and how far it leaves the latter.

    Both (h, w) float32, the second in pixels. flow: (h, w, 2). calm: (h, w), 0 to 1, where it can be trusted.
    shape: (h, w), 0 to 1, where the subject is thought to be. Away from it nothing is said (0).
    """
    ground = moved_by(fitted(flow, (shape < 0.1) * calm, 1.0), (shape.shape[0], shape.shape[1]))
    weight = shape * calm
    weighed = wide(np.dstack([flow * weight[..., None], weight]))
    soft = weighed[..., 2] + np.float32(1e-4)
    own = weighed[..., :2] / soft[..., None]
    from_ground, from_own = length(flow - ground), length(flow - own)
    sides = np.tanh((from_ground - from_own) / (0.5 + 0.3 * (from_ground + from_own))) * np.minimum(1, soft * 50)
    return sides.astype(np.float32), from_ground
