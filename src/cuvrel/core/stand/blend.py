"""Laying one picture over another, in one pass.

Formulas: W3C Compositing and Blending Level 1. Normal, add and subtract act on linear light, all other modes on
display-encoded values, as the standard's formulas expect. All pictures are premultiplied.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from cuvrel.core.media.colour import linear_to_srgb
from cuvrel.core.media.rows import in_rows, kernel

F32 = NDArray[np.float32]
# the sixteen of the standard, and two that act on light
MODES = {
    name: number
    for number, name in enumerate((
        "normal", "add", "subtract", "multiply", "screen", "overlay", "darken", "lighten", "color-dodge", "color-burn",
        "hard-light", "soft-light", "difference", "exclusion", "hue", "saturation", "color", "luminosity",
    ))
}  # fmt: skip

# display encoding by 4,096 steps of the square root, read with interpolation; decoding by 4,096 steps
_STEPS = 4096
_ENCODE: F32 = linear_to_srgb((np.arange(_STEPS + 2) / _STEPS) ** 2)


@kernel
def _encoded(v, lut):  # type: ignore[no-untyped-def]
    v = min(max(v, np.float32(0.0)), np.float32(1.0))
    at = np.sqrt(v) * np.float32(4096.0)
    i = int(at)
    return lut[i] + (lut[i + 1] - lut[i]) * (at - np.float32(i))


@kernel
def _decoded(v):  # type: ignore[no-untyped-def]
    if v <= np.float32(0.04045):
        return v / np.float32(12.92)
    return ((v + np.float32(0.055)) / np.float32(1.055)) ** np.float32(2.4)


@kernel
def _mode(mode, s, d):  # type: ignore[no-untyped-def]
    """B(Cb, Cs) of the separable modes for one channel; s: the source, d: the backdrop, display-encoded."""
    zero, half, one, two = np.float32(0.0), np.float32(0.5), np.float32(1.0), np.float32(2.0)
    if mode == 5:  # overlay is hard light with the layers swapped
        mode, s, d = 10, d, s
    if mode == 3:
        return s * d
    if mode == 4:
        return s + d - s * d
    if mode == 6:
        return min(s, d)
    if mode == 7:
        return max(s, d)
    if mode == 8:
        return zero if d <= zero else one if s >= one else min(one, d / (one - s))
    if mode == 9:
        return one if d >= one else zero if s <= zero else one - min(one, (one - d) / s)
    if mode == 10:
        return two * s * d if s <= half else one - two * (one - s) * (one - d)
    if mode == 11:
        if s <= half:
            return d - (one - two * s) * d * (one - d)
        root = ((np.float32(16) * d - np.float32(12)) * d + np.float32(4)) * d if d <= np.float32(0.25) else np.sqrt(d)
        return d + (two * s - one) * (root - d)
    if mode == 12:
        return abs(s - d)
    return s + d - two * s * d


@kernel
def _lum(r, g, b):  # type: ignore[no-untyped-def]
    return np.float32(0.3) * r + np.float32(0.59) * g + np.float32(0.11) * b


@kernel
def _with_lum(r, g, b, lum):  # type: ignore[no-untyped-def]
    """SetLum and ClipColor of the standard."""
    zero, one = np.float32(0.0), np.float32(1.0)
    by = lum - _lum(r, g, b)
    r, g, b = r + by, g + by, b + by
    low, high = min(r, min(g, b)), max(r, max(g, b))
    if low < zero:
        share = lum / max(lum - low, np.float32(1e-9))
        r, g, b = lum + (r - lum) * share, lum + (g - lum) * share, lum + (b - lum) * share
    if high > one:
        share = (one - lum) / max(high - lum, np.float32(1e-9))
        r, g, b = lum + (r - lum) * share, lum + (g - lum) * share, lum + (b - lum) * share
    return r, g, b


@kernel
def _with_sat(r, g, b, sat):  # type: ignore[no-untyped-def]
    """SetSat: the least becomes 0, the largest `sat`, the middle keeps its place between them."""
    low, high = min(r, min(g, b)), max(r, max(g, b))
    share = sat / (high - low) if high > low else np.float32(0.0)
    return (r - low) * share, (g - low) * share, (b - low) * share


@kernel
def _whole_colour(mode, s0, s1, s2, d0, d1, d2):  # type: ignore[no-untyped-def]
    """B(Cb, Cs) of the modes that take a colour as a whole: hue, saturation, color, luminosity."""
    if mode == 14:
        sat = max(d0, max(d1, d2)) - min(d0, min(d1, d2))
        r, g, b = _with_sat(s0, s1, s2, sat)
        return _with_lum(r, g, b, _lum(d0, d1, d2))
    if mode == 15:
        sat = max(s0, max(s1, s2)) - min(s0, min(s1, s2))
        r, g, b = _with_sat(d0, d1, d2, sat)
        return _with_lum(r, g, b, _lum(d0, d1, d2))
    if mode == 16:
        return _with_lum(s0, s1, s2, _lum(d0, d1, d2))
    return _with_lum(d0, d1, d2, _lum(s0, s1, s2))


@kernel
def _over(y0, y1, below, above, mask, opacity, out):  # type: ignore[no-untyped-def]
    """The plain case, apart, so that it runs on vector instructions."""
    one = np.float32(1.0)
    masked = mask.shape[0] == below.shape[0]
    for y in range(y0, y1):
        for x in range(below.shape[1]):
            m = opacity * mask[y, x] if masked else opacity
            left = one - above[y, x, 3] * m
            for k in range(4):
                # light without alpha (a halo) adds
                out[y, x, k] = above[y, x, k] * m + below[y, x, k] * left


@kernel
def _blend(y0, y1, below, above, mask, opacity, mode, lut, out):  # type: ignore[no-untyped-def]
    one, zero = np.float32(1.0), np.float32(0.0)
    masked = mask.shape[0] == below.shape[0]
    for y in range(y0, y1):
        for x in range(below.shape[1]):
            m = opacity * mask[y, x] if masked else opacity
            a = above[y, x, 3] * m
            b = below[y, x, 3]
            if mode == 1:
                for k in range(3):
                    out[y, x, k] = below[y, x, k] + above[y, x, k] * m
                out[y, x, 3] = min(b + a, one)
            elif mode == 2:
                for k in range(3):
                    out[y, x, k] = max(below[y, x, k] - above[y, x, k] * m, zero)
                out[y, x, 3] = b
            elif a <= zero or b <= zero:
                # light without alpha (a halo) still adds, in every mode
                for k in range(3):
                    out[y, x, k] = above[y, x, k] * m + below[y, x, k] * (one - a)
                out[y, x, 3] = a + b * (one - a)
            else:
                over, under = one / above[y, x, 3], one / b
                s0 = _encoded(above[y, x, 0] * over, lut)
                s1 = _encoded(above[y, x, 1] * over, lut)
                s2 = _encoded(above[y, x, 2] * over, lut)
                d0 = _encoded(below[y, x, 0] * under, lut)
                d1 = _encoded(below[y, x, 1] * under, lut)
                d2 = _encoded(below[y, x, 2] * under, lut)
                if mode >= 14:
                    r0, r1, r2 = _whole_colour(mode, s0, s1, s2, d0, d1, d2)
                else:
                    r0, r1, r2 = _mode(mode, s0, d0), _mode(mode, s1, d1), _mode(mode, s2, d2)
                # (1 - b) a Cs + (1 - a) b Cb + a b B(Cb, Cs)
                mine, yours, both = (one - b) * m, one - a, a * b
                out[y, x, 0] = mine * above[y, x, 0] + yours * below[y, x, 0] + both * _decoded(r0)
                out[y, x, 1] = mine * above[y, x, 1] + yours * below[y, x, 1] + both * _decoded(r1)
                out[y, x, 2] = mine * above[y, x, 2] + yours * below[y, x, 2] + both * _decoded(r2)
                out[y, x, 3] = a + b * (one - a)


_NONE = np.zeros((0, 0), np.float32)


def blend(below: F32, above: F32, mode: str, opacity: float = 1.0, mask: F32 | None = None) -> F32:
    """`above` laid over `below`, (H, W, 4) float32 premultiplied linear RGBA.

    mode: one of MODES. opacity: 0 to 1. mask: (H, W) float32, 0 to 1, multiplies the opacity.
    """
    out = np.empty_like(below)
    mask = _NONE if mask is None else mask
    if mode == "normal":
        in_rows(_over, below.shape[0], below, above, mask, np.float32(opacity), out)
    else:
        in_rows(_blend, below.shape[0], below, above, mask, np.float32(opacity), MODES[mode], _ENCODE, out)
    return out


@kernel
def _scaled(y0, y1, picture, mask, out):  # type: ignore[no-untyped-def]
    for y in range(y0, y1):
        for x in range(picture.shape[1]):
            for k in range(4):
                out[y, x, k] = picture[y, x, k] * mask[y, x]


def through(picture: F32, mask: F32) -> F32:
    """A premultiplied picture seen through a mask, (H, W, 4) float32."""
    out = np.empty_like(picture)
    in_rows(_scaled, picture.shape[0], picture, mask, out)
    return out


@kernel
def _mixed(y0, y1, below, treated, mask, opacity, out):  # type: ignore[no-untyped-def]
    masked = mask.shape[0] == below.shape[0]
    for y in range(y0, y1):
        for x in range(below.shape[1]):
            m = opacity * mask[y, x] if masked else opacity
            for k in range(4):
                out[y, x, k] = below[y, x, k] + (treated[y, x, k] - below[y, x, k]) * m


def mix(below: F32, treated: F32, opacity: float, mask: F32 | None = None) -> F32:
    """From `below` to `treated` by opacity and mask: how a glaze takes effect."""
    out = np.empty_like(below)
    in_rows(_mixed, below.shape[0], below, treated, _NONE if mask is None else mask, np.float32(opacity), out)
    return out
