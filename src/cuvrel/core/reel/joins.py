"""Two pictures on the way from one to the other: (H, W, 4) float32 premultiplied linear RGBA each."""

from __future__ import annotations

import numpy as np

from cuvrel.core.arrays import F32, F64
from cuvrel.core.imaging.blend import mix
from cuvrel.core.imaging.colour import srgb_to_linear
from cuvrel.core.imaging.distance import signed_distance

Rgb = tuple[float, float, float]


def through_colour(before: F32, after: F32, colour: Rgb, share: float) -> F32:
    """The first picture into a colour (display-encoded sRGB), and out of it into the second one, in linear light."""
    flat = np.empty_like(before)
    flat[..., :3] = srgb_to_linear(np.asarray(colour, np.float32))
    flat[..., 3] = 1
    return mix(before, flat, 2 * share) if share < 0.5 else mix(flat, after, 2 * share - 1)


def grown(matte: F32, share: float, soft: float, inward: bool) -> F32:
    """Where the new picture is seen, (H, W) float32: it grows from the deepest point of a matte out to the frame's
    furthest corner, or with `inward` from there into it, by the distance from the matte's outline.

    soft: pixels over which it comes. share: 0 is nowhere, 1 everywhere. With nothing in the matte all comes at once.
    """
    if float(matte.max()) <= 0.5:
        return np.full(matte.shape, share, np.float32)
    away = -signed_distance(matte)
    low, high = float(away.min()), float(away.max())
    if inward:
        away, low, high = -away, -high, -low
    width = max(soft, 1.0)
    front = low - width / 2 + share * (high - low + width)
    return np.clip((front - away) / width + 0.5, 0, 1).astype(np.float32)


def through_matte(before: F32, after: F32, matte: F32, share: float, soft: float, inward: bool) -> F32:
    """The second picture grown out of a matte over the first one (see `grown`)."""
    return mix(before, after, 1.0, grown(matte, share, soft, inward))


def way(direction: float, size: tuple[float, float]) -> tuple[float, float]:
    """How far a picture of that width and height goes in a direction, in degrees, until it has left the frame."""
    angle = np.deg2rad(direction)
    x, y = float(np.cos(angle)), float(np.sin(angle))
    wide, high = size
    far = min(wide / max(abs(x), 1e-9), high / max(abs(y), 1e-9))
    return x * far, y * far


def shift(x: float, y: float) -> F64:
    """A map that moves a picture."""
    return np.array([[1, 0, x], [0, 1, y], [0, 0, 1.0]])
