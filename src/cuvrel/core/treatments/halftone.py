"""Halftone: dots, lines or diamonds that are as large as the picture is dark."""

from __future__ import annotations

from functools import lru_cache
from typing import Any, Literal

import numpy as np
from numpy.typing import NDArray

from cuvrel.core.arrays import F32, Single
from cuvrel.core.imaging.colour import srgb_to_linear
from cuvrel.core.imaging.row_kernels import in_rows, kernel, small_kernel
from cuvrel.core.imaging.sampling import middle
from cuvrel.core.imaging.tables import cover_of
from cuvrel.core.recipe.context import Context
from cuvrel.core.recipe.declared import Params, choice, colour, declare, number, point
from cuvrel.core.recipe.values import Colour, Point, Scalar

KINDS = ("dots", "lines", "diamonds")
FINE = 1024
FINEST = 3.5  # pixels from one to the next below which they can't be told apart, and their mean is shown


class HalftoneParams(Params):
    """Black dots on white paper."""

    kind: Literal["dots", "lines", "diamonds"] = choice("dots", "Drawn in", list(KINDS))
    size: Scalar = number(9.0, "Size", 2, 400, step=0.5, unit="px", slide=(2, 60), hint="from one to the next")
    angle: Scalar = number(45.0, "Angle", -36_000, 36_000, step=1, unit="°", slide=(-90, 90))
    soft: Scalar = number(0.15, "Softness", 0, 1, hint="of their edges")
    inks: Literal["one", "four"] = choice("one", "Inks", ["one", "four"], hint="four: cyan, magenta, yellow and black")
    ink: Colour = colour((0.06, 0.06, 0.09), "Ink")
    paper: Colour = colour((0.98, 0.97, 0.93), "Paper")
    part: Literal["all", "shadows", "highlights"] = choice("all", "Over", ["all", "shadows", "highlights"])
    centre: Point = point((0.0, 0.0), "Pinned to", hint="the place of the picture that the grain goes with")
    amount: Scalar = number(100.0, "Amount", 0, 100, step=1, unit="%", neutral=0)


@lru_cache(maxsize=8)
def ranks(kind: str) -> F32:
    """How large a share of a cell lies below each height of its hill, (FINE + 1,): so tones come out as they went in.

    Heights run from 0 to 1; dots are a sum of two cosines, lines one, diamonds a pyramid.
    """
    at = (np.arange(256) + 0.5) / 256
    u, v = np.meshgrid(at, at)
    heights = np.sort(_hill(kind, u, v).ravel())
    found = np.searchsorted(heights, np.linspace(0, 1, FINE + 1), side="right") / heights.size
    return np.asarray(found, np.float32)


def _hill(kind: str, u: NDArray, v: NDArray) -> NDArray:
    if kind == "dots":
        return np.asarray(0.5 + 0.25 * (np.cos(2 * np.pi * u) + np.cos(2 * np.pi * v)))
    if kind == "lines":
        return np.asarray(0.5 + 0.5 * np.cos(2 * np.pi * v))
    return np.asarray(np.abs(2 * (u % 1) - 1) * 0.5 + np.abs(2 * (v % 1) - 1) * 0.5)


@small_kernel
def _wave(turns: Single) -> Single:
    """The cosine of whole turns, within 2e-4, by a polynomial of the sixth degree in the square."""
    t = turns - np.floor(turns + np.float32(0.5))
    q = t * t * np.float32(39.478418)
    r = np.float32(-0.0013888889) + q * np.float32(2.48015873e-5) - q * q * np.float32(2.6e-7)
    return np.float32(1.0) + q * (np.float32(-0.5) + q * (np.float32(0.041666667) + q * r))


@kernel
def _printed(
    y0: int,
    y1: int,
    picture: F32,
    kind: int,
    inverse: Single,
    at: F32,
    mean: Single,
    least: Single,
    turns: F32,
    table: F32,
    soft: Single,
    inks: int,
    ink: F32,
    paper: F32,
    part: int,
    amount: Single,
    out: F32,
) -> None:
    zero, one, two = np.float32(0.0), np.float32(1.0), np.float32(2.0)
    for y in range(y0, y1):
        py = np.float32(y) - at[1]
        for x in range(picture.shape[1]):
            px = np.float32(x) - at[0]
            a = picture[y, x, 3]
            c = cover_of(picture[y, x, 0], picture[y, x, 1], picture[y, x, 2], a)
            over = one / max(c, np.float32(1e-6))
            r = min(picture[y, x, 0] * over, one)
            g = min(picture[y, x, 1] * over, one)
            b = min(picture[y, x, 2] * over, one)
            luma = np.float32(0.2126) * r + np.float32(0.7152) * g + np.float32(0.0722) * b
            black = one - max(r, max(g, b)) if inks > 1 else one - luma
            light = max(one - black, np.float32(1e-4))
            pr, pg, pb = paper[0], paper[1], paper[2]
            for n in range(inks):
                # cyan, magenta, yellow, black; or the one ink
                if inks == 1:
                    dark = one - luma
                elif n == 0:
                    dark = one - r / light
                elif n == 1:
                    dark = one - g / light
                elif n == 2:
                    dark = one - b / light
                else:
                    dark = black
                u = (px * turns[n, 0] + py * turns[n, 1]) * inverse
                v = (py * turns[n, 0] - px * turns[n, 1]) * inverse
                if kind == 0:
                    hill = np.float32(0.5) + np.float32(0.25) * (_wave(u) + _wave(v))
                elif kind == 1:
                    hill = np.float32(0.5) + np.float32(0.5) * _wave(v)
                else:
                    hill = abs(two * (u - np.floor(u)) - one) * np.float32(0.5) + abs(
                        two * (v - np.floor(v)) - one
                    ) * np.float32(0.5)
                up = min(max(hill, zero), one) * np.float32(FINE)
                i = np.uint32(np.int32(min(up, np.float32(FINE - 1))))
                rank = table[i] + (table[i + np.uint32(1)] - table[i]) * (
                    up - np.float32(np.int32(min(up, np.float32(FINE - 1))))
                )
                edge = max(soft * np.float32(0.5), least)
                # near both ends of the scale the edge is as narrow as there is room, so that tones stay
                edge = min(edge, max(min(dark, one - dark), np.float32(1e-3)))
                cover = min(max((rank - (one - dark)) / (two * edge) + np.float32(0.5), zero), one)
                cover += (dark - cover) * mean
                tr = ink[n, 0]
                tg = ink[n, 1]
                tb = ink[n, 2]
                if inks == 1:
                    pr, pg, pb = pr + (tr - pr) * cover, pg + (tg - pg) * cover, pb + (tb - pb) * cover
                else:
                    pr, pg, pb = (
                        pr * (one + (tr - one) * cover),
                        pg * (one + (tg - one) * cover),
                        pb * (one + (tb - one) * cover),
                    )
            m = amount
            if part == 1:
                m *= min(max((np.float32(0.35) - luma) * np.float32(5.0), zero), one)
            elif part == 2:
                m *= min(max((luma - np.float32(0.3)) * np.float32(5.0), zero), one)
            out[y, x, 0] = picture[y, x, 0] + (pr * c - picture[y, x, 0]) * m
            out[y, x, 1] = picture[y, x, 1] + (pg * c - picture[y, x, 1]) * m
            out[y, x, 2] = picture[y, x, 2] + (pb * c - picture[y, x, 2]) * m
            out[y, x, 3] = a


@declare(
    "treatment", "halftone", "Halftone", HalftoneParams, hint="dots, lines or diamonds, as large as it is dark",
    group="Line and print", rests=lambda values: float(values["amount"]) == 0,
)  # fmt: skip
def halftone(picture: F32, values: dict[str, Any], context: Context) -> F32:
    """The picture printed, (H, W, 4) float32 premultiplied linear RGBA; what is printed stays put in the
    frame, and rides with the place that it is pinned to.

    In linear light, where ink that covers a share of the paper takes that share of its light: the mean tone is the
    picture's. Four inks take black out of the three colours (by its least), each at an angle of its own.
    """
    four = values["inks"] == "four"
    degrees = [15.0, 75.0, 0.0, 45.0] if four else [0.0]
    turned = np.deg2rad(np.array(degrees) + float(values["angle"]))
    turns = np.stack([np.cos(turned), np.sin(turned)], axis=1).astype(np.float32)
    colours = [(0.0, 0.62, 0.88), (0.88, 0.0, 0.5), (1.0, 0.9, 0.0), tuple(values["ink"])] if four else [values["ink"]]
    inks = srgb_to_linear(np.asarray(colours, np.float64))
    out = np.empty_like(picture)
    size = float(values["size"]) * context.scale
    mean = float(np.clip((FINEST - size) / (FINEST - 1.5), 0, 1))
    in_rows(
        _printed, len(picture), picture, KINDS.index(str(values["kind"])), np.float32(1 / max(size, 1.0)),
        np.array(middle(picture, values, context.scale), np.float32), np.float32(mean),
        np.float32(min(max(0.8 / max(size, 1.0), 0.02), 0.5)), turns, ranks(str(values["kind"])),
        np.float32(values["soft"]), len(degrees), inks, srgb_to_linear(np.asarray(values["paper"])),
        ("all", "shadows", "highlights").index(str(values["part"])), np.float32(float(values["amount"]) / 100), out,
    )  # fmt: skip
    return out
