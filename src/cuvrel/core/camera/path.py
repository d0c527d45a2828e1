"""A solved camera as a track: what is stored of its frames, and how what rides on its scene moves.

Each frame keeps the features that were followed through it and, once the camera is solved, its view. The track's own
frame keeps the points of the scene besides. Riders and cards ask for views, and never for the whole scene.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

import numpy as np

from cuvrel.core.arrays import F32, F64, I64
from cuvrel.core.camera.lens import Lens, View, between
from cuvrel.core.camera.solve import Scene, moved
from cuvrel.core.camera.trails import Row
from cuvrel.core.imaging.homography import inverse
from cuvrel.core.recipe.tracks import Space, Track
from cuvrel.core.recipe.values import Riding
from cuvrel.core.tracks.path import Measured, reduced

UNSOLVED = "the camera is not solved"
NEAR = 6  # frames over which doubt fades in and out, for what grows with it


def as_followed(row: Row) -> Measured:
    """A frame's features as they are stored before anything is solved."""
    return Measured(None, None, 1.0, UNSOLVED, _features(row, None), {"ids": row.ids.tolist()})


def row_of(measured: Measured) -> Row:
    """The features of a frame as they were stored."""
    ids = np.array((measured.camera or {}).get("ids", []), np.int64)
    return Row(ids, np.asarray(measured.features[:, :2], np.float32))


def _features(row: Row, agree: F64 | None) -> F32:
    share = np.zeros(len(row.at), np.float32) if agree is None else agree.astype(np.float32)
    return np.column_stack([np.round(row.at, 3), share]).astype(np.float32)


def as_solved(
    scene: Scene, rows: Mapping[int, Row], trails: Mapping[int, I64], own: int, unit: float
) -> dict[int, Measured]:
    """Each frame as it is stored once the camera is solved.

    rows: the features of each frame. trails: for each frame, which of the scene's points each feature is; -1 is none.
    own: the frame that keeps the points as well. unit: pixels that a frame may be off without doubt.
    """
    out = {}
    points = {"points": np.round(scene.points, 5).tolist(), "still": scene.still, "kept": round(scene.kept, 3),
              "error": round(scene.error, 4), "says": scene.says}  # fmt: skip
    for frame, row in rows.items():
        which, view = trails[frame], scene.views.get(frame)
        agree = np.zeros(len(which))
        camera: dict[str, Any] = {"ids": row.ids.tolist(), "which": which.tolist()}
        doubt, reason = 1.0, "it could not be solved here"
        if view is not None:
            known = which >= 0
            off = np.hypot(*(view.seen(scene.points[which[known]]) - row.at[known]).T)
            agree[known] = np.exp(-((off / (2 * unit)) ** 2))
            error, count = scene.errors[frame], scene.counts[frame]
            doubt = float(np.clip(max((error / unit - 0.8) / 2.5, (40 - count) / 60), 0, 0.95))
            reason = "" if doubt < 0.35 else "few points hold it" if count < 25 else "its points are seen elsewhere"
            camera |= {"turn": _rounded(view.turn), "shift": _rounded(view.shift), "focal": round(view.lens.focal, 5),
                       "bend": _rounded(np.array(view.lens.bend)), "error": round(error, 4)}  # fmt: skip
        if frame == own:
            camera["scene"] = points
        out[frame] = Measured(None, None, doubt, reason, _features(row, agree), camera)
    return out


def _rounded(values: F64) -> list[float]:
    return [float(f"{n:.10g}") for n in np.asarray(values).ravel()]


@dataclass(frozen=True)
class Solved:
    """What is known of a scene besides its views. points: (P, 3). still: the camera turns alone; points are ways."""

    points: F64
    still: bool
    kept: float
    error: float
    says: str


class CameraPath:
    """A camera on every frame. measured: what is stored, by frame; size: of the plate, in pixels."""

    def __init__(self, track: Track, measured: Mapping[int, Measured], size: tuple[int, int]) -> None:
        self.track, self._measured, self.size = track, measured, size
        self._known: list[int] | None = None
        self._views: dict[int, View | None] = {}
        self.space = Axes(track.space or Space())

    @property
    def solved(self) -> Solved | None:
        """The scene's points; None where nothing is solved."""
        found = self._measured.get(self.track.frame)
        scene = None if found is None or found.camera is None else found.camera.get("scene")
        if scene is None:
            return None
        return Solved(np.array(scene["points"], np.float64).reshape(-1, 3), bool(scene["still"]), float(scene["kept"]),
                      float(scene["error"]), str(scene["says"]))  # fmt: skip

    def stored(self, frame: int) -> View | None:
        """The view that was solved of a frame."""
        if frame not in self._views:
            found = self._measured.get(frame)
            about = None if found is None else found.camera
            view = None
            if about is not None and "turn" in about:
                lens = Lens(float(about["focal"]), self.size, (float(about["bend"][0]), float(about["bend"][1])))
                view = View(np.array(about["turn"]).reshape(3, 3), np.array(about["shift"]), lens)
            self._views[frame] = view
        return self._views[frame]

    def view(self, time: float) -> View | None:
        """The camera at a time; between frames it goes evenly, and beyond what was solved it stays. None: unsolved."""
        low = int(np.floor(time))
        here = self.stored(low)
        if here is not None and time == low:
            return here
        after = self.stored(low + 1)
        if here is not None and after is not None:
            return between(here, after, time - low)
        known = self.frames
        if not known:
            return None
        before = max((n for n in known if n <= time), default=known[0])
        behind = min((n for n in known if n >= time), default=known[-1])
        a, b = self.stored(before), self.stored(behind)
        assert a is not None
        assert b is not None
        return a if before >= behind else between(a, b, (time - before) / (behind - before))

    @property
    def frames(self) -> list[int]:
        """The frames that were solved, in order."""
        if self._known is None:
            self._known = [n for n in sorted(self._measured) if self.stored(n) is not None]
        return self._known

    def measured(self, frame: int) -> Measured:
        """What is stored of a frame."""
        return self._measured.get(frame) or Measured(None, None, 1.0, UNSOLVED)

    def seen(self, frame: int) -> bool:
        """Whether a frame was solved."""
        return self.stored(frame) is not None

    def features(self, frame: int) -> F32:
        """The features of a frame: rows of x, y and how well each agrees with the scene."""
        found = self._measured.get(frame)
        return np.zeros((0, 3), np.float32) if found is None else found.features

    def error(self, frame: int) -> float | None:
        """Pixels that a frame's features are off, by the median; None where it is not solved."""
        found = self._measured.get(frame)
        about = None if found is None else found.camera
        return None if about is None or "error" not in about else float(about["error"])

    def around(self, frame: int) -> tuple[F64, F64]:
        """The scene's points that a frame shows: where in the picture, (N, 2), and in the scene, (N, 3)."""
        found, solved = self._measured.get(frame), self.solved
        which = np.array((found.camera or {}).get("which", []) if found is not None else [], np.int64)
        if solved is None or found is None or not len(which):
            return np.zeros((0, 2)), np.zeros((0, 3))
        known = which >= 0
        return np.asarray(found.features[known, :2], np.float64), solved.points[which[known]]

    def doubt(self, time: float) -> float:
        """How much it is in doubt about a time, 0 to 1: as much as the worst frame near, the less the further off."""
        low = int(np.floor(time))
        found = [self._measured.get(n) for n in range(low - NEAR, low + NEAR + 2)]
        return max(max(0.0, 1 - abs(n - time) / NEAR) * (one.doubt if one is not None else 0.0)
                   for n, one in zip(range(low - NEAR, low + NEAR + 2), found, strict=True))  # fmt: skip

    def moved(self, riding: Riding, time: float) -> F64:
        """How what rides on a place of the scene is moved at a time, (3, 3) between plate pixels.

        What rides lies on a plane through its place, which faces as it is told, or else the camera. A place that goes
        behind the camera stays where it was seen last.
        """
        start, here = self._smooth(riding.frame, riding.smooth), self._smooth(time, riding.smooth)
        if start is None or here is None:
            return np.eye(3)
        place = np.array(riding.place, np.float64) if riding.place else self._middle(start)
        facing = np.array(riding.facing, np.float64) if riding.facing else start.eye - place
        p0, p1 = start.seen(place[None])[0], here.seen(place[None])[0]
        if not np.isfinite([p0, p1]).all():
            return np.eye(3)
        way = seen_again(start, here, place, facing)
        # what the lens bends is bent as about the place
        q0, q1 = start.lens.straight(p0[None])[0], here.lens.straight(p1[None])[0]
        way = _slope(here.lens.bent, q1, p1) @ way @ _slope(start.lens.straight, p0, q0)
        way = reduced(np.asarray(way, np.float64), riding.how, p0)
        way = inverse(way) if riding.still else way
        if riding.widen > 0:
            x, y = p1
            grown = 1 + riding.widen * self.doubt(time)
            way = np.array([[grown, 0, x - grown * x], [0, grown, y - grown * y], [0, 0, 1.0]]) @ way
        return np.asarray(way, np.float64)

    def _middle(self, view: View) -> F64:
        solved = self.solved
        deep = 5.0
        if solved is not None and len(solved.points):
            before = view.before(solved.points)[:, 2]
            deep = float(np.median(before[before > 0])) if (before > 0).any() else 5.0
        return np.asarray(view.eye + view.turn[2] * deep, np.float64)

    def _smooth(self, time: float, smooth: float) -> View | None:
        here = self.view(time)
        if smooth <= 0 or here is None:
            return here
        sigma = smooth / 2
        steps = np.arange(-int(np.ceil(3 * sigma)), int(np.ceil(3 * sigma)) + 1)
        weights = np.exp(-0.5 * (steps / sigma) ** 2)
        views = [view for step in steps if (view := self.view(time + step)) is not None]
        weights = weights[: len(views)] / weights[: len(views)].sum()
        u, _, v = np.linalg.svd(sum(w * view.turn for w, view in zip(weights, views, strict=True)))
        turn = u @ v
        eye = sum(w * view.eye for w, view in zip(weights, views, strict=True))
        return View(np.asarray(turn), np.asarray(-turn @ eye), here.lens)


def seen_again(a: View, b: View, place: F64, facing: F64) -> F64:
    """From where a straight lens shows places of a plane to where another does, (3, 3) pixels. facing: its normal."""
    normal = a.turn @ facing
    distance = float(normal @ a.before(place[None])[0])
    turn = b.turn @ a.turn.T
    shift = b.shift - turn @ a.shift
    between_ = turn if abs(distance) < 1e-12 else turn + np.outer(shift, normal) / distance
    return np.asarray(b.lens.matrix @ between_ @ np.linalg.inv(a.lens.matrix), np.float64)


def _slope(way: Any, at: F64, to: F64) -> F64:
    """A mapping of places as one of lines, about a place and where it goes, (3, 3)."""
    step = 0.5
    x = (way(at[None] + (step, 0)) - way(at[None] - (step, 0)))[0] / (2 * step)
    y = (way(at[None] + (0, step)) - way(at[None] - (0, step)))[0] / (2 * step)
    out = np.eye(3)
    out[:2, 0], out[:2, 1] = x, y
    out[:2, 2] = to - out[:2, :2] @ at
    return out


class Axes:
    """The hand's layout of a space: from its places (across, up, ahead, in its units) to solved ones, and back."""

    def __init__(self, space: Space) -> None:
        up = np.array(space.up, np.float64)
        up = up / np.linalg.norm(up)
        ahead = np.array(space.ahead, np.float64)
        ahead = ahead - up * (ahead @ up)
        ahead = ahead / np.linalg.norm(ahead)
        self.turn = np.column_stack([np.cross(ahead, up), up, ahead])
        self.origin, self.size = np.array(space.origin, np.float64), space.size

    def solved(self, places: F64) -> F64:
        """Places of the hand's, (..., 3), in the solved space."""
        return np.asarray(self.origin + np.asarray(places, np.float64) @ self.turn.T / self.size)

    def told(self, places: F64) -> F64:
        """Solved places, (..., 3), as the hand has them."""
        return np.asarray((np.asarray(places, np.float64) - self.origin) @ self.turn * self.size)


def aligned(new: Scene, old: Mapping[int, View]) -> Scene:
    """A scene anew, laid over what was solved before, so that what stands in it stays about where it was.

    By the cameras' places and where they look, over the frames that both have (Umeyama, Least-Squares Estimation of
    Transformation Parameters, 1991).
    """
    frames = [n for n in new.views if n in old]
    if not frames:
        return new
    a = np.array([new.views[n].eye for n in frames])
    b = np.array([old[n].eye for n in frames])
    spread = float(np.sqrt(((a - a.mean(axis=0)) ** 2).sum(axis=1).mean()))
    wide = float(np.sqrt(((b - b.mean(axis=0)) ** 2).sum(axis=1).mean()))
    size = wide / spread if spread > 1e-6 and wide > 1e-6 and not new.still else 1.0
    # the turn by which the cameras look the same way, on the whole
    u, _, v = np.linalg.svd(sum(old[n].turn.T @ new.views[n].turn for n in frames))
    turn = np.asarray(u @ np.diag([1, 1, np.sign(np.linalg.det(u @ v))]) @ v)
    return moved(new, turn, b.mean(axis=0) - size * turn @ a.mean(axis=0), size)
