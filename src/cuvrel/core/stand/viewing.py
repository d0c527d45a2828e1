"""How light is looked at: as sRGB encodes it, through a view of the colour configuration, or through a table.

A view changes what a screen is shown, and what is written where a format is for one. The planes know nothing of it.
"""

from __future__ import annotations

from typing import Protocol

import numpy as np

from cuvrel.core.arrays import F32, U8
from cuvrel.core.imaging.colour import encode, encode_deep, encode_rgba, linear_to_srgb, rounded
from cuvrel.core.media.cube import through
from cuvrel.core.media.managed import checked_view, default_view, fingerprint, for_screen, from_light, viewed
from cuvrel.core.recipe.errors import MediaError
from cuvrel.core.recipe.models import Shot, Viewing
from cuvrel.core.recipe.reel import Reel
from cuvrel.core.stand.nodes import Node, node
from cuvrel.core.stand.sources import Sources


class Looked(Protocol):
    """What is looked at: the stand."""

    shot: Shot
    sources: Sources

    def inner(self, footage_id: str, scale: float) -> Looked: ...


def viewing_of(stand: Looked) -> Viewing:
    """How a shot is looked at: as it says, else a scene's light by the default view, and all else as sRGB encodes it.

    Raises MediaError for a view that this machine's configuration does not have.
    """
    said = stand.shot.viewing
    if said is not None:
        if said.kind == "view":
            checked_view(said.display, said.view)
        return said
    if isinstance(stand.shot, Reel):
        return _first_piece(stand, stand.shot)
    if stand.sources.of_scene(stand.shot.plate):
        display, view = default_view()
        return Viewing(kind="view", display=display, view=view)
    return Viewing()


def _first_piece(stand: Looked, reel: Reel) -> Viewing:
    """A reel is looked at as the first of its pieces is; a table of that shot's is not the reel's."""
    for piece in reel.pieces:
        try:
            how = viewing_of(stand.inner(piece.shot, 1.0))
        except MediaError:
            continue
        return how if how.kind != "table" else Viewing()
    return Viewing()


def on_screen(stand: Looked, picture: Node, name: str) -> Node:
    """The node of premultiplied light, (H, W, 4), over black, as a screen shows it, (H, W, 3) uint8.

    name: the node's.
    """
    how = viewing_of(stand)
    if how.kind == "view":
        display, view = how.display, how.view
        return node(name, [fingerprint(), display, view], [picture], lambda p: for_screen(p, display, view))
    if how.kind == "table" and how.table:
        return node(name, "table", [picture, stand.sources.table(how.table)], lambda p, t: rounded(_by_table(p, t)))
    return node(name, None, [picture], encode)


def alone_on_screen(stand: Looked, picture: Node) -> Node:
    """The same for a picture with its alpha: (H, W, 4) uint8, straight."""
    how = viewing_of(stand)
    if how.kind == "plain":
        return node("view-plane", None, [picture], encode_rgba)
    tables = [stand.sources.table(how.table)] if how.kind == "table" and how.table else []
    display, view = how.display, how.view

    def run(p: F32, table: F32 | None = None) -> U8:
        colour = _straight(p)
        seen = for_screen(colour, display, view) if table is None else rounded(_by_table(colour, table))
        return np.dstack([seen, rounded(p[..., 3])])

    key = [fingerprint(), display, view, how.kind]
    return node("view-plane", key, [picture, *tables], run)


def written_in(stand: Looked, picture: Node, colour: str, alpha: str, linear: bool) -> Node | None:
    """The node of premultiplied light (H, W, 4) as an export writes it, float32; None where nothing is done to it.

    colour: an export's (export/order.py). alpha: `none` gives (H, W, 3) over black; `straight` or `premultiplied`
    (H, W, 4). linear: the format holds light, which is written as it is where nothing is said.
    """
    way, _, rest = colour.partition(":")
    how = viewing_of(stand)
    if way == "view":
        display, _, view = rest.partition("|")
        how = Viewing(kind="view", display=display, view=view)
    elif way == "plain" or (linear and way != "space"):
        return None
    if way == "space":
        key, tables = ["space", rest], []
    elif how.kind == "plain":
        return None
    else:
        key = [how.kind, how.display, how.view]
        tables = [stand.sources.table(how.table)] if how.kind == "table" and how.table else []

    def run(p: F32, table: F32 | None = None) -> F32:
        light = _straight(p) if alpha != "none" else np.ascontiguousarray(p[..., :3])
        if way == "space":
            out = from_light(light, rest)
        else:
            out = viewed(light, how.display, how.view) if table is None else _by_table(light, table)
        if not linear:
            out = np.clip(out, 0, 1)
        if alpha == "none":
            return out
        cover = np.clip(p[..., 3:4], 0, 1)
        # a curve need not keep black, and nothing has no colour
        return np.concatenate([out * (cover if alpha == "premultiplied" else cover > 0), cover], axis=2)

    return node("out-colour", [fingerprint(), *key, alpha, linear], [picture, *tables], run, keep=False)


def _straight(rgba: F32) -> F32:
    """(H, W, 3) light that is not multiplied by alpha; none where nothing is."""
    cover = rgba[..., 3:4]
    return np.where(cover > 1e-6, rgba[..., :3] / np.maximum(cover, np.float32(1e-6)), 0).astype(np.float32)


def _by_table(light: F32, table: F32) -> F32:
    """(H, W, 3 or 4) light through a table that takes and gives what a screen is shown, (H, W, 3) float32."""
    coded = linear_to_srgb(light[..., :3]) if light.shape[2] == 3 else encode_deep(light)
    return through(np.ascontiguousarray(coded, np.float32), table)
