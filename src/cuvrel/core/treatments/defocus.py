"""Defocus: out of focus, as a lens shows it, by a disc or by blades."""

from __future__ import annotations

from itertools import pairwise
from typing import Any

import cv2
import numpy as np

from cuvrel.core.arrays import F32, Single
from cuvrel.core.imaging.row_kernels import in_rows, kernel
from cuvrel.core.recipe.context import Context
from cuvrel.core.recipe.declared import Params, declare, number, switch
from cuvrel.core.recipe.needs import NONE, Need, Pictures, matte
from cuvrel.core.recipe.values import Scalar

FINE = 8  # finer rows of an opening in each of a pixel
LARGEST = 12.0  # pixels of a radius that is worked out in full; larger ones in a smaller picture


class DefocusParams(Params):
    """Plainly out of focus."""

    radius: Scalar = number(12.0, "Radius", 0, 400, step=0.5, unit="px", neutral=0, slide=(0, 80))
    blades: float = number(0.0, "Blades", 0, 12, step=1, animatable=False, hint="below 3 a disc")
    turn: Scalar = number(0.0, "Turn", -360, 360, step=1, unit="°", slide=(-90, 90), hint="of the blades")
    highlights: Scalar = number(
        1.0, "Highlights", 0, 8, step=0.05, slide=(0, 4), hint="how much brighter than they were lights shine"
    )
    bounded: bool = switch(True, "Stays in its gate", hint="nothing sharp beyond the gate bleeds into what is soft")


def aperture(radius: float, blades: int, turn: float) -> F32:
    """The opening row by row, (N, 2): how many pixels it reaches to the left and to the right of its middle.

    Row n lies n - N // 2 pixels below the middle; where an opening has nothing in a row both are 0. turn in degrees.
    """
    half = int(np.ceil(radius)) + 1
    # each row is the mean of eight finer ones, so that it ends softly above and below
    y = (np.arange((2 * half + 1) * FINE) + 0.5) / FINE - half - 0.5
    if blades < 3:
        wide = np.sqrt(np.maximum(radius**2 - y**2, 0))
        left, right = wide, wide
    else:
        corners = radius * np.exp(1j * (2 * np.pi * (np.arange(blades + 1) + 0.5) / blades - np.deg2rad(turn)))
        left, right = np.zeros_like(y), np.zeros_like(y)
        ends = np.full((2, y.size), np.nan)
        for a, b in pairwise(corners):
            share = (y - a.imag) / (b.imag - a.imag + 1e-12)
            x = np.where((share >= 0) & (share <= 1), a.real + (b.real - a.real) * share, np.nan)
            ends = np.array([np.fmin(ends[0], x), np.fmax(ends[1], x)])
        left, right = np.nan_to_num(-ends[0]), np.nan_to_num(ends[1])
    rows = np.stack([left, right], axis=1).reshape(2 * half + 1, FINE, 2).mean(axis=1)
    return np.asarray(rows, np.float32)


@kernel
def _summed(y0: int, y1: int, padded: F32, out: F32) -> None:
    for y in range(y0, y1):
        a, b, c, d = np.float64(0), np.float64(0), np.float64(0), np.float64(0)
        for x in range(padded.shape[1]):
            out[y, x, 0], out[y, x, 1], out[y, x, 2], out[y, x, 3] = a, b, c, d
            a += padded[y, x, 0]
            b += padded[y, x, 1]
            c += padded[y, x, 2]
            d += padded[y, x, 3]


@kernel
def _opened(y0: int, y1: int, sums: F32, rows: F32, side: int, over: Single, out: F32) -> None:
    count, wide = rows.shape[0], 4 * out.shape[1]
    flat, to = sums.reshape(sums.shape[0], sums.shape[1] * 4), out.reshape(out.shape[0], wide)
    row, one = np.empty(wide, np.float32), np.float32(1.0)
    for y in range(y0, y1):
        row[:] = np.float32(0.0)
        for n in range(count):
            if rows[n, 0] + rows[n, 1] <= np.float32(0.0):
                continue
            # a row of the opening is a difference of two sums, each between two of its whole places
            first = np.float32(side) + np.float32(0.5) - rows[n, 0]
            last = np.float32(side) + np.float32(0.5) + rows[n, 1]
            i, j = np.int32(np.floor(first)), np.int32(np.floor(last))
            s, t = np.float32(first - np.float32(i)), np.float32(last - np.float32(j))
            line = flat[y + n]
            a, b = line[4 * i : 4 * i + wide], line[4 * i + 4 : 4 * i + 4 + wide]
            c, d = line[4 * j : 4 * j + wide], line[4 * j + 4 : 4 * j + 4 + wide]
            for x in range(wide):
                row[x] += c[x] * (one - t) + d[x] * t
            for x in range(wide):
                row[x] -= a[x] * (one - s) + b[x] * s
        for x in range(wide):
            to[y, x] = row[x] * over


def opened(picture: F32, rows: F32) -> F32:
    """The mean of a picture over an opening about each pixel, (H, W, 4) float32; borders mirror."""
    half = len(rows) // 2
    side = half + 1
    padded = cv2.copyMakeBorder(picture, half, half, side, side + 1, cv2.BORDER_REFLECT)
    sums = np.empty_like(padded)
    in_rows(_summed, len(padded), padded, sums)
    out = np.empty_like(picture)
    in_rows(_opened, len(out), sums, rows, side, np.float32(1 / max(float(rows.sum()), 1e-6)), out)
    return out


def _looks_at(values: dict[str, Any], frame: int) -> list[Need]:
    return [matte(frame)] if values["bounded"] else []


@declare(
    "treatment", "defocus", "Defocus", DefocusParams, hint="out of focus, by a disc or by blades",
    group="Blur and texture", needs=_looks_at, rests=lambda values: float(values["radius"]) == 0,
)  # fmt: skip
def defocus(picture: F32, values: dict[str, Any], context: Context, pictures: Pictures = NONE) -> F32:
    """The picture seen out of focus, (H, W, 4) float32 premultiplied linear RGBA, in linear light; borders mirror.

    Highlights: light above a half of white is raised before, as film or a sensor that ran over would have held it.
    """
    h, w = picture.shape[:2]
    radius = float(values["radius"]) * context.scale
    by = max(1.0, radius / LARGEST)
    size = max(2, round(w / by)), max(2, round(h / by))
    small = cv2.resize(picture, size, interpolation=cv2.INTER_AREA) if by > 1 else picture
    raised = float(values["highlights"])
    if raised != 1:
        top = small[..., :3].max(axis=2)
        lift = 1 + (raised - 1) * np.clip((top - 0.5) * 2, 0, 1) ** 2
        small = small * np.dstack([lift, lift, lift, np.ones_like(lift)]).astype(np.float32)
    opening = aperture(radius / by, round(float(values["blades"])), float(values["turn"]))
    cover = pictures[0] if len(pictures) else None
    within = None if cover is None else cv2.resize(cover, size, interpolation=cv2.INTER_AREA)
    # a cut-out is nothing beyond its matte, and has nothing to keep out
    if within is None or not (small[..., 3] > within + 0.1).any():
        seen = opened(small, opening)
    else:
        # a mean of what lies within the gate alone
        share = np.maximum(within, np.float32(1e-4))
        opaque = bool(small[..., 3].min() >= 1)
        seen = opened(small * share[..., None], opening)
        there = seen[..., 3:].copy() if opaque else opened(share[..., None] * np.ones(4, np.float32), opening)
        seen = np.asarray(seen / np.maximum(there, np.float32(1e-5)), np.float32)
    if by > 1:
        seen = cv2.resize(seen, (w, h), interpolation=cv2.INTER_LINEAR if by < 3 else cv2.INTER_CUBIC)
    # cubic curves may swing below 0
    out = np.maximum(np.asarray(seen, np.float32), 0)
    np.minimum(out[..., 3], 1, out=out[..., 3])
    return out
