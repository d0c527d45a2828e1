"""From a recipe to nodes: mattes at one frame, from their pulls to their edge step."""

from __future__ import annotations

from typing import Any, Protocol

import numpy as np
from numpy.typing import NDArray

from cuvrel.core.edge.detail import fine_detail
from cuvrel.core.edge.steady import steadied
from cuvrel.core.media.colour import decode, encode
from cuvrel.core.pulls.context import PullContext
from cuvrel.core.pulls.footage import channel_of
from cuvrel.core.pulls.join import join_pull
from cuvrel.core.pulls.shape import shaped
from cuvrel.core.recipe.declared import Family, Params, declared
from cuvrel.core.recipe.models import Matte, Plane, Pull, Shot
from cuvrel.core.recipe.shapes import Shape
from cuvrel.core.recipe.values import at
from cuvrel.core.stand.nodes import Node, node

F32 = NDArray[np.float32]
U8 = NDArray[np.uint8]


class Sources(Protocol):
    """Where pictures come from: footage and stored matte frames, at any size."""

    def picture(self, footage_id: str, frame: int, size: tuple[int, int]) -> Node:
        """A node of (H, W, 3) uint8 sRGB at `size` (H, W)."""

    def alpha(self, footage_id: str, frame: int, size: tuple[int, int]) -> Node:
        """A node of (H, W) float32, 0 to 1, at `size`; all 1 where the footage has no alpha."""

    def traced(self, pull: Pull, frame: int, size: tuple[int, int]) -> Node | None:
        """A node of (H, W) float32, 0 to 1, at `size`; None where the trace has no frame yet."""


class Mattes:
    """Builds the nodes of a shot's mattes at one size. scale: the pictures' size over the plate's."""

    def __init__(
        self, shot: Shot, sources: Sources, scale: float = 1.0, edged: bool = True, pulls: int | None = None
    ) -> None:
        """edged: whether mattes have their edge step. pulls: how many of a matte's pulls count; None for all."""
        self.shot, self.sources, self.scale, self._edged, self._most = shot, sources, scale, edged, pulls
        plate = shot.plate_footage()
        self.frames, self.fps = plate.frames, plate.fps
        self.size = max(2, round(plate.height * scale)), max(2, round(plate.width * scale))
        self._mattes: dict[tuple[str, int], Node] = {}
        self._params: dict[tuple[str, str, int], Params] = {}
        # regions are other mattes, with all their pulls and their edge step, however much of this one is looked at
        self._whole = self if edged and pulls is None else type(self)(shot, sources, scale)

    def _values(self, family: Family, kind: str, raw: dict[str, Any], time: float) -> dict[str, Any]:
        """The plain values of something declared at a time; `raw`, a part of the shot, is read once for all frames."""
        key = family, kind, id(raw)
        if key not in self._params:
            self._params[key] = declared(family, kind).read(raw)
        return self._params[key].at(time, self.fps)

    def alone(self, plane: Plane, frame: int) -> Node:
        """A plane's own picture, (H, W, 4) float32 premultiplied linear RGBA: a matte may be taken from it."""
        raise NotImplementedError

    def plate(self, frame: int) -> Node:
        """The plate's bytes, (H, W, 3) uint8 sRGB."""
        return self.sources.picture(self.shot.plate, frame, self.size)

    def _light(self, frame: int) -> Node:
        return node("decode", None, [self.plate(frame)], decode)

    def matte(self, matte_id: str, frame: int) -> Node:
        """A matte, (H, W) float32, 0 to 1. Raises KeyError."""
        if (matte_id, frame) not in self._mattes:
            self._mattes[matte_id, frame] = self._matte(self.shot.matte(matte_id), frame)
        return self._mattes[matte_id, frame]

    def _matte(self, matte: Matte, frame: int) -> Node:
        """The pulls, steadied over time, then the edge step."""
        if not self._edged:
            return self._pulled(matte, frame)
        if matte.settled:
            stored = self.sources.traced(Pull(id=matte.settled, kind="trace"), frame, self.size)
            if stored is not None:
                return stored
        entry = declared("edge", "edge")
        values = self._values("edge", "edge", matte.edge, frame)
        base = self._pulled(matte, frame)
        if values["steady"] > 0:
            base = self._steadied(matte, frame, base, int(values["steady"]))
        scale = self.scale
        if values["fine"] > 0:
            fine = [float(values["fine"]), float(values["reach"]) * scale]
            base = node(
                "fine", fine, [base, self.plate(frame)], lambda cover, rgb: fine_detail(rgb, cover, fine[1], fine[0])
            )
        # what is done here or elsewhere is not the edge step's any more
        neutral = entry.params().at(frame, self.fps)
        for name in ("steady", "fine", "reach", "own_colour"):
            values[name] = neutral[name]
        if values == neutral:
            return base
        return node("edge", [values, scale], [base], lambda cover: entry.run(cover, values, scale))

    def _steadied(self, matte: Matte, frame: int, base: Node, reach: int) -> Node:
        near = [f for f in range(frame - reach, frame + reach + 1) if f != frame and 0 <= f < self.frames]
        others = [(self._pulled(matte, f), self.plate(f)) for f in near]
        if all(cover.key == base.key for cover, _ in others):
            return base
        flat = [one for pair in others for one in pair]

        def run(cover: F32, picture: U8, *rest: NDArray) -> F32:
            return steadied(cover, picture, list(zip(rest[::2], rest[1::2], strict=True)))

        return node("steady", reach, [base, self.plate(frame), *flat], run)

    def _pulled(self, matte: Matte, frame: int) -> Node:
        """All pulls joined, (H, W) float32."""
        inputs: list[Node] = []
        joins: list[tuple[str, float, bool]] = []
        for pull in matte.pulls[: self._most]:
            found = self._pull(pull, frame) if pull.on else None
            if found is not None:
                if pull.region is not None:
                    found = self._confined(found, pull.region, pull.invert, pull.beyond, frame)
                inputs.append(found)
                # what is confined is inverted within its region, not beyond it
                joins.append((pull.join, float(at(pull.strength, frame, self.fps)), pull.invert and not pull.region))
        size = self.size

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
        """One pull's own coverage, (H, W) float32; None where a trace has not reached this frame."""
        if pull.kind == "trace":
            return self.sources.traced(pull, frame, self.size)
        entry = declared("pull", pull.kind)
        values = self._values("pull", pull.kind, pull.params, frame)
        if pull.kind == "shape":
            return self._shapes(pull.shapes, frame, float(values["shutter"]))
        context = PullContext(frame, self.scale, self.fps)
        others = self._others(pull.kind, values, frame)
        return node(f"pull-{pull.kind}", [values, self.scale], [self.plate(frame), *others],
                    lambda rgb, *rest: entry.run(rgb, values, context, *rest))  # fmt: skip

    def _shapes(self, shapes: list[Shape], frame: int, shutter: float) -> Node:
        size, scale = self.size, self.scale
        drawn = [shape for shape in shapes if shape.on]
        if shutter > 0:
            about = [[shape.model_dump(mode="json") for shape in drawn], frame]
        else:
            # what stands still is one picture for all its frames
            here = {"frame": 0, "ease": "hold"}
            about = [[[s.kind, s.join, s.at(frame).model_copy(update=here).model_dump(mode="json")] for s in drawn]]
        return node("shapes", [about, size, scale, shutter], [], lambda: shaped(drawn, frame, size, scale, shutter))

    def _others(self, kind: str, values: dict[str, Any], frame: int) -> list[Node]:
        """What a pull takes besides the plate."""
        if kind == "difference_key" and values["plate"]:
            return [self.footage(str(values["plate"]), frame)]
        if kind != "footage":
            return []
        at_frame, channel = frame - round(float(values["offset"])), str(values["channel"])
        if values["footage"]:
            entry = self.shot.footage_by_id(str(values["footage"]))
            size = max(2, round(entry.height * self.scale)), max(2, round(entry.width * self.scale))
            if channel == "alpha":
                return [self.sources.alpha(entry.id, held(at_frame, entry.frames), size)]
            picture = self.sources.picture(entry.id, held(at_frame, entry.frames), size)
            return [node("channel", channel, [picture], lambda p: channel_of(p, channel))]
        if values["plane"]:
            plane = self.alone(self.shot.plane(str(values["plane"])), held(at_frame, self.frames))
            if channel == "alpha":
                return [node("channel", channel, [plane], lambda p: np.ascontiguousarray(p[..., 3]))]
            return [node("channel", channel, [plane], lambda p: channel_of(encode(p), channel))]
        return []

    def footage(self, footage_id: str, frame: int) -> Node:
        """Other footage of the shot at this size, (H, W, 3) uint8 sRGB; its last frame holds."""
        entry = self.shot.footage_by_id(footage_id)
        return self.sources.picture(footage_id, held(frame, entry.frames), self.size)


def held(frame: int, count: int) -> int:
    """The frame itself, or the nearest one that there is: the first and the last frame hold."""
    return max(0, min(count - 1, frame))
