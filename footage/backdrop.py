"""The harbour as the camera sees it when nothing moves, traced once for each clip.

Convex solids (boxes, gables, upright cylinders) over a ground and a water plane, with procedural
materials, a soft sun, sky light with occlusion, one reflection, and a lens with a finite aperture.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from cuvrel.core.arrays import F32, F64
from cuvrel.core.imaging.row_kernels import in_rows
from footage.kernels import Number, fast
from footage.noise import fbm, hash1, value3
from footage.quay import Camera, Light
from footage.solids import bounds_of, hit


@fast
def sky(dx: Number, dy: Number, dz: Number, light: F32) -> tuple[Number, Number, Number]:
    """The sky's light in a direction."""
    up = min(max(dy, 0.0), 1.0)
    t = up**0.45
    r = light[9] + (light[6] - light[9]) * t
    g = light[10] + (light[7] - light[10]) * t
    b = light[11] + (light[8] - light[11]) * t
    if light[12] > 0 and dy > 0.0:
        s = 1.0 / (dy + 0.12)
        c = fbm(dx * s * 0.9, dz * s * 0.9, 3.7, 5) * 0.6 + fbm(dx * s * 3.1, dz * s * 3.1, 8.1, 4) * 0.25
        c = min(max((c + 0.28) * 1.5, 0.0), 1.0) * light[12] * min(1.0, dy * 7)
        shade = 0.86 + 0.3 * fbm(dx * s * 2 + 4, dz * s * 2, 1.3, 3)
        base = (light[9] + light[6] + light[10] + light[7]) * 0.30 + 0.10 * light[4]
        r += (base * shade * 1.02 - r) * c
        g += (base * shade - g) * c
        b += (base * shade * 1.01 - b) * c
    glow = max(dx * light[0] + dy * light[1] + dz * light[2], 0.0) ** 24 * 0.25
    return r + glow * light[3], g + glow * light[4], b + glow * light[5]


@fast
def material(
    which: int, x: Number, y: Number, z: Number, nx: Number, ny: Number, nz: Number, solids: F64, out: F64
) -> None:
    """Albedo, gloss and bumped normal of a surface point into `out` (r, g, b, gloss, nx, ny, nz)."""
    m, seed = 0, 0.0
    if which == -2:
        m = 1
    elif which >= 0:
        m, seed = int(solids[which, 7]), solids[which, 8]
    # u runs along the wall, v up it
    if abs(ny) > 0.7:
        u, v = x, z
    elif abs(nx) > abs(nz):
        u, v = z, y
    else:
        u, v = x, y
    gloss = 0.0
    rough = fbm(x * 1.3 + seed, y * 1.3, z * 1.3, 5)
    fine = fbm(x * 19 + seed, y * 19, z * 19, 3)
    r, g, b = 0.3, 0.3, 0.3
    if m == 0:
        row = np.floor(v / 0.62)
        col = np.floor((u + 0.37 * (row % 2)) / 1.05)
        fu, fv = (u + 0.37 * (row % 2)) / 1.05 - col, v / 0.62 - row
        tint = hash1(int(col), int(row), 7)
        joint = min(min(fu, 1 - fu) * 1.05, min(fv, 1 - fv) * 0.62)
        worn = 0.012 + 0.008 * fine
        level = 0.235 + 0.075 * (tint - 0.5) + 0.05 * rough + 0.035 * fine
        dark = min(max((joint - worn) / 0.014, 0.0), 1.0)
        level *= 0.42 + 0.58 * dark
        stain = min(max(fbm(x * 0.5 + 9, z * 0.5, y, 4) * 2.2 - 0.2, 0.0), 1.0)
        r, g, b = level * 1.02, level * 0.97, level * 0.88
        r, g, b = r * (1 - 0.35 * stain), g * (1 - 0.31 * stain), b * (1 - 0.25 * stain)
        gloss = 0.45 * stain * dark
        nx += 0.10 * fine + 0.05 * (1 - dark)
        nz += 0.10 * value3(x * 23, y * 23, z * 23 + 4)
    elif m == 1:
        wave = 0.055
        nx += wave * (fbm(x * 0.9, z * 0.42, 1.0, 4) + 0.7 * fbm(x * 3.3, z * 1.7, 4.0, 3))
        nz += wave * (fbm(x * 0.9 + 31, z * 0.42, 2.0, 4) + 0.7 * fbm(x * 3.3 + 7, z * 1.7, 5.0, 3))
        r, g, b, gloss = 0.022, 0.042, 0.045, 1.0
    elif m == 2:
        row = np.floor(v / 0.085)
        col = np.floor((u + 0.115 * (row % 2)) / 0.23)
        fu, fv = (u + 0.115 * (row % 2)) / 0.23 - col, v / 0.085 - row
        tint = hash1(int(col), int(row), int(seed))
        mortar = fu < 0.05 or fv < 0.13
        level = 0.85 + 0.35 * (tint - 0.5) + 0.18 * rough
        if mortar:
            r, g, b = 0.26 * level, 0.24 * level, 0.215 * level
        else:
            r, g, b = 0.245 * level, 0.115 * level, 0.078 * level
        nx += 0.06 * fine
    elif m == 3 or m == 9 or m == 10:
        level = 1.0 + 0.16 * rough + 0.05 * fine
        peel = min(max((fbm(u * 0.8 + seed, v * 0.8, seed, 5) - 0.30) * 6, 0.0), 1.0)
        if m == 3:
            r, g, b = 0.40 * level, 0.355 * level, 0.28 * level
        elif m == 9:
            r, g, b = 0.085 * level, 0.125 * level, 0.205 * level
        else:
            r, g, b = 0.30 * level, 0.062 * level, 0.042 * level
        r, g, b = r + (0.22 - r) * peel * 0.7, g + (0.19 - g) * peel * 0.7, b + (0.16 - b) * peel * 0.7
        streak = min(max(fbm(u * 2.6, v * 0.16, seed + 3, 4) * 1.8, 0.0), 1.0)
        r, g, b = r * (1 - 0.35 * streak), g * (1 - 0.33 * streak), b * (1 - 0.30 * streak)
    elif m == 4:
        board = np.floor(u / 0.16)
        tint = hash1(int(board), int(seed), 3)
        grain = fbm(u * 30 + board * 7, v * 1.7 + tint * 40, seed, 4)
        gap = u / 0.16 - board
        level = 0.78 + 0.4 * (tint - 0.5) + 0.42 * grain + 0.12 * rough
        if gap < 0.06:
            level *= 0.35
        r, g, b = 0.205 * level, 0.152 * level, 0.100 * level
        nx += 0.10 * grain
    elif m == 5:
        rust = min(max(fbm(x * 2.3 + seed, y * 2.3, z * 2.3, 5) * 2 + 0.30, 0.0), 1.0)
        r, g, b = 0.045 + 0.13 * rust, 0.043 + 0.035 * rust, 0.043 - 0.005 * rust
        r, g, b = r * (1 + 0.3 * fine), g * (1 + 0.3 * fine), b * (1 + 0.3 * fine)
        gloss = 0.16 * (1 - rust)
        nx, ny, nz = nx + 0.15 * fine, ny, nz + 0.15 * rough * 0.4
    elif m == 6:
        row = np.floor(v / 0.22 + 0.1 * hash1(int(u * 4), 3, 3))
        tint = hash1(int(np.floor(u / 0.24)), int(row), int(seed))
        level = 0.085 * (0.8 + 0.5 * tint + 0.2 * rough)
        r, g, b, gloss = level * 0.98, level * 1.0, level * 1.08, 0.05
    elif m == 8:
        r, g, b = 26.0, 16.0, 6.5  # it shines by itself: far more than the sky gives
    elif m == 11:
        level = 0.55 + 0.05 * rough
        r, g, b = level, level * 0.97, level * 0.9
    # windows and doors on the walls across the water
    if (m == 2 or m == 3 or m == 9 or m == 10) and z > 40 and abs(nz) > 0.7:
        cu, cv = np.floor(u / 1.7), np.floor(v / 2.2)
        fu, fv = u / 1.7 - cu, v / 2.2 - cv
        if 0.30 < fu < 0.72 and 0.28 < fv < 0.78 and hash1(int(cu), int(cv), 5 + int(seed)) > 0.10:
            frame = (
                fu < 0.335 or fu > 0.685 or fv < 0.31 or fv > 0.75 or abs(fu - 0.51) < 0.016 or abs(fv - 0.56) < 0.012
            )
            if frame:
                r, g, b, gloss = 0.36, 0.34, 0.30, 0.0
            else:
                dark = hash1(int(cu), int(cv), 9)
                r, g, b, gloss = 0.02 + 0.03 * dark, 0.022 + 0.03 * dark, 0.026 + 0.03 * dark, 0.35
        elif 0.27 < fu < 0.75 and 0.25 < fv < 0.28:
            r, g, b = r * 1.3, g * 1.3, b * 1.3
    inv = 1.0 / np.sqrt(nx * nx + ny * ny + nz * nz)
    out[0], out[1], out[2], out[3] = max(r, 0.004), max(g, 0.004), max(b, 0.004), gloss
    out[4], out[5], out[6] = nx * inv, ny * inv, nz * inv


@fast
def _trace(
    y0: int,
    y1: int,
    camera: F32,
    light: F32,
    solids: F64,
    bounds: F64,
    samples: int,
    margin: int,
    ground: int,
    sunlit: F32,
    ambient: F32,
    about: F32,
) -> None:
    height, width = sunlit.shape[0], sunlit.shape[1]
    inner = height - 2 * margin
    surface = np.empty(7, np.float64)
    mirror = np.empty(7, np.float64)
    for y in range(y0, y1):
        for x in range(width):
            sr, sg, sb, ar, ag, ab = 0.0, 0.0, 0.0, 0.0, 0.0, 0.0
            for k in range(samples):
                jx, jy = hash1(x, y, 4 * k), hash1(x, y, 4 * k + 1)
                if k == 0:
                    jx, jy = 0.5, 0.5
                px = (x + jx - width / 2) / inner
                py = (height / 2 - y - jy) / inner
                fx, fy, fz = px, py, camera[12]
                dx = camera[3] * fx + camera[6] * fy + camera[9] * fz
                dy = camera[4] * fx + camera[7] * fy + camera[10] * fz
                dz = camera[5] * fx + camera[8] * fy + camera[11] * fz
                ox, oy, oz = camera[0], camera[1], camera[2]
                if k > 0:
                    # a point on the lens; all rays of a pixel meet in the plane of focus
                    a, q = hash1(x, y, 4 * k + 2) * 6.2832, np.sqrt(hash1(x, y, 4 * k + 3)) * camera[14]
                    lx, ly = q * np.cos(a), q * np.sin(a)
                    s = camera[13] / camera[12]
                    ex = camera[3] * lx + camera[6] * ly
                    ey = camera[4] * lx + camera[7] * ly
                    ez = camera[5] * lx + camera[8] * ly
                    dx, dy, dz = dx * s - ex, dy * s - ey, dz * s - ez
                    ox, oy, oz = ox + ex, oy + ey, oz + ez
                inv = 1.0 / np.sqrt(dx * dx + dy * dy + dz * dz)
                dx, dy, dz = dx * inv, dy * inv, dz * inv
                t, which, nx, ny, nz = hit(ox, oy, oz, dx, dy, dz, solids, bounds, ground)
                if which == -9:
                    r, g, b = sky(dx, dy, dz, light)
                    ar, ag, ab = ar + r, ag + g, ab + b
                    if k == 0:
                        about[y, x, 0] = 1e6
                    continue
                hx, hy, hz = ox + t * dx, oy + t * dy, oz + t * dz
                material(which, hx, hy, hz, nx, ny, nz, solids, surface)
                mx, my, mz = surface[4], surface[5], surface[6]
                # the sun, as wide as its softness
                u, v = hash1(x + 7, y, 4 * k) - 0.5, hash1(x, y + 7, 4 * k) - 0.5
                w = hash1(x + 3, y + 9, 4 * k) - 0.5
                lx, ly, lz = light[0] + u * 2 * light[13], light[1] + v * 2 * light[13], light[2] + w * 2 * light[13]
                lit = mx * lx + my * ly + mz * lz
                if lit > 0 and nx * lx + ny * ly + nz * lz > 0:
                    _, block, _, _, _ = hit(
                        hx + nx * 2e-3, hy + ny * 2e-3, hz + nz * 2e-3, lx, ly, lz, solids, bounds, False
                    )
                    if block != -9:
                        lit = 0.0
                else:
                    lit = 0.0
                # sky light, by one cosine-weighted ray
                a, q = hash1(x + 1, y + 5, 4 * k) * 6.2832, np.sqrt(hash1(x + 5, y + 1, 4 * k))
                bx, by, bz = q * np.cos(a), q * np.sin(a), np.sqrt(max(0.0, 1 - q * q))
                if abs(ny) < 0.9:
                    tx, ty, tz = nz, 0.0, -nx
                else:
                    tx, ty, tz = 1.0, 0.0, 0.0
                ux, uy, uz = ny * tz - nz * ty, nz * tx - nx * tz, nx * ty - ny * tx
                il = 1.0 / np.sqrt(ux * ux + uy * uy + uz * uz)
                ux, uy, uz = ux * il, uy * il, uz * il
                tx, ty, tz = uy * nz - uz * ny, uz * nx - ux * nz, ux * ny - uy * nx
                gx, gy, gz = tx * bx + ux * by + nx * bz, ty * bx + uy * by + ny * bz, tz * bx + uz * by + nz * bz
                dist, block, _, _, _ = hit(
                    hx + nx * 2e-3, hy + ny * 2e-3, hz + nz * 2e-3, gx, gy, gz, solids, bounds, False
                )
                if block != -9 and dist < 12:
                    er, eg, eb = 0.05 * light[9], 0.048 * light[10], 0.045 * light[11]
                elif gy > 0:
                    er, eg, eb = sky(gx, max(gy, 0.02), gz, light)
                else:
                    er, eg, eb = (
                        0.22 * light[9] + 0.02 * light[3],
                        0.2 * light[10] + 0.02 * light[4],
                        0.18 * light[11] + 0.02 * light[5],
                    )
                r, g, b = surface[0] * er, surface[1] * eg, surface[2] * eb
                if surface[3] > 0:
                    c = -(dx * mx + dy * my + dz * mz)
                    rx, ry, rz = dx + 2 * c * mx, dy + 2 * c * my, dz + 2 * c * mz
                    fresnel = 0.03 + 0.97 * (1 - min(max(c, 0.0), 1.0)) ** 5
                    if ry < 0.01:
                        ry = 0.01 + 0.2 * abs(ry)
                    t2, w2, n2x, n2y, n2z = hit(
                        hx + nx * 2e-3, hy + ny * 2e-3, hz + nz * 2e-3, rx, ry, rz, solids, bounds, False
                    )
                    if w2 >= 0:
                        material(w2, hx + rx * t2, hy + ry * t2, hz + rz * t2, n2x, n2y, n2z, solids, mirror)
                        face = max(mirror[4] * light[0] + mirror[5] * light[1] + mirror[6] * light[2], 0.0)
                        qr = mirror[0] * (light[9] * 0.8 + face * light[3])
                        qg = mirror[1] * (light[10] * 0.8 + face * light[4])
                        qb = mirror[2] * (light[11] * 0.8 + face * light[5])
                    else:
                        qr, qg, qb = sky(rx, ry, rz, light)
                        glint = max(rx * light[0] + ry * light[1] + rz * light[2], 0.0) ** 180 * 3
                        qr, qg, qb = qr + glint * light[3], qg + glint * light[4], qb + glint * light[5]
                    f = fresnel * surface[3]
                    r, g, b = r * (1 - f) + qr * f, g * (1 - f) + qg * f, b * (1 - f) + qb * f
                haze = 1 - np.exp(-t * 0.0030)
                ar += r * (1 - haze) + light[9] * 0.9 * haze
                ag += g * (1 - haze) + light[10] * 0.92 * haze
                ab += b * (1 - haze) + light[11] * 0.96 * haze
                lit *= 1 - haze
                sr, sg, sb = (
                    sr + surface[0] * lit * light[3],
                    sg + surface[1] * lit * light[4],
                    sb + surface[2] * lit * light[5],
                )
                if k == 0:
                    about[y, x, 0] = t
                    about[y, x, 1], about[y, x, 2], about[y, x, 3] = mx, my, mz
                    about[y, x, 4], about[y, x, 5], about[y, x, 6] = surface[0], surface[1], surface[2]
            n = np.float32(1.0 / samples)
            sunlit[y, x, 0], sunlit[y, x, 1], sunlit[y, x, 2] = sr * n, sg * n, sb * n
            ambient[y, x, 0], ambient[y, x, 1], ambient[y, x, 2] = ar * n, ag * n, ab * n


@dataclass(frozen=True)
class Backdrop:
    """The traced set with a margin around the frame, all float32 of (H + 2m, W + 2m, ...).

    sunlit, ambient: linear light that the sun and everything else give. about: distance along the ray
    (1e6 for the sky), normal and albedo at each pixel's centre.
    """

    sunlit: F32
    ambient: F32
    about: F32
    margin: int


def trace_set(
    camera: Camera,
    light: Light,
    solids: list[list[float]],
    size: tuple[int, int],
    margin: int,
    samples: int = 20,
    ground: bool = True,
) -> Backdrop:
    """Traces the set for a picture of (W, H) with `margin` pixels more on every side."""
    w, h = size[0] + 2 * margin, size[1] + 2 * margin
    sunlit, ambient = np.zeros((h, w, 3), np.float32), np.zeros((h, w, 3), np.float32)
    about = np.zeros((h, w, 7), np.float32)
    rows = np.array(solids or [[0.0, 0, -99, 0, 0.01, 0.01, 0.01, 0, 0]], np.float32)
    in_rows(
        _trace, h, camera.row(), light.row(), rows, bounds_of(rows), samples, margin, ground, sunlit, ambient, about
    )
    return Backdrop(sunlit, ambient, about, margin)
