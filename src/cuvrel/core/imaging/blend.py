"""Laying one picture over another, in one pass.

Formulas: W3C Compositing and Blending Level 1. Normal, add and subtract act on linear light, all other modes on
display-encoded values, as the standard's formulas expect. All pictures are premultiplied.
"""

from __future__ import annotations

import numpy as np

from cuvrel.core.arrays import F32, Single
from cuvrel.core.imaging.colour import to_display, to_light
from cuvrel.core.imaging.row_kernels import in_rows, kernel

# the sixteen of the standard, and two that act on light
MODES = {
    name: number
    for number, name in enumerate((
        "normal", "add", "subtract", "multiply", "screen", "overlay", "darken", "lighten", "color-dodge", "color-burn",
        "hard-light", "soft-light", "difference", "exclusion", "hue", "saturation", "color", "luminosity",
    ))
}  # fmt: skip


@kernel
def _separable(mode: int, s: F32, d: F32) -> None:
    """B(Cb, Cs) of a separable mode in place of s, for a row; s: the source, d: the backdrop, display-encoded."""
    zero, quarter, half, one, two = np.float32(0), np.float32(0.25), np.float32(0.5), np.float32(1), np.float32(2)
    # one loop a mode: a choice within the loop would keep it from running on vector instructions
    if mode == 3:
        for i in range(s.size):
            s[i] = s[i] * d[i]
    elif mode == 4:
        for i in range(s.size):
            s[i] = s[i] + d[i] - s[i] * d[i]
    elif mode == 6:
        for i in range(s.size):
            s[i] = min(s[i], d[i])
    elif mode == 7:
        for i in range(s.size):
            s[i] = max(s[i], d[i])
    elif mode == 8:
        for i in range(s.size):
            full = one if s[i] >= one else min(one, d[i] / max(one - s[i], np.float32(1e-9)))
            s[i] = zero if d[i] <= zero else full
    elif mode == 9:
        for i in range(s.size):
            full = zero if s[i] <= zero else one - min(one, (one - d[i]) / max(s[i], np.float32(1e-9)))
            # white that was multiplied by an alpha and divided again is white still
            s[i] = one if d[i] >= np.float32(0.99999) else full
    elif mode == 5 or mode == 10:
        # overlay is hard light with the layers swapped
        for i in range(s.size):
            top, base = (s[i], d[i]) if mode == 10 else (d[i], s[i])
            s[i] = two * top * base if top <= half else one - two * (one - top) * (one - base)
    elif mode == 11:
        for i in range(s.size):
            e = d[i]
            root = ((np.float32(16) * e - np.float32(12)) * e + np.float32(4)) * e if e <= quarter else np.sqrt(e)
            dark = e - (one - two * s[i]) * e * (one - e)
            s[i] = dark if s[i] <= half else e + (two * s[i] - one) * (root - e)
    elif mode == 12:
        for i in range(s.size):
            s[i] = abs(s[i] - d[i])
    else:
        for i in range(s.size):
            s[i] = s[i] + d[i] - two * s[i] * d[i]


@kernel
def _lum(r: Single, g: Single, b: Single) -> Single:
    return np.float32(0.3) * r + np.float32(0.59) * g + np.float32(0.11) * b


@kernel
def _with_lum(r: Single, g: Single, b: Single, lum: Single) -> tuple[Single, Single, Single]:
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
def _with_sat(r: Single, g: Single, b: Single, sat: Single) -> tuple[Single, Single, Single]:
    """SetSat: the least becomes 0, the largest `sat`, the middle keeps its place between them."""
    low, high = min(r, min(g, b)), max(r, max(g, b))
    share = sat / (high - low) if high > low else np.float32(0.0)
    return (r - low) * share, (g - low) * share, (b - low) * share


@kernel
def _whole_colour(
    mode: int, s0: Single, s1: Single, s2: Single, d0: Single, d1: Single, d2: Single
) -> tuple[Single, Single, Single]:
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
def _over(y0: int, y1: int, below: F32, above: F32, mask: F32, opacity: Single, out: F32) -> None:
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
def _light(y0: int, y1: int, below: F32, above: F32, mask: F32, opacity: Single, takes: bool, out: F32) -> None:
    """Adds light, or takes it away."""
    one, zero = np.float32(1.0), np.float32(0.0)
    masked = mask.shape[0] == below.shape[0]
    sign = np.float32(-1.0) if takes else one
    for y in range(y0, y1):
        for x in range(below.shape[1]):
            m = (opacity * mask[y, x] if masked else opacity) * sign
            for k in range(3):
                out[y, x, k] = max(below[y, x, k] + above[y, x, k] * m, zero)
            alpha = below[y, x, 3]
            out[y, x, 3] = alpha if takes else min(alpha + above[y, x, 3] * m, one)


@kernel
def _straight(picture: F32, y: int, row: F32) -> None:
    """A row's colours, not multiplied by alpha and display-encoded, one after the other, (3 W,)."""
    w = picture.shape[1]
    for x in range(w):
        over = np.float32(1.0) / max(picture[y, x, 3], np.float32(1e-6))
        row[x], row[x + w], row[x + 2 * w] = picture[y, x, 0] * over, picture[y, x, 1] * over, picture[y, x, 2] * over
    # apart, since a row in one piece runs on vector instructions
    for i in range(row.size):
        row[i] = to_display(row[i])


@kernel
def _blend(y0: int, y1: int, below: F32, above: F32, mask: F32, opacity: Single, mode: int, out: F32) -> None:
    one, zero = np.float32(1.0), np.float32(0.0)
    masked = mask.shape[0] == below.shape[0]
    w = below.shape[1]
    source, backdrop = np.empty(3 * w, np.float32), np.empty(3 * w, np.float32)
    for y in range(y0, y1):
        _straight(above, y, source)
        _straight(below, y, backdrop)
        if mode < 14:
            _separable(mode, source, backdrop)
        else:
            for x in range(w):
                i, j = x + w, x + 2 * w
                source[x], source[i], source[j] = _whole_colour(
                    mode, source[x], source[i], source[j], backdrop[x], backdrop[i], backdrop[j]
                )
        for i in range(3 * w):
            source[i] = to_light(source[i])
        for x in range(w):
            m = opacity * mask[y, x] if masked else opacity
            a = above[y, x, 3] * m
            b = below[y, x, 3]
            # (1 - b) a Cs + (1 - a) b Cb + a b B(Cb, Cs); light without alpha (a halo) adds in every mode
            mine = m if a <= zero else (one - b) * m
            yours, both = one - a, a * b
            for k in range(3):
                out[y, x, k] = mine * above[y, x, k] + yours * below[y, x, k] + both * source[x + k * w]
            out[y, x, 3] = a + b * yours


_NONE = np.zeros((0, 0), np.float32)


def blend(below: F32, above: F32, mode: str, opacity: float = 1.0, mask: F32 | None = None) -> F32:
    """`above` laid over `below`, (H, W, 4) float32 premultiplied linear RGBA.

    mode: one of MODES. opacity: 0 to 1. mask: (H, W) float32, 0 to 1, multiplies the opacity.
    """
    out = np.empty_like(below)
    mask = _NONE if mask is None else mask
    if mode == "normal":
        in_rows(_over, below.shape[0], below, above, mask, np.float32(opacity), out)
    elif mode in ("add", "subtract"):
        in_rows(_light, below.shape[0], below, above, mask, np.float32(opacity), mode == "subtract", out)
    else:
        in_rows(_blend, below.shape[0], below, above, mask, np.float32(opacity), MODES[mode], out)
    return out


@kernel
def _scaled(y0: int, y1: int, picture: F32, mask: F32, out: F32) -> None:
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
def _mixed(y0: int, y1: int, below: F32, treated: F32, mask: F32, opacity: Single, out: F32) -> None:
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
