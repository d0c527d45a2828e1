"""Following a span of frames from a touched one, and a whole clip from its marks."""

from __future__ import annotations

import time
from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from cuvrel.core.follow.carry import Followed, Follower, Halt
from cuvrel.core.pulls.trace import trace
from cuvrel.core.recipe.errors import TraceError
from cuvrel.core.recipe.models import Mark

F32 = NDArray[np.float32]
U8 = NDArray[np.uint8]
Read = Callable[[int], U8]


@dataclass(frozen=True)
class Settings:
    """A trace's parameters, as its card has them."""

    snap: float = 0.7
    detail: float = 1.0
    hold: float = 0.35


@dataclass(frozen=True)
class Frame:
    """One frame of a followed clip. origin: touched or followed; ms: what it took."""

    number: int
    matte: F32
    origin: str
    doubt: float
    ms: float
    halt: Halt | None = None


def span(
    read: Read, frames: Sequence[int], start: tuple[U8, F32], settings: Settings, taught: tuple[U8, F32] | None = None
) -> Iterator[tuple[int, Followed]]:
    """Carries a matte over `frames` in their order, one after another from `start`.

    start: picture and matte of the frame before the first. taught: picture and matte of the touched
    frame whose colours are remembered, where that is another one.
    """
    if taught is None:
        follower = Follower(*start, settings.hold, settings.snap, settings.detail)
    else:
        follower = Follower(*taught, settings.hold, settings.snap, settings.detail)
        follower.take_up(*start)
    for number in frames:
        yield number, follower.step(read(number))


def refollow(read: Read, count: int, touched: Mapping[int, F32], about: int, settings: Settings) -> Iterator[Frame]:
    """Follows anew what a touch of the frame `about` affects: up to the neighbouring touched frames.

    touched: mattes of all touched frames, `about` among them. The frames between two touched ones are
    reached from both sides and belong to the nearer one.
    """
    stops = sorted(touched)
    here = stops.index(about)
    if here > 0:
        yield from _between(read, touched, stops[here - 1], about, settings)
    else:
        yield from _outwards(read, touched, about, range(about - 1, -1, -1), settings)
    if here + 1 < len(stops):
        yield from _between(read, touched, about, stops[here + 1], settings)
    else:
        yield from _outwards(read, touched, about, range(about + 1, count), settings)


def _between(read: Read, touched: Mapping[int, F32], left: int, right: int, settings: Settings) -> Iterator[Frame]:
    middle = (left + right) // 2
    yield from _outwards(read, touched, left, range(left + 1, middle + 1), settings)
    yield from _outwards(read, touched, right, range(right - 1, middle, -1), settings)


def _outwards(read: Read, touched: Mapping[int, F32], start: int, frames: range, settings: Settings) -> Iterator[Frame]:
    begun = time.perf_counter()
    for at, found in span(read, frames, (read(start), touched[start]), settings):
        took = (time.perf_counter() - begun) * 1000
        yield Frame(at, found.matte, "followed", found.doubt, took, found.halt)
        begun = time.perf_counter()


def clip(read: Read, count: int, marks: Sequence[Mark], settings: Settings, halting: bool = True) -> Iterator[Frame]:
    """Traces every marked frame and follows from each of them both ways, as far as half-way to the next.

    Yields frames as they are done, not in order; where following halts, the rest of that span is not
    yielded. Raises TraceError when no frame can be traced, or a mark lies outside the clip.
    """
    marked = sorted({mark.frame for mark in marks})
    if marked and marked[-1] >= count:
        raise TraceError(f"There is a mark on frame {marked[-1]}, but the footage has {count} frames.")
    touched: dict[int, F32] = {}
    for number in marked:
        here = [mark for mark in marks if mark.frame == number]
        if not any(mark.kind == "in" for mark in here):
            continue
        begun = time.perf_counter()
        touched[number] = trace(read(number), here, None, settings.snap, settings.detail)
        yield Frame(number, touched[number], "touched", 0.0, (time.perf_counter() - begun) * 1000)
    if not touched:
        raise TraceError("There is no in mark.", "Draw at least one in mark on the subject.")
    stops = sorted(touched)
    for index, number in enumerate(stops):
        after = (number + stops[index + 1]) // 2 + 1 if index + 1 < len(stops) else count
        before = (number + stops[index - 1]) // 2 if index > 0 else -1
        for frames in (range(number + 1, after), range(number - 1, before, -1)):
            begun = time.perf_counter()
            for at, found in span(read, frames, (read(number), touched[number]), settings):
                took = (time.perf_counter() - begun) * 1000
                yield Frame(at, found.matte, "followed", found.doubt, took, found.halt)
                if found.halt and halting:
                    break
                begun = time.perf_counter()
