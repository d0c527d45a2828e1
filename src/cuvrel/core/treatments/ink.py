"""Ink lines: contours as drawn by a pen, dark and of varying width."""

from __future__ import annotations

from typing import Any, Literal

import numpy as np

from cuvrel.core.arrays import F32, Single
from cuvrel.core.imaging.colour import srgb_to_linear
from cuvrel.core.imaging.lines import along_flow, brightness, gaussian, long_enough, steadied
from cuvrel.core.imaging.row_kernels import in_rows, kernel
from cuvrel.core.recipe.context import Context
from cuvrel.core.recipe.declared import Params, choice, colour, declare, number
from cuvrel.core.recipe.needs import Need, Pictures, all_of, own
from cuvrel.core.recipe.values import Colour, Scalar

WIDER = 1.6  # how much wider the second Gaussian is than the first
ON = ("the picture", "paper", "nothing")


class InkParams(Params):
    """A drawing on its picture."""

    strength: Scalar = number(100.0, "Strength", 0, 100, step=1, unit="%", neutral=0)
    width: Scalar = number(2.2, "Width", 0.5, 40, step=0.1, unit="px", slide=(0.5, 10), hint="of a strong contour")
    inner: Scalar = number(0.75, "Inner lines", 0, 1, hint="how many there are inside of the subject")
    flow: Scalar = number(0.6, "Long strokes", 0, 1, hint="joins what lies in one line")
    soft: Scalar = number(0.25, "Softness", 0, 1, hint="of the line's edges")
    clean: Scalar = number(14.0, "Clean-up", 0, 1000, step=1, unit="px", slide=(0, 120), hint="shorter lines go")
    steady: Scalar = number(0.4, "Steady", 0, 1, hint="over time, where nothing moves")
    ink: Colour = colour((0.05, 0.05, 0.08), "Ink")
    on: Literal["the picture", "paper", "nothing"] = choice("the picture", "On", ON)
    paper: Colour = colour((0.97, 0.95, 0.9), "Paper")


def _looks_at(values: dict[str, Any], frame: int) -> list[Need]:
    return [own(frame + n) for n in (-1, 1)] if float(values["steady"]) > 0 else []


@kernel
def _inked(
    y0: int, y1: int, picture: F32, cover: F32, on: int, strength: Single, ink: F32, paper: F32, out: F32
) -> None:
    one = np.float32(1.0)
    for y in range(y0, y1):
        for x in range(picture.shape[1]):
            a = picture[y, x, 3]
            k = cover[y, x] * strength
            # the drawing replaces what it is on as its strength says
            left = (one - k) if on == 0 else (one - strength)
            base = np.float32(0.0) if on != 1 else (strength - k) * a
            for c in range(3):
                out[y, x, c] = picture[y, x, c] * left + base * paper[c] + k * ink[c]
            out[y, x, 3] = a * left + base + k


def contours(seen: F32, there: F32, values: dict[str, Any], scale: float) -> F32:
    """How much ink lies on each pixel, (H, W) float32, 0 to 1.

    seen: its brightness; there: its alpha. Dark sides of edges are where a narrow Gaussian is less than a wider one;
    the difference is averaged along the flow of edges and put through a soft threshold ("Coherent Line Drawing",
    Kang, Lee and Chui, 2007; "XDoG", Winnemoeller, 2011). The edge of what is there counts as a strong contour.
    """
    sigma = max(float(values["width"]) * scale * 0.45, 0.5)
    narrow, wide = gaussian(seen, sigma), gaussian(seen, WIDER * sigma)
    dark = wide - narrow
    inner = float(values["inner"])
    if there.min() < 1:
        edge = gaussian(there, WIDER * sigma) - gaussian(there, sigma)
        # the contour lies on the subject's side of its own edge, where the difference is below 0
        dark = np.maximum(dark * np.float32(inner > 0), np.float32(1.25) * np.abs(edge) * (edge < 0))
    if float(values["flow"]) > 0:
        dark = along_flow(dark, narrow, 8 * float(values["flow"]) * max(sigma, 0.7), 2 * sigma)
    least = 0.002 + 0.045 * (1 - inner) ** 2
    steep = 1 / (least * (0.15 + 1.6 * float(values["soft"])))
    cover = np.clip((dark - np.float32(least)) * np.float32(steep) + np.float32(0.5), 0, 1)
    if float(values["clean"]) > 0:
        cover *= long_enough(cover > 0.1, dark > 1.5 * least, float(values["clean"]) * scale, 2 * sigma)
    return np.asarray(cover, np.float32)


@declare(
    "treatment", "ink", "Ink lines", InkParams, hint="dark contours, as drawn by a pen", group="Line and print",
    needs=_looks_at, rests=lambda values: float(values["strength"]) == 0,
)  # fmt: skip
def ink_lines(picture: F32, values: dict[str, Any], context: Context, pictures: Pictures) -> F32:
    """The picture with its contours in ink, (H, W, 4) float32 premultiplied linear RGBA, on it, on paper or alone."""
    seen = brightness(picture)
    others = [brightness(np.asarray(one, np.float32)) for one in all_of(pictures) if one is not None]
    if others:
        seen = steadied(seen, others, float(values["steady"]))
    cover = contours(seen, np.ascontiguousarray(picture[..., 3]), values, context.scale)
    out = np.empty_like(picture)
    in_rows(
        _inked, len(picture), picture, cover, ON.index(str(values["on"])), np.float32(float(values["strength"]) / 100),
        srgb_to_linear(np.asarray(values["ink"])), srgb_to_linear(np.asarray(values["paper"])), out,
    )  # fmt: skip
    return out
