"""A voice out of its place: lower, so that it is not known, at the same pace."""

from __future__ import annotations

import numpy as np

from cuvrel.core.arrays import F32

GRAIN = 2880  # samples of a grain, 60 ms
LOWER = 2 ** (-5 / 12)  # five half tones down


def pitched(samples: F32, start: int = 0) -> F32:
    """(n, 2) float32, lower by five half tones: overlapping grains, each read slower (Roads, Microsound, 2001).

    Who knows how it was made can undo it: it keeps a voice from being known by ear, not from being recovered; what must
    not be known at all is to be silent. start: the place of the first sample; grains lie on a grid of their own, so
    that pieces fit together but for a grain at their ends.
    """
    hop = GRAIN // 2
    window = np.sin(np.pi * (np.arange(GRAIN) + 0.5) / GRAIN) ** 2
    reach = np.arange(GRAIN) * LOWER
    whole = np.floor(reach).astype(np.int64)
    share = (reach - whole)[:, None]
    padded = np.vstack([np.zeros((GRAIN, 2)), samples, np.zeros((GRAIN, 2))])
    out = np.zeros_like(padded)
    offset = -(start % hop) % hop
    for at in range(offset, len(padded) - GRAIN, hop):
        grain = padded[at + whole] * (1 - share) + padded[at + whole + 1] * share
        out[at : at + GRAIN] += grain * window[:, None]
    return np.asarray(out[GRAIN:-GRAIN], np.float32)
