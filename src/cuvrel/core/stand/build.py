"""From a recipe to nodes: planes and the whole stand at one frame."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from functools import cached_property

import cv2
import numpy as np
from numpy.typing import NDArray

from cuvrel.core.edge.detail import own_colours
from cuvrel.core.media.colour import decode
from cuvrel.core.motion import timing
from cuvrel.core.motion.between import blurred_along, in_between, mixed, motion
from cuvrel.core.recipe.declared import declared
from cuvrel.core.recipe.models import Plane, Step
from cuvrel.core.recipe.values import at
from cuvrel.core.stand import placement
from cuvrel.core.stand.blend import blend, mix, through
from cuvrel.core.stand.gate import rim, without
from cuvrel.core.stand.mattes import Mattes, Sources, held
from cuvrel.core.stand.nodes import Node, node
from cuvrel.core.treatments.context import Context

__all__ = ["Sources", "Stand", "held"]

F32 = NDArray[np.float32]
U8 = NDArray[np.uint8]


@dataclass(frozen=True)
class _Film:
    """What a plane shows, frame by frame: its picture, and the bytes in which its motion is looked for."""

    picture: Callable[[int], Node]
    bytes_at: Callable[[int], Node]
    count: int
    fps: float | None = None


class Stand(Mattes):
    """Builds the nodes of one shot at one size. scale: the pictures' size over the plate's."""

    def bare(self, pulls: int | None = None) -> Stand:
        """The same stand with all mattes as they are before their edge step, or after so many of their pulls."""
        return Stand(self.shot, self.sources, self.scale, edged=False, pulls=pulls)

    # what a plane shows

    def alone(self, plane: Plane, frame: int) -> Node:
        """The plane's own picture before gate, opacity and blending, (H, W, 4) float32 premultiplied linear RGBA.

        A glaze alone shows the plate glazed.
        """
        shown = self._content(plane, frame)
        if shown is None:
            return self._nothing()
        picture, own, matte = shown
        return self._placed(plane, frame, self._treated(picture, plane.treatments, frame, matte), own)

    def _nothing(self) -> Node:
        size = self.size
        return node("nothing", size, [], lambda: np.zeros((*size, 4), np.float32))

    def _content(self, plane: Plane, frame: int) -> tuple[Node, tuple[float, float] | None, Node | None] | None:
        """The picture before its treatments, its size (height, width) in plate pixels where that is not the frame's,
        and the matte that its treatments see. None where its time has nothing to show."""
        gate = self._gate(plane, frame)
        if plane.kind == "glaze":
            return self._light(frame), None, self.matte(plane.matte, frame) if plane.matte else gate
        if plane.kind == "fill":
            values = self._values("plane", "fill", plane.params, frame)
            if not values["footage"]:
                size, run = self.size, declared("plane", "fill").run
                return node("fill", [values, size], [], lambda: run(size, values, 1.0)), None, gate
        entry = timing.TimeParams.model_validate(plane.time)
        film, own = self._film(plane, frame)
        when = timing.moment(entry, frame, self.fps, film.count, film.fps)
        if when is None:
            return None
        matte = gate
        if plane.matte:
            near = when.after if when.share >= 0.5 else when.frame
            matte = self.matte(plane.matte, near)
        if plane.kind in ("line", "group"):
            return film.picture(when.frame), own, matte
        return self._moment(film, when, entry, frame), own, matte

    def _film(self, plane: Plane, frame: int) -> tuple[_Film, tuple[float, float] | None]:
        """The plane's frames, and their size in plate pixels where it is not the frame's."""
        if plane.kind in ("element", "fill"):
            return self._element(plane, frame)
        if plane.kind == "group":
            return _Film(lambda f: self._stack(self._members(plane.id), f), self.plate, self.frames), None
        if plane.kind == "line":
            assert plane.matte is not None
            matte_id, entry, scale = plane.matte, declared("plane", "line"), self.scale
            values = self._values("plane", "line", plane.params, frame)

            def drawn(f: int) -> Node:
                return node("line", [values, scale], [self.matte(matte_id, f)], lambda m: entry.run(m, values, scale))

            return _Film(drawn, self.plate, self.frames), None
        if plane.kind == "cutout":
            assert plane.matte is not None
            cut = plane.matte
            return _Film(lambda f: self._cut(cut, f), self.plate, self.frames), None
        return _Film(self._light, self.plate, self.frames), None

    def _cut(self, matte_id: str, frame: int) -> Node:
        return node(
            "through", None, [self._own(matte_id, frame, self._light(frame)), self.matte(matte_id, frame)], through
        )

    def _own(self, matte_id: str, frame: int, light: Node) -> Node:
        """The plate's light, in soft edges with the subject's own colours as far as the edge step asks for them."""
        values = self._values("edge", "edge", self.shot.matte(matte_id).edge, frame)
        share = float(values["own_colour"])
        if share <= 0:
            return light
        radius = max(2.0, 3 * float(values["reach"]) * self.scale)

        def run(picture: F32, cover: F32) -> F32:
            own = own_colours(picture[..., :3], cover, radius)
            out = picture.copy()
            out[..., :3] += np.float32(share) * (own - picture[..., :3])
            return out

        return node("own", [share, radius], [light, self.matte(matte_id, frame)], run)

    def _element(self, plane: Plane, frame: int) -> tuple[_Film, tuple[float, float] | None]:
        entry = declared("plane", plane.kind)
        values = self._values("plane", plane.kind, plane.params, frame)
        if not values["footage"]:
            return _Film(lambda f: self._nothing(), self.plate, self.frames), None
        footage = self.shot.footage_by_id(str(values["footage"]))
        plate = self.shot.plate_footage()
        across, down = plate.width / footage.width, plate.height / footage.height
        fit = str(values.get("fit", "cover"))
        if fit != "stretch":
            across = down = {"cover": max(across, down), "contain": min(across, down)}.get(fit, 1.0)
        own = footage.height * down, footage.width * across
        # never larger than it is; placing it enlarges better than reading it does
        size = tuple(
            max(2, round(min(float(n), m * self.scale)))
            for n, m in zip((footage.height, footage.width), own, strict=True)
        )
        how = {"see_through": values.get("see_through", "nothing")}

        def raw(f: int) -> Node:
            return self.sources.picture(footage.id, f, (size[0], size[1]))

        def lit(f: int) -> Node:
            light = node("decode", None, [raw(f)], decode)
            if how["see_through"] == "its alpha":
                return node("through", None, [light, self.sources.alpha(footage.id, f, (size[0], size[1]))], through)
            if how["see_through"] == "nothing":
                return light
            return node("dropped", how, [light], lambda p: entry.run(p, how, 1.0))

        whole = own[0] == plate.height and own[1] == plate.width and size == self.size
        return _Film(lit, raw, footage.frames, footage.fps), None if whole else own

    def _moment(self, film: _Film, when: timing.Moment, entry: timing.TimeParams, frame: int) -> Node:
        """The film's picture at a moment: a frame, or what is made between two, with the blur of what moves."""
        values = entry.at(frame, self.fps)
        picture, share = film.picture(when.frame), float(when.share)
        if share > 0 and values["between"] != "repeat":
            after = film.picture(when.after)
            if values["between"] == "mix":
                picture = node("mixed", share, [picture, after], lambda a, b: mixed(a, b, share))
            else:
                moved = self._motion(film, when.frame, when.after)
                picture = node("between", share, [picture, after, moved], lambda a, b, m: in_between(a, b, m, share))
        shutter = float(values["shutter"]) * abs(float(values["speed"])) / 100
        following = when.after if when.after != when.frame else when.frame - 1
        if shutter > 0 and 0 <= following < film.count and following != when.frame:
            moved = self._motion(film, when.frame, following)
            picture = node("smeared", shutter, [picture, moved], lambda p, m: blurred_along(p, m, shutter))
        return picture

    def _motion(self, film: _Film, frame: int, after: int) -> Node:
        return node("motion", None, [film.bytes_at(frame), film.bytes_at(after)], motion)

    # its treatments and its place

    def _treated(self, picture: Node, steps: list[Step], frame: int, matte: Node | None) -> Node:
        for step in steps:
            if step.on:
                picture = self._step(picture, step, frame, matte)
        return picture

    def _step(self, picture: Node, step: Step, frame: int, matte: Node | None) -> Node:
        entry = declared("treatment", step.kind)
        values = self._values("treatment", step.kind, step.params, frame)
        uses = [picture] if matte is None or not entry.needs_matte else [picture, matte]
        scale, fps = self.scale, self.fps

        def run(image: F32, cover: F32 | None = None) -> F32:
            if cover is not None and cover.shape != image.shape[:2]:
                cover = cv2.resize(cover, (image.shape[1], image.shape[0]), interpolation=cv2.INTER_AREA)
            return entry.run(image, values, Context(frame, scale, fps, cover))

        # only what changes with time by itself has the frame in its key
        clock = [frame, fps] if values.get("wander") else None
        return node(step.kind, [values, scale, clock], uses, run)

    def _placed(self, plane: Plane, frame: int, picture: Node, own: tuple[float, float] | None) -> Node:
        """The picture laid into the frame. own: its size (height, width) in plate pixels, if it has one of its own."""
        if own is None and not plane.placement:
            return picture
        values = self._values("placement", "placement", plane.placement, frame)
        plate = self.shot.plate_footage()
        times = [float(frame)]
        if values["shutter"] > 0:
            count, half = round(float(values["samples"])), float(values["shutter"]) / 720
            times = [frame + half * (2 * n / (count - 1) - 1) for n in range(count)]
        at_times = (self._values("placement", "placement", plane.placement, time) for time in times)
        maps = [placement.matrix(there, plate.width) for there in at_times]
        if all(np.array_equal(one, maps[0]) for one in maps):
            maps = maps[:1]
            if own is None and placement.is_neutral(values):
                return picture
        size, scale, border = self.size, self.scale, str(values["border"])
        high, wide = own or (float(plate.height), float(plate.width))

        def run(image: F32) -> F32:
            fit = wide / image.shape[1], high / image.shape[0]
            return placement.placed(image, maps, size, fit, scale, border)

        return node("placed", [[m.tolist() for m in maps], high, wide, size, scale, border], [picture], run)

    def _gate(self, plane: Plane, frame: int) -> Node | None:
        gate = plane.gate
        if gate is None:
            return None
        cover = self.matte(gate.matte, frame)
        if gate.part == "rim":
            inner, outer, soft = (
                max(0.0, float(at(one, frame, self.fps))) * self.scale for one in (gate.inner, gate.outer, gate.soft)
            )
            cover = node("rim", [inner, outer, soft], [cover], lambda m: rim(m, inner, outer, soft))
        if (gate.part == "outside") != gate.invert:
            cover = node("outside", None, [cover], lambda m: 1 - m)
        if gate.excluded:
            taken = [self.matte(one, frame) for one in gate.excluded]
            cover = node("without", None, [cover, *taken], lambda m, *rest: without(m, rest))
        return cover

    # all of them together

    def result(self, frame: int) -> Node:
        """All planes, back to front, (H, W, 4) float32 premultiplied linear RGBA."""
        return self._stack([plane for plane in self.shot.planes if plane.group is None], frame)

    def _members(self, group: str) -> list[Plane]:
        return [plane for plane in self.shot.planes if plane.group == group]

    def _stack(self, planes: Sequence[Plane], frame: int) -> Node:
        picture: Node | None = None
        for plane in reversed(planes):
            picture = self.plane(plane, frame, picture)
        return self._nothing() if picture is None else picture

    def shows(self, plane: Plane, frame: int) -> bool:
        """Whether a plane is there at all on a frame: switched on, within its frames, and not put out by a solo."""
        if not plane.on or (plane.first is not None and frame < plane.first):
            return False
        if plane.last is not None and frame > plane.last:
            return False
        return not self._soloed or plane.id in self._soloed

    @cached_property
    def _soloed(self) -> set[str]:
        return self.shot.solo()

    def plane(self, plane: Plane, frame: int, below: Node | None) -> Node | None:
        """`below` with this plane laid over it, (H, W, 4) float32 premultiplied linear RGBA; None is nothing."""
        opacity = min(max(float(at(plane.opacity, frame, self.fps)), 0.0), 1.0)
        if not self.shows(plane, frame) or opacity <= 0:
            return below
        gate = self._gate(plane, frame)
        if plane.kind == "glaze":
            return None if below is None else self._glazed(plane, frame, below, opacity, gate)
        picture = self.alone(plane, frame)
        mode = plane.blend
        if below is None and mode == "normal" and opacity == 1 and gate is None:
            return picture
        return node("blend", [mode, opacity], [below or self._nothing(), picture, *_some(gate)],
                    lambda b, p, m=None: blend(b, p, mode, opacity, m))  # fmt: skip

    def _glazed(self, plane: Plane, frame: int, below: Node, opacity: float, gate: Node | None) -> Node:
        matte = self.matte(plane.matte, frame) if plane.matte else gate
        treated = self._treated(below, plane.treatments, frame, matte)
        if treated is below:
            return below
        mode = plane.blend
        if mode == "normal":
            return node("glaze", opacity, [below, treated, *_some(gate)],
                        lambda b, t, m=None: mix(b, t, opacity, m))  # fmt: skip
        return node("blend", [mode, opacity], [below, treated, *_some(gate)],
                    lambda b, p, m=None: blend(b, p, mode, opacity, m))  # fmt: skip


def _some(gate: Node | None) -> list[Node]:
    return [] if gate is None else [gate]
