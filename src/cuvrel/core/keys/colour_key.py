"""Colour key: coverage by hue, chroma and lightness in a perceptual space."""

from __future__ import annotations

from typing import Any

import cv2
import numpy as np

from cuvrel.core.arrays import F32, U8, Single
from cuvrel.core.imaging.row_kernels import in_rows, kernel, small_kernel
from cuvrel.core.keys.luma_key import blurred
from cuvrel.core.keys.ramps import steep, within
from cuvrel.core.recipe.context import Context
from cuvrel.core.recipe.declared import Params, declare, number
from cuvrel.core.recipe.values import Scalar

FULL = 0.33  # chroma of the most colourful sRGB colours: shown as 1


class ColourKeyParams(Params):
    """A red range at first; it wraps around the colour circle."""

    hue: Scalar = number(29.0, "Hue", 0, 360, step=1, unit="°", hint="the middle of the range on the colour circle")
    hue_width: Scalar = number(40.0, "Hue width", 0, 360, step=1, unit="°", hint="360 takes every hue")
    hue_soft: Scalar = number(20.0, "Hue softness", 0, 180, step=1, unit="°")
    chroma_low: Scalar = number(0.25, "Chroma from", 0, 1, hint="0 is grey")
    chroma_high: Scalar = number(1.0, "Chroma to", 0, 1)
    chroma_soft: Scalar = number(0.1, "Chroma softness", 0, 1)
    light_low: Scalar = number(0.0, "Light from", 0, 1)
    light_high: Scalar = number(1.0, "Light to", 0, 1)
    light_soft: Scalar = number(0.1, "Light softness", 0, 1)
    blur: Scalar = number(
        0.0, "Blur before", 0, 40, step=0.5, unit="px", hint="takes grain out of what is measured", animatable=False
    )


@small_kernel
def _cube_root(v: Single) -> Single:
    """By a third of the exponent and two steps of Newton's; within 1e-6 for 0 to 1."""
    third = np.float32(1 / 3)
    v = np.float32(max(v, np.float32(1e-20)))
    y = np.int32(np.float32(v.view(np.int32)) * third + np.float32(709921077)).view(np.float32)
    y = (np.float32(2) * y + v / (y * y)) * third
    return (np.float32(2) * y + v / (y * y)) * third


@small_kernel
def _degrees(y: Single, x: Single) -> Single:
    """The angle of (x, y), 0 to 360; within 0.002 (Abramowitz and Stegun, 4.4.49, to the eleventh power)."""
    ax, ay = abs(x), abs(y)
    q = min(ax, ay) / max(max(ax, ay), np.float32(1e-20))
    s = q * q
    r = np.float32(-0.01172120) * s + np.float32(0.05265332)
    r = (r * s - np.float32(0.11643287)) * s + np.float32(0.19354346)
    r = ((r * s - np.float32(0.33262347)) * s + np.float32(0.99997726)) * q * np.float32(57.29578)
    r = np.float32(90) - r if ay > ax else r
    r = np.float32(180) - r if x < 0 else r
    return np.float32(360) - r if y < 0 else r


@small_kernel
def _lch(r: Single, g: Single, b: Single) -> tuple[Single, Single, Single]:
    """OKLCh of linear light: lightness 0 to 1, chroma over FULL, hue in degrees."""
    long = _cube_root(np.float32(0.4122214708) * r + np.float32(0.5363325363) * g + np.float32(0.0514459929) * b)
    medium = _cube_root(np.float32(0.2119034982) * r + np.float32(0.6806995451) * g + np.float32(0.1073969566) * b)
    short = _cube_root(np.float32(0.0883024619) * r + np.float32(0.2817188376) * g + np.float32(0.6299787005) * b)
    light = np.float32(0.2104542553) * long + np.float32(0.7936177850) * medium - np.float32(0.0040720468) * short
    a = np.float32(1.9779984951) * long - np.float32(2.4285922050) * medium + np.float32(0.4505937099) * short
    c = np.float32(0.0259040371) * long + np.float32(0.7827717662) * medium - np.float32(0.8086757660) * short
    return light, np.sqrt(a * a + c * c) * np.float32(1 / FULL), _degrees(c, a)


@small_kernel
def _row(rgb: U8, y: int, linear: F32, red: F32, green: F32, blue: F32) -> None:
    """A row's linear light, apart from what is worked out of it: looking up a table stops vector instructions."""
    for x in range(rgb.shape[1]):
        red[x], green[x], blue[x] = linear[rgb[y, x, 0]], linear[rgb[y, x, 1]], linear[rgb[y, x, 2]]


@kernel
def _to_lch(y0: int, y1: int, rgb: U8, linear: F32, out: F32) -> None:
    red, green, blue = np.empty((3, rgb.shape[1]), np.float32)
    for y in range(y0, y1):
        _row(rgb, y, linear, red, green, blue)
        for x in range(rgb.shape[1]):
            out[y, x, 0], out[y, x, 1], out[y, x, 2] = _lch(red[x], green[x], blue[x])


def _linear_table() -> F32:
    v = np.arange(256) / 255
    return np.where(v <= 0.04045, v / 12.92, ((v + 0.055) / 1.055) ** 2.4).astype(np.float32)


LINEAR = _linear_table()


def to_lch(rgb: U8) -> F32:
    """Lightness 0 to 1, colourfulness 0 to about 1, and hue in degrees, (H, W, 3) float32.

    The space is OKLCh (Ottosson, A perceptual color space for image processing, 2020); colourfulness is its
    chroma over 0.33. rgb: (H, W, 3) uint8 sRGB.
    """
    out = np.empty(rgb.shape, np.float32)
    in_rows(_to_lch, rgb.shape[0], np.ascontiguousarray(rgb), LINEAR, out)
    return out


@kernel
def _key(y0: int, y1: int, rgb: U8, linear: F32, at: F32, out: F32) -> None:
    red, green, blue = np.empty((3, rgb.shape[1]), np.float32)
    zero, turn = np.float32(0), np.float32(360)
    middle, half, steep_hue = at[0], at[1], at[2]
    chroma_low, chroma_high, steep_chroma = at[3], at[4], at[5]
    light_low, light_high, steep_light = at[6], at[7], at[8]
    for y in range(y0, y1):
        _row(rgb, y, linear, red, green, blue)
        for x in range(rgb.shape[1]):
            light, chroma, hue = _lch(red[x], green[x], blue[x])
            away = abs(hue - middle)
            away = min(away, turn - away)
            out[y, x] = (
                within(away, zero, half, steep_hue, steep_hue)
                * within(chroma, chroma_low, chroma_high, steep_chroma, steep_chroma)
                * within(light, light_low, light_high, steep_light, steep_light)
            )


@declare("pull", "colour_key", "Colour key", ColourKeyParams, hint="by hue, colourfulness and lightness, softness each")
def colour_key(rgb: U8, values: dict[str, Any], context: Context) -> F32:
    """Coverage by colour: the product of three soft ranges, of hue, chroma and lightness.

    Parameters
    ----------
    rgb
        (H, W, 3) uint8 sRGB.
    values
        The key's values at this frame. The hue's range has a middle and a width, so that it may go through 0.
    context
        Not read.

    Returns
    -------
    F32
        (H, W), 0 to 1.

    References
    ----------
    Ottosson, A perceptual color space for image processing, 2020 (OKLCh; see to_lch).
    """
    rgb = np.ascontiguousarray(blurred(rgb, float(values["blur"]) * context.scale))
    at = [values["hue"] % 360, values["hue_width"] / 2, steep(values["hue_soft"])]
    for scale in ("chroma", "light"):
        at += [values[f"{scale}_low"], values[f"{scale}_high"], steep(values[f"{scale}_soft"])]
    out = np.empty(rgb.shape[:2], np.float32)
    in_rows(_key, rgb.shape[0], rgb, LINEAR, np.array(at, np.float32), out)
    return out


def sampled(rgb: U8, box: tuple[int, int, int, int]) -> dict[str, float]:
    """A colour key's ranges for what lies in a box (x0, y0, x1, y1) of a picture, as plain values.

    The ranges reach from the 2nd to the 98th of a hundred; a grey area takes every hue.
    """
    x0, y0, x1, y1 = box
    lch = to_lch(rgb[y0:y1, x0:x1]).reshape(-1, 3).astype(np.float64)
    light, chroma = (np.percentile(lch[:, k], (2, 98)) for k in (0, 1))
    turned = np.deg2rad(lch[:, 2])
    weight = lch[:, 1] + 1e-6
    middle = np.arctan2((weight * np.sin(turned)).sum(), (weight * np.cos(turned)).sum())
    away = np.abs((turned - middle + np.pi) % (2 * np.pi) - np.pi)
    order = np.argsort(away)
    share = np.cumsum(weight[order]) / weight.sum()
    spread = float(np.rad2deg(away[order][min(len(order) - 1, int(np.searchsorted(share, 0.96)))]))
    grey = float(np.median(chroma)) < 0.06
    return {
        "hue": round(float(np.rad2deg(middle)) % 360, 1),
        "hue_width": 360.0 if grey else round(min(360.0, 2 * spread + 8), 1),
        "hue_soft": 20.0,
        "chroma_low": round(max(0.0, float(chroma[0]) - 0.03), 3),
        "chroma_high": round(min(1.0, float(chroma[1]) + 0.03), 3),
        "chroma_soft": 0.08,
        "light_low": round(max(0.0, float(light[0]) - 0.03), 3),
        "light_high": round(min(1.0, float(light[1]) + 0.03), 3),
        "light_soft": 0.08,
    }


def spread_of(rgb: U8) -> dict[str, list[float]]:
    """How a picture's pixels are spread over what the keys measure: shares of the fullest bin, 0 to 1.

    hue (72 bins from 0 to 360 degrees, greys counting less), chroma and light (50 bins from 0 to 1, as to_lch
    has them), luma, red, green and blue (64 bins from 0 to 1) and wheel (60 bins once round from red by green and blue,
    greys counting less). Roots of the shares, so that small parts are seen, too.
    """
    lch = to_lch(rgb).reshape(-1, 3)
    weight = np.clip(lch[:, 1] * 5, 0, 1)
    luma = rgb.reshape(-1, 3) @ (np.array([0.2126, 0.7152, 0.0722]) / 255)
    flat = rgb.reshape(-1, 3)
    wheel = cv2.cvtColor(rgb, cv2.COLOR_RGB2HSV).reshape(-1, 3)
    counts = {
        "hue": np.histogram(lch[:, 2], 72, (0, 360), weights=weight)[0],
        "chroma": np.histogram(lch[:, 1], 50, (0, 1))[0],
        "light": np.histogram(lch[:, 0], 50, (0, 1))[0],
        "luma": np.histogram(luma, 64, (0, 1))[0],
        **{name: np.histogram(flat[:, k], 64, (0, 256))[0] for k, name in enumerate(("red", "green", "blue"))},
        "wheel": np.histogram(wheel[:, 0], 60, (0, 180), weights=wheel[:, 1])[0],
    }
    return {name: np.sqrt(n / max(1e-9, n.max())).round(3).tolist() for name, n in counts.items()}


def widened(values: dict[str, Any], picked: dict[str, float]) -> dict[str, float]:
    """A key's ranges (plain values) stretched until they hold another colour's, too."""
    low, high = _hues(values, picked)
    half = values["hue_width"] / 2
    low, high = min(-half, low), max(half, high)
    out = {"hue": round((values["hue"] + (low + high) / 2) % 360, 1), "hue_width": round(min(360.0, high - low), 1)}
    for name, choose in (("low", min), ("high", max)):
        for scale in ("chroma", "light"):
            out[f"{scale}_{name}"] = choose(values[f"{scale}_{name}"], picked[f"{scale}_{name}"])
    return out


def narrowed(values: dict[str, Any], picked: dict[str, float]) -> dict[str, float]:
    """A key's ranges (plain values) cut back so that another colour's lie outside of them.

    Only one of the three is cut, on one side: where the most of it is left. A colour that is outside already
    changes nothing.
    """
    half = values["hue_width"] / 2
    spans = {"hue": (-half, half, *_hues(values, picked))}
    for scale in ("chroma", "light"):
        own = values[f"{scale}_low"], values[f"{scale}_high"]
        spans[scale] = (*own, picked[f"{scale}_low"], picked[f"{scale}_high"])
    cuts = []
    for scale, (low, high, a, b) in spans.items():
        if b <= low or a >= high:
            return {}
        soft = values[f"{scale}_soft"]
        # from the far end of the colour that is taken away, its softness included
        for left, right in ((low, a - soft), (b + soft, high)):
            cuts.append(((right - left) / max(1e-6, high - low), scale, left, right))
    share, scale, low, high = max(cuts)
    if share <= 0:
        return {}
    if scale == "hue":
        return {"hue": round((values["hue"] + (low + high) / 2) % 360, 1), "hue_width": round(high - low, 1)}
    return {f"{scale}_low": round(max(0.0, low), 3), f"{scale}_high": round(min(1.0, high), 3)}


def _hues(values: dict[str, Any], picked: dict[str, float]) -> tuple[float, float]:
    """Another colour's hues from the middle of a key's range, in degrees, the near way round."""
    apart = (picked["hue"] - values["hue"] + 180) % 360 - 180
    return apart - picked["hue_width"] / 2, apart + picked["hue_width"] / 2
