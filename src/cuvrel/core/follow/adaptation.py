"""Fits the follower's network to the clip at hand, by its touched frames.

The network was trained on made-up clips. Where following arrives at a touched frame, its answer can be compared with
the artist's matte: that comparison is a lesson. From a few lessons a logistic regression, with a Gaussian prior that
pulls towards no correction, learns what to add to the network's odds from the features that its last layer weighs. So
the last layer alone is fitted to the clip, where Caelles et al., One-Shot Video Object Segmentation, CVPR 2017, fit the
whole network.
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
    """Places of a touched frame, each of the 2 x 2 pixels at working size that one output of the network stands for.

    features: (N, T) float16, what the last layer weighs. odds: (N, 4) float16, log odds that it gives. truth: (N, 4)
    float16, the coverage that the artist gave, 0 to 1.
    """

    features: F16
    odds: F16
    truth: F16

    def to_bytes(self) -> bytes:
        """As a NumPy archive."""
        out = io.BytesIO()
        np.savez_compressed(out, told=self.features, odds=self.odds, truth=self.truth)
        return out.getvalue()

    @classmethod
    def from_bytes(cls, data: bytes) -> Lesson:
        """From what `to_bytes` gave."""
        with np.load(io.BytesIO(data)) as arrays:
            return cls(arrays["told"], arrays["odds"], arrays["truth"])


def lesson(features: F32, odds: F32, matte: F32) -> Lesson:
    """The lesson of a touched frame.

    Parameters
    ----------
    features, odds
        (T, h, w) and (4, h, w) float32, as `Network.reasoned` gives them.
    matte
        (2 h, 2 w) float32, 0 to 1: the touched one.

    Notes
    -----
    A drawn outline is no more exact than the network's own. So the matte is the truth only where the two differ by more
    than a ragged edge; everywhere else the truth is the network's own answer, which holds it where it is.
    """
    differs = ((matte > 0.5) != (whole(odds) > 0)).astype(np.uint8)
    wrong = cv2.dilate(cv2.morphologyEx(differs, cv2.MORPH_OPEN, THICK), np.ones(THICK.shape, np.uint8))
    matte, wrong = quarters([matte]), quarters([wrong]) > 0
    about = cv2.blur(np.asarray(matte.mean(0), np.float32), (9, 9))
    near = cv2.dilate(((about > 0.01) & (about < 0.99)).astype(np.uint8), np.ones((3, 3), np.uint8)) > 0
    near |= (np.abs(odds).min(0) < UNSURE) | wrong.any(0)
    where = np.concatenate([_some(np.flatnonzero(near), NEAR), _some(np.flatnonzero(~near), ELSEWHERE)])
    truth = np.where(wrong, matte, 1 / (1 + np.exp(-odds)))
    return Lesson(*(one.reshape(len(one), -1)[:, where].T.astype(np.float16) for one in (features, odds, truth)))


def _some(places: I64, most: int) -> I64:
    """At most so many of the places, evenly chosen."""
    return places if len(places) <= most else places[np.linspace(0, len(places) - 1, most).astype(np.int64)]


def nearest(known: Iterable[Arrival], number: int) -> list[Arrival]:
    """Which lessons are used at a frame: the nearest MOST, nearest first."""
    return sorted(known, key=lambda arrival: (abs(arrival[0] - number), arrival))[:MOST]


class OddsCorrection:
    """A correction of the network's odds, fitted to one or more lessons."""

    def __init__(self, lessons: Sequence[Lesson]) -> None:
        features = np.concatenate([one.features for one in lessons]).astype(np.float32)
        odds = np.concatenate([one.odds for one in lessons]).astype(np.float32)
        truth = np.concatenate([one.truth for one in lessons]).astype(np.float32)
        middle = features.mean(0)
        given = np.concatenate([features - middle, np.ones((len(features), 1), np.float32)], axis=1).astype(np.float64)
        weights = [_fitted(given, odds[:, k], truth[:, k], PRIOR / len(lessons)) for k in range(4)]
        self._weights = np.array([one[:-1] for one in weights], np.float32)
        self._lift = np.array([one[-1] - one[:-1] @ middle for one in weights], np.float32)

    def odds(self, features: F32) -> F32:
        """What is added to the network's odds, (4, h, w) float32. told: (T, h, w) float32."""
        flat = self._weights @ features.reshape(len(features), -1) + self._lift[:, None]
        return np.asarray(flat, np.float32).reshape(4, *features.shape[1:])


def _fitted(given: F64, odds: F32, truth: F32, prior: float) -> F64:
    """Weights, (T,), of features, (N, T), whose sum is added to the odds: logistic regression by Newton's method."""
    weights = np.zeros(given.shape[1])
    hold = prior * np.eye(given.shape[1])
    for _ in range(TURNS):
        p = 1 / (1 + np.exp(-(odds + given @ weights)))
        slope = given.T @ (p - truth) / len(given) + hold @ weights
        bend = (given * (p * (1 - p))[:, None]).T @ given / len(given) + hold
        step = np.linalg.solve(bend, slope)
        weights -= step * min(1.0, STRIDE / max(1e-9, float(np.abs(given @ step).max())))
    return weights
