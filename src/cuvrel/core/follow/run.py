"""Following a span of frames from a touched one, and joining two ways that met."""

from __future__ import annotations

from collections import deque
from collections.abc import Callable, Iterator, Sequence
from concurrent.futures import Future, ThreadPoolExecutor
from dataclasses import dataclass

import numpy as np

from cuvrel.core.arrays import F32, U8
from cuvrel.core.follow.adaptation import Arrival, Lesson
from cuvrel.core.follow.carry import Followed, Follower, Known, Looked
from cuvrel.core.follow.evidence import Beyond

Read = Callable[[int], U8]


@dataclass(frozen=True)
class Settings:
    """A trace's parameters, as its card has them."""

    snap: float = 0.7
    detail: float = 1.0
    hold: float = 0.35


def nothing(_: int) -> None:
    """No way has come from beyond."""


def set_out(
    start: tuple[U8, F32],
    settings: Settings,
    taught: tuple[U8, F32] | None = None,
    others: Sequence[tuple[U8, F32]] = (),
    there: Known | None = None,
    far: Sequence[tuple[U8, F32]] = (),
    lessons: Sequence[Lesson] = (),
) -> Follower:
    """What follows on from a frame. start: its picture and matte.

    taught: picture and matte of the touched frame whose colours are remembered, where that is another one. others:
    of the touched frames on either side. there: what following from one of them knew of the place when it came here.
    far: of frames further off, which show what is hidden here. lessons: of touched frames.
    """
    follower = Follower(*(start if taught is None else taught), settings.hold, settings.detail)
    if taught is not None:
        follower.take_up(*start)
    for other in others:
        follower.remember(*other)
    if there is not None:
        follower.borrow(there)
    for one in far:
        follower.survey(*one)
    follower.learn(lessons)
    return follower


def span(
    read: Read,
    frames: Sequence[int],
    follower: Follower,
    keep: bool = False,
    beyond: Callable[[int], Beyond | None] = nothing,
) -> Iterator[tuple[int, Followed]]:
    """Follows over `frames` in their order, one after another from where the follower stands, next to the first.

    keep: the first frame takes the shape as motion carries it, whatever the picture says. beyond: what following
    from the next touched frame made of a frame, where it was there first.
    """
    # while one frame is decided the ones after it are read and looked at, and the one before gets its soft edges
    with ThreadPoolExecutor(1) as ahead, ThreadPoolExecutor(1) as behind:
        coming: deque[Future[Looked]] = deque()
        last: tuple[int, Future[Followed]] | None = None
        to_come = iter(frames)

        def look_ahead() -> None:
            number = next(to_come, None)
            if number is not None:
                coming.append(ahead.submit(_looked, follower, read, number, coming[-1] if coming else None))

        look_ahead()
        look_ahead()
        for place, number in enumerate(frames):
            looked = coming[0].result()
            after = coming[1].result() if len(coming) > 1 else None
            look_ahead()
            coming.popleft()
            settled = follower.settle(looked, after, place > 0 or not keep, beyond(number))
            finished = behind.submit(follower.finish, settled)
            if last:
                yield last[0], last[1].result()
            last = number, finished
        if last:
            yield last[0], last[1].result()


def _looked(follower: Follower, read: Read, number: int, before: Future[Looked] | None) -> Looked:
    return follower.look(read(number), before.result() if before else follower.at)


def examined(read: Read, count: int, follower: Follower, arrival: Arrival, matte: F32) -> Lesson:
    """What a touched frame teaches that a span has led to. count: frames of the clip; matte: the touched one."""
    number, step = arrival
    looked = follower.look(read(number), follower.at)
    after = follower.look(read(number + step), looked) if 0 <= number + step < count else None
    return follower.examine(looked, after, matte)


def joined(one: tuple[F32, float], other: tuple[F32, float], share: float) -> tuple[F32, float]:
    """One frame as two directions brought it, each a matte, (H, W) float32, and its doubt.

    share: 0 to 1, how far the frame lies from where `one` set out towards where `other` did. The nearer and
    the less doubtful one counts more; where they contradict each other it decides, so that nothing is left
    half there.
    """
    first, second = (1 - share) * (1.02 - one[1]) ** 2, share * (1.02 - other[1]) ** 2
    weight = second / max(1e-6, first + second)
    mixed = one[0] + (other[0] - one[0]) * np.float32(weight)
    apart = np.abs(one[0] - other[0])
    mixed = np.clip((mixed - 0.5) * (1 + 6 * np.square(apart)) + 0.5, 0, 1)
    return mixed.astype(np.float32), float(one[1] + (other[1] - one[1]) * weight)
