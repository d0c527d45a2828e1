"""Which moment of a recording is heard at each moment of a shot, and the samples there."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from cuvrel.core.arrays import F32, F64, Mask
from cuvrel.core.media.sound import RATE, Samples
from cuvrel.core.motion import timing

MOST = 1 << 22  # samples of a recording that are read at a time


@dataclass(frozen=True)
class Timing:
    """A time that sound goes through: of the plane that shows the plate, or of a group that holds it.

    count: the frames of what it shows.
    """

    params: timing.TimeParams
    count: int

    @property
    def plain(self) -> bool:
        """Whether what it shows runs as it is, once."""
        return timing.is_neutral(self.params) and self.params.ends not in ("loop", "there and back")


def recorded(times: Sequence[Timing], first: int, last: int, fps: float, own_fps: float) -> tuple[F64, Mask]:
    """For the samples of a shot from `first` up to before `last`: the sample of the recording, with parts of one.

    times: from the outermost group to the plane itself, which shows the footage; each runs in the time of the one
    before. fps: the shot's rate; own_fps: the footage's. Second: whether anything is there (a picture that is held on
    makes no sound).
    """
    frames = np.arange(first, last, dtype=np.float64) * fps / RATE
    there = np.ones(len(frames), bool)
    if first >= last:
        return frames, there
    for one in times:
        frames, here = _shown(one, frames, fps)
        there &= here
    return frames * RATE / own_fps, there


def _shown(time: Timing, frames: F64, fps: float) -> tuple[F64, Mask]:
    """What is shown at moments of whoever shows it, in frames with their parts, and whether anything is."""
    params = time.params
    begin, end = int(np.floor(frames.min())), int(np.floor(frames.max())) + 1
    known = np.array([float(timing.passed(params, n, fps)) for n in range(begin, end + 1)])
    at = np.interp(frames, np.arange(begin, end + 1), known)
    low = min(time.count - 1, round(float(params.skip)))
    span = max(low, time.count - 1 - round(float(params.drop))) - low + 1
    if params.ends == "loop":
        there, at = np.ones(len(at), bool), at % span
    elif params.ends == "there and back":
        # as the pictures go: the first and the last frame are not seen twice, and the sound turns in their middles
        turns = span - 1
        back = np.abs((at - 0.5 + turns) % (2 * turns) - turns) + 0.5 if turns else at
        there, at = np.full(len(at), turns > 0), np.where((at >= 0) & (at < 0.5), at, back)
    else:
        there = (at >= 0) & (at < span)
    if params.reverse:
        at = span - at
    return low + at, there


def runs_as_recorded(where: F64) -> Mask:
    """Whether each sample follows the one before at the recording's own pace, within a thousandth."""
    steps = np.diff(where, append=2 * where[-1] - where[-2] if len(where) > 1 else where[-1:] + 1)
    return np.asarray(np.abs(steps - 1) < 1e-3)


def heard(samples: Samples, where: F64, there: Mask) -> F32:
    """The recording at places between its samples, (n, 2) float32; silent where nothing is there.

    Slower than recorded it is interpolated by cubics (Catmull and Rom, 1974); faster, each sample is the mean of what
    passes, so that nothing folds back from above the hearing.
    """
    out = np.zeros((len(where), 2), np.float32)
    size = 1 << 16
    for begin in range(0, len(where), size):
        part = slice(begin, min(len(where), begin + size))
        use = there[part]
        if not use.any():
            continue
        at = where[part][use]
        steps = np.gradient(where[part])[use] if len(where[part]) > 1 else np.ones(1)
        low, high = int(np.floor(at.min())) - 3, int(np.ceil(at.max())) + 4
        if high - low > MOST:
            continue  # so fast that nothing could be heard
        pace = float(np.median(np.abs(steps)))
        if pace > 1.001:
            room = int(np.ceil(pace)) + 2
            found = _means(samples.get(low - room, high + room), at - (low - room), np.abs(steps))
        elif np.array_equal(at, np.arange(round(at[0]), round(at[0]) + len(at))):
            found = samples.get(round(at[0]), round(at[0]) + len(at))
        else:
            found = _cubic(samples.get(low, high), at - low)
        out[part][use] = found
    return out


def _means(samples: F32, at: F64, widths: F64) -> F32:
    sums = np.vstack([np.zeros((1, 2)), np.cumsum(samples, axis=0, dtype=np.float64)])
    grid = np.arange(len(sums), dtype=np.float64) - 0.5
    half = np.maximum(widths, 1.0) / 2
    found = [np.interp(at + half, grid, sums[:, k]) - np.interp(at - half, grid, sums[:, k]) for k in range(2)]
    return np.asarray(np.stack(found, axis=1) / (2 * half)[:, None], np.float32)


def _cubic(samples: F32, at: F64) -> F32:
    whole = np.floor(at).astype(np.int64)
    t = (at - whole)[:, None].astype(np.float32)
    a, b, c, d = (samples[whole + k] for k in (-1, 0, 1, 2))
    return np.asarray(b + 0.5 * t * (c - a + t * (2 * a - 5 * b + 4 * c - d + t * (3 * (b - c) + d - a))), np.float32)
