"""Rays against the set's convex solids: boxes, gables and upright cylinders, over a ground and a water plane."""

from __future__ import annotations

import numpy as np

from cuvrel.core.arrays import F32, F64
from footage.kernels import Number, fast, fast_within
from footage.quay import EDGE

GROUP = 8  # solids that stand beside one another and share a box which most rays miss


def bounds_of(solids: F32) -> F32:
    """The boxes of solids and of groups of them, a little larger than they are.

    solids: (N, 9) float32. Returns (N + ceil(N / GROUP), 6) float32: lowest and highest corner of each
    solid, then of each group.
    """
    sides = solids[:, 4:7]
    half = sides * np.array([1, 0, 1], np.float32)
    foot = solids[:, 1:4]
    top = foot + half + sides * np.array([0, 1, 0], np.float32)
    each = np.hstack([foot - half - 0.01, top + 0.01])
    groups = [each[n : n + GROUP] for n in range(0, len(each), GROUP)]
    return np.vstack([each, *[np.hstack([g[:, :3].min(0), g[:, 3:].max(0)]) for g in groups]]).astype(np.float32)


@fast_within
def _reaches(
    ox: Number, oy: Number, oz: Number, ix: Number, iy: Number, iz: Number, bounds: F64, n: int, best: Number
) -> bool:
    """Whether a ray (i: one over its direction) comes into a box before `best`."""
    t0, t1 = (bounds[n, 0] - ox) * ix, (bounds[n, 3] - ox) * ix
    near, far = min(t0, t1), max(t0, t1)
    t0, t1 = (bounds[n, 1] - oy) * iy, (bounds[n, 4] - oy) * iy
    near, far = max(near, min(t0, t1)), min(far, max(t0, t1))
    t0, t1 = (bounds[n, 2] - oz) * iz, (bounds[n, 5] - oz) * iz
    near, far = max(near, min(t0, t1)), min(far, max(t0, t1))
    return near <= far and far > 0 and near < best


@fast_within
def _cut(dist: Number, speed: Number, near: Number, far: Number) -> tuple[Number, Number, int]:
    """A ray cut by a half space it lies `dist` out of: near, far, and 1 where it enters here, 2 where it never does."""
    if abs(speed) < 1e-9:
        return near, far, 2 if dist > 0 else 0
    t = -dist / speed
    if speed < 0:
        if t > near:
            return t, far, 1
    elif t < far:
        return near, t, 0
    return near, far, 0


@fast
def _inside(
    ox: Number, oy: Number, oz: Number, dx: Number, dy: Number, dz: Number, solids: F64, n: int
) -> tuple[Number, Number, Number, Number, Number]:
    """Where a ray enters and leaves a solid, and its normal there; enters after it leaves where it misses."""
    kind = int(solids[n, 0])
    cx, cy, cz = solids[n, 1], solids[n, 2], solids[n, 3]
    wx, wy, wz = solids[n, 4], solids[n, 5], solids[n, 6]
    near, far = -1e9, 1e9
    ax, ay, az = 0.0, 0.0, 0.0
    if kind == 2:
        px, pz = ox - cx, oz - cz
        a = dx * dx + dz * dz
        b = px * dx + pz * dz
        c = px * px + pz * pz - wx * wx
        disc = b * b - a * c
        if disc < 0 or a < 1e-9:
            return 1.0, 0.0, ax, ay, az
        root = np.sqrt(disc)
        near, far = (-b - root) / a, (-b + root) / a
        ax, ay, az = (px + near * dx) / wx, 0.0, (pz + near * dz) / wx
    else:
        # a box's four walls, or a gable's two slopes and two ends
        length = np.sqrt(wx * wx + wy * wy)
        for k in range(4):
            sign = 1.0 if k % 2 == 0 else -1.0
            if k >= 2:
                sx, sy, sz, w = 0.0, 0.0, sign, wz
            elif kind == 0:
                sx, sy, sz, w = sign, 0.0, 0.0, wx
            else:
                sx, sy, sz, w = sign * wy / length, wx / length, 0.0, wx * wy / length
            dist = (ox - cx) * sx + (oy - cy) * sy + (oz - cz) * sz - w
            near, far, how = _cut(dist, dx * sx + dy * sy + dz * sz, near, far)
            if how == 2:
                return 1.0, 0.0, ax, ay, az
            if how == 1:
                ax, ay, az = sx, sy, sz
    if kind != 1:
        near, far, how = _cut((oy - cy) - wy, dy, near, far)
        if how == 2:
            return 1.0, 0.0, ax, ay, az
        if how == 1:
            ax, ay, az = 0.0, 1.0, 0.0
    near, far, how = _cut(cy - oy, -dy, near, far)
    if how == 2:
        return 1.0, 0.0, ax, ay, az
    if how == 1:
        ax, ay, az = 0.0, -1.0, 0.0
    return near, far, ax, ay, az


@fast
def hit(
    ox: Number, oy: Number, oz: Number, dx: Number, dy: Number, dz: Number, solids: F64, bounds: F64, ground: int
) -> tuple[Number, int, Number, Number, Number]:
    """The nearest surface: distance, index (-1 ground, -2 water, -9 none) and normal. bounds: see bounds_of."""
    best, which = 1e9, -9
    nx, ny, nz = 0.0, 1.0, 0.0
    if ground and dy < -1e-6:
        t = -oy / dy
        if t > 1e-3 and oz + t * dz < EDGE:
            best, which = t, -1
        t = (-1.25 - oy) / dy
        if t > 1e-3 and t < best and oz + t * dz >= EDGE:
            best, which = t, -2
    ix = 1.0 / dx if abs(dx) > 1e-12 else 1e12
    iy = 1.0 / dy if abs(dy) > 1e-12 else 1e12
    iz = 1.0 / dz if abs(dz) > 1e-12 else 1e12
    count = solids.shape[0]
    for group in range(bounds.shape[0] - count):
        if not _reaches(ox, oy, oz, ix, iy, iz, bounds, count + group, best):
            continue
        for n in range(group * GROUP, min(count, (group + 1) * GROUP)):
            if not _reaches(ox, oy, oz, ix, iy, iz, bounds, n, best):
                continue
            near, far, ax, ay, az = _inside(ox, oy, oz, dx, dy, dz, solids, n)
            if near < far and 1e-3 <= near < best:
                best, which, nx, ny, nz = near, n, ax, ay, az
    return best, which, nx, ny, nz
