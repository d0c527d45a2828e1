"""Dense motion between two frames, and where it can be trusted."""

from __future__ import annotations

from functools import lru_cache
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from cuvrel.core.media.box import bounds
from cuvrel.core.media.rows import in_rows, kernel

F32 = NDArray[np.float32]
U8 = NDArray[np.uint8]
TORN = 0.05  # share of the subject where motion must be torn before its pieces are looked for
CELL = 24  # side of a matched piece of the subject,
STRIDE = 14  # the next one's distance, and
SEARCH = 30  # how far it is looked for, in pixels at half size


class Flow:
    """Motion both ways, from two hypotheses: the picture's own, and one led by pieces of the subject.

    The first is DIS optical flow (Kroeger et al., ECCV 2016). A thin subject that moves fast before a
    still background is lost in its coarse scales; so pieces of the subject are looked for one by one
    (block matching), and DIS starts a second time from what they say. At each pixel the hypothesis under
    which the two pictures agree better is taken.
    """

    def __init__(self) -> None:
        self._dis: Any = cv2.DISOpticalFlow.create(cv2.DISOPTICAL_FLOW_PRESET_FAST)
        self._dis.setUseSpatialPropagation(True)

    def between(
        self, here: U8, there: U8, subject: F32 | None = None, known: tuple[F32, F32] | None = None
    ) -> tuple[F32, F32]:
        """Where each pixel of `here` lies in `there`, (H, W, 2) float32 in pixels (x, y), and its fault.

        here, there: (H, W) uint8 grey. subject: its matte in `there`, (H, W) float32. The fault, (H, W)
        float32 in pixels, is how far a pixel misses itself when it goes there and back (the
        forward-backward check). known: what this gave without a subject, where that is at hand.
        """
        forth, fault = known or self._both(here, there, None, None)
        if subject is None:
            return forth, fault
        # where the picture's own motion comes back to where it set out there is nothing to look for
        about = cv2.dilate((sample(subject, forth) > 0.3).astype(np.uint8), np.ones((9, 9), np.uint8)) > 0
        if not about.any() or float((fault[about] > 1.5).mean()) < TORN:
            return forth, fault
        led = pieces(here, there, subject, fault)
        if led is None:
            return forth, fault
        # only about the subject, and what its pieces may have crossed
        box = bounds((subject > 0.3) | about | led[2], 24)
        assert box is not None
        near, far = np.ascontiguousarray(here[box]), np.ascontiguousarray(there[box])
        other, other_fault = self._both(near, far, led[0][box], led[1][box])
        forth, fault = forth.copy(), fault.copy()
        part, part_fault = forth[box], fault[box]
        better = _agrees(near, far, other, other_fault) + np.float32(0.6) < _agrees(near, far, part, part_fault)
        better &= led[2][box]
        better = cv2.medianBlur(better.astype(np.uint8), 5) > 0
        forth[box] = np.where(better[..., None], other, part)
        fault[box] = np.where(better, other_fault, part_fault)
        return forth, fault

    def both_ways(self, here: U8, there: U8) -> tuple[F32, F32, F32, F32]:
        """Motion from `here` to `there` and its fault, and the same from `there` to `here`; as for `between`."""
        forth, back = (self._dis.calc(*pair, None) for pair in ((here, there), (there, here)))
        return forth, length(forth + sample(back, forth)), back, length(back + sample(forth, back))

    def _both(self, here: U8, there: U8, forth: F32 | None, back: F32 | None) -> tuple[F32, F32]:
        forth = self._dis.calc(here, there, None if forth is None else forth.copy())
        back = self._dis.calc(there, here, None if back is None else back.copy())
        assert forth is not None
        assert back is not None
        missed = forth + sample(back, forth)
        return forth, length(missed)


def _agrees(here: U8, there: U8, flow: F32, fault: F32) -> F32:
    """How little the pictures agree under a motion, (H, W) float32 grey levels about each pixel."""
    wrong = np.abs(here.astype(np.float32) - sample(there, flow).astype(np.float32))
    return cv2.blur(np.minimum(wrong, 48), (7, 7)) + np.minimum(fault, 8)


def pieces(here: U8, there: U8, subject: F32, fault: F32) -> tuple[F32, F32, NDArray[np.bool_]] | None:
    """Motion of the subject's pieces from `there` to `here`, found one by one where motion is torn.

    Returns starts for dense motion, (H, W, 2) float32 from `here` to `there` and back, and where in
    `here` they say something; None when nothing of the subject moves by more than a pixel or two.
    """
    h, w = there.shape
    size = w // 2, h // 2
    a = cv2.GaussianBlur(cv2.resize(there, size, interpolation=cv2.INTER_AREA), (0, 0), 0.8)
    b = cv2.GaussianBlur(cv2.resize(here, size, interpolation=cv2.INTER_AREA), (0, 0), 0.8)
    mask = (cv2.resize(subject, size, interpolation=cv2.INTER_AREA) > 0.5).astype(np.uint8)
    # a piece may have come from as far as it is looked for
    reach = np.ones((SEARCH, SEARCH), np.uint8)
    torn = cv2.dilate((cv2.resize(fault, size, interpolation=cv2.INTER_AREA) > 1.5).astype(np.uint8), reach) > 0
    rows, cols = np.flatnonzero(mask.any(axis=1)), np.flatnonzero(mask.any(axis=0))
    if rows.size < 4 or cols.size < 4:
        return None
    total = cv2.integral(mask)
    cells = [
        (x, y)
        for y in range(max(0, int(rows[0]) - 2), min(int(rows[-1]), size[1] - CELL) + 1, STRIDE)
        for x in range(max(0, int(cols[0]) - 2), min(int(cols[-1]), size[0] - CELL) + 1, STRIDE)
        if torn[y + CELL // 2, x + CELL // 2]
        and total[y + CELL, x + CELL] - total[y, x + CELL] - total[y + CELL, x] + total[y, x] >= 0.18 * CELL * CELL
    ]
    if not cells:
        return None
    moves = np.zeros((len(cells), 3), np.int64)
    in_rows(_scan, len(cells), a, b, mask, np.array(cells, np.int64), CELL, SEARCH, moves, least=2)
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
    full = (w, h)
    return (
        cv2.resize(forth, full, interpolation=cv2.INTER_LINEAR) * 2,
        cv2.resize(back, full, interpolation=cv2.INTER_LINEAR) * 2,
        cv2.resize(weight_f, full, interpolation=cv2.INTER_LINEAR) > 0.02,
    )


@kernel
def _difference(a, b, part, y, x, dy, dx):  # type: ignore[no-untyped-def]
    """Mean absolute difference of a masked cell at an offset; only every second pixel of the cell counts."""
    h, w = b.shape
    total, count = 0, 0
    for r in range(part.shape[0]):
        yy = y + dy + r
        if yy < 0 or yy >= h:
            continue
        for c in range(r % 2, part.shape[1], 2):
            xx = x + dx + c
            if part[r, c] == 0 or xx < 0 or xx >= w:
                continue
            total += abs(int(a[y + r, x + c]) - int(b[yy, xx]))
            count += 1
    return np.float32(total) / np.float32(count) if count > 12 else np.float32(255.0)


@kernel
def _scan(n0, n1, a, b, mask, cells, side, reach, found):  # type: ignore[no-untyped-def]
    """Where cells went: `found` gets dx, dy and whether that can be told, for cells `n0` to `n1`."""
    steps = reach // 2
    for n in range(n0, n1):
        x, y = cells[n, 0], cells[n, 1]
        part = mask[y : y + side, x : x + side]
        stay = _difference(a, b, part, y, x, 0, 0)
        costs = np.empty((2 * steps + 1, 2 * steps + 1), np.float32)
        best, by, bx = np.float32(1e9), 0, 0
        for i in range(2 * steps + 1):
            for j in range(2 * steps + 1):
                dy, dx = 2 * (i - steps), 2 * (j - steps)
                # staying is likelier than jumping: a move must pay for its length
                cost = _difference(a, b, part, y, x, dy, dx) + np.float32(0.05) * np.sqrt(np.float32(dy * dy + dx * dx))
                costs[i, j] = cost
                if cost < best:
                    best, by, bx = cost, dy, dx
        # a place that is hardly better than others far away says nothing
        far = np.float32(1e9)
        for i in range(2 * steps + 1):
            for j in range(2 * steps + 1):
                if abs(2 * (i - steps) - by) > 5 or abs(2 * (j - steps) - bx) > 5:
                    far = min(far, costs[i, j])
        usual = np.median(costs)
        fine, fy, fx = best, by, bx
        for dy in range(by - 1, by + 2):
            for dx in range(bx - 1, bx + 2):
                cost = _difference(a, b, part, y, x, dy, dx) + np.float32(0.05) * np.sqrt(np.float32(dy * dy + dx * dx))
                if cost < fine:
                    fine, fy, fx = cost, dy, dx
        if stay - fine < 1.0:
            found[n, 0], found[n, 1], found[n, 2] = 0, 0, 1
        else:
            found[n, 0], found[n, 1] = fx, fy
            found[n, 2] = 1 if far - best >= np.float32(0.06) * usual else 0


@lru_cache(maxsize=16)
def _grid(shape: tuple[int, int]) -> F32:
    y, x = np.mgrid[0 : shape[0], 0 : shape[1]].astype(np.float32)
    return np.dstack([x, y])


def length(flow: F32) -> F32:
    """The length of each vector of (H, W, 2), (H, W) float32."""
    x, y = flow[..., 0], flow[..., 1]
    return np.asarray(np.sqrt(x * x + y * y), np.float32)


def sample(picture: NDArray, flow: F32, border: int = cv2.BORDER_REPLICATE) -> NDArray:
    """The picture read where the flow points, bilinearly: the warp of `there` onto `here`."""
    shape: tuple[int, int] = (flow.shape[0], flow.shape[1])
    return cv2.remap(picture, _grid(shape) + flow, None, cv2.INTER_LINEAR, borderMode=border)


def chain(first: F32, second: F32) -> F32:
    """The motion that goes by `first` and then by `second`, (H, W, 2) float32."""
    return first + sample(second, first)
