"""Cover: hides what lies under the plane's gate, so that it can't be made out any more."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from typing import Any, Literal

import cv2
import numpy as np
from numpy.typing import NDArray

from cuvrel.core.arrays import F32
from cuvrel.core.imaging.colour import srgb_to_linear
from cuvrel.core.imaging.region import bounds
from cuvrel.core.recipe.context import Context
from cuvrel.core.recipe.declared import Params, Values, choice, colour, declare, number
from cuvrel.core.recipe.values import Colour, Scalar

ANY = 0.02  # coverage from which on a pixel is covered wholly
LEAST = 3.0  # pixels of a cell, however small the thing is: a cell of one pixel would be that pixel
WEAK = 8.0  # cells across a face from which on it can be told again (Harmon and Julesz, Science 1973: 16 do)


class CoverParams(Params):
    """The defaults leave nothing of a face."""

    amount: Scalar = number(
        100.0, "Amount", 0, 100, step=1, unit="%", neutral=0, hint="less than all of it lets through what is covered"
    )
    how: Literal["blur", "mosaic", "solid"] = choice("mosaic", "By", ["blur", "mosaic", "solid"])
    cells: Scalar = number(
        5.0, "Cells across it", 1, 60, step=1, slide=(1, 16), warn=(WEAK, "So weak that a face can still be told."),
        hint="how many of them the covered thing is wide: what is finer is gone, by blur and mosaic alike",
    )  # fmt: skip
    moving: Literal["ride with it", "change places at random"] = choice(
        "ride with it", "Cells", ["ride with it", "change places at random"],
        hint="cells that stood still while the face moves under them could be put together again from many frames",
    )  # fmt: skip
    grow: Scalar = number(0.0, "Grow", 0, 400, step=1, unit="px", slide=(0, 60), hint="covers so much more all round")
    soft: Scalar = number(
        6.0, "Soft edge", 0, 400, step=1, unit="px", slide=(0, 60), hint="outside of what is covered, never inside"
    )
    colour: Colour = colour((0.12, 0.13, 0.15), "Colour", hint="of a solid cover")


def spread(matte: F32, values: Values, scale: float) -> F32:
    """What is covered, (H, W) float32: all that a matte touches at all, a little more, and a soft edge about that."""
    touched = matte > ANY
    grow, soft = float(values["grow"]) * scale, float(values["soft"]) * scale
    box = bounds(touched, int(np.ceil(grow + soft)) + 2)
    out = np.zeros_like(matte)
    if box is None:
        return out
    part = touched[box]
    if grow + soft < 0.5:
        out[box] = part
        return out
    far = cv2.distanceTransform((~part).astype(np.uint8), cv2.DIST_L2, 5)
    t = np.clip((far - grow) / max(soft, 0.5), 0, 1)
    out[box] = 1 - t * t * (3 - 2 * t)
    return out


@dataclass(frozen=True)
class _Thing:
    """A piece that is covered: its box in the picture, which pixels of that are its own, its middle there, and how long
    it is, in pixels.
    """

    box: tuple[slice, slice]
    own: NDArray[np.bool_]
    middle: tuple[float, float]
    size: float


def _things(matte: F32, reach: float) -> Iterator[_Thing]:
    """The pieces of a matte whose covers hang together, each with all that its soft edge reaches.

    Each pixel that is covered belongs to one of them. What lies so near to another piece that their covers meet is one
    with it: a speck beside a face is no face of its own, whose cells would be as small as the speck.
    """
    touched = matte > ANY
    around = bounds(touched, int(np.ceil(reach)) + 3)
    if around is None:
        return
    top, left = around[0].start, around[1].start
    matte, touched = matte[around], touched[around]
    far = cv2.distanceTransform((~touched).astype(np.uint8), cv2.DIST_L2, 5)
    count, labels, stats, _ = cv2.connectedComponentsWithStats((far <= reach + 1.5).astype(np.uint8))
    for n in range(1, count):
        x, y, w, h = (int(v) for v in stats[n][:4])
        part = slice(y, y + h), slice(x, x + w)
        own = labels[part] == n
        cover = np.where(own & touched[part], matte[part], 0)
        about = cv2.moments(cover)
        mass = max(about["m00"], 1e-6)
        spread_ = np.array([[about["mu20"], about["mu11"]], [about["mu11"], about["mu02"]]]) / mass
        # of an ellipse its longer axis is four times the deviation along it
        size = max(4 * float(np.sqrt(max(np.linalg.eigvalsh(spread_)[-1], 0))), 2.0)
        box = slice(top + y, top + y + h), slice(left + x, left + x + w)
        yield _Thing(box, own, (about["m10"] / mass, about["m01"] / mass), size)


def _cells(length: int, middle: float, cell: float) -> tuple[NDArray[np.intp], float]:
    """The cell of each pixel of a line, counted from 0, and where the first of them begins. One begins at the middle.

    An end of fewer pixels than half a cell has belongs to the cell beside it: a cell of one pixel would hide nothing.
    """
    origin = middle - np.ceil(middle / cell) * cell
    at = np.floor((np.arange(length) - origin) / cell).astype(np.intp)
    if at[0] < at[-1] and np.count_nonzero(at == at[0]) < cell / 2:
        at = np.maximum(at, at[0] + 1)
    if at[0] < at[-1] and np.count_nonzero(at == at[-1]) < cell / 2:
        at = np.minimum(at, at[-1] - 1)
    return at - at[0], float(origin + at[0] * cell)


def _meant(picture: F32, thing: _Thing, cell: float) -> tuple[F32, NDArray[np.intp], tuple[float, float]]:
    """Of a grid that hangs on a thing's middle each cell's mean, (rows, columns, 4); each pixel's cell; its origin."""
    high, wide = picture.shape[:2]
    columns, left = _cells(wide, thing.middle[0], cell)
    rows, up = _cells(high, thing.middle[1], cell)
    size = int(rows[-1]) + 1, int(columns[-1]) + 1
    index = rows[:, None] * size[1] + columns[None, :]
    flat = index.ravel()
    counts = np.maximum(np.bincount(flat, minlength=size[0] * size[1]), 1)
    sums = [np.bincount(flat, picture[..., k].ravel(), size[0] * size[1]) for k in range(4)]
    means = (np.stack(sums, axis=1) / counts[:, None]).astype(np.float32)
    return means.reshape(*size, 4), index, (left, up)


@declare(
    "treatment", "cover", "Cover", CoverParams, group="Cover", needs_matte=True, gates=spread,
    hint="hides what lies under the gate: by blur, mosaic or a solid colour",
    clock=lambda values: values["moving"] == "change places at random" and values["how"] == "mosaic",
    rests=lambda values: float(values["amount"]) == 0,
    starters=[
        ("mosaic", {"how": "mosaic", "cells": 5.0}),
        ("blur", {"how": "blur", "cells": 3.0, "soft": 14.0}),
        ("solid", {"how": "solid", "soft": 2.0}),
    ],
)  # fmt: skip
def cover(picture: F32, values: dict[str, Any], context: Context) -> F32:
    """The picture covered wherever its gate may reach, (H, W, 4) float32 premultiplied linear RGBA.

    Each piece of the gate whose cover hangs together is a thing of its own, whose size says how large a cell is. By
    mosaic a cell has its mean, and the grid hangs on the thing's middle; at random, cells change places on each frame.
    By blur the same means are flowed into one another, so that nothing finer is left that could be sharpened again.
    """
    assert context.matte is not None
    out = picture.copy()
    reach = (float(values["grow"]) + float(values["soft"])) * context.scale
    solid = srgb_to_linear(np.asarray(values["colour"], np.float32))
    for number_, thing in enumerate(_things(context.matte, reach)):
        part = picture[thing.box]
        if values["how"] == "solid":
            out[thing.box][thing.own, :3] = solid * part[thing.own, 3:]
            continue
        cell = max(thing.size / float(values["cells"]), LEAST)
        means, index, origin = _meant(part, thing, cell if values["how"] == "mosaic" else cell * 0.75)
        if values["how"] == "mosaic":
            flat = means.reshape(-1, 4)
            if values["moving"] != "ride with it":
                flat = np.random.default_rng((context.frame, number_)).permutation(flat)
            out[thing.box][thing.own] = flat[index][thing.own]
            continue
        step = cell * 0.75
        across = np.tile((np.arange(part.shape[1], dtype=np.float32) - origin[0]) / step - 0.5, (part.shape[0], 1))
        down = np.tile(((np.arange(part.shape[0], dtype=np.float32) - origin[1]) / step - 0.5)[:, None],
                       (1, part.shape[1]))  # fmt: skip
        flowing = cv2.remap(means, across.astype(np.float32), down.astype(np.float32), cv2.INTER_LINEAR,
                            borderMode=cv2.BORDER_REPLICATE)  # fmt: skip
        out[thing.box][thing.own] = cv2.GaussianBlur(flowing, (0, 0), max(step * 0.6, 0.5))[thing.own]
    amount = np.float32(float(values["amount"]) / 100)
    return out if amount >= 1 else picture + (out - picture) * amount
