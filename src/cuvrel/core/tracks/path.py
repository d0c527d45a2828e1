"""Where a track is on every frame: what was measured, held to what the hand said.

A frame's place is a matrix, (3, 3), from the track's own places (-1 to 1 about the middle of what was marked) to plate
pixels, origin at the top left corner of the top left pixel. What was measured is stored as it was; a touch is held
exactly, and frames between two touches keep the measured motion, with what is amiss at either touch spread over them.
Frames that could not be seen are bridged by smooth motion.
"""

from __future__ import annotations

import json
from bisect import bisect_left
from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from typing import Any

import numpy as np

from cuvrel.core.arrays import F32, F64
from cuvrel.core.imaging.homography import growth, inverse, moved, slopes
from cuvrel.core.recipe.tracks import Track
from cuvrel.core.recipe.values import START, How, Riding
from cuvrel.core.tracks.align import Freedom
from cuvrel.core.tracks.follow import FREEDOM
from cuvrel.core.tracks.geometry import SQUARE, bridge, through

NEAR = 6  # frames over which doubt fades in and out, for what grows with it


@dataclass(frozen=True)
class Measured:
    """What was measured of a frame; where it could not be seen there is no matrix.

    before, after: the matrix as following made it that came from frames before, or from frames behind; they differ on
    touched frames alone, where following begins anew. features: rows of x, y and how well each agrees, 0 to 1. camera:
    of a camera, what was solved of the frame (core/camera/path.py).
    """

    before: F64 | None
    after: F64 | None
    doubt: float = 0.0
    reason: str = ""
    features: F32 = field(default_factory=lambda: np.zeros((0, 3), np.float32))
    camera: Mapping[str, Any] | None = None

    def sided(self, matrix: F64 | None, step: int) -> Measured:
        """The same with another matrix for what lies on from it by a step of 1 or -1."""
        return replace(self, after=matrix) if step > 0 else replace(self, before=matrix)

    def side(self, step: int) -> F64 | None:
        """The matrix for what lies on from it by a step of 1 or -1."""
        return self.after if step > 0 else self.before

    def packed(self) -> bytes:
        """As JSON, to be stored."""
        about: dict[str, Any] = {"before": _listed(self.before), "after": _listed(self.after),
                                 "doubt": round(self.doubt, 4), "reason": self.reason,
                                 "features": np.round(self.features, 2).tolist()}  # fmt: skip
        if self.before is self.after:
            del about["after"]
        if self.camera is not None:
            about["camera"] = dict(self.camera)
        return json.dumps(about, separators=(",", ":")).encode()

    @staticmethod
    def unpacked(data: bytes) -> Measured:
        """From what was stored."""
        about = json.loads(data)
        before = _matrix(about["before"])
        after = _matrix(about["after"]) if "after" in about else before
        features = np.asarray(about["features"], np.float32).reshape(-1, 3)
        return Measured(before, after, float(about["doubt"]), str(about["reason"]), features, about.get("camera"))


def _listed(matrix: F64 | None) -> list[float] | None:
    return None if matrix is None else [float(f"{n:.10g}") for n in matrix.ravel()]


def _matrix(numbers: list[float] | None) -> F64 | None:
    return None if numbers is None else np.array(numbers, np.float64).reshape(3, 3)


def freedom_of(track: Track) -> Freedom:
    """How a track may change from frame to frame."""
    found: Freedom = track.values().at(START)["freedom"] if track.kind == "region" else FREEDOM[track.kind]  # type: ignore[index]
    return found


def own_frame(track: Track) -> F64:
    """A track's place on its frame of reference."""
    points = np.asarray(track.points, np.float64)
    low, high = points.min(axis=0), points.max(axis=0)
    middle = (low + high) / 2
    size = max(float((high - low).max()) / 2, 1.0)
    if track.kind == "point":
        size = float(track.values().at(START)["radius"])
    return np.array([[size, 0, middle[0]], [0, size, middle[1]], [0, 0, 1.0]])


def box_of(track: Track) -> F64:
    """What a touch of a track places: the point, the box about the outline, or the corners; (N, 2) on its frame."""
    points = np.asarray(track.points, np.float64)
    if track.kind != "region":
        return points
    (left, top), (right, bottom) = points.min(axis=0), points.max(axis=0)
    return np.array([[left, top], [right, top], [right, bottom], [left, bottom]])


class Path:
    """A track on every frame. measured: what is stored, by frame."""

    def __init__(self, track: Track, measured: Mapping[int, Measured]) -> None:
        self.track, self._measured = track, measured
        self.freedom = freedom_of(track)
        self.own = own_frame(track)
        self._touched = {touch.frame: np.asarray(touch.points, np.float64) for touch in track.touches}
        self._touches = sorted([track.frame, *self._touched])
        self._known = sorted({*self._touches, *(n for n in measured)})
        self._places: dict[int, F64] = {}
        self._moved: dict[tuple[str, float], F64] = {}

    @property
    def ends(self) -> tuple[int, int]:
        """The first and the last frame of which something is known."""
        return self._known[0], self._known[-1]

    def place(self, frame: int) -> F64:
        """Where it is on a frame; beyond what is known it stays as it was last."""
        frame = min(max(frame, self._known[0]), self._known[-1])
        if frame not in self._places:
            self._places[frame] = self._placed(frame)
        return self._places[frame]

    def points(self, frame: int) -> F64:
        """The point, the outline or the corners on a frame, (N, 2)."""
        return moved(self.since(frame), np.asarray(self.track.points, np.float64))

    def since(self, frame: int) -> F64:
        """How it has moved since its frame of reference, (3, 3) between plate pixels."""
        return np.asarray(self.place(frame) @ inverse(self.own), np.float64)

    def seen(self, frame: int) -> bool:
        """Whether it was measured on a frame, or put there by hand."""
        return frame in self._touches or self._raw(frame) is not None

    def features(self, frame: int) -> F32:
        """The feature points that it was followed by on a frame: rows of x, y and how well each agrees."""
        found = self._measured.get(frame)
        return np.zeros((0, 3), np.float32) if found is None else found.features

    def doubt(self, time: float) -> float:
        """How much it is in doubt about a time, 0 to 1: as much as the worst frame near, the less the further off."""
        low = int(np.floor(time))
        return max(max(0.0, 1 - abs(n - time) / NEAR) * self._doubt(n) for n in range(low - NEAR, low + NEAR + 2))

    def _doubt(self, frame: int) -> float:
        frame = min(max(frame, self._known[0]), self._known[-1])
        found = self._measured.get(frame)
        if frame in self._touches:
            return 0.0
        return 1.0 if found is None or found.before is None else found.doubt

    def _raw(self, frame: int) -> F64 | None:
        found = self._measured.get(frame)
        if found is None:
            return None
        return found.after if found.before is None else found.before

    def _placed(self, frame: int) -> F64:
        if frame == self.track.frame:
            return self.own
        if frame in self._touched:
            return self.put(self._touched[frame], self._raw(frame))
        raw = self._raw(frame)
        if raw is None:
            return self._bridged(frame)
        n = bisect_left(self._touches, frame)
        sides = [*((touch, 1) for touch in self._touches[:n][-1:]), *((touch, -1) for touch in self._touches[n:][:1])]
        amiss = [(touch, found) for touch, step in sides if (found := self._amiss(touch, step)) is not None]
        if not amiss:
            return raw
        (left, here), (right, there) = amiss[0], amiss[-1]
        if left == right:
            return np.asarray(raw @ here, np.float64)
        share = (frame - left) / (right - left)
        between = moved(here, SQUARE) + (moved(there, SQUARE) - moved(here, SQUARE)) * share
        return np.asarray(raw @ through(between, self.freedom), np.float64)

    def _amiss(self, touch: int, step: int) -> F64 | None:
        """What is amiss at a touch with what was measured on from it, between the track's own places."""
        found = self._measured.get(touch)
        raw = None if found is None else found.side(step)
        return None if raw is None else np.asarray(inverse(raw) @ self.place(touch), np.float64)

    def put(self, points: F64, measured: F64 | None) -> F64:
        """The place at which a touch's points lie. measured: what was measured there, for how large a point is."""
        if self.track.kind == "point":
            here = np.array(self.own if measured is None else measured, np.float64)
            here = here / here[2, 2]
            at = moved(here, np.zeros((1, 2)))[0]
            shift = np.eye(3)
            shift[:2, 2] = points[0] - at
            return np.asarray(shift @ here, np.float64)
        own = moved(inverse(self.own), box_of(self.track))
        return through(points, self.freedom, own)

    def _bridged(self, frame: int) -> F64:
        n = bisect_left(self._known, frame)
        a = next((at for at in reversed(self._known[:n]) if self.seen(at)), None)
        b = next((at for at in self._known[n:] if self.seen(at)), None)
        if a is None or b is None:
            return self.place(next(at for at in (a, b) if at is not None))
        before = moved(self.place(a - 1), SQUARE) if self.seen(a - 1) else None
        after = moved(self.place(b + 1), SQUARE) if self.seen(b + 1) else None
        here, there = moved(self.place(a), SQUARE), moved(self.place(b), SQUARE)
        return through(bridge(before, here, there, after, b - a, (frame - a) / (b - a)), self.freedom)

    # what rides

    def at(self, time: float, smooth: float = 0.0) -> F64:
        """Where it is at a time, which may lie between two frames. smooth: frames that are averaged, Gaussian."""
        if smooth <= 0 and time == int(time):
            return self.place(int(time))
        return through(self._corners(time, smooth), self.freedom)

    def _corners(self, time: float, smooth: float) -> F64:
        if smooth > 0:
            sigma = smooth / 2
            reach = int(np.ceil(3 * sigma))
            steps = np.arange(-reach, reach + 1)
            weights = np.exp(-0.5 * (steps / sigma) ** 2)
            found = sum(w * self._beyond(time + step) for w, step in zip(weights, steps, strict=True))
            return np.asarray(found / weights.sum(), np.float64)
        return self._beyond(time, held=True)

    def _beyond(self, time: float, held: bool = False) -> F64:
        """Corners at a time; beyond what is known as it came, turned about the end, so that an average stays there."""
        first, last = self.ends
        if not held and time < first:
            return 2 * moved(self.place(first), SQUARE) - self._beyond(min(2 * first - time, last), held=True)
        if not held and time > last:
            return 2 * moved(self.place(last), SQUARE) - self._beyond(max(2 * last - time, first), held=True)
        low = int(np.floor(time))
        here, share = moved(self.place(low), SQUARE), time - low
        return here if share == 0 else here + (moved(self.place(low + 1), SQUARE) - here) * share

    def moved(self, riding: Riding, time: float) -> F64:
        """How what rides on it is moved at a time, (3, 3) between plate pixels."""
        key = f"{riding.frame} {riding.how} {riding.smooth} {riding.still} {riding.widen}", time
        if key not in self._moved:
            start, here = self.at(riding.frame, riding.smooth), self.at(time, riding.smooth)
            way = reduced(np.asarray(here @ inverse(start), np.float64), riding.how, moved(start, np.zeros((1, 2)))[0])
            way = inverse(way) if riding.still else way
            if riding.widen > 0:
                x, y = moved(here, np.zeros((1, 2)))[0]
                grown = 1 + riding.widen * self.doubt(time)
                way = np.array([[grown, 0, x - grown * x], [0, grown, y - grown * y], [0, 0, 1.0]]) @ way
            self._moved[key] = way
        return self._moved[key]


def reduced(matrix: F64, how: How, about: F64) -> F64:
    """A motion without what does not count: the place `about` goes where it went; the rest as it is seen from there."""
    if how == "perspective":
        return np.asarray(matrix / matrix[2, 2], np.float64)
    x, y = about
    u, v, w = matrix @ (x, y, 1.0)
    to = np.array([u / w, v / w])
    turned = np.eye(2)
    if how != "position":
        way, size = slopes(matrix, x, y), growth(matrix, x, y)
        angle = np.arctan2(way[1, 0] - way[0, 1], way[0, 0] + way[1, 1]) if "turn" in how else 0.0
        turned = size * np.array([[np.cos(angle), -np.sin(angle)], [np.sin(angle), np.cos(angle)]])
    out = np.eye(3)
    out[:2, :2], out[:2, 2] = turned, to - turned @ about
    return out
