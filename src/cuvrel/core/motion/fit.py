"""The background's motion and the subject's own, fitted to dense flow."""

from __future__ import annotations

import cv2
import numpy as np

from cuvrel.core.arrays import F32, F64
from cuvrel.core.imaging.row_kernels import in_rows, kernel

STEP = 3  # every so many pixels are enough to fit a motion to
LEAST = 0.02  # what weighs less does not count


@kernel
def _middle(weight: F32, found: F64) -> None:
    """How many pixels weigh anything, their weight, and their mean place weighed by it, into found (4,)."""
    found[:] = 0
    for y in range(0, weight.shape[0], STEP):
        for x in range(0, weight.shape[1], STEP):
            w = np.float64(weight[y, x])
            if w > LEAST:
                found[0] += 1
                found[1] += w
                found[2] += w * x
                found[3] += w * y
    found[2] /= found[1] + 1e-30
    found[3] /= found[1] + 1e-30


@kernel
def _normal(flow: F32, weight: F32, mx: float, my: float, solved: F64, first: bool, out: F64) -> None:
    """The normal equations about the middle, (3, 5); what `solved` missed counts less unless it is the first."""
    out[:] = 0
    for y in range(0, weight.shape[0], STEP):
        for x in range(0, weight.shape[1], STEP):
            w = np.float64(weight[y, x])
            if w <= LEAST:
                continue
            a, b, u, v = (x - mx) / 100, (y - my) / 100, np.float64(flow[y, x, 0]), np.float64(flow[y, x, 1])
            if not first:
                mu = u - (a * solved[0, 0] + b * solved[1, 0] + solved[2, 0])
                mv = v - (a * solved[0, 1] + b * solved[1, 1] + solved[2, 1])
                w /= 1 + (mu * mu + mv * mv) / 2
            wa, wb = w * a, w * b
            out[0, 0] += wa * a
            out[0, 1] += wa * b
            out[0, 2] += wa
            out[0, 3] += wa * u
            out[0, 4] += wa * v
            out[1, 1] += wb * b
            out[1, 2] += wb
            out[1, 3] += wb * u
            out[1, 4] += wb * v
            out[2, 2] += w
            out[2, 3] += w * u
            out[2, 4] += w * v
    out[1, 0], out[2, 0], out[2, 1] = out[0, 1], out[0, 2], out[1, 2]


def fitted(flow: F32, weight: F32, stiff: float) -> F32:
    """Fits an affine motion to a flow.

    Parameters
    ----------
    flow
        (h, w, 2) float32, in pixels.
    weight
        (h, w) float32, not negative: how much each pixel counts.
    stiff
        Ridge penalty on turns and stretches, so that few pixels give a plain shift.

    Returns
    -------
    F32
        (2, 3) A with flow(x, y) = A (x, y, 1).

    Notes
    -----
    Iteratively reweighted least squares with Cauchy weights, so that outliers count less.
    """
    about = np.empty(4)
    _middle(weight, about)
    count, _, mx, my = about
    if count < 6:
        return np.zeros((2, 3), np.float32)
    ridge = np.diag([stiff, stiff, 1e-6])
    normal = np.empty((3, 5))
    solved: F64 = np.zeros((3, 2))
    for turn in range(4):
        _normal(flow, weight, mx, my, solved, turn == 0, normal)
        solved = np.asarray(np.linalg.solve(normal[:, :3] + ridge, normal[:, 3:]), np.float64)
    a, b, c = solved[0] / 100, solved[1] / 100, solved[2]
    return np.stack([a, b, c - a * mx - b * my], 1).astype(np.float32)


def wide(planes: F32) -> F32:
    """A Gaussian blur of 10 pixels, worked out at a quarter of the size."""
    h, w = planes.shape[:2]
    small = cv2.resize(planes, (max(1, w // 4), max(1, h // 4)), interpolation=cv2.INTER_AREA)
    return cv2.resize(cv2.GaussianBlur(small, (0, 0), 2.4), (w, h), interpolation=cv2.INTER_LINEAR)


@kernel
def _weighed(y0: int, y1: int, flow: F32, calm: F32, shape: F32, out: F32) -> None:
    for y in range(y0, y1):
        for x in range(shape.shape[1]):
            weight = shape[y, x] * calm[y, x]
            out[y, x, 0], out[y, x, 1], out[y, x, 2] = flow[y, x, 0] * weight, flow[y, x, 1] * weight, weight


@kernel
def _sides(y0: int, y1: int, flow: F32, ground: F32, weighed: F32, sides: F32, away: F32) -> None:
    for y in range(y0, y1):
        for x in range(sides.shape[1]):
            u, v = flow[y, x, 0], flow[y, x, 1]
            gu = u - (ground[0, 0] * x + ground[0, 1] * y + ground[0, 2])
            gv = v - (ground[1, 0] * x + ground[1, 1] * y + ground[1, 2])
            soft = weighed[y, x, 2] + np.float32(1e-4)
            ou, ov = u - weighed[y, x, 0] / soft, v - weighed[y, x, 1] / soft
            far, own = np.sqrt(gu * gu + gv * gv), np.sqrt(ou * ou + ov * ov)
            # less than 3.4 either way, for which Lambert's fraction is the hyperbolic tangent to 3e-6
            z = (far - own) / (np.float32(0.5) + np.float32(0.3) * (far + own))
            zz = z * z
            side = z * (np.float32(135135) + zz * (np.float32(17325) + zz * (np.float32(378) + zz)))
            side /= np.float32(135135) + zz * (np.float32(62370) + zz * (np.float32(3150) + zz * np.float32(28)))
            sides[y, x] = side * min(np.float32(1), soft * np.float32(50))
            away[y, x] = far


def with_subject(flow: F32, calm: F32, shape: F32) -> tuple[F32, F32]:
    """Tells the pixels that move with the subject from those that move with the background.

    Parameters
    ----------
    flow
        (h, w, 2) float32, in pixels.
    calm
        (h, w) float32, 0 to 1: how far the flow can be trusted.
    shape
        (h, w) float32, 0 to 1: where the subject is thought to be.

    Returns
    -------
    sides
        (h, w) float32: 1 with the subject, -1 with the background, 0 away from where the subject is thought to be.
    away
        (h, w) float32: how far a pixel's motion is from the background's, in pixels.
    """
    h, w = shape.shape
    ground = fitted(flow, (shape < 0.1) * calm, 1.0)
    weighed, sides, away = np.empty((h, w, 3), np.float32), np.empty((h, w), np.float32), np.empty((h, w), np.float32)
    in_rows(_weighed, h, flow, calm, shape, weighed)
    in_rows(_sides, h, flow, ground, wide(weighed), sides, away)
    return sides, away
