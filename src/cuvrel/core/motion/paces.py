"""Footage whose frames come at several paces (slow motion within a file), and time maps that go from one way of showing
it to the other: as the clock went, or each picture once.
"""

from __future__ import annotations

from bisect import bisect_left
from itertools import pairwise
from typing import Any

import numpy as np

from cuvrel.core.arrays import F64
from cuvrel.core.media.paces import Stretch, stretches
from cuvrel.core.media.probe import MediaInfo

FASTEST = 1000
"""Percent of speed that a time map takes."""


def paces(info: MediaInfo) -> list[Stretch]:
    """The stretches of a video whose pictures come at several paces; [] of any other one."""
    if info.kind != "video" or not info.variable or info.counted or not info.pts:
        return []
    return stretches(_shown(info)[0])


def other_way(info: MediaInfo) -> list[dict[str, Any]]:
    """The speed of a time map that shows footage the other way than it is read, as keyframes: percent by frame.

    Footage that is read picture by picture comes as the clock went; that which is read by the clock shows each of its
    pictures once, so that what was filmed faster is slow. [] where `paces` finds none.
    """
    found = paces(info)
    if not found:
        return []
    times, stands = _shown(info)
    speeds: list[tuple[int, float]] = []
    for one in found:
        if info.hand.get("times") == "picture by picture":
            speeds.append((round((times[one.first] - times[0]) * info.fps), one.rate / info.fps))
        else:
            speeds.append((one.first, (stands[one.last] - stands[one.first]) / max(1, one.last - one.first)))
    keys = [(0, 100 * speeds[0][1])]
    for (_, before), (at, speed) in pairwise(speeds):
        # a time map sums up by trapezoids: with the mean on the frame of the change it is right from the next one on
        if at > keys[-1][0]:
            keys += [(at, 50 * (before + speed)), (at + 1, 100 * speed)]
    if max(speed for _, speed in keys) > FASTEST:
        return []
    return [{"frame": at, "value": round(speed, 2), "ease": "hold"} for at, speed in keys]


def _shown(info: MediaInfo) -> tuple[F64, list[int]]:
    """The seconds at which each picture stands in the file, and the frame on which it is first shown."""
    pictures = sorted(set(info.pts))
    at, by = info.time_base
    return np.asarray(pictures, np.float64) * (at / by), [bisect_left(info.pts, one) for one in pictures]
