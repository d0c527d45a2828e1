"""Colour transforms at the two ends: display-encoded sRGB bytes and linear light.

Source: IEC 61966-2-1 (sRGB). Pictures inside are float32 premultiplied RGBA in linear light.
"""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

from cuvrel.core.arrays import F32, U8, U16, Real, Single
from cuvrel.core.imaging.row_kernels import in_rows, kernel, small_kernel


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


@small_kernel
def log2(v: Single) -> Single:
    """Within 3e-6 for what is above 0: the exponent, and a polynomial (Chebyshev, sixth degree) of the mantissa."""
    bits = np.float32(v).view(np.int32)
    m = np.int32((bits & np.int32(0x7FFFFF)) | np.int32(0x3F800000)).view(np.float32)
    r = np.float32(0.265024293) - np.float32(0.024568535) * m
    r = (r * m - np.float32(1.229291006)) * m + np.float32(3.212800287)
    r = ((r * m - np.float32(5.261682508)) * m + np.float32(6.066871452)) * m - np.float32(3.029151539)
    return r + np.float32((bits >> np.int32(23)) - np.int32(127))


@small_kernel
def exp2(v: Single) -> Single:
    """Within 2e-7 of itself for -126 to 126, by a polynomial of the fifth degree of what is behind the point."""
    v = max(v, np.float32(-126.0))
    whole = np.floor(v)
    f = np.float32(v - whole)
    r = np.float32(0.00894959) + np.float32(0.001893754) * f
    r = ((r * f + np.float32(0.055860337)) * f + np.float32(0.240141818)) * f + np.float32(0.69315449)
    return (r * f + np.float32(0.999999898)) * np.int32((np.int32(whole) + np.int32(127)) << np.int32(23)).view(
        np.float32
    )


@small_kernel
def cube_root(v: Single) -> Single:
    """The cube root of what is 0 or above, within 4e-6 of itself; runs on vector instructions."""
    root = exp2(log2(max(v, np.float32(1e-12))) * np.float32(1 / 3))
    return root if v > np.float32(1e-12) else np.float32(0.0)


@small_kernel
def to_display(v: Single) -> Single:
    """Linear light, cut to 0 to 1, as sRGB encodes it (IEC 61966-2-1), within 2e-6; runs on vector instructions."""
    v = min(max(v, np.float32(0.0)), np.float32(1.0))
    low = v * np.float32(12.92)
    high = np.float32(1.055) * exp2(log2(max(v, np.float32(1e-7))) * np.float32(1 / 2.4)) - np.float32(0.055)
    return low if v <= np.float32(0.0031308) else high


@small_kernel
def to_light(v: Real) -> Real:
    """What sRGB encoded, 0 to 1, as linear light, within 4e-6; runs on vector instructions."""
    low = v * np.float32(1 / 12.92)
    high = exp2(log2(max((v + np.float32(0.055)) * np.float32(1 / 1.055), np.float32(1e-7))) * np.float32(2.4))
    return low if v <= np.float32(0.04045) else high


@kernel
def _decode(y0: int, y1: int, rgb: U8, lut: F32, out: F32) -> None:
    for y in range(y0, y1):
        for x in range(rgb.shape[1]):
            out[y, x, 0] = lut[rgb[y, x, 0]]
            out[y, x, 1] = lut[rgb[y, x, 1]]
            out[y, x, 2] = lut[rgb[y, x, 2]]
            out[y, x, 3] = 1.0


@kernel
def _encode(y0: int, y1: int, rgba: F32, lut: U8, out: U8) -> None:
    for y in range(y0, y1):
        for x in range(rgba.shape[1]):
            for c in range(3):
                v = min(max(rgba[y, x, c], np.float32(0.0)), np.float32(1.0))
                out[y, x, c] = lut[int(np.sqrt(v) * np.float32(65535.0) + np.float32(0.5))]


@kernel
def _encode_straight(y0: int, y1: int, rgba: F32, lut: U8, out: U8) -> None:
    for y in range(y0, y1):
        for x in range(rgba.shape[1]):
            a = min(max(rgba[y, x, 3], np.float32(0.0)), np.float32(1.0))
            scale = np.float32(1.0) / a if a > 1e-6 else np.float32(0.0)
            for c in range(3):
                v = min(max(rgba[y, x, c] * scale, np.float32(0.0)), np.float32(1.0))
                out[y, x, c] = lut[int(np.sqrt(v) * np.float32(65535.0) + np.float32(0.5))]
            out[y, x, 3] = np.uint8(a * 255 + 0.5)


def rounded(values: F32) -> U8:
    """Encoded colour, or coverage, 0 to 1, as the nearest of 256 codes; what is beyond is cut."""
    return np.asarray(cv2.convertScaleAbs(np.maximum(values, 0), alpha=255), np.uint8)


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


@kernel
def _encode_deep(y0: int, y1: int, rgba: F32, straight: bool, times: Single, out: U16) -> None:
    for y in range(y0, y1):
        for x in range(rgba.shape[1]):
            a = min(max(rgba[y, x, 3], np.float32(0.0)), np.float32(1.0))
            scale = np.float32(1.0)
            if straight:
                scale = np.float32(1.0) / a if a > 1e-6 else np.float32(0.0)
            by = a if times else np.float32(1.0)
            for c in range(3):
                out[y, x, c] = to_display(rgba[y, x, c] * scale) * by
            if straight:
                out[y, x, 3] = a


def encode_deep(rgba: F32, alpha: str = "none") -> F32:
    """(H, W, 4) premultiplied linear RGBA as display-encoded float32, 0 to 1.

    alpha `none`: seen over black, (H, W, 3). `straight` and `premultiplied`: (H, W, 4), as in `encode_rgba`.
    """
    out = np.empty((*rgba.shape[:2], 3 if alpha == "none" else 4), np.float32)
    in_rows(_encode_deep, rgba.shape[0], rgba, alpha != "none", alpha == "premultiplied", out)
    return out
