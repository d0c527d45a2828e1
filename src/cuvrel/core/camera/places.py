"""From a pixel to the place of the scene that it shows: how far away it is, and which way the surface faces there.

Points near by say about how far; pictures from elsewhere decide (plane sweeping: Collins, A Space-Sweep Approach to
True Multi-Image Matching, 1996). On a plane the inverse of depth is linear in the picture, so that one line through the
points near by is a guess for how a surface leans as well.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass

import cv2
import numpy as np

from cuvrel.core.arrays import F32, F64, U8
from cuvrel.core.camera.lens import View

NEAR = 14  # points that are asked
HALF = 8  # pixels to each side that are compared
STEPS = 56  # depths that are tried
OTHERS = 10  # frames that are compared with
ALIKE = 0.6  # how alike pictures must be, to count
Read = Callable[[int], U8]


@dataclass(frozen=True)
class Place:
    """A place of the scene, (3,). normal: of the surface there, towards the camera. doubt: 0 to 1."""

    at: F64
    normal: F64
    doubt: float


def place_at(view: View, pixel: tuple[float, float], seen: F64, points: F64) -> Place:
    """By the points near a pixel alone. seen: where points are seen, (N, 2) pixels; points: (N, 3)."""
    deep, slope, spread = _guess(view, np.asarray(pixel, np.float64), seen, points)
    return _placed(view, np.asarray(pixel, np.float64), deep, slope, float(np.clip(spread * 2, 0.05, 0.9)))


def _guess(view: View, pixel: F64, seen: F64, points: F64) -> tuple[float, F64, float]:
    """The inverse depth at a pixel, how it changes by pixels, (2,), and how far points near by differ, as a share."""
    deep = view.before(points)[:, 2]
    ahead = deep > 1e-6
    seen, deep = seen[ahead], deep[ahead]
    if not len(deep):
        return 0.2, np.zeros(2), 1.0
    far = np.hypot(*(seen - pixel).T)
    near = np.argsort(far)[:NEAR]
    inverse, off = 1 / deep[near], seen[near] - pixel
    size = max(float(far[near].max()), 1.0)
    weight = 1 / (0.1 + far[near] / size)
    rows = np.column_stack([np.ones(len(near)), off / size])
    found = np.array([float(np.median(inverse)), 0.0, 0.0])
    if len(near) >= 6:
        for _ in range(12):
            left = np.abs(rows @ found - inverse) / max(abs(float(found[0])), 1e-9)
            held = weight / (1 + (left / 0.05) ** 2)
            grid = rows.T @ (rows * held[:, None]) + np.diag([0, 0.02, 0.02]) * held.sum()
            found = np.linalg.solve(grid, rows.T @ (held * inverse))
    least, most = float(inverse.min()), float(inverse.max())
    centre = float(np.clip(found[0], 0.5 * least, 1.5 * most))
    return centre, found[1:] / size, float((most - least) / max(most + least, 1e-9))


def _placed(view: View, pixel: F64, inverse: float, slope: F64, doubt: float) -> Place:
    """A place by its inverse depth and how that changes by pixels."""
    at = view.lens.ways(pixel[None])[0] / inverse
    # the plane n . p = 1 before the camera: its inverse depth is n . (x, y, 1)
    straight = (view.lens.straight(pixel[None])[0] - view.lens.middle) / view.lens.focal
    lean = slope * view.lens.focal
    normal = np.array([lean[0], lean[1], inverse - lean @ straight])
    normal = -normal / max(float(np.linalg.norm(normal)), 1e-12)
    if normal @ at > 0:
        normal = -normal
    return Place(view.turn.T @ (at - view.shift), view.turn.T @ normal, doubt)


def places_at(views: Mapping[int, View], frame: int, pixels: Sequence[tuple[float, float]], seen: F64, points: F64,
              read: Read, still: bool = False) -> list[Place]:  # fmt: skip
    """Places by the points near by and by pictures of other frames. seen, points: as the frame shows the scene.

    read: a frame, (H, W, 3) uint8. still: the camera turns alone, and a place is a direction.
    """
    view = views[frame]
    at = np.asarray(pixels, np.float64)
    if still:
        return [Place(way / np.linalg.norm(way), -way / np.linalg.norm(way), 0.1) for way in view.rays(at)]
    others = _others(views, frame, points)
    grey = {n: _grey(read(n)) for n in [frame, *others]}
    return [_swept(views, frame, one, seen, points, others, grey) for one in at]


def _grey(picture: U8) -> F32:
    return np.asarray(cv2.GaussianBlur(cv2.cvtColor(picture, cv2.COLOR_RGB2GRAY), (0, 0), 0.7), np.float32)


def _others(views: Mapping[int, View], frame: int, points: F64) -> list[int]:
    """Frames to compare with: the nearest ones from which points look a few degrees aside, and some further off."""
    here = views[frame]
    far = max(float(np.median(np.linalg.norm(points - here.eye, axis=1))), 1e-9)
    apart = {n: float(np.linalg.norm(view.eye - here.eye)) / far for n, view in views.items() if n != frame}
    out = []
    for wanted in (0.015, 0.03, 0.06, 0.12, 0.2):
        for side in (-1, 1):
            some = [n for n in apart if (n - frame) * side > 0 and n not in out]
            if some:
                out.append(min(some, key=lambda n: abs(apart[n] - wanted)))
    return out[:OTHERS]


def _swept(views: Mapping[int, View], frame: int, pixel: F64, seen: F64, points: F64, others: Sequence[int],
           grey: Mapping[int, F32]) -> Place:  # fmt: skip
    view = views[frame]
    centre, slope, spread = _guess(view, pixel, seen, points)
    deep = view.before(points)[:, 2]
    near = np.argsort(np.hypot(*(seen - pixel).T))[:NEAR]
    inverse = 1 / np.maximum(deep[near], 1e-6)
    low, high = 0.7 * min(float(inverse.min()), centre), 1.35 * max(float(inverse.max()), centre)
    grid = np.stack(np.meshgrid(np.arange(-HALF, HALF + 1.0), np.arange(-HALF, HALF + 1.0)), -1).reshape(-1, 2)
    own = _read(grey[frame], pixel + grid)
    if float(own.std()) < 1.0:
        return _placed(view, pixel, centre, slope, float(np.clip(spread * 2 + 0.2, 0.2, 0.9)))
    rays = view.lens.ways(pixel + grid)
    best: tuple[float, float, F64] | None = None
    for lean in (slope, np.zeros(2)):
        tried = np.linspace(low, high, STEPS)
        scores = _scores(view, views, others, grey, rays, grid, own, tried, lean)
        # a guess counts a little, so that what looks alike everywhere stays near it
        judged = scores - 0.06 * np.abs(np.log(tried / centre))
        n = int(np.argmax(judged))
        step = float(tried[1] - tried[0])
        fine = tried[n] + step * np.linspace(-1, 1, 13)
        fine = fine[fine > 0.2 * low]
        finer = _scores(view, views, others, grey, rays, grid, own, fine, lean)
        m = int(np.argmax(finer))
        value = float(fine[m])
        if 0 < m < len(fine) - 1:
            a, b, c = finer[m - 1 : m + 2]
            if a + c - 2 * b < 0:
                value += 0.5 * float((a - c) / (a + c - 2 * b)) * float(fine[1] - fine[0])
        if best is None or float(finer[m]) > best[0] + 0.01:
            best = float(finer[m]), value, lean
    assert best is not None
    score, value, lean = best
    if score < ALIKE:
        return _placed(view, pixel, centre, slope, float(np.clip(spread * 2 + 0.2, 0.2, 0.9)))
    return _placed(view, pixel, value, slope, float(np.clip((0.95 - score) * 1.2, 0.02, 0.6)))


def _scores(view: View, views: Mapping[int, View], others: Sequence[int], grey: Mapping[int, F32], rays: F64, grid: F64,
            own: F32, tried: F64, lean: F64) -> F64:  # fmt: skip
    """How alike frames are to a piece of one, at inverse depths, (N,): the mean correlation of the better ones."""
    # each pixel of the piece at each depth
    inverse = np.maximum(tried[:, None] + (grid @ lean)[None], 1e-6)
    places = view.turn.T @ ((rays[None] / inverse[..., None]) - view.shift).reshape(-1, 3).T
    flat = places.T
    first = own - own.mean()
    first = first / max(float(np.sqrt((first**2).sum())), 1e-6)
    rows = []
    for n in others:
        at = views[n].seen(flat)
        picture = grey[n]
        inside = np.isfinite(at).all(axis=1) & (at > 1).all(axis=1)
        inside &= (at[:, 0] < picture.shape[1] - 1) & (at[:, 1] < picture.shape[0] - 1)
        there = _read(picture, np.where(inside[:, None], at, 0)).reshape(len(tried), -1)
        there = there - there.mean(axis=1, keepdims=True)
        size = np.maximum(np.sqrt((there**2).sum(axis=1)), 1e-6)
        score = there @ first / size
        rows.append(np.where(inside.reshape(len(tried), -1).all(axis=1), score, np.nan))
    if not rows:
        return np.zeros(len(tried))
    every = np.sort(np.where(np.isnan(rows), -1, rows), axis=0)[::-1]
    kept = every[: max(2, round(0.6 * len(rows)))]
    return np.asarray(np.where(kept > -1, kept, 0).mean(axis=0))


def _read(picture: F32, at: F64) -> F32:
    to = (at - 0.5).astype(np.float32).reshape(-1, 1, 2)
    return np.asarray(
        cv2.remap(picture, to, None, cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE), np.float32
    ).ravel()
