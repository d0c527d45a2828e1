"""The plan of following: which frames are followed from where, what is remembered, and how two passes are joined.

One plan for all who follow: the server's jobs, the command line, the demo's artist and the benchmark. They differ in
where a trace's frames lie, which is what `Frames` is for.
"""

from __future__ import annotations

import time
from collections.abc import Callable, Collection, Iterator, Mapping, Sequence
from dataclasses import dataclass, field, replace
from typing import Literal, Protocol

from cuvrel.core.arrays import F32, U8, Mask
from cuvrel.core.checks.halt import Halt
from cuvrel.core.follow.adaptation import Arrival, Lesson, nearest
from cuvrel.core.follow.carry import BackgroundModels, Follower
from cuvrel.core.follow.doubt import HALT
from cuvrel.core.follow.evidence import ReversePass
from cuvrel.core.follow.find import find
from cuvrel.core.follow.run import Settings, examined, joined, new_follower, span
from cuvrel.core.recipe.errors import TraceError
from cuvrel.core.recipe.models import Mark
from cuvrel.core.trace.drag import only_drags
from cuvrel.core.trace.marks import rasterise
from cuvrel.core.trace.prepared import Prepared, prepare
from cuvrel.core.trace.trace import trace

Read = Callable[[int], U8]
Origin = Literal["touched", "followed"]
FAR = (6, 12, 18)  # how many frames off, either way, what a touched frame hides of the place is looked for
BOTH = 120  # the most frames between two touched ones that are followed both ways
PATIENCE = 12  # frames after a halt that was waved through in which no new halt is raised


@dataclass(frozen=True)
class Frame:
    """One frame of a trace. ms: what following it took."""

    number: int
    matte: F32
    origin: Origin
    doubt: float
    ms: float = 0.0
    halt: Halt | None = None


@dataclass(frozen=True)
class FrameStatus:
    """How a frame stands, without its matte."""

    origin: Origin
    doubt: float
    halt: Halt | None = None


class Frames(Protocol):
    """The frames of one trace, where they lie. Frames are counted from 0, mattes are (H, W) float32, 0 to 1."""

    def statuses(self) -> Mapping[int, FrameStatus]:
        """All frames that have a matte, and how each stands, as of now."""

    def matte(self, number: int) -> F32 | None:
        """The matte of a frame; None where there is none."""

    def keep(self, frame: Frame) -> bool:
        """Keeps a followed frame; False, and nothing is kept, where the frame is a touched one by now."""

    def lessons(self, about: int) -> list[Lesson]:
        """What touched frames teach that is learned from at a frame."""

    def learn(self, arrival: Arrival, lesson: Lesson) -> None:
        """Keeps what the touched frame of an arrival teaches."""


class Touchable(Frames, Protocol):
    """Frames that may be touched, too."""

    def touch(self, number: int, matte: F32) -> Frame:
        """Makes a frame a touched one."""


@dataclass
class FramesInMemory:
    """A trace's frames in memory."""

    frames: dict[int, Frame] = field(default_factory=dict)
    taught: dict[Arrival, Lesson] = field(default_factory=dict)

    def touch(self, number: int, matte: F32) -> Frame:
        """See `Touchable`; what the frame taught before is not true any more."""
        self.frames[number] = Frame(number, matte, "touched", 0.0)
        self.taught = {arrival: lesson for arrival, lesson in self.taught.items() if arrival[0] != number}
        return self.frames[number]

    def statuses(self) -> Mapping[int, FrameStatus]:
        """See `Frames`."""
        return {n: FrameStatus(one.origin, one.doubt, one.halt) for n, one in self.frames.items()}

    def matte(self, number: int) -> F32 | None:
        """See `Frames`."""
        found = self.frames.get(number)
        return None if found is None else found.matte

    def keep(self, frame: Frame) -> bool:
        """See `Frames`."""
        there = self.frames.get(frame.number)
        if there is not None and there.origin == "touched":
            return False
        self.frames[frame.number] = frame
        return True

    def lessons(self, about: int) -> list[Lesson]:
        """See `Frames`."""
        return [self.taught[arrival] for arrival in nearest(self.taught, about)]

    def learn(self, arrival: Arrival, lesson: Lesson) -> None:
        """See `Frames`."""
        self.taught[arrival] = lesson


Outcome = Literal["nothing", "end", "halted", "taken", "touched", "joined"]


@dataclass(frozen=True)
class Progress:
    """A frame that was followed and kept. done, total: how far the pass is, in frames. back: on the way back."""

    frame: Frame
    done: int
    total: int
    back: bool


@dataclass
class FollowPass:
    """Follows from a frame on, up to the next touched frame or the end of the range.

    Iterating does the work and gives each frame once it is kept; afterwards `outcome` says how it ended. Where touched
    frames lie on both sides it follows back from the other one, too, and joins the two by nearness and doubt; in a long
    span only the middle is reached from both sides.

    Parameters
    ----------
    read
        A frame's picture, (H, W, 3) uint8 sRGB, by its number.
    count
        How many frames the clip has.
    frames
        Where the trace's frames are read from and kept.
    start, step
        The frame that it goes on from, and 1 for later or -1 for earlier frames.
    settings
        The trace's parameters.
    halting
        Whether it stops where doubt is too large.
    keep
        The first frame keeps the shape as the flow carries it, and is not halted at.
    within
        The frames that are followed; None for all.
    at, back
        Where a pass that was cut off had come to, on the way there and on the way back.

    Attributes
    ----------
    outcome
        nothing: the next frame is touched. end: of the range. halted: doubt was too large. taken: a frame was touched
        meanwhile. touched: up to a touched frame, with none behind. joined: both ways.
    """

    read: Read
    count: int
    frames: Frames
    start: int
    step: int
    settings: Settings
    halting: bool = True
    keep: bool = False
    within: range | None = None
    at: int | None = None
    back: int | None = None
    outcome: Outcome = "nothing"

    def __iter__(self) -> Iterator[Progress]:
        step, there = self.step, self.frames.statuses()
        within = range(self.count) if self.within is None else self.within
        touched = [n for n, one in there.items() if one.origin == "touched"]
        ahead = [n for n in touched if (n - self.start) * step > 0 and n in within]
        behind = [n for n in touched if (n - self.start) * step <= 0]
        target = min(ahead, key=lambda n: n * step) if ahead else None
        first = max(behind, key=lambda n: n * step) if behind else None
        stop = (within[-1] + 1 if step > 0 else within[0] - 1) if target is None else target
        forth = range(self.start + step, stop, step)
        returning = range(0)
        if target is not None and first is not None:
            forth, returning = self._both(first, target, forth)
        self.outcome = "end" if target is None else "touched"
        if not forth and self.at is None:
            self.outcome = "end" if target is None else "nothing"
            return
        total = len(forth) + len(returning)
        follower = None
        if self.back is None:
            follower = self._follower(self.start if self.at is None else self.at, first)
            for progress in self._forth(follower, forth, total):
                yield progress
                if self.outcome in ("halted", "taken"):
                    return
        if target is None:
            return
        models = follower.backgrounds() if follower is not None else None
        if follower is not None and forth.stop == target:
            self._examine(follower, (target, step))
        if first is not None:
            yield from self._returning(first, target, forth, returning, models)

    def _both(self, first: int, target: int, forth: range) -> tuple[range, range]:
        """The frames there and back between two touched ones, each in its order."""
        step, length = self.step, abs(target - first)
        half, reach = length // 2, min(BOTH, length) // 2 + 1
        # at least the next frame is reached, whatever lies behind already
        far = max(half + reach, abs(self.start - first) + 2)
        forth = range(forth.start, first + step * min(length, far), step)
        return forth, range(target - step, first + step * max(0, half - reach), -step)

    def _follower(self, at: int, first: int | None) -> Follower:
        """What sets out, or goes on, from a frame; where that is a followed one, the touched one behind teaches."""
        here = self.frames.statuses().get(at)
        teaches = first is not None and first != at and here is not None and here.origin == "followed"
        return self._setting_out(at, first if teaches else None, None)

    def _setting_out(self, at: int, teacher: int | None, models: BackgroundModels | None) -> Follower:
        statuses = self.frames.statuses()
        touched = [n for n, one in statuses.items() if one.origin == "touched"]
        trusted = [n for n, one in statuses.items() if one.doubt <= HALT]
        about = at if teacher is None else teacher
        begin, seen, near, far = self._pictured(
            [at], [] if teacher is None else [teacher], neighbours(touched, about), far_from(trusted, about)
        )
        if not begin:
            raise ValueError(f"there is no matte on frame {at}")
        return new_follower(
            begin[0], self.settings, seen[0] if seen else None, near, models, far, self.frames.lessons(at)
        )

    def _pictured(self, *groups: Sequence[int]) -> list[list[tuple[U8, F32]]]:
        """Pictures and mattes of groups of frames, as far as they have mattes."""
        found = {n: self.frames.matte(n) for n in {n for group in groups for n in group}}
        # read in their order, as footage is read fastest
        pictures = {n: self.read(n) for n in sorted(n for n, matte in found.items() if matte is not None)}
        return [[(pictures[n], matte) for n in group if (matte := found[n]) is not None] for group in groups]

    def _forth(self, follower: Follower, forth: range, total: int) -> Iterator[Progress]:
        """The way there."""
        at = self.start if self.at is None else self.at
        here = self.frames.statuses().get(at)
        keeping = self.keep and self.at is None
        patience = PATIENCE if keeping or (here is not None and here.halt is not None) else 0
        done = abs(at - self.start)
        for frame in _timed(self.read, forth[done:], follower, keep=keeping):
            if not self.frames.keep(frame):
                self.outcome = "taken"
                return
            done += 1
            if frame.halt is not None and self.halting and patience <= 0:
                self.outcome = "halted"
            patience -= 1
            yield Progress(frame, done, total, back=False)
            if self.outcome == "halted":
                return

    def _returning(
        self, first: int, target: int, forth: range, returning: range, models: BackgroundModels | None
    ) -> Iterator[Progress]:
        """The way back, joined with the way there where that has been.

        models: of the background, as the way there had them at its end.
        """
        begin, total = target if self.back is None else self.back, len(forth) + len(returning)
        done = abs(begin - target)
        follower = self._setting_out(begin, None if begin == target else target, models)

        statuses, there = self.frames.statuses(), dict[int, Frame]()

        def met(number: int) -> ReversePass | None:
            """What the way there made of a frame; only as far as it has come this time."""
            status = statuses.get(number) if (number - forth.stop) * self.step < 0 else None
            matte = self.frames.matte(number) if status is not None and status.origin == "followed" else None
            if status is None or matte is None:
                return None
            there[number] = Frame(number, matte, "followed", status.doubt, halt=status.halt)
            return ReversePass(matte, abs(number - first), status.doubt)

        for frame in _timed(self.read, returning[done:], follower, met):
            other = there.pop(frame.number, None)
            both = frame if other is None else self._joined(other, frame, first, target)
            if not self.frames.keep(both):
                self.outcome = "taken"
                return
            done += 1
            yield Progress(both, len(forth) + done, total, back=True)
        self.outcome = "joined"
        if returning.stop == first:
            self._examine(follower, (first, -self.step))

    def _joined(self, there: Frame, back: Frame, first: int, target: int) -> Frame:
        """One frame as both ways brought it. A halt is the nearer way's."""
        share = abs(back.number - first) / abs(target - first)
        matte, doubt = joined((there.matte, there.doubt), (back.matte, back.doubt), share)
        halt = (there if share < 0.5 else back).halt
        return Frame(back.number, matte, "followed", doubt, back.ms, halt)

    def _examine(self, follower: Follower, arrival: Arrival) -> None:
        """Keeps what a touched frame teaches to which following has come."""
        stand, matte = self.frames.statuses().get(arrival[0]), self.frames.matte(arrival[0])
        if stand is not None and stand.origin == "touched" and matte is not None:
            self.frames.learn(arrival, examined(self.read, self.count, follower, arrival, matte))


def refollow(
    read: Read, count: int, frames: Frames, about: int, settings: Settings, halting: bool = False
) -> Iterator[Frame]:
    """Follows anew what a touch of the frame `about` affects: up to the neighbouring touched frames."""
    touched = sorted(n for n, one in frames.statuses().items() if one.origin == "touched")
    here = touched.index(about)
    before, after = touched[here - 1 : here] if here else [], touched[here + 1 : here + 2]
    ways = [(left, 1) for left in before] + ([(about, 1)] if after else [])
    ways += ([] if before else [(about, -1)]) + ([] if after else [(about, 1)])
    for start, step in ways:
        for progress in FollowPass(read, count, frames, start, step, settings, halting):
            yield progress.frame


def trace_and_follow(
    read: Read, count: int, marks: Sequence[Mark], settings: Settings, halting: bool = True,
    frames: Touchable | None = None,
) -> Iterator[Frame]:  # fmt: skip
    """Does what the artist did: traces the first marked frame, follows both ways, mends the next one, and so on.

    The order of the marks is the order of the work. A frame that following has reached is mended by its
    marks, unless they say that the subject is elsewhere; one that it has not is traced from them alone.
    Each touch is followed up to the neighbouring touched frames, so a frame may come more than once: the
    last one counts. Where following halts, the rest of that span does not come. frames: where they are kept; in
    memory where that is left out. Raises TraceError when no frame can be traced, or a mark lies outside the clip.
    """
    by_frame: dict[int, list[Mark]] = {}
    for mark in marks:
        by_frame.setdefault(mark.frame, []).append(mark)
    if by_frame and max(by_frame) >= count:
        raise TraceError(f"There is a mark on frame {max(by_frame)}, but the footage has {count} frames.")
    if not any(mark.kind in ("in", "found") for mark in marks):
        raise TraceError("There is no in mark.", "Draw at least one in mark on the subject.")
    kept: Touchable = FramesInMemory() if frames is None else frames
    # out marks alone can only mend: such frames wait until following has been there
    starts = {n: any(mark.kind in ("in", "found") for mark in by_frame[n]) for n in by_frame}
    order = sorted(by_frame, key=lambda n: not starts[n])
    for number in order:
        begun = time.perf_counter()
        prior = kept.matte(number)
        if prior is None and not starts[number]:
            continue
        if any(mark.kind == "found" for mark in by_frame[number]):
            prior = find(read, number, count, settings.snap, settings.detail)
        plain = prior is not None and only_drags(by_frame[number])
        ready = read(number) if plain else prepare(read, count, number, settings.snap)
        frame = kept.touch(number, _touched(ready, by_frame[number], prior, settings))
        yield replace(frame, ms=(time.perf_counter() - begun) * 1000)
        yield from refollow(read, count, kept, number, settings, halting)


def _touched(ready: U8 | Prepared, marks: list[Mark], prior: F32 | None, settings: Settings) -> F32:
    """A marked frame's matte: the prior mended, or traced anew where the marks contradict most of it."""
    if prior is not None:
        inside = rasterise(marks, "in", prior.shape, (1.0, 1.0))
        if inside.any() and float((prior[inside] > 0.5).mean()) < 0.2 and _wide(inside, prior):
            prior = None
    return trace(ready, marks, prior, settings.snap, settings.detail)


def _wide(inside: Mask, prior: F32) -> bool:
    """Whether in marks are drawn over a whole subject, not in one wrong corner of it."""
    return int(inside.sum()) > 0.04 * max(1, int((prior > 0.5).sum()))


def neighbours(touched: Collection[int], number: int) -> list[int]:
    """The touched frames nearest to one, on either side: their light and their places are most like its own."""
    before, after = [n for n in touched if n < number], [n for n in touched if n > number]
    return [*([max(before)] if before else []), *([min(after)] if after else [])]


def far_from(known: Collection[int], number: int) -> list[int]:
    """Of frames whose mattes are known the nearest ones that lie FAR off one, on either side."""
    before = [max((n for n in known if n <= number - far), default=None) for far in FAR]
    after = [min((n for n in known if n >= number + far), default=None) for far in FAR]
    return sorted({n for n in (*before, *after) if n is not None}, key=lambda n: abs(n - number))


def _timed(
    read: Read,
    frames: Sequence[int],
    follower: Follower,
    reverse: Callable[[int], ReversePass | None] = lambda number: None,
    keep: bool = False,
) -> Iterator[Frame]:
    begun = time.perf_counter()
    for at, found in span(read, frames, follower, keep, reverse):
        yield Frame(at, found.matte, "followed", found.doubt, (time.perf_counter() - begun) * 1000, found.halt)
        begun = time.perf_counter()
