"""Samples for the trace's network.

Frames of made-up clips are marked as people mark a first frame, and looked at twice; followed frames are
mended as the simulated artist mends them. Each look gives a sample: the stack of clues, the true coverage,
and where the answer counts.
"""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

from cuvrel.core.arrays import F32, U8
from cuvrel.core.checks.quality import overlap
from cuvrel.core.follow.artist import next_mark
from cuvrel.core.follow.carry import Follower
from cuvrel.core.recipe.models import Mark
from cuvrel.core.trace.clues import FAR, NEAR
from cuvrel.core.trace.marks import rasterise
from cuvrel.core.trace.prepared import Prepared
from cuvrel.core.trace.trace import Clues, again, clues, first_look, of_one_piece, weighed
from training.collect_follower import hurt, quantised, settling, shown
from training.composites import some_shot
from training.strokes import first_marks

Sample = tuple[NDArray[np.int8], U8, U8]
FRAMES = 24
LUMPY, HALVED, FOLLOWED = 0.6, 0.35, 0.6  # shares of the clips that are mended as well, and of what mattes
STILL = 0.15  # share of the marked frames that know no neighbours, as a still picture does,
MENDED_STILL = 0.4  # and of the mended ones, which need their marks obeyed with as little else


class Seen:
    """A made-up clip's frames, each made when it is first asked for: most samples need a few of them."""

    def __init__(self, seed: int) -> None:
        self._shot = some_shot(seed, (640, 360), FRAMES)
        self._made: dict[int, tuple[U8, F32]] = {}
        self._ready: dict[tuple[int, bool], Prepared] = {}

    def _frame(self, number: int) -> tuple[U8, F32]:
        if number not in self._made:
            self._made[number] = self._shot.seen(number)
        return self._made[number]

    def picture(self, number: int) -> U8:
        """(H, W, 3) uint8."""
        return self._frame(number)[0]

    def truth(self, number: int) -> F32:
        """(H, W) float32."""
        return self._frame(number)[1]

    def prepared(self, at: int, alone: bool) -> Prepared:
        """A frame with its neighbours, or without."""
        if (at, alone) not in self._ready:
            near = [] if alone else [n for n in (*NEAR, *FAR) if 0 <= at + n < FRAMES]
            self._ready[at, alone] = Prepared(self.picture(at), 0.7, [(n, self.picture(at + n)) for n in near])
        return self._ready[at, alone]


def gathered(ready: Prepared, marks: list[Mark], prior: F32 | None) -> Clues:
    """The clues that these marks give."""
    plate, small = ready.sizes.plate, ready.sizes.small
    scale = small[1] / plate[1], small[0] / plate[0]
    return clues(ready, rasterise(marks, "in", small, scale), rasterise(marks, "out", small, scale), prior)


def sample(known: Clues, truth: F32) -> Sample:
    """Stack, truth at twice its size, and where the answer counts at its size.

    A mend's answer counts within the reach of its marks, and for all of what is wrong and hangs together with one.
    """
    h, w = known.from_marks.u.shape
    whole = cv2.resize(truth, (2 * w, 2 * h), interpolation=cv2.INTER_AREA)
    rows, cols = known.box
    part = whole[2 * rows.start : 2 * rows.stop, 2 * cols.start : 2 * cols.stop]
    free = np.ones((h, w), np.float32)
    if known.open is not None and known.prior is not None:
        free = np.clip(known.open * 12, 0.05, 1)
        was, real = known.prior >= 0.5, cv2.resize(truth, (w, h), interpolation=cv2.INTER_AREA) > 0.5
        for struck, wrong in ((known.inside & ~was, real & ~was), (known.outside & was, was & ~real)):
            free = np.maximum(free, of_one_piece(wrong, struck))
    bytes_of = [np.round(plane * 255).astype(np.uint8) for plane in (part, free[known.box])]
    return quantised(known.stack), bytes_of[0], bytes_of[1]


def gather(seed: int) -> list[Sample]:
    """The samples of one frame of a clip: of another clip there is more to learn than of another frame."""
    cv2.setNumThreads(1)
    rng = np.random.default_rng(seed + 2 * 10**6)
    seen = Seen(seed)
    at = next((int(n) for n in rng.integers(0, FRAMES, 4) if shown(seen.truth(int(n)))), None)
    if at is None:
        return []
    out, truth = [], seen.truth(at)
    marks = first_marks(rng, truth)
    if any(mark.kind == "in" for mark in marks):
        ready = seen.prepared(at, rng.uniform() < STILL)
        known = gathered(ready, marks, None)
        out += [sample(one, truth) for one in (known, again(ready, known, first_look(known)))]
    if rng.uniform() < LUMPY:
        out += mended(rng, seen, at, lumpy(rng, truth))
    if rng.uniform() < HALVED:  # large losses, too, as where a subject comes out from behind something
        out += mended(rng, seen, at, halved(rng, truth))
    if rng.uniform() < FOLLOWED:
        out += followed(rng, seen, at)
    return out


def followed(rng: np.random.Generator, seen: Seen, at: int) -> list[Sample]:
    """A sample of a frame that was followed to, under the strokes of the simulated artist; none where it needs none."""
    far = int(rng.integers(2, 9))
    way = 1 if at - far >= 0 else -1
    start = at - way * far
    if not 0 <= start < FRAMES or not shown(seen.truth(start)):
        return []
    follower = Follower(seen.picture(start), hurt(rng, seen.truth(start)))
    to_come = [n for n in range(start + way, at + 2 * way, way) if 0 <= n < FRAMES]
    for number, decision in zip(to_come, settling(follower, [seen.picture(n) for n in to_come]), strict=False):
        matte = follower.finish(decision).matte
        if number == at and 0.2 < overlap(matte, seen.truth(at)) < 0.96:
            return mended(rng, seen, at, matte)
    return []


def mended(rng: np.random.Generator, seen: Seen, at: int, matte: F32) -> list[Sample]:
    """A frame's matte under one to four strokes, each where the answer to those before is most wrong."""
    marks: list[Mark] = []
    ready, truth = seen.prepared(at, rng.uniform() < MENDED_STILL), seen.truth(at)
    now, known = matte, None
    for _ in range(int(rng.integers(1, 5))):
        drawn = next_mark(now, truth, f"m{len(marks)}")
        if drawn is None:
            break
        marks.append(drawn)
        known = gathered(ready, marks, matte)
        now = cv2.resize(weighed(known), (matte.shape[1], matte.shape[0]), interpolation=cv2.INTER_LINEAR)
    return [] if known is None else [sample(known, truth)]


def halved(rng: np.random.Generator, truth: F32) -> F32:
    """The truth without what lies beyond a line through it, or with as much beside it."""
    rows, cols = np.nonzero(truth > 0.5)
    turn = rng.uniform(0, 2 * np.pi)
    along = np.arange(truth.shape[1])[None] * np.cos(turn) + np.arange(truth.shape[0])[:, None] * np.sin(turn)
    cut = float(np.quantile(along[rows, cols], rng.uniform(0.25, 0.75)))
    left = np.where(along < cut, truth, 0).astype(np.float32)
    if rng.uniform() < 0.75:
        return left
    size = max(4, int(0.4 * np.sqrt(len(rows))))
    more = cv2.dilate(truth, cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (2 * size + 1, 2 * size + 1)))
    return np.where(along < cut, more, truth).astype(np.float32)


def lumpy(rng: np.random.Generator, truth: F32) -> F32:
    """The truth with a piece or two too much or too little at its outline."""
    out = truth.copy()
    rows, cols = np.nonzero(np.abs(cv2.Laplacian((truth > 0.5).astype(np.float32), cv2.CV_32F)) > 0)
    size = max(8.0, float(np.sqrt((truth > 0.5).sum())))
    for _ in range(int(rng.integers(1, 3)) if len(rows) else 0):
        n = int(rng.integers(0, len(rows)))
        x, y = int(cols[n] + rng.normal(0, 0.1 * size)), int(rows[n] + rng.normal(0, 0.1 * size))
        wide, high = (max(4, int(size * rng.uniform(0.12, 0.5))) for _ in range(2))
        value = float(rng.integers(0, 2))
        if rng.uniform() < 0.5:
            cv2.rectangle(out, (x - wide // 2, y - high // 2), (x + wide // 2, y + high // 2), value, -1)
        else:
            cv2.ellipse(out, (x, y), (wide // 2, high // 2), float(rng.uniform(0, 180)), 0, 360, value, -1)
    return out
