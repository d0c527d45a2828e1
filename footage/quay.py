"""The harbour's furniture, lights and lenses.

World: metres, x to the right, y up, z away from the first camera; the quay's stones are y = 0.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from cuvrel.core.arrays import F32

STONE, WATER, BRICK, PLASTER, PLANK, IRON, SLATE, ROPE, LAMP, CLOTH_BLUE, PAINT_RED, CHALK = range(12)
BOX, GABLE, POST = range(3)
EDGE = 12.0  # where the quay ends and the water begins, metres away
FAR = 52.0  # where the sheds across the water stand


def box(
    x: float, y: float, z: float, wide: float, high: float, deep: float, material: int, seed: int = 0
) -> list[float]:
    """A box standing on y, centred on x and z."""
    return [BOX, x, y, z, wide / 2, high, deep / 2, material, seed]


def gable(
    x: float, y: float, z: float, wide: float, high: float, deep: float, material: int, seed: int = 0
) -> list[float]:
    """A roof whose ridge runs along z."""
    return [GABLE, x, y, z, wide / 2, high, deep / 2, material, seed]


def post(x: float, y: float, z: float, radius: float, high: float, material: int, seed: int = 0) -> list[float]:
    """An upright cylinder."""
    return [POST, x, y, z, radius, high, radius, material, seed]


def sheds(seed: int = 3) -> list[list[float]]:
    """The row of warehouses across the water, with a crane and masts."""
    rng = np.random.default_rng(seed)
    out: list[list[float]] = []
    x, n = -62.0, 0
    walls = [BRICK, PLASTER, CLOTH_BLUE, PLASTER, BRICK, PAINT_RED]
    while x < 62:
        wide, high = rng.uniform(6, 11), rng.uniform(5.5, 12)
        z = FAR + rng.uniform(0, 5)
        out.append(box(x + wide / 2, -0.6, z, wide, high, 8, walls[n % len(walls)], 10 + n))
        out.append(gable(x + wide / 2, high - 0.6, z, wide + 0.7, rng.uniform(1.6, 3.2), 8.6, SLATE, 10 + n))
        x, n = x + wide + rng.uniform(-0.2, 2.2), n + 1
    out.append(box(0, -1.4, FAR + 1, 140, 0.8, 14, STONE, 1))
    for at in (-19.0, 4.5, 23.0):
        out.append(post(at, -1, 34 + at * 0.1, 0.16, 13, PLANK, 2))
        out += [box(at, 6.5 + h, 34 + at * 0.1, 5 - h, 0.13, 0.13, PLANK, 2) for h in (0.0, 2.4)]
    return out


def furniture() -> list[list[float]]:
    """What stands on the quay near its edge: bollards, crates, barrels, a crane's foot."""
    out: list[list[float]] = []
    for x in (-6.5, -1.9, 3.4, 8.8):
        out.append(post(x, 0, EDGE - 0.8, 0.22, 0.62, IRON, 3))
        out.append(post(x, 0.62, EDGE - 0.8, 0.31, 0.12, IRON, 3))
    for x, z, s, seed in ((-5.2, 8.6, 0.95, 5), (-4.1, 8.9, 0.8, 6), (-4.8, 8.7, 0.0, 7), (5.6, 8.2, 1.0, 8)):
        if s:
            out.append(box(x, 0, z, s, s, s, PLANK, seed))
    out.append(box(-4.7, 0.95, 8.7, 0.75, 0.7, 0.75, PLANK, 9))
    for x, z, seed in ((6.9, 8.4, 11), (7.6, 9.1, 12)):
        out.append(post(x, 0, z, 0.34, 0.98, PLANK, seed))
        out += [post(x, y, z, 0.352, 0.05, IRON, seed) for y in (0.16, 0.78)]
    out += [post(11.5 + dx, 0, 11 + dz, 0.12, 6.5, IRON, 4) for dx in (-0.8, 0.8) for dz in (-0.6, 0.6)]
    out += [box(11.5, 1.9 + 2.1 * k, 11, 1.7, 0.12, 1.3, IRON, 4) for k in range(3)]
    out.append(box(9.6, 6.5, 11, 7.5, 0.35, 0.5, IRON, 4))
    out.append(box(12.4, 6.8, 11, 1.7, 1.5, 1.5, PAINT_RED, 4))
    return out


@dataclass(frozen=True)
class Light:
    """The sun (or a lamp, far away) and the sky. Directions point towards the light; colours are linear."""

    sun: tuple[float, float, float]
    sun_colour: tuple[float, float, float]
    zenith: tuple[float, float, float]
    horizon: tuple[float, float, float]
    clouds: float = 0.6
    softness: float = 0.03

    def row(self) -> F32:
        """As the kernels read it."""
        s = np.asarray(self.sun, np.float64)
        s /= np.linalg.norm(s)
        return np.array([*s, *self.sun_colour, *self.zenith, *self.horizon, self.clouds, self.softness], np.float32)


DAY = Light((-0.62, 0.50, -0.50), (2.75, 2.30, 1.72), (0.16, 0.27, 0.46), (0.50, 0.54, 0.60))
DUSK = Light((0.75, 0.26, 0.35), (2.2, 1.35, 0.75), (0.14, 0.19, 0.33), (0.62, 0.47, 0.40), 0.7)
NIGHT = Light((0.62, 0.62, -0.36), (0.52, 0.36, 0.17), (0.010, 0.016, 0.034), (0.030, 0.036, 0.055), 0.3, 0.06)
GREY = Light((-0.3, 0.9, -0.3), (0.75, 0.74, 0.72), (0.42, 0.46, 0.50), (0.60, 0.61, 0.62), 0.9, 0.25)


@dataclass(frozen=True)
class Camera:
    """A lens: where it stands, where it points (yaw to the right, pitch up, radians), focal length in heights."""

    at: tuple[float, float, float]
    yaw: float
    pitch: float
    focal: float
    focus: float = 6.0
    aperture: float = 0.02

    def row(self) -> F32:
        """As the kernels read it: place, right, up, forward, focal, focus, aperture."""
        cy, sy, cp, sp = np.cos(self.yaw), np.sin(self.yaw), np.cos(self.pitch), np.sin(self.pitch)
        right, forward = np.array([cy, 0, -sy]), np.array([sy * cp, sp, cy * cp])
        up = np.cross(forward, right)
        return np.array([*self.at, *right, *up, *forward, self.focal, self.focus, self.aperture], np.float32)

    def project(self, point: NDArray[Any], size: tuple[int, int]) -> tuple[float, float]:
        """Where a world point lies in a picture of (W, H), in pixels from its top left corner."""
        row = self.row().astype(np.float64)
        d = np.asarray(point, np.float64) - row[0:3]
        x, y, z = d @ row[3:6], d @ row[6:9], d @ row[9:12]
        w, h = size
        return float(w / 2 + x / z * self.focal * h), float(h / 2 - y / z * self.focal * h)
