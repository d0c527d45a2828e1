"""From a recipe to nodes: mattes at one frame, from their pulls to their edge step."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import Protocol

import cv2
import numpy as np

from cuvrel.core.arrays import F32
from cuvrel.core.imaging.colour import encode
from cuvrel.core.imaging.sampling import about_middle, averaged_down
from cuvrel.core.pulls.join import join_pull
from cuvrel.core.recipe.declared import Declared, Params, Values, declared
from cuvrel.core.recipe.models import Matte, Pull
from cuvrel.core.recipe.needs import Need
from cuvrel.core.recipe.shapes import Shape, ShapeRide
from cuvrel.core.recipe.values import Riding
from cuvrel.core.stand.nodes import ByFrame, Node, node
from cuvrel.core.stand.setting import Setting, held
from cuvrel.core.stand.steps import AtFrame, Step


class Planes(Protocol):
    """The planes of a stand, as mattes look at them. Both raise KeyError."""

    def picture(self, plane_id: str, frame: int) -> Node:
        """A plane's own picture."""
        ...

    def behind(self, plane_id: str, frame: int) -> Node | None:
        """What lies behind a plane."""
        ...


class Mattes:
    """Builds the nodes of a shot's mattes."""

    def __init__(
        self, setting: Setting, planes: Planes, edged: bool = True, pulls: int | None = None,
        whole: Mattes | None = None,
    ) -> None:  # fmt: skip
        """planes: what a matte may be taken from. The others are for `bare`. edged: whether mattes have their edge
        step. pulls: how many of a matte's pulls count; None for all. whole: where regions come from.
        """
        self._setting, self._planes, self._edged, self._most = setting, planes, edged, pulls
        self._whole = whole or self
        self._known: ByFrame[Node] = ByFrame()

    def bare(self, planes: Planes, pulls: int | None) -> Mattes:
        """The same before their edge step, or after so many of their pulls; planes: as for the constructor.

        Regions are other mattes with all that belongs to them, however much of this one is looked at.
        """
        return Mattes(self._setting, planes, False, pulls, self._whole)

    def matte(self, matte_id: str, frame: int) -> Node:
        """A matte, (H, W) float32, 0 to 1. Raises KeyError."""
        return self._known.get(frame, matte_id, lambda: self._matte(self._setting.shot.matte(matte_id), frame))

    def _matte(self, matte: Matte, frame: int) -> Node:
        """The pulls, then the edge step."""
        if not self._edged:
            return self._pulled(matte, frame)
        if matte.settled:
            stored = self._setting.sources.stored(matte.settled, frame, self._setting.plate_size)
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
            found = self._pull(pull, frame, matte.of) if pull.on else None
            if found is None:
                continue
            if pull.region is not None:
                found = self._confined(found, pull.region, pull.invert, pull.beyond, frame)
            inputs.append(found)
            strength = float(pull.at(self._setting.env(frame))["strength"])
            # what is confined is inverted within its region, not beyond it
            joins.append((pull.join, strength, pull.invert and not pull.region))
        size = self._setting.plate_size

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

    def seen(self, of: str | None) -> AtFrame:
        """What a matte is pulled from, (H, W, 3) uint8 sRGB: the plate, or the plane of a take where it lies on it."""
        if of is None:
            return self._setting.plate
        size = self._setting.plate_size

        def taken(frame: int) -> Node:
            there = self._planes.picture(of, held(frame, self._setting.frames))
            return node("taken", size, [there], lambda p: encode(about_middle(p, size)))

        return taken

    def _pull(self, pull: Pull, frame: int, of: str | None) -> Node | None:
        """One pull's own coverage, (H, W) float32; None where it has no stored frame that it needs."""
        shapes = [_riding(shape, pull.ride) for shape in pull.shapes if shape.on]
        entry = declared("pull", pull.kind)
        found = self.step(entry, pull.values(), self.seen(of), owner=pull.id, shapes=shapes).at(frame)
        if found is None or pull.ride is None or entry.holds == "shapes":
            return found
        return self._carried(found, pull.ride, frame)

    def _carried(self, cover: Node, ride: Riding, frame: int) -> Node:
        """Coverage where it rides to."""
        (rows, columns), s = self._setting.plate_size, self._setting.scale
        # between pixel grids, whose points are the pixels' middles
        to = np.array([[s, 0, -0.5], [0, s, -0.5], [0, 0, 1.0]])
        way = to @ self._setting.env(frame).moved(ride) @ np.linalg.inv(to)

        def run(picture: F32) -> F32:
            part, to = averaged_down(picture, way)
            return np.asarray(cv2.warpPerspective(part, to, (columns, rows), flags=cv2.INTER_LINEAR), np.float32)

        return node("ridden", way.round(9).tolist(), [cover], run)

    def step(
        self, entry: Declared, values: Params, given: AtFrame, matte: AtFrame = lambda frame: None, owner: str = "",
        shapes: Sequence[Shape] = (), behind: AtFrame = lambda frame: None,
    ) -> Step:  # fmt: skip
        """Something declared, with what it works on and can look at. owner: whose stored frames are its own."""

        at = self._setting.working.values(values) if entry.family == "treatment" else values.at

        def read(time: float) -> Values:
            return at(self._setting.env(time))

        def there(at: AtFrame) -> AtFrame:
            return lambda frame: at(frame) if 0 <= frame < self._setting.frames else None

        here, frames = self._setting, self._setting.shot.frames
        find = self._finder(owner, given, there(behind))
        return Step(entry, read, there(given), there(matte), find, here.env, here.scale,
                    here.plate_size, shapes, (frames.start, frames.stop - 1))  # fmt: skip

    def _finder(self, owner: str, given: AtFrame, behind: AtFrame) -> Callable[[Need], Node | None]:
        # a pull, which has an owner, is given what it is pulled from: a take's is told of the take
        plate = given if owner else self._setting.plate

        def find(need: Need) -> Node | None:
            inside = 0 <= need.frame < self._setting.frames
            if need.what == "stored":
                return self._setting.sources.stored(owner, need.frame, self._setting.plate_size)
            if need.what == "plate":
                return plate(need.frame) if inside else None
            if need.what == "behind":
                return behind(need.frame) if need.id is None else self._planes.behind(need.id, need.frame)
            if need.id is None:
                return None
            if need.what == "matte":
                return self._whole.matte(need.id, need.frame) if inside else None
            if need.what == "plane":
                return self._planes.picture(need.id, held(need.frame, self._setting.frames))
            return self._setting.other(need)

        return find


def _riding(shape: Shape, ride: Riding | None) -> Shape:
    """A shape that rides with its pull, unless it rides by itself."""
    if ride is None or any(not one.only for one in shape.rides):
        return shape
    return shape.model_copy(update={"rides": [*shape.rides, ShapeRide(**ride.model_dump())]})
