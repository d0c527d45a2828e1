"""Moving things as distance fields: limbs that flow into one another, cloth, feathers, hair.

Parts are rows of numbers, so that kernels can read them; the functions below make them. The distances
are lower bounds, as sphere tracing wants them; smooth union after Quilez's polynomial minimum.
"""

from __future__ import annotations

import numpy as np

from cuvrel.core.arrays import F32, I64
from footage.kernels import Number, fast
from footage.noise import fbm, value3, wave

CONE, ELLIPSOID, SHEET, BLOCK = range(4)
(
    COAT,
    TROUSERS,
    SKIN,
    HAIR,
    BOOT,
    SCARF,
    CAP,
    LEATHER,
    FLAG_RED,
    FLAG_YELLOW,
    WOOD,
    BRASS,
    GLOW,
    FEATHER,
    BEAK,
    BOARD,
    ROPE,
    OILCLOTH,
    WOOL,
    IRON,
    FLAG_SIGNAL,
    DOWN,
) = range(22)
# linear albedo and gloss
TONES = np.array(
    [
        [0.040, 0.075, 0.155, 0.03],
        [0.052, 0.047, 0.043, 0.02],
        [0.46, 0.27, 0.18, 0.05],
        [0.050, 0.028, 0.014, 0.10],
        [0.030, 0.022, 0.017, 0.12],
        [0.42, 0.040, 0.026, 0.0],
        [0.55, 0.52, 0.46, 0.0],
        [0.17, 0.095, 0.042, 0.10],
        [0.48, 0.032, 0.020, 0.02],
        [0.62, 0.40, 0.035, 0.02],
        [0.25, 0.165, 0.085, 0.03],
        [0.45, 0.31, 0.10, 0.5],
        [1.0, 0.62, 0.26, 0.0],
        [0.62, 0.61, 0.59, 0.02],
        [0.56, 0.33, 0.05, 0.10],
        [0.50, 0.46, 0.36, 0.02],
        [0.30, 0.235, 0.14, 0.0],
        [0.40, 0.29, 0.055, 0.25],
        [0.20, 0.205, 0.19, 0.0],
        [0.05, 0.045, 0.042, 0.15],
        [0.50, 0.038, 0.022, 0.02],
        [0.72, 0.71, 0.69, 0.0],
    ],
    np.float32,
)
WIDTH = 20  # numbers a part has
BLEND = 0.045  # metres over which limbs of one material flow into one another


def _row(kind: int, material: int, owner: int, **more: object) -> list[float]:
    row = np.zeros(WIDTH)
    row[0], row[1], row[2] = kind, material, owner
    for name, value in more.items():
        at = {"a": 3, "b": 6, "c": 9, "d": 12, "ra": 15, "rb": 16, "phase": 17, "amount": 18, "seed": 19}[name]
        value_ = np.atleast_1d(np.asarray(value, np.float64))
        row[at : at + len(value_)] = value_
    return [float(v) for v in row]


def cone(
    a: object, ra: float, b: object, rb: float, material: int, owner: int, seed: float = 0, fold: float = 0
) -> list[float]:
    """A limb from `a` to `b`, round at both ends; fold: depth of its cloth's folds in metres."""
    return _row(CONE, material, owner, a=a, b=b, ra=ra, rb=rb, seed=seed, amount=fold)


def ellipsoid(
    centre: object, x: object, y: object, z: object, material: int, owner: int, seed: float = 0
) -> list[float]:
    """An ellipsoid by its three half axes."""
    return _row(ELLIPSOID, material, owner, a=centre, b=x, c=y, d=z, seed=seed)


def block(centre: object, x: object, y: object, z: object, material: int, owner: int, seed: float = 0) -> list[float]:
    """A box by its three half axes, its edges a little round."""
    return _row(BLOCK, material, owner, a=centre, b=x, c=y, d=z, seed=seed)


def sheet(
    corner: object, u: object, v: object, material: int, owner: int, phase: float, amount: float, seed: float = 0
) -> list[float]:
    """Cloth held along `u` (both ends of it), flying along `v`; amount: height of its waves in metres."""
    return _row(SHEET, material, owner, a=corner, b=u, c=v, phase=phase, amount=amount, seed=seed)


@fast
def _cone(parts: F32, i: int, x: Number, y: Number, z: Number) -> Number:
    bx, by, bz = parts[i, 6] - parts[i, 3], parts[i, 7] - parts[i, 4], parts[i, 8] - parts[i, 5]
    qx, qy, qz = x - parts[i, 3], y - parts[i, 4], z - parts[i, 5]
    long2 = bx * bx + by * by + bz * bz + np.float32(1e-9)
    s = min(max((qx * bx + qy * by + qz * bz) / long2, np.float32(0.0)), np.float32(1.0))
    ex, ey, ez = qx - bx * s, qy - by * s, qz - bz * s
    d = np.sqrt(ex * ex + ey * ey + ez * ez) - (parts[i, 15] + (parts[i, 16] - parts[i, 15]) * s)
    if parts[i, 18] > 0 and d < 0.035:
        along = s * np.sqrt(long2)
        ux, uy, uz = qx + parts[i, 19], qy, qz
        d -= parts[i, 18] * (
            wave(along * 38 + 3.4 * value3(ux * 8, uy * 8, uz * 8) + parts[i, 19]) * np.float32(0.55)
            + value3(ux * 13, uy * 26, uz * 13) * np.float32(0.6)
            + value3(ux * 41, uy * 55, uz * 41) * np.float32(0.22)
        )
    return d


@fast
def local_axes(
    parts: F32, i: int, x: Number, y: Number, z: Number
) -> tuple[Number, Number, Number, Number, Number, Number]:
    """Coordinates along the three half axes, and the axes' lengths."""
    qx, qy, qz = x - parts[i, 3], y - parts[i, 4], z - parts[i, 5]
    lx = np.sqrt(parts[i, 6] * parts[i, 6] + parts[i, 7] * parts[i, 7] + parts[i, 8] * parts[i, 8]) + np.float32(1e-9)
    ly = np.sqrt(parts[i, 9] * parts[i, 9] + parts[i, 10] * parts[i, 10] + parts[i, 11] * parts[i, 11]) + np.float32(
        1e-9
    )
    lz = np.sqrt(parts[i, 12] * parts[i, 12] + parts[i, 13] * parts[i, 13] + parts[i, 14] * parts[i, 14]) + np.float32(
        1e-9
    )
    return (
        (qx * parts[i, 6] + qy * parts[i, 7] + qz * parts[i, 8]) / lx,
        (qx * parts[i, 9] + qy * parts[i, 10] + qz * parts[i, 11]) / ly,
        (qx * parts[i, 12] + qy * parts[i, 13] + qz * parts[i, 14]) / lz,
        lx,
        ly,
        lz,
    )


@fast
def _ripple(u: Number, v: Number, phase: Number, amount: Number, seed: Number) -> Number:
    """Height of a sheet's waves: they grow away from the held edge and run along the fly."""
    free = v * (np.float32(1.35) - np.float32(0.35) * v)
    return (
        amount
        * free
        * (
            wave(np.float32(7.2) * v - phase + np.float32(1.7) * u + seed)
            + np.float32(0.42) * wave(np.float32(12.6) * v - np.float32(1.63) * phase - np.float32(3.1) * u)
            + np.float32(0.30) * wave(np.float32(5.0) * u + np.float32(0.7) * phase + seed)
            + np.float32(0.13) * wave(np.float32(23.0) * v - np.float32(2.2) * phase + np.float32(9.0) * u)
        )
    )


@fast
def _sheet(parts: F32, i: int, x: Number, y: Number, z: Number) -> Number:
    ux, uy, uz, vx, vy, vz = parts[i, 6], parts[i, 7], parts[i, 8], parts[i, 9], parts[i, 10], parts[i, 11]
    lu, lv = np.sqrt(ux * ux + uy * uy + uz * uz), np.sqrt(vx * vx + vy * vy + vz * vz)
    nx, ny, nz = uy * vz - uz * vy, uz * vx - ux * vz, ux * vy - uy * vx
    ln = np.sqrt(nx * nx + ny * ny + nz * nz) + np.float32(1e-9)
    qx, qy, qz = x - parts[i, 3], y - parts[i, 4], z - parts[i, 5]
    u, v = (qx * ux + qy * uy + qz * uz) / (lu * lu), (qx * vx + qy * vy + qz * vz) / (lv * lv)
    n = (qx * nx + qy * ny + qz * nz) / ln
    cu, cv = min(max(u, np.float32(0.0)), np.float32(1.0)), min(max(v, np.float32(0.0)), np.float32(1.0))
    # a sheet sags and draws in as it waves
    edge = np.float32(1.0)
    if parts[i, 1] == 13:
        # feathers: the free edge is cut into vanes
        vane = cu * 11 + np.float32(0.25) * wave(cu * 19 + parts[i, 19])
        frac = vane - np.floor(vane)
        edge = np.float32(0.80) + np.float32(0.20) * np.sqrt(max(np.float32(0.0), 1 - (2 * frac - 1) ** 2))
        edge *= np.float32(0.55) + np.float32(0.45) * wave(
            np.float32(3.1416) * (np.float32(0.12) + np.float32(0.80) * cu)
        )
    ou, ov = abs(u - np.float32(0.5)) - np.float32(0.5), abs(v - edge * np.float32(0.5)) - edge * np.float32(0.5)
    du, dv = max(ou, np.float32(0.0)) * lu, max(ov, np.float32(0.0)) * lv
    # away from its waves the sheet is a flat plate
    flat = max(abs(n) - np.float32(1.9) * parts[i, 18] - np.float32(0.02), np.float32(0.0))
    away = du * du + dv * dv + flat * flat
    if away > np.float32(0.004):
        return np.sqrt(away)
    h = _ripple(cu, cv, parts[i, 17], parts[i, 18], parts[i, 19])
    thick = (
        np.float32(0.006)
        if parts[i, 1] != 13
        else np.float32(0.004) + np.float32(0.014) * max(np.float32(0.0), 1 - 2 * cv)
    )
    dn = abs(n - h) - thick
    steep = np.float32(1.0) + np.float32(9.0) * parts[i, 18] / lv
    dn = dn / steep if dn > 0 else dn
    out = np.sqrt(du * du + dv * dv + max(dn, np.float32(0.0)) ** 2)
    return out if out > 0 else max(max(ou * lu, ov * lv), dn)


@fast
def _part(parts: F32, i: int, x: Number, y: Number, z: Number) -> Number:
    kind = int(parts[i, 0])
    if kind == 0:
        return _cone(parts, i, x, y, z)
    if kind == 2:
        return _sheet(parts, i, x, y, z)
    a, b, c, lx, ly, lz = local_axes(parts, i, x, y, z)
    if kind == 1:
        k0 = np.sqrt((a / lx) ** 2 + (b / ly) ** 2 + (c / lz) ** 2)
        k1 = np.sqrt((a / (lx * lx)) ** 2 + (b / (ly * ly)) ** 2 + (c / (lz * lz)) ** 2) + np.float32(1e-6)
        d = k0 * (k0 - 1) / k1
        if parts[i, 1] == 3 and d < 0.06:
            d -= np.float32(0.010) * fbm(x * 26 + parts[i, 19], y * 9, z * 26, 3)
        return d
    r = min(np.float32(0.012), min(lx, min(ly, lz)) * np.float32(0.5))
    ex, ey, ez = abs(a) - lx + r, abs(b) - ly + r, abs(c) - lz + r
    fx, fy, fz = max(ex, np.float32(0.0)), max(ey, np.float32(0.0)), max(ez, np.float32(0.0))
    return np.sqrt(fx * fx + fy * fy + fz * fz) + min(max(ex, max(ey, ez)), np.float32(0.0)) - r


@fast
def field(parts: F32, balls: F32, active: I64, count: int, x: Number, y: Number, z: Number) -> tuple[Number, int]:
    """Distance to all active parts and the nearest part's index; limbs of one material flow into one another."""
    best, which = np.float32(1e9), -1
    reach = np.float32(BLEND)
    for n in range(count):
        i = active[n]
        # far from a part its ball is near enough; beyond what is nearest already it does not count
        cx, cy, cz = x - balls[i, 0], y - balls[i, 1], z - balls[i, 2]
        d = np.sqrt(cx * cx + cy * cy + cz * cz) - balls[i, 3]
        if d > best + reach:
            continue
        d = _part(parts, i, x, y, z) if d < 0.2 else d
        joined = which >= 0 and parts[i, 1] == parts[which, 1] and parts[i, 2] == parts[which, 2]
        if joined and parts[i, 0] < 2 and parts[which, 0] < 2:
            h = max(reach - abs(d - best), np.float32(0.0)) / reach
            low = min(d, best) - h * h * reach * np.float32(0.25)
            if d < best:
                which = i
            best = low
        elif d < best:
            best, which = d, i
    return best, which


def bounding(parts: F32) -> F32:
    """(N, 4) centre and radius of a ball about each part of (N, WIDTH)."""
    a, b, c, d = parts[:, 3:6], parts[:, 6:9], parts[:, 9:12], parts[:, 12:15]
    kind = parts[:, 0:1]
    cones = np.hstack(
        [
            (a + b) / 2,
            np.linalg.norm(b - a, axis=1, keepdims=True) / 2
            + np.maximum(parts[:, 15:16], parts[:, 16:17])
            + 1.2 * parts[:, 18:19],
        ]
    )
    lengths = [np.linalg.norm(v, axis=1, keepdims=True) for v in (b, c, d)]
    eggs = np.hstack([a, np.maximum(np.maximum(lengths[0], lengths[1]), lengths[2]) + 0.02])
    blocks = np.hstack([a, np.sqrt(lengths[0] ** 2 + lengths[1] ** 2 + lengths[2] ** 2)])
    sheets = np.hstack([a + b / 2 + c / 2, (lengths[0] + lengths[1]) / 2 + 1.6 * parts[:, 18:19]])
    out = np.where(kind == CONE, cones, np.where(kind == ELLIPSOID, eggs, np.where(kind == SHEET, sheets, blocks)))
    return np.ascontiguousarray(out, np.float32)
