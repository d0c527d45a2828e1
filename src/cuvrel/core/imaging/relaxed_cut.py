"""The two-label solve that trace and follow share: a convex relaxation of the graph cut.

Minimises  sum_x r(x) u(x) + sum_edges w |u(x) - u(y)|  over 0 <= u <= 1, whose threshold at one half is
a minimal cut. Solved by the first-order primal-dual method of Chambolle and Pock (JMIV 2011); the model
is that of Unger et al., TVSeg (BMVC 2008). A warm start makes a small change cheap, and the cost is
linear in the pixels, which a graph cut's is not.
"""

from __future__ import annotations

import numpy as np

from cuvrel.core.arrays import F32, Mask, Single
from cuvrel.core.imaging.row_kernels import CORES, in_rows, kernel

TURN = 12  # iterations that the bands of a picture do by themselves before they meet


@kernel
def _relax(u: F32, bar: F32, px: F32, py: F32, r: F32, wx: F32, wy: F32, iterations: int) -> None:
    h, w = u.shape
    step = np.float32(0.35)  # sqrt(1/8): the bound for a gradient on a grid
    two = np.float32(2.0)
    for _ in range(iterations):
        for y in range(h):
            for x in range(w - 1):
                v = px[y, x + 1] + step * (bar[y, x + 1] - bar[y, x])
                px[y, x + 1] = min(max(v, -wx[y, x]), wx[y, x])
        for y in range(h - 1):
            for x in range(w):
                v = py[y + 1, x] + step * (bar[y + 1, x] - bar[y, x])
                py[y + 1, x] = min(max(v, -wy[y, x]), wy[y, x])
        for y in range(h):
            for x in range(w):
                div = px[y, x + 1] - px[y, x] + py[y + 1, x] - py[y, x]
                new = u[y, x] + step * (div - r[y, x])
                new = min(max(new, np.float32(0.0)), np.float32(1.0))
                bar[y, x] = two * new - u[y, x]
                u[y, x] = new


@kernel
def _bands(n0: int, n1: int, count: int, now: F32, after: F32, r: F32, wx: F32, wy: F32, iterations: int) -> None:
    """Some iterations on each band of rows by itself, from the state `now` into `after`, both (4, h + 1, w + 1).

    A band is worked on with as many rows more on either side as there are iterations: what happens beyond
    them cannot have come nearer by then, so the bands together are the whole to the last bit.
    """
    h, w = r.shape
    for n in range(n0, n1):
        y0, y1 = h * n // count, h * (n + 1) // count
        a, b = max(0, y0 - iterations - 1), min(h, y1 + iterations + 1)
        u, bar = now[0, a:b, :w].copy(), now[1, a:b, :w].copy()
        px, py = now[2, a:b].copy(), now[3, a : b + 1, :w].copy()
        _relax(u, bar, px, py, r[a:b], wx[a:b], wy[a:b], iterations)
        after[0, y0:y1, :w], after[1, y0:y1, :w] = u[y0 - a : y1 - a], bar[y0 - a : y1 - a]
        after[2, y0:y1], after[3, y0:y1, :w] = px[y0 - a : y1 - a], py[y0 - a : y1 - a]


def relax(start: F32, r: F32, wx: F32, wy: F32, iterations: int) -> F32:
    """Minimises the relaxed cut's energy (see the module's head).

    Parameters
    ----------
    start
        (H, W) float32, 0 to 1: where the solve begins; near the answer it takes few turns.
    r
        (H, W) float32: the cost of being subject, as negative log odds.
    wx, wy
        (H, W) float32: the cost of an outline between a pixel and its right, or its lower, neighbour.
    iterations
        Turns of the primal-dual method.

    Returns
    -------
    F32
        (H, W), 0 to 1; above one half is subject.

    References
    ----------
    Chambolle and Pock, A First-Order Primal-Dual Algorithm for Convex Problems, JMIV 2011.
    Unger, Pock, Trobin, Cremers and Bischof, TVSeg, BMVC 2008.
    """
    h, w = start.shape
    now, after = np.zeros((2, 4, h + 1, w + 1), np.float32)
    now[:2, :h, :w] = start
    r = np.ascontiguousarray(r, np.float32)
    count = CORES if h > 4 * TURN * CORES else 1
    turn = TURN if count > 1 else iterations
    for done in range(0, iterations, turn):
        in_rows(_bands, count, count, now, after, r, wx, wy, min(turn, iterations - done), least=2)
        now, after = after, now
    return now[0, :h, :w].copy()


@kernel
def _weights(y0: int, y1: int, lab: F32, inv: Single, base: Single, wx: F32, wy: F32) -> None:
    h, w = wx.shape
    for y in range(y0, y1):
        for x in range(w):
            for down in range(2):
                yy, xx = min(y + down, h - 1), min(x + 1 - down, w - 1)
                d = np.float32(0.0)
                for c in range(3):
                    e = lab[y, x, c] - lab[yy, xx, c]
                    d += e * e
                value = base * (np.exp(-d * inv) + np.float32(0.04))
                if down:
                    wy[y, x] = value
                else:
                    wx[y, x] = value


def edge_weights(lab: F32, base: float) -> tuple[F32, F32]:
    """Edge costs that fall where the colour changes (Boykov and Jolly, ICCV 2001).

    lab: (H, W, 3) float32. The scale of a change is the picture's own mean squared difference.
    """
    dx, dy = np.diff(lab[::2, ::2], axis=1), np.diff(lab[::2, ::2], axis=0)
    mean = (float(np.square(dx).sum()) + float(np.square(dy).sum())) / max(1, (dx.size + dy.size) // 3)
    wx, wy = np.empty(lab.shape[:2], np.float32), np.empty(lab.shape[:2], np.float32)
    in_rows(_weights, len(lab), lab, np.float32(1.0 / (2.0 * mean + 2.0)), np.float32(base), wx, wy)
    return wx, wy


@kernel
def _geodesic(cost: F32, d: F32, rounds: int) -> None:
    h, w = cost.shape
    diagonal = np.float32(1.4142)
    for _ in range(rounds):
        for y in range(h):
            for x in range(w):
                best = d[y, x]
                c = cost[y, x]
                if x > 0:
                    best = min(best, d[y, x - 1] + c)
                if y > 0:
                    best = min(best, d[y - 1, x] + c)
                    if x > 0:
                        best = min(best, d[y - 1, x - 1] + diagonal * c)
                    if x < w - 1:
                        best = min(best, d[y - 1, x + 1] + diagonal * c)
                d[y, x] = best
        for y in range(h - 1, -1, -1):
            for x in range(w - 1, -1, -1):
                best = d[y, x]
                c = cost[y, x]
                if x < w - 1:
                    best = min(best, d[y, x + 1] + c)
                if y < h - 1:
                    best = min(best, d[y + 1, x] + c)
                    if x > 0:
                        best = min(best, d[y + 1, x - 1] + diagonal * c)
                    if x < w - 1:
                        best = min(best, d[y + 1, x + 1] + diagonal * c)
                d[y, x] = best


def geodesic(seeds: Mask, cost: F32, rounds: int = 3) -> F32:
    """The length of the cheapest path from the seeds to each pixel.

    Parameters
    ----------
    seeds
        (H, W) bool.
    cost
        (H, W) float32: the price of a step onto a pixel.
    rounds
        Pairs of raster scans; three are near exact for smooth paths.

    Returns
    -------
    F32
        (H, W).

    References
    ----------
    Toivanen, New geodesic distance transforms for gray-scale images, Pattern Recognition Letters 1996.
    Criminisi, Sharp and Blake, GeoS, ECCV 2008.
    """
    distance = np.where(seeds, np.float32(0), np.float32(1e6)).astype(np.float32)
    _geodesic(np.ascontiguousarray(cost, np.float32), distance, rounds)
    return distance


@kernel
def _barrier(lab: F32, seeds: Mask, rounds: int, out: F32) -> None:
    """Sweeps down and up, each pixel from its four neighbours behind it. What a pixel knows lies side by side."""
    h, w = out.shape
    know = np.empty((h, w, 8), np.float32)  # the highest and the lowest on the way, and the span
    for y in range(h):
        for x in range(w):
            for k in range(3):
                know[y, x, k] = know[y, x, 3 + k] = lab[y, x, k]
            know[y, x, 6] = 0 if seeds[y, x] else 1e6
    for sweep in range(2 * rounds):
        back = sweep % 2
        way = -1 if back else 1
        for i in range(h):
            y = h - 1 - i if back else i
            for j in range(w):
                x = w - 1 - j if back else j
                mine = know[y, x]
                v0, v1, v2 = lab[y, x, 0], lab[y, x, 1], lab[y, x, 2]
                best = mine[6]
                for n in range(3):
                    # beside, behind, and behind across
                    py = y if n == 0 else y - way
                    px = x - way if n == 0 else x if n == 1 else x + way
                    if py < 0 or py >= h or px < 0 or px >= w:
                        continue
                    theirs = know[py, px]
                    if theirs[6] >= best:
                        continue
                    h0, l0 = max(theirs[0], v0), min(theirs[3], v0)
                    h1, l1 = max(theirs[1], v1), min(theirs[4], v1)
                    h2, l2 = max(theirs[2], v2), min(theirs[5], v2)
                    span = max(h0 - l0, max(h1 - l1, h2 - l2))
                    if span < best:
                        best = span
                        mine[0], mine[1], mine[2], mine[3], mine[4], mine[5] = h0, h1, h2, l0, l1, l2
                mine[6] = best
    for y in range(h):
        for x in range(w):
            out[y, x] = know[y, x, 6]


def barrier(seeds: Mask, lab: F32, rounds: int = 2) -> F32:
    """The minimum barrier distance: the least span of colour that a path from the seeds must pass through.

    Parameters
    ----------
    seeds
        (H, W) bool.
    lab
        (H, W, 3) float32; the span is the largest of the channels'.
    rounds
        Pairs of raster scans.

    Returns
    -------
    F32
        (H, W), in units of Lab.

    Notes ----- Unlike a sum along the path it does not grow with the path's length, with texture or with a soft edge's
    width: what is of one piece with the seeds stays near.

    References
    ----------
    Strand, Ciesielski, Malmberg and Saha, The minimum barrier distance, CVIU 2013.
    Zhang et al., Minimum Barrier Salient Object Detection at 80 FPS, ICCV 2015.
    """
    distance = np.empty(seeds.shape, np.float32)
    _barrier(np.ascontiguousarray(lab, np.float32), np.ascontiguousarray(seeds), rounds, distance)
    return distance
