"""The grain of a plate, measured on its flattest parts, as values of the treatment."""

from __future__ import annotations

from functools import cache
from typing import Any

import numpy as np
from numpy.typing import NDArray

from cuvrel.core.arrays import F64, U8
from cuvrel.core.imaging.blur import blurred
from cuvrel.core.imaging.colour import srgb_to_linear
from cuvrel.core.imaging.noise import grain_tile
from cuvrel.core.recipe.errors import RecipeError

BLOCK = 24  # pixels of a side of a part
FEWEST = 12  # parts that are enough to measure
SIZES = (1.0, 1.2, 1.4, 1.7, 2.0, 2.4, 2.8, 3.4, 4.0, 5.0, 6.0)


def measured(plate: U8) -> dict[str, Any]:
    """What grain a frame has, (H, W, 3) uint8 sRGB at the plate's own size. Raises RecipeError where no part is flat.

    The picture is cut into parts; of those whose blurred picture changes least, a plane is taken from each channel's
    square root of light, and what is left is grain: how much of it there is by brightness (a line through all parts),
    how alike the channels are, and, by how alike neighbours are, its size.
    """
    shown = np.sqrt(np.maximum(srgb_to_linear(plate / 255.0), 0)).astype(np.float32)
    high, wide = (n // BLOCK * BLOCK for n in shown.shape[:2])
    if min(high, wide) < 2 * BLOCK:
        raise RecipeError("The plate is too small to measure its grain.")
    parts, smooth = _parts(shown[:high, :wide]), _parts(blurred(shown, 2.5, 2.5)[:high, :wide])
    means = parts.mean(axis=(1, 2))
    fair = (means.min(axis=1) > 0.06) & (means.max(axis=1) < 0.96)
    if fair.sum() < FEWEST:
        raise RecipeError("No part of this frame is flat enough to measure its grain.", "Try another frame.")
    unrest = _without_plane(smooth).std(axis=(1, 2)).mean(axis=1)
    flattest = np.flatnonzero(fair)[np.argsort(unrest[fair])[: max(FEWEST, int(fair.sum() * 0.12))]]
    left = _without_plane(parts[flattest])
    left = left[:, 3:-3, 3:-3]
    deviation = np.sqrt((left**2).mean(axis=(1, 2)).mean(axis=1))
    bright = means[flattest] @ np.array([0.3, 0.6, 0.1])
    colour = _colour(left)
    shared = (1 - colour) ** 2 + colour**2 + 2 * colour * (1 - colour) * 0.5773503
    share = np.minimum(4 * np.minimum(bright, 1 - bright) + 0.25, 1) * 0.5 * np.sqrt(shared)
    dark, light = _by_brightness(bright, deviation / share)
    amount = max(dark, light, 1e-6)
    return {
        "amount": round(float(np.clip(100 * amount, 0, 100)), 2),
        "shadows": round(float(np.clip(dark / amount, 0, 2)), 2),
        "lights": round(float(np.clip(light / amount, 0, 2)), 2),
        "size": _size(left.mean(axis=3)),
        "colour": round(colour, 2),
    }


def _parts(picture: NDArray) -> F64:
    """A picture cut into parts, (N, BLOCK, BLOCK, 3)."""
    high, wide = picture.shape[0] // BLOCK, picture.shape[1] // BLOCK
    cut = picture.reshape(high, BLOCK, wide, BLOCK, 3).transpose(0, 2, 1, 3, 4)
    return np.asarray(cut.reshape(-1, BLOCK, BLOCK, 3), np.float64)


def _without_plane(parts: F64) -> F64:
    """Each channel of each part without the plane that lies closest to it."""
    at = (np.arange(BLOCK) - (BLOCK - 1) / 2) / BLOCK
    y, x = np.meshgrid(at, at, indexing="ij")
    out = parts - parts.mean(axis=(1, 2), keepdims=True)
    for slope in (x, y):
        along = np.einsum("nijc,ij->nc", out, slope) / (slope**2).sum()
        out = out - along[:, None, None, :] * slope[None, :, :, None]
    return out


def _colour(left: F64) -> float:
    """How much of the grain each channel has for itself, 0 to 1, from how alike the channels are."""
    flat = left.reshape(-1, 3)
    alike = float(np.asarray(np.corrcoef(flat.T))[np.triu_indices(3, 1)].mean())
    c = np.linspace(0, 1, 101)
    common = (1 - c) ** 2 + 2 * c * (1 - c) * 0.5773503
    return float(c[np.argmin(np.abs(common / (common + c**2) - alike))])


def _by_brightness(bright: F64, amount: F64) -> tuple[float, float]:
    """The amount at black and at white, by a line through all parts; level where they are all alike bright."""
    if np.ptp(bright) < 0.15:
        level = float(np.median(amount))
        return level, level
    slope, start = np.polyfit(bright, amount, 1)
    return max(float(start), 0.0), max(float(start + slope), 0.0)


@cache
def _alike_at(size: float) -> float:
    tile = grain_tile(1, size)[:256, :256].astype(np.float64)
    return _neighbours(_without_plane(_parts(tile[:240, :240]))[:, 3:-3, 3:-3].mean(axis=3))


def _neighbours(left: F64) -> float:
    """How alike neighbouring pixels are, -1 to 1."""
    power = float((left**2).mean())
    across, down = (left[:, :, 1:] * left[:, :, :-1]).mean(), (left[:, 1:] * left[:, :-1]).mean()
    return float((across + down) / 2 / max(power, 1e-12))


def _size(left: F64) -> float:
    known = [_alike_at(size) for size in SIZES]
    order = np.argsort(known)
    found = np.interp(_neighbours(left), np.array(known)[order], np.array(SIZES)[order])
    return round(float(found), 2)
