"""A memory of colours: which were the subject's and which were not, and where in the picture.

Samples are splatted into a coarse grid over position and colour, the grid is blurred, and a pixel's
odds are read from it by interpolation: a bilateral grid (Chen, Paris and Durand, SIGGRAPH 2007) used as
the local colour model of a video cut-out, as in Märki et al., Bilateral Space Video Segmentation
(CVPR 2016). One grid is a colour model for every place in the picture at once.
"""

from __future__ import annotations

import cv2
import numpy as np

from cuvrel.core.arrays import F32, F64, U8, Real, Single
from cuvrel.core.imaging.row_kernels import in_rows, kernel


def to_lab(rgb: U8) -> U8:
    """(H, W, 3) uint8 sRGB to OpenCV's 8-bit CIE Lab."""
    return cv2.cvtColor(rgb, cv2.COLOR_RGB2LAB)


@kernel
def _place(
    lab: U8, y: int, x: int, oy: int, ox: int, scale_y: Single, scale_x: Single, bins: int
) -> tuple[Real, Real, Single, Single, Single]:
    """Continuous grid coordinates of a pixel; a and b use their middle half, where pictures live."""
    gy = (y + oy) * scale_y
    gx = (x + ox) * scale_x
    gl = lab[y, x, 0] * np.float32((bins - 1) / 255.0)
    ga = min(
        max((lab[y, x, 1] - np.float32(68.0)) * np.float32((bins - 1) / 120.0), np.float32(0.0)),
        np.float32(bins - 1.001),
    )
    gb = min(
        max((lab[y, x, 2] - np.float32(68.0)) * np.float32((bins - 1) / 120.0), np.float32(0.0)),
        np.float32(bins - 1.001),
    )
    return gy, gx, min(gl, np.float32(bins - 1.001)), ga, gb


@kernel
def _splat(
    lab: U8, oy: int, ox: int, subject: F32 | F64, other: F32 | F64, scale_y: Single, scale_x: Single, grid: F32
) -> None:
    for y in range(lab.shape[0]):
        for x in range(lab.shape[1]):
            f, b = subject[y, x], other[y, x]
            if f <= 0 and b <= 0:
                continue
            gy, gx, gl, ga, gb = _place(lab, y, x, oy, ox, scale_y, scale_x, grid.shape[2])
            iy, ix = np.uint32(gy + 0.5), np.uint32(gx + 0.5)
            il, ia, ib = np.uint32(gl + 0.5), np.uint32(ga + 0.5), np.uint32(gb + 0.5)
            grid[iy, ix, il, ia, ib, 0] += f
            grid[iy, ix, il, ia, ib, 1] += b


@kernel
def _between(left: F32, here: F32, right: F32, out: F32) -> None:
    """[1 2 1] / 4 of three runs; by slices, since an index that might be negative keeps a loop from being vectors."""
    quarter, half = np.float32(0.25), np.float32(0.5)
    for m in range(len(out)):
        out[m] = quarter * (left[m] + right[m]) + half * here[m]


@kernel
def _blur_axis(part0: int, part1: int, source: F32, out: F32, before: int, n: int, after: int) -> None:
    """[1 2 1] / 4 along the middle axis of an array seen as (before, n, after).

    Works on the parts `part0` to `part1` of the first axis, or of the last where the first has one only.
    """
    long = n * after
    if before == 1:
        for k in range(n):
            here = source[k * after + part0 : k * after + part1]
            left = source[max(0, k - 1) * after + part0 : max(0, k - 1) * after + part1]
            right = source[min(n - 1, k + 1) * after + part0 : min(n - 1, k + 1) * after + part1]
            _between(left, here, right, out[k * after + part0 : k * after + part1])
        return
    # one long run, whatever the axis' stride, and then the ends of each row, which it took from their neighbours
    a, b = part0 * long, part1 * long
    _between(
        source[a : b - 2 * after], source[a + after : b - after], source[a + 2 * after : b], out[a + after : b - after]
    )
    for i in range(part0, part1):
        a, b = i * long, (i + 1) * long - after
        for m in range(after):
            out[a + m] = np.float32(0.75) * source[a + m] + np.float32(0.25) * source[a + after + m]
            out[b + m] = np.float32(0.75) * source[b + m] + np.float32(0.25) * source[b - after + m]


@kernel
def _slice(
    y0: int,
    y1: int,
    lab: U8,
    oy: int,
    ox: int,
    where: U8,
    scale_y: Single,
    scale_x: Single,
    grid: F32,
    share: F32,
    floor: Single,
    odds: F32,
    trust: F32,
) -> None:
    ny, nx, one = grid.shape[0], grid.shape[1], np.float32(1)
    for y in range(y0, y1):
        for x in range(lab.shape[1]):
            if where[y, x] == 0:
                continue
            gy, gx, gl, ga, gb = _place(lab, y, x, oy, ox, scale_y, scale_x, grid.shape[2])
            # an index that might be negative is looked at each time
            iy, ix = np.uint32(min(int(gy), max(ny - 2, 0))), np.uint32(min(int(gx), max(nx - 2, 0)))
            il, ia, ib = np.uint32(gl), np.uint32(ga), np.uint32(gb)
            fy, fx, fl = np.float32(gy - iy), np.float32(gx - ix), np.float32(gl - il)
            fa, fb = np.float32(ga - ia), np.float32(gb - ib)
            # both colour b's cells of both classes lie side by side: four values at a time
            f0, b0, f1, b1 = np.float32(0.0), np.float32(0.0), np.float32(0.0), np.float32(0.0)
            for cy in range(2 if ny > 1 else 1):
                wy = fy if cy else one - fy
                for cx in range(2 if nx > 1 else 1):
                    wx = wy * (fx if cx else one - fx)
                    for cl in range(2):
                        wl = wx * (fl if cl else one - fl)
                        for ca in range(2):
                            weight = wl * (fa if ca else one - fa)
                            cell = grid[np.uint32(iy + cy), np.uint32(ix + cx), np.uint32(il + cl), np.uint32(ia + ca)]
                            f0 += weight * cell[ib, 0]
                            b0 += weight * cell[ib, 1]
                            f1 += weight * cell[np.uint32(ib + 1), 0]
                            b1 += weight * cell[np.uint32(ib + 1), 1]
            f, b = (f0 + fb * (f1 - f0)) * share[0], (b0 + fb * (b1 - b0)) * share[1]
            odds[y, x] = np.log((f + floor) / (b + floor))
            trust[y, x] = (f + b) / (f + b + 4 * floor)


class ColourMemory:
    """Odds of a colour at a place, from what was seen.

    shape: (H, W) of the pictures. cells: about how many grid cells lie along the longer side; 0 means
    that the place does not count. reach: how far a sample counts, in passes of the blur over place.
    bins: steps along each of the three colour axes.
    """

    def __init__(self, shape: tuple[int, int], cells: int = 0, reach: int = 1, bins: int = 0) -> None:
        bins = bins or (16 if cells == 0 else 12)
        long = max(shape)
        self.ny = 1 if cells == 0 else max(2, round(cells * shape[0] / long) + 1)
        self.nx = 1 if cells == 0 else max(2, round(cells * shape[1] / long) + 1)
        self.scale_y = np.float32((self.ny - 1) / max(1, shape[0] - 1) * 0.9999)
        self.scale_x = np.float32((self.nx - 1) / max(1, shape[1] - 1) * 0.9999)
        self.reach = reach
        self.grid = np.zeros((self.ny, self.nx, bins, bins, bins, 2), np.float32)
        self._totals = np.zeros(2)
        self._ready: F32 | None = None
        self._share, self._floor = np.ones(2, np.float32), np.float32(1e-3)

    def fade(self, factor: float) -> None:
        """Forgets: everything seen so far counts `factor` times as much."""
        self.grid *= np.float32(factor)
        self._totals *= factor
        self._ready = None

    def add(self, lab: U8, subject: F32, other: F32, at: tuple[int, int] = (0, 0)) -> None:
        """Sees a picture: (H, W, 3) uint8 Lab and the weights, (H, W) float32, of each kind of sample.

        at: the row and column where the picture lies in the whole one, if it is a part of it.
        """
        _splat(lab, *at, subject, other, self.scale_y, self.scale_x, self.grid)
        self._totals += (float(subject.sum()), float(other.sum()))
        self._ready = None

    def odds(
        self, lab: U8, where: U8, balance: float = 0.5, zoom: float = 1.0, at: tuple[int, int] = (0, 0)
    ) -> tuple[F32, F32]:
        """Log odds of being subject, and trust 0 to 1 (0: such a colour was never seen near there).

        Both (H, W) float32, computed where `where` is not 0 and 0 elsewhere. balance 1 weighs the two
        classes as if equally many had been seen, 0 as they were seen. zoom: how many pixels of the
        pictures that were seen one pixel of this one is wide. at: as for `add`.
        """
        if self._ready is None:
            self._ready = self._blurred(balance)
        odds, trust = np.zeros(lab.shape[:2], np.float32), np.zeros(lab.shape[:2], np.float32)
        scales = np.float32(self.scale_y * zoom), np.float32(self.scale_x * zoom)
        in_rows(_slice, lab.shape[0], lab, *at, where, *scales, self._ready, self._share, self._floor, odds, trust)
        return odds, trust

    def _blurred(self, balance: float) -> F32:
        a = self.grid.reshape(-1).copy()
        b = np.empty_like(a)
        dims = self.grid.shape
        for axis, passes in ((0, self.reach), (1, self.reach), (2, 1), (3, 1), (4, 1)):
            if dims[axis] == 1:
                continue
            before = int(np.prod(dims[:axis], initial=1))
            after = int(np.prod(dims[axis + 1 :], initial=1))
            for _ in range(passes):
                in_rows(_blur_axis, after if before == 1 else before, a, b, before, dims[axis], after, least=2)
                a, b = b, a
        grid = a.reshape(dims)
        totals = self._totals + 1e-6
        self._share = ((totals / totals.mean()) ** -balance).astype(np.float32)
        # a cell counts as seen from about a hundred-thousandth of all samples of a place
        self._floor = np.float32(totals.mean() / (self.ny * self.nx) * 4e-5 + 1e-6)
        return grid
