"""Doubt: how likely it is that a followed frame needs the artist, why, and where."""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np

from cuvrel.core.arrays import F32

HALT = 0.9  # doubt above which following stops by itself: twice as sure of a mistake as what the sheet shows
BLUR, LIKE, GONE = 24.0, 9.6, 4.3  # log odds for a mistake by what is unsure, by like colours there, and by drift,
CALM = 4.5  # and against one when nothing speaks for it
MOST_ALIKE = 0.2  # share of like colours above which more of them says nothing more
JUMPED = "the outline jumped"
ALIKE = "colours inside and out are alike here"
UNSURE = "the outline can't be told here"
TORN = "the motion here is too fast or too blurred to follow"
DRIFTED = "the subject no longer looks as it did where you marked it"


@dataclass(frozen=True)
class DoubtFactors:
    """Figures of one followed frame, each 0 (as hoped) to 1 and beyond (bad)."""

    jump: float  # how far the decision left the carried shape, in pixels along the outline
    unsure: float  # what the network expects to be wrong of the matte, as a share of it
    alike: float  # share of that where colours inside and out do not differ
    torn: float  # share of the outline where motion could not be followed there and back
    change: float  # change of area against the recent frames, in logarithms
    drift: float  # how far the subject's colours have gone from the touched frame's
    lost: bool  # nothing is left

    def doubt(self) -> float:
        """0 to 1: how likely it is that this frame needs the artist.

        Logistic, after what `training/doubt.py` finds on made-up clips. Jumps, torn motion and changes of size
        tell nothing there that the network's own expectation has not told; of what that expects, soft edges are
        a part which is no mistake, and most of that lies where colours differ. The constant is set so that nine
        bad frames of ten are shown as doubtful (above 0.5) with as few good ones as that allows.
        """
        if self.lost:
            return 1.0
        odds = BLUR * self.unsure + LIKE * min(self.alike, MOST_ALIKE) + GONE * self.drift - CALM
        calm = 1 / (1 + np.exp(CALM))
        return float(max(0.0, (1 / (1 + np.exp(-odds)) - calm) / (1 - calm)))

    def reason(self) -> str:
        """What most likely led to the doubt, in one plain line."""
        if self.lost:
            return "the subject is gone from the picture"
        if abs(self.change) > 0.22:
            grown = np.exp(abs(self.change))
            if grown >= 1.8:
                return "the subject more than doubled" if self.change > 0 else "more than half of the subject vanished"
            share = "a quarter" if grown < 1.3 else "a third" if grown < 1.45 else "a half"
            return f"the subject {'grew' if self.change > 0 else 'shrank'} by {share}"
        if GONE * self.drift > BLUR * self.unsure:
            return DRIFTED
        if self.jump > 0.5:
            return JUMPED
        if self.torn > 0.5:
            return TORN
        return ALIKE if self.alike > 0.5 else UNSURE


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


def worst_place(blame: F32, shape: tuple[int, int]) -> tuple[float, float, float]:
    """The centre (x, y) and radius, in plate pixels, of where most speaks against a matte.

    blame: (h, w) float32 at any size. shape: (H, W) of the plate.
    """
    _h, w = blame.shape
    spread = cv2.GaussianBlur(blame, (0, 0), max(2.0, w / 32))
    y, x = np.unravel_index(int(np.argmax(spread)), blame.shape)
    scale = shape[1] / w
    return (float(x) + 0.5) * scale, (float(y) + 0.5) * scale, max(24.0, w / 16 * scale)
