"""A jointed figure of rounded limbs with cloth, lit by the sky and a low sun, drawn by depth."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numba import njit
from numpy.typing import NDArray

F32 = NDArray[np.float32]

COAT, TROUSERS, SKIN, HAIR, BOOT, SCARF, CAP, BELT = range(8)
TONES = np.array(
    [[0.045, 0.085, 0.19], [0.055, 0.050, 0.047], [0.50, 0.29, 0.19], [0.055, 0.030, 0.016],
     [0.030, 0.024, 0.020], [0.46, 0.045, 0.030], [0.60, 0.58, 0.52], [0.20, 0.12, 0.05]],
    np.float32,
)  # fmt: skip


@dataclass
class Parts:
    """What one instant is drawn from: limbs and flags, in plate pixels, z towards the camera."""

    limbs: F32  # (N, 9): x0, y0, z0, r0, x1, y1, z1, r1, material
    flags: F32  # (M, 8): origin x, y, z, pole vector x, y, fly vector x, y, phase


def pose(t: float, unit: float, centre: tuple[float, float]) -> Parts:
    """The signaller at `t` seconds; `centre` is the hip, `unit` the size (1 at 720 lines)."""
    cx, cy = centre
    sway = 7 * np.sin(t * 1.7) * unit
    bob = 3 * np.sin(t * 3.4) * unit
    hip = np.array([cx + sway * 0.5, cy + bob, 0.0])
    chest = hip + np.array([sway * 0.6, -118 * unit, 4 * unit])
    neck = chest + np.array([sway * 0.2, -34 * unit, 2 * unit])
    head = neck + np.array([4 * np.sin(t * 1.1) * unit, -42 * unit, 6 * unit])
    limbs: list[list[float]] = []

    def limb(a: NDArray[np.float64], ra: float, b: NDArray[np.float64], rb: float, material: int) -> None:
        limbs.append([*a, ra * unit, *b, rb * unit, material])

    for side in (-1, 1):
        top = hip + np.array([side * 19 * unit, 8 * unit, 0])
        step = 9 * np.sin(t * 1.7 + side) * unit
        knee = top + np.array([side * 10 * unit + step * 0.4, 92 * unit, 10 * unit])
        foot = np.array([cx + side * 42 * unit, cy + 196 * unit, 4 * unit])
        limb(top, 27, knee, 20, TROUSERS)
        limb(knee, 20, foot, 13, TROUSERS)
        limb(foot, 14, foot + np.array([side * 17 * unit, 7 * unit, 12 * unit]), 11, BOOT)
    limb(hip, 37, chest, 45, COAT)
    limb(chest + np.array([-30 * unit, -6 * unit, 0]), 23, chest + np.array([30 * unit, -6 * unit, 0]), 23, COAT)
    limb(hip + np.array([-17 * unit, 14 * unit, 2]), 33, hip + np.array([17 * unit, 14 * unit, 2]), 33, COAT)
    limb(
        hip + np.array([-15 * unit, -8 * unit, 7 * unit]),
        33,
        hip + np.array([15 * unit, -8 * unit, 7 * unit]),
        33,
        BELT,
    )
    limb(neck, 15, head, 14, SKIN)
    limb(head + np.array([0, -4 * unit, 0]), 29, head + np.array([0, 10 * unit, 4 * unit]), 24, SKIN)
    limb(
        head + np.array([-8 * unit, -14 * unit, -9 * unit]),
        29,
        head + np.array([9 * unit, -14 * unit, -9 * unit]),
        29,
        HAIR,
    )
    limb(
        head + np.array([-24 * unit, 12 * unit, -14 * unit]),
        13,
        head + np.array([-20 * unit, -8 * unit, -8 * unit]),
        18,
        HAIR,
    )
    limb(
        head + np.array([-16 * unit, -29 * unit, 3 * unit]),
        14,
        head + np.array([16 * unit, -29 * unit, 3 * unit]),
        14,
        CAP,
    )
    limb(head + np.array([0, -1 * unit, 30 * unit]), 4, head + np.array([1 * unit, 6 * unit, 33 * unit]), 5, SKIN)
    for eye in (-1, 1):
        at = head + np.array([eye * 10 * unit, -5 * unit, 26 * unit])
        limb(at, 3.2, at + np.array([0.5, 0, 0]), 3.2, HAIR)
    limb(
        head + np.array([-7 * unit, 17 * unit, 22 * unit]),
        2.4,
        head + np.array([7 * unit, 17 * unit, 22 * unit]),
        2.4,
        BOOT,
    )
    limb(
        neck + np.array([-15 * unit, 8 * unit, 8 * unit]),
        15,
        neck + np.array([15 * unit, 6 * unit, 8 * unit]),
        15,
        SCARF,
    )
    tail = neck + np.array([18 * unit, 10 * unit, 12 * unit])
    for k in range(5):
        wave = np.sin(t * 5.2 - k * 0.9)
        end = tail + np.array([24 * unit, (6 + 9 * wave) * unit, 4 * wave * unit])
        limb(tail, 10 - k * 0.9, end, 9 - k * 0.9, SCARF)
        tail = end

    flags = []
    for side in (-1, 1):
        angle, bend = _semaphore(t, side)
        shoulder = chest + np.array([side * 45 * unit, -8 * unit, 6 * unit])
        upper = np.array([np.cos(angle), np.sin(angle), 0.25])
        lower = np.array([np.cos(angle - side * bend), np.sin(angle - side * bend), 0.3])
        elbow = shoulder + upper * 66 * unit
        hand = elbow + lower * 62 * unit
        limb(shoulder, 22, elbow, 17, COAT)
        limb(elbow, 17, hand, 12, COAT)
        limb(hand, 11, hand + lower * 12 * unit, 9, SKIN)
        tip = hand + lower * 92 * unit
        limb(hand - lower * 10 * unit, 3, tip, 2.4, BELT)
        fly = np.array([-lower[1], lower[0]]) * (1 if lower[0] * 1 - lower[1] * 0 > 0 else -1)
        if fly[1] < 0:
            fly = -fly
        at = tip - lower * 66 * unit
        flags.append([*at, *(lower[:2] * 66 * unit), *(fly * 74 * unit), t * 6 + side])
    return Parts(np.array(limbs, np.float32), np.array(flags, np.float32))


def _semaphore(t: float, side: int) -> tuple[float, float]:
    """Shoulder angle (0 to the right, down positive) and bend of the elbow, from signs held and changed."""
    signs = {1: [0.9, 0.0, -0.75, -1.35, -0.4, 0.35, -1.1], -1: [2.2, 3.14, 3.7, 4.4, 2.6, 3.3, 4.1]}[side]
    beat = t / 0.72 + (0.2 if side > 0 else 0)
    k = int(np.floor(beat))
    f = np.clip((beat - k - 0.38) / 0.62, 0, 1)
    f = f * f * (3 - 2 * f)
    a, b = signs[k % len(signs)], signs[(k + 1) % len(signs)]
    return a + (b - a) * f + 0.05 * np.sin(t * 2.3 + side), 0.22 + 0.55 * np.sin(np.pi * f)


@njit(nogil=True, cache=True, fastmath=True)
def draw(limbs, flags, tones, cloth, sun, ox, oy, colour, alpha, depth):  # type: ignore[no-untyped-def]
    """Draws one instant into (H, W, 3) linear colour, (H, W) coverage 0 or 1 and (H, W) depth."""
    height, width = alpha.shape
    th, tw = cloth.shape
    for n in range(limbs.shape[0]):
        x0, y0, z0, r0 = limbs[n, 0] + ox, limbs[n, 1] + oy, limbs[n, 2], limbs[n, 3]
        x1, y1, z1, r1 = limbs[n, 4] + ox, limbs[n, 5] + oy, limbs[n, 6], limbs[n, 7]
        m = int(limbs[n, 8])
        big = max(r0, r1) + 2
        dx, dy = x1 - x0, y1 - y0
        long2 = max(dx * dx + dy * dy, 1e-4)
        for y in range(max(0, int(min(y0, y1) - big)), min(height, int(max(y0, y1) + big) + 1)):
            for x in range(max(0, int(min(x0, x1) - big)), min(width, int(max(x0, x1) + big) + 1)):
                s = ((x - x0) * dx + (y - y0) * dy) / long2
                s = min(max(s, 0.0), 1.0)
                along = s * np.sqrt(long2)
                px, py = x - (x0 + s * dx), y - (y0 + s * dy)
                r = r0 + (r1 - r0) * s
                fold = cloth[int(y * 1.3 + n * 37) % th, int(x * 1.3 + n * 71) % tw]
                if m == 0 or m == 1:
                    r += r * 0.045 * np.sin(along * 0.16 + fold * 1.4 + n)
                d2 = px * px + py * py
                if d2 >= r * r:
                    continue
                h = np.sqrt(r * r - d2)
                z = z0 + (z1 - z0) * s + h
                if z <= depth[y, x]:
                    continue
                nx, ny, nz = px / r, py / r, h / r
                if m == 0 or m == 1 or m == 5:
                    bump = 0.20 * np.cos(along * 0.16 + fold * 1.4 + n)
                    nx += bump * dx / np.sqrt(long2) + 0.06 * fold
                    ny += bump * dy / np.sqrt(long2) + 0.06 * fold
                    inv = 1.0 / np.sqrt(nx * nx + ny * ny + nz * nz)
                    nx, ny, nz = nx * inv, ny * inv, nz * inv
                lit = max(0.0, nx * sun[0] + ny * sun[1] + nz * sun[2])
                sky = 0.55 - 0.45 * ny
                rim = (1 - nz) ** 3 * 0.35
                weave = 1 + (0.16 * fold if m != 2 else 0.05 * fold)
                depth[y, x] = z
                alpha[y, x] = 1.0
                warm = (1.0, 0.92, 0.78)
                cool = (0.62, 0.74, 0.92)
                for c in range(3):
                    light = 1.55 * lit * warm[c] + 0.62 * sky * cool[c]
                    colour[y, x, c] = tones[m, c] * light * weave + rim * 0.12 * cool[c]
    for n in range(flags.shape[0]):
        fx, fy, fz = flags[n, 0] + ox, flags[n, 1] + oy, flags[n, 2]
        ax, ay, bx, by = flags[n, 3], flags[n, 4], flags[n, 5], flags[n, 6]
        det = ax * by - ay * bx
        if abs(det) < 1e-3:
            continue
        reach = abs(ax) + abs(bx) + 12
        high = abs(ay) + abs(by) + 12
        for y in range(max(0, int(fy - high)), min(height, int(fy + high))):
            for x in range(max(0, int(fx - reach)), min(width, int(fx + reach))):
                px, py = x - fx, y - fy
                u = (ax * py - ay * px) / det
                v = (px * by - py * bx) / det
                wave = 0.09 * u * np.sin(5.5 * u - flags[n, 7]) + 0.05 * u * np.sin(3.0 * v + flags[n, 7] * 0.7)
                v2, u2 = v + wave, u * (1.0 + 0.05 * np.sin(6 * v + flags[n, 7]))
                if u2 < 0 or u2 > 1 or v2 < 0 or v2 > 1:
                    continue
                slope = 0.5 * u * np.cos(5.5 * u - flags[n, 7])
                z = fz + 18 + 20 * slope
                if z <= depth[y, x]:
                    continue
                light = 0.85 + 0.75 * slope + 0.06 * cloth[int(v2 * 200) % th, int(u2 * 200) % tw]
                depth[y, x] = z
                alpha[y, x] = 1.0
                red = u2 + v2 < 1
                colour[y, x, 0] = (0.52 if red else 0.66) * light
                colour[y, x, 1] = (0.055 if red else 0.47) * light
                colour[y, x, 2] = (0.035 if red else 0.055) * light
