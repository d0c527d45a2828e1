"""Clips whose camera moves: a walk along the quay, and the moves that a solved camera is measured by."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

import numpy as np

from cuvrel.core.arrays import F64
from footage.backdrop import trace_set
from footage.body import CAP, COAT, LEATHER, OILCLOTH, TROUSERS, WOOL
from footage.people import Person, vec
from footage.quay import BRICK, DAY, PLANK, PLASTER, Camera, box, furniture, post, sheds
from footage.scene import FPS, Parts, Scene, body_marks

Way = Callable[[float], Camera]
LENS = 1.05  # focal length in heights of the picture


def place() -> list[list[float]]:
    """The quay with a little more on it: a stack of crates, a low wall, poles and a hut's wall."""
    more = [
        box(-2.4, 0, 6.4, 0.9, 0.9, 0.9, PLANK, 21), box(-2.2, 0.9, 6.5, 0.6, 0.6, 0.6, PLANK, 22),
        box(2.9, 0, 7.2, 1.2, 0.8, 0.8, PLANK, 23), post(1.5, 0, 9.4, 0.3, 0.95, PLANK, 24),
        box(-6.6, 0, 10.2, 2.6, 2.7, 1.6, BRICK, 25), box(7.8, 0, 10.4, 2.4, 2.5, 1.4, PLASTER, 26),
        post(0.2, 0, 10.6, 0.09, 3.4, PLANK, 27),
    ]  # fmt: skip
    return [*sheds(), *furniture(), *more]


def _looking(at: F64, to: F64, focal: float, roll: tuple[float, float] = (0.0, 0.0)) -> Camera:
    x, y, z = to - at
    yaw, pitch = float(np.arctan2(x, z)) + roll[0], float(np.arctan2(y, np.hypot(x, z))) + roll[1]
    return Camera((float(at[0]), float(at[1]), float(at[2])), yaw, pitch, focal, 8.0, 0.0)


def _hand(t: float, much: float) -> tuple[float, float]:
    """How a hand lets a camera waver, in radians: to the right and up."""
    x = np.sin(t * 2.1) + 0.5 * np.sin(t * 5.3 + 1) + 0.2 * np.sin(t * 11.1)
    y = 0.7 * np.sin(t * 2.9 + 2) + 0.4 * np.sin(t * 6.7) + 0.2 * np.sin(t * 12.9 + 0.5)
    return float(x * much), float(y * much)


def dolly(t: float) -> Camera:
    """Straight ahead."""
    return _looking(vec(0.2, 1.6, -1.0 + 1.1 * t), vec(0.2, 1.25, 12), LENS)


def arc(t: float) -> Camera:
    """A turn about the crates."""
    angle = -0.42 + 0.28 * t
    return _looking(vec(7.5 * np.sin(angle), 1.9, 8 - 7.5 * np.cos(angle)), vec(0, 1.0, 8), LENS)


def handheld(t: float) -> Camera:
    """A walk with the camera in the hand."""
    at = vec(-1.6 + 0.75 * t, 1.6 + 0.05 * np.sin(t * 10.5), 0.3 * t)
    return _looking(at, at + vec(0.25, -0.12, 6), LENS, _hand(t, 0.012))


def zoom(t: float) -> Camera:
    """A slide to the right while the lens goes in."""
    return replace(_looking(vec(-1.4 + 0.9 * t, 1.6, 0), vec(0, 1.2, 9), LENS), focal=LENS * (1 + 0.2 * t))


def fast(t: float) -> Camera:
    """A slide that is fast enough to smear the picture."""
    at = vec(-2.2 + 1.5 * t, 1.6, 0.4)
    return _looking(at, at + vec(-0.35, -0.10, 6), LENS)


def pan(t: float) -> Camera:
    """A turn on the spot."""
    return _looking(vec(0, 1.6, 0), vec(np.sin(-0.5 + 0.32 * t) * 9, 1.2, np.cos(-0.5 + 0.32 * t) * 9), LENS)


def _scene(name: str, way: Way, parts: Callable[[float], Parts] | None = None, owners: list[str] | None = None,
           marks: Callable[[float], list] | None = None, frames: int = 72) -> Scene:  # fmt: skip
    return Scene(name=name, frames=frames, camera=way(0), way=way, light=DAY, solids=place(),
                 parts=parts or (lambda t: []), attributes=["moving camera"], owners=owners or [],
                 marks=marks or (lambda t: []), seed=61)  # fmt: skip


def crowd(t: float) -> Camera:
    """A slow slide behind a crowd."""
    return _looking(vec(-1.0 + 0.6 * t, 1.65, -0.2), vec(0.2, 1.2, 9), LENS)


def crowded() -> Scene:
    """Four people walk this way and that before the camera."""
    people = [Person(1, 1.7 + 0.05 * n, coat=coat, trousers=trousers, scarf=n % 2 == 0, cap=CAP if n % 2 else -1,
                     seed=70.0 + n) for n, (coat, trousers) in enumerate(
                         ((COAT, TROUSERS), (LEATHER, WOOL), (OILCLOTH, TROUSERS), (WOOL, TROUSERS)))]  # fmt: skip

    def parts(t: float) -> Parts:
        out: Parts = []
        for n, who in enumerate(people):
            side = 1 if n % 2 else -1
            x = side * (-2.6 + 1.25 * t + 0.8 * (n // 2))
            out += who.parts(vec(x, 0, 3.6 + 0.7 * n), side * np.pi / 2, t, 0.78, 2 * np.pi * t * 1.25 / 1.55 + n,
                             lean=0.05)  # fmt: skip
        return out

    return _scene("crowd", crowd, parts, ["crowd"])


def walk(t: float) -> Camera:
    """Along the quay beside somebody who walks."""
    at = vec(-1.7 + 0.62 * t, 1.55 + 0.02 * np.sin(t * 9.0), 0.35 * t)
    return _looking(at, vec(-0.9 + 0.62 * t, 1.25, 7), LENS, _hand(t, 0.004))


def quay_walk() -> Scene:
    """A signaller walks along the quay, and the camera goes with her."""
    who = Person(1, 1.7, coat=COAT, trousers=TROUSERS, scarf=True, cap=CAP, seed=83.0)

    def parts(t: float) -> Parts:
        return who.parts(vec(-2.3 + 0.95 * t, 0, 4.6 + 0.05 * t), np.pi / 2, t, 0.78, 2 * np.pi * t * 0.95 / 1.4,
                         lean=0.04)  # fmt: skip

    def marks(t: float) -> list:
        parts(t)
        return body_marks(who)

    scene = _scene("quay-walk", walk, parts, ["signaller"], marks, frames=96)
    scene.key = 20
    return scene


MOVES: dict[str, Callable[[], Scene]] = {
    "dolly": lambda: _scene("dolly", dolly),
    "arc": lambda: _scene("arc", arc),
    "handheld": lambda: _scene("handheld", handheld),
    "zoom": lambda: _scene("zoom", zoom),
    "bend": lambda: _scene("bend", arc),
    "crowd": crowded,
    "blur": lambda: replace(_scene("blur", fast), exposures=4, instants=4),
    "pan": lambda: _scene("pan", pan, frames=60),
}
BEND = -0.16  # of the clip through a lens that bends: the first coefficient, at a radius of one focal length


def anchors(scene: Scene, frame: int, size: tuple[int, int], count: int = 60, seed: int = 4) -> F64:
    """Places of the set that a frame shows, spread over it, in the world, (N, 3); none on the water or the sky."""
    camera = scene.seen_from((frame + 0.25) / FPS)
    row = camera.row().astype(np.float64)
    about = trace_set(camera, scene.light, scene.solids, size, 0, 1, scene.ground).about
    rng = np.random.default_rng(seed)
    out: list[F64] = []
    while len(out) < count:
        x, y = rng.uniform((0.04, 0.04), (0.96, 0.96)) * size
        column, line = int(x), int(y)
        far = float(about[line, column, 0])
        px, py = (column + 0.5 - size[0] / 2) / size[1], (size[1] / 2 - line - 0.5) / size[1]
        way = row[3:6] * px + row[6:9] * py + row[9:12] * row[12]
        at = row[:3] + way / np.linalg.norm(way) * far
        if far < 200 and at[1] > -0.5:
            out.append(at)
    return np.array(out)
