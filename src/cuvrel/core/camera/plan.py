"""Solving the camera of a shot's range: features are followed through it and stored, then all of it is solved."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, replace
from queue import Empty, SimpleQueue

import numpy as np

from cuvrel.core.arrays import F32, U8
from cuvrel.core.camera.path import CameraPath, aligned, as_followed, as_solved, row_of
from cuvrel.core.camera.solve import NotSolved, Scene, solve
from cuvrel.core.camera.trails import NOBODY, Followed, Row, Trails
from cuvrel.core.checks.halt import Halt
from cuvrel.core.recipe.tracks import Track
from cuvrel.core.recipe.values import START
from cuvrel.core.tracks.path import Measured
from cuvrel.core.tracks.plan import Frames, Outcome, Progress, Stored

FILM = 36.0  # millimetres that a picture is wide, for which focal lengths are told
SHARE = 0.5  # of the way that solving is, in frames followed


class _GivenUp(Exception):
    """Nobody waits for it any more."""


@dataclass
class CameraPass:
    """The camera over frames `first` to `last`. Iterating does the work, and tells each frame once it is stored.

    read: a frame, (H, W, 3) uint8 sRGB. cover: what is not looked at on one, (H, W) float32; None for nothing. at: the
    frame that work which was cut off had come to. size: of the plate. What an earlier solve found stays until there is
    a new one, and that is laid over it. Raises NotSolved.
    """

    read: Callable[[int], U8]
    cover: Callable[[int], F32] | None
    track: Track
    frames: Frames
    first: int
    last: int
    size: tuple[int, int]
    at: int | None = None
    outcome: Outcome = "nothing"
    halt: tuple[int, Halt] | None = None

    @property
    def total(self) -> int:
        """How much there is to do, counted in frames."""
        return self.last - self.first + 1 + self._solving

    @property
    def _solving(self) -> int:
        return max(1, round(SHARE * (self.last - self.first + 1)))

    def __iter__(self) -> Iterator[Progress]:
        rows: dict[int, Row] = {}
        trails = Trails(self.size)
        begin = self.first
        if self.at is not None and self.at >= self.first:
            stored = {n: self.frames.read(n) for n in range(self.first, self.at + 1)}
            rows = {n: row_of(one) for n, one in stored.items() if one is not None}
            if self.at in rows:
                trails.next_id = max((int(row.ids.max(initial=-1)) for row in rows.values()), default=-1) + 1
                trails.resume(self.read(self.at), rows[self.at])
                begin = self.at + 1
            else:
                rows = {}
        done = begin - self.first
        last: Measured | None = None
        for frame in range(begin, self.last + 1):
            rows[frame] = trails.step(self.read(frame), None if self.cover is None else self.cover(frame))
            last = self._kept(frame, rows[frame])
            done += 1
            yield Progress(frame, last, done, self.total)
        scene: Scene | None = None
        for found in self._solved(rows):
            if isinstance(found, Scene):
                scene = found
                continue
            yield Progress(
                self.last, last or Measured(None, None, 1.0), done + round(found * self._solving), self.total
            )
        assert scene is not None
        for frame, measured in self._placed(scene, rows).items():
            self.frames.keep(frame, measured, None)
        self.outcome = "end"
        yield Progress(self.last, last or Measured(None, None, 1.0), self.total, self.total)

    def _kept(self, frame: int, row: Row) -> Measured:
        """Stores the features of a frame beside what was solved of it before."""
        fresh, old = as_followed(row), self.frames.read(frame)
        if old is not None and old.camera is not None and "turn" in old.camera:
            camera = {**old.camera, **dict(fresh.camera or {})}
            camera.pop("which", None)
            fresh = replace(old, features=fresh.features, camera=camera)
        elif old is not None and old.camera is not None and "scene" in old.camera:
            fresh = replace(fresh, camera={**dict(fresh.camera or {}), "scene": old.camera["scene"]})
        self.frames.keep(frame, fresh, None)
        return fresh

    def _solved(self, rows: dict[int, Row]) -> Iterator[float | Scene]:
        """How much of solving is done, 0 to 1, and the scene at its end."""
        values = self.track.values().at(START)
        focal = float(values["focal"]) / FILM * self.size[0] or None
        seen, shares, given_up = Followed.of(rows), SimpleQueue[float](), [False]

        def told(share: float) -> None:
            if given_up[0]:
                raise _GivenUp
            shares.put(share)

        with ThreadPoolExecutor(1, thread_name_prefix="camera") as pool:
            work = pool.submit(solve, seen, self.size, values["moves"], values["zooms"], focal,
                               not values["bends"], told)  # fmt: skip
            try:
                while not work.done():
                    try:
                        yield shares.get(timeout=0.5)
                    except Empty:
                        continue
            finally:
                given_up[0] = True
            yield work.result()

    def _placed(self, scene: Scene, rows: dict[int, Row]) -> dict[int, Measured]:
        """Every frame as it is stored now, with the scene on the track's own."""
        path = CameraPath(self.track, Stored(self.frames), self.size)
        old = {n: view for n in rows if (view := path.stored(n)) is not None}
        scene = aligned(scene, old)
        rows = dict(rows)
        rows.setdefault(self.track.frame, NOBODY)
        # trails were numbered anew to be solved
        followed = np.unique(np.concatenate([row.ids for row in rows.values()]))
        counts = np.zeros(len(followed), np.int64)
        for row in rows.values():
            counts[np.searchsorted(followed, row.ids)] += 1
        solved_ids = followed[counts >= 3]
        point_of = np.full(len(followed), -1, np.int64)
        point_of[np.searchsorted(followed, solved_ids[scene.point_trails])] = np.arange(len(scene.points))
        which = {n: point_of[np.searchsorted(followed, row.ids)] for n, row in rows.items()}
        return as_solved(scene, rows, which, self.track.frame, max(self.size) / 960)


__all__ = ["CameraPass", "NotSolved"]
