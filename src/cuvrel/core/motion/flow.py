"""Dense motion between two frames, and where it can be trusted."""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache

import cv2
import numpy as np
from numpy.typing import NDArray

from cuvrel.core.arrays import F32, I64, U8, Mask, Single
from cuvrel.core.imaging.region import Box, bounds
from cuvrel.core.imaging.row_kernels import in_rows, kernel, small_kernel
from cuvrel.core.motion.dense import Dense

BothWays = tuple[F32, F32, F32, F32]  # motion and its fault, and the same back
LOST, WRONG = 1.5, 24.0  # pixels of fault, or disagreement in grey levels, from which motion is torn
MARGIN = 24  # pixels about the subject within which motion is looked at closely
HEARD = 0.02  # weight of the pieces' word from which it counts
TORN = 0.1  # share of the subject where motion must be torn before its pieces are looked for,
BROKEN = 0.3  # and of a piece itself
CELL = 24  # side of a matched piece of the subject,
STRIDE = 14  # the next one's distance, and
SEARCH = 30  # how far it is looked for, in pixels at half size


class Flow:
    """Motion both ways, from two hypotheses: the picture's own, and one led by pieces of the subject.

    The first is DIS optical flow (Kroeger et al., ECCV 2016). A thin subject that moves fast before a
    still background is lost in its coarse scales; so pieces of the subject are looked for one by one
    (block matching). At each pixel the hypothesis under which the two pictures agree better is taken. From
    there DIS has a close look about the subject, at full size: at a quarter of it, as for the rest, an
    outline moves by half a pixel too much or too little. The way back is looked at once more at half of it.

    smoothing: as for `Dense`; without it motion is better by far along outlines.
    """

    def __init__(self, smoothing: int = 0) -> None:
        self._dense = Dense(smoothing=smoothing)
        self._close = Dense(finest=0, coarsest=1, smoothing=0, stride=5)
        self._check = Dense(finest=1, coarsest=1, smoothing=0, stride=5)

    def between(
        self, here: U8, there: U8, subject: F32 | None = None, known: BothWays | None = None
    ) -> tuple[F32, F32]:
        """Where each pixel of `here` lies in `there`, (H, W, 2) float32 in pixels (x, y), and its fault.

        here, there: (H, W) uint8 grey. subject: its matte in `there`, (H, W) float32. The fault, (H, W)
        float32 in pixels, is how far a pixel misses itself when it goes there and back (the
        forward-backward check). known: what `both_ways` gave, where that is at hand.
        """
        both = known or self.both_ways(here, there)
        if subject is None:
            return both[:2]
        about = cv2.dilate((sample(subject, both[0]) > 0.3).astype(np.uint8), np.ones((9, 9), np.uint8)) > 0
        if not about.any():
            return both[:2]
        both, box = self._jumped(here, there, subject, about, both)
        return self._closely(here, there, both, box)

    def _jumped(self, here: U8, there: U8, subject: F32, about: Mask, both: BothWays) -> tuple[BothWays, Box]:
        """The motion led by pieces of the subject, where that is better, and the box of all that it may concern."""
        forth, flow_error, back, back_fault = both
        box = bounds((subject > 0.3) | about, MARGIN)
        assert box is not None
        torn = back_fault > LOST
        # a thin subject may be missed both ways alike, and then only its looks tell
        torn[box] |= _agrees(there, here, back, back_fault, box) > WRONG
        # where the picture's own motion comes back to where it set out there is nothing to look for
        found = pieces(here, there, subject, torn) if float(torn[subject > 0.3].mean()) >= TORN else None
        if found is None:
            return both, box
        box = bounds((subject > 0.3) | about | (found.weight > HEARD), MARGIN) or box
        near, far = np.ascontiguousarray(here[box]), np.ascontiguousarray(there[box])
        led = _checked(*(np.ascontiguousarray(one[box]) for one in (found.forth, found.back)))
        part, part_fault, part_back, part_back_fault = (one[box] for one in both)
        better = _better(near, far, led[:2], (part, part_fault), found.weight[box])
        back_better = _better(far, near, led[2:], (part_back, part_back_fault), found.back_weight[box])
        forth, back = forth.copy(), back.copy()
        forth[box] = np.where(better[..., None], led[0], part)
        back[box] = np.where(back_better[..., None], led[2], part_back)
        return (forth, flow_error, back, back_fault), box  # the faults of before: they are found anew close up

    def _closely(self, here: U8, there: U8, both: BothWays, box: Box) -> tuple[F32, F32]:
        """The motion in a box looked at once more, at full size, and its fault.

        What the subject left misses itself then: what was there has gone elsewhere.
        """
        forth, flow_error, back = (one.copy() for one in both[:3])
        # the way back only tells faults, for which half of the size will do
        for dense, flow, near, far in ((self._close, forth, here, there), (self._check, back, there, here)):
            more = dense.between(np.ascontiguousarray(near[box]), Warp(flow, box).of(far))
            flow[box] = chain(more, np.ascontiguousarray(flow[box]))
        flow_error[box] = forward_backward_error(forth, back, box)
        return forth, flow_error

    def drawn(self, here: U8, there: U8, flow: F32, about: F32) -> F32:
        """A motion over several frames, drawn to where the pictures agree better, so that its errors do not add up.

        At half of the size: closer up a surface that has turned or changed its light since is drawn astray.
        here, there, flow: as for `between`. about: (H, W), where in `here` the subject is. (H, W, 2) float32.
        """
        box = bounds(about > 0.3, MARGIN)
        if box is None:
            return flow
        near, brought = np.ascontiguousarray(here[box]), Warp(flow, box).of(there)
        out = flow.copy()
        out[box] = chain(self._check.between(near, brought), np.ascontiguousarray(flow[box]))
        better = _difference_of(near, Warp(out, box).of(there)) + np.float32(1) < _difference_of(near, brought)
        better = cv2.medianBlur(better.astype(np.uint8), 5) > 0
        out[box] = np.where(better[..., None], out[box], flow[box])
        return out

    def both_ways(self, here: U8, there: U8) -> BothWays:
        """Motion from `here` to `there` and its fault, and the same from `there` to `here`; as for `between`."""
        return _checked(self._dense.between(here, there), self._dense.between(there, here))


def _checked(forth: F32, back: F32) -> BothWays:
    return forth, forward_backward_error(forth, back), back, forward_backward_error(back, forth)


def _better(here: U8, there: U8, led: tuple[F32, F32], plain: tuple[F32, F32], weight: F32) -> Mask:
    """Where the pictures agree better under a motion and fault than under another, of what pieces were found for."""
    better = _agrees(here, there, *led) + np.float32(0.6) < _agrees(here, there, *plain)
    return cv2.medianBlur((better & (weight > HEARD)).astype(np.uint8), 5) > 0


def _agrees(here: U8, there: U8, flow: F32, flow_error: F32, box: Box = np.s_[:, :]) -> F32:
    """How little the pictures agree under a motion, (h, w) float32 grey levels about each pixel of a box."""
    return _difference_of(np.ascontiguousarray(here[box]), Warp(flow, box).of(there)) + np.minimum(flow_error[box], 8)


def _difference_of(here: U8, brought: U8) -> F32:
    """How far two pictures are from each other about each pixel, (h, w) float32 grey levels."""
    return np.asarray(cv2.blur(np.minimum(cv2.absdiff(here, brought), 48).astype(np.float32), (7, 7)), np.float32)


@dataclass(frozen=True)
class Pieces:
    """Where dense motion is to look: from `here` to `there`, (H, W, 2), and its weight, (H, W), and back; float32."""

    forth: F32
    weight: F32
    back: F32
    back_weight: F32


def pieces(here: U8, there: U8, subject: F32, torn: Mask) -> Pieces | None:
    """Motion of the subject's pieces from `there` to `here`, found one by one where that is torn.

    here, there, subject: as for `between`; torn: (H, W), of `there`. None when nothing of the subject moves by
    more than a pixel or two.
    """
    h, w = there.shape
    size = w // 2, h // 2
    a = cv2.GaussianBlur(cv2.resize(there, size, interpolation=cv2.INTER_AREA), (0, 0), 0.8)
    b = cv2.GaussianBlur(cv2.resize(here, size, interpolation=cv2.INTER_AREA), (0, 0), 0.8)
    mask = (cv2.resize(subject, size, interpolation=cv2.INTER_AREA) > 0.5).astype(np.uint8)
    rows, cols = np.flatnonzero(mask.any(axis=1)), np.flatnonzero(mask.any(axis=0))
    if rows.size < 4 or cols.size < 4:
        return None
    broken = cv2.resize(torn.astype(np.uint8), size, interpolation=cv2.INTER_NEAREST) & mask
    sums = cv2.integral(mask), cv2.integral(broken)

    def inside(x: int, y: int) -> tuple[int, int]:
        """How many pixels of a cell are the subject's, and how many of those are torn."""
        one, other = (n[y + CELL, x + CELL] - n[y, x + CELL] - n[y + CELL, x] + n[y, x] for n in sums)
        return int(one), int(other)

    cells = [
        (x, y)
        for y in range(max(0, int(rows[0]) - 2), min(int(rows[-1]), size[1] - CELL) + 1, STRIDE)
        for x in range(max(0, int(cols[0]) - 2), min(int(cols[-1]), size[0] - CELL) + 1, STRIDE)
        for own, lost in [inside(x, y)]
        if own >= 0.18 * CELL * CELL and lost >= BROKEN * own
    ]
    if not cells:
        return None
    moves = np.zeros((len(cells), 3), np.int64)
    planes = [one.astype(np.float32) for one in (a, b, mask)]
    in_rows(_scan, len(cells), *planes, np.array(cells, np.int64), CELL, SEARCH, moves, least=2)
    found = [(x, y, int(dx), int(dy)) for (x, y), (dx, dy, sure) in zip(cells, moves, strict=True) if sure]
    if not any(abs(dx) + abs(dy) > 1 for _, _, dx, dy in found):
        return None
    forth, back = np.zeros((size[1], size[0], 2), np.float32), np.zeros((size[1], size[0], 2), np.float32)
    weight_f, weight_b = np.zeros((size[1], size[0]), np.float32), np.zeros((size[1], size[0]), np.float32)
    hill = np.outer(np.hanning(CELL + 2)[1:-1], np.hanning(CELL + 2)[1:-1]).astype(np.float32)
    for x, y, dx, dy in found:
        soft = hill * (0.15 + mask[y : y + CELL, x : x + CELL])
        back[y : y + CELL, x : x + CELL] += soft[..., None] * (dx, dy)
        weight_b[y : y + CELL, x : x + CELL] += soft
        y1, x1 = y + dy, x + dx
        cut = soft[max(0, -y1) : size[1] - y1, max(0, -x1) : size[0] - x1]
        at = np.s_[max(0, y1) : max(0, y1) + cut.shape[0], max(0, x1) : max(0, x1) + cut.shape[1]]
        forth[at] += cut[..., None] * (-dx, -dy)
        weight_f[at] += cut
    forth /= np.maximum(weight_f, 1e-6)[..., None]
    back /= np.maximum(weight_b, 1e-6)[..., None]
    big = [cv2.resize(one, (w, h), interpolation=cv2.INTER_LINEAR) for one in (forth, weight_f, back, weight_b)]
    return Pieces(big[0] * 2, big[1], big[2] * 2, big[3])


@kernel
def _difference(cell: F32, mask: F32, count: Single, b: F32, y: int, x: int) -> Single:
    """Mean absolute difference of a masked cell and what lies at a place, as far as that is in the picture.

    cell, mask, b: float32, so that no difference wraps and eight are taken at once; count: the mask's sum.
    """
    (h, w), (high, wide) = b.shape, cell.shape
    total = np.float32(0)
    if y >= 0 and x >= 0 and y + high <= h and x + wide <= w:
        for r in range(high):
            for c in range(wide):
                total += abs(cell[r, c] - b[y + r, x + c]) * mask[r, c]
    else:
        count = np.float32(0)
        for r in range(max(0, -y), min(high, h - y)):
            for c in range(max(0, -x), min(wide, w - x)):
                total += abs(cell[r, c] - b[y + r, x + c]) * mask[r, c]
                count += mask[r, c]
    return total / count if count > 24 else np.float32(255.0)


@kernel
def _scan(n0: int, n1: int, a: F32, b: F32, mask: F32, cells: I64, side: int, reach: int, found: I64) -> None:
    """Where cells went: `found` gets dx, dy and whether that can be told, for cells `n0` to `n1`."""
    steps = reach // 2
    for n in range(n0, n1):
        x, y = cells[n, 0], cells[n, 1]
        cell, part = a[y : y + side, x : x + side].copy(), mask[y : y + side, x : x + side].copy()
        count = part.sum()
        stay = _difference(cell, part, count, b, y, x)
        costs = np.empty((2 * steps + 1, 2 * steps + 1), np.float32)
        best, by, bx = np.float32(1e9), 0, 0
        for i in range(2 * steps + 1):
            for j in range(2 * steps + 1):
                dy, dx = 2 * (i - steps), 2 * (j - steps)
                # staying is likelier than jumping: a move must pay for its length
                far = np.float32(0.05) * np.sqrt(np.float32(dy * dy + dx * dx))
                cost = _difference(cell, part, count, b, y + dy, x + dx) + far
                costs[i, j] = cost
                if cost < best:
                    best, by, bx = cost, dy, dx
        # a place that is hardly better than others far away says nothing
        second = np.float32(1e9)
        for i in range(2 * steps + 1):
            for j in range(2 * steps + 1):
                if abs(2 * (i - steps) - by) > 5 or abs(2 * (j - steps) - bx) > 5:
                    second = min(second, costs[i, j])
        usual = np.median(costs)
        fine, fy, fx = best, by, bx
        for dy in range(by - 1, by + 2):
            for dx in range(bx - 1, bx + 2):
                far = np.float32(0.05) * np.sqrt(np.float32(dy * dy + dx * dx))
                cost = _difference(cell, part, count, b, y + dy, x + dx) + far
                if cost < fine:
                    fine, fy, fx = cost, dy, dx
        if stay - fine < 1.0:
            found[n, 0], found[n, 1], found[n, 2] = 0, 0, 1
        else:
            found[n, 0], found[n, 1] = fx, fy
            found[n, 2] = 1 if second - best >= np.float32(0.06) * usual else 0


@lru_cache(maxsize=16)
def _grid(shape: tuple[int, int]) -> F32:
    y, x = np.mgrid[0 : shape[0], 0 : shape[1]].astype(np.float32)
    return np.dstack([x, y])


class Warp:
    """Reads pictures where a flow points, bilinearly: the warp of `there` onto `here`.

    flow: (H, W, 2) float32. box: the part of `here` that is asked for.
    """

    def __init__(self, flow: F32, box: Box = np.s_[:, :]) -> None:
        grid = _grid((flow.shape[0], flow.shape[1]))
        self._at = grid[box] + flow[box]

    def of(self, picture: NDArray, border: int = cv2.BORDER_REPLICATE) -> NDArray:
        """A picture of one to four channels, (H, W) or (H, W, C), for the box."""
        return cv2.remap(picture, self._at, None, cv2.INTER_LINEAR, borderMode=border)


def sample(picture: NDArray, flow: F32, border: int = cv2.BORDER_REPLICATE) -> NDArray:
    """One picture read where the flow points."""
    return Warp(flow).of(picture, border)


@small_kernel
def _read(flow: F32, x: Single, y: Single) -> tuple[Single, Single]:
    """A motion at a place between pixels; beyond the border it is the border's."""
    zero, one = np.float32(0), np.float32(1)
    x = min(max(x, zero), np.float32(flow.shape[1] - 1))
    y = min(max(y, zero), np.float32(flow.shape[0] - 1))
    left, top = np.uint32(x), np.uint32(y)  # an index that might be negative is looked at each time
    right = min(np.uint32(left + np.uint32(1)), np.uint32(flow.shape[1] - 1))
    low = min(np.uint32(top + np.uint32(1)), np.uint32(flow.shape[0] - 1))
    fx, fy = x - np.float32(left), y - np.float32(top)
    a, b, c, d = (one - fx) * (one - fy), fx * (one - fy), (one - fx) * fy, fx * fy
    return (
        a * flow[top, left, 0] + b * flow[top, right, 0] + c * flow[low, left, 0] + d * flow[low, right, 0],
        a * flow[top, left, 1] + b * flow[top, right, 1] + c * flow[low, left, 1] + d * flow[low, right, 1],
    )


@small_kernel
def _onward(first: F32, second: F32, y: int, x: int, top: int, left: int) -> tuple[Single, Single]:
    """A motion at a pixel and another one from where it leads, together. top, left: where the first's part begins."""
    u, v = first[y, x, 0], first[y, x, 1]
    du, dv = _read(second, np.float32(x + left) + u, np.float32(y + top) + v)
    return u + du, v + dv


@kernel
def _forward_backward_error(y0: int, y1: int, forth: F32, back: F32, top: int, left: int, out: F32) -> None:
    for y in range(y0, y1):
        for x in range(out.shape[1]):
            u, v = _onward(forth, back, y, x, top, left)
            out[y, x] = np.sqrt(u * u + v * v)


def forward_backward_error(forth: F32, back: F32, box: Box = np.s_[:, :]) -> F32:
    """By how many pixels each pixel misses itself when it follows one flow there and the other one back.

    Parameters
    ----------
    forth, back
        (H, W, 2) float32, in pixels: the flow to another frame, and from that one to this.
    box
        The part of the picture that is wanted.

    Returns
    -------
    F32
        (h, w), of the box. Large where something is hidden in the other frame, or where the flow is wrong.

    References
    ----------
    Sundaram, Brox and Keutzer, Dense Point Trajectories by GPU-accelerated Large Displacement Optical Flow, ECCV 2010.
    """
    part = forth[box]
    out = np.empty(part.shape[:2], np.float32)
    in_rows(_forward_backward_error, len(out), part, back, box[0].start or 0, box[1].start or 0, out)
    return out


@kernel
def _chained(y0: int, y1: int, first: F32, second: F32, out: F32) -> None:
    for y in range(y0, y1):
        for x in range(out.shape[1]):
            out[y, x, 0], out[y, x, 1] = _onward(first, second, y, x, 0, 0)


def chain(first: F32, second: F32) -> F32:
    """The motion that goes by `first` and then by `second`, (H, W, 2) float32."""
    out = np.empty(first.shape, np.float32)
    in_rows(_chained, len(out), first, second, out)
    return out
