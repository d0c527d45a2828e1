"""Cards: planes whose picture stands in the scene that a camera track found.

Places are told as the hand laid the space out: across to the right, up, and ahead, in its own units, from its origin.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any, Literal

import cv2
import numpy as np

from cuvrel.core.arrays import F32, F64
from cuvrel.core.camera.lens import View, fastened
from cuvrel.core.camera.path import Axes
from cuvrel.core.recipe.declared import Params, choice, colour, declare, number, switch
from cuvrel.core.recipe.values import Colour, Scalar

FAR = 1e6  # units in which what is as far as the sky stands
WIDEST = 100_000


class CardParams(Params):
    """Upright at the origin, a unit wide, facing whoever stands before it."""

    x: Scalar = number(0.0, "Across", -WIDEST, WIDEST, step=0.01, slide=(-10, 10), hint="to the right of the origin")
    y: Scalar = number(0.0, "Up", -WIDEST, WIDEST, step=0.01, slide=(-5, 5), hint="above the ground")
    z: Scalar = number(0.0, "Ahead", -WIDEST, WIDEST, step=0.01, slide=(-20, 20), hint="ahead of the origin")
    width: Scalar = number(1.0, "Size", 0.001, WIDEST, step=0.01, slide=(0.05, 10), hint="how wide its picture is")
    turn: Scalar = number(0.0, "Turn", -36_000, 36_000, step=0.5, unit="°", slide=(-180, 180), hint="about the upright")
    lean: Scalar = number(
        0.0, "Lean", -36_000, 36_000, step=0.5, unit="°", slide=(-180, 180), hint="its top away; 90 lies on the ground"
    )
    roll: Scalar = number(0.0, "Roll", -36_000, 36_000, step=0.5, unit="°", slide=(-180, 180), hint="about its middle")
    foot: bool = switch(True, "Stands on its foot", hint="its place is its lower edge's middle, and not its own")
    face: Literal["as it is turned", "to the camera"] = choice(
        "as it is turned", "Faces", ["as it is turned", "to the camera"], hint="turned about the upright on every frame"
    )
    order: Literal["by distance", "by the stand"] = choice(
        "by distance", "In front", ["by distance", "by the stand"], hint="among cards that lie next to one another"
    )
    still: bool = switch(
        False, "Stays in the picture", hint="its picture lies as it does without; its place counts for shadow and order"
    )
    far: bool = switch(False, "As far as the sky", hint="it goes as the camera turns, and not as it moves")
    shadow: Scalar = number(0.0, "Shadow", 0, 1, neutral=0, hint="a dark copy on the ground")
    shadow_soft: Scalar = number(0.1, "Shadow soft", 0, 100, step=0.01, slide=(0, 1), hint="in the scene's units")
    light_turn: Scalar = number(
        -40.0, "Light from", -360, 360, step=1, unit="°", hint="0 is behind the scene, 90 its right"
    )
    light_high: Scalar = number(45.0, "Light high", 5, 90, step=1, unit="°", hint="above the ground")
    haze: Scalar = number(0.0, "Haze", 0, 1, neutral=0, hint="how much a card ten units away is lost in it")
    haze_colour: Colour = colour((0.72, 0.76, 0.8), "Haze's colour")
    shutter: Scalar = number(
        0.0, "Motion blur", 0, 720, step=5, unit="°", neutral=0, hint="of the camera's movement and its own"
    )
    samples: float = number(8.0, "Blur samples", 2, 64, step=1, animatable=False)


@declare("card", "card", "Card", CardParams, hint="where the plane's picture stands in the scene")
def _declared(*_: object) -> None:
    """The stand asks `stood`."""


def _about(axis: int, degrees: float) -> F64:
    c, s = np.cos(np.deg2rad(degrees)), np.sin(np.deg2rad(degrees))
    out = np.eye(3)
    a, b = [n for n in range(3) if n != axis]
    out[a, a], out[a, b], out[b, a], out[b, b] = c, -s, s, c
    return out


@dataclass(frozen=True)
class Stood:
    """A card in the scene: where the middle of its picture is, (3,), and where a picture pixel to the right and one
    down go, all in the solved space."""

    origin: F64
    across: F64
    down: F64

    def way(self, view: View) -> F64:
        """From the picture's places about its middle, in plate pixels, to pixels of a straight lens, (3, 3)."""
        return fastened(view, self.origin, self.across, self.down)

    def depth(self, view: View) -> float:
        """How far before the camera its middle is."""
        return float(view.before(self.origin[None])[0, 2])

    @property
    def normal(self) -> F64:
        """The way that it faces, towards whoever sees it the right way round."""
        return np.asarray(-np.cross(self.across, self.down), np.float64)


def stood(values: dict[str, Any], axes: Axes, view: View, size: tuple[float, float], home: F64) -> Stood:
    """A card by its values at a time. view: of the camera then. size: of its picture, (rows, columns) plate pixels.

    home: from where what is as far as the sky looks as it would in its place.
    """
    rows, columns = size
    place = np.array([float(values[name]) for name in ("x", "y", "z")])
    turn = float(values["turn"])
    if values["face"] == "to the camera":
        eye = axes.told(view.eye[None])[0]
        turn += float(np.degrees(np.arctan2(place[0] - eye[0], place[2] - eye[2])))
    # turned about the upright to the right, leant back, rolled clockwise as it is seen
    own = _about(1, -turn) @ _about(0, float(values["lean"])) @ _about(2, -float(values["roll"]))
    unit = float(values["width"]) / columns
    right, up = own[:, 0] * unit, own[:, 1] * unit
    if values["foot"]:
        place = place + up * rows / 2
    origin = axes.solved(place)
    if values["far"]:
        # so far away that nothing goes by, in the way in which it lies from home
        ahead = origin - home
        grown = FAR / max(float(np.linalg.norm(ahead)), 1e-9)
        return Stood(
            view.eye + ahead * grown, axes.turn @ right / axes.size * grown, -axes.turn @ up / axes.size * grown
        )
    return Stood(origin, axes.turn @ right / axes.size, -axes.turn @ up / axes.size)


def shadow_of(card: Stood, values: dict[str, Any], axes: Axes) -> Stood | None:
    """Where a card's shadow lies on the ground, pixel by pixel; None where the light comes along the ground."""
    around, high = np.deg2rad(float(values["light_turn"])), np.deg2rad(float(values["light_high"]))
    light = axes.turn @ np.array([np.sin(around) * np.cos(high), np.sin(high), np.cos(around) * np.cos(high)])
    up = axes.turn[:, 1]
    rise = float(light @ up)
    if rise < 1e-3:
        return None

    def dropped(place: F64) -> F64:
        return place - light * (float((place - axes.origin) @ up) / rise)

    origin = dropped(card.origin)
    return Stood(origin, dropped(card.origin + card.across) - origin, dropped(card.origin + card.down) - origin)


def upright(place: F64, view: View, axes: Axes) -> tuple[F64, F64]:
    """A level way across the picture and one straight down, at a place: an upright board facing the eye."""
    up = axes.turn[:, 1]
    ahead = place - view.eye
    ahead = ahead - up * float(ahead @ up)
    across = np.cross(ahead / max(float(np.linalg.norm(ahead)), 1e-9), up)
    return across, -up


def cast(place: F64, view: View, values: dict[str, Any], axes: Axes) -> F64 | None:
    """The shadow of what the picture shows upright at a place: between pixels of a straight lens, (3, 3)."""
    across, down = upright(place, view, axes)
    board = Stood(place, across, down)
    shadow = shadow_of(board, values, axes)
    if shadow is None:
        return None
    return np.asarray(shadow.way(view) @ np.linalg.inv(board.way(view)), np.float64)


def bent(picture: F32, view: View, scale: float, corner: tuple[float, float]) -> F32:
    """A picture of the frame that a straight lens made, as the camera's own lens shows it.

    corner: where the plate's corner lies in the frame, in plate pixels.
    """
    high, wide = picture.shape[:2]
    grid = np.stack(np.meshgrid(np.arange(wide) + 0.5, np.arange(high) + 0.5), -1).reshape(-1, 2)
    at = view.lens.straight(grid / scale - corner)
    to = ((at + corner) * scale - 0.5).reshape(high, wide, 2).astype(np.float32)
    return np.asarray(cv2.remap(picture, to, None, cv2.INTER_CUBIC, borderMode=cv2.BORDER_CONSTANT), np.float32).clip(0)


def hazed(picture: F32, share: float, linear: F64) -> F32:
    """A premultiplied picture, a share of which is lost in a colour, (3,) of linear light."""
    out = picture.copy()
    out[..., :3] = picture[..., :3] * np.float32(1 - share) + picture[..., 3:] * (linear * share).astype(np.float32)
    return out


def darkened(picture: F32, strength: float, sigma: float) -> F32:
    """A picture's shadow: black, as much as it covers, and soft by so many pixels."""
    cover = np.ascontiguousarray(picture[..., 3])
    if sigma > 0.3:
        cover = np.asarray(cv2.GaussianBlur(cover, (0, 0), sigma), np.float32)
    out = np.zeros_like(picture)
    out[..., 3] = np.clip(cover * np.float32(strength), 0, 1)
    return out
