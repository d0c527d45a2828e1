"""At which paces the pictures of a film come: slow motion within a file."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from cuvrel.core.arrays import F64

APART = 1.5
"""One pace is another one from this ratio on."""
SHORTEST, MOST = 5, 40
"""Pictures of a stretch at one pace, and stretches of a file: where there are more, its frames come at random."""


@dataclass(frozen=True)
class Stretch:
    """Pictures that come at one pace. first, last: their numbers in the file, from 0; rate: of them a second."""

    first: int
    last: int
    rate: float


def stretches(times: Sequence[float] | F64) -> list[Stretch]:
    """The stretches of a film by the pace of its pictures; [] where there is one pace only, or none to speak of.

    times: the seconds at which its pictures stand, in order.
    """
    steps = np.diff(np.asarray(times, np.float64))
    if len(steps) < 2 * SHORTEST or steps.min() <= 0:
        return []
    paces = np.log(_middling(steps))
    ends = [*(np.flatnonzero(np.abs(np.diff(paces)) > np.log(APART)) + 1).tolist(), len(steps)]
    found: list[tuple[int, int]] = []
    for begin, end in zip([0, *ends], ends, strict=False):
        short = end - begin < SHORTEST
        if found and (short or not _apart(steps, found[-1], (begin, end))):
            found[-1] = (found[-1][0], end)
        else:
            found.append((begin, end))
    out = [Stretch(a, b - 1, float((b - a) / steps[a:b].sum())) for a, b in found]
    out[-1] = Stretch(out[-1].first, len(steps), out[-1].rate)
    return out if 1 < len(out) <= MOST else []


def _middling(steps: F64) -> F64:
    """The median of each step and its four neighbours: one late picture is no pace."""
    wide = np.pad(steps, 2, mode="edge")
    return np.asarray(np.median(np.lib.stride_tricks.sliding_window_view(wide, 5), axis=1), np.float64)


def _apart(steps: F64, one: tuple[int, int], other: tuple[int, int]) -> bool:
    a, b = (float(np.mean(steps[begin:end])) for begin, end in (one, other))
    return max(a, b) / min(a, b) > APART
