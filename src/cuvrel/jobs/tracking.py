"""Following tracks: several side by side over the same frames, each by its own plan."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import asdict, dataclass

import numpy as np

from cuvrel.core.arrays import F32
from cuvrel.core.camera.plan import CameraPass
from cuvrel.core.checks.halt import Halt
from cuvrel.core.recipe.models import Shot
from cuvrel.core.recipe.tracks import Track
from cuvrel.core.recipe.values import START
from cuvrel.core.stand.build import Stand
from cuvrel.core.stand.nodes import Cache, work_out
from cuvrel.core.tracks.plan import Frames, Progress, Step, TrackPass, ways
from cuvrel.core.tracks.pyramids import Read, Scenes

SAYS = {
    "nothing": "There was nothing to follow.",
    "end": "Followed to the end.",
    "touched": "Followed to the next touched frame.",
    "halted": "Halted: it can't be seen any more.",
}


@dataclass
class _Course:
    """A track's ways one after another. number, at: the way that is under way, and the frame it has come to."""

    track: Track
    frames: Frames
    scenes: Scenes
    ways: list[tuple[int, Step, int]]
    number: int = 0
    at: int | None = None
    outcome: str = "nothing"
    halt: tuple[int, Halt] | None = None

    @property
    def frames_left(self) -> int:
        """How much of it is to be done."""
        return sum(abs(last - start) for start, _, last in self.ways[self.number :])

    def __iter__(self) -> Iterator[Progress]:
        while self.number < len(self.ways):
            start, step, last = self.ways[self.number]
            way = TrackPass(self.scenes, self.track, self.frames, start, step, last, self.at)
            for came in way:
                self.at = came.frame
                yield came
            self.outcome = way.outcome if way.outcome != "nothing" else self.outcome
            self.halt = self.halt or way.halt
            self.number, self.at = self.number + 1, None


class _CameraCourse(CameraPass):
    """A camera's way, as a track's."""

    number = 0

    @property
    def frames_left(self) -> int:
        """How much of it is to be done."""
        return self.total

    def __iter__(self) -> Iterator[Progress]:
        for came in super().__iter__():
            self.at = came.frame
            yield came


class Courses:
    """Several tracks of a shot that are followed side by side, a frame of each at a time.

    wanted: the tracks' ids. step: None for all of each track. to: the frame that is followed to at the most. been: how
    far each had come when this was cut off.
    """

    def __init__(
        self, shot: Shot, stand: Stand, cache: Cache, read: Read, frames: Callable[[str], Frames], wanted: list[str],
        start: int, step: Step | None, to: int | None, been: dict[str, list[int | None]],
    ) -> None:  # fmt: skip
        scenes: dict[tuple[str | None, str | None], Scenes] = {}
        self._stand, self._cache = stand, cache
        self.courses: list[_Course | _CameraCourse] = []
        first, last = shot.frames[0], shot.frames[-1]
        if to is not None:
            first, last = (to, last) if step == -1 else (first, to)
        for track in (shot.track(one) for one in wanted):
            values = track.values().at(START)
            held = values["without"], values["within"]
            number, at = been.get(track.id, [0, None])
            if track.kind == "camera":
                plate = shot.plate_footage()
                camera = _CameraCourse(read, self._cover(*held), track, frames(track.id), shot.frames[0],
                                       shot.frames[-1], (plate.width, plate.height), at)  # fmt: skip
                self.courses.append(camera)
                continue
            if held not in scenes:
                scenes[held] = Scenes(read, self._cover(*held))
            course = _Course(track, frames(track.id), scenes[held], ways(track, step, start, first, last))
            course.number, course.at = number or 0, at
            self.courses.append(course)

    def _cover(self, without: str | None, within: str | None) -> Callable[[int], F32] | None:
        """What is not looked at on a frame."""
        if without is None and within is None:
            return None

        def cover(frame: int) -> F32:
            out = np.zeros(self._stand.plate_size, np.float32)
            if without is not None:
                out = np.maximum(out, work_out(self._stand.matte(without, frame), self._cache))
            if within is not None:
                out = np.maximum(out, 1 - work_out(self._stand.matte(within, frame), self._cache))
            return out

        return cover

    def __iter__(self) -> Iterator[tuple[int, int, dict[str, list[int | None]]]]:
        """Follows; tells after each frame how many of all are done, and how far each track has come."""
        under = [(course, iter(course)) for course in self.courses]
        done, total = 0, sum(course.frames_left for course in self.courses)
        while under:
            for course, steps in list(under):
                came = next(steps, None)
                if came is None:
                    under.remove((course, steps))
                    continue
                done = done + 1 if isinstance(course, _Course) else max(done, came.done)
                yield min(done, total), total, {one.track.id: [one.number, one.at] for one in self.courses}

    @property
    def said(self) -> str:
        """How it ended, in a sentence."""
        outcomes = {course.outcome for course in self.courses}
        if outcomes == {"end"} and all(course.track.kind == "camera" for course in self.courses):
            return "The camera is solved."
        worst = next(one for one in ("halted", "touched", "end", "nothing") if one in outcomes)
        return SAYS[worst]

    @property
    def result(self) -> dict[str, object]:
        """Where and why the first of them halted, as a job keeps it."""
        for course in self.courses:
            if course.halt is not None:
                frame, halt = course.halt
                return {"halt": asdict(halt), "frame": frame, "pull": course.track.id}
        return {}
