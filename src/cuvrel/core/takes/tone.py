"""How the light of one take differs from another's: a gain and an offset a channel, in linear light."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from cuvrel.core.arrays import F32, F64, U8, Mask
from cuvrel.core.imaging.colour import linear_to_srgb, srgb_to_linear
from cuvrel.core.recipe.errors import RecipeError

ROUNDS = 12
TUKEY = 4.685  # deviations beyond which a pixel counts for nothing (Huber, Robust Statistics)
LEAST = 500  # pixels that must count
CLIPPED = (4, 250)  # codes at and beyond which light is not known
STEP = 3  # every how many-th pixel is looked at, across and down


@dataclass(frozen=True)
class Tone:
    """second = gain x first + offset, in linear light, for red, green and blue.

    spread: what is left of the difference, in codes of 255.
    """

    gain: tuple[float, float, float]
    offset: tuple[float, float, float]
    spread: float

    @property
    def back(self) -> tuple[F64, F64]:
        """The gains and the offsets, (3,) each, that bring the second take to the first: first = gain x second +
        offset.
        """
        gain = 1 / np.array(self.gain)
        return gain, -np.array(self.offset) * gain


def tone(first: U8, second: U8, looked: Mask | None = None) -> Tone:
    """Measures how a take's light differs from another's where both show the same still things.

    Parameters
    ----------
    first, second
        (H, W, 3) uint8 sRGB, the second as it lies on the first (line_up.brought).
    looked
        (H, W): where both are seen. None: everywhere.

    What moves and what is clipped is left out. Raises RecipeError where too little is left.
    """
    part = np.s_[::STEP, ::STEP]
    a, b = first[part].reshape(-1, 3), second[part].reshape(-1, 3)
    low, high = CLIPPED
    use = ((a > low) & (a < high) & (b > low) & (b < high)).all(axis=1)
    if looked is not None:
        use &= looked[part].ravel()
    if use.sum() < LEAST:
        raise RecipeError("Too little of both takes can be compared.", "Choose frames on which more of both is seen.")
    here, there = (srgb_to_linear(one[use].astype(np.float32) / 255).astype(np.float64) for one in (a, b))
    weights = np.ones(len(here))
    gain, offset = np.ones(3), np.zeros(3)
    for _ in range(ROUNDS):
        for k in range(3):
            gain[k], offset[k] = _line(here[:, k], there[:, k], weights)
        # light varies with its square root: what is left is told on a display's scale
        left = (there - gain * here - offset) / np.sqrt(np.maximum(there, 1e-3))
        away = np.sqrt((left**2).sum(axis=1))
        spread = max(1.4826 * float(np.median(away)), 1e-4)
        inside = np.clip(1 - (away / (TUKEY * spread)) ** 2, 0, None)
        weights = inside**2
    if (weights > 0).sum() < LEAST:
        raise RecipeError("The light of the two takes has nothing in common.", "Choose other frames.")
    return Tone(_three(gain), _three(offset), _codes_apart(there, gain * here + offset, weights))


def _line(x: F64, y: F64, weights: F64) -> tuple[float, float]:
    """The line through weighted points by total least squares: both takes have their noise."""
    total = weights.sum()
    mx, my = (weights * x).sum() / total, (weights * y).sum() / total
    dx, dy = x - mx, y - my
    sxx, syy, sxy = (weights * dx * dx).sum(), (weights * dy * dy).sum(), (weights * dx * dy).sum()
    if sxy <= 0 or sxx <= 1e-12:
        return (my / mx if mx > 1e-6 else 1.0), 0.0
    slope = (syy - sxx + np.sqrt((syy - sxx) ** 2 + 4 * sxy**2)) / (2 * sxy)
    return float(slope), float(my - slope * mx)


def _three(values: F64) -> tuple[float, float, float]:
    return float(values[0]), float(values[1]), float(values[2])


def _codes_apart(there: F64, made: F64, weights: F64) -> float:
    """What is left between two lights, as the mean difference of codes on a display."""
    codes = [linear_to_srgb(np.clip(one, 0, 1).astype(np.float32)) * np.float32(255) for one in (there, made)]
    apart: F32 = np.abs(codes[0].mean(axis=1) - codes[1].mean(axis=1))
    return float((apart * weights).sum() / weights.sum())


def undone(picture: F32, found: Tone) -> F32:
    """A picture of the second take, (H, W, 3 or 4) premultiplied linear light, in the tone of the first."""
    out = picture.copy()
    cover = picture[..., 3:4] if picture.shape[2] == 4 else np.float32(1)
    gain, offset = (one.astype(np.float32) for one in found.back)
    out[..., :3] = np.maximum(picture[..., :3] * gain + offset * cover, 0)
    return out
