"""How little a carried matte can be trusted, why, and where."""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

F32 = NDArray[np.float32]
HALT = 0.6  # doubt above which following stops by itself


@dataclass(frozen=True)
class Evidence:
    """What the follower saw on one frame, each 0 (as hoped) to 1 and beyond (bad)."""

    jump: float  # share of the outline's surroundings where the decision left the carried shape
    alike: float  # how little the colours inside and out differ along the outline
    torn: float  # share of the outline where motion could not be followed there and back
    change: float  # change of area against the recent frames, in logarithms
    drift: float  # how far the subject's colours have gone from the touched frame's
    lost: bool  # nothing is left

    def doubt(self) -> float:
        """0 to 1."""
        if self.lost:
            return 1.0
        score = (
            2.6 * self.jump + 3.0 * max(0.0, self.alike - 0.08) + 1.0 * max(0.0, self.torn - 0.15)
            + 1.9 * max(0.0, abs(self.change) - 0.06) + 1.2 * self.drift
        )  # fmt: skip
        return float(1 - np.exp(-1.25 * score))

    def reason(self) -> str:
        """The strongest cause in one plain line."""
        if self.lost:
            return "the subject is gone from the picture"
        if abs(self.change) > 0.22:
            grown = np.exp(abs(self.change))
            share = "a quarter" if grown < 1.3 else "a third" if grown < 1.45 else "a half" if grown < 1.8 else "double"
            return f"the subject {'grew' if self.change > 0 else 'shrank'} by {share}" if share != "double" else (
                "the subject more than doubled" if self.change > 0 else "more than half of the subject vanished"
            )  # fmt: skip
        causes = {
            "the outline jumped": 2.6 * self.jump,
            "colours inside and out are alike here": 1.5 * self.alike,
            "the motion here is too fast or too blurred to follow": 1.0 * self.torn,
            "the subject no longer looks as it did where you marked it": 1.2 * self.drift,
        }
        return max(causes, key=lambda cause: causes[cause])


ADVICE = {
    "the subject is gone from the picture": "Mark it where it comes back, or leave these frames empty.",
    "the outline jumped": "Mark inside or outside the ring, then follow on.",
    "colours inside and out are alike here": "One short mark on each side of the edge in the ring would help.",
    "the motion here is too fast or too blurred to follow": "Mark this frame, then follow on from it.",
    "the subject no longer looks as it did where you marked it": "Add an in mark on this frame, then follow on.",
}


def advice(reason: str) -> str:
    """What would help, in one sentence."""
    return ADVICE.get(reason, "Look at the outline; mark what is wrong, or follow on if it is right.")


def worst_place(fault: F32, shape: tuple[int, int]) -> tuple[float, float, float]:
    """The centre (x, y) and radius, in plate pixels, of where the fault is gathered.

    fault: (h, w) float32 at any size. shape: (H, W) of the plate.
    """
    _h, w = fault.shape
    spread = cv2.GaussianBlur(fault, (0, 0), max(2.0, w / 32))
    y, x = np.unravel_index(int(np.argmax(spread)), fault.shape)
    scale = shape[1] / w
    return (float(x) + 0.5) * scale, (float(y) + 0.5) * scale, max(24.0, w / 16 * scale)
