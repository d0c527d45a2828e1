"""Following a span of frames from a touched one, and a whole clip from its marks."""

from __future__ import annotations

import time
from collections import deque
from collections.abc import Callable, Collection, Iterator, Mapping, Sequence
from concurrent.futures import Future, ThreadPoolExecutor
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from cuvrel.core.follow.carry import Followed, Follower, Halt, Known, Looked
from cuvrel.core.follow.doubt import HALT
from cuvrel.core.follow.evidence import Beyond
from cuvrel.core.follow.find import find
from cuvrel.core.follow.lessons import Arrival, Lesson, nearest
from cuvrel.core.pulls.drag import only_drags
from cuvrel.core.pulls.marks import rasterise
from cuvrel.core.pulls.prepared import Prepared, prepare
from cuvrel.core.pulls.trace import trace
from cuvrel.core.recipe.errors import TraceError
from cuvrel.core.recipe.models import Mark

F32 = NDArray[np.float32]
U8 = NDArray[np.uint8]
Read = Callable[[int], U8]
FAR = (6, 12, 18)  # how many frames off, either way, what a touched frame hides of the place is looked for
BOTH = 120  # the most frames between two touched ones that are followed both ways and held in memory


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


def refollow(
    read: Read,
    count: int,
    touched: Mapping[int, F32],
    about: int,
    settings: Settings,
    halting: bool = False,
    seen: Mapping[int, F32] | None = None,
    lessons: dict[Arrival, Lesson] | None = None,
) -> Iterator[Frame]:
    """Follows anew what a touch of the frame `about` affects: up to the neighbouring touched frames.

    touched: mattes of all touched frames, `about` among them. The frames between two touched ones are
    reached from both sides, and the two are joined by their doubt. seen: mattes that were there before, of any
    frames, which tell what the place looks like. lessons: what touched frames have taught; new ones are added.
    """
    known = dict(seen or {})
    taught = {} if lessons is None else lessons

    def begin(start: int, there: Known | None) -> Follower:
        near = [(n, touched[n]) for n in (start, *neighbours(touched, start))]
        (first, *others), far = pictured(read, near, [(n, known[n]) for n in far_from(known, start)])
        learned = [taught[one] for one in nearest((one for one in taught if one[0] in touched), start)]
        return set_out(first, settings, others=others, there=there, far=far, lessons=learned)

    def arrive(follower: Follower, arrival: Arrival) -> None:
        taught[arrival] = examined(read, count, follower, arrival, touched[arrival[0]])

    stops = sorted(touched)
    here = stops.index(about)
    before, after = stops[here - 1 : here] if here else [], stops[here + 1 : here + 2]
    for left, right in [(left, about) for left in before] + [(about, right) for right in after]:
        yield from _between(read, left, right, begin, arrive)
    ways = [] if before else [range(about - 1, -1, -1)]
    for frames in ways if after else [*ways, range(about + 1, count)]:
        if not frames:
            continue
        for frame in _timed(read, frames, begin(about, None)):
            if abs(frame.number - about) in FAR and frame.doubt <= HALT:
                known[frame.number] = frame.matte
            yield frame
            if frame.halt and halting:
                break


def neighbours(touched: Collection[int], number: int) -> list[int]:
    """The touched frames nearest to one, on either side: their light and their places are most like its own."""
    before, after = [n for n in touched if n < number], [n for n in touched if n > number]
    return [*([max(before)] if before else []), *([min(after)] if after else [])]


def far_from(known: Collection[int], number: int) -> list[int]:
    """Of frames whose mattes are known the nearest ones that lie FAR off one, on either side."""
    before = [max((n for n in known if n <= number - far), default=None) for far in FAR]
    after = [min((n for n in known if n >= number + far), default=None) for far in FAR]
    return sorted({n for n in (*before, *after) if n is not None}, key=lambda n: abs(n - number))


def trusted(mattes: Mapping[int, F32], doubts: Mapping[int, float]) -> dict[int, F32]:
    """Of mattes those that may tell what the place looks like, by their doubt; a touched frame's is 0."""
    return {n: matte for n, matte in mattes.items() if doubts[n] <= HALT}


def pictured(read: Read, *groups: Sequence[tuple[int, F32]]) -> list[list[tuple[U8, F32]]]:
    """Groups of frames, each a number and a matte, with the picture for the number."""
    # read in their order, as footage is read fastest
    pictures = {n: read(n) for n in sorted({n for group in groups for n, _ in group})}
    return [[(pictures[n], matte) for n, matte in group] for group in groups]


def _timed(
    read: Read,
    frames: Sequence[int],
    follower: Follower,
    beyond: Callable[[int], Beyond | None] = nothing,
) -> Iterator[Frame]:
    begun = time.perf_counter()
    for at, found in span(read, frames, follower, beyond=beyond):
        yield Frame(at, found.matte, "followed", found.doubt, (time.perf_counter() - begun) * 1000, found.halt)
        begun = time.perf_counter()


def _between(
    read: Read,
    left: int,
    right: int,
    begin: Callable[[int, Known | None], Follower],
    arrive: Callable[[Follower, Arrival], None],
) -> Iterator[Frame]:
    """The frames between two touched ones. In a long span only the middle is reached from both sides.

    begin: what follows on from a touched frame, with what the way there knew of the place if there was one. arrive:
    what is to be done with what has come next to a touched frame.
    """
    if right - left < 2:
        return
    middle, reach = (left + right) // 2, min(BOTH, right - left) // 2 + 1
    there: dict[int, Frame] = {}
    follower = begin(left, None)
    for frame in _timed(read, range(left + 1, min(right, middle + reach)), follower):
        if frame.number <= middle - reach:
            yield frame
        else:
            there[frame.number] = frame
    place = follower.known()
    if middle + reach >= right:
        arrive(follower, (right, 1))

    def beyond(number: int) -> Beyond | None:
        first = there.get(number)
        return None if first is None else Beyond(first.matte, number - left, first.doubt)

    back = range(right - 1, max(left, middle - reach), -1)
    follower = begin(right, place)
    for frame in _timed(read, back, follower, beyond):
        other = there.pop(frame.number, None)
        if other is None:
            yield frame
            continue
        share = (frame.number - left) / (right - left)
        matte, doubt = joined((other.matte, other.doubt), (frame.matte, frame.doubt), share)
        halt = (other if share < 0.5 else frame).halt
        yield Frame(frame.number, matte, "followed", doubt, frame.ms + other.ms, halt)
    if middle - reach <= left:
        arrive(follower, (left, -1))


def clip(read: Read, count: int, marks: Sequence[Mark], settings: Settings, halting: bool = True) -> Iterator[Frame]:
    """Does what the artist did: traces the first marked frame, follows both ways, mends the next one, and so on.

    The order of the marks is the order of the work. A frame that following has reached is mended by its
    marks, unless they say that the subject is elsewhere; one that it has not is traced from them alone.
    Each touch is followed up to the neighbouring touched frames, so a frame may come more than once: the
    last one counts. Where following halts, the rest of that span does not come. Raises TraceError when no
    frame can be traced, or a mark lies outside the clip.
    """
    by_frame: dict[int, list[Mark]] = {}
    for mark in marks:
        by_frame.setdefault(mark.frame, []).append(mark)
    if by_frame and max(by_frame) >= count:
        raise TraceError(f"There is a mark on frame {max(by_frame)}, but the footage has {count} frames.")
    if not any(mark.kind in ("in", "found") for mark in marks):
        raise TraceError("There is no in mark.", "Draw at least one in mark on the subject.")
    touched: dict[int, F32] = {}
    lessons: dict[Arrival, Lesson] = {}
    reached: dict[int, F32] = {}  # what following brought to frames that are still to be mended
    # out marks alone can only mend: such frames wait until following has been there
    starts = {n: any(mark.kind in ("in", "found") for mark in by_frame[n]) for n in by_frame}
    order = sorted(by_frame, key=lambda n: not starts[n])
    for number in order:
        begun = time.perf_counter()
        prior = reached.pop(number, None)
        if prior is None and not starts[number]:
            continue
        if any(mark.kind == "found" for mark in by_frame[number]):
            prior = find(read, number, count, settings.snap, settings.detail)
        plain = prior is not None and only_drags(by_frame[number])
        ready = read(number) if plain else prepare(read, count, number, settings.snap)
        touched[number] = _touched(ready, by_frame[number], prior, settings)
        yield Frame(number, touched[number], "touched", 0.0, (time.perf_counter() - begun) * 1000)
        for frame in refollow(read, count, touched, number, settings, halting, lessons=lessons):
            if frame.number in by_frame and frame.number not in touched:
                reached[frame.number] = frame.matte
            yield frame


def _touched(ready: U8 | Prepared, marks: list[Mark], prior: F32 | None, settings: Settings) -> F32:
    """A marked frame's matte: the prior mended, or traced anew where the marks contradict most of it."""
    if prior is not None:
        inside = rasterise(marks, "in", prior.shape, (1.0, 1.0))
        if inside.any() and float((prior[inside] > 0.5).mean()) < 0.2 and _wide(inside, prior):
            prior = None
    return trace(ready, marks, prior, settings.snap, settings.detail)


def _wide(inside: NDArray[np.bool_], prior: F32) -> bool:
    """Whether in marks are drawn over a whole subject, not in one wrong corner of it."""
    return int(inside.sum()) > 0.04 * max(1, int((prior > 0.5).sum()))
