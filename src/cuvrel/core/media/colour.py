"""Colour transforms at the two ends: display-encoded sRGB bytes and linear light.

Source: IEC 61966-2-1 (sRGB). Pictures inside are float32 premultiplied RGBA in linear light.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from cuvrel.core.media.rows import in_rows, kernel

F32 = NDArray[np.float32]
U8 = NDArray[np.uint8]


def srgb_to_linear(value: NDArray) -> F32:
    """Display-encoded values to linear light, any shape, 0 to 1 (beyond is extended)."""
    v = np.asarray(value, np.float64)
    return np.where(v <= 0.04045, v / 12.92, ((np.maximum(v, 0.04045) + 0.055) / 1.055) ** 2.4).astype(np.float32)


def linear_to_srgb(value: NDArray) -> F32:
    """Linear light to display-encoded values, any shape."""
    v = np.asarray(value, np.float64)
    high = 1.055 * np.maximum(v, 0.0031308) ** (1 / 2.4) - 0.055
    return np.where(v <= 0.0031308, v * 12.92, high).astype(np.float32)


# 8-bit to linear, and linear to 8-bit by 65,536 steps of the square root (fine enough in the shadows)
DECODE: F32 = srgb_to_linear(np.arange(256) / 255.0)
_STEPS = 65536
ENCODE: U8 = np.round(linear_to_srgb((np.arange(_STEPS) / (_STEPS - 1)) ** 2) * 255).astype(np.uint8)


@kernel
def _decode(y0, y1, rgb, lut, out):  # type: ignore[no-untyped-def]
    for y in range(y0, y1):
        for x in range(rgb.shape[1]):
            out[y, x, 0] = lut[rgb[y, x, 0]]
            out[y, x, 1] = lut[rgb[y, x, 1]]
            out[y, x, 2] = lut[rgb[y, x, 2]]
            out[y, x, 3] = 1.0


@kernel
def _encode(y0, y1, rgba, lut, out):  # type: ignore[no-untyped-def]
    for y in range(y0, y1):
        for x in range(rgba.shape[1]):
            for c in range(3):
                v = min(max(rgba[y, x, c], np.float32(0.0)), np.float32(1.0))
                out[y, x, c] = lut[int(np.sqrt(v) * np.float32(65535.0) + np.float32(0.5))]


@kernel
def _encode_straight(y0, y1, rgba, lut, out):  # type: ignore[no-untyped-def]
    for y in range(y0, y1):
        for x in range(rgba.shape[1]):
            a = min(max(rgba[y, x, 3], np.float32(0.0)), np.float32(1.0))
            scale = np.float32(1.0) / a if a > 1e-6 else np.float32(0.0)
            for c in range(3):
                v = min(max(rgba[y, x, c] * scale, np.float32(0.0)), np.float32(1.0))
                out[y, x, c] = lut[int(np.sqrt(v) * np.float32(65535.0) + np.float32(0.5))]
            out[y, x, 3] = np.uint8(a * 255 + 0.5)


def decode(rgb: U8) -> F32:
    """(H, W, 3) uint8 sRGB to (H, W, 4) float32 opaque linear RGBA."""
    out = np.empty((*rgb.shape[:2], 4), np.float32)
    in_rows(_decode, rgb.shape[0], rgb, DECODE, out)
    return out


def encode(rgba: F32) -> U8:
    """(H, W, 4) float32 premultiplied linear RGBA, seen over black, to (H, W, 3) uint8 sRGB."""
    out = np.empty((*rgba.shape[:2], 3), np.uint8)
    in_rows(_encode, rgba.shape[0], rgba, ENCODE, out)
    return out


def with_light(rgba: F32) -> F32:
    """The picture with enough alpha to hold its light: a halo over nothing has colour but no alpha.

    (H, W, 4) float32 premultiplied. Over black it looks as before.
    """
    out = rgba.copy()
    out[..., 3] = np.clip(np.maximum(out[..., 3], out[..., :3].max(axis=2)), 0, 1)
    return out


def encode_rgba(rgba: F32, premultiplied: bool = False) -> U8:
    """(H, W, 4) premultiplied linear RGBA to (H, W, 4) uint8 with display-encoded colour.

    Straight: the colour is divided by alpha before encoding. Premultiplied: the encoded straight
    colour times alpha, which is what programs that composite display-encoded files expect.
    """
    out = np.empty((*rgba.shape[:2], 4), np.uint8)
    in_rows(_encode_straight, rgba.shape[0], rgba, ENCODE, out)
    if premultiplied:
        alpha = out[..., 3:4].astype(np.uint16)
        out[..., :3] = (out[..., :3].astype(np.uint16) * alpha + 127) // 255
    return out
