"""Samples for the follower's network.

Each made-up clip is followed by the follower as it is, mistakes and all, from its true matte or from one that
is traced from marks: some to the end, most to a frame that is touched again, as a rule by strokes that mend what
was followed to, and back from there with what the first way found in view. Some of the frames give a sample:
the stack of evidence that the follower had, and the true coverage.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence

import cv2
import numpy as np
from numpy.typing import NDArray

from cuvrel.core.arrays import F32, U8
from cuvrel.core.checks.quality import overlap
from cuvrel.core.follow.artist import mended
from cuvrel.core.follow.carry import Decision, Followed, Follower
from cuvrel.core.follow.evidence import ReversePass
from cuvrel.core.trace.prepared import prepare
from cuvrel.core.trace.trace import trace
from training.composites import clip
from training.distributions import log_uniform
from training.strokes import first_marks

Sample = tuple[NDArray[np.int8], U8]
FRAMES = 32  # of a clip: long enough for mistakes to grow;
LENGTHS, SHARES = (18, 32), (0.3, 0.7)  # of the parts of them that are followed: short ones teach to keep to a shape
EVERY = 3  # a frame of so many is kept, since neighbours are much alike; and the first two after a touched one;
BACK = 2  # and of so many on a way back
BETWEEN = 0.75  # share of the clips that are followed between two touched frames and back,
APART = (2, 24)  # how far these are from each other,
MENDED, STROKES = 0.7, 4  # share of the second ones that mend what was followed to, and the most strokes of one
SURVEYED, FAR = 3, 4  # the most frames beyond them that show more of the place, and how far off each is at least;
TRACED = 0.35  # share of the clips that begin with a trace, as artists' work does,
USABLE = 0.5  # and least overlap of a trace that an artist would follow from
BLIND = 0.1  # share of the frames that know no next one
HELD = 0.6  # overlap of the carried matte with the truth below which the subject is about lost,
LOST = 0.25  # and the share of such frames that is kept: from them a network learns to give up


def hurt(rng: np.random.Generator, matte: F32) -> F32:
    """A touched frame's matte as artists leave them: now and then a little too large, small or round.

    Most are as they should be: a network that seldom saw one trusts no outline, however good.
    """
    how = rng.choice(["whole", "soft", "round"], p=[0.6, 0.08, 0.32])
    if how == "whole":
        return matte
    soft = cv2.GaussianBlur(matte, (0, 0), float(rng.uniform(0.7, 2.2)))
    if how == "soft":
        return soft
    return np.clip((soft - rng.uniform(0.4, 0.6)) * 3 + 0.5, 0, 1).astype(np.float32)


def shown(truth: F32) -> bool:
    """Whether enough of the subject is in view to be marked."""
    return bool((truth > 0.5).sum() > 300)


def begun(rng: np.random.Generator, pictures: list[U8], truth: F32) -> F32:
    """The matte that following begins with, of the first picture: about the truth, or traced."""
    if rng.uniform() < TRACED:
        marks = first_marks(rng, truth)
        if any(mark.kind == "in" for mark in marks):
            traced = trace(prepare(pictures.__getitem__, len(pictures), 0), marks)
            if overlap(traced, truth) > USABLE:
                return traced
    return hurt(rng, truth)


def settling(
    follower: Follower,
    pictures: Sequence[U8],
    rng: np.random.Generator | None = None,
    reverse: Sequence[ReversePass] = (),
) -> Iterator[Decision]:
    """Follows on through pictures as `run.span` does, each with the next one in view, and gives each frame's step.

    rng: draws the frames that are decided without the next one, as the last of a span is. beyond: what the way
    from the next touched frame made of each picture, if it was there first.
    """
    observed = follower.observe(pictures[0], follower.at)
    for number, following in enumerate([*pictures[1:], None]):
        after = None if following is None else follower.observe(following, observed)
        seen = None if rng is not None and rng.uniform() < BLIND else after
        yield follower.decide(observed, seen, reverse=reverse[number] if reverse else None)
        if after is not None:
            observed = after


def quantised(planes: F32) -> NDArray[np.int8]:
    return np.clip(np.round(planes * 127), -127, 127).astype(np.int8)


def gather(seed: int) -> list[Sample]:
    """The samples of one clip: stacks (C, h, w) and truths (2h, 2w)."""
    cv2.setNumThreads(1)
    rng = np.random.default_rng(seed + 10**6)
    return (between if rng.uniform() < BETWEEN else onward)(rng, seed)


def onward(rng: np.random.Generator, seed: int) -> list[Sample]:
    """The samples of a clip that is followed to its end."""
    length = int(rng.choice(LENGTHS, p=SHARES))
    first = int(rng.integers(0, FRAMES - length + 1))
    pictures, truths = clip(seed, frames=FRAMES, only=range(first, first + length))
    if rng.uniform() < 0.5:
        pictures, truths = pictures[::-1], truths[::-1]
    start = next((n for n in range(length // 2) if shown(truths[n])), None)
    if start is None:
        return []
    pictures, truths = pictures[start:], truths[start:]
    follower = Follower(pictures[0], begun(rng, pictures, truths[0]))
    return followed(rng, follower, pictures[1:], truths[1:])[0]


def between(rng: np.random.Generator, seed: int) -> list[Sample]:
    """The samples of a clip between two touched frames: of the way from the first one, and of that back to it."""
    apart = round(log_uniform(rng, *APART))
    first = int(rng.integers(0, FRAMES - apart))
    numbers = [n for n in range(first, first + apart + 9) if n < FRAMES]
    if rng.uniform() < 0.5:
        numbers = [FRAMES - 1 - n for n in numbers]
    others = [n for n in range(FRAMES) if min(abs(n - seen) for seen in numbers) >= FAR]
    far = rng.choice(others, min(len(others), int(rng.integers(0, SURVEYED + 1))), replace=False) if others else []
    pictures, truths = clip(seed, frames=FRAMES, only=[*numbers, *map(int, far)])
    surveyed = [(pictures.pop(), hurt(rng, truths.pop())) for _ in far]
    if not shown(truths[0]) or not shown(truths[apart]):
        return []
    one = begun(rng, pictures, truths[0])
    samples: list[Sample] = []
    if rng.uniform() < MENDED:
        samples, way = followed(rng, Follower(pictures[0], one), pictures[1 : apart + 1], truths[1 : apart + 1])
        ready = prepare(pictures.__getitem__, len(pictures), apart)
        other, _ = mended(ready, way[-1].matte, truths[apart], STROKES)
    else:
        other = begun(rng, pictures[apart::-1], truths[apart])
    # as between any two touched frames: each way knows the other's, and the one back what the way there knew at its end
    there, back = Follower(pictures[0], one), Follower(pictures[apart], other)
    there.remember(pictures[apart], other)
    for follower in (there, back):
        for seen in surveyed:
            follower.survey(*seen)
    more, way = followed(rng, there, pictures[1:apart], truths[1:apart])
    back.remember(pictures[0], one)
    back.borrow(there.known())
    reverse = [ReversePass(found.matte, away, found.doubt) for away, found in enumerate(way, 1)]
    most, _ = followed(rng, back, pictures[apart - 1 : 0 : -1], truths[apart - 1 : 0 : -1], reverse[::-1])
    return samples + more + most


def followed(
    rng: np.random.Generator,
    follower: Follower,
    pictures: list[U8],
    truths: list[F32],
    reverse: Sequence[ReversePass] = (),
) -> tuple[list[Sample], list[Followed]]:
    """The samples of a span that a follower goes on through, and all that it made of its frames."""
    out, way = list[Sample](), list[Followed]()
    for far, decision in enumerate(settling(follower, pictures, rng, reverse)):
        way.append(follower.finish(decision))
        if far > 1 and (far + 1) % (BACK if reverse else EVERY):
            continue
        if not reverse and overlap(decision.shape, truths[far]) < HELD and rng.uniform() > LOST:
            continue
        stack = decision.stack
        out.append((quantised(stack.planes), np.round(truths[far][stack.inside] * 255).astype(np.uint8)))
    return out, way
