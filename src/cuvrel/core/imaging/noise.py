"""Smooth noise over a picture, and grain: the same for the same seed, on every machine."""

from __future__ import annotations

from functools import lru_cache

import cv2
import numpy as np

from cuvrel.core.arrays import F32

TILE = 1024  # pixels of a side of the grain that every frame takes its own piece of


@lru_cache(maxsize=16)
def _nodes(seed: int, step: int) -> F32:
    return np.random.default_rng((seed, abs(step), step < 0)).uniform(-1, 1, (512, 512)).astype(np.float32)


def wander_field(
    shape: tuple[int, ...], spacing: float, time: float, box: tuple[slice, slice] | None = None, seed: int = 20
) -> F32:
    """Smooth noise over the picture, float32 of about -1 to 1, which changes once per unit of time.

    shape: (H, W) of the picture. spacing: pixels between the noise's nodes. The nodes hang on the
    picture's corner, so that the field looks the same at every preview size. box: the part that is wanted.
    """
    rows, cols = box or (slice(0, shape[0]), slice(0, shape[1]))
    step = int(np.floor(time))
    mix = time - step
    mix = mix * mix * (3 - 2 * mix)
    nodes = [_nodes(seed, step), _nodes(seed, step + 1)]
    high, wide = int(shape[0] / spacing) + 3, int(shape[1] / spacing) + 3
    at = np.ix_(np.arange(high) % 512, np.arange(wide) % 512)
    grid = nodes[0][at] + (nodes[1][at] - nodes[0][at]) * np.float32(mix)
    y = (np.arange(rows.start, rows.stop, dtype=np.float32) + 0.5) / np.float32(spacing)
    x = (np.arange(cols.start, cols.stop, dtype=np.float32) + 0.5) / np.float32(spacing)
    size = y.size, x.size
    return cv2.remap(grid, np.broadcast_to(x[None, :], size).copy(), np.broadcast_to(y[:, None], size).copy(),
                     cv2.INTER_CUBIC, borderMode=cv2.BORDER_REPLICATE)  # fmt: skip


def slow_field(shape: tuple[int, ...], spacing: float, time: float, seed: int = 20) -> F32:
    """As `wander_field` over the whole picture, worked out as coarsely as a tenth of its spacing."""
    by = float(np.clip(spacing / 10, 1, 16))
    small = max(2, round(shape[0] / by)), max(2, round(shape[1] / by))
    if by < 2:
        return wander_field(shape, spacing, time, seed=seed)
    field = wander_field(small, spacing * small[0] / shape[0], time, seed=seed)
    return np.asarray(cv2.resize(field, (shape[1], shape[0]), interpolation=cv2.INTER_LINEAR), np.float32)


@lru_cache(maxsize=4)
def grain_tile(seed: int, size: float) -> F32:
    """Noise of a size in pixels, (TILE, TILE, 3) float32 of mean 0 and deviation 1, which goes on at its other side."""
    count = max(2, round(TILE / size))
    noise = np.random.default_rng((seed, 77)).standard_normal((count, count, 3), np.float32)
    if count == TILE:
        return noise
    edge = 3
    wide = np.pad(noise, ((edge, edge), (edge, edge), (0, 0)), mode="wrap")
    at = ((np.arange(TILE, dtype=np.float32) + 0.5) * (count / TILE) - 0.5 + edge).astype(np.float32)
    x, y = (np.ascontiguousarray(one) for one in np.meshgrid(at, at))
    large = np.asarray(cv2.remap(wide, x, y, cv2.INTER_CUBIC), np.float32)
    return large / large.std()
