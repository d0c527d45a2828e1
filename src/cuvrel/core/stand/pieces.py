"""A reel's pictures: its pieces where they lie, each moving as it says, joined to the next."""

from __future__ import annotations

from bisect import bisect_right
from collections.abc import Callable, Mapping
from fractions import Fraction
from functools import cached_property
from typing import Any, Protocol, cast

import numpy as np

from cuvrel.core.arrays import F32, F64
from cuvrel.core.camera.path import CameraPath
from cuvrel.core.imaging.blend import blend, mix
from cuvrel.core.imaging.colour import encode
from cuvrel.core.motion.between import in_between, mixed, motion
from cuvrel.core.recipe.errors import MediaError
from cuvrel.core.recipe.models import Shot
from cuvrel.core.recipe.reel import Laid, Reel
from cuvrel.core.recipe.values import START
from cuvrel.core.reel import joins, moves
from cuvrel.core.stand import placement
from cuvrel.core.stand.nodes import Node, node
from cuvrel.core.tracks.path import Path

CALM = 12  # frames to either side over which the way of what a move follows is smoothed


class Inner(Protocol):
    """A shot that lies in another one, at some size: its stand."""

    shot: Shot
    frames: int
    size: tuple[int, int]
    motions: Mapping[str, Path | CameraPath]

    def result(self, frame: int) -> Node: ...

    def matte(self, matte_id: str, frame: int) -> Node: ...

    def framed(self, cover: Node) -> Node: ...


InnerAt = Callable[[str, float], Inner]
"""The stand of a shot by its entry's id, and its scale. Raises MediaError where it is not there."""
ShotOf = Callable[[str], Shot]
"""The shot by its entry's id. Raises MediaError."""


class Pieces:
    """The pieces of a reel at one size. size: rows and columns of the frame; scale: its pixels over the reel's."""

    def __init__(self, reel: Reel, shot_of: ShotOf, inner: InnerAt, size: tuple[int, int], scale: float) -> None:
        self._shot_of, self._inner, self._size, self._scale = shot_of, inner, size, scale
        self._laid = reel.laid()
        self._begins = [one.begin for one in self._laid]
        self._wide, self._high = reel.size

    def at(self, frame: int) -> tuple[int, int | None]:
        """Which piece is there on a frame, by its number, and which one before it, where they are joined there."""
        n = max(0, bisect_right(self._begins, frame) - 1)
        here = self._laid[n]
        return n, n - 1 if frame - here.begin < here.shared else None

    def light(self, frame: int) -> Node:
        """The picture, (H, W, 4) float32 premultiplied linear RGBA; nothing beyond the last piece."""
        if not self._laid:
            return self._nothing()
        n, before = self.at(frame)
        here = self._laid[n]
        if frame >= here.end:
            return self._nothing()
        if before is None:
            return self._moved(n, frame)
        return self._joined(before, n, frame)

    def _nothing(self) -> Node:
        size = self._size
        return node("nothing", size, [], lambda: np.zeros((*size, 4), np.float32))

    # a piece's own picture

    @cached_property
    def _values(self) -> list[dict[str, dict[str, Any]]]:
        return [
            {family: one.piece.values(family).at(START) for family in ("fitting", "move", "join")} for one in self._laid
        ]

    def _open(self, n: int) -> tuple[Inner, float] | None:
        """The stand of a piece's shot, as large as it is looked at, and how much larger its pixels are in the reel's.

        None where the shot is not there.
        """
        entry, fitting = self._laid[n].piece.shot, self._values[n]["fitting"]
        try:
            shot = self._shot_of(entry)
            across, down = self._wide / shot.size[0], self._high / shot.size[1]
            fit = {"fill": max(across, down), "fit": min(across, down)}.get(str(fitting["fit"]), 1.0)
            # never larger than it is; placing it enlarges better than reading it does
            return self._inner(entry, min(1.0, fit * self._scale)), fit
        except MediaError:
            return None

    def _moment(self, n: int, frame: int) -> Fraction:
        """Where in its shot a piece is on a frame of the reel, between its first and its last frame."""
        one = self._laid[n]
        at = one.piece.first + (frame - one.begin) * one.pace
        return min(Fraction(one.piece.last), max(Fraction(one.piece.first), at))

    def _source(self, n: int, frame: int, inner: Inner) -> Node:
        """The shot's picture, at its own size."""
        at, between = self._moment(n, frame), self._values[n]["fitting"]["between"]
        last = inner.frames - 1
        whole = at.numerator // at.denominator
        share = float(at - whole)
        if between == "nearest" or not share:
            return inner.result(min(last, whole + (share >= 0.5)))
        here, there = (inner.result(min(last, one)) for one in (whole, whole + 1))
        if here.key == there.key:
            return here
        if between == "mix":
            return node("mixed", share, [here, there], lambda a, b: mixed(a, b, share))
        seen = [node("seen", None, [one], encode) for one in (here, there)]
        moved = node("motion", None, seen, motion)
        return node("between", share, [here, there, moved], lambda a, b, m: in_between(a, b, m, share))

    def _target(self, n: int, frame: float, inner: Inner, fit: float) -> moves.Xy:
        """What a move goes towards, in the reel's pixels about the frame's middle. frame: of the shot, from the piece's
        first one on.
        """
        values = self._values[n]["move"]
        x, y = 0.0, 0.0
        if values["towards"] == "a place":
            x, y = values["place"]
        elif values["towards"] == "a track" and isinstance(inner.motions.get(values["track"]), Path):
            path, plate = cast(Path, inner.motions[values["track"]]), inner.shot.plate_footage()
            middle = self._calm(path, self._laid[n].piece.first + frame)
            x, y = middle[0] - plate.width / 2, middle[1] - plate.height / 2
        return x * fit, y * fit

    @staticmethod
    def _calm(path: Path, at: float) -> F64:
        """The middle of a track at a moment of its shot, smoothed over time by a triangle."""
        low = int(np.floor(at))
        frames = np.arange(low - CALM, low + CALM + 2)
        places = np.array([path.place(int(n))[:2, 2] / path.place(int(n))[2, 2] for n in frames])
        weights = np.maximum(0.0, 1 - np.abs(frames - at) / (CALM + 1))
        return np.asarray((places * weights[:, None]).sum(axis=0) / weights.sum(), np.float64)

    def _maps(self, n: int, frame: int, inner: Inner, fit: float) -> list[F64]:
        """Where a piece lies on a frame: one map, or those over its shutter."""
        values, one = self._values[n]["move"], self._laid[n]
        if values["kind"] == "none":
            return [np.eye(3)]
        last, pace = max(1, one.count - 1), float(one.pace)

        def at(k: float) -> F64:
            t = min(max(k / last, 0.0), 1.0)
            return moves.placed_at(values, t, self._wide, self._target(n, t * last * pace, inner, fit))

        shutter, most = float(values["shutter"]), round(float(values["samples"]))
        return moves.enough(at, frame - one.begin, shutter, most, (self._wide, self._high), self._scale)

    def _moved(self, n: int, frame: int) -> Node:
        opened = self._open(n)
        if opened is None:
            return self._nothing()
        inner, fit = opened
        return self._placed(n, frame, self._source(n, frame, inner), inner, fit)

    def _placed(self, n: int, frame: int, picture: Node, inner: Inner, fit: float) -> Node:
        maps, (wide, high) = self._maps(n, frame, inner, fit), inner.shot.size
        own = high * fit, wide * fit
        neutral = len(maps) == 1 and np.array_equal(maps[0], np.eye(3))
        if neutral and own == (self._high, self._wide) and inner.size == self._size:
            return picture
        # beyond a picture that does not fill the frame there is nothing, whether it moves or not
        values = self._values[n]
        border = str(values["move"]["border"]) if values["fitting"]["fit"] == "fill" and not neutral else "none"
        return self._laid_in(picture, maps, own, border)

    def _laid_in(self, picture: Node, maps: list[F64], own: tuple[float, float], border: str) -> Node:
        size, scale = self._size, self._scale
        return node("piece", [[one.tolist() for one in maps], own, size, scale, border], [picture],
                    lambda image: placement.placed(image, maps, size, _fit(own, image), scale, border))  # fmt: skip

    # joins

    def _joined(self, before: int, n: int, frame: int) -> Node:
        one, values = self._laid[n], self._values[n]["join"]
        share = moves.come(values, (frame - one.begin + 1) / (one.shared + 1))
        kind = str(values["kind"])
        old, new = self._moved(before, frame), self._moved(n, frame)
        if kind == "colour":
            colour = tuple(values["colour"])
            return node("join:colour", [colour, share], [old, new],
                        lambda a, b: joins.through_colour(a, b, colour, min(max(share, 0.0), 1.0)))  # fmt: skip
        if kind in ("push", "cover", "uncover"):
            return self._slid(kind, values, old, new, one, frame)
        inside = min(max(share, 0.0), 1.0)
        matte = self._matte(n if values["of"] == "this shot" else before, frame, values) if kind == "matte" else None
        if matte is None:
            return node("join:mix", inside, [old, new], lambda a, b: mix(a, b, inside))
        soft, inward = float(values["soft"]) * self._scale, bool(values["inward"])
        return node("join:matte", [inside, soft, inward], [old, new, matte],
                    lambda a, b, m: joins.through_matte(a, b, m, inside, soft, inward))  # fmt: skip

    def _matte(self, n: int, frame: int, values: dict[str, Any]) -> Node | None:
        """A matte of a piece's shot where it lies in the frame, (H, W) float32; None where there is no such matte."""
        opened = self._open(n)
        if opened is None or not values["matte"]:
            return None
        inner, fit = opened
        at = self._moment(n, frame)
        try:
            cover = inner.framed(inner.matte(str(values["matte"]), min(inner.frames - 1, round(at))))
        except KeyError:
            return None
        four = node("as-picture", None, [cover], lambda m: np.repeat(m[..., None], 4, axis=2), keep=False)
        laid = self._placed(n, frame, four, inner, fit)
        return node("of-picture", None, [laid], lambda p: np.ascontiguousarray(p[..., 3]), keep=False)

    def _slid(self, kind: str, values: dict[str, Any], old: Node, new: Node, one: Laid, frame: int) -> Node:
        x, y = joins.way(float(values["direction"]), (self._wide, self._high))
        size = float(self._wide), float(self._high)

        def at(k: float) -> F64:
            share = moves.come(values, k / (one.shared + 1))
            return joins.shift(x * share, y * share)

        shutter, most = float(values["shutter"]), round(float(values["samples"]))
        leaves = moves.enough(at, frame - one.begin + 1, shutter, most, size, self._scale)
        comes = [joins.shift(-x, -y) @ one for one in leaves]
        own = float(self._high), float(self._wide)
        # a push across leaves corners that neither picture is in: the new one's border is seen there
        below, above = (self._laid_in(new, comes, own, "clamp" if kind == "push" else "none"),
                        self._laid_in(old, leaves, own, "none"))  # fmt: skip
        if kind == "cover":
            below, above = old, self._laid_in(new, comes, own, "none")
        elif kind == "uncover":
            below = new
        return node("join:over", None, [below, above], lambda b, a: blend(b, a, "normal"))


def _fit(own: tuple[float, float], image: F32) -> tuple[float, float]:
    """How many of the reel's pixels one of a picture's is wide and high."""
    return own[1] / image.shape[1], own[0] / image.shape[0]
