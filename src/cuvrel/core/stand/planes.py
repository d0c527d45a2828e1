"""The kinds of planes and their own parameters."""

from __future__ import annotations

from typing import Any, Literal

import numpy as np

from cuvrel.core.arrays import F32
from cuvrel.core.imaging.colour import srgb_to_linear
from cuvrel.core.imaging.distance import signed_distance
from cuvrel.core.imaging.gradient import flowing
from cuvrel.core.imaging.row_kernels import in_rows, kernel
from cuvrel.core.recipe.declared import Params, choice, colour, declare, number, reference
from cuvrel.core.recipe.values import Colour, Scalar


class ElementParams(Params):
    """Other footage, as large as the frame."""

    footage: str | None = reference("Footage", "footage", hint="what the plane shows")
    fit: Literal["cover", "contain", "stretch", "pixels"] = choice(
        "cover", "Fits by", ["cover", "contain", "stretch", "pixels"],
        hint="covering the frame, lying whole in it, stretched to it, or pixel by pixel",
    )  # fmt: skip
    see_through: Literal["nothing", "black", "white", "its alpha"] = choice(
        "nothing", "Drop", ["nothing", "black", "white", "its alpha"],
        hint="what is see-through: nothing, black (shot on black), white (shot on white), or what its alpha says",
    )  # fmt: skip


class TakeParams(Params):
    """Another take of the plate's set-up, lined up with it."""

    footage: str | None = reference("Footage", "footage", hint="the other take of this set-up")


class FillParams(Params):
    """One flat colour; more of them flow into one another."""

    colours: float = number(1.0, "Colours", 1, 4, step=1, animatable=False)
    colour1: Colour = colour((0.16, 0.2, 0.26), "Colour 1")
    x1: Scalar = number(10.0, "Across 1", -100, 200, step=1, unit="%")
    y1: Scalar = number(10.0, "Down 1", -100, 200, step=1, unit="%")
    colour2: Colour = colour((0.85, 0.62, 0.38), "Colour 2")
    x2: Scalar = number(90.0, "Across 2", -100, 200, step=1, unit="%")
    y2: Scalar = number(90.0, "Down 2", -100, 200, step=1, unit="%")
    colour3: Colour = colour((0.5, 0.25, 0.2), "Colour 3")
    x3: Scalar = number(90.0, "Across 3", -100, 200, step=1, unit="%")
    y3: Scalar = number(10.0, "Down 3", -100, 200, step=1, unit="%")
    colour4: Colour = colour((0.1, 0.3, 0.32), "Colour 4")
    x4: Scalar = number(10.0, "Across 4", -100, 200, step=1, unit="%")
    y4: Scalar = number(90.0, "Down 4", -100, 200, step=1, unit="%")
    soft: Scalar = number(1.0, "Softness", 0.02, 1, hint="how far the colours reach into one another")
    footage: str | None = reference("Footage", "footage", hint="fills with footage in place of colours")


class NoParams(Params):
    """A kind without parameters of its own."""


class LineParams(Params):
    """A line that is seen at once."""

    width: Scalar = number(
        3.0, "Line width", 0, 100, step=0.5, unit="px", neutral=0, hint="0 leaves the line to treatments"
    )
    colour: Colour = colour((1.0, 0.98, 0.92), "Line colour")


@declare("plane", "line", "Line", LineParams, hint="a line along a matte's edge", needs_matte=True,
         begins={"name": "Outline", "blend": "add", "params": {"width": 0},
                 "treatments": [{"kind": "glow"}]})  # fmt: skip
def line(matte: F32, values: dict[str, Any], scale: float) -> F32:
    """A line centred on the matte's outline, (H, W, 4) float32 premultiplied linear RGBA."""
    half = float(values["width"]) * scale / 2
    out = np.zeros((*matte.shape, 4), np.float32)
    if half > 0:
        cover = np.clip(half + 0.5 - np.abs(signed_distance(matte, half + 1)), 0, min(1.0, 2 * half))
        out[..., :3] = cover[..., None] * srgb_to_linear(np.asarray(values["colour"]))
        out[..., 3] = cover
    return out


@declare("plane", "element", "Element", ElementParams, hint="other footage, laid into the shot")
def element(picture: F32, values: dict[str, Any], scale: float) -> F32:
    """The element's picture with what is dropped made see-through, (h, w, 4) float32 premultiplied linear RGBA.

    Light on black is kept to the last bit: over black it looks as it was shot, and only what is as dark as black
    lets all through. What was shot on white is freed of it in the same way: white let through by what is missing.
    Where the picture lets something through already, it goes on letting as much of it through.
    """
    out = np.empty_like(picture)
    how = {"black": 1, "white": 2}.get(str(values["see_through"]), 0)
    if how == 0:
        return picture
    in_rows(_dropped, len(picture), picture, how, out)
    return out


@declare("plane", "take", "Take", TakeParams, hint="another take of the set-up, from this frame on, lined up")
def take(picture: F32, values: dict[str, Any], scale: float) -> F32:
    """The take as it is; the stand lays it where its line-up says."""
    return picture


@kernel
def _dropped(y0: int, y1: int, picture: F32, how: int, out: F32) -> None:
    zero = np.float32(0.0)
    for y in range(y0, y1):
        for x in range(picture.shape[1]):
            r, g, b, one = picture[y, x, 0], picture[y, x, 1], picture[y, x, 2], picture[y, x, 3]
            if how == 1:
                alpha = min(max(r, max(g, b)), one)
            else:
                # C = a F + (1 - a) white, with the least a that leaves no colour below 0
                alpha = min(max(one - min(r, min(g, b)), zero), one)
                r, g, b = max(r - one + alpha, zero), max(g - one + alpha, zero), max(b - one + alpha, zero)
            out[y, x, 0], out[y, x, 1], out[y, x, 2], out[y, x, 3] = r, g, b, alpha


@declare("plane", "fill", "Fill", FillParams, hint="a colour, or two to four that flow into one another")
def fill(size: tuple[int, int], values: dict[str, Any], scale: float) -> F32:
    """A fill of the whole frame, (H, W, 4) float32 premultiplied linear RGBA.

    More than one colour flow into one another as `flowing` says.
    """
    count = round(float(values["colours"]))
    colours = np.stack([srgb_to_linear(np.asarray(values[f"colour{n}"], np.float32)) for n in range(1, count + 1)])
    if count == 1:
        out = np.ones((*size, 4), np.float32)
        out[..., :3] = colours[0]
        return out
    shares = np.array([(float(values[f"x{n}"]), float(values[f"y{n}"])) for n in range(1, count + 1)]) / 100
    return flowing(size, shares * (size[1], size[0]), colours, float(values["soft"]))


@declare("plane", "group", "Group", NoParams, hint="planes held together: treated, placed and shown as one")
def group(picture: F32, values: dict[str, Any], scale: float) -> F32:
    """The group's planes over nothing, as they are."""
    return picture


@declare("plane", "plate", "Plate", NoParams, hint="the footage that the shot works on")
def plate(picture: F32, values: dict[str, Any], scale: float) -> F32:
    """The plate as it is."""
    return picture


@declare("plane", "cutout", "Cut-out", NoParams, hint="the plate seen through a matte", needs_matte=True)
def cutout(picture: F32, values: dict[str, Any], scale: float) -> F32:
    """The plate as it is; the stand sees it through the matte."""
    return picture


@declare(
    "plane", "glaze", "Glaze", NoParams, hint="treats all that lies behind it", begins={"gate": {"part": "inside"}}
)
def glaze(picture: F32, values: dict[str, Any], scale: float) -> F32:
    """What lies behind, as it is; the glaze's treatments do the work."""
    return picture
