"""A lens and a place to look from: how the scene's places come to lie in the picture, and back.

Plate pixels, origin at the top left corner of the top left pixel; the picture's middle is the lens's. The camera looks
along +z, x to the right and y down, and a place P of the scene lies at R P + t before it.
"""

from __future__ import annotations

from dataclasses import dataclass, replace

import cv2
import numpy as np

from cuvrel.core.arrays import F64

NEAREST = 1e-6  # before the camera; what is nearer is behind it


@dataclass(frozen=True)
class Lens:
    """A lens over a picture. focal: pixels. bend: k1 and k2, by which a place at a radius r of one focal length is
    pushed outwards to r (1 + k1 r^2 + k2 r^4) (Brown, Decentering Distortion of Lenses, 1966).
    """

    focal: float
    size: tuple[int, int]
    bend: tuple[float, float] = (0.0, 0.0)

    @property
    def middle(self) -> F64:
        """The picture's middle, in pixels."""
        return np.array(self.size, np.float64) / 2

    @property
    def matrix(self) -> F64:
        """The straight lens, (3, 3): from places before the camera to pixels."""
        x, y = self.middle
        return np.array([[self.focal, 0, x], [0, self.focal, y], [0, 0, 1.0]])

    @property
    def bends(self) -> bool:
        """Whether anything in the picture is moved by a twentieth of a pixel and more."""
        corner = float(np.hypot(*self.middle)) / self.focal
        return abs(self.bend[0] * corner**2 + self.bend[1] * corner**4) * corner * self.focal > 0.05

    def at(self, focal: float) -> Lens:
        """The same lens, zoomed."""
        return replace(self, focal=focal)

    def bent(self, places: F64) -> F64:
        """Where the lens shows what a straight one would show at pixels, (N, 2)."""
        at = (np.asarray(places, np.float64) - self.middle) / self.focal
        r2 = (at**2).sum(axis=-1, keepdims=True)
        return np.asarray(at * (1 + self.bend[0] * r2 + self.bend[1] * r2 * r2) * self.focal + self.middle)

    def straight(self, places: F64) -> F64:
        """Where a straight lens would show what this one shows at pixels, (N, 2)."""
        seen = (np.asarray(places, np.float64) - self.middle) / self.focal
        if self.bend == (0.0, 0.0):
            return np.asarray(places, np.float64)
        at = seen.copy()
        # Newton's method along the radius; it holds as long as the bend grows outwards
        for _ in range(12):
            r2 = (at**2).sum(axis=-1, keepdims=True)
            push = 1 + self.bend[0] * r2 + self.bend[1] * r2 * r2
            slope = np.maximum(1 + 3 * self.bend[0] * r2 + 5 * self.bend[1] * r2 * r2, 0.2)
            at = at - (at * push - seen) / slope
        return np.asarray(at * self.focal + self.middle)

    def ways(self, places: F64) -> F64:
        """The directions before the camera in which pixels look, (N, 3), each with a depth of 1."""
        at = (self.straight(places) - self.middle) / self.focal
        return np.concatenate([at, np.ones((*at.shape[:-1], 1))], axis=-1)


@dataclass(frozen=True)
class View:
    """A camera on a frame. turn: (3, 3), shift: (3,), from the scene to before the camera."""

    turn: F64
    shift: F64
    lens: Lens

    @property
    def eye(self) -> F64:
        """Where the camera stands in the scene, (3,)."""
        return np.asarray(-self.turn.T @ self.shift, np.float64)

    @property
    def matrix(self) -> F64:
        """From homogeneous places of the scene to pixels of a straight lens, (3, 4)."""
        return np.asarray(self.lens.matrix @ np.column_stack([self.turn, self.shift]), np.float64)

    def before(self, places: F64) -> F64:
        """Places of the scene as they lie before the camera, (N, 3)."""
        return np.asarray(np.asarray(places, np.float64) @ self.turn.T + self.shift, np.float64)

    def seen(self, places: F64) -> F64:
        """Where places of the scene are seen, (N, 2) pixels; NaN for what lies behind the camera."""
        before = self.before(places)
        deep = before[..., 2:]
        with np.errstate(divide="ignore", invalid="ignore"):
            flat = np.where(deep > NEAREST, before[..., :2] / deep, np.nan)
        return self.lens.bent(flat * self.lens.focal + self.lens.middle)

    def rays(self, pixels: F64) -> F64:
        """The directions in the scene in which pixels look, (N, 3); a depth of 1 each."""
        return np.asarray(self.lens.ways(pixels) @ self.turn, np.float64)


def between(a: View, b: View, share: float) -> View:
    """A view on the way from one to another: its place, its turn and the focal length's logarithm go evenly."""
    if share <= 0:
        return a
    if share >= 1:
        return b
    step = turned(cv2.Rodrigues(b.turn @ a.turn.T)[0].ravel() * share)
    turn = step @ a.turn
    eye = a.eye + (b.eye - a.eye) * share
    focal = float(a.lens.focal ** (1 - share) * b.lens.focal**share)
    return View(turn, -turn @ eye, a.lens.at(focal))


def turned(vector: F64) -> F64:
    """The rotation about a vector by its length in radians, (3, 3)."""
    return np.asarray(cv2.Rodrigues(np.asarray(vector, np.float64))[0], np.float64)


def fastened(view: View, origin: F64, across: F64, down: F64) -> F64:
    """From a flat picture's places (x, y) in the scene to pixels of a straight lens, (3, 3).

    origin: where (0, 0) lies in the scene; across, down: where a step along x and y goes.
    """
    return np.asarray(view.matrix @ np.vstack([np.column_stack([across, down, origin]), [0, 0, 1.0]]), np.float64)
