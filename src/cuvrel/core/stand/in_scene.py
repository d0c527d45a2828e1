"""Planes that stand in a camera's scene: where their pictures come to lie, in which order, and with what shadow."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np

from cuvrel.core.arrays import F32, F64
from cuvrel.core.camera.lens import View
from cuvrel.core.camera.path import CameraPath
from cuvrel.core.imaging.blend import blend
from cuvrel.core.imaging.colour import srgb_to_linear
from cuvrel.core.recipe.models import Plane, Shot
from cuvrel.core.recipe.values import Env, Motion
from cuvrel.core.stand import placement
from cuvrel.core.stand.cards import Stood, bent, cast, darkened, hazed, shadow_of, stood
from cuvrel.core.stand.nodes import Node, node


@dataclass(frozen=True)
class Seen:
    """A card at a time: its values, the camera then, and where it stands."""

    values: dict[str, Any]
    view: View
    path: CameraPath
    card: Stood


class InScene:
    """The cards of a shot. scale: of the frame's pixels over the plate's; size: rows and columns of the frame's."""

    def __init__(self, shot: Shot, motions: Mapping[str, Motion], scale: float, size: tuple[int, int]) -> None:
        self._shot, self._motions, self._scale, self._size = shot, motions, scale, size
        plate = shot.plate_footage()
        wide, high = shot.size
        self._middle = plate.width / 2, plate.height / 2
        self._corner = (wide - plate.width) / 2, (high - plate.height) / 2
        self._any = any(plane.card is not None for plane in shot.planes)

    def seen(self, plane: Plane, now: Env, own: tuple[float, float] | None) -> Seen | None:
        """A card at a time; None for what is none, and while its camera is not solved. own: its picture's size."""
        if plane.card is None:
            return None
        path = self._motions.get(plane.card.track)
        view = path.view(now.time) if isinstance(path, CameraPath) else None
        if view is None or not isinstance(path, CameraPath):
            return None
        values = plane.values("card").at(now)
        home = path.view(path.track.frame) or view
        wide, high = self._shot.size
        return Seen(values, view, path, stood(values, path.space, view, own or (float(high), float(wide)), home.eye))

    def ways(self, plane: Plane, now: Env, own: tuple[float, float] | None) -> list[F64] | None:
        """The maps from a card's picture into the frame, both about their middles; None where it is no card, or stays.

        They are a straight lens's: what the camera's own bends comes after.
        """
        first = self.seen(plane, now, own)
        if first is None or first.values["still"]:
            return None
        times = placement.times_of(now.time, float(first.values["shutter"]), float(first.values["samples"]))
        found = [self.seen(plane, now.moved_to(time), own) for time in times]
        maps = [self._about(one.card.way(one.view)) for one in found if one is not None]
        return maps[:1] if all(np.array_equal(one, maps[0]) for one in maps) else maps

    def _about(self, way: F64) -> F64:
        """A map into plate pixels as one to places about the frame's middle."""
        x, y = self._middle
        return np.asarray(np.array([[1, 0, -x], [0, 1, -y], [0, 0, 1.0]]) @ way, np.float64)

    def order(self, planes: Sequence[Plane], env: Env) -> Sequence[Plane]:
        """Planes front to back: cards that lie next to one another go by their distance, unless they say otherwise."""
        if not self._any:
            return planes
        out: list[Plane] = []
        run: list[tuple[float, Plane]] = []
        for plane in planes:
            seen = self.seen(plane, env, None)
            if seen is not None and seen.values["order"] == "by distance":
                run.append((seen.card.depth(seen.view), plane))
                continue
            out += [one for _, one in sorted(run, key=lambda each: each[0])]
            run = []
            out.append(plane)
        return [*out, *(one for _, one in sorted(run, key=lambda each: each[0]))]

    def finished(self, plane: Plane, now: Env, own: tuple[float, float] | None, picture: Node, laid: Node) -> Node:
        """A card's picture as it was laid into the frame by a straight lens, with the lens's bend, haze and shadow."""
        seen = self.seen(plane, now, own)
        if seen is None:
            return laid
        values, view, scale, corner = seen.values, seen.view, self._scale, self._corner
        bends, stays = view.lens.bends, bool(values["still"])
        about = [_told(view), scale]
        if bends and not stays:
            laid = node("bent", about, [laid], lambda p: bent(p, view, scale, corner))
        haze = float(values["haze"])
        if haze > 0:
            far = float(np.linalg.norm(seen.path.space.told(seen.card.origin[None])[0]
                                       - seen.path.space.told(view.eye[None])[0]))  # fmt: skip
            share = float(1 - (1 - min(haze, 0.999)) ** (far / 10))
            colour = np.asarray(srgb_to_linear(np.array(values["haze_colour"], np.float32)), np.float64)
            laid = node("hazed", [share, colour.tolist()], [laid], lambda p: hazed(p, share, colour))
        strength = float(values["shadow"])
        if strength <= 0 or values["far"]:
            return laid
        shadow = self._shadow(seen, own, picture, laid, strength)
        return laid if shadow is None else node("over-shadow", None, [shadow, laid], lambda s, p: blend(s, p, "normal"))

    def _shadow(self, seen: Seen, own: tuple[float, float] | None, picture: Node, laid: Node, strength: float
                ) -> Node | None:  # fmt: skip
        values, view, scale, size = seen.values, seen.view, self._scale, self._size
        axes, corner = seen.path.space, self._corner
        place = axes.solved(np.array([float(values[name]) for name in ("x", "y", "z")]))
        if values["still"]:
            found = cast(place, view, values, axes)
            if found is None:
                return None
            # what lies in the picture is read where it lies, about the frame's middle
            x, y = self._middle
            way = self._about(np.asarray(found @ np.array([[1, 0, x], [0, 1, y], [0, 0, 1.0]]), np.float64))
            source, rows, columns = laid, size[0] / scale, size[1] / scale
        else:
            ground = shadow_of(seen.card, values, axes)
            if ground is None:
                return None
            way = self._about(ground.way(view))
            wide, high = self._shot.size
            source = picture
            rows, columns = own or (float(high), float(wide))
        # as soft as so many units are wide at the foot
        deep = max(float(view.before(place[None])[0, 2]), 1e-6)
        sigma = float(values["shadow_soft"]) / axes.size * view.lens.focal / deep * scale / 2

        def run(image: F32) -> F32:
            fit = columns / image.shape[1], rows / image.shape[0]
            fallen = placement.placed(image, [way], size, fit, scale)
            if view.lens.bends:
                fallen = bent(fallen, view, scale, corner)
            return darkened(fallen, strength, min(sigma, 200.0))

        return node("shadow", [way.tolist(), rows, columns, size, scale, strength, sigma, _told(view)], [source], run)


def _told(view: View) -> list[Any]:
    return [view.turn.tolist(), view.shift.tolist(), view.lens.focal, view.lens.bend, view.lens.size]
