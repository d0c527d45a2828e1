"""From a recipe to nodes: mattes at one frame, from their pulls to their edge step."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from typing import Protocol

import cv2
import numpy as np

from cuvrel.core.arrays import F32
from cuvrel.core.imaging.colour import decode
from cuvrel.core.pulls.join import join_pull
from cuvrel.core.recipe.declared import Declared, Params, Values, declared
from cuvrel.core.recipe.models import Matte, Plane, Pull, Shot
from cuvrel.core.recipe.needs import Need
from cuvrel.core.recipe.shapes import Shape, ShapeRide
from cuvrel.core.recipe.values import Env, Riding
from cuvrel.core.stand.nodes import Node, node
from cuvrel.core.stand.steps import AtFrame, Step
from cuvrel.core.tracks.path import Measured, Path


class Sources(Protocol):
    """Where pictures come from: footage and stored frames, at any size."""

    def picture(self, footage_id: str, frame: int, size: tuple[int, int]) -> Node:
        """A node of (H, W, 3) uint8 sRGB at `size` (H, W)."""

    def deep(self, footage_id: str, frame: int, size: tuple[int, int]) -> Node | None:
        """A node of (H, W, 4) opaque float32 linear light at `size`, as deep as the footage came.

        None where `picture` holds all that there is.
        """

    def alpha(self, footage_id: str, frame: int, size: tuple[int, int]) -> Node:
        """A node of (H, W) float32, 0 to 1, at `size`; all 1 where the footage has no alpha."""

    def stored(self, owner: str, frame: int, size: tuple[int, int]) -> Node | None:
        """A node of (H, W) float32, 0 to 1, at `size`; None where there is no such frame (yet).

        owner: what the frame belongs to: the id of a pull, or the key of a settled matte.
        """

    def measured(self, track: str) -> Mapping[int, Measured]:
        """What is stored of a track, by frame."""


class Plain:
    """Sources without stored tracks, whose footage is of eight bits."""

    def deep(self, footage_id: str, frame: int, size: tuple[int, int]) -> Node | None:
        """Nothing."""
        return None

    def measured(self, track: str) -> Mapping[int, Measured]:
        """Nothing."""
        return {}


class Mattes:
    """Builds the nodes of a shot's mattes at one size. scale: the pictures' size over the plate's.

    plate_size: rows and columns of the plate and of all mattes; size: those of the frame, which may be another one.
    """

    def __init__(
        self, shot: Shot, sources: Sources, scale: float = 1.0, edged: bool = True, pulls: int | None = None
    ) -> None:
        """edged: whether mattes have their edge step. pulls: how many of a matte's pulls count; None for all."""
        self.shot, self.sources, self.scale, self._edged, self._most = shot, sources, scale, edged, pulls
        plate = shot.plate_footage()
        self.frames, self.fps = plate.frames, shot.fps
        self.motions = {track.id: Path(track, sources.measured(track.id)) for track in shot.tracks}
        self.plate_size = _scaled(plate.height, scale), _scaled(plate.width, scale)
        wide, high = shot.size
        self.size = _scaled(high, scale), _scaled(wide, scale)
        self._mattes: dict[tuple[str, int], Node] = {}
        # regions are other mattes, with all their pulls and their edge step, however much of this one is looked at
        self._whole = self if edged and pulls is None else type(self)(shot, sources, scale)

    def env(self, time: float) -> Env:
        """Where values are read at a time, in frames."""
        return self.shot.env(time, self.motions)

    def alone(self, plane: Plane, frame: int) -> Node:
        """A plane's own picture, (H, W, 4) float32 premultiplied linear RGBA: a matte may be taken from it."""
        raise NotImplementedError

    def plate(self, frame: int) -> Node:
        """The plate's bytes, (H, W, 3) uint8 sRGB."""
        return self.sources.picture(self.shot.plate, frame, self.plate_size)

    def light(self, frame: int) -> Node:
        """The plate as (H, W, 4) float32 linear RGBA, as deep as it came."""
        return lit(self.sources, self.shot.plate, frame, self.plate_size)

    def matte(self, matte_id: str, frame: int) -> Node:
        """A matte, (H, W) float32, 0 to 1. Raises KeyError."""
        if (matte_id, frame) not in self._mattes:
            self._mattes[matte_id, frame] = self._matte(self.shot.matte(matte_id), frame)
        return self._mattes[matte_id, frame]

    def _matte(self, matte: Matte, frame: int) -> Node:
        """The pulls, then the edge step."""
        if not self._edged:
            return self._pulled(matte, frame)
        if matte.settled:
            stored = self.sources.stored(matte.settled, frame, self.plate_size)
            if stored is not None:
                return stored
        edge = self.step(declared("edge", "edge"), matte.edge_values(), lambda f: self._pulled(matte, f))
        found = edge.at(frame)
        assert found is not None
        return found

    def _pulled(self, matte: Matte, frame: int) -> Node:
        """All pulls joined, (H, W) float32."""
        inputs: list[Node] = []
        joins: list[tuple[str, float, bool]] = []
        for pull in matte.pulls[: self._most]:
            found = self._pull(pull, frame) if pull.on else None
            if found is None:
                continue
            if pull.region is not None:
                found = self._confined(found, pull.region, pull.invert, pull.beyond, frame)
            inputs.append(found)
            strength = float(pull.at(self.env(frame))["strength"])
            # what is confined is inverted within its region, not beyond it
            joins.append((pull.join, strength, pull.invert and not pull.region))
        size = self.plate_size

        def joined(*pulls: F32) -> F32:
            total = np.zeros(size, np.float32)
            for cover, (join, strength, invert) in zip(pulls, joins, strict=True):
                total = join_pull(total, (1 - cover if invert else cover) * strength, join)
            return total

        if len(inputs) == 1 and joins[0] == ("add", 1.0, False):
            return inputs[0]
        return node("pulls", [joins, size], inputs, joined, keep=len(inputs) != 1)

    def _confined(self, pulled: Node, region: str, invert: bool, beyond: bool, frame: int) -> Node:
        def run(cover: F32, within: F32) -> F32:
            return np.asarray((1 - cover if invert else cover) * (1 - within if beyond else within), np.float32)

        return node("confined", [invert, beyond], [pulled, self._whole.matte(region, frame)], run)

    def _pull(self, pull: Pull, frame: int) -> Node | None:
        """One pull's own coverage, (H, W) float32; None where it has no stored frame that it needs."""
        shapes = [_riding(shape, pull.ride) for shape in pull.shapes if shape.on]
        entry = declared("pull", pull.kind)
        found = self.step(entry, pull.values(), self.plate, owner=pull.id, shapes=shapes).at(frame)
        if found is None or pull.ride is None or entry.holds == "shapes":
            return found
        return self._carried(found, pull.ride, frame)

    def _carried(self, cover: Node, ride: Riding, frame: int) -> Node:
        """Coverage where it rides to."""
        (rows, columns), s = self.plate_size, self.scale
        # between pixel grids, whose points are the pixels' middles
        to = np.array([[s, 0, -0.5], [0, s, -0.5], [0, 0, 1.0]])
        way = to @ self.env(frame).moved(ride) @ np.linalg.inv(to)

        def run(picture: F32) -> F32:
            return np.asarray(cv2.warpPerspective(picture, way, (columns, rows), flags=cv2.INTER_LINEAR), np.float32)

        return node("ridden", way.round(9).tolist(), [cover], run)

    def step(
        self, entry: Declared, values: Params, given: AtFrame, matte: AtFrame = lambda frame: None, owner: str = "",
        shapes: Sequence[Shape] = (),
    ) -> Step:  # fmt: skip
        """Something declared, with what it works on and can look at. owner: whose stored frames are its own."""

        def read(time: float) -> Values:
            return values.at(self.env(time))

        def there(at: AtFrame) -> AtFrame:
            return lambda frame: at(frame) if 0 <= frame < self.frames else None

        frames = self.shot.frames
        return Step(entry, read, there(given), there(matte), self._finder(owner), self.env, self.scale,
                    self.plate_size, shapes, (frames.start, frames.stop - 1))  # fmt: skip

    def _finder(self, owner: str) -> Callable[[Need], Node | None]:
        def find(need: Need) -> Node | None:
            inside = 0 <= need.frame < self.frames
            if need.what == "stored":
                return self.sources.stored(owner, need.frame, self.plate_size)
            if need.what == "plate":
                return self.plate(need.frame) if inside else None
            if need.id is None:
                return None
            if need.what == "matte":
                return self._whole.matte(need.id, need.frame) if inside else None
            if need.what == "plane":
                return self.alone(self.shot.plane(need.id), held(need.frame, self.frames))
            return self.other(need)

        return find

    def other(self, need: Need) -> Node:
        """Other footage of the shot, or its alpha; its first and its last frame hold. Raises KeyError."""
        entry = self.shot.footage_by_id(need.id or "")
        own = _scaled(entry.height, self.scale), _scaled(entry.width, self.scale)
        take = self.sources.alpha if need.what == "alpha" else self.sources.picture
        return take(entry.id, held(need.frame, entry.frames), own if need.whole else self.plate_size)


def lit(sources: Sources, footage_id: str, frame: int, size: tuple[int, int]) -> Node:
    """A picture of footage as (H, W, 4) opaque float32 linear light, as deep as it came."""
    deep = sources.deep(footage_id, frame, size)
    return node("decode", None, [sources.picture(footage_id, frame, size)], decode) if deep is None else deep


def _riding(shape: Shape, ride: Riding | None) -> Shape:
    """A shape that rides with its pull, unless it rides by itself."""
    if ride is None or any(not one.only for one in shape.rides):
        return shape
    return shape.model_copy(update={"rides": [*shape.rides, ShapeRide(**ride.model_dump())]})


def _scaled(length: int, scale: float) -> int:
    return max(2, round(length * scale))


def held(frame: int, count: int) -> int:
    """The frame itself, or the nearest one that there is: the first and the last frame hold."""
    return max(0, min(count - 1, frame))
