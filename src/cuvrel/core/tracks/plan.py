"""The plan of following a track: from which frame, in which direction, and where it ends."""

from __future__ import annotations

from collections.abc import Collection, Iterator, Mapping
from dataclasses import dataclass, field, replace
from typing import Literal, Protocol

import numpy as np

from cuvrel.core.arrays import F64
from cuvrel.core.checks.halt import Halt
from cuvrel.core.imaging.homography import FROM_MIDDLE, growth, inverse, moved
from cuvrel.core.recipe.tracks import Spot, Track
from cuvrel.core.recipe.values import START
from cuvrel.core.tracks.follow import LOST, Found, Start, Tracker
from cuvrel.core.tracks.path import Measured, Path, freedom_of
from cuvrel.core.tracks.pyramids import Scenes

Step = Literal[1, -1]
Outcome = Literal["nothing", "end", "touched", "halted"]
NOTHING = Measured(None, None)


class Frames(Protocol):
    """The stored frames of one track."""

    def known(self) -> Collection[int]:
        """The frames of which something is stored."""

    def read(self, frame: int) -> Measured | None:
        """What is stored of a frame."""

    def keep(self, frame: int, measured: Measured, halt: Halt | None) -> None:
        """Stores a frame."""


@dataclass(frozen=True)
class Progress:
    """A frame that was followed and stored. done, total: how far the way is, in frames."""

    frame: int
    measured: Measured
    done: int
    total: int


@dataclass
class FramesInMemory:
    """A track's frames in memory, and where following halted."""

    frames: dict[int, Measured] = field(default_factory=dict)
    halts: dict[int, Halt] = field(default_factory=dict)

    def known(self) -> Collection[int]:
        """See `Frames`."""
        return list(self.frames)

    def read(self, frame: int) -> Measured | None:
        """See `Frames`."""
        return self.frames.get(frame)

    def keep(self, frame: int, measured: Measured, halt: Halt | None) -> None:
        """See `Frames`."""
        self.frames[frame] = measured
        if halt is not None:
            self.halts[frame] = halt


class Stored(Mapping[int, Measured]):
    """What is stored of a track; each frame is read when it is asked for."""

    def __init__(self, frames: Frames) -> None:
        self._frames, self._known = frames, frozenset(frames.known())

    def __getitem__(self, frame: int) -> Measured:
        found = self._frames.read(frame) if frame in self._known else None
        if found is None:
            raise KeyError(frame)
        return found

    def __iter__(self) -> Iterator[int]:
        return iter(self._known)

    def __len__(self) -> int:
        return len(self._known)


def path_of(track: Track, frames: Frames) -> Path:
    """A track on every frame, as it is stored now."""
    return Path(track, Stored(frames))


def way_from(track: Track, known: Collection[int], start: int, step: Step) -> tuple[int, int]:
    """From which touched frame, and from which frame beside, following goes on from a frame. known: stored frames.

    Where nothing is known of a frame it goes on from the last one before it of which something is.
    """
    touched = sorted([track.frame, *(touch.frame for touch in track.touches)])
    behind = [n for n in touched if (n - start) * step <= 0]
    anchor = max(behind, key=lambda n: n * step) if behind else min(touched, key=lambda n: n * step)
    at = anchor
    while at != start and (start - at) * step > 0 and at + step in known:
        at += step
    return anchor, start if start in known and behind else at


@dataclass
class TrackPass:
    """Following a track from a frame on, by steps of 1 or -1, up to the next touched frame or the last one wanted.

    Iterating does the work, and tells each frame once it is stored; afterwards `outcome` says how it ended: nothing was
    to be done, the end was reached, a touched frame was, or it halted, since it could not be seen for as many frames as
    the track is patient for.

    last: the frame that is followed to at the most. at: the frame that a way which was cut off had come to.
    Raises CanNotTrack where what was marked can't be told from anything.
    """

    scenes: Scenes
    track: Track
    frames: Frames
    start: int
    step: Step
    last: int
    at: int | None = None
    outcome: Outcome = "nothing"
    halt: tuple[int, Halt] | None = None

    def __iter__(self) -> Iterator[Progress]:
        track, step = self.track, self.step
        anchor, at = way_from(track, self.frames.known(), self.start, step)
        touched = [track.frame, *(touch.frame for touch in track.touches)]
        ahead = [n for n in touched if (n - at) * step > 0 and (n - self.last) * step <= 0]
        stop = min(ahead, key=lambda n: n * step) if ahead else self.last
        at = at if self.at is None else self.at
        wanted = range(at + step, stop + step, step)
        if not wanted:
            return
        path = path_of(track, self.frames)
        tracker = Tracker(self.scenes, _start(track, path, anchor))
        side = self._set_out(path, anchor) if at == anchor else self._side(anchor, path)
        into = np.asarray(inverse(self._first(tracker)) @ side, np.float64)
        begin = None
        if at != anchor:
            here = self.frames.read(at)
            raw = None if here is None else here.before
            doubt = 1.0 if here is None or raw is None else here.doubt
            place = inverse(FROM_MIDDLE) @ (path.place(at) if raw is None else raw) @ inverse(into)
            begin = Found(at, np.asarray(place, np.float64), doubt)
        total, lost = len(wanted), 0
        patience = int(track.values().at(START)["patience"])
        for done, found in enumerate(tracker.follow(wanted, begin), 1):
            lost = lost + 1 if found.doubt >= LOST else 0
            measured = self._kept(found, into, found.frame in touched)
            if lost >= patience:
                self._halted(found.frame - (lost - 1) * step)
            yield Progress(found.frame, measured, done, total)
            if self.halt is not None:
                return
        self.outcome = "touched" if ahead else "end"

    def _first(self, tracker: Tracker) -> F64:
        return np.asarray(FROM_MIDDLE @ tracker.first.matrix, np.float64)

    def _set_out(self, path: Path, anchor: int) -> F64:
        """Stores that what is measured from now on sets out where the touched frame has it."""
        place = path.place(anchor)
        here = self.frames.read(anchor) or NOTHING
        self.frames.keep(anchor, replace(here.sided(place, self.step), doubt=0.0, reason=""), None)
        return place

    def _side(self, anchor: int, path: Path) -> F64:
        """Where what was measured on from a touched frame set out."""
        here = self.frames.read(anchor)
        found = None if here is None else here.side(self.step)
        return path.place(anchor) if found is None else found

    def _kept(self, found: Found, into: F64, touched: bool) -> Measured:
        """Stores what was found of a frame. into: what turns the tracker's own places into the track's."""
        matrix = None if found.doubt >= LOST else np.asarray(FROM_MIDDLE @ found.matrix @ into, np.float64)
        if touched:
            # it is the other side's as well; what came from there stays
            measured = (self.frames.read(found.frame) or NOTHING).sided(matrix, -self.step)
            measured = replace(measured, features=found.features)
        else:
            measured = Measured(matrix, matrix, found.doubt, found.reason, found.features)
        self.frames.keep(found.frame, measured, None)
        return measured

    def _halted(self, frame: int) -> None:
        """Stores on the first frame on which it could not be seen that following halted there."""
        path = path_of(self.track, self.frames)
        points = path.points(frame - self.step)
        middle = points.mean(axis=0)
        radius = max(float(np.abs(points - middle).max()), 24.0)
        halt = Halt(
            "it can't be seen from here on",
            "Put it where it is on a frame where it can be seen again, and follow on from there.",
            *(round(float(n), 1) for n in (*middle, radius)),
        )
        measured = self.frames.read(frame) or NOTHING
        self.frames.keep(frame, measured, halt)
        self.outcome, self.halt = "halted", (frame, halt)


def _start(track: Track, path: Path, anchor: int) -> Start:
    """What is tracked from a touched frame: it looks as it does there."""
    since = path.since(anchor)
    values = track.values().at(START)

    def spots(some: list[Spot]) -> list[tuple[float, float, float]]:
        return [(*moved(since, np.array([[one.x, one.y]]))[0].tolist(), one.radius * growth(since, one.x, one.y))
                for one in some]  # fmt: skip

    radius = float(values.get("radius", 12.0))
    assert track.kind != "camera"
    return Start(track.kind, anchor, path.points(anchor), radius, freedom_of(track),
                 spots(track.less), spots(track.more))  # fmt: skip


def ways(track: Track, step: Step | None, start: int, first: int, last: int) -> list[tuple[int, Step, int]]:
    """The ways of a job: where each begins, its step, and the frame that it is followed to at the most.

    step: None for all of the track, from each touched frame both ways as far as nothing comes from elsewhere.
    """
    if step is not None:
        return [(start, step, last if step > 0 else first)]
    touched = sorted([track.frame, *(touch.frame for touch in track.touches)])
    out: list[tuple[int, Step, int]] = [(n, 1, last) for n in touched if n < last]
    if touched[0] > first:
        out.append((touched[0], -1, first))
    return out
