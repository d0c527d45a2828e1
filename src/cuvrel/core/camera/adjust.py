"""Bundle adjustment: cameras, lens and points, moved together until what is seen and what was tracked agree.

Triggs, McLauchlan, Hartley and Fitzgibbon, Bundle Adjustment: A Modern Synthesis, 1999. Points are eliminated (Schur's
complement), so that what is solved grows with the cameras alone; a step is damped as Levenberg and Marquardt do, and an
observation far off counts as little as Cauchy's weight says.
"""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np

from cuvrel.core.arrays import F64, I64
from cuvrel.core.imaging.row_kernels import CORES, exact_kernel, in_parts, kernel

SHARED = 3  # focal length (its logarithm) and two of bend, which all cameras have in common
OWN = 7  # turn, shift and the logarithm of a camera's own zoom
SCALE = 1.0  # pixels at which an observation begins to count less
LOOSE_BEND = (0.25, 0.12)  # about how far a lens bends, as a prior
USUAL, LOOSE_FOCAL = 1.0, 0.7  # a usual focal length in widths of the picture, and how far from it one may well be


@dataclass
class Bundle:
    """What is adjusted.

    turns: (C, 3, 3), shifts: (C, 3), zooms: (C,) by which each camera's focal length is longer than the lens's. focal,
    bend: of the lens. points: (P, 3). cameras, owners: of each observation, its camera and its point, by points in
    order; seen: (N, 2) pixels from the picture's middle.
    """

    turns: F64
    shifts: F64
    zooms: F64
    focal: float
    bend: F64
    points: F64
    cameras: I64
    owners: I64
    seen: F64
    width: float = 0.0

    def off(self) -> F64:
        """How far each observation is from where it should be, (N,) pixels; 1e6 behind a camera."""
        return np.asarray(_off(self.turns, self.shifts, self.zooms, self.focal, self.bend, self.points, self.cameras,
                               self.owners, self.seen), np.float64)  # fmt: skip


@exact_kernel
def _project(turn: F64, shift: F64, focal: float, k1: float, k2: float, p: F64) -> tuple[float, float, float]:
    x = turn[0, 0] * p[0] + turn[0, 1] * p[1] + turn[0, 2] * p[2] + shift[0]
    y = turn[1, 0] * p[0] + turn[1, 1] * p[1] + turn[1, 2] * p[2] + shift[1]
    z = turn[2, 0] * p[0] + turn[2, 1] * p[1] + turn[2, 2] * p[2] + shift[2]
    if z < 1e-6:
        return 0.0, 0.0, z
    u, v = x / z, y / z
    r2 = u * u + v * v
    d = (1 + r2 * (k1 + k2 * r2)) * focal
    return u * d, v * d, z


@exact_kernel
def _off(turns: F64, shifts: F64, zooms: F64, focal: float, bend: F64, points: F64, cameras: I64, owners: I64,
         seen: F64) -> F64:  # fmt: skip
    out = np.empty(len(seen))
    for n in range(len(seen)):
        c = cameras[n]
        x, y, z = _project(turns[c], shifts[c], focal * zooms[c], bend[0], bend[1], points[owners[n]])
        out[n] = 1e6 if z < 1e-6 else np.sqrt((x - seen[n, 0]) ** 2 + (y - seen[n, 1]) ** 2)
    return out


@kernel
def _slopes(turn: F64, shift: F64, focal: float, k1: float, k2: float, p: F64, own: F64, shared: F64, point: F64
            ) -> tuple[float, float, float]:  # fmt: skip
    """Where a point is seen, and how that changes: with the camera's own values (2, 7), the shared (2, 3) and it."""
    rx = turn[0, 0] * p[0] + turn[0, 1] * p[1] + turn[0, 2] * p[2]
    ry = turn[1, 0] * p[0] + turn[1, 1] * p[1] + turn[1, 2] * p[2]
    rz = turn[2, 0] * p[0] + turn[2, 1] * p[1] + turn[2, 2] * p[2]
    x, y, z = rx + shift[0], ry + shift[1], rz + shift[2]
    if z < 1e-6:
        return 0.0, 0.0, z
    u, v = x / z, y / z
    r2 = u * u + v * v
    d = 1 + r2 * (k1 + k2 * r2)
    dd = 2 * (k1 + 2 * k2 * r2)  # of d by half of r2's change
    # by u and v
    xu, xv = focal * (d + dd * u * u), focal * dd * u * v
    yu, yv = xv, focal * (d + dd * v * v)
    for row in range(2):
        a, b = (xu, xv) if row == 0 else (yu, yv)
        # by x, y and z before the camera
        gx, gy = a / z, b / z
        gz = -(a * u + b * v) / z
        own[row, 0] = gz * ry - gy * rz
        own[row, 1] = gx * rz - gz * rx
        own[row, 2] = gy * rx - gx * ry
        own[row, 3], own[row, 4], own[row, 5] = gx, gy, gz
        for k in range(3):
            point[row, k] = gx * turn[0, k] + gy * turn[1, k] + gz * turn[2, k]
        at = (u if row == 0 else v) * focal
        own[row, 6] = at * d
        shared[row, 0] = at * d
        shared[row, 1] = at * r2
        shared[row, 2] = at * r2 * r2
    return u * d * focal, v * d * focal, z


@kernel
def _inverted(m: F64, out: F64) -> None:
    """The inverse of a symmetric matrix, (3, 3), by its minors; a kernel has no linear algebra of its own here."""
    a, b, c, d, e, f = m[0, 0], m[0, 1], m[0, 2], m[1, 1], m[1, 2], m[2, 2]
    p, q, r = d * f - e * e, c * e - b * f, b * e - c * d
    over = 1.0 / (a * p + b * q + c * r)
    out[0, 0], out[0, 1], out[0, 2] = p * over, q * over, r * over
    out[1, 0], out[1, 1], out[1, 2] = q * over, (a * f - c * c) * over, (b * c - a * e) * over
    out[2, 0], out[2, 1], out[2, 2] = r * over, (b * c - a * e) * over, (a * d - b * b) * over


@kernel
def _normal(low: int, high: int, turns: F64, shifts: F64, zooms: F64, focal: float, bend: F64, points: F64,
            cameras: I64, owners: I64, seen: F64, starts: I64, free: F64, loose: bool, scale: float, damping: float,
            big: F64, right: F64, inverses: F64, reach: F64, common: F64, own_right: F64) -> float:  # fmt: skip
    """Fills the reduced system (big, right) and what gives the points back (the rest); returns the cost."""
    count = len(turns)
    base = count * OWN
    cost = 0.0
    own, shared, point = np.zeros((2, OWN)), np.zeros((2, SHARED)), np.zeros((2, 3))
    wi, v, g, gi = np.zeros((OWN, 3)), np.zeros((3, 3)), np.zeros(3), np.zeros(3)
    ws, wsi = np.zeros((SHARED, 3)), np.zeros((SHARED, 3))
    for p in range(low, high):
        first, last = starts[p], starts[p + 1]
        v[:, :], g[:], ws[:, :] = 0.0, 0.0, 0.0
        for n in range(first, last):
            c = cameras[n]
            reach[n] = 0.0
            x, y, z = _slopes(turns[c], shifts[c], focal * zooms[c], bend[0], bend[1], points[p], own, shared, point)
            if z < 1e-6:
                cost += 50.0
                continue
            ex, ey = seen[n, 0] - x, seen[n, 1] - y
            s = (ex * ex + ey * ey) / (scale * scale)
            weight = 1.0 / (1.0 + s)
            cost += np.log(1.0 + s)
            for k in range(OWN):
                own[0, k] *= free[k]
                own[1, k] *= free[k]
            for k in range(SHARED):
                shared[0, k] *= free[OWN + k]
                shared[1, k] *= free[OWN + k]
            at = c * OWN
            for a in range(OWN):
                right[at + a] += weight * (own[0, a] * ex + own[1, a] * ey)
                for b in range(OWN):
                    big[at + a, at + b] += weight * (own[0, a] * own[0, b] + own[1, a] * own[1, b])
                for b in range(SHARED):
                    both = weight * (own[0, a] * shared[0, b] + own[1, a] * shared[1, b])
                    big[at + a, base + b] += both
                    big[base + b, at + a] += both
                for b in range(3):
                    reach[n, a, b] = weight * (own[0, a] * point[0, b] + own[1, a] * point[1, b])
            for a in range(SHARED):
                right[base + a] += weight * (shared[0, a] * ex + shared[1, a] * ey)
                for b in range(SHARED):
                    big[base + a, base + b] += weight * (shared[0, a] * shared[0, b] + shared[1, a] * shared[1, b])
                for b in range(3):
                    ws[a, b] += weight * (shared[0, a] * point[0, b] + shared[1, a] * point[1, b])
            for a in range(3):
                g[a] += weight * (point[0, a] * ex + point[1, a] * ey)
                for b in range(3):
                    v[a, b] += weight * (point[0, a] * point[0, b] + point[1, a] * point[1, b])
        if not loose:
            inverses[p] = 0.0
            continue
        trace = v[0, 0] + v[1, 1] + v[2, 2]
        for a in range(3):
            v[a, a] += damping * v[a, a] + 1e-9 * trace + 1e-12
        inv = inverses[p]
        _inverted(v, inv)
        common[p] = ws
        own_right[p] = g
        # what the point's own freedom takes away from the rest
        for a in range(3):
            gi[a] = inv[a, 0] * g[0] + inv[a, 1] * g[1] + inv[a, 2] * g[2]
        for a in range(SHARED):
            for b in range(3):
                wsi[a, b] = ws[a, 0] * inv[0, b] + ws[a, 1] * inv[1, b] + ws[a, 2] * inv[2, b]
        for a in range(SHARED):
            right[base + a] -= ws[a, 0] * gi[0] + ws[a, 1] * gi[1] + ws[a, 2] * gi[2]
            for b in range(SHARED):
                big[base + a, base + b] -= wsi[a, 0] * ws[b, 0] + wsi[a, 1] * ws[b, 1] + wsi[a, 2] * ws[b, 2]
        for n in range(first, last):
            at = cameras[n] * OWN
            w = reach[n]
            for a in range(OWN):
                right[at + a] -= w[a, 0] * gi[0] + w[a, 1] * gi[1] + w[a, 2] * gi[2]
                for b in range(3):
                    wi[a, b] = w[a, 0] * inv[0, b] + w[a, 1] * inv[1, b] + w[a, 2] * inv[2, b]
                for b in range(SHARED):
                    taken = wi[a, 0] * ws[b, 0] + wi[a, 1] * ws[b, 1] + wi[a, 2] * ws[b, 2]
                    big[at + a, base + b] -= taken
                    big[base + b, at + a] -= taken
            for m in range(n, last):  # a point's cameras are in their order
                to = cameras[m] * OWN
                q = reach[m]
                for a in range(OWN):
                    for b in range(OWN):
                        big[at + a, to + b] -= wi[a, 0] * q[b, 0] + wi[a, 1] * q[b, 1] + wi[a, 2] * q[b, 2]
    return cost


@exact_kernel
def _back(points: F64, cameras: I64, starts: I64, inverses: F64, reach: F64, common: F64, own_right: F64, step: F64,
          base: int) -> F64:  # fmt: skip
    """The points' own step after the cameras'."""
    out = np.empty_like(points)
    for p in range(len(points)):
        g = own_right[p].copy()
        for n in range(starts[p], starts[p + 1]):
            at = cameras[n] * OWN
            for b in range(3):
                for a in range(OWN):
                    g[b] -= reach[n, a, b] * step[at + a]
        for b in range(3):
            for a in range(SHARED):
                g[b] -= common[p, a, b] * step[base + a]
        for a in range(3):
            out[p, a] = inverses[p, a, 0] * g[0] + inverses[p, a, 1] * g[1] + inverses[p, a, 2] * g[2]
    return out


def adjust(bundle: Bundle, steps: int = 20, *, lens: bool = True, bends: bool = True, zooms: bool = False,
           still: bool = False, points: bool = True, scale: float = SCALE, enough: float = 1e-4) -> float:  # fmt: skip
    """Moves cameras, lens and points of a bundle, in place; returns the mean cost of an observation.

    lens, bends: whether the focal length and the bend are free. zooms: whether each camera has a focal length of its
    own, which changes smoothly from one to the next. still: the camera stands and turns alone, and the points are as
    far away as they may be. points: whether they move. enough: the share by which the cost must still fall.
    """
    count, size = len(bundle.turns), len(bundle.turns) * OWN + SHARED
    base = size - SHARED
    starts = np.searchsorted(bundle.owners, np.arange(len(bundle.points) + 1)).astype(np.int64)
    free = np.array([1, 1, 1, *[0.0 if still else 1.0] * 3, 1.0 * zooms, 1.0 * lens, 1.0 * bends, 1.0 * bends])
    inverses, common = np.zeros((len(bundle.points), 3, 3)), np.zeros((len(bundle.points), SHARED, 3))
    reach, own_right = np.zeros((len(bundle.seen), OWN, 3)), np.zeros((len(bundle.points), 3))
    damping, now = 1e-4, _cost(bundle, scale, lens, zooms, bends)
    for _ in range(steps):
        big, right = _summed(bundle, starts, free, points, scale, damping, inverses, reach, common, own_right)
        _priors(bundle, big, right, base, lens, zooms, bends)
        # what is not free stays; the rest is damped by its own size
        rows = np.concatenate([np.tile(free[:OWN], count), free[OWN:]])
        held = np.arange(size)
        diagonal = big[held, held]
        big[held, held] += damping * np.abs(diagonal) + 1e-9 * max(float(np.abs(diagonal).max()), 1e-12)
        big[rows == 0, :], big[:, rows == 0], right[rows == 0] = 0, 0, 0
        big[held[rows == 0], held[rows == 0]] = 1
        step = _solved(big, right)
        if step is None:
            damping *= 10
            continue
        moved = _back(bundle.points, bundle.cameras, starts, inverses, reach, common, own_right, step, base)
        tried = _stepped(bundle, step, moved, base)
        cost = _cost(tried, scale, lens, zooms, bends)
        if cost < now:
            fell, now = (now - cost) / max(now, 1e-12), cost
            bundle.turns, bundle.shifts, bundle.zooms, bundle.focal, bundle.bend, bundle.points = (
                tried.turns, tried.shifts, tried.zooms, tried.focal, tried.bend, tried.points)  # fmt: skip
            damping = max(damping / 5, 1e-9)
            if fell < enough:
                break
        else:
            damping *= 8
            if damping > 1e6:
                break
    return now / max(1, len(bundle.seen))


def _summed(bundle: Bundle, starts: I64, free: F64, points: bool, scale: float, damping: float, inverses: F64,
            reach: F64, common: F64, own_right: F64) -> tuple[F64, F64]:  # fmt: skip
    """The reduced system, its points shared by all cores; each has sums of its own."""
    size, count = len(bundle.turns) * OWN + SHARED, len(bundle.points)
    shares = CORES if len(bundle.seen) > 2000 else 1
    sums = [(np.zeros((size, size)), np.zeros(size)) for _ in range(shares)]
    edges = np.searchsorted(starts, np.linspace(0, len(bundle.seen), shares + 1))
    edges[0], edges[-1] = 0, count

    def part(n: int) -> None:
        _normal(int(edges[n]), int(edges[n + 1]), bundle.turns, bundle.shifts, bundle.zooms, bundle.focal, bundle.bend,
                bundle.points, bundle.cameras, bundle.owners, bundle.seen, starts, free, points, scale, damping,
                *sums[n], inverses, reach, common, own_right)  # fmt: skip

    in_parts(part, shares)
    big, right = (np.asarray(sum(one[k] for one in sums), np.float64) for k in (0, 1))
    base = size - SHARED
    upper = np.triu(big[:base, :base], 1)
    # a camera's own block is whole already
    big[:base, :base] = np.triu(big[:base, :base]) + upper.T
    return big, right


def _solved(big: F64, right: F64) -> F64 | None:
    try:
        low = np.linalg.cholesky(big)
    except np.linalg.LinAlgError:
        return None
    half = np.linalg.solve(low, right)
    step = np.asarray(np.linalg.solve(low.T, half), np.float64)
    return step if np.isfinite(step).all() else None


def _stepped(bundle: Bundle, step: F64, moved: F64, base: int) -> Bundle:
    own = step[:base].reshape(-1, OWN)
    turns = np.array([cv2.Rodrigues(by)[0] @ turn for by, turn in zip(own[:, :3], bundle.turns, strict=True)])
    return Bundle(turns, bundle.shifts + own[:, 3:6], bundle.zooms * np.exp(np.clip(own[:, 6], -0.5, 0.5)),
                  float(bundle.focal * np.exp(np.clip(step[base], -0.5, 0.5))), bundle.bend + step[base + 1 :],
                  bundle.points + moved, bundle.cameras, bundle.owners, bundle.seen, bundle.width)  # fmt: skip


def _cost(bundle: Bundle, scale: float, lens: bool, zooms: bool, bends: bool) -> float:
    off = bundle.off()
    cost = np.where(off < 1e5, np.log1p((off / scale) ** 2), 50.0).sum()
    if lens:
        heavy, off_by = _focal_weight(bundle)
        cost += heavy * off_by**2
    if bends:
        cost += _bend_weight(bundle) @ (bundle.bend**2)
    if zooms:
        logs = np.log(bundle.zooms)
        cost += _zoom_weight(bundle) * float((np.diff(logs, 2) ** 2).sum()) + 1e4 * float(logs.mean() ** 2)
    return float(cost)


def _bend_weight(bundle: Bundle) -> F64:
    return np.asarray(1 / np.array(LOOSE_BEND) ** 2 * max(1.0, len(bundle.seen) / 2000))


def _zoom_weight(bundle: Bundle) -> float:
    """How much a zoom is held to go evenly: a change of pace by a part in two hundred from one camera to the next
    weighs as much as a tenth of the observations of a camera, each off by a pixel."""
    return 0.1 * len(bundle.seen) / len(bundle.turns) / 0.005**2


def _focal_weight(bundle: Bundle) -> tuple[float, float]:
    """How much a usual lens counts, and how far from it this one is: little, where what is seen says anything."""
    if not bundle.width:
        return 0.0, 0.0
    return len(bundle.seen) / 4000 / LOOSE_FOCAL**2, float(np.log(bundle.focal / (USUAL * bundle.width)))


def _priors(bundle: Bundle, big: F64, right: F64, base: int, lens: bool, zooms: bool, bends: bool) -> None:
    if lens:
        heavy, off = _focal_weight(bundle)
        big[base, base] += heavy
        right[base] -= heavy * off
    if bends:
        weight = _bend_weight(bundle)
        for k in range(2):
            big[base + 1 + k, base + 1 + k] += weight[k]
            right[base + 1 + k] -= weight[k] * bundle.bend[k]
    if zooms:
        count, logs = len(bundle.turns), np.log(bundle.zooms)
        places = np.arange(count) * OWN + 6
        second = np.diff(np.eye(count), 2, axis=0)
        held = _zoom_weight(bundle) * second.T @ second + 1e4 * np.ones((count, count)) / count**2
        big[np.ix_(places, places)] += held
        right[places] -= held @ logs
