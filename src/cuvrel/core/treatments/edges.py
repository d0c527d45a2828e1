"""Edge lines: bright lines where the picture has edges."""

from __future__ import annotations

from typing import Any, Literal

import cv2
import numpy as np

from cuvrel.core.arrays import F32, Single
from cuvrel.core.imaging.colour import srgb_to_linear
from cuvrel.core.imaging.lines import brightness, edges, gaussian, long_enough, steadied
from cuvrel.core.imaging.row_kernels import in_rows, kernel
from cuvrel.core.imaging.tables import cover_of
from cuvrel.core.recipe.context import Context
from cuvrel.core.recipe.declared import Params, choice, colour, declare, number
from cuvrel.core.recipe.needs import Need, Pictures, all_of, own
from cuvrel.core.recipe.values import Colour, Scalar

COLOURS = ("one colour", "the picture's", "by direction")
ON = ("the picture", "black", "nothing")


class EdgeLinesParams(Params):
    """Lines of light on black."""

    strength: Scalar = number(1.0, "Strength", 0, 8, step=0.05, neutral=0, slide=(0, 3))
    width: Scalar = number(2.0, "Width", 0.3, 60, step=0.1, unit="px", slide=(0.3, 12))
    detail: Scalar = number(0.7, "Detail", 0, 1, hint="how fine an edge has a line")
    threshold: Scalar = number(5.0, "Threshold", 0, 100, step=0.5, unit="%", slide=(0, 50), hint="lower steps: none")
    clean: Scalar = number(16.0, "Clean-up", 0, 1000, step=1, unit="px", slide=(0, 120), hint="shorter lines go")
    steady: Scalar = number(0.4, "Steady", 0, 1, hint="over time, where nothing moves")
    by: Literal["one colour", "the picture's", "by direction"] = choice("one colour", "Colour", COLOURS)
    ink: Colour = colour((0.62, 0.93, 1.0), "Line colour")
    turn: Scalar = number(0.0, "Hue", -36_000, 36_000, step=1, unit="°", slide=(-180, 180), hint="by direction")
    on: Literal["the picture", "black", "nothing"] = choice("black", "On", ON)


def _looks_at(values: dict[str, Any], frame: int) -> list[Need]:
    return [own(frame + n) for n in (-1, 1)] if float(values["steady"]) > 0 else []


@kernel
def _drawn(
    y0: int,
    y1: int,
    picture: F32,
    cover: F32,
    across: F32,
    by: int,
    on: int,
    strength: Single,
    ink: F32,
    turn: F32,
    out: F32,
) -> None:
    zero, one = np.float32(0.0), np.float32(1.0)
    for y in range(y0, y1):
        for x in range(picture.shape[1]):
            r, g, b, a = picture[y, x, 0], picture[y, x, 1], picture[y, x, 2], picture[y, x, 3]
            k = cover[y, x] * min(strength, one)
            heat = k * max(strength, one)
            lr, lg, lb = ink[0], ink[1], ink[2]
            if by == 1:
                # as bright as it may be in its own colour
                top = max(r, max(g, b))
                over = one / max(top, np.float32(1e-3))
                lr, lg, lb = r * over, g * over, b * over
            elif by == 2:
                c = across[0, y, x] * turn[0] - across[1, y, x] * turn[1]
                d = across[1, y, x] * turn[0] + across[0, y, x] * turn[1]
                half, root = np.float32(0.5), np.float32(0.4330127)
                lr = half + half * c
                lg = half - np.float32(0.25) * c + root * d
                lb = half - np.float32(0.25) * c - root * d
            if on == 0:
                left = one - k
                r, g, b = r * left, g * left, b * left
                a = a + (one - a) * k
            else:
                r, g, b = zero, zero, zero
                a = max(cover_of(picture[y, x, 0], picture[y, x, 1], picture[y, x, 2], a), k) if on == 1 else k
            out[y, x, 0], out[y, x, 1], out[y, x, 2] = r + heat * lr, g + heat * lg, b + heat * lb
            out[y, x, 3] = a


def widened(cover: F32, by: float) -> F32:
    """Lines that reach further to both sides, by pixels and parts of them, (H, W) float32."""
    whole = int(by)
    near, far = (
        cv2.dilate(cover, cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (2 * n + 1, 2 * n + 1)))
        for n in (whole, whole + 1)
    )
    return np.asarray(near + (far - near) * np.float32(by - whole), np.float32)


def found(picture: F32, others: list[F32], values: dict[str, Any], scale: float) -> tuple[F32, F32]:
    """The lines' coverage, (H, W) float32, 0 to 1, and which way they lie (see `media/lines.py`)."""
    seen = brightness(picture)
    if others:
        seen = steadied(seen, [brightness(one) for one in others], float(values["steady"]))
    sigma = max((0.8 + 4.2 * (1 - float(values["detail"])) ** 2) * scale, 0.6)
    distance, step, across = edges(gaussian(seen, sigma), sigma)
    width = max(float(values["width"]) * scale, 0.3)
    thin = min(width, 2.5 * sigma)
    cover = np.clip(np.float32(0.5 * thin + 0.5) - distance, 0, min(1.0, thin))
    low = max(float(values["threshold"]) / 100, 0.004)
    cover *= np.clip(step / np.float32(low) - 1, 0, 1)
    # a line may be weak at places as long as it is strong somewhere
    cover *= long_enough(cover > 0.1, step > 2 * low, float(values["clean"]) * scale, thin + 1)
    if width > thin:
        cover = widened(cover, (width - thin) / 2)
    return np.asarray(cover, np.float32), across


@declare(
    "treatment", "edges", "Edge lines", EdgeLinesParams, hint="bright lines where the picture has edges",
    group="Line and print", needs=_looks_at, rests=lambda values: float(values["strength"]) == 0,
)  # fmt: skip
def edge_lines(picture: F32, values: dict[str, Any], context: Context, pictures: Pictures) -> F32:
    """Lines along the picture's edges, (H, W, 4) float32 premultiplied linear RGBA, on it, on black or on nothing.

    Edges are those of its brightness, blurred the more the less detail is wanted; see `media/lines.py` for how far
    a pixel is from one. The frames before and after steady it where nothing moves.
    """
    others = [np.asarray(one, np.float32) for one in all_of(pictures) if one is not None]
    cover, across = found(picture, others, values, context.scale)
    out, turn = np.empty_like(picture), np.deg2rad(float(values["turn"]))
    in_rows(
        _drawn, len(picture), picture, cover, across, COLOURS.index(str(values["by"])), ON.index(str(values["on"])),
        np.float32(values["strength"]), srgb_to_linear(np.asarray(values["ink"])),
        np.array([np.cos(turn), np.sin(turn)], np.float32), out,
    )  # fmt: skip
    return out
