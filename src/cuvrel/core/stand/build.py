"""From a recipe to nodes: planes and the whole stand at one frame."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from fractions import Fraction
from functools import cached_property, partial
from typing import cast

import cv2
import numpy as np

from cuvrel.core.arrays import F32, F64
from cuvrel.core.edge.detail import own_colours
from cuvrel.core.imaging.blend import blend, mix, through
from cuvrel.core.motion import timing
from cuvrel.core.motion.between import blurred_along, in_between, mixed, motion
from cuvrel.core.recipe.declared import declared
from cuvrel.core.recipe.models import LineUp, Plane, Shot, Step
from cuvrel.core.stand import placement
from cuvrel.core.stand.films import Film, Size, film_of, plate_extent
from cuvrel.core.stand.gate import rim, without
from cuvrel.core.stand.in_scene import InScene
from cuvrel.core.stand.mattes import Mattes
from cuvrel.core.stand.nodes import ByFrame, Node, node
from cuvrel.core.stand.setting import Setting
from cuvrel.core.stand.sources import Sources
from cuvrel.core.stand.steps import AtFrame
from cuvrel.core.stand.working import IN_BT709


class Stand:
    """Builds the nodes of one shot at one size. See Setting for its attributes."""

    def __init__(self, shot: Shot, sources: Sources, scale: float = 1.0) -> None:
        self._inner: dict[tuple[str, float], Stand] = {}
        setting = Setting(shot, sources, scale, self.inner)
        self._mattes = Mattes(setting, self)
        self.shot, self.sources, self.scale = shot, sources, scale
        self.frames, self.fps, self.motions = setting.frames, setting.fps, setting.motions
        self.plate_size, self.size = setting.plate_size, setting.size
        self.env, self.plate, self.light, self.other = setting.env, setting.plate, setting.light, setting.other
        self.working = setting.working
        self.scene = InScene(shot, setting.motions, scale, setting.size)

    def inner(self, footage_id: str, scale: float) -> Stand:
        """The stand of a shot that lies in this one, by its entry's id. Raises MediaError where it is not there."""
        key = footage_id, round(scale, 6)
        if key not in self._inner:
            self._inner[key] = Stand(*self.sources.inside(footage_id), scale)
        return self._inner[key]

    def matte(self, matte_id: str, frame: int) -> Node:
        """A matte, (H, W) float32, 0 to 1. Raises KeyError."""
        return self._mattes.matte(matte_id, frame)

    def picture(self, plane_id: str, frame: int) -> Node:
        """A plane's own picture, by its id (see `alone`). Raises KeyError."""
        return self.alone(self.shot.plane(plane_id), frame)

    def behind(self, plane_id: str, frame: int) -> Node | None:
        """What lies behind a plane, as the frame has it; None for nothing. Raises KeyError."""
        plane = self.shot.plane(plane_id)
        found = self._stack(plane.group, self._next(plane, frame), frame)
        return None if found is None else self.working.back(found)

    def bare(self, pulls: int | None = None) -> Stand:
        """The same stand with all mattes as they are before their edge step, or after so many of their pulls."""
        out = self.of(self.shot)
        out._mattes = self._mattes.bare(out, pulls)
        return out

    def of(self, shot: Shot) -> Stand:
        """The same sources at the same size, for a shot in which something is otherwise."""
        return Stand(shot, self.sources, self.scale)

    # what a plane shows

    def alone(self, plane: Plane, frame: int) -> Node:
        """The plane's own picture before gate, opacity and blending, (H, W, 4) float32 premultiplied linear RGBA.

        A glaze alone shows the plate glazed.
        """
        return self.working.back(self._alone(plane, frame))

    def worked(self, frame: int) -> Node:
        """The plate's light in the space that planes are worked on in."""
        return self.working.into(self.light(frame))

    def _alone(self, plane: Plane, frame: int) -> Node:
        found = self._chain(plane, "alone", lambda f: self._content(plane, f), lambda f: self._seen(plane, f))(frame)
        return self.nothing() if found is None else self._placed(plane, frame, found, self._film(plane, frame).size)

    def nothing(self) -> Node:
        """A frame of nothing."""
        size = self.size
        return node("nothing", size, [], lambda: np.zeros((*size, 4), np.float32))

    def held_by(self, group: str, frame: int) -> Node:
        """The planes of a group over nothing."""
        return self._stack(group, 0, frame) or self.nothing()

    @cached_property
    def _films(self) -> ByFrame[Film]:
        return ByFrame()

    def _film(self, plane: Plane, frame: int) -> Film:
        return self._films.get(frame, plane.id, lambda: film_of(self, plane, frame))

    def _moment(self, plane: Plane, frame: int, film: Film) -> timing.Moment | None:
        """Which of a film's frames the plane shows; None where its time has nothing to show."""
        if film.count is None:
            return timing.Moment(frame, frame, Fraction(0))
        entry = cast(timing.TimeParams, plane.values("time"))
        return timing.moment(entry, frame, self.fps, film.count, film.fps)

    def _content(self, plane: Plane, frame: int) -> Node | None:
        """The picture before its treatments; None where its time has nothing to show."""
        film = self._film(plane, frame)
        when = self._moment(plane, frame, film)
        if when is None:
            return None
        if film.seen is None:
            return film.picture(when.frame)
        return self._between(film, when, plane, frame)

    def _seen(self, plane: Plane, frame: int) -> Node | None:
        """The matte that a plane's treatments see: its own, at its moment, or its gate, as large as its picture."""
        film = self._film(plane, frame)
        when = self._moment(plane, frame, film)
        if plane.matte and when is not None:
            return self.matte(plane.matte, when.after if when.share >= 0.5 else when.frame)
        gate = self._gate(plane, frame)
        if film.size is None:
            return self._framed(gate)
        if gate is None or film.size == plate_extent(self):
            return gate
        rows, columns = film.size
        return self._laid(gate, (round(rows * self.scale), round(columns * self.scale)))

    def pulled_from(self, matte_id: str, frame: int) -> Node:
        """What a matte is pulled from, (H, W, 3) uint8 sRGB: the plate, or a take as it lies on it. Raises KeyError."""
        found = self._mattes.seen(self.shot.matte(matte_id).of)(frame)
        assert found is not None
        return found

    def laid(self, plane: Plane, frame: int) -> tuple[Node, Node, Node | None] | None:
        """What lies behind a plane, what it shows over that, and through how much of it; None where it is not there."""
        if not self.shows(plane, frame) or self._film(plane, frame).glazes:
            return None
        below = self.behind(plane.id, frame)
        return below or self.nothing(), self.alone(plane, frame), self._framed(self._widened(plane, frame))

    def raw(self, plane: Plane, frame: int) -> Node | None:
        """The bytes of a plane's own footage that it shows on a frame, uint8 sRGB, as they came; None for nothing."""
        film = self._film(plane, frame)
        when = self._moment(plane, frame, film)
        return None if when is None or film.seen is None else film.seen(when.frame)

    def cut(self, matte_id: str, frame: int) -> Node:
        """The plate through a matte, with the subject's own colours in soft edges as far as its edge step asks."""
        light, matte = self.worked(frame), self.matte(matte_id, frame)
        values = self.shot.matte(matte_id).edge_values().at(self.env(frame))
        share = float(values["own_colour"])
        if share > 0:
            radius = max(2.0, 3 * float(values["reach"]) * self.scale)

            def run(picture: F32, cover: F32) -> F32:
                own = own_colours(picture[..., :3], cover, radius)
                out = picture.copy()
                out[..., :3] += np.float32(share) * (own - picture[..., :3])
                return out

            light = node("own", [share, radius], [light, matte], run)
        return node("through", None, [light, matte], through)

    def _between(self, film: Film, when: timing.Moment, plane: Plane, frame: int) -> Node:
        """The film's picture at a moment: a frame, or what is made between two, with the blur of what moves."""
        assert film.count is not None
        values = plane.values("time").at(self.env(frame))
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

    def _motion(self, film: Film, frame: int, after: int) -> Node:
        assert film.seen is not None
        return node("motion", None, [film.seen(frame), film.seen(after)], motion)

    # its treatments and its place

    @cached_property
    def _chains(self) -> dict[tuple[str, str], AtFrame]:
        return {}

    def _chain(self, plane: Plane, name: str, content: AtFrame, matte: AtFrame) -> AtFrame:
        """What a plane's treatments make of its content, on any frame: each may look at it on others than its own."""
        key = plane.id, name
        if key not in self._chains:
            at = content
            for step in plane.treatments:
                if step.on:
                    at = self._treated(step, at, matte, lambda f: self._behind(plane, f, name))
            self._chains[key] = at
        return self._chains[key]

    def _treated(self, step: Step, given: AtFrame, matte: AtFrame, behind: AtFrame) -> AtFrame:
        """What a treatment makes of what it is given."""
        entry, space = declared("treatment", step.kind), self.working
        if step.kind not in IN_BT709:
            return _once(self._mattes.step(entry, step.values(), given, matte, behind=behind).at)
        back = _each(space.back, behind)
        made = self._mattes.step(entry, step.values(), _each(space.back, given), matte, behind=back).at
        return _once(_each(space.into, made))

    def _behind(self, plane: Plane, frame: int, name: str) -> Node | None:
        """What lies behind a plane, as seen from where its own picture is treated (see needs.behind)."""
        found = self._stack(plane.group, self._next(plane, frame), frame)
        if found is None or name == "behind":
            return found
        own = self._film(plane, frame).size
        rows, columns = own or (float(self.shot.size[1]), float(self.shot.size[0]))
        size, scale = (round(rows * self.scale), round(columns * self.scale)), self.scale
        ways = self._ways(plane, frame, own)
        if ways is None and own is None:
            return found
        way = np.asarray(np.linalg.inv(ways[len(ways) // 2]) if ways else np.eye(3), np.float64)

        def run(picture: F32) -> F32:
            return placement.placed(picture, [way], size, (1 / scale, 1 / scale), scale)

        return node("behind", [way.round(9).tolist(), size, scale], [found], run)

    def _placed(self, plane: Plane, frame: int, picture: Node, own: Size | None) -> Node:
        """The picture laid into the frame. own: its size (height, width) in plate pixels, if it has one of its own."""
        laid = self._laid_flat(plane, frame, picture, own)
        return laid if plane.card is None else self.scene.finished(plane, self.env(frame), own, picture, laid)

    def _laid_flat(self, plane: Plane, frame: int, picture: Node, own: Size | None) -> Node:
        maps = self._ways(plane, frame, own)
        if maps is None:
            return picture
        (wide, high), size, scale = self.shot.size, self.size, self.scale
        rows, columns = own or (float(high), float(wide))
        border = "none" if plane.card is not None else str(plane.values("placement").at(self.env(frame))["border"])

        def run(image: F32) -> F32:
            fit = columns / image.shape[1], rows / image.shape[0]
            return placement.placed(image, maps, size, fit, scale, border)

        return node("placed", [[m.tolist() for m in maps], rows, columns, size, scale, border], [picture], run)

    def _ways(self, plane: Plane, frame: int, own: Size | None) -> list[F64] | None:
        """The maps from a plane's picture into the frame, both about their middles, that placement averages; None
        where the picture lies as it is.
        """
        card = self.scene.ways(plane, self.env(frame), own)
        if card is not None:
            return card
        up = plane.line_up
        if own is None and not plane.placement and plane.ride is None and up is None:
            return None
        params, now = plane.values("placement"), self.env(frame)
        values = params.at(now)
        wide = self.shot.size[0]
        times = placement.times_of(float(frame), float(values["shutter"]), float(values["samples"]))
        maps = [placement.matrix(params.at(now.moved_to(time)), wide) for time in times]
        if plane.ride is not None:
            maps = [now.moved_to(time).about_middle(plane.ride) @ one for time, one in zip(times, maps, strict=True)]
        if up is not None:
            maps = [one @ self._lined_up(plane, up, frame, own) for one in maps]
        if all(np.array_equal(one, maps[0]) for one in maps):
            maps = maps[:1]
            if own is None and plane.ride is None and up is None and placement.is_neutral(values):
                return None
        return maps

    def _lined_up(self, plane: Plane, up: LineUp, frame: int, own: Size | None) -> F64:
        """How a take lies on the plate, (3, 3): from its picture about its middle to the frame about the frame's."""
        wide, high = self.shot.size
        rows, columns = own or (float(high), float(wide))
        plate = self.shot.plate_footage()
        taken = self.shot.footage_by_id(str(plane.params.get("footage")))
        to = np.array([[taken.width / columns, 0, taken.width / 2], [0, taken.height / rows, taken.height / 2],
                       [0, 0, 1.0]])  # fmt: skip
        # a frame of another size lies about the plate's middle
        about = np.array([[1, 0, -plate.width / 2], [0, 1, -plate.height / 2], [0, 0, 1.0]])
        return np.asarray(about @ up.at(frame) @ to, np.float64)

    def _gate(self, plane: Plane, frame: int) -> Node | None:
        """What a plane is seen through, as large as the plate."""
        gate = plane.gate
        if gate is None:
            return None
        cover = self.matte(gate.matte, frame)
        if gate.part == "rim":
            values = gate.at(self.env(frame))
            inner, outer, soft = (float(values[name]) * self.scale for name in ("inner", "outer", "soft"))
            cover = node("rim", [inner, outer, soft], [cover], lambda m: rim(m, inner, outer, soft))
        if (gate.part == "outside") != gate.invert:
            cover = node("outside", None, [cover], lambda m: 1 - m)
        if gate.excluded:
            taken = [self.matte(one, frame) for one in gate.excluded]
            cover = node("without", None, [cover, *taken], lambda m, *rest: without(m, rest))
        return cover

    def _widened(self, plane: Plane, frame: int) -> Node | None:
        """The gate that a plane is seen through: a treatment may need more of it than what lies under its matte."""
        gate = self._gate(plane, frame)
        for step in plane.treatments:
            run = declared("treatment", step.kind).gates
            if gate is None or not step.on or run is None:
                continue
            values = step.values().at(self.env(frame))
            spread = partial(run, values=values, scale=self.scale)
            gate = node(f"gate:{step.kind}", [values, self.scale], [gate], spread)
        return gate

    @property
    def corner(self) -> tuple[float, float]:
        """The column and the row of the frame at which the plate's corner lies, in plate pixels."""
        plate, (wide, high) = self.shot.plate_footage(), self.shot.size
        return (wide - plate.width) / 2, (high - plate.height) / 2

    def _framed(self, cover: Node | None) -> Node | None:
        return None if cover is None else self.framed(cover)

    def framed(self, cover: Node) -> Node:
        """A matte laid into a frame of another size than the plate's; what is beyond the plate is outside of it."""
        return cover if plate_extent(self) is None else self._laid(cover, self.size)

    def _laid(self, cover: Node, size: tuple[int, int]) -> Node:
        """A matte with its middle in the middle of a picture of that many rows and columns."""

        def run(matte: F32) -> F32:
            shift = (size[1] - matte.shape[1]) / 2, (size[0] - matte.shape[0]) / 2
            way = np.array([[1, 0, shift[0]], [0, 1, shift[1]]], np.float64)
            return np.asarray(cv2.warpAffine(matte, way, (size[1], size[0]), flags=cv2.INTER_LINEAR), np.float32)

        return node("framed", size, [cover], run)

    # all of them together

    def result(self, frame: int) -> Node:
        """All planes, back to front, (H, W, 4) float32 premultiplied linear RGBA."""
        found = self._stack(None, 0, frame)
        return self.nothing() if found is None else self.working.back(found)

    @cached_property
    def _levels(self) -> dict[str | None, list[Plane]]:
        """The planes of each group, and under None those of none, front to back."""
        levels: dict[str | None, list[Plane]] = {}
        for plane in self.shot.planes:
            levels.setdefault(plane.group, []).append(plane)
        return levels

    @cached_property
    def _orders(self) -> ByFrame[Sequence[Plane]]:
        return ByFrame()

    def _level(self, group: str | None, frame: int) -> Sequence[Plane]:
        """The planes of a group front to back, as a frame has them: cards go by their distance."""
        planes = self._levels.get(group, [])
        return self._orders.get(frame, group, lambda: self.scene.order(planes, self.env(frame)))

    def _next(self, plane: Plane, frame: int) -> int:
        """The place of the plane behind this one, among those of its group, on a frame."""
        return 1 + next(n for n, one in enumerate(self._level(plane.group, frame)) if one.id == plane.id)

    @cached_property
    def _stacks(self) -> ByFrame[Node | None]:
        return ByFrame()

    def _stack(self, group: str | None, first: int, frame: int) -> Node | None:
        """The planes of a group from one of them back, laid over one another; None is nothing."""
        planes, picture = self._level(group, frame), None
        for n in range(len(planes) - 1, first - 1, -1):
            picture = self._stacks.get(frame, (group, n), partial(self.plane, planes[n], frame, picture))
        return picture

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
        opacity = float(plane.at(self.env(frame))["opacity"])
        if not self.shows(plane, frame) or opacity <= 0:
            return below
        gate, mode = self._framed(self._widened(plane, frame)), plane.blend
        if self._film(plane, frame).glazes:
            if below is None:
                return None
            picture = self._glazed(plane, frame) or below
            if picture.key == below.key:
                return below
            if mode == "normal":
                return node("glaze", opacity, [below, picture, *_some(gate)],
                            lambda b, t, m=None: mix(b, t, opacity, m))  # fmt: skip
        else:
            picture = self._alone(plane, frame)
            if below is None and mode == "normal" and opacity == 1 and gate is None:
                return picture
        return node("blend", [mode, opacity], [below or self.nothing(), picture, *_some(gate)],
                    lambda b, p, m=None: blend(b, p, mode, opacity, m))  # fmt: skip

    def _glazed(self, plane: Plane, frame: int) -> Node | None:
        """What lies behind a glaze, treated; its treatments may look at it on other frames."""

        def content(at: int) -> Node | None:
            return self._stack(plane.group, self._next(plane, at), at)

        def matte(at: int) -> Node | None:
            return self._framed(self.matte(plane.matte, at) if plane.matte else self._gate(plane, at))

        return self._chain(plane, "behind", content, matte)(frame)


def _each(of: Callable[[Node], Node], at: AtFrame) -> AtFrame:
    """The same, with something done to each picture that there is."""

    def done(frame: int) -> Node | None:
        found = at(frame)
        return None if found is None else of(found)

    return done


def _once(at: AtFrame) -> AtFrame:
    """The same, worked out once for each frame while that is kept."""
    known: ByFrame[Node | None] = ByFrame()
    return lambda frame: known.get(frame, None, lambda: at(frame))


def _some(gate: Node | None) -> list[Node]:
    return [] if gate is None else [gate]
