"""Laying one picture over another, in one pass.

Formulas: W3C Compositing and Blending Level 1. Over and add act on linear light; screen and multiply on
display-encoded values, as the standard's formulas expect. All pictures are premultiplied.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from cuvrel.core.media.colour import linear_to_srgb
from cuvrel.core.media.rows import in_rows, kernel

F32 = NDArray[np.float32]
MODES = {"normal": 0, "add": 1, "screen": 2, "multiply": 3}

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
            elif mode == 0 or a <= zero or b <= zero:
                # light without alpha (a halo) still adds, in every mode
                for k in range(3):
                    out[y, x, k] = above[y, x, k] * m + below[y, x, k] * (one - a)
                out[y, x, 3] = a + b * (one - a)
            else:
                for k in range(3):
                    source, backdrop = above[y, x, k] / above[y, x, 3], below[y, x, k] / b
                    s, d = _encoded(source, lut), _encoded(backdrop, lut)
                    mixed = s + d - s * d if mode == 2 else s * d
                    light = _decoded(mixed)
                    # (1 - b) a Cs + (1 - a) b Cb + a b B(Cb, Cs)
                    out[y, x, k] = (one - b) * a * source + (one - a) * below[y, x, k] + a * b * light
                out[y, x, 3] = a + b * (one - a)


_NONE = np.zeros((0, 0), np.float32)


def blend(below: F32, above: F32, mode: str, opacity: float = 1.0, mask: F32 | None = None) -> F32:
    """`above` laid over `below`, (H, W, 4) float32 premultiplied linear RGBA.

    mode: one of MODES. opacity: 0 to 1. mask: (H, W) float32, 0 to 1, multiplies the opacity.
    """
    out = np.empty_like(below)
    in_rows(_blend, below.shape[0], below, above, _NONE if mask is None else mask, np.float32(opacity),
            MODES[mode], _ENCODE, out)  # fmt: skip
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
