"""Where a pixel of one take lies in another one: matched by features, then aligned directly on all that stands still.

What moves, or is in one take alone, agrees with nothing about it and loses its weight (see tracks/align.py).
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any, Literal

import cv2
import numpy as np

from cuvrel.core.arrays import F32, F64, U8, Mask
from cuvrel.core.imaging.homography import moved
from cuvrel.core.recipe.errors import RecipeError
from cuvrel.core.tracks.align import Freedom, align, piece
from cuvrel.core.tracks.geometry import Area, through
from cuvrel.core.tracks.pyramids import scene

Kind = Literal["shift", "similar", "affine", "perspective"]
FREEDOM: dict[Kind, Freedom] = {
    "shift": "position", "similar": "size and turn", "affine": "stretch and shear", "perspective": "perspective",
}  # fmt: skip
FEATURES, WIDTH = 2000, 640  # features that are looked for, in a picture at most so wide
RATIO = 0.8  # a match is taken where it is so much better than the next one (Lowe, 2004)
LEAST = 8  # matches that agree, below which there is nothing alike
SAMPLES = 60_000  # pixels of a level that are aligned
COARSEST = 2  # the level that alignment begins with: features come within a few pixels
ALIKE = 0.35  # the correlation below which nothing was found
BLOCKS = 3  # in which the remaining error is looked for, across and down
AROUND = 12.0  # pixels about a place over which light is evened
CORNERS, WINDOW, FARTHEST = 500, 15, 20.0  # that are followed, in how large a window, and by how many pixels at most
HALF = np.array([[1, 0, 0.5], [0, 1, 0.5], [0, 0, 1.0]])
"""From places counted from a pixel's middle to those from the picture's corner."""


@dataclass(frozen=True)
class LineUp:
    """matrix: from a pixel of the second take to that of the first which shows the same, (3, 3), corner origin.

    error: what is left, in pixels of the first: the median over the picture's parts; None where none of it can tell.
    still: the share of it that agrees.
    """

    matrix: F64
    error: float | None
    still: float


def line_up(first: U8, second: U8, kind: Kind = "similar", leave_out: F32 | None = None) -> LineUp:
    """Lines a frame of the second take up with one of the first.

    Parameters
    ----------
    first, second
        (H, W, 3) uint8 sRGB each; their sizes may differ.
    kind
        What the camera did between them: a shift; shift, turn and size; an affine change; any change of perspective.
    leave_out
        (H, W) float32 of the first take, 0 to 1: what is not looked at.

    Raises RecipeError where they show nothing alike.

    References
    ----------
    Lowe, Distinctive Image Features from Scale-Invariant Keypoints, 2004; Barath et al., MAGSAC++, 2020; Baker and
    Matthews, Lucas-Kanade 20 Years On, 2004.
    """
    guess = _by_features(first, second, kind, leave_out)
    here, there = scene(first, leave_out), scene(second)
    high, wide = first.shape[:2]
    box = np.array([[2.0, 2], [wide - 3, 2], [wide - 3, high - 3], [2, high - 3]])
    whole = piece(here, Area(box), SAMPLES)
    found = None if whole is None else align(whole, there, guess @ whole.frame, FREEDOM[kind], COARSEST)
    if whole is None or found is None or found.alike < ALIKE:
        raise _nothing()
    back = np.linalg.inv(found.matrix @ np.linalg.inv(whole.frame))
    matrix = HALF @ back @ np.linalg.inv(HALF)
    left = _left(first, brought(second, matrix, first.shape[:2]), leave_out)
    return LineUp(np.asarray(matrix / matrix[2, 2]), left, found.seen)


def brought(picture: Any, matrix: F64, size: tuple[int, int]) -> Any:
    """A picture of the second take as it lies on the first, of `size` (H, W); beyond its border it goes on."""
    to = np.linalg.inv(HALF) @ matrix @ HALF
    return cv2.warpPerspective(picture, to, (size[1], size[0]), flags=cv2.INTER_CUBIC, borderMode=cv2.BORDER_REPLICATE)


def covered(matrix: F64, size: tuple[int, int], own: tuple[int, int]) -> Mask:
    """Where the second take, of rows and columns `own`, is seen on the first, (H, W)."""
    inside = brought(np.ones(own, np.float32), matrix, size)
    to = np.linalg.inv(HALF) @ matrix @ HALF
    there = cv2.warpPerspective(np.ones(own, np.uint8), to, (size[1], size[0]), flags=cv2.INTER_NEAREST)
    return np.asarray((there > 0) & (inside > 0), np.bool_)


def _nothing() -> RecipeError:
    return RecipeError("The two takes show nothing alike on these frames.", "Choose frames of one set-up, or less.")


def _small(picture: U8) -> tuple[U8, float]:
    share = min(1.0, WIDTH / picture.shape[1])
    grey = cv2.cvtColor(picture, cv2.COLOR_RGB2GRAY)
    small = grey if share == 1 else cv2.resize(grey, None, fx=share, fy=share, interpolation=cv2.INTER_AREA)
    return np.asarray(small, np.uint8), share


def _by_features(first: U8, second: U8, kind: Kind, leave_out: F32 | None) -> F64:
    """A first guess, from the first take's pixels to the second's, of the same kind of change."""
    (here, by), (there, by_) = _small(first), _small(second)
    mask = None
    if leave_out is not None:
        kept = (leave_out < 0.1).astype(np.uint8) * 255
        mask = cv2.resize(kept, (here.shape[1], here.shape[0]), interpolation=cv2.INTER_NEAREST)
    finder = cv2.SIFT.create(FEATURES)
    points, signs = finder.detectAndCompute(here, mask)
    others, marks = finder.detectAndCompute(there, None)
    if signs is None or marks is None or len(others) < 2:
        raise _nothing()
    pairs = [two for two in cv2.BFMatcher().knnMatch(signs, marks, k=2) if len(two) == 2]
    good = [one for one, next_ in pairs if one.distance < RATIO * next_.distance]
    if len(good) < LEAST:
        raise _nothing()
    # places of the smaller pictures as places of the whole, by pixels' middles
    at = (np.array([points[one.queryIdx].pt for one in good]) + 0.5) / by - 0.5
    to = (np.array([others[one.trainIdx].pt for one in good]) + 0.5) / by_ - 0.5
    _, kept_ = cv2.findHomography(at, to, cv2.USAC_MAGSAC, 3.0)
    agree = np.zeros(len(at), bool) if kept_ is None else kept_.ravel() > 0
    if agree.sum() < LEAST:
        raise _nothing()
    return _of_kind(at[agree], to[agree], kind)


def _of_kind(at: F64, to: F64, kind: Kind) -> F64:
    """The change of a kind that takes places to others, by least squares."""
    if kind == "shift":
        by = np.median(to - at, axis=0)
        return np.array([[1, 0, by[0]], [0, 1, by[1]], [0, 0, 1.0]])
    if kind == "perspective":
        return np.asarray(cv2.findHomography(at, to, 0)[0], np.float64)
    middle, size = at.mean(axis=0), max(float(at.std()), 1.0)
    own = np.array([[size, 0, middle[0]], [0, size, middle[1]], [0, 0, 1.0]])
    found = through(to, FREEDOM[kind], moved(np.linalg.inv(own), at))
    return np.asarray(found @ np.linalg.inv(own), np.float64)


def _left(first: U8, second: U8, leave_out: F32 | None) -> float | None:
    """The shift that is left between two pictures that lie on one another: the median over a few parts of them, each
    the median of its corners that are found again, in pixels.

    Corners are followed by Lucas and Kanade's method (Bouguet, 2000) there and back. What is nearer or further off than
    what was lined up lies apart by more, and counts as well.
    """
    here, there = (_evened(one) for one in (first, second))
    high, wide = here.shape
    looked = None if leave_out is None else (leave_out < 0.1).astype(np.uint8)
    corners = cv2.goodFeaturesToTrack(here, CORNERS, 0.01, max(4, wide // 100), mask=looked)
    if corners is None:
        return None
    size = (WINDOW, WINDOW)
    to, found, _ = cv2.calcOpticalFlowPyrLK(here, there, corners, corners.copy(), winSize=size, maxLevel=2)
    back, again, _ = cv2.calcOpticalFlowPyrLK(there, here, to, to.copy(), winSize=size, maxLevel=2)
    at, by = corners[:, 0], (to - corners)[:, 0]
    sure = (found.ravel() > 0) & (again.ravel() > 0) & (np.hypot(*(back - corners)[:, 0].T) < 0.5)
    sure &= np.hypot(*by.T) < FARTHEST
    block = (at[:, 1] * BLOCKS // high).astype(int) * BLOCKS + (at[:, 0] * BLOCKS // wide).astype(int)
    parts = [by[sure & (block == n)] for n in range(BLOCKS * BLOCKS)]
    sides = [float(np.hypot(*np.median(one, axis=0))) for one in parts if len(one) >= 4]
    return float(np.median(sides)) if sides else None


def _evened(picture: U8) -> U8:
    """Its grey by how it stands out from what lies about it, (H, W): the light of two takes may differ."""
    grey = cv2.cvtColor(picture, cv2.COLOR_RGB2GRAY).astype(np.float32)
    grey = np.asarray(cv2.GaussianBlur(grey, (0, 0), 1.0), np.float32)
    apart = grey - cv2.GaussianBlur(grey, (0, 0), AROUND)
    spread = np.sqrt(cv2.GaussianBlur(apart * apart, (0, 0), AROUND)) + 2
    return np.clip(128 + 40 * apart / spread, 0, 255).astype(np.uint8)
