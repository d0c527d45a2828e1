"""Following a track from its reference frame, a frame at a time, in either direction."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass, field
from itertools import pairwise
from typing import Literal

import cv2
import numpy as np

from cuvrel.core.arrays import F32, F64
from cuvrel.core.imaging.homography import moved
from cuvrel.core.recipe.errors import CuvrelError
from cuvrel.core.tracks.align import Fit, Freedom, Piece, align, piece
from cuvrel.core.tracks.features import Went, went
from cuvrel.core.tracks.geometry import SQUARE, Area, bridge, round_about, through
from cuvrel.core.tracks.pyramids import Scene, Scenes, of_level

Kind = Literal["point", "region", "patch"]
FREEDOM: dict[Kind, Freedom] = {"point": "stretch and shear", "region": "size and turn", "patch": "perspective"}
TRUSTED, FAIR = 0.72, 0.5  # how alike the reference and a frame are where it is beyond doubt, and where it still holds
REGAINED, FAR_OFF = 0.75, 0.84  # how alike it must be where it was sought, near and anywhere: much looks like it
CLEAR, RIVAL = 0.5, 0.06  # to be sure again: how much must agree, and how much better than at any other place
THIN = 0.6  # the least doubt of what was found again without that
SURE = 0.3  # doubt below which a frame is one to go by
NEAR, COARSE = 2, 2  # the level that is begun with near a good guess; the one that a whole frame is searched on
UNSURE = 0.65  # doubt from which on it is sought everywhere
LITTLE = 0.18  # how much of it must agree at least
HIDDEN = 0.5  # how much of a quarter agrees below which it is taken as hidden
TOLD = 0.5  # doubt over which a frame is told to be unsure
LOST = 0.9  # doubt from which on a frame was not measured


@dataclass(frozen=True)
class Found:
    """A track on one frame. matrix: from its own places to pixels, (3, 3). doubt: 0 to 1. reason: why it is in doubt.

    features: rows of x, y and how well each agrees, 0 to 1.
    """

    frame: int
    matrix: F64
    doubt: float
    reason: str = ""
    features: F32 = field(default_factory=lambda: np.zeros((0, 3), np.float32))


@dataclass(frozen=True)
class Start:
    """What is tracked: its kind, its frame of reference, and its points there in plate pixels.

    A point has one, and a radius; a region's are its outline, a patch's its four corners. less, more: rows of x, y and
    radius, (N, 3), of what is left out, and of what is looked at besides.
    """

    kind: Kind
    frame: int
    points: F64
    radius: float = 12.0
    freedom: Freedom | None = None
    less: Sequence[tuple[float, float, float]] = ()
    more: Sequence[tuple[float, float, float]] = ()

    @property
    def area(self) -> Area:
        """What is looked at on the frame of reference, in pixels from the middle of the first one."""
        at = np.asarray(self.points, np.float64) - 0.5
        less, more = (tuple(round_about(x - 0.5, y - 0.5, r) for x, y, r in some) for some in (self.less, self.more))
        return Area(at[0] + SQUARE * self.radius if self.kind == "point" else at, more, less)


@dataclass(frozen=True)
class _Expected:
    """Where something that is out of sight should be by now.

    seen, before: where it was when it was last seen, and a frame before that. carried: the former, moved as the whole
    picture has since. since: how many frames ago that was.
    """

    seen: F64
    before: F64
    carried: F64
    since: int = 0

    def later(self, then: Scene, now: Scene) -> _Expected:
        """The same, a frame on."""
        high, wide = then.grey.shape[:2]
        whole = Area(np.array([[0, 0], [wide - 1.0, 0], [wide - 1.0, high - 1.0], [0, high - 1.0]]))
        way = went(then, now, whole, "size and turn")
        carried = self.carried if way is None else np.asarray(way.matrix @ self.carried, np.float64)
        return _Expected(self.seen, self.before, carried, self.since + 1)

    def near(self, fit: Fit) -> bool:
        """Whether it was found there, or where it would be if it had gone on as it did."""
        at, was, before, carried = (moved(one, SQUARE) for one in (fit.matrix, self.seen, self.before, self.carried))
        size = _side(was)
        room = min(0.4 * size + 3 * self.since, size)
        went_on = was + (was - before) * self.since
        return any(_apart(at, one) < room for one in (carried, went_on))


class CanNotTrack(CuvrelError):
    """What was marked can't be told from anything."""


class Tracker:
    """Follows one track over a clip's scenes. Raises CanNotTrack where there is nothing to hold on to."""

    def __init__(self, scenes: Scenes, start: Start) -> None:
        self._scenes, self.start = scenes, start
        self.freedom: Freedom = start.freedom or FREEDOM[start.kind]
        self._reference = scenes(start.frame)
        found = piece(self._reference, start.area)
        if found is None or max(float(np.abs(part.slopes).max()) for part in found.parts) < 1e-3:
            raise CanNotTrack(
                "There is too little to see here that could be followed.", "Mark something with edges or corners."
            )
        self._piece: Piece = found
        self._back = np.asarray(np.linalg.inv(found.frame), np.float64)
        self.first = Found(start.frame, found.frame, 0.0)

    def points(self, found: Found) -> F64:
        """Its points on a frame, in plate pixels."""
        own = moved(self._back, np.asarray(self.start.points, np.float64) - 0.5)
        return moved(found.matrix, own) + 0.5

    def follow(self, frames: Sequence[int], begin: Found | None = None) -> Iterator[Found]:
        """It on frames one after another, from the one beside its frame of reference on, or beside where it begins."""
        here = self.first if begin is None else begin
        known = here if here.doubt < SURE else self.first
        expected = _Expected(known.matrix, known.matrix, known.matrix)
        last: Found | None = None
        for frame in frames:
            if here.doubt > TOLD:
                expected = expected.later(self._scenes(here.frame), self._scenes(frame))
            found = self._step(here, last, known, expected, frame)
            if found.doubt <= TOLD:
                before = found.matrix if here.doubt > TOLD else here.matrix
                expected = _Expected(found.matrix, before, found.matrix)
            last, here = here, found
            if found.doubt < SURE:
                known = found
            yield found

    def _step(self, here: Found, last: Found | None, known: Found, expected: _Expected, frame: int) -> Found:
        """The frame beside one. here, last: the frame before it, and the one before that; known: the last sure one.

        expected: where it should be if it went on out of sight.
        """
        now, then = self._scenes(frame), self._scenes(here.frame)
        area = self._piece.area.moved(np.asarray(here.matrix @ self._back, np.float64))
        lost = here.doubt >= LOST
        way = None if lost else went(then, now, area, self.freedom)
        best: Fit | None = None
        # where it should be by now comes first: what was taken up elsewhere may be another that looks alike
        guesses = [expected.carried] if here.doubt > TOLD else []
        for guess in [*guesses, *self._guesses(here, last, way)]:
            best = _better(best, self._held(align(self._piece, now, guess, self.freedom, NEAR), guess))
            if best is not None and best.alike > TRUSTED and best.seen > 0.35:
                break
        rivalled = False
        if not _holds(best):
            sought = [(one, REGAINED) for one in self._searched(now, known.matrix, everywhere=False)]
            if here.doubt >= UNSURE:
                # a point looks like many others: it is not sought further off than it could have gone
                far = 30.0 + 12 * abs(frame - known.frame) if self.start.kind == "point" else None
                sought += [(one, FAR_OFF) for one in self._searched(now, known.matrix, everywhere=True, far=far)]
            for guess, enough in sought:
                fit = self._held(align(self._piece, now, guess, self.freedom), guess, 0.6)
                if fit is not None and fit.alike > enough:
                    rivalled = rivalled or _rivals(best, fit)
                    best = _better(best, fit)
        features = _features(way)
        if best is not None and _holds(best):
            # nothing tells how a hidden quarter leans
            leans = best.least < HIDDEN and self.freedom in ("perspective", "stretch and shear")
            doubt = max(_doubt(best), 0.4 if leans else 0.0)
            otherwise = "hidden in part" if leans or best.seen < 0.35 else "it looks otherwise than on its frame"
            plain = best.alike >= REGAINED and best.seen >= CLEAR and not rivalled
            if here.doubt > TOLD and not (plain and expected.near(best)):
                # after it was hidden a likeness is not enough: much looks alike
                doubt, otherwise = max(doubt, THIN), "found again, but not surely"
            return Found(frame, best.matrix, doubt, otherwise if doubt >= 0.35 else "", features)
        if way is not None and way.share > 0.3 and here.doubt < LOST:
            return Found(frame, self._carried(then, now, here, area, way), 0.7, "carried on from before", features)
        guess = here.matrix if last is None or lost else _kept_on(last.matrix, here.matrix)
        return Found(frame, guess, 1.0, "it can't be seen", features)

    def _guesses(self, here: Found, last: Found | None, way: Went | None) -> list[F64]:
        out = [] if way is None else [np.asarray(way.matrix @ here.matrix, np.float64)]
        if last is not None and here.doubt < LOST:
            out.append(_kept_on(last.matrix, here.matrix))
        return [*out, here.matrix]

    def _carried(self, then: Scene, now: Scene, here: Found, area: Area, way: Went) -> F64:
        """Where it is by how it looked a frame ago, since it does not look as on its frame of reference any more."""
        matrix = np.asarray(way.matrix @ here.matrix, np.float64)
        recent = piece(then, area)
        if recent is None:
            return matrix
        fit = align(recent, now, np.asarray(way.matrix @ recent.frame, np.float64), self.freedom, 1)
        if fit is None or fit.alike < 0.8:
            return matrix
        return np.asarray(fit.matrix @ np.linalg.inv(recent.frame) @ here.matrix, np.float64)

    def _held(self, fit: Fit | None, guess: F64, room: float = 0.9) -> Fit | None:
        """A fit, unless it grew, shrank or went further than anything does between two frames.

        room: how far it may go, in its own sizes.
        """
        if fit is None:
            return None
        was, now = moved(guess, SQUARE), moved(fit.matrix, SQUARE)
        size = _side(was)
        grown = float(np.sqrt(abs(cv2.contourArea(now.astype(np.float32))))) / size
        far = float(np.abs(now - was).max())
        if not 0.6 < grown < 1.7 or far > max(room * size, 12):
            return None
        return fit

    def _searched(self, now: Scene, guess: F64, everywhere: bool, far: float | None = None) -> list[F64]:
        """Guesses where the piece, as it looked when it was last sure, is found again: near there, or everywhere.

        far: pixels that it is sought in at the most.
        """
        level = COARSE if everywhere and len(now.levels) > COARSE else 0
        to = of_level(level)
        corners = moved(to @ guess, SQUARE)
        if not np.isfinite(corners).all():
            return []
        low = np.floor(corners.min(axis=0))
        size = (np.ceil(corners.max(axis=0)) - low).astype(int)
        even = now.levels[level].even
        if size.max() > 600 or size.min() < 5 or size[0] >= even.shape[1] or size[1] >= even.shape[0]:
            return []
        reach = max(even.shape) if everywhere else int(np.clip(1.2 * size.max(), 24, 120))
        if far is not None:
            reach = min(reach, round(far * 0.5**level))
        x0, y0 = (int(max(n - reach, 0)) for n in low)
        x1, y1 = int(min(low[0] + size[0] + reach, even.shape[1])), int(min(low[1] + size[1] + reach, even.shape[0]))
        if x1 - x0 <= size[0] or y1 - y0 <= size[1]:
            return []
        warp = to @ guess @ self._back @ np.linalg.inv(to)
        shift = np.array([[1, 0, -low[0]], [0, 1, -low[1]], [0, 0, 1.0]])
        first = self._reference.levels[level].even
        drawn = cv2.warpPerspective(first, shift @ warp, (int(size[0]), int(size[1])))
        scores = cv2.matchTemplate(np.ascontiguousarray(even[y0:y1, x0:x1]), drawn, cv2.TM_CCOEFF_NORMED)
        out, back = [], np.linalg.inv(to)
        for _ in range(3 if everywhere else 2):
            _, score, _, (bx, by) = cv2.minMaxLoc(scores)
            if score < 0.3:
                break
            step = np.array([[1, 0, x0 + bx - low[0]], [0, 1, y0 + by - low[1]], [0, 0, 1.0]])
            out.append(np.asarray(back @ step @ to @ guess, np.float64))
            scores[max(0, by - 6) : by + 7, max(0, bx - 6) : bx + 7] = -1
        return out


def _doubt(fit: Fit) -> float:
    return float(np.clip(max((TRUSTED - fit.alike) / 0.4, (0.42 - fit.seen) / 0.35), 0, 0.85))


def _holds(fit: Fit | None) -> bool:
    return fit is not None and fit.alike >= FAIR and fit.seen >= LITTLE


def _better(one: Fit | None, other: Fit | None) -> Fit | None:
    if one is None or other is None:
        return other if one is None else one
    return max(one, other, key=_worth)


def _rivals(one: Fit | None, other: Fit) -> bool:
    """Whether it could as well be at another place."""
    if one is None or not _holds(one) or abs(one.alike - other.alike) > RIVAL:
        return False
    a, b = moved(one.matrix, SQUARE), moved(other.matrix, SQUARE)
    return _apart(a, b) > 0.3 * _side(a)


def _side(corners: F64) -> float:
    """The side of a square of the same area, in pixels, 1 at the least."""
    return max(float(np.sqrt(abs(cv2.contourArea(corners.astype(np.float32))))), 1.0)


def _apart(one: F64, other: F64) -> float:
    """How far the middles of two outlines are from one another along the axis on which they are furthest."""
    return float(np.abs(one.mean(axis=0) - other.mean(axis=0)).max())


def _worth(fit: Fit) -> float:
    return fit.alike * min(1.0, fit.seen / 0.35)


def _kept_on(before: F64, here: F64) -> F64:
    """Where it would be one step on, if it went on as it did."""
    out = here @ np.linalg.inv(before) @ here
    return np.asarray(out / out[2, 2], np.float64)


def _features(way: Went | None) -> F32:
    if way is None:
        return np.zeros((0, 3), np.float32)
    return np.column_stack([way.points + np.float32(0.5), way.agree]).astype(np.float32)


def bridged(found: Sequence[Found], freedom: Freedom) -> list[Found]:
    """A run of frames in their order, those that could not be seen laid smoothly between those about them."""
    out = list(found)
    seen = [n for n, one in enumerate(out) if one.doubt < LOST]
    corners = [moved(one.matrix, SQUARE) for one in out]
    for a, b in pairwise(seen):
        before = corners[a - 1] if a and a - 1 in seen else None
        after = corners[b + 1] if b + 1 in seen else None
        for n in range(a + 1, b):
            at = bridge(before, corners[a], corners[b], after, b - a, (n - a) / (b - a))
            out[n] = Found(out[n].frame, through(at, freedom), 1.0, "hidden: bridged by smooth motion", out[n].features)
    return out


def tracked(tracker: Tracker, first: int, last: int) -> list[Found]:
    """A track on all frames from `first` to `last`, both among them, forwards and backwards from its reference."""
    start = tracker.start.frame
    back = list(tracker.follow(range(start - 1, first - 1, -1)))
    forth = list(tracker.follow(range(start + 1, last + 1)))
    return bridged([*reversed(back), tracker.first, *forth], tracker.freedom)
