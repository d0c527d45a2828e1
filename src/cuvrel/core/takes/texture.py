"""How the texture of one take differs from another's: how sharp it is, and how much grain it has."""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np

from cuvrel.core.arrays import F32, U8, Mask

WIDEST = 4.0  # pixels of blur that are looked for
ROUNDS = 12
MORE = 1.15  # times as much grain as the other has, from which on it is told


@dataclass(frozen=True)
class Texture:
    """blur: the deviation, in pixels, of the blur that makes the second take as soft as the first; 0 where it is as
    soft already. grain: deviations of the noise of both, in codes of 255.
    """

    blur: float
    grain: tuple[float, float]

    @property
    def grainier(self) -> bool:
        """Whether the first has more grain than the second."""
        return self.grain[0] > MORE * self.grain[1] + 0.2

    @property
    def missing(self) -> float:
        """The share of the first's grain that the second lacks, 0 to 1: the squares of grains add up."""
        return float(np.sqrt(max(0.0, 1 - (self.grain[1] / max(self.grain[0], 1e-6)) ** 2)))


def texture(first: U8, second: U8, there: Mask) -> Texture:
    """Compares two takes that lie on one another, (H, W, 3) uint8 sRGB, where both are seen.

    Noise is told by the median of the Laplacian's response (Immerkaer, Fast Noise Variance Estimation, 1996, with a
    median in place of the mean), sharpness by the strongest gradients beyond it.
    """
    here, over = (cv2.cvtColor(one, cv2.COLOR_RGB2GRAY).astype(np.float32) for one in (first, second))
    grain = _noise(here, there), _noise(over, there)
    edges = there & (_steps(cv2.GaussianBlur(here, (0, 0), 1.5)) > 6)
    if edges.sum() < 200:
        return Texture(0.0, grain)
    wanted = _sharp(here, edges, grain[0])
    low, high = 0.0, WIDEST
    if _sharp(over, edges, grain[1]) <= wanted * 1.03:
        return Texture(0.0, grain)
    for _ in range(ROUNDS):
        middle = (low + high) / 2
        # grain goes with the blur, and is told no more
        if _sharp(cv2.GaussianBlur(over, (0, 0), max(middle, 0.05)), edges, 0.0) > wanted:
            low = middle
        else:
            high = middle
    return Texture(round((low + high) / 2, 2), grain)


def _noise(grey: F32, there: Mask) -> float:
    kernel = np.array([[1, -2, 1], [-2, 4, -2], [1, -2, 1]], np.float32)
    found = np.abs(cv2.filter2D(grey, cv2.CV_32F, kernel))[there]
    return float(np.median(found)) / 0.6745 / 6 if found.size else 0.0


def _steps(grey: F32) -> F32:
    return np.asarray(np.hypot(cv2.Scharr(grey, cv2.CV_32F, 1, 0), cv2.Scharr(grey, cv2.CV_32F, 0, 1)) / 16, np.float32)


def _sharp(grey: F32, edges: Mask, noise: float) -> float:
    """The mean square of gradients on edges, without what noise has of it."""
    return max(float(np.square(_steps(grey)[edges]).mean()) - 0.37 * noise**2, 1e-6)
