"""Solving a camera: from trails through a clip to where it stood on each frame, its lens, and the scene's points.

In steps: frames that are far enough apart are chosen; two of them that show most parallax begin a scene, at several
focal lengths, since that is not known; the others are joined to it one by one, from the nearest, each by the points
that are known (perspective n points); all of them, the lens and the points are adjusted together; and the remaining
frames are found by the points. Where nothing but a turn of the camera explains what is seen, that alone is solved.

Hartley and Zisserman, Multiple View Geometry, 2004; Pollefeys et al., Visual Modeling with a Hand-Held Camera, 2004.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, field, replace
from itertools import pairwise
from typing import Literal

import cv2
import numpy as np

from cuvrel.core.arrays import F64, I64
from cuvrel.core.camera.adjust import Bundle, adjust
from cuvrel.core.camera.lens import Lens, View, turned
from cuvrel.core.camera.trails import Followed
from cuvrel.core.recipe.errors import CuvrelError

MOST_KEYS = 72  # frames that are adjusted together
LEAST_KEYS = 16
APART = 0.025  # of the picture's width that features have gone on the way to the next such frame
SHARED = 24  # trails that two frames must have in common
FEWEST = 40  # trails of a clip below which nothing is begun
BEYOND = (1, 2, 4, 7, 11, 16, 23)  # how many key frames on the other frame is that one is tried to begin with
GUESSES = (1.0, 0.7, 1.5, 2.4)  # focal lengths that are begun with, in widths of the picture
WELL, FAIR = 0.8, 2.5  # pixels, at a picture of 960: an error of a good, and of a usable solve
THROWN = 3.0  # pixels beyond which an observation is none, at 960
STILL = 0.45  # pixels at 960: the median that a turn alone may leave, to be taken for one
TELLS = 0.6  # how much less error moving must leave than turning alone, to be believed
SEEN = 0.5  # of the frames that must be solved
Moves = Literal["it moves", "it turns alone", "either"]
Zooms = Literal["it stays", "it changes", "either"]


class NotSolved(CuvrelError):
    """The camera could not be solved; the text says why, and what would help."""


@dataclass(frozen=True)
class Scene:
    """What was solved.

    views: by frame. errors: of each frame, the median pixels between where its features were and where the scene says.
    counts: features of each frame that agree. points: (P, 3) of the scene. point_trails: (P,) which trail each one is,
    numbered as in the `Followed` that it was solved from. still: the camera turns alone, and points are directions.
    kept: of the trails that were looked at, the share that agrees. error: median, pixels. says: what is unsure.
    """

    views: dict[int, View]
    errors: dict[int, float]
    counts: dict[int, int]
    points: F64
    point_trails: I64
    still: bool
    kept: float
    error: float
    says: str = ""


@dataclass
class _State:
    """A scene that grows: poses by key frame, places by trail."""

    focal: float
    bend: F64
    turns: dict[int, F64] = field(default_factory=dict)
    shifts: dict[int, F64] = field(default_factory=dict)
    zooms: dict[int, float] = field(default_factory=dict)
    places: dict[int, F64] = field(default_factory=dict)


Told = Callable[[float], None]


def solve(seen: Followed, size: tuple[int, int], moves: Moves = "either", zooms: Zooms = "either",
          focal: float | None = None, straight: bool = False, told: Told = lambda share: None) -> Scene:  # fmt: skip
    """The camera of a clip. size: of the plate, (width, height).

    focal: pixels, where it is known. straight: the lens does not bend. told: is called with how much is done, 0 to 1.
    Raises NotSolved.
    """
    return _Solver(seen, size, focal, straight, told).solve(moves, zooms)


class _Solver:
    def __init__(self, seen: Followed, size: tuple[int, int], focal: float | None, straight: bool, told: Told) -> None:
        self.size, self.known, self.straight, self.told = size, focal, straight, told
        self.unit = max(size) / 960  # what a pixel of the limits above is here
        self.seen = seen
        self.middle = np.array(size, np.float64) / 2
        self.frames = np.unique(seen.frames)
        if len(self.frames) < 3:
            raise NotSolved("There are too few frames to solve a camera by.", "Give it three at the least.")
        self.count = int(seen.trails.max(initial=-1)) + 1
        if self.count < FEWEST:
            raise NotSolved(
                f"Only {self.count} points of the scene could be followed: too few to solve a camera by.",
                "Leave less of the picture out, or choose a part of the shot with more to see that stands still.",
            )
        # the observations of each frame, by trails
        order = np.lexsort((seen.trails, seen.frames))
        self.by_frame = {}
        edges = np.searchsorted(seen.frames[order], [*self.frames, self.frames[-1] + 1])
        for n, frame in enumerate(self.frames):
            rows = order[edges[n] : edges[n + 1]]
            self.by_frame[int(frame)] = (seen.trails[rows], seen.at[rows] - self.middle)

    # frames to be adjusted together

    def keys(self) -> list[int]:
        """Frames far enough apart to tell depth by, and near enough to have trails in common."""
        frames = [int(n) for n in self.frames]
        wanted = APART * self.size[0]
        out = [frames[0]]
        for frame in frames[1:]:
            ids, a, b = self.common(out[-1], frame)
            gone = float(np.median(np.hypot(*(b - a).T))) if len(ids) else wanted
            few = len(ids) < 0.6 * len(self.by_frame[out[-1]][0])
            if gone >= wanted or few or frame == frames[-1]:
                out.append(frame)
        least = min(LEAST_KEYS, len(frames))
        if len(out) < least:
            out = sorted({*out, *(frames[n] for n in np.linspace(0, len(frames) - 1, least).round().astype(int))})
        if len(out) > MOST_KEYS:
            out = [out[n] for n in np.linspace(0, len(out) - 1, MOST_KEYS).round().astype(int)]
        return out

    def common(self, a: int, b: int) -> tuple[I64, F64, F64]:
        """Trails that two frames share, and where they are on each, from the picture's middle."""
        ids_a, at_a = self.by_frame[a]
        ids_b, at_b = self.by_frame[b]
        ids, from_a, from_b = np.intersect1d(ids_a, ids_b, assume_unique=True, return_indices=True)
        return ids, at_a[from_a], at_b[from_b]

    # the whole

    def solve(self, moves: Moves, zooms: Zooms) -> Scene:
        keys = self.keys()
        self.told(0.02)
        flat = moves == "it turns alone" or (moves == "either" and self._flat(keys))
        still = self._still(keys, zooms == "it changes") if flat else None
        self.told(0.1)
        if moves == "it turns alone" or (still is not None and still[1] <= STILL * self.unit):
            if still is None or still[1] > FAIR * self.unit:
                raise NotSolved("A camera that turns on the spot does not explain this shot.",
                                "Let it move, or leave out what moves by itself.")  # fmt: skip
            return self._finished(still[0], keys, True)
        moved = self._moving(keys, zooms)
        turns = still is not None and still[1] <= FAIR * self.unit
        little = moved is None or (turns and still is not None and still[1] < 1.5 * STILL * self.unit
                                   and moved[1] > TELLS * still[1])  # fmt: skip
        if little and turns and still is not None:
            return self._finished(still[0], keys, True)
        if moved is None:
            raise NotSolved(
                "No place of the camera explains how the picture moves.",
                "Leave out what moves by itself by a matte, or choose a range in which the camera moves by more.",
            )
        return self._finished(moved[0], keys, False)

    def _flat(self, keys: Sequence[int]) -> bool:
        """Whether pairs of frames far apart differ by a homography: there is no parallax in what they share."""
        off = []
        for n in range(len(keys)):
            m = self._far(keys, n)
            if m is None:
                continue
            _, a, b = self.common(keys[n], keys[m])
            found, _ = cv2.findHomography(a, b, cv2.RANSAC, 2 * self.unit, maxIters=600)
            if found is not None:
                off.append(np.hypot(*(_through(found, a) - b).T))
        return not off or float(np.percentile(np.concatenate(off), 65)) < 1.8 * self.unit

    def _far(self, keys: Sequence[int], n: int) -> int | None:
        """The key frame furthest from one that still shares enough with it."""
        best = None
        for m in range(n + 1, len(keys)):
            shared = len(self.common(keys[n], keys[m])[0])
            if shared < max(SHARED, 0.25 * len(self.by_frame[keys[n]][0])):
                break
            best = m
        return best

    # turning alone

    def _still(self, keys: list[int], zooms: bool) -> tuple[_State, float] | None:
        best: tuple[_State, float] | None = None
        for guess in self._guesses():
            state = _State(guess, np.zeros(2))
            matrix = np.diag([guess, guess, 1.0])
            turn = np.eye(3)
            state.turns[keys[0]], state.shifts[keys[0]] = turn, np.zeros(3)
            for before, here in pairwise(keys):
                ids, a, b = self.common(before, here)
                if len(ids) < SHARED:
                    return None
                found, _ = cv2.findHomography(a, b, cv2.RANSAC, 3 * self.unit, maxIters=600)
                if found is None:
                    return None
                step = np.linalg.inv(matrix) @ found @ matrix
                step = step / np.cbrt(np.linalg.det(step))
                u, _, v = np.linalg.svd(step)
                turn = (u @ v) @ turn
                state.turns[here], state.shifts[here] = turn, np.zeros(3)
            for key in keys:
                ids, at = self.by_frame[key]
                ways = np.column_stack([at / guess, np.ones(len(at))]) @ state.turns[key]
                for one, way in zip(ids, ways, strict=True):
                    state.places.setdefault(int(one), way / np.linalg.norm(way))
            self._adjust(state, keys, steps=12, still=True, bends=False, scale=2 * self.unit)
            self._adjust(state, keys, steps=25, still=True, bends=not self.straight, zooms=zooms)
            error = self._error(state, keys)
            if best is None or error < 0.98 * best[1]:
                best = state, error
            if error < 0.25 * self.unit or self.known is not None:
                break
        return best

    # moving

    def _guesses(self) -> list[float]:
        return [self.known] if self.known is not None else [share * self.size[0] for share in GUESSES]

    def _moving(self, keys: list[int], zooms: Zooms) -> tuple[_State, float] | None:
        pairs = self._beginnings(keys)
        best: tuple[_State, float] | None = None
        tries = [(guess, pair) for pair in pairs[:2] for guess in self._guesses()]
        for n, (guess, pair) in enumerate(tries):
            found = self._grown(keys, guess, pair, zooms)
            self.told(0.1 + 0.6 * (n + 1) / len(tries))
            if found is not None and (best is None or self._worth(found[0], keys) < self._worth(best[0], keys)):
                best = found
            if best is not None and best[1] < 0.8 * WELL * self.unit and len(best[0].turns) >= 0.95 * len(keys):
                break
        if best is None:
            return None
        changes = zooms == "it changes"
        self._settled(best[0], keys, changes)
        best = best[0], self._error(best[0], keys)
        if zooms == "either" and best[1] > 0.45 * self.unit:
            # a lens that zooms is sought from the start: what a fixed one made of it is no beginning
            worth = 0.95 * self._worth(best[0], keys)
            for guess in self._guesses()[:2]:
                found = self._grown(keys, guess, pairs[0], "it changes")
                if found is None:
                    continue
                self._settled(found[0], keys, True)
                spread = float(np.ptp(np.log([found[0].zooms.get(key, 1.0) for key in keys])))
                if spread > 0.03 and self._worth(found[0], keys) < worth:
                    best = found[0], self._error(found[0], keys)
                    worth = self._worth(found[0], keys)
        return best

    def _settled(self, state: _State, keys: Sequence[int], zooms: bool) -> None:
        """The last adjustment, until nothing moves any more."""
        self._triangulate(state, sorted(state.turns), least=0.12)
        for _ in range(2):
            self._prune(state, keys, THROWN)
            self._adjust(state, keys, steps=50, bends=not (self.straight or zooms), zooms=zooms, enough=1e-6)

    def _worth(self, state: _State, keys: Sequence[int]) -> float:
        """How well a scene explains all that was followed through some frames, in pixels: what it has no place for, or
        what is seen far from it, counts as thrown out. So a scene that holds little is not taken for a good one."""
        bundle, _, _ = self._bundle(state, keys)
        limit = THROWN * self.unit
        total = sum(len(self.by_frame[key][0]) for key in keys)
        off = np.minimum(bundle.off(), limit)
        return float((off.sum() + limit * max(0, total - len(off))) / max(1, total))

    def _beginnings(self, keys: Sequence[int]) -> list[tuple[int, int]]:
        """Pairs of key frames to begin with, the best first: many trails in common, and much that no flat turn says."""
        found = []
        for n in range(len(keys)):
            for m in (n + step for step in BEYOND if n + step < len(keys)):
                ids, a, b = self.common(keys[n], keys[m])
                if len(ids) < max(SHARED, 0.2 * len(self.by_frame[keys[n]][0])):
                    break
                flat, _ = cv2.findHomography(a, b, cv2.RANSAC, 2 * self.unit, maxIters=300)
                if flat is None:
                    continue
                off = np.sort(np.hypot(*(_through(flat, a) - b).T))
                parallax = float(
                    np.mean(np.minimum(off[int(0.5 * len(off)) : int(0.9 * len(off)) + 1], 30 * self.unit))
                )
                found.append((parallax * np.sqrt(len(ids)), keys[n], keys[m]))
        found.sort(reverse=True)
        out: list[tuple[int, int]] = []
        for _, first, last in found:
            if all(abs(first - x) + abs(last - y) > 0.1 * (keys[-1] - keys[0]) for x, y in out):
                out.append((first, last))
        return out

    def _grown(self, keys: list[int], guess: float, pair: tuple[int, int], zooms: Zooms
               ) -> tuple[_State, float] | None:  # fmt: skip
        state = self._begun(guess, pair)
        if state is None:
            return None
        free = zooms == "it changes"
        self._adjust(state, keys, steps=10, lens=False, bends=False, scale=2 * self.unit)
        waiting = [key for key in keys if key not in state.turns]
        joined = 0
        while waiting:
            # the one that sees most of what is known comes next
            known = np.fromiter(state.places, np.int64)
            counts = [len(np.intersect1d(self.by_frame[key][0], known, assume_unique=True)) for key in waiting]
            here = waiting.pop(int(np.argmax(counts)))
            if not self._join(state, here):
                continue
            joined += 1
            self._triangulate(state, [here])
            if joined <= 3 or joined % 4 == 0:
                some = sorted(state.turns)
                self._adjust(state, some, steps=6, lens=self.known is None and joined > 1, bends=False,
                             scale=2 * self.unit)  # fmt: skip
                self._prune(state, some, 2 * THROWN)
        if len(state.turns) < max(3, 0.3 * len(keys)):
            return None
        some = sorted(state.turns)
        self._adjust(state, some, steps=12, lens=self.known is None, bends=False, scale=2 * self.unit, zooms=free)
        # what did not find in at first may do so now
        for key in keys:
            if key not in state.turns:
                self._join(state, key)
        some = sorted(state.turns)
        for scale, limit in ((1.5, 1.5 * THROWN), (1.0, THROWN), (1.0, THROWN)):
            self._triangulate(state, some, least=0.12)
            self._prune(state, some, limit)
            self._adjust(state, some, steps=14, lens=self.known is None, bends=not (self.straight or free),
                         scale=scale * self.unit, zooms=free)  # fmt: skip
        return state, self._error(state, some)

    def _begun(self, guess: float, pair: tuple[int, int]) -> _State | None:
        _, a, b = self.common(*pair)
        matrix = np.diag([guess, guess, 1.0])
        essential, mask = cv2.findEssentialMat(a, b, matrix, cv2.RANSAC, 0.999, 1.2 * self.unit, 2000)
        if essential is None or essential.shape != (3, 3):
            return None
        count, turn, shift, mask = cv2.recoverPose(essential, a, b, matrix, mask=mask)
        if count < SHARED:
            return None
        state = _State(guess, np.zeros(2))
        state.turns = {pair[0]: np.eye(3), pair[1]: np.asarray(turn, np.float64)}
        state.shifts = {pair[0]: np.zeros(3), pair[1]: np.asarray(shift, np.float64).ravel()}
        self._triangulate(state, list(pair), least=0.3)
        return state if len(state.places) >= SHARED else None

    def _join(self, state: _State, frame: int) -> bool:
        """Finds a frame's place by what is known of the scene."""
        found = self._placed(state, frame, self._near(state, frame))
        if found is None:
            return False
        if state.zooms:
            state.zooms[frame] = state.zooms.get(self._nearest(state, frame), 1.0)
        state.turns[frame], state.shifts[frame] = found
        return True

    def _nearest(self, state: _State, frame: int) -> int:
        return min(state.turns, key=lambda one: abs(one - frame))

    def _near(self, state: _State, frame: int) -> tuple[F64, F64]:
        near = self._nearest(state, frame)
        return state.turns[near], state.shifts[near]

    def _placed(self, state: _State, frame: int, near: tuple[F64, F64]) -> tuple[F64, F64] | None:
        ids, at = self.by_frame[frame]
        held = np.array([int(one) in state.places for one in ids], bool)
        if held.sum() < 12:
            return None
        places = np.array([state.places[int(one)] for one in ids[held]])
        zoom = state.zooms.get(self._nearest(state, frame), 1.0) if state.zooms else 1.0
        lens = Lens(state.focal * zoom, self.size, (float(state.bend[0]), float(state.bend[1])))
        flat = lens.straight(at[held] + self.middle) - self.middle
        matrix = np.diag([lens.focal, lens.focal, 1.0])
        spin, shift = cv2.Rodrigues(near[0])[0], near[1].reshape(3, 1).copy()
        good, spin, shift, inliers = cv2.solvePnPRansac(
            places, flat, matrix, None, spin, shift, True, 200, 4 * self.unit, 0.999, flags=cv2.SOLVEPNP_ITERATIVE
        )
        few = max(10, 0.35 * len(places))
        if not good or inliers is None or len(inliers) < few:
            good, spin, shift, inliers = cv2.solvePnPRansac(
                places, flat, matrix, None, None, None, False, 400, 4 * self.unit, 0.999, flags=cv2.SOLVEPNP_EPNP
            )
            if not good or inliers is None or len(inliers) < few:
                return None
        inner = inliers.ravel()
        spin, shift = cv2.solvePnPRefineLM(places[inner], flat[inner], matrix, None, spin, shift)
        return turned(spin.ravel()), np.asarray(shift, np.float64).ravel()

    def _triangulate(self, state: _State, frames: Sequence[int], least: float = 1.0) -> None:
        """Finds places for trails that these frames see and that have none yet. least: degrees between the rays."""
        wanted = np.unique(np.concatenate([self.by_frame[frame][0] for frame in frames]))
        wanted = np.array([one for one in wanted if int(one) not in state.places], np.int64)
        if not len(wanted):
            return
        row = {int(one): n for n, one in enumerate(wanted)}
        # the point nearest to all rays, by their own normal equations
        sums, rights = np.zeros((len(wanted), 3, 3)), np.zeros((len(wanted), 3))
        rays: list[list[F64]] = [[] for _ in wanted]
        seen: list[list[tuple[int, F64]]] = [[] for _ in wanted]
        for frame, turn in state.turns.items():
            ids, at = self.by_frame[frame]
            here = np.isin(ids, wanted, assume_unique=True)
            if not here.any():
                continue
            view = self._view(state, frame)
            ways = view.rays(at[here] + self.middle)
            ways = ways / np.linalg.norm(ways, axis=1, keepdims=True)
            eye = view.eye
            for one, way, pixel in zip(ids[here], ways, at[here], strict=True):
                k = row[int(one)]
                across = np.eye(3) - np.outer(way, way)
                sums[k] += across
                rights[k] += across @ eye
                rays[k].append(way)
                seen[k].append((frame, pixel))
            del turn
        limit = np.cos(np.radians(least))
        for k, one in enumerate(wanted):
            if len(rays[k]) < 2:
                continue
            ways = np.array(rays[k])
            if float((ways @ ways[0]).min()) > limit and float((ways @ ways[-1]).min()) > limit:
                continue
            place = np.linalg.solve(sums[k] + 1e-12 * np.eye(3), rights[k])
            good = 0
            for frame, pixel in seen[k]:
                view = self._view(state, frame)
                at = view.seen(place[None])[0] - self.middle
                good += bool(np.isfinite(at).all() and np.hypot(*(at - pixel)) < 4 * self.unit)
            if good >= max(2, 0.7 * len(seen[k])):
                state.places[int(one)] = place

    def _view(self, state: _State, frame: int) -> View:
        lens = Lens(state.focal * state.zooms.get(frame, 1.0), self.size, (float(state.bend[0]), float(state.bend[1])))
        return View(state.turns[frame], state.shifts[frame], lens)

    # adjusting

    def _bundle(self, state: _State, frames: Sequence[int]) -> tuple[Bundle, list[int], list[int]]:
        """What some frames see of the scene, to be adjusted; the frames and the trails in their order."""
        keys = sorted(frame for frame in frames if frame in state.turns)
        cameras, trails, at = [], [], []
        places = np.fromiter(state.places, np.int64)
        for n, frame in enumerate(keys):
            ids, seen = self.by_frame[frame]
            held = np.isin(ids, places, assume_unique=True)
            cameras.append(np.full(int(held.sum()), n, np.int64))
            trails.append(ids[held])
            at.append(seen[held])
        every, owners = np.unique(np.concatenate(trails), return_inverse=True)
        order = np.lexsort((np.concatenate(cameras), owners))
        bundle = Bundle(
            np.array([state.turns[one] for one in keys]), np.array([state.shifts[one] for one in keys]),
            np.array([state.zooms.get(one, 1.0) for one in keys]), state.focal, state.bend.copy(),
            np.array([state.places[int(one)] for one in every]), np.concatenate(cameras)[order],
            owners[order].astype(np.int64), np.ascontiguousarray(np.concatenate(at)[order]), float(self.size[0]),
        )  # fmt: skip
        return bundle, keys, [int(one) for one in every]

    def _adjust(self, state: _State, frames: Sequence[int], steps: int, *, still: bool = False,
                lens: bool | None = None, bends: bool = True, zooms: bool = False, scale: float | None = None,
                enough: float = 1e-4) -> None:  # fmt: skip
        bundle, keys, trails = self._bundle(state, frames)
        free = self.known is None if lens is None else lens
        adjust(bundle, steps, lens=free, bends=bends, zooms=zooms and len(keys) > 3, still=still,
               scale=self.unit if scale is None else scale, enough=enough)  # fmt: skip
        state.focal, state.bend = bundle.focal, bundle.bend
        for n, key in enumerate(keys):
            state.turns[key], state.shifts[key] = bundle.turns[n], bundle.shifts[n]
            if zooms:
                state.zooms[key] = float(bundle.zooms[n])
        for place, one in zip(bundle.points, trails, strict=True):
            state.places[one] = place

    def _prune(self, state: _State, frames: Sequence[int], limit: float) -> None:
        """Forgets points that more often than not are seen elsewhere than they should be."""
        bundle, _, trails = self._bundle(state, frames)
        off = bundle.off()
        bad = np.bincount(bundle.owners, off > limit * self.unit, len(trails))
        count = np.bincount(bundle.owners, minlength=len(trails))
        for one, wrong, all_ in zip(trails, bad, count, strict=True):
            if wrong > 0.34 * all_:
                del state.places[one]

    def _error(self, state: _State, frames: Sequence[int]) -> float:
        bundle, _, _ = self._bundle(state, frames)
        return float(np.median(bundle.off())) if len(bundle.seen) else 1e6

    # all frames

    def _finished(self, state: _State, keys: Sequence[int], still: bool) -> Scene:
        self.told(0.75)
        views, errors, counts = {}, {}, {}
        known = sorted(key for key in keys if key in state.turns)
        logs = np.log([state.zooms.get(key, 1.0) for key in known])
        places = np.fromiter(state.places, np.int64)
        points = np.array([state.places[int(one)] for one in places])
        row = np.full(self.count, -1, np.int64)
        row[places] = np.arange(len(places))
        agreeing = np.zeros(len(places), np.int64)
        looked = np.zeros(len(places), np.int64)
        for frame in (int(n) for n in self.frames):
            zoom = float(np.exp(np.interp(frame, known, logs))) if state.zooms else 1.0
            lens = Lens(state.focal * zoom, self.size, (float(state.bend[0]), float(state.bend[1])))
            ids, at = self.by_frame[frame]
            held = row[ids] >= 0
            which, pixels = row[ids[held]], at[held] + self.middle
            if frame in state.turns:
                view: View | None = View(state.turns[frame], state.shifts[frame], lens)
            else:
                view = self._between(state, known, frame, lens)
                if view is not None and len(which) >= 8:
                    view = posed(view, points[which], pixels, self.unit, still)
            if view is None or len(which) < 8:
                continue
            off = np.hypot(*(view.seen(points[which]) - pixels).T)
            good = off < THROWN * self.unit
            np.add.at(agreeing, which[good], 1)
            np.add.at(looked, which, 1)
            if good.sum() < 8 or good.mean() < 0.25:
                continue
            views[frame], errors[frame], counts[frame] = view, float(np.median(off[good])), int(good.sum())
        self.told(0.95)
        if len(views) < SEEN * len(self.frames):
            raise NotSolved(
                f"Only {len(views)} of {len(self.frames)} frames could be solved.",
                "Choose a shorter range, or leave out what moves by itself by a matte.",
            )
        error = float(np.median(list(errors.values())))
        if error > FAIR * self.unit:
            raise NotSolved(
                f"What was found is {error:.1f} pixels off: too much to stand anything in.",
                "Leave out what moves by itself by a matte, or choose a range in which the camera moves by more.",
            )
        good = agreeing > 0.6 * np.maximum(looked, 1)
        long = np.bincount(self.seen.trails, minlength=self.count) >= max(3, 0.06 * len(self.frames))
        kept = float(good.sum() / max(1, long.sum()))
        scene = Scene(views, errors, counts, points[good], places[good], still, min(kept, 1.0), error)
        return replace(_upright(scene), says=_says(scene, self))

    def _between(self, state: _State, known: Sequence[int], frame: int, lens: Lens) -> View | None:
        before = max((key for key in known if key <= frame), default=None)
        after = min((key for key in known if key >= frame), default=None)
        if before is None or after is None:
            near = after if before is None else before
            return None if near is None else View(state.turns[near], state.shifts[near], lens)
        if before == after:
            return View(state.turns[before], state.shifts[before], lens)
        share = (frame - before) / (after - before)
        step = turned(cv2.Rodrigues(state.turns[after] @ state.turns[before].T)[0].ravel() * share)
        turn = step @ state.turns[before]
        eyes = [-state.turns[key].T @ state.shifts[key] for key in (before, after)]
        return View(turn, -turn @ (eyes[0] + (eyes[1] - eyes[0]) * share), lens)


def posed(view: View, places: F64, pixels: F64, scale: float = 1.0, still: bool = False, steps: int = 12) -> View:
    """A camera that sees places of the scene where they were seen, from one near it. pixels: (N, 2).

    scale: pixels off at which one begins to count less.
    """
    bundle = Bundle(
        view.turn[None].copy(), view.shift[None].copy(), np.ones(1), view.lens.focal, np.array(view.lens.bend),
        np.asarray(places, np.float64), np.zeros(len(places), np.int64), np.arange(len(places)),
        pixels - view.lens.middle,
    )  # fmt: skip
    adjust(bundle, steps, lens=False, bends=False, still=still, scale=scale, points=False)
    return View(bundle.turns[0], bundle.shifts[0], view.lens)


def _through(matrix: F64, places: F64) -> F64:
    out = np.column_stack([places, np.ones(len(places))]) @ matrix.T
    return np.asarray(out[:, :2] / out[:, 2:])


def _upright(scene: Scene) -> Scene:
    """The same scene in a handy size and stance: level as most cameras are, with points at about five units, and the
    origin on what seems to be the ground below the camera in the middle; without depth, at the camera."""
    views = list(scene.views.values())
    middle = views[len(views) // 2]
    eye = np.zeros(3) if scene.still else middle.eye
    # down is where most cameras have it, without what they nod
    rights = np.array([view.turn[0] for view in views])
    downs = np.array([view.turn[1] for view in views])
    forward = middle.turn[2]
    _, _, axes = np.linalg.svd(rights)
    down = (
        axes[2] if len(views) > 2 and np.linalg.svd(rights)[1][1] > 0.05 * np.sqrt(len(views)) else downs.mean(axis=0)
    )
    down = down * np.sign(down @ downs.mean(axis=0))
    down = down / np.linalg.norm(down)
    forward = forward - down * (forward @ down)
    forward = forward / np.linalg.norm(forward)
    base = np.array([np.cross(down, forward), down, forward])
    far = np.linalg.norm(scene.points - eye, axis=1)
    size = 1.0 if scene.still else 5.0 / max(float(np.median(far)), 1e-9)
    level = moved(scene, base, -base @ eye * size, size)
    if scene.still:
        return level
    return moved(level, np.eye(3), np.array([0.0, -_ground(level), 0.0]), 1.0)


def _ground(scene: Scene) -> float:
    """How far below the camera in the middle most of what lies low and near is, in a scene that is level."""
    far = np.linalg.norm(scene.points, axis=1)
    low = scene.points[(scene.points[:, 1] > 0.05) & (far < 1.5 * np.median(far)), 1]
    if len(low) < 10:
        return 1.0
    counts, edges = np.histogram(low, bins=24, range=(0.0, float(np.percentile(low, 95))))
    # lower counts for more: what stands on the ground has points at all heights
    n = int(np.argmax(counts * np.linspace(0.5, 1.5, len(counts))))
    return float(np.median(low[(low >= edges[n]) & (low <= edges[n + 1])]))


def moved(scene: Scene, turn: F64, shift: F64, size: float) -> Scene:
    """The same scene in other units: a place P becomes size * turn P + shift."""
    views = {}
    for frame, view in scene.views.items():
        own = view.turn @ turn.T
        views[frame] = View(own, size * view.shift - own @ shift, view.lens)
    return replace(scene, views=views, points=np.asarray(size * scene.points @ turn.T + shift))


def _says(scene: Scene, solver: _Solver) -> str:
    if scene.still:
        return "The camera turns on the spot: there is no depth, and what is stood in the scene is far away or flat."
    out = []
    if scene.kept < 0.5:
        out.append("much of the picture moves by itself: check it, or leave that out by a matte")
    if len(scene.points) < 60:
        out.append(f"only {len(scene.points)} points of the scene hold it")
    if len(scene.views) < len(solver.frames):
        out.append(
            f"{len(solver.frames) - len(scene.views)} frames could not be solved and go on from those beside them"
        )
    if scene.error > WELL * solver.unit:
        out.append(f"it is {scene.error:.1f} pixels off")
    text = "; ".join(out)
    return text[:1].upper() + text[1:] + "." if text else ""


__all__ = ["Moves", "NotSolved", "Scene", "Zooms", "moved", "posed", "solve"]
