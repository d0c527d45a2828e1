"""Curves: brightness through drawn curves, by channel and by luma, and saturation by hue."""

from __future__ import annotations

from typing import Any

import numpy as np

from cuvrel.core.arrays import F32
from cuvrel.core.imaging.colour import srgb_to_linear
from cuvrel.core.imaging.row_kernels import in_rows, kernel
from cuvrel.core.imaging.tables import ENCODED, cover_of, ended, looked_up, table, through_tables
from cuvrel.core.recipe.context import Context
from cuvrel.core.recipe.curves import curve_at
from cuvrel.core.recipe.declared import Params, curve, declare
from cuvrel.core.recipe.values import Curve, CurvePoints

STRAIGHT: CurvePoints = ((0.0, 0.0), (1.0, 1.0))
EVEN: CurvePoints = ((0.0, 1.0), (1.0, 1.0))
HUES = 720


class CurvesParams(Params):
    """The defaults change nothing."""

    all: Curve = curve(STRAIGHT, "All", hint="red, green and blue alike")
    red: Curve = curve(STRAIGHT, "Red", over="red")
    green: Curve = curve(STRAIGHT, "Green", over="green")
    blue: Curve = curve(STRAIGHT, "Blue", over="blue")
    luma: Curve = curve(STRAIGHT, "Luma", hint="brightness alone: the colour stays")
    saturation: Curve = curve(
        EVEN, "Saturation by hue", 0.0, 3.0, hint="red, yellow, green, cyan, blue, magenta, red", over="wheel"
    )


def _straight(points: Any) -> bool:
    return all(float(x) == float(y) for x, y in points) and points[0][0] == 0 and points[-1][0] == 1


def _even(points: Any) -> bool:
    return all(float(y) == 1.0 for _, y in points)


def _rests(values: dict[str, Any]) -> bool:
    names = ("all", "red", "green", "blue", "luma")
    return all(_straight(values[name]) for name in names) and _even(values["saturation"])


@kernel
def _luma(y0: int, y1: int, picture: F32, entries: F32, out: F32) -> None:
    for y in range(y0, y1):
        for x in range(picture.shape[1]):
            r, g, b, a = picture[y, x, 0], picture[y, x, 1], picture[y, x, 2], picture[y, x, 3]
            c = max(cover_of(r, g, b, a), np.float32(1e-6))
            luma = (np.float32(0.2126) * r + np.float32(0.7152) * g + np.float32(0.0722) * b) / c
            after = looked_up(entries, luma)
            # black has no colour to keep: what it becomes is grey
            if luma > np.float32(1e-5):
                ratio = after / luma
                out[y, x, 0], out[y, x, 1], out[y, x, 2] = r * ratio, g * ratio, b * ratio
            else:
                out[y, x, 0] = out[y, x, 1] = out[y, x, 2] = after * a
            out[y, x, 3] = a


@kernel
def _by_hue(y0: int, y1: int, picture: F32, factors: F32, out: F32) -> None:
    most = np.float32(factors.size - 1)
    zero = np.float32(0.0)
    for y in range(y0, y1):
        for x in range(picture.shape[1]):
            r, g, b = max(picture[y, x, 0], zero), max(picture[y, x, 1], zero), max(picture[y, x, 2], zero)
            # the square root is close enough to what a display is sent for hues to be where they are looked for
            p, q, s = np.sqrt(r), np.sqrt(g), np.sqrt(b)
            high, low = max(p, max(q, s)), min(p, min(q, s))
            span = max(high - low, np.float32(1e-6))
            if high == p:
                hue = (q - s) / span
                hue = hue + np.float32(6.0) if hue < zero else hue
            elif high == q:
                hue = (s - p) / span + np.float32(2.0)
            else:
                hue = (p - q) / span + np.float32(4.0)
            at = min(max(hue * np.float32(1 / 6.0), zero), np.float32(1.0)) * most + np.float32(0.5)
            f = factors[np.uint32(np.int32(at))]
            grey = np.float32(0.2126) * r + np.float32(0.7152) * g + np.float32(0.0722) * b
            out[y, x, 0] = max(grey + (r - grey) * f, zero)
            out[y, x, 1] = max(grey + (g - grey) * f, zero)
            out[y, x, 2] = max(grey + (b - grey) * f, zero)
            out[y, x, 3] = picture[y, x, 3]


@declare(
    "treatment", "curves", "Curves", CurvesParams,
    hint="brightness through drawn curves, saturation by hue", group="Colour", rests=_rests,
)  # fmt: skip
def curves(picture: F32, values: dict[str, Any], context: Context) -> F32:
    """The picture through its curves, (H, W, 4) float32 premultiplied linear RGBA.

    Curves are those of `curve_at` (monotone between their points), on display-encoded colour: that of all channels
    first, then each channel's own. Luma (ITU-R BT.709 weights) scales the colour as a whole. Saturation is a factor
    by hue, the distance from the colour's luminance.
    """
    if not all(_straight(values[name]) for name in ("all", "red", "green", "blue")):
        both = curve_at(values["all"], ENCODED).clip(0, 1)
        own = (curve_at(values[name], both).clip(0, 1) for name in ("red", "green", "blue"))
        picture = through_tables(picture, *(ended(srgb_to_linear(one)) for one in own))
    if not _straight(values["luma"]):
        out = np.empty_like(picture)
        in_rows(_luma, len(picture), picture, table(lambda v: curve_at(values["luma"], v)), out)
        picture = out
    if not _even(values["saturation"]):
        factors = curve_at(values["saturation"], np.linspace(0, 1, HUES)).astype(np.float32)
        out = np.empty_like(picture)
        in_rows(_by_hue, len(picture), picture, factors, out)
        picture = out
    return picture
