"""What touched frames teach a follower about the clip at hand.

The network weighs evidence as it learned to on made-up clips. Where following comes to a touched frame, it can be
seen what it would have made of it, and what the artist made: a lesson. From a few of them a logistic regression
learns to correct the network's odds by the planes that its last layer weighs, held to no correction by a Gaussian
prior: so the last layer is fitted to the clip, as whole networks are in Caelles et al., One-Shot Video Object
Segmentation, CVPR 2017.
"""

from __future__ import annotations

import io
from collections.abc import Iterable, Sequence
from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from cuvrel.core.arrays import F32, F64, I64
from cuvrel.core.imaging.network import quarters, whole

F16 = NDArray[np.float16]
Arrival = tuple[int, int]  # a touched frame, and the step by which following came to it, 1 or -1
NEAR, ELSEWHERE = 1500, 500  # places that a lesson keeps at the most: about the outline or unsure, and others
UNSURE = 3.0  # log odds
THICK = cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (5, 5))  # what a mistake holds that is more than a ragged edge
PRIOR = 0.01  # how strongly one lesson's corrections are held to nothing
TURNS = 6  # of Newton's method
STRIDE = 4.0  # log odds by which a turn changes any place, at the most
MOST = 12  # lessons that are learned from, the nearest ones


@dataclass(frozen=True)
class Lesson:
    """Places of a touched frame at half the working size, of four pixels each.

    told: (N, T) float16, the planes that the last layer weighs; odds: (N, 4), what it makes of them; truth: (N, 4),
    coverage as it should be, 0 to 1.
    """

    told: F16
    odds: F16
    truth: F16

    def to_bytes(self) -> bytes:
        """As a NumPy archive."""
        out = io.BytesIO()
        np.savez_compressed(out, told=self.told, odds=self.odds, truth=self.truth)
        return out.getvalue()

    @classmethod
    def from_bytes(cls, data: bytes) -> Lesson:
        """From what `to_bytes` gave."""
        with np.load(io.BytesIO(data)) as arrays:
            return cls(arrays["told"], arrays["odds"], arrays["truth"])


def lesson(told: F32, odds: F32, matte: F32) -> Lesson:
    """What a touched frame teaches.

    told: (T, h, w); odds: (4, h, w), both as `Network.reasoned` gives them. matte: (2h, 2w) float32, the touched one.
    It is no more exact about the outline than the network is: only where the two differ by more than a ragged edge
    it counts, elsewhere the network is to stay with what it says.
    """
    differs = ((matte > 0.5) != (whole(odds) > 0)).astype(np.uint8)
    wrong = cv2.dilate(cv2.morphologyEx(differs, cv2.MORPH_OPEN, THICK), np.ones(THICK.shape, np.uint8))
    matte, wrong = quarters([matte]), quarters([wrong]) > 0
    about = cv2.blur(np.asarray(matte.mean(0), np.float32), (9, 9))
    near = cv2.dilate(((about > 0.01) & (about < 0.99)).astype(np.uint8), np.ones((3, 3), np.uint8)) > 0
    near |= (np.abs(odds).min(0) < UNSURE) | wrong.any(0)
    where = np.concatenate([_some(np.flatnonzero(near), NEAR), _some(np.flatnonzero(~near), ELSEWHERE)])
    truth = np.where(wrong, matte, 1 / (1 + np.exp(-odds)))
    return Lesson(*(one.reshape(len(one), -1)[:, where].T.astype(np.float16) for one in (told, odds, truth)))


def _some(places: I64, most: int) -> I64:
    """As many of them as are wanted, evenly."""
    return places if len(places) <= most else places[np.linspace(0, len(places) - 1, most).astype(np.int64)]


def nearest(known: Iterable[Arrival], number: int) -> list[Arrival]:
    """Of lessons those that are learned from at a frame, in that order."""
    return sorted(known, key=lambda arrival: (abs(arrival[0] - number), arrival))[:MOST]


class Learned:
    """How to correct the network's odds on a clip. lessons: one at least."""

    def __init__(self, lessons: Sequence[Lesson]) -> None:
        told = np.concatenate([one.told for one in lessons]).astype(np.float32)
        odds = np.concatenate([one.odds for one in lessons]).astype(np.float32)
        truth = np.concatenate([one.truth for one in lessons]).astype(np.float32)
        middle = told.mean(0)
        known = np.concatenate([told - middle, np.ones((len(told), 1), np.float32)], axis=1).astype(np.float64)
        weights = [_fitted(known, odds[:, k], truth[:, k], PRIOR / len(lessons)) for k in range(4)]
        self._weights = np.array([one[:-1] for one in weights], np.float32)
        self._lift = np.array([one[-1] - one[:-1] @ middle for one in weights], np.float32)

    def odds(self, told: F32) -> F32:
        """What is added to the network's odds, (4, h, w) float32. told: (T, h, w) float32."""
        flat = self._weights @ told.reshape(len(told), -1) + self._lift[:, None]
        return np.asarray(flat, np.float32).reshape(4, *told.shape[1:])


def _fitted(known: F64, odds: F32, truth: F32, prior: float) -> F64:
    """Weights, (T,), of what is known, (N, T), that are added to the odds: a logistic regression by Newton's method."""
    weights = np.zeros(known.shape[1])
    hold = prior * np.eye(known.shape[1])
    for _ in range(TURNS):
        p = 1 / (1 + np.exp(-(odds + known @ weights)))
        slope = known.T @ (p - truth) / len(known) + hold @ weights
        bend = (known * (p * (1 - p))[:, None]).T @ known / len(known) + hold
        step = np.linalg.solve(bend, slope)
        weights -= step * min(1.0, STRIDE / max(1e-9, float(np.abs(known @ step).max())))
    return weights
