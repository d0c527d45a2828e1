"""How little a carried matte can be trusted, why, and where."""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

F32 = NDArray[np.float32]
HALT = 0.6  # doubt above which following stops by itself
CALM = 2.2  # log odds against a mistake when nothing speaks for one
JUMPED = "the outline jumped"
ALIKE = "colours inside and out are alike here"
UNSURE = "the outline can't be told here"
TORN = "the motion here is too fast or too blurred to follow"
CHANGED = "the subject changed its size"
DRIFTED = "the subject no longer looks as it did where you marked it"


@dataclass(frozen=True)
class Evidence:
    """What the follower saw on one frame, each 0 (as hoped) to 1 and beyond (bad)."""

    jump: float  # share of the outline's surroundings where the decision left the carried shape
    unsure: float  # what the network expects to be wrong of the matte, as a share of it
    alike: float  # share of that where colours inside and out do not differ
    torn: float  # share of the outline where motion could not be followed there and back
    change: float  # change of area against the recent frames, in logarithms
    drift: float  # how far the subject's colours have gone from the touched frame's
    lost: bool  # nothing is left

    def causes(self) -> dict[str, float]:
        """What each kind of evidence adds to the doubt, in log odds.

        Weights from the frames of eight clips with known truth (docs/benchmarks.md says how).
        """
        return {
            JUMPED: 3.0 * max(0.0, self.jump - 0.2),
            ALIKE: 20.0 * max(0.0, self.unsure - 0.03) * (self.alike > 0.5),
            UNSURE: 20.0 * max(0.0, self.unsure - 0.03) * (self.alike <= 0.5),
            TORN: 1.5 * max(0.0, self.torn - 0.1),
            CHANGED: 9.0 * max(0.0, abs(self.change) - 0.04),
            DRIFTED: 14.0 * self.drift,
        }

    def doubt(self) -> float:
        """0 to 1: how likely it is that this frame needs the artist."""
        if self.lost:
            return 1.0
        odds = sum(self.causes().values()) - CALM
        calm = 1 / (1 + np.exp(CALM))
        return float((1 / (1 + np.exp(-odds)) - calm) / (1 - calm))

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
        causes = {cause: weight for cause, weight in self.causes().items() if cause != CHANGED}
        return max(causes, key=lambda cause: causes[cause])


ADVICE = {
    "the subject is gone from the picture": "Mark it where it comes back, or leave these frames empty.",
    JUMPED: "Mark inside or outside the ring, then follow on.",
    ALIKE: "One short mark on each side of the edge in the ring would help.",
    UNSURE: "Draw a short mark on each side of the outline in the ring.",
    TORN: "Mark this frame, then follow on from it.",
    DRIFTED: "Add an in mark on this frame, then follow on.",
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
