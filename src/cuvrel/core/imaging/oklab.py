"""OKLab, a perceptual space of colour (Ottosson, "A perceptual color space for image processing", 2020).

Lightness runs from 0 to 1; the two others are 0 for greys, and their direction is the hue.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from cuvrel.core.arrays import F64, Single
from cuvrel.core.imaging.colour import cube_root, srgb_to_linear
from cuvrel.core.imaging.row_kernels import small_kernel

CONES = np.array([[0.4122214708, 0.5363325363, 0.0514459929], [0.2119034982, 0.6806995451, 0.1073969566],
                  [0.0883024619, 0.2817188376, 0.6299787005]])  # fmt: skip
LAB = np.array([[0.2104542553, 0.7936177850, -0.0040720468], [1.9779984951, -2.4285922050, 0.4505937099],
                [0.0259040371, 0.7827717662, -0.8086757660]])  # fmt: skip


def oklab(rgb: NDArray) -> F64:
    """Linear RGB to lightness and the two axes of colour, (..., 3) float64."""
    return np.asarray(np.cbrt(np.asarray(rgb, np.float64) @ CONES.T) @ LAB.T, np.float64)


def hue_of(colour: tuple[float, float, float]) -> tuple[float, float]:
    """The direction of a display-encoded colour's hue, a unit vector; that of red for a grey."""
    _, a, b = (float(n) for n in oklab(srgb_to_linear(np.asarray(colour))))
    length = float(np.hypot(a, b))
    return (a / length, b / length) if length > 1e-3 else hue_of((1.0, 0.0, 0.0))


@small_kernel
def to_oklab(r: Single, g: Single, b: Single) -> tuple[Single, Single, Single]:
    """A pixel's light in OKLab; what is below 0 counts as 0."""
    zero = np.float32(0.0)
    r, g, b = max(r, zero), max(g, zero), max(b, zero)
    p = cube_root(np.float32(0.4122214708) * r + np.float32(0.5363325363) * g + np.float32(0.0514459929) * b)
    q = cube_root(np.float32(0.2119034982) * r + np.float32(0.6806995451) * g + np.float32(0.1073969566) * b)
    s = cube_root(np.float32(0.0883024619) * r + np.float32(0.2817188376) * g + np.float32(0.6299787005) * b)
    return (
        np.float32(0.2104542553) * p + np.float32(0.7936177850) * q - np.float32(0.0040720468) * s,
        np.float32(1.9779984951) * p - np.float32(2.4285922050) * q + np.float32(0.4505937099) * s,
        np.float32(0.0259040371) * p + np.float32(0.7827717662) * q - np.float32(0.8086757660) * s,
    )


@small_kernel
def from_oklab(light: Single, a: Single, b: Single) -> tuple[Single, Single, Single]:
    """A pixel's light back from OKLab."""
    p = light + np.float32(0.3963377774) * a + np.float32(0.2158037573) * b
    q = light - np.float32(0.1055613458) * a - np.float32(0.0638541728) * b
    s = light - np.float32(0.0894841775) * a - np.float32(1.2914855480) * b
    p, q, s = p * p * p, q * q * q, s * s * s
    return (
        np.float32(4.0767416621) * p - np.float32(3.3077115913) * q + np.float32(0.2309699292) * s,
        np.float32(-1.2684380046) * p + np.float32(2.6097574011) * q - np.float32(0.3413193965) * s,
        np.float32(-0.0041960863) * p - np.float32(0.7034186147) * q + np.float32(1.7076147010) * s,
    )
