"""What a look at every frame of a matte tells without its truth: chatter, jumps of area, holes."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from itertools import pairwise

import cv2
import numpy as np

from cuvrel.core.arrays import F32, U8, Mask
from cuvrel.core.checks.chatter import chatter, grey_flow

LEAST_HOLE = 6  # pixels of area below which a hole is grain, not a hole
GAP = 4  # frames without a matte between such with one that are taken for a fault; more are work to be done


@dataclass(frozen=True)
class Seen:
    """One frame's figures. chatter: pixels at the size looked at; area: pixels; holes: how many."""

    chatter: float
    area: float
    holes: int

    def row(self) -> F32:
        """As an array, (3,) float32, so that it can be cached like a picture."""
        return np.array([self.chatter, self.area, self.holes], np.float32)


@dataclass(frozen=True)
class Verdict:
    """One frame against its neighbours. chatter in plate pixels; jump: change of area, 0.2 is a fifth more."""

    frame: int
    chatter: float
    jump: float
    holes: int
    problems: tuple[str, ...]


def look(matte: F32, picture: U8, before: tuple[F32, U8] | None) -> Seen:
    """The figures of a frame: (H, W) float32 matte and (H, W, 3) uint8 picture, and those of the frame before."""
    shaken = 0.0 if before is None else chatter(matte, before[0], grey_flow(picture, before[1]))
    hard = (matte > 0.5).astype(np.uint8)
    count, _, stats, _ = cv2.connectedComponentsWithStats(1 - hard, connectivity=4)
    h, w = matte.shape
    holes = sum(
        1
        for x, y, wide, high, area in stats[1:count]
        if area >= LEAST_HOLE and x > 0 and y > 0 and x + wide < w and y + high < h
    )
    return Seen(shaken, float(hard.sum()), holes)


def verdicts(rows: Sequence[F32], first: int, scale: float) -> list[Verdict]:
    """What stands out among frames in their order.

    rows: `Seen.row` of each. scale: the size looked at over the plate's. A frame is a problem where its
    chatter is both visible and far above the shot's usual, where its area leaves the run of its neighbours, and
    where it has holes that the frames on both sides do not have. That a matte begins or ends is none, but that it
    is gone for a few frames is.
    """
    if not rows:
        return []
    table = np.stack(rows).astype(np.float64)
    shaken, area, holes = table[:, 0] / scale, table[:, 1], table[:, 2].astype(int)
    usual = float(np.median(shaken[1:])) if len(rows) > 1 else 0.0
    change = np.zeros(len(rows))
    change[1:] = np.log(np.maximum(area[1:], 1)) - np.log(np.maximum(area[:-1], 1))
    shown = area > 0
    same = np.concatenate([[True], shown[1:] == shown[:-1]])
    shaken[~same], change[~same] = 0, 0
    restless = float(np.median(np.abs(change[1:]))) if len(rows) > 1 else 0.0
    change[_gone(shown)] = -np.inf
    found = []
    for n in range(len(rows)):
        problems = []
        if shaken[n] > max(1.0, 3 * usual):
            problems.append("chatter")
        if abs(change[n]) > max(0.12, 5 * restless):
            problems.append("jump")
        beside = [holes[k] for k in (n - 1, n + 1) if 0 <= k < len(rows) and shown[k]]
        if beside and holes[n] > max(beside):
            problems.append("hole")
        jump = float(np.exp(np.clip(change[n], -3, 3)) - 1)
        found.append(Verdict(first + n, float(shaken[n]), jump, int(holes[n]), tuple(problems)))
    return found


def _gone(shown: Mask) -> Mask:
    """The frames of runs of at most GAP without a matte, between frames that have one."""
    out = np.zeros(len(shown), np.bool_)
    there = np.flatnonzero(shown)
    for left, right in pairwise(there):
        if 1 < right - left <= GAP + 1:
            out[left + 1 : right] = True
    return out
