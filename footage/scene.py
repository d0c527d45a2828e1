"""What a clip is: its camera and light, what moves in it, what is known of the truth."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field
from typing import Any

import numpy as np

from footage.people import Person, V, vec
from footage.quay import (
    Camera,
    Light,
)

FPS = 24
Parts = list[list[float]]
Stroke = tuple[str, list[V]]


@dataclass
class Scene:
    """One clip. `parts` and `marks` are called with a time in seconds.

    owners: names of the subjects, in the order of their owner numbers. marks: strokes as (kind, world
    points, owner) on the frame `key`. shake: the hand-held camera's drift in heights of the picture.
    way: where a camera that moves is at a time; without, it stands. extra: more truth to write down per frame.
    """

    name: str
    frames: int
    camera: Camera
    light: Light
    solids: list[list[float]]
    parts: Callable[[float], Parts]
    attributes: list[str]
    owners: list[str]
    marks: Callable[[float], list[tuple[str, list[V], int]]]
    key: int = 0
    shake: float = 0.0
    way: Callable[[float], Camera] | None = None
    lamp: Callable[[float], list[float]] | None = None
    exposure: Callable[[float], float] = lambda t: 1.0
    extra: dict[str, Callable[[float], Any]] = field(default_factory=dict)
    ground: bool = True
    seed: int = 1
    instants: int = 6  # samples a pixel, each at its own instant of the shutter's time
    samples: int = 18  # of the set, a pixel
    exposures: int = 1  # of a camera that moves, within the shutter's time

    def seen_from(self, t: float) -> Camera:
        """Where the camera is at a time."""
        return self.camera if self.way is None else self.way(t)


def shaken(scene: Scene, t: float) -> tuple[float, float]:
    """Where the hand-held camera has drifted to at `t`, in heights of the picture."""
    x = np.sin(t * 0.9) + 0.45 * np.sin(t * 2.3 + 1) + 0.16 * np.sin(t * 7.1)
    y = 0.6 * np.sin(t * 1.2 + 2) + 0.28 * np.sin(t * 3.1) + 0.13 * np.sin(t * 8.3 + 0.5)
    return float(x * scene.shake), float(y * scene.shake)


def smooth(t: float, a: float, b: float) -> float:
    """0 before a, 1 after b, eased between."""
    s = float(np.clip((t - a) / (b - a), 0, 1))
    return s * s * (3 - 2 * s)


def body_marks(person: Person, owner: int = 1) -> list[tuple[str, list[V], int]]:
    """Strokes along somebody's body and limbs, from the joints of their last pose."""
    j = person.joints
    out = [("in", [j["head"], j["neck"], j["chest"], j["hip"]], owner)]
    for side in (-1, 1):
        out.append(("in", [j["hip"], j[f"knee{side}"], j[f"foot{side}"]], owner))
        out.append(("in", [j[f"shoulder{side}"], j[f"elbow{side}"], j[f"hand{side}"]], owner))
    return out


def around(centre: V, right: V, wide: float, high: float) -> list[tuple[str, list[V], int]]:
    """Out strokes about a figure that stands on the ground: both sides, above, and its feet's shadow."""
    up = vec(0, 1, 0)

    def at(r: float, u: float) -> V:
        return centre + right * r + up * u

    return [
        ("out", [at(-wide, 0.2), at(-wide, high * 0.55), at(-wide * 1.1, high * 0.95)], 0),
        ("out", [at(wide, 0.2), at(wide, high * 0.55), at(wide * 1.1, high * 0.95)], 0),
        ("out", [at(-wide * 0.7, high * 1.12), at(wide * 0.7, high * 1.12)], 0),
        ("out", [at(-wide * 0.8, -0.16), at(wide * 0.8, -0.16)], 0),
        ("out", [at(0.0, 0.1), at(0.0, 0.34 * high)], 0),
    ]
