"""Following over a span of frames from a touched one, and joining two passes that met."""

from __future__ import annotations

from collections import deque
from collections.abc import Callable, Iterator, Sequence
from concurrent.futures import Future, ThreadPoolExecutor
from dataclasses import dataclass

import numpy as np

from cuvrel.core.arrays import F32, U8
from cuvrel.core.follow.adaptation import Arrival, Lesson
from cuvrel.core.follow.carry import BackgroundModels, Followed, Follower, Observation
from cuvrel.core.follow.evidence import ReversePass

Read = Callable[[int], U8]


@dataclass(frozen=True)
class Settings:
    """A trace's parameters, as its card has them."""

    snap: float = 0.7
    detail: float = 1.0
    hold: float = 0.35


def nothing(_: int) -> None:
    """There is no pass from the other side."""


def new_follower(
    start: tuple[U8, F32],
    settings: Settings,
    taught: tuple[U8, F32] | None = None,
    others: Sequence[tuple[U8, F32]] = (),
    models: BackgroundModels | None = None,
    far: Sequence[tuple[U8, F32]] = (),
    lessons: Sequence[Lesson] = (),
) -> Follower:
    """A follower that goes on from a frame.

    Parameters
    ----------
    start
        Picture, (H, W, 3) uint8 sRGB, and matte, (H, W) float32, of that frame.
    settings
        The trace's parameters.
    taught
        Picture and matte of the touched frame whose colours are the subject's, where that is another one.
    others
        Pictures and mattes of the nearest touched frames on either side.
    models
        The background, as the pass that came here from the other side knew it.
    far
        Pictures and mattes of frames further off, which show the background that is hidden here.
    lessons
        Of touched frames, for the correction of the network.
    """
    follower = Follower(*(start if taught is None else taught), settings.hold, settings.detail)
    if taught is not None:
        follower.restart(*start)
    for other in others:
        follower.remember(*other)
    if models is not None:
        follower.borrow(models)
    for one in far:
        follower.survey(*one)
    follower.learn(lessons)
    return follower


def span(
    read: Read,
    frames: Sequence[int],
    follower: Follower,
    keep: bool = False,
    reverse: Callable[[int], ReversePass | None] = nothing,
) -> Iterator[tuple[int, Followed]]:
    """Follows over frames in their order; the follower stands next to the first of them.

    read: a frame's picture, (H, W, 3) uint8 sRGB. keep: the first frame keeps the shape as the flow carries it,
    whatever the picture says. reverse: what the pass from the next touched frame made of a frame, where it was there
    first.
    """
    # while one frame is decided the ones after it are read and looked at, and the one before gets its soft edges
    with ThreadPoolExecutor(1) as ahead, ThreadPoolExecutor(1) as behind:
        coming: deque[Future[Observation]] = deque()
        last: tuple[int, Future[Followed]] | None = None
        to_come = iter(frames)

        def observe_ahead() -> None:
            number = next(to_come, None)
            if number is not None:
                coming.append(ahead.submit(_observed, follower, read, number, coming[-1] if coming else None))

        observe_ahead()
        observe_ahead()
        for index, number in enumerate(frames):
            observed = coming[0].result()
            after = coming[1].result() if len(coming) > 1 else None
            observe_ahead()
            coming.popleft()
            decision = follower.decide(observed, after, index > 0 or not keep, reverse(number))
            finished = behind.submit(follower.finish, decision)
            if last:
                yield last[0], last[1].result()
            last = number, finished
        if last:
            yield last[0], last[1].result()


def _observed(follower: Follower, read: Read, number: int, before: Future[Observation] | None) -> Observation:
    return follower.observe(read(number), before.result() if before else follower.at)


def examined(read: Read, count: int, follower: Follower, arrival: Arrival, matte: F32) -> Lesson:
    """The lesson of the touched frame at which a span arrived. count: frames of the clip. matte: the touched one's."""
    number, step = arrival
    observed = follower.observe(read(number), follower.at)
    after = follower.observe(read(number + step), observed) if 0 <= number + step < count else None
    return follower.examine(observed, after, matte)


def joined(one: tuple[F32, float], other: tuple[F32, float], share: float) -> tuple[F32, float]:
    """One frame that two passes reached, each with a matte, (H, W) float32, and a doubt: their mix.

    share: 0 to 1, where the frame lies between the touched frame that `one` set out from and that of `other`. The
    nearer and the less doubtful one weighs more; where the two contradict each other that one alone decides, so that
    nothing is left half there.
    """
    first, second = (1 - share) * (1.02 - one[1]) ** 2, share * (1.02 - other[1]) ** 2
    weight = second / max(1e-6, first + second)
    mixed = one[0] + (other[0] - one[0]) * np.float32(weight)
    contradiction = np.abs(one[0] - other[0])
    mixed = np.clip((mixed - 0.5) * (1 + 6 * np.square(contradiction)) + 0.5, 0, 1)
    return mixed.astype(np.float32), float(one[1] + (other[1] - one[1]) * weight)
