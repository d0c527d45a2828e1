"""Exposing a frame: rays through a lens to what moves, its light, its shadows, and the backdrop behind.

Sphere tracing after Hart (The Visual Computer, 1996). Each picture is the mean of several instants within
the shutter's time, each with its own pose, so that fast limbs blur as they do on film; coverage is counted
per owner by the same samples, which makes the true alpha exact with respect to the picture.
"""

from __future__ import annotations

import numpy as np

from cuvrel.core.arrays import F32, F64, I64
from footage.body import BLEND, field
from footage.kernels import Number, fast, fast_within
from footage.noise import hash1, value3
from footage.paint import paint


@fast_within
def _ray(camera: F32, px: Number, py: Number) -> tuple[Number, Number, Number]:
    """The unit direction through a point of the picture, in heights from its middle, right and up."""
    dx = camera[3] * px + camera[6] * py + camera[9] * camera[12]
    dy = camera[4] * px + camera[7] * py + camera[10] * camera[12]
    dz = camera[5] * px + camera[8] * py + camera[11] * camera[12]
    inv = 1.0 / np.sqrt(dx * dx + dy * dy + dz * dz)
    return dx * inv, dy * inv, dz * inv


@fast
def _along_ray(
    parts: F32,
    balls: F32,
    ox: Number,
    oy: Number,
    oz: Number,
    dx: Number,
    dy: Number,
    dz: Number,
    spread: Number,
    active: I64,
) -> tuple[int, Number, Number]:
    """Fills `active` with the parts whose ball a ray (or a cone of slope `spread`) meets; count, near, far."""
    count, near, far = 0, np.float32(1e9), np.float32(-1e9)
    for n in range(parts.shape[0]):
        cx, cy, cz, r = balls[n, 0] - ox, balls[n, 1] - oy, balls[n, 2] - oz, balls[n, 3]
        along = cx * dx + cy * dy + cz * dz
        if along < -r:
            continue
        off2 = cx * cx + cy * cy + cz * cz - along * along
        room = r + BLEND + spread * max(along, np.float32(0.0))
        if off2 < room * room:
            active[count] = n
            count += 1
            near, far = min(near, along - room), max(far, along + room)
    return count, near, far


@fast
def _blocked(
    parts: F32, balls: F32, ox: Number, oy: Number, oz: Number, dx: Number, dy: Number, dz: Number, active: I64
) -> Number:
    """How much of a light is seen, 0 to 1; soft near what blocks it."""
    count, near, far = _along_ray(parts, balls, ox, oy, oz, dx, dy, dz, np.float32(0.0), active)
    if count == 0:
        return np.float32(1.0)
    px, py, pz = np.float32(ox), np.float32(oy), np.float32(oz)
    rx, ry, rz = np.float32(dx), np.float32(dy), np.float32(dz)
    t, light = np.float32(max(near, np.float32(0.025))), np.float32(1.0)
    for _ in range(11):
        d, which = field(parts, balls, active, count, px + rx * t, py + ry * t, pz + rz * t)
        if which >= 0 and parts[which, 1] == 12:
            d = np.float32(0.1)
        light = min(light, np.float32(0.5) + np.float32(9.0) * d / t)
        if light < 0.02:
            return np.float32(0.0)
        t += max(d, np.float32(0.035))
        if t > far:
            break
    light = min(max(light, np.float32(0.0)), np.float32(1.0))
    return light * light * (3 - 2 * light)


@fast
def _shade(
    parts: F32,
    balls: F32,
    which: int,
    x: Number,
    y: Number,
    z: Number,
    dx: Number,
    dy: Number,
    dz: Number,
    light: F32,
    lamp: F32,
    tones: F32,
    active: I64,
    count: int,
    other: I64,
    seed: int,
    out: F32,
) -> bool:
    """The light that a surface point sends back along a ray, into `out`; whether it is solid there."""
    paint(parts, which, x, y, z, tones, out)
    r, g, b, gloss = out[0], out[1], out[2], out[3]
    if out[4] > 0 and hash1(seed, 5, 77) < out[4]:
        return False
    m = int(parts[which, 1])
    if m == 12:
        out[0], out[1], out[2] = lamp[3] * 3.2, lamp[4] * 3.2, lamp[5] * 3.2
        return True
    # only what is near here shapes the surface and its corners
    near_count = 0
    for n in range(count):
        i = active[n]
        qx, qy, qz = x - balls[i, 0], y - balls[i, 1], z - balls[i, 2]
        room = balls[i, 3] + np.float32(0.24)
        if qx * qx + qy * qy + qz * qz < room * room:
            other[near_count] = active[n]
            near_count += 1
    e = np.float32(0.0028)
    d0, _ = field(parts, balls, other, near_count, x, y, z)
    d1, _ = field(parts, balls, other, near_count, x + e, y, z)
    d2, _ = field(parts, balls, other, near_count, x, y + e, z)
    d3, _ = field(parts, balls, other, near_count, x, y, z + e)
    nx, ny, nz = d1 - d0, d2 - d0, d3 - d0
    inv = np.float32(1.0) / (np.sqrt(nx * nx + ny * ny + nz * nz) + np.float32(1e-9))
    nx, ny, nz = nx * inv, ny * inv, nz * inv
    if nx * dx + ny * dy + nz * dz > 0.2:
        nx, ny, nz = -nx, -ny, -nz
    # near occlusion along the normal
    near, _ = field(
        parts, balls, other, near_count, x + nx * np.float32(0.05), y + ny * np.float32(0.05), z + nz * np.float32(0.05)
    )
    wide, _ = field(
        parts, balls, other, near_count, x + nx * np.float32(0.16), y + ny * np.float32(0.16), z + nz * np.float32(0.16)
    )
    open_ = min(max(0.40 * near / 0.05 + 0.60 * wide / 0.16, 0.0), 1.0)
    open_ *= min(1.0, 0.45 + 1.4 * max(y, 0.0)) if ny < 0 else 1.0
    j0, j1, j2 = hash1(seed, 1, 9) - 0.5, hash1(seed, 2, 9) - 0.5, hash1(seed, 3, 9) - 0.5
    lx, ly, lz = light[0] + 2 * light[13] * j0, light[1] + 2 * light[13] * j1, light[2] + 2 * light[13] * j2
    face = nx * lx + ny * ly + nz * lz
    thin = parts[which, 0] == 2
    lit = max(face, 0.0)
    if m == 2:
        lit = max((face + 0.18) / 1.18, 0.0)
    if lit > 0 or thin:
        seen = _blocked(parts, balls, x + nx * 0.012, y + ny * 0.012, z + nz * 0.012, lx, ly, lz, other)
        lit *= seen
        if thin:
            lit += 0.34 * max(-face, 0.0)
    up = 0.5 + 0.5 * ny
    for c in range(3):
        dome = light[9 + c] * (1 - 0.55 * up) + light[6 + c] * 0.55 * up
        bounce = 0.24 * (light[3 + c] * max(light[1], 0.1) * 0.55 + light[9 + c])
        ambient = (dome * (0.28 + 0.72 * up) + bounce * (1 - up) * 0.9) * (0.25 + 0.75 * open_)
        out[5 + c] = ambient + light[3 + c] * lit
    if lamp[6] > 0:
        qx, qy, qz = lamp[0] - x, lamp[1] - y, lamp[2] - z
        d2_ = qx * qx + qy * qy + qz * qz + 0.01
        il = 1.0 / np.sqrt(d2_)
        glow = max((nx * qx + ny * qy + nz * qz) * il * 0.85 + 0.15, 0.0) * lamp[6] / d2_
        seen = _blocked(parts, balls, x + nx * 0.015, y + ny * 0.015, z + nz * 0.015, qx * il, qy * il, qz * il, other)
        glow *= 0.25 + 0.75 * seen
        for c in range(3):
            out[5 + c] += lamp[3 + c] * glow
    hx, hy, hz = lx - dx, ly - dy, lz - dz
    ih = 1.0 / np.sqrt(hx * hx + hy * hy + hz * hz)
    shine = gloss * lit * max((nx * hx + ny * hy + nz * hz) * ih, 0.0) ** 40 * 5
    edge = (1 - min(max(-(nx * dx + ny * dy + nz * dz), 0.0), 1.0)) ** 4
    sheen = (0.05 if m == 0 or m == 1 or m == 18 else 0.02) + gloss * 0.4
    r, g, b = r * out[5], g * out[6], b * out[7]
    k = edge * sheen * open_
    out[0] = r + shine * light[3] + k * light[9] * 0.5
    out[1] = g + shine * light[4] + k * light[10] * 0.5
    out[2] = b + shine * light[5] + k * light[11] * 0.5
    return True


@fast
def shadows(
    y0: int, y1: int, camera: F32, light: F32, parts: F32, balls: F32, margin: int, step: int, about: F32, out: F32
) -> None:
    """What the figures take from the ground: sun and sky, 1 where nothing. out: (h, w, 2) of every `step`-th pixel.

    about: the backdrop's distances, whose ground is taken for the plane y = 0.
    """
    active = np.empty(parts.shape[0], np.int64)
    height, width = about.shape[0], about.shape[1]
    inner = height - 2 * margin
    for yy in range(y0, y1):
        for xx in range(out.shape[1]):
            out[yy, xx, 0] = out[yy, xx, 1] = 1
            x, y = min(xx * step, width - 1), min(yy * step, height - 1)
            t = about[y, x, 0]
            if t > 40:
                continue
            px, py = (x + 0.5 - width / 2) / inner, (height / 2 - y - 0.5) / inner
            dx, dy, dz = _ray(camera, px, py)
            gx, gy, gz = camera[0] + dx * t, camera[1] + dy * t, camera[2] + dz * t
            nx, ny, nz = about[y, x, 1], about[y, x, 2], about[y, x, 3]
            gx, gy, gz = gx + nx * 0.01, gy + ny * 0.01, gz + nz * 0.01
            out[yy, xx, 0] = _blocked(parts, balls, gx, gy, gz, light[0], light[1], light[2], active)
            count, _, _ = _along_ray(parts, balls, gx, gy - 0.3, gz, nx, ny, nz, np.float32(1.2), active)
            if count > 0:
                d, _ = field(parts, balls, active, count, gx, gy + 0.04, gz)
                out[yy, xx, 1] = 1 - 0.62 * np.exp(-max(d, np.float32(0.0)) * 7.0)


@fast
def lamplight(y0: int, y1: int, camera: F32, lamp: F32, margin: int, step: int, about: F32, out: F32) -> None:
    """What a lamp in the scene gives to the backdrop: (h, w, 3) linear light of every `step`-th pixel."""
    height, width = about.shape[0], about.shape[1]
    inner = height - 2 * margin
    for yy in range(y0, y1):
        for xx in range(out.shape[1]):
            x, y = min(xx * step, width - 1), min(yy * step, height - 1)
            t = about[y, x, 0]
            if t > 200:
                out[yy, xx, 0] = out[yy, xx, 1] = out[yy, xx, 2] = 0
                continue
            px, py = (x + 0.5 - width / 2) / inner, (height / 2 - y - 0.5) / inner
            dx, dy, dz = _ray(camera, px, py)
            qx = lamp[0] - camera[0] - dx * t
            qy = lamp[1] - camera[1] - dy * t
            qz = lamp[2] - camera[2] - dz * t
            d2 = qx * qx + qy * qy + qz * qz + 0.05
            face = (about[y, x, 1] * qx + about[y, x, 2] * qy + about[y, x, 3] * qz) / np.sqrt(d2)
            glow = max(face, 0.0) * lamp[6] / d2
            for c in range(3):
                out[yy, xx, c] = about[y, x, 4 + c] * lamp[3 + c] * glow


@fast
def _bilinear(picture: F32, x: Number, y: Number, c: int) -> Number:
    h, w = picture.shape[0], picture.shape[1]
    x, y = min(max(x, 0.0), w - 1.001), min(max(y, 0.0), h - 1.001)
    ix, iy = int(x), int(y)
    fx, fy = x - ix, y - iy
    top = picture[iy, ix, c] * (1 - fx) + picture[iy, ix + 1, c] * fx
    low = picture[iy + 1, ix, c] * (1 - fx) + picture[iy + 1, ix + 1, c] * fx
    return top * (1 - fy) + low * fy


TILE = 16


@fast
def expose(
    row0: int,
    row1: int,
    camera: F32,
    light: F32,
    lamp: F32,
    tones: F32,
    poses: F32,
    balls: F32,
    shifts: F32 | F64,
    behind: F32,
    margin: int,
    seed: int,
    colour: F32,
    cover: F32,
) -> None:
    """One frame: rows of tiles from `row0` to `row1`.

    poses: (K, N, WIDTH), balls: (K, N, 4), shifts: (K, 2) pixels that the hand-held camera moved, per
    instant. behind: the lit backdrop, (H + 2m, W + 2m, 3). colour: (H, W, 3) linear light out. cover:
    (H, W, owners) coverage out; owner 0 (what is not a subject) is not counted.
    """
    height, width = colour.shape[0], colour.shape[1]
    instants, total = poses.shape[0], poses.shape[1]
    active, other = np.empty(total, np.int64), np.empty(total, np.int64)
    out = np.empty(8, np.float32)
    share = np.float32(1.0 / instants)
    for tile in range(row0, row1):
        for x0 in range(0, width, TILE):
            y0 = tile * TILE
            x1, y1 = min(x0 + TILE, width), min(y0 + TILE, height)
            met = False
            for k in range(instants):
                mx, my = (x0 + x1) / 2 + shifts[k, 0], (y0 + y1) / 2 + shifts[k, 1]
                px, py = (mx - width / 2) / height, (height / 2 - my) / height
                dx, dy, dz = _ray(camera, px, py)
                spread = np.float32(0.75 * TILE / height / camera[12])
                count, near, far = _along_ray(
                    poses[k], balls[k], camera[0], camera[1], camera[2], dx, dy, dz, spread, active
                )
                met = met or count > 0
            if not met:
                # nothing moves here but the camera: two looks at the backdrop do
                for y in range(y0, y1):
                    for x in range(x0, x1):
                        for k in range(0, instants, max(1, instants - 1)):
                            for c in range(3):
                                colour[y, x, c] += np.float32(0.5) * _bilinear(
                                    behind, x + margin + shifts[k, 0], y + margin + shifts[k, 1], c
                                )
                continue
            for k in range(instants):
                parts, ball = poses[k], balls[k]
                mx, my = (x0 + x1) / 2 + shifts[k, 0], (y0 + y1) / 2 + shifts[k, 1]
                px, py = (mx - width / 2) / height, (height / 2 - my) / height
                dx, dy, dz = _ray(camera, px, py)
                spread = np.float32(0.75 * TILE / height / camera[12])
                count, near, far = _along_ray(parts, ball, camera[0], camera[1], camera[2], dx, dy, dz, spread, active)
                for y in range(y0, y1):
                    for x in range(x0, x1):
                        jx, jy = hash1(x + 4099 * k, y, seed), hash1(x, y + 4099 * k, seed + 1)
                        sx, sy = x + jx + shifts[k, 0], y + jy + shifts[k, 1]
                        hit = False
                        if count > 0:
                            px, py = (sx - width / 2) / height, (height / 2 - sy) / height
                            dx, dy, dz = _ray(camera, px, py)
                            t = max(near, np.float32(0.3))
                            wet = 0
                            for _ in range(90):
                                qx, qy, qz = (
                                    np.float32(camera[0] + dx * t),
                                    np.float32(camera[1] + dy * t),
                                    np.float32(camera[2] + dz * t),
                                )
                                d, which = field(parts, ball, active, count, qx, qy, qz)
                                m = int(parts[which, 1])
                                fringe = (
                                    np.float32(0.016) if m == 3 else np.float32(0.010) if m == 21 else np.float32(0.0)
                                )
                                if fringe > 0 and d < fringe and d > -0.012 and wet < 26:
                                    # among the strands: a ray passes unless it meets one
                                    wet += 1
                                    ax, ay, az = qx - parts[which, 3], qy - parts[which, 4], qz - parts[which, 5]
                                    strand = 0.5 + 0.5 * value3(ax * 260, ay * 34 + 9 * ax, az * 260)
                                    if strand < 0.16 + 0.9 * (fringe - d) / (fringe + 0.012):
                                        d = np.float32(0.0)
                                    else:
                                        t += np.float32(0.0035)
                                        continue
                                if d < 0.0009 + 0.00012 * t:
                                    hit = _shade(
                                        parts,
                                        ball,
                                        which,
                                        qx,
                                        qy,
                                        qz,
                                        dx,
                                        dy,
                                        dz,
                                        light,
                                        lamp,
                                        tones,
                                        active,
                                        count,
                                        other,
                                        seed + x * 7919 + y * 104729 + k * 31,
                                        out,
                                    )
                                    if hit:
                                        owner = int(parts[which, 2])
                                        if owner > 0:
                                            cover[y, x, owner - 1] += share
                                        break
                                    t += np.float32(0.03)
                                    continue
                                t += d * np.float32(0.88)
                                if t > far:
                                    break
                        if hit:
                            for c in range(3):
                                colour[y, x, c] += out[c] * share
                        else:
                            bx, by = sx - 0.5 + margin, sy - 0.5 + margin
                            for c in range(3):
                                colour[y, x, c] += _bilinear(behind, bx, by, c) * share
