"""Procedural noise for kernels: hashes, value noise and its fractal sums, all deterministic."""

from __future__ import annotations

import numpy as np

from cuvrel.core.imaging.row_kernels import exact_kernel
from footage.kernels import Number, exact_within, fast_within

F = np.float32


@exact_within
def hash1(a: int, b: int, c: int) -> Number:
    """Three integers to a number in 0 to 1 (a mix after Wang's integer hash)."""
    n = (
        np.uint32(a) * np.uint32(0x8DA6B343)
        ^ np.uint32(b) * np.uint32(0xD8163841)
        ^ np.uint32(c) * np.uint32(0xCB1AB31F)
    )
    n = (n ^ np.uint32(61)) ^ (n >> np.uint32(16))
    n = n * np.uint32(9)
    n = n ^ (n >> np.uint32(4))
    n = n * np.uint32(0x27D4EB2D)
    n = n ^ (n >> np.uint32(15))
    return np.float32(n & np.uint32(0xFFFFFF)) * np.float32(1.0 / 16777216.0)


@exact_kernel
def value3(x: Number, y: Number, z: Number) -> Number:
    """Value noise, about -1 to 1, one lattice cell per unit."""
    fx, fy, fz = np.floor(x), np.floor(y), np.floor(z)
    ix, iy, iz = int(fx), int(fy), int(fz)
    u, v, w = np.float32(x - fx), np.float32(y - fy), np.float32(z - fz)
    u, v, w = u * u * (3 - 2 * u), v * v * (3 - 2 * v), w * w * (3 - 2 * w)
    a = hash1(ix, iy, iz) * (1 - u) + hash1(ix + 1, iy, iz) * u
    b = hash1(ix, iy + 1, iz) * (1 - u) + hash1(ix + 1, iy + 1, iz) * u
    c = hash1(ix, iy, iz + 1) * (1 - u) + hash1(ix + 1, iy, iz + 1) * u
    d = hash1(ix, iy + 1, iz + 1) * (1 - u) + hash1(ix + 1, iy + 1, iz + 1) * u
    low, high = a * (1 - v) + b * v, c * (1 - v) + d * v
    return (low * (1 - w) + high * w) * np.float32(2.0) - np.float32(1.0)


@exact_kernel
def fbm(x: Number, y: Number, z: Number, octaves: int) -> Number:
    """Fractal sum of value noise, about -1 to 1; each octave twice as fine and half as strong."""
    total, weight, norm = np.float32(0.0), np.float32(1.0), np.float32(0.0)
    for k in range(octaves):
        total += weight * value3(x + 17.3 * k, y + 5.1 * k, z - 9.7 * k)
        norm += weight
        weight *= np.float32(0.5)
        x, y, z = x * 2.03, y * 2.03, z * 2.03
    return total / norm


@fast_within
def wave(x: Number) -> Number:
    """A sine to about one part in a thousand, several times as fast (a parabola, sharpened)."""
    t = x * 0.15915494309189535
    t = 2.0 * (t - np.floor(t + 0.5))
    y = 4.0 * t * (1.0 - abs(t))
    return y * (0.775 + 0.225 * abs(y))
