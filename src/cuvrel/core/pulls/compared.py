"""A frame weighed against its clean plate by a small network: whole limbs, without cast light, shadows or grain.

A threshold on a difference cannot tell a lit wall from a lit coat. What tells them apart is gathered here:
differences of colour and of light in units of the picture's own grain, and whether the clean plate's
texture still shows through. The network (`core/pulls/difference.onnx`; `training/` says how it was made)
weighs them pixel by pixel and with their surroundings.
"""

from __future__ import annotations

from functools import cache
from pathlib import Path

import cv2
import numpy as np
from numpy.typing import NDArray

from cuvrel.core.media.box import Box, blocks
from cuvrel.core.media.rows import at_once
from cuvrel.core.pulls.memory import to_lab
from cuvrel.core.pulls.network import Network, quarters
from cuvrel.core.pulls.soften import soften

F32 = NDArray[np.float32]
U8 = NDArray[np.uint8]
LONG = 640  # the longer side at which the outline is decided
BINS = 16  # levels of light at which grain is measured
PLANES = 24 + 9


@cache
def network() -> Network:
    """What weighs the comparison."""
    return Network(Path(__file__).with_name("difference.onnx"))


def grain(picture: F32, clean: F32) -> F32:
    """How much a frame differs from its clean plate by grain alone, (h, w, 3) float32 levels of 255, at least 1.

    Measured as the median absolute difference at each level of light, so that the subject may fill up to
    half of every level. picture, clean: (h, w, 3) float32 levels.
    """
    level = np.clip(clean.mean(axis=2) * (BINS / 256), 0, BINS - 1).astype(np.uint8)
    few = np.abs(picture[::2, ::2] - clean[::2, ::2]).reshape(-1, 3)
    bins = level[::2, ::2].ravel()
    order = np.argsort(bins, kind="stable")
    stops = np.searchsorted(bins[order], np.arange(BINS + 1))
    table, seen = np.zeros((BINS, 3), np.float32), np.zeros(BINS, bool)
    for k in range(BINS):
        part = few[order[stops[k] : stops[k + 1]]]
        if len(part) >= 50:
            table[k], seen[k] = 1.48 * np.median(part, axis=0), True
    known = np.flatnonzero(seen)
    if not known.size:
        return np.ones_like(picture)
    for channel in range(3):
        table[:, channel] = np.interp(np.arange(BINS), known, table[known, channel])
    return np.maximum(table[level], np.float32(1))


def _texture(picture: F32, clean: F32, noise: F32, side: int) -> F32:
    """How far the clean plate's texture shows through, -1 to 1, 0 where it has none. All (h, w) float32."""

    def mean(plane: F32) -> F32:
        return np.asarray(cv2.blur(plane, (side, side)), np.float32)

    a, b = mean(picture), mean(clean)
    own, was = mean(picture * picture) - a * a, mean(clean * clean) - b * b
    both = mean(picture * clean) - a * b
    floor = mean(noise * noise)
    like = both / np.sqrt(np.maximum(own, 1) * np.maximum(was, 1))
    return np.asarray(like * was / (was + floor + 1), np.float32)


def planes(rgb: U8, clean: U8) -> F32:
    """What the network reads, (PLANES, h, w) float32 of about -1 to 1, at half of the pictures' size.

    rgb, clean: (2 h, 2 w, 3) uint8 sRGB, already of one light and one place.
    """
    a, b = rgb.astype(np.float32), clean.astype(np.float32)
    noise = grain(a, b)
    ratio = np.log((a + 6) / (b + 6))
    share = noise / (b + 6)
    light, even = ratio.mean(axis=2), share.mean(axis=2)
    sides = [
        (ratio[..., k] - ratio[..., 1]) / np.sqrt(np.square(share[..., k]) + np.square(share[..., 1])) for k in (0, 2)
    ]
    told = np.dstack([*sides, light / even]).clip(-12, 12)
    half = (rgb.shape[1] // 2, rgb.shape[0] // 2)
    # a mean of n pixels has a root of n less grain
    found: list[F32] = []
    for sigma in (1.0, 3.5):
        soft = cv2.resize(cv2.GaussianBlur(told, (0, 0), sigma), half, interpolation=cv2.INTER_AREA)
        found += [np.tanh(soft[..., k] * np.float32(0.6 * sigma / 3)) for k in range(3)]
    ga, gb, gn = a.mean(axis=2), b.mean(axis=2), noise.mean(axis=2) * np.float32(0.6)
    found += [
        cv2.resize(one, half, interpolation=cv2.INTER_AREA)
        for one in at_once(lambda: _texture(ga, gb, gn, 7), lambda: _texture(ga, gb, gn, 17))
    ]
    found.append(cv2.resize(np.tanh(np.log(gn) - 1.5), half, interpolation=cv2.INTER_AREA))
    full = [to_lab(p).astype(np.float32)[..., k] / np.float32(128) - np.float32(1) for p in (rgb, clean) for k in (0, 1, 2)]
    return np.concatenate([quarters(full), np.stack(found).astype(np.float32)])


def working(picture: U8) -> U8:
    """A picture at the size at which the outline is decided, both sides even."""
    h, w = picture.shape[:2]
    ratio = min(1.0, LONG / max(h, w))
    size = max(2, round(w * ratio / 2) * 2), max(2, round(h * ratio / 2) * 2)
    return picture if size == (w, h) else np.ascontiguousarray(cv2.resize(picture, size, interpolation=cv2.INTER_AREA))


def lit(clean: U8, gain: F32) -> U8:
    """A clean plate under a frame's light. gain: (3,) float32 of display-encoded values."""
    return cv2.LUT(clean, np.clip(np.arange(256)[:, None] * gain[None], 0, 255).astype(np.uint8)[:, None])


def area(stack: F32) -> Box:
    """Where anything may differ, at the planes' size; one cell when nothing does."""
    differs = np.abs(stack[24:30]).max(axis=0) > 0.5
    return blocks(differs, 16, 8) or (slice(0, 16), slice(0, 16))


def weighed(rgb: U8, clean: U8, detail: float = 1.0) -> F32:
    """Coverage of what is before the clean plate, (H, W) float32, 0 to 1.

    rgb, clean: (H, W, 3) uint8 sRGB, already of one light and one place. detail: as for the trace.
    """
    small, behind = at_once(lambda: working(rgb), lambda: working(clean))
    stack = planes(small, behind)
    rows, cols = area(stack)
    u = np.zeros(small.shape[:2], np.float32)
    odds = network().odds(np.ascontiguousarray(stack[:, rows, cols]))
    h, w = odds.shape
    u[2 * rows.start : 2 * rows.start + h, 2 * cols.start : 2 * cols.start + w] = 1 / (1 + np.exp(-odds))
    return soften(u, rgb, detail)
