"""Gathers samples for the trace's network: `python -m training.collect_trace FOLDER --clips 300`.

From a made-up frame: marks as people draw them, then the marks that mend what is still wrong; and mattes
of neighbouring frames or with pieces missing, mended by marks.
"""

from __future__ import annotations

import argparse
from concurrent.futures import ProcessPoolExecutor
from pathlib import Path

import cv2
import numpy as np
from numpy.typing import NDArray

from cuvrel.core.checks.artist import next_mark
from cuvrel.core.pulls import trace as tracing
from cuvrel.core.pulls.marks import rasterise
from cuvrel.core.recipe.models import Mark
from training.collect import hurt, quantised
from training.composites import clip
from training.strokes import first_marks

F32 = NDArray[np.float32]
Sample = tuple[NDArray[np.int8], NDArray[np.uint8]]


def sample(ready: tracing.Prepared, marks: list[Mark], prior: F32 | None, truth: F32) -> Sample:
    """The stack that the network gets for these marks, and the true coverage."""
    h, w = ready.sizes.small
    scale = w / truth.shape[1], h / truth.shape[0]
    inside, outside = (rasterise(marks, kind, (h, w), scale) for kind in ("in", "out"))
    said = tracing.first_guess(ready, inside, outside, prior)
    true = cv2.resize(truth, (2 * w, 2 * h), interpolation=cv2.INTER_AREA)
    return quantised(tracing.stack(ready, said, inside, outside)), np.round(true * 255).astype(np.uint8)


def _mend(truth: F32, matte: F32, drawn: list[Mark]) -> Mark | None:
    found = next_mark(matte, truth)
    if found is None:
        return None
    kind, radius, points = found
    return Mark(id=f"a{len(drawn)}", frame=0, kind=kind, radius=radius, points=points)


def _bitten(rng: np.random.Generator, matte: F32) -> F32:
    """A matte with a piece missing, or a piece too many."""
    out = matte.copy()
    ys, xs = np.nonzero((matte > 0.5) if rng.uniform() < 0.6 else cv2.dilate(matte, np.ones((15, 15))) > 0.5)
    for _ in range(int(rng.integers(1, 4))):
        n = int(rng.integers(0, len(xs)))
        cv2.circle(out, (int(xs[n]), int(ys[n])), int(rng.uniform(4, 40)), float(rng.uniform() < 0.5), -1)
    return cv2.GaussianBlur(out, (0, 0), 1.0)


def gather(seed: int) -> list[Sample]:
    """The samples of one made-up clip."""
    cv2.setNumThreads(1)
    pictures, truths = clip(seed, frames=9)
    rng = np.random.default_rng(seed + 10**6)
    out: list[Sample] = []
    for number in (0, 6):
        truth = truths[number]
        if (truth > 0.5).sum() < 250:
            continue
        ready = tracing.Prepared(pictures[number])
        marks = first_marks(rng, truth)
        if any(mark.kind == "in" for mark in marks):
            out.append(sample(ready, marks, None, truth))
            for _ in range(2):
                mark = _mend(truth, tracing.trace(ready, marks), marks)
                if mark is None:
                    break
                marks = [*marks, mark]
                out.append(sample(ready, marks, None, truth))
        prior = hurt(rng, truths[number + int(rng.integers(0, 3))])
        prior = _bitten(rng, prior) if rng.uniform() < 0.7 else prior
        drawn: list[Mark] = []
        matte = prior
        for _ in range(2):
            mark = _mend(truth, matte, drawn)
            if mark is None:
                break
            drawn = [*drawn, mark]
            out.append(sample(ready, drawn, prior, truth))
            matte = tracing.trace(ready, drawn, prior)
    return out


def main() -> None:
    """Reads the command line."""
    parser = argparse.ArgumentParser(description="Gather samples for the trace's network.")
    parser.add_argument("folder", type=Path)
    parser.add_argument("--clips", type=int, default=300)
    parser.add_argument("--first", type=int, default=0)
    given = parser.parse_args()
    given.folder.mkdir(parents=True, exist_ok=True)
    seeds = range(given.first, given.first + given.clips)
    with ProcessPoolExecutor(2) as pool:
        for seed, samples in zip(seeds, pool.map(gather, seeds), strict=True):
            for n, (planes, truth) in enumerate(samples):
                np.savez(given.folder / f"{seed:06}.{n:02}.npz", stack=planes, truth=truth)
            print(f"\r{seed}", end="", flush=True)
    print()


if __name__ == "__main__":
    main()
