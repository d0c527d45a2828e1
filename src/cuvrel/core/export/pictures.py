"""The pictures of an export, frame by frame, at the depth that its format wants."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import numpy as np
from numpy.typing import NDArray

from cuvrel.core.arrays import F32, U8
from cuvrel.core.export.formats import How
from cuvrel.core.export.order import Order, safe
from cuvrel.core.imaging.blend import through
from cuvrel.core.imaging.colour import encode, encode_deep, encode_rgba, with_light
from cuvrel.core.recipe.errors import RecipeError
from cuvrel.core.stand.build import Stand
from cuvrel.core.stand.nodes import Node, node
from cuvrel.core.stand.viewing import written_in

Layer = tuple[str, int]
"""A layer of a picture: its name and how many channels it has (4, or 1 of a matte)."""


def picture(stand: Stand, order: Order, frame: int) -> Node:
    """The node of one exported frame: (H, W) of a matte, else (H, W, 3) or (H, W, 4), of layers (H, W, channels).

    uint8 for a depth of 8; float32 for 16, display-encoded; float32 for half and float, linear and premultiplied.
    Raises RecipeError when what is wanted is not in the shot.
    """
    what, depth = order.settings.what, order.how.depth
    try:
        if what == "layers":
            return _layered(stand, order, frame)
        if what == "matte":
            cover = stand.matte(order.targets[0], frame)
            return node("out-matte", None, [cover], as_bytes, keep=False) if depth == "8" or _grey8(order) else cover
        if what == "plane":
            alone = node("lit", None, [stand.alone(stand.shot.plane(order.targets[0]), frame)], with_light, keep=False)
        elif what == "cutout":
            cover = stand.matte(order.targets[0], frame)
            alone = node("cut", None, [stand.light(frame), cover], through, keep=False)
        else:
            alone = stand.result(frame)
            if order.alpha != "none":
                alone = node("lit", None, [alone], with_light, keep=False)
    except KeyError as missing:
        raise RecipeError(f"What should be exported, {missing}, is not in the shot.") from missing
    return _coded(stand, alone, order)


def _grey8(order: Order) -> bool:
    return order.how.pixels_grey == "gray"


def _coded(stand: Stand, alone: Node, order: Order) -> Node:
    """A premultiplied linear picture as a format wants it."""
    depth, alpha = order.how.depth, order.alpha
    coded = written_in(stand, alone, order.settings.colour, alpha, depth in ("half", "float"))
    if coded is not None:
        return coded if depth != "8" else node("out-bytes", None, [coded], as_bytes, keep=False)
    if depth in ("half", "float"):
        return alone if alpha != "none" else node("out-linear", None, [alone], _opaque, keep=False)
    pre = alpha == "premultiplied"
    if depth == "16":
        return node("out-deep", alpha, [alone], lambda p: encode_deep(p, alpha), keep=False)
    if alpha == "none":
        return node("out", None, [alone], encode, keep=False)
    return node("out-rgba", pre, [alone], lambda p: encode_rgba(p, pre), keep=False)


def _opaque(rgba: F32) -> F32:
    """Light over black, without alpha."""
    return np.ascontiguousarray(rgba[..., :3])


def as_bytes(values: F32) -> U8:
    """A matte, or encoded colour, 0 to 1, as uint8."""
    return np.round(np.clip(values, 0, 1) * 255).astype(np.uint8)


def layers(stand: Stand, order: Order) -> list[Layer]:
    """The layers of an order for several planes: the result first, then what was asked for. Names are unique."""
    found: list[Layer] = [("", 4)]
    used: set[str] = set()
    for target in order.targets:
        kind, _, ident = target.partition(":")
        thing = stand.shot.plane(ident) if kind == "plane" else stand.shot.matte(ident)
        stem = safe(thing.name).replace("-", "_") or ident
        stem = f"matte_{stem}" if kind == "matte" else stem
        name, n = stem, 2
        while name in used:
            name, n = f"{stem}_{n}", n + 1
        used.add(name)
        found.append((name, 1 if kind == "matte" else 4))
    return found


def _layered(stand: Stand, order: Order, frame: int) -> Node:
    def coded(alone: Node) -> Node:
        return _coded(stand, node("lit", None, [alone], with_light, keep=False), order)

    parts = [coded(stand.result(frame))]
    for target in order.targets:
        kind, _, ident = target.partition(":")
        if kind == "plane":
            plane = stand.shot.plane(ident)
            parts.append(coded(stand.alone(plane, frame) if stand.shows(plane, frame) else stand.nothing()))
        else:
            cover = stand.framed(stand.matte(ident, frame))
            parts.append(node("out-matte", None, [cover], as_bytes, keep=False) if order.how.depth == "8" else cover)
    return node("out-layers", None, parts, lambda *arrays: np.dstack(arrays), keep=False)


def size_of(stand: Stand, order: Order) -> tuple[int, int]:
    """Rows and columns of what is written."""
    return stand.plate_size if order.settings.what in ("matte", "cutout") else stand.size


Shape = Callable[[NDArray[Any]], NDArray[Any]]


def shaped(how: How, order: Order) -> Shape:
    """What makes a matte fit a format without grey: it is written as grey RGB."""
    if order.settings.what != "matte" or how.pixels_grey or how.form in ("pictures", "still", "sheet"):
        return lambda picture: picture
    return lambda picture: np.repeat(picture[..., None], 3, axis=2)
