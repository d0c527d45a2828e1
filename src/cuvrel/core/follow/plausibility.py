"""How plausible a followed frame is after the frames before it: what its doubt is computed from, and where."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

from cuvrel.core.arrays import F32, U8, Mask
from cuvrel.core.follow.doubt import DoubtFactors
from cuvrel.core.follow.evidence import Stack


def _rim(u: F32) -> Mask:
    """The pixels along the outline."""
    return np.abs(u - cv2.blur(u, (5, 5))) > 0.05


def _look_of(u: F32, lab: U8) -> NDArray:
    """The subject's colours as a coarse normalised histogram."""
    mask = (u > 0.5).astype(np.uint8)
    found = cv2.calcHist([lab], [0, 1, 2], mask, [8, 12, 12], [0, 256, 68, 188, 68, 188])
    return found.ravel() / max(1.0, float(found.sum()))


class PlausibilityCheck:
    """Compares each frame in turn with what the subject was like before.

    u, lab: the touched frame's matte, (H, W) float32, and Lab, (H, W, 3) uint8, at working size.
    """

    def __init__(self, u: F32, lab: U8) -> None:
        self._looks = _look_of(u, lab)
        self.restart(u)

    def restart(self, u: F32) -> None:
        """Goes on from another frame, whose matte is u. The touched frame's colours stay the measure."""
        self._areas = [float((u > 0.5).sum())]

    def assess(self, shape: F32, u: F32, lab: U8, flow_error: F32, stack: Stack) -> tuple[DoubtFactors, F32]:
        """What speaks against a frame's matte, and where.

        Parameters
        ----------
        shape, u
            (H, W) float32 at working size: the matte as the flow carried it, and as the network decided it.
        lab
            (H, W, 3) uint8: the frame.
        flow_error
            (H, W) float32: the flow's forward-backward error in pixels.
        stack
            What the network weighed.

        Returns
        -------
        DoubtFactors
            The figures that doubt is computed from.
        F32
            (H, W): where they come from; larger is worse.
        """
        box = stack.inside
        whole = np.zeros(u.shape, np.float32)
        shape, part, flow_error = shape[box], u[box], flow_error[box]
        lab = np.ascontiguousarray(lab[box])
        hard = part > 0.5
        area = float(hard.sum())
        if area < 12:
            whole[box] = shape
            return DoubtFactors(1, 1, 0, 1, -9, 1, True), whole
        edge = _rim(part)
        rim = max(1.0, float(edge.sum()))
        # a pixel along the outline is the motion's own error; a jump is thicker
        differs = (hard != (shape > 0.5)).astype(np.uint8)
        moved = cv2.morphologyEx(differs, cv2.MORPH_OPEN, np.ones((2, 2), np.uint8)).astype(np.float32)
        jump = min(1.5, float(moved.sum()) / rim)
        # the overlap with the truth that the network itself expects, were its odds right
        missed, doubtful = np.where(hard, 0, part), np.where(hard, 1 - part, 0)
        unsure = 1 - (area - float(doubtful.sum())) / (area + float(missed.sum()))
        spread = (missed + doubtful).astype(np.float32)
        # whether colours fail to tell, there where it is unsure
        colour = cv2.resize(stack.colour(), (part.shape[1], part.shape[0]), interpolation=cv2.INTER_LINEAR)
        alike = float((spread * np.exp(-1.4 * np.abs(colour))).sum()) / max(1e-3, float(spread.sum()))
        torn_at = edge * np.clip((flow_error - 1.0) / 2.0, 0, 1)
        torn = float(torn_at.sum()) / rim
        usual = float(np.median(self._areas[-6:]))
        change = float(np.log(max(1.0, area) / max(1.0, usual)))
        self._areas = [*self._areas[-11:], area]
        drift = max(0.0, float(1 - np.sqrt(_look_of(part, lab) * self._looks).sum()) - 0.12)
        whole[box] = moved + 2.0 * spread + 0.3 * torn_at
        return DoubtFactors(jump, unsure, alike, torn, change, drift, False), whole
