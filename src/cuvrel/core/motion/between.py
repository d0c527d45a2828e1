"""Pictures between two frames, and the blur of what moves, both from dense motion."""

from __future__ import annotations

import cv2
import numpy as np

from cuvrel.core.arrays import F32, U8, Single
from cuvrel.core.imaging.row_kernels import in_rows, kernel
from cuvrel.core.motion.dense import SMOOTH
from cuvrel.core.motion.flow import Flow, sample

LONGEST = 640  # motion is found at this size at most: half a pixel of a large frame does not show
SAMPLES = 16


def motion(here: U8, there: U8) -> F32:
    """Dense motion both ways, (h, w, 6) float32 of at most LONGEST pixels along the longer side.

    here, there: (H, W, 3) uint8 sRGB. Planes: x and y of the motion from here to there in pixels of the full size,
    how far it fails to lead back in its own pixels, and the same three from there to here.
    """
    h, w = here.shape[:2]
    ratio = min(1.0, LONGEST / max(h, w))
    size = max(16, round(w * ratio)), max(16, round(h * ratio))
    grey = [
        cv2.cvtColor(cv2.resize(one, size, interpolation=cv2.INTER_AREA), cv2.COLOR_RGB2GRAY) for one in (here, there)
    ]
    forth, flow_error, back, back_error = Flow(SMOOTH).both_ways(grey[0], grey[1])
    scale = np.array([w / size[0], h / size[1]], np.float32)
    return np.dstack([forth * scale, flow_error, back * scale, back_error]).astype(np.float32)


def _full(plane: F32, shape: tuple[int, ...]) -> F32:
    return np.asarray(cv2.resize(plane, (shape[1], shape[0]), interpolation=cv2.INTER_LINEAR), np.float32)


@kernel
def _weighed(y0: int, y1: int, a: F32, b: F32, trust_a: F32, trust_b: F32, share: Single, out: F32) -> None:
    for y in range(y0, y1):
        for x in range(a.shape[1]):
            wa = (1 - share) * trust_a[y, x]
            wb = share * trust_b[y, x]
            part = wb / (wa + wb + np.float32(1e-6))
            for k in range(a.shape[2]):
                out[y, x, k] = a[y, x, k] + (b[y, x, k] - a[y, x, k]) * part


def mixed(a: F32, b: F32, share: float) -> F32:
    """One picture over the other, (H, W, C) float32; share: 0 to 1, how much of `b`."""
    return np.asarray(cv2.addWeighted(a, 1 - share, b, share, 0), np.float32)


def in_between(a: F32, b: F32, moved: F32, share: float) -> F32:
    """The picture at a moment between two frames.

    Parameters
    ----------
    a, b
        (H, W, C) float32: the two frames.
    moved
        What `motion` found between them.
    share
        0 to 1: how far the moment lies from a to b.

    Returns
    -------
    F32
        (H, W, C).

    Notes ----- The flow at the moment between is made of both flows; where one of them does not lead back, something is
    covered or laid bare, and the other frame counts for more.

    References
    ----------
    Jiang et al., Super SloMo, CVPR 2018, eq. 4.
    """
    t = np.float32(share)
    forth, fault_on, aback, back_error = moved[..., :2], moved[..., 2], moved[..., 3:5], moved[..., 5]
    to_a = _full((-(1 - t) * t * forth + t * t * aback).astype(np.float32), a.shape)
    to_b = _full(((1 - t) * (1 - t) * forth - t * (1 - t) * aback).astype(np.float32), a.shape)
    trust_a = _full(np.exp(-back_error / 2), a.shape) + np.float32(0.02)
    trust_b = _full(np.exp(-fault_on / 2), a.shape) + np.float32(0.02)
    out = np.empty_like(a)
    from_a, from_b = sample(a, to_a), sample(b, to_b)
    in_rows(_weighed, len(a), from_a, from_b, trust_a, trust_b, t, out)
    return out


@kernel
def _along(y0: int, y1: int, picture: F32, flow: F32, count: int, out: F32) -> None:
    h, w, planes = picture.shape
    for y in range(y0, y1):
        for x in range(w):
            fx, fy = flow[y, x, 0], flow[y, x, 1]
            long = np.sqrt(fx * fx + fy * fy)
            n = min(count, int(long) + 2) if long >= np.float32(0.5) else 1
            for k in range(planes):
                out[y, x, k] = np.float32(0)
            for i in range(n):
                part = np.float32(0) if n == 1 else np.float32(i) / np.float32(n - 1) - np.float32(0.5)
                sx = min(max(x + fx * part, np.float32(0)), np.float32(w - 1))
                sy = min(max(y + fy * part, np.float32(0)), np.float32(h - 1))
                ix, iy = min(int(sx), max(w - 2, 0)), min(int(sy), max(h - 2, 0))
                rx, ry = sx - np.float32(ix), sy - np.float32(iy)
                jx, jy = min(ix + 1, w - 1), min(iy + 1, h - 1)
                for k in range(planes):
                    top = picture[iy, ix, k] + (picture[iy, jx, k] - picture[iy, ix, k]) * rx
                    low = picture[jy, ix, k] + (picture[jy, jx, k] - picture[jy, ix, k]) * rx
                    out[y, x, k] += (top + (low - top) * ry) / np.float32(n)


def blurred_along(picture: F32, moved: F32, shutter: float) -> F32:
    """Smears a picture along its motion while the shutter is open.

    Parameters
    ----------
    picture
        (H, W, C) float32.
    moved
        What `motion` found to the next frame.
    shutter
        In degrees of a turn that takes one frame; the blur lies evenly about the moment.

    Returns
    -------
    F32
        (H, W, C).

    Notes
    -----
    What moves spreads over what does not: the longest motion nearby counts, as far as it reaches.

    References
    ----------
    McGuire, Hennessy, Bukowski and Osman, A Reconstruction Filter for Plausible Motion Blur, I3D 2012.
    """
    reach = moved[..., :2] * np.float32(shutter / 360)
    long = np.sqrt((reach * reach).sum(axis=2))
    scale = moved.shape[1] / picture.shape[1]
    most = float(long.max()) * scale
    if most < 0.5 * scale:
        return picture
    side = 2 * int(np.ceil(most / 2)) + 1
    spread = cv2.dilate(long, np.ones((side, side), np.uint8))
    # the direction of the longest motion nearby, where a pixel's own is much shorter
    weight = np.exp((long - spread) / np.maximum(spread, 1e-3) * 8)[..., None].astype(np.float32)
    lead = cv2.blur(reach * weight, (side, side)) / np.maximum(cv2.blur(weight[..., 0], (side, side)), 1e-6)[..., None]
    own = (long[..., None] > 0.5 * spread[..., None]).astype(np.float32)
    field = _full(np.asarray(lead + (reach - lead) * own, np.float32), picture.shape)
    out = np.empty_like(picture)
    in_rows(_along, len(picture), np.ascontiguousarray(picture), field, SAMPLES, out)
    return out
