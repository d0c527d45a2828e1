"""Trails: small features of the plate followed from frame to frame, many at once, as a camera is solved by them.

Pyramidal Lucas and Kanade (Bouguet, Pyramidal Implementation of the Lucas Kanade Feature Tracker, 2000), there and
back; where features were lost new ones are sought (Shi and Tomasi, Good Features to Track, 1994).
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import cv2
import numpy as np

from cuvrel.core.arrays import F32, F64, I64, U8, Mask

MOST = 700  # features of a frame
SOUGHT = 0.75  # of them are left: new ones are sought
LOOK = {"winSize": (17, 17), "maxLevel": 4, "criteria": (3, 24, 0.01), "minEigThreshold": 5e-4}
RETURNED = 0.5  # pixels that one may come back beside where it set out
BESIDE = 4  # pixels from what is left out in which nothing is looked for
WIDEST = 1600  # pixels of the picture that is looked at; a larger one is made smaller
OPEN = 0.1  # coverage up to which a pixel may be looked at
Look = Callable[[int], U8]


@dataclass(frozen=True)
class Row:
    """The features of a frame: who each one is, and where, in plate pixels from the corner, (N, 2)."""

    ids: I64
    at: F32


NOBODY = Row(np.zeros(0, np.int64), np.zeros((0, 2), np.float32))


class Trails:
    """Follows features through frames one after another. size: of the plate. next_id: of the next new one."""

    def __init__(self, size: tuple[int, int], next_id: int = 0) -> None:
        self.share = min(1.0, WIDEST / max(size))
        self.next_id = next_id
        self._before: U8 | None = None
        self._ids = np.zeros(0, np.int64)
        self._at = np.zeros((0, 2), np.float32)

    def resume(self, picture: U8, row: Row) -> None:
        """Goes on from a frame that was followed to: its picture, (H, W, 3) uint8, and its features."""
        self._before = self._grey(picture)
        self._ids, self._at = row.ids, np.asarray((row.at * self.share) - np.float32(0.5), np.float32)
        self.next_id = max(self.next_id, int(row.ids.max(initial=-1)) + 1)

    def step(self, picture: U8, without: F32 | None) -> Row:
        """The features of the next frame. picture: (H, W, 3) uint8. without: what is not looked at, (H, W), 0 to 1."""
        grey = self._grey(picture)
        open_ = self._open(grey, without)
        if self._before is not None and len(self._at):
            self._follow(grey, open_)
        self._refill(grey, open_)
        self._before = grey
        return Row(self._ids.copy(), np.asarray((self._at + np.float32(0.5)) / np.float32(self.share), np.float32))

    def _grey(self, picture: U8) -> U8:
        grey = cv2.cvtColor(picture, cv2.COLOR_RGB2GRAY)
        if self.share < 1:
            grey = cv2.resize(grey, None, fx=self.share, fy=self.share, interpolation=cv2.INTER_AREA)
        return np.asarray(grey, np.uint8)

    def _open(self, grey: U8, without: F32 | None) -> U8 | None:
        if without is None:
            return None
        shut = np.asarray(without > OPEN, np.uint8)
        if shut.shape != grey.shape:
            shut = cv2.resize(shut, (grey.shape[1], grey.shape[0]), interpolation=cv2.INTER_AREA)
        shut = cv2.dilate(shut, np.ones((2 * BESIDE + 1, 2 * BESIDE + 1), np.uint8))
        return np.asarray(255 * (shut == 0), np.uint8)

    def _follow(self, grey: U8, open_: U8 | None) -> None:
        start = np.ascontiguousarray(self._at.reshape(-1, 1, 2))
        there, found, _ = cv2.calcOpticalFlowPyrLK(self._before, grey, start, None, **LOOK)  # type: ignore[call-overload]
        back, again, _ = cv2.calcOpticalFlowPyrLK(grey, self._before, there, None, **LOOK)  # type: ignore[call-overload]
        there, back = there.reshape(-1, 2), back.reshape(-1, 2)
        fair = (found.ravel() > 0) & (again.ravel() > 0) & (np.hypot(*(back - self._at).T) < RETURNED)
        high, wide = grey.shape
        fair &= (there >= 1).all(axis=1) & (there[:, 0] < wide - 2) & (there[:, 1] < high - 2)
        fair &= self._allowed(there, open_, fair)
        self._ids, self._at = self._ids[fair], np.asarray(there[fair], np.float32)

    @staticmethod
    def _allowed(at: F32, open_: U8 | None, fair: Mask) -> Mask:
        if open_ is None:
            return fair
        cols, rows = (np.clip(np.round(at[:, k]).astype(int), 0, open_.shape[1 - k] - 1) for k in (0, 1))
        return np.asarray(open_[rows, cols] > 0)

    def _refill(self, grey: U8, open_: U8 | None) -> None:
        """Seeks new features where there are few, all over the picture."""
        if len(self._at) > SOUGHT * MOST:
            return
        high, wide = grey.shape
        apart = max(4.0, 0.62 * np.sqrt(high * wide / MOST))
        mask = np.full(grey.shape, 255, np.uint8) if open_ is None else open_.copy()
        for x, y in self._at:
            cv2.circle(mask, (round(float(x)), round(float(y))), int(apart), 0, -1)
        new = cv2.goodFeaturesToTrack(grey, MOST - len(self._at), 0.004, apart, mask=mask, blockSize=5)
        if new is None:
            return
        new = new.reshape(-1, 2)
        inner = (new > 4).all(axis=1) & (new[:, 0] < wide - 5) & (new[:, 1] < high - 5)
        new = new[inner]
        if not len(new):
            return
        new = cv2.cornerSubPix(grey, new.reshape(-1, 1, 2).copy(), (3, 3), (-1, -1), (3, 12, 0.03)).reshape(-1, 2)
        ids = np.arange(self.next_id, self.next_id + len(new), dtype=np.int64)
        self.next_id += len(new)
        self._ids, self._at = np.concatenate([self._ids, ids]), np.concatenate([self._at, new]).astype(np.float32)


@dataclass(frozen=True)
class Followed:
    """All trails of a clip, one observation a row: its frame, its trail, and where it was, (N, 2) plate pixels.

    Rows go by trails, and by frames within one.
    """

    frames: I64
    trails: I64
    at: F64

    @staticmethod
    def of(rows: dict[int, Row], least: int = 3) -> Followed:
        """From the features of frames; trails with fewer than `least` frames tell nothing."""
        frames = np.concatenate([np.full(len(row.ids), frame, np.int64) for frame, row in rows.items()] or [_NONE])
        ids = np.concatenate([row.ids for row in rows.values()] or [_NONE])
        at = np.concatenate([row.at for row in rows.values()] or [np.zeros((0, 2), np.float32)]).astype(np.float64)
        _, place, counts = np.unique(ids, return_inverse=True, return_counts=True)
        kept = counts[place] >= least
        frames, ids, at = frames[kept], ids[kept], at[kept]
        _, trails = np.unique(ids, return_inverse=True)
        order = np.lexsort((frames, trails))
        return Followed(frames[order], trails[order].astype(np.int64), at[order])


_NONE = np.zeros(0, np.int64)
