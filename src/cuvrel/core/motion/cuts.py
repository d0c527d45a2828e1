"""Where one camera shot ends and another begins: hard cuts and mixes, told from flashes and from whip pans.

Neighbouring frames are held against each other block by block, each block free to move a little and to change its
brightness (normalised cross-correlation, Lewis 1995). A cut is a change that its neighbours do not share: a whip pan
changes every frame, and after a flash the picture from before comes back. A mix is a run of frames each of which is a
sum of the two ends, whose shares go from one to the other (after Hampapur, Jain and Weymouth, 1994).
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass

import cv2
import numpy as np

from cuvrel.core.arrays import F32, F64, U8

WIDE, HIGH = 96, 54  # of the pictures that are compared
COLUMNS, ROWS = 4, 2  # blocks
REACH = 7  # pixels that a block may move from one frame to the next
CHANGED = 0.3  # how unlike two frames are at a cut, at least
STANDS_OUT = 2.0  # how much more unlike than their neighbours
FLASH = 8  # frames that a flash lasts at most
LONGEST = 60  # frames of a mix at most
SHORTEST = 3
FITS = 0.10  # how far the frames of a mix are from sums of its ends, at most, over how far apart those are


@dataclass(frozen=True)
class Change:
    """A frame that begins another camera shot; of a mix its first and its last frame."""

    frame: int
    to: int | None = None

    def as_json(self) -> int | dict[str, int]:
        """A number, or {"from": ..., "to": ...} of a mix."""
        return self.frame if self.to is None else {"from": self.frame, "to": self.to}


@dataclass(frozen=True)
class Small:
    """What is kept of a frame. grey: (54, 96) float32; flat: (36, 64) pixels of three colours in a row, float32."""

    grey: F32
    flat: F32
    colours: F32


def small(picture: U8) -> Small:
    """What is kept of a frame, (H, W, 3) uint8."""
    shrunk = cv2.resize(picture, (WIDE, HIGH), interpolation=cv2.INTER_AREA)
    grey = cv2.cvtColor(shrunk, cv2.COLOR_RGB2GRAY).astype(np.float32)
    flat = cv2.GaussianBlur(shrunk.astype(np.float32), (0, 0), 1.5)[::2, ::2]
    lab = cv2.cvtColor(shrunk, cv2.COLOR_RGB2LAB)
    colours = cv2.calcHist([lab], [1, 2], None, [16, 16], [64, 192, 64, 192]).reshape(-1)
    return Small(
        grey, np.asarray(flat.reshape(-1), np.float32), np.asarray(colours / max(1, colours.sum()), np.float32)
    )


def unlike(a: Small, b: Small) -> float:
    """How little two frames show the same, 0 to about 1.2, whatever moved a little or grew brighter."""
    total = weight = 0.0
    tall, wide = HIGH // ROWS, WIDE // COLUMNS
    padded = cv2.copyMakeBorder(b.grey, REACH, REACH, REACH, REACH, cv2.BORDER_REPLICATE)
    for y in range(ROWS):
        for x in range(COLUMNS):
            block = a.grey[y * tall : (y + 1) * tall, x * wide : (x + 1) * wide]
            around = padded[y * tall : (y + 1) * tall + 2 * REACH, x * wide : (x + 1) * wide + 2 * REACH]
            mine, other = float(block.std()), float(around.std())
            strength = min(30.0, max(mine, other))
            if strength < 2.0:
                continue
            # a block that is even on one side alone has lost or gained all that it shows
            like = (
                0.0 if min(mine, other) < 1.0 else float(cv2.matchTemplate(around, block, cv2.TM_CCOEFF_NORMED).max())
            )
            total += strength * (1 - max(0.0, like))
            weight += strength
    shapes = total / weight if weight else 0.0
    return shapes + 0.35 * float(np.abs(a.colours - b.colours).sum() / 2)


def found_cuts(frames: Iterable[Small], tell: Callable[[int], None] = lambda done: None) -> list[Change]:
    """The changes of camera shot among frames, in order, of what `small` keeps of each."""
    kept: list[Small] = []
    for done, one in enumerate(frames, 1):
        kept.append(one)
        tell(done)
    if len(kept) < 2:
        return []
    steps = np.array([0.0, *(unlike(kept[n - 1], kept[n]) for n in range(1, len(kept)))])
    hard = _hard(kept, steps)
    mixes = _mixes(kept, hard)
    left = [Change(n) for n in hard if not any(mix.frame - 2 <= n <= (mix.to or 0) + 2 for mix in mixes)]
    return sorted([*left, *mixes], key=lambda one: one.frame)


def _hard(kept: Sequence[Small], steps: F64) -> list[int]:
    out: list[int] = []
    count = len(kept)
    n = 1
    while n < count:
        if steps[n] < CHANGED:
            n += 1
            continue
        back = _back(kept, n)
        if back is not None:
            n = back + 1  # a flash, or something that passed before the camera; its end is no change of its own
            continue
        # where either side is as restless as the change itself, it is one of a pan's
        before, after = steps[max(1, n - 3) : n], steps[n + 1 : n + 4]
        usual = max(float(np.median(part)) if len(part) else 0.0 for part in (before, after))
        beside = max([steps[k] for k in (n - 1, n + 1) if 0 < k < count], default=0.0)
        if steps[n] >= STANDS_OUT * usual and (steps[n] >= 1.3 * beside or _two_in_a_row(kept, steps, n)):
            out.append(n)
        n += 1
    return out


def _two_in_a_row(kept: Sequence[Small], steps: F64, n: int) -> bool:
    """Whether a change beside another is one of its own: a camera shot of a frame or two, or a flash at a cut."""
    beside = [k for k in (n - 1, n + 1) if 0 < k < len(steps) and steps[k] > steps[n] / 1.3]
    return len(beside) == 1 and steps[n] >= steps[beside[0]] and _lasting(kept, min(n, beside[0]), max(n, beside[0]))


def _lasting(kept: Sequence[Small], first: int, last: int) -> bool:
    """Whether what was before `first` and what comes from `last` on differ."""
    return last < len(kept) and unlike(kept[first - 1], kept[last]) >= CHANGED


def _back(kept: Sequence[Small], n: int) -> int | None:
    """The frame on which the picture from before frame n is there again, within the time of a flash."""
    for later in range(n + 1, min(len(kept), n + FLASH + 1)):
        if unlike(kept[n - 1], kept[later]) < 0.6 * CHANGED:
            return later
    return None


def _mixes(kept: Sequence[Small], hard: Sequence[int]) -> list[Change]:
    """Runs of frames that are sums of their ends."""
    flat = np.stack([one.flat for one in kept]).astype(np.float64)
    count = len(kept)
    found: list[tuple[float, int, int]] = []
    for first, last in zip([0, *hard], [*hard, count], strict=True):
        part = flat[first:last]
        for length in range(SHORTEST + 1, min(LONGEST, last - first - 1) + 1, 1 if last - first < 2000 else 2):
            for start, misfit in _fitting(part, length):
                found.append((misfit, first + start, first + start + length))
    out: list[Change] = []
    taken: list[tuple[int, int]] = []
    # of runs that overlap the longest one counts: every part of a mix is a mix itself
    for _, start, end in sorted(found, key=lambda one: (one[1] - one[2], one[0])):
        if any(start < b and a < end for a, b in taken) or unlike(kept[start], kept[end]) < CHANGED:
            continue
        taken.append((start, end))
        out.append(_exactly(flat, start, end, count))
    return out


def _fitting(part: F64, length: int) -> list[tuple[int, float]]:
    """The starts of runs whose inner frames are sums of their ends, with shares that go evenly; and how far off."""
    count = len(part) - length
    ends = part[length:] - part[:count]
    span = np.einsum("np,np->n", ends, ends)
    able = span > 12.0**2 * part.shape[1]
    if not able.any():
        return []
    misfit, uneven = np.zeros(count), np.zeros(count)
    inner = range(1, length) if length <= 12 else np.unique(np.linspace(1, length - 1, 9).round().astype(int))
    for k in inner:
        moved = part[k : k + count] - part[:count]
        share = np.einsum("np,np->n", moved, ends) / np.maximum(span, 1)
        rest = np.einsum("np,np->n", moved, moved) - share * share * span
        misfit = np.maximum(misfit, rest / np.maximum(span, 1))
        uneven = np.maximum(uneven, np.abs(share - k / length))
    good = able & (misfit < FITS) & (uneven < 0.16)
    return [(int(n), float(misfit[n] + uneven[n])) for n in np.flatnonzero(good)]


def _exactly(flat: F64, start: int, end: int, count: int) -> Change:
    """A mix from the frames about it: the ramp that fits its shares best."""
    low, high = max(0, start - 4), min(count - 1, end + 4)
    ends = flat[end] - flat[start]
    shares = (flat[low : high + 1] - flat[start]) @ ends / max(1.0, float(ends @ ends))
    shares = np.clip(shares, -0.1, 1.1)  # a flash among them weighs no more than any frame
    at = np.arange(low, high + 1)
    best, ramp = np.inf, (start, end)
    for a in range(low, (start + end) // 2):
        for b in range((start + end) // 2 + 1, high + 1):
            misfit = float(np.abs(shares - np.clip((at - a) / (b - a), 0, 1)).sum())
            if misfit < best:
                best, ramp = misfit, (a, b)
    # a is the last frame of the one, b the first of the other
    return Change(ramp[0] + 1, max(ramp[0] + 1, ramp[1] - 1))
