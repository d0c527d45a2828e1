"""What the follower's networks make of the evidence: the odds of being the subject, and the matte that they give."""

from __future__ import annotations

from functools import cache
from pathlib import Path

import cv2
import numpy as np

from cuvrel.core.arrays import F32
from cuvrel.core.follow.adaptation import OddsCorrection
from cuvrel.core.follow.evidence import VEILS, Stack
from cuvrel.core.imaging.network import SURELY, Network, whole

HOLD = 0.35  # how strongly the carried shape counts, where the network is left to itself
OTHER = 3.0  # log odds by which what was another thing before it came here is not the subject


@cache
def network(several: bool = False) -> Network:
    """What weighs the evidence; `training/` says how it was made.

    several: for clips of which several frames are touched. What is learned between touched frames is to keep to them;
    a subject that is followed from one frame alone must be found again where all else is lost.
    """
    return Network(Path(__file__).with_name("between.onnx" if several else "carry.onnx"))


def reasoned(stack: Stack, several: bool) -> tuple[F32, F32]:
    """What the network says of the evidence, as `Network.reasoned`. several: as for `network`."""
    return network(several=several).reasoned(stack.planes if several else np.delete(stack.planes, VEILS, 0))


def decided(
    shape: F32, stack: Stack, several: bool, hold: float = HOLD, correction: OddsCorrection | None = None
) -> F32:
    """The matte that the network weighs out, (H, W) float32, without crumbs that nothing was carried to.

    shape: the matte as it was carried, (H, W) float32. several: as for `network`. hold: 0 to 1, how strongly the
    carried shape counts against what else speaks. learned: what touched frames of the clip taught.
    """
    u = np.zeros(shape.shape, np.float32)
    part = shape[stack.inside]
    features, odds = reasoned(stack, several)
    if correction is not None:
        odds = np.clip(odds + correction.odds(features), -SURELY, SURELY)
    odds = whole(odds) + np.float32(8 * (hold - HOLD)) * (part - 0.5)
    odds -= np.float32(OTHER) * cv2.resize(stack.other(), odds.shape[::-1], interpolation=cv2.INTER_LINEAR)
    sure = 1 / (1 + np.exp(-odds))
    hard = (sure > 0.5).astype(np.uint8)
    count, labels, stats, _ = cv2.connectedComponentsWithStats(hard, connectivity=8)
    if count > 2:
        least = max(6.0, 0.002 * float(hard.sum()))
        reached = np.bincount(labels.ravel(), weights=(part > 0.5).ravel(), minlength=count)
        drop = (stats[:, cv2.CC_STAT_AREA] < least) & (reached < 3)
        drop[0] = False
        sure = np.where(drop[labels], np.minimum(sure, 0.1), sure)
    u[stack.inside] = sure
    return u
