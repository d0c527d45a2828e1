"""People in clothes and animals, put together of pieces that swing about their joints."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from cuvrel.core.arrays import F32, F64
from training.distributions import log_uniform
from training.parts import Part, blob, hull, limb, sheet
from training.textures import palette

RING = ((0, -1.25), (0.8, -0.8), (0.9, 0.2), (0.4, 1.1), (-0.4, 1.1), (-0.9, 0.2), (-0.8, -0.8))  # about a head
FLANK = ((0.5, -0.4), (0.55, 0.3), (0.2, 0.9), (-0.3, 0.7), (-0.55, 0.2), (-0.45, -0.6), (0, -0.8))  # about a body
SNOUT = ((-0.7, -0.6), (0.3, -0.7), (1.4, 0), (1.3, 0.4), (0, 0.7), (-0.8, 0.3))  # about an animal's head


@dataclass(frozen=True)
class Swing:
    """How a part swings: how far, how fast a frame, and where in its swing it begins, all in radians."""

    amount: float
    pace: float
    phase: float


class Body:
    """Parts that hang on one another; each swings about as it is told to."""

    def __init__(self, rng: np.random.Generator, trunk: Part) -> None:
        self._rng = rng
        self.parts = [trunk]

    def hang(
        self, piece: tuple[F32, Sequence[float]], swing: Swing, angle: float, at: Sequence[float], parent: int = 0
    ) -> int:
        """Hangs a piece, a picture and its joint in it, on a place of a parent's picture; returns its number."""
        amount = swing.amount * self._rng.uniform(0.6, 1.3)
        phase = swing.phase + self._rng.normal(0, 0.4)
        picture, (x, y) = piece
        self.parts.append(Part(picture, (float(x), float(y)), parent, (at[0], at[1]), angle, amount, swing.pace, phase))
        return len(self.parts) - 1


def dressed(rng: np.random.Generator, tall: float, colours: list[F32], ragged: float, fast: float) -> list[Part]:
    """A person in clothes: a trunk with shoulders, sleeves and hands, trousers or a skirt, a head with hair.

    tall: in pixels; colours: palettes of the cloth, the legs and more; ragged: as for a limb; fast: pace of a step.
    """
    wide, trunk = tall * rng.uniform(0.09, 0.15), tall * rng.uniform(0.28, 0.36)
    waist, hem, long = rng.uniform(0.6, 1) * wide, rng.uniform(0.7, 1.6) * wide, trunk * rng.uniform(1, 1.6)
    sides = [(wide * 0.5, -trunk * 0.04), (wide, trunk * 0.08), (waist, trunk * 0.6), (hem, long)]
    cloth, skin, legs = colours[0], palette(rng), colours[1]
    picture, origin = hull(rng, [*sides, *((-x, y) for x, y in sides[::-1])], cloth, ragged)
    lean = float(rng.normal(0, 0.12))
    middle = float(origin[0]), float(origin[1]) + trunk / 2
    body = Body(rng, Part(picture, middle, -1, (0, 0), lean, 0.1, fast, float(rng.uniform(0, 6))))
    stride = float(rng.uniform(0.1, 0.9))
    for side in (-1, 1):
        step = Swing(stride, fast, float(rng.uniform(0, 0.6)) + (side > 0) * np.pi)
        thigh, (hip, knee) = limb(rng, tall * 0.25, wide * rng.uniform(0.7, 1), legs, max(0, ragged))
        upper = body.hang((thigh, hip), step, -lean, origin + np.array([side * waist * 0.4, trunk * 0.95]))
        shin, (top, ankle) = limb(rng, tall * 0.24, wide * 0.6, legs, 0)
        lower = body.hang((shin, top), step, 0.1, knee, upper)
        foot, (heel, _) = limb(rng, tall * 0.07, wide * 0.45, palette(rng), 0)
        body.hang((foot, heel), Swing(0.1, fast, 0), float(rng.choice([-1.4, 1.4])), ankle, lower)
        _arm(rng, body, side, tall, wide, (cloth, skin), ragged, fast, origin + np.array([0, trunk * 0.1]))
    size = tall * rng.uniform(0.055, 0.08)
    nod = Swing(0.15, fast, float(rng.uniform(0, 6)))
    ring = [(size * x, size * y) for x, y in RING]
    face, middle_of = hull(rng, ring, skin, 0)
    head = body.hang((face, middle_of + np.array([0, size])), nod, 0, origin - np.array([0, size]))
    top_of = [*ring[:2], (size, -0.1 * size), (-size * rng.uniform(0.6, 1.3), size * rng.uniform(-0.3, 1)), ring[-1]]
    hair = hull(rng, [(x * 1.1, y * 1.08) for x, y in top_of], palette(rng), min(ragged, 0) * 0.5)
    body.hang(hair, Swing(0, fast, 0), 0, middle_of, head)
    return body.parts


def _arm(
    rng: np.random.Generator, body: Body, side: int, tall: float, wide: float, colours: tuple[F32, F32],
    ragged: float, fast: float, shoulder: F64,
) -> None:  # fmt: skip
    """A sleeve, a forearm, a hand, and now and then something in it: a lamp, a box, a flag."""
    cloth, skin = colours
    swung = float(rng.choice([0.1, rng.uniform(0, 2.6)]))
    swing = Swing(float(rng.uniform(0.1, 1)), fast * float(rng.choice([1, 2])), float(rng.uniform(0, 6)))
    sleeve, (top, elbow) = limb(rng, tall * 0.16, wide * rng.uniform(0.45, 0.7), cloth, max(0, ragged))
    upper = body.hang((sleeve, top), swing, -side * swung, shoulder + np.array([side * wide * 0.85, 0]))
    fore, (top, wrist) = limb(rng, tall * 0.15, wide * 0.42, cloth if rng.uniform() < 0.6 else skin, 0)
    lower = body.hang((fore, top), swing, -side * rng.uniform(0, 0.8), elbow, upper)
    hand, ends = limb(rng, wide * 0.3, wide * 0.4, skin, 0)
    body.hang((hand, ends.mean(0)), swing, 0, wrist, lower)
    if rng.uniform() < 0.2:
        make = sheet if rng.uniform() < 0.5 else blob
        thing, middle = make(rng, tall * rng.uniform(0.08, 0.3), palette(rng), 0)
        body.hang((thing, middle * (1, 0.4)), swing, 0, wrist, lower)


def beast(rng: np.random.Generator, tall: float, colours: list[F32], ragged: float, fast: float) -> list[Part]:
    """An animal from its side: a long body, legs, a neck with a head, a tail. As for `dressed`."""

    def some() -> F32:
        return colours[int(rng.integers(0, 3))]

    long, deep = tall * rng.uniform(0.4, 0.8), tall * rng.uniform(0.12, 0.24)
    flank = [(long * x, deep * y * rng.uniform(0.8, 1.2)) for x, y in FLANK]
    picture, origin = hull(rng, flank, colours[0], ragged)
    lean = float(rng.normal(0, 0.2))
    body = Body(rng, Part(picture, (float(origin[0]), float(origin[1])), -1, (0, 0), lean, 0.1, fast, 0.0))
    stride = float(rng.uniform(0.1, 0.9))
    for n in range(int(rng.choice([2, 4]))):
        step = Swing(stride, fast, float(n * np.pi * rng.choice([1, 0.8])))
        wide = deep * rng.uniform(0.2, 0.5)
        leg, (hip, knee) = limb(rng, tall * rng.uniform(0.1, 0.3), wide, colours[n % 2], max(0, ragged))
        at = origin + np.array([long * (0.35 if n % 2 else -0.35), deep * 0.4])
        upper = body.hang((leg, hip), step, rng.normal(0, 0.3), at)
        if rng.uniform() < 0.7:
            leg, (top, _) = limb(rng, tall * rng.uniform(0.08, 0.25), wide * 0.7, some(), 0)
            body.hang((leg, top), step, rng.normal(0, 0.4), knee, upper)
    nod = Swing(float(rng.uniform(0.05, 0.4)), fast, float(rng.uniform(0, 6)))
    neck, (low, high) = limb(rng, tall * rng.uniform(0.05, 0.3), deep * rng.uniform(0.5, 1), colours[0], max(0, ragged))
    up = float(rng.uniform(-2.6, -1.2))
    upper = body.hang((neck, low), nod, up, origin + np.array([long * 0.42, -deep * 0.3]))
    size = deep * rng.uniform(0.4, 0.9)
    body.hang(hull(rng, [(size * x, size * y) for x, y in SNOUT], some(), ragged * 0.5), nod, -up, high, upper)
    tail, (root, _) = limb(rng, tall * rng.uniform(0.08, 0.4), deep * rng.uniform(0.1, 0.5), some(), ragged)
    body.hang((tail, root), nod, float(rng.uniform(0.5, 2.2)), origin - np.array([long * 0.5, deep * 0.1]))
    return body.parts


def bird(rng: np.random.Generator, tall: float, colours: list[F32], ragged: float, fast: float) -> list[Part]:
    """A bird, a moth or a fish: a body, a head, a tail, and wings of one piece or two that beat. As for `dressed`.

    A beat takes three frames to thirty: the quick ones are elsewhere on each frame.
    """
    long, deep = tall * rng.uniform(0.3, 0.6), tall * rng.uniform(0.08, 0.2)
    flank = [(long * x, deep * y * rng.uniform(0.8, 1.2)) for x, y in FLANK]
    picture, origin = hull(rng, flank, colours[0], min(ragged, 1.0))
    middle = float(origin[0]), float(origin[1])
    body = Body(rng, Part(picture, middle, -1, (0, 0), float(rng.normal(0, 0.5)), 0.1, fast, 0.0))
    size = deep * rng.uniform(0.4, 0.9)
    head = hull(rng, [(size * x, size * y) for x, y in SNOUT], colours[0] if rng.uniform() < 0.5 else colours[1], 0)
    body.hang(head, Swing(0.1, fast, 0), 0, origin + np.array([long * 0.55, -deep * 0.3]))
    tail, (root, _) = limb(rng, tall * rng.uniform(0.08, 0.3), deep * rng.uniform(0.2, 0.8), colours[1], ragged)
    body.hang((tail, root), Swing(0.2, fast, 1), np.pi / 2 + rng.normal(0, 0.2), origin - np.array([long * 0.5, 0]))
    pace = log_uniform(rng, 0.2, 2)
    beat = Swing(float(rng.uniform(0.4, 1.4)), pace, float(rng.uniform(0, 6)))
    mean, back = float(rng.normal(0, 0.3)), rng.uniform() < 0.5  # the far wing shows, or lies on the other side
    for side in (-1, 1):
        wide, span, where = tall * rng.uniform(0.1, 0.25), tall * rng.uniform(0.2, 0.5), rng.normal(0, 0.08)
        wing, (root, elbow) = limb(rng, span, wide, colours[2 if side > 0 else 1], max(0, ragged) + 1)
        up = Swing(beat.amount if back else side * beat.amount, pace, beat.phase)
        angle = (np.pi if back else side * np.pi / 2) + mean
        upper = body.hang((wing, root), up, angle, origin + np.array([long * where, -deep * 0.1]))
        if rng.uniform() < 0.6:
            tip, (root, _) = limb(rng, span * rng.uniform(0.5, 1), wide * 0.75, colours[2], max(0, ragged) + 1)
            lag = Swing(up.amount * rng.uniform(0.2, 0.8), pace, beat.phase - rng.uniform(0.3, 1.5))
            body.hang((tip, root), lag, 0, elbow, upper)
    for n in range(int(rng.choice([0, 1, 2], p=[0.6, 0.1, 0.3]))):
        leg, (hip, _) = limb(rng, tall * rng.uniform(0.05, 0.25), deep * 0.15, colours[1], 0)
        body.hang((leg, hip), Swing(0.2, fast, n), rng.normal(0.6, 0.3), origin + np.array([0.0, deep * 0.6]))
    return body.parts
