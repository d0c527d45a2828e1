"""Finds the weights of doubt: `python -m training doubt --clips 60`.

Made-up clips that no network was trained on are marked, traced and followed, as artists do it, or followed
from their truth; each frame's evidence and its true overlap go into a logistic regression for "the overlap
is below 0.85", whose weights stand in `core/follow/doubt.py`. Its constant is lowered until nine bad frames
of ten are flagged, if that flags no more than one good one of fifteen.
"""

from __future__ import annotations

import argparse
from collections.abc import Sequence
from concurrent.futures import ProcessPoolExecutor

import cv2
import numpy as np

from cuvrel.core.arrays import F64, Mask
from cuvrel.core.checks.quality import overlap
from cuvrel.core.follow.carry import Follower
from cuvrel.core.follow.doubt import MOST_ALIKE
from cuvrel.core.trace.prepared import prepare
from cuvrel.core.trace.trace import trace
from training.collect_follower import settling
from training.composites import clip
from training.strokes import first_marks

FIRST = 800_000
BAD = 0.85
NAMES = ("jump", "unsure", "alike", "torn", "change", "drift")


def gather(seed: int) -> list[tuple[list[float], float]]:
    """The doubt's factors and the true overlap of each followed frame of a clip."""
    cv2.setNumThreads(1)
    pictures, truths = clip(seed, (960, 540), 30)
    if (truths[0] > 0.5).sum() < 800:
        return []
    start, marks = truths[0], first_marks(np.random.default_rng(seed), truths[0])
    if seed % 3 and any(mark.kind == "in" for mark in marks):
        start = trace(prepare(pictures.__getitem__, len(pictures), 0), marks)
    follower = Follower(pictures[0], start)
    out = []
    for decision, truth in zip(settling(follower, pictures[1:]), truths[1:], strict=True):
        found = follower.finish(decision)
        seen = follower.factors
        if not seen.lost:
            row = [seen.jump, seen.unsure, min(seen.alike, MOST_ALIKE), seen.torn, abs(seen.change), seen.drift]
            out.append((row, overlap(found.matte, truth)))
    return out


def fit(x: F64, bad: Mask) -> F64:
    """Weights, not negative, and a constant of the logistic regression, by projected Newton steps."""
    design = np.column_stack([x, np.ones(len(x))])
    w = np.zeros(design.shape[1])
    weight = np.where(bad, 0.5 / bad.mean(), 0.5 / (~bad).mean())  # both kinds count the same

    def loss(w: F64) -> float:
        odds = design @ w
        return float((weight * (np.logaddexp(0, odds) - bad * odds)).sum() + 0.5e-3 * w @ w)

    for _ in range(60):
        p = 1 / (1 + np.exp(-np.clip(design @ w, -30, 30)))
        slope = design.T @ (weight * (p - bad)) + 1e-3 * w
        bend = (design * (weight * p * (1 - p))[:, None]).T @ design + 1e-3 * np.eye(len(w))
        step = np.linalg.solve(bend, slope)
        # a whole step may lead too far, above all where weights are held at nothing
        for part in 0.5 ** np.arange(12):
            tried = w - part * step
            tried[:-1] = np.maximum(tried[:-1], 0)
            if loss(tried) < loss(w):
                w = tried
                break
    return w


def main(arguments: Sequence[str] | None = None) -> None:
    """Reads the command line, prints weights and what they flag."""
    parser = argparse.ArgumentParser("python -m training doubt", description="Find the weights of doubt.")
    parser.add_argument("--clips", type=int, default=60)
    given = parser.parse_args(arguments)
    with ProcessPoolExecutor(2) as pool:
        rows = [row for found in pool.map(gather, range(FIRST, FIRST + given.clips)) for row in found]
    x, j = np.array([r for r, _ in rows]), np.array([j for _, j in rows])
    bad = j < BAD
    w = fit(x, bad)
    print({name: round(float(v), 2) for name, v in zip((*NAMES, "constant"), w, strict=True)})
    odds = x @ w[:-1] + w[-1]
    for limit in np.quantile(odds, np.linspace(0.3, 0.95, 14)):
        flagged = odds > limit
        print(
            f"odds above {limit:6.2f}: flags {flagged[bad].mean():.3f} of {bad.sum()} bad, "
            f"{flagged[j > 0.95].mean():.3f} of {(j > 0.95).sum()} good"
        )
