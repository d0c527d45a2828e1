"""Things to make clips of: people, animals, birds, twigs with limbs, soft blobs and sheets."""

from __future__ import annotations

import numpy as np

from cuvrel.core.arrays import F32
from training.bodies import beast, bird, dressed
from training.parts import Part, blob, limb, sheet
from training.textures import palette

MADE = {"dressed": dressed, "beast": beast, "bird": bird}


def figure(rng: np.random.Generator, tall: float, base: F32) -> list[Part]:
    """Something with limbs, about `tall` pixels high."""
    ragged = float(rng.choice([0, 0, 1, 3, -rng.uniform(0.02, 0.12) * tall], p=[0.25, 0.2, 0.2, 0.15, 0.2]))
    colours = [palette(rng, base), palette(rng), palette(rng, base if rng.uniform() < 0.5 else None)]
    fast = rng.uniform(0.02, 0.5)
    wave = float(rng.uniform(0, 0.06) * tall * (rng.uniform() < 0.5))

    def swing(most: float) -> tuple[float, float, float]:
        return float(rng.uniform(0.05, most)), float(fast * rng.uniform(0.6, 1.4)), float(rng.uniform(0, 6))

    kinds = ["person", "dressed", "beast", "blob", "bird", "tree", "sheet"]
    kind = rng.choice(kinds, p=[0.13, 0.2, 0.1, 0.12, 0.21, 0.1, 0.14])
    if kind in MADE:
        return MADE[kind](rng, tall, colours, ragged, fast)
    if kind in ("blob", "sheet"):
        make = blob if kind == "blob" else sheet
        picture, middle = make(rng, tall * rng.uniform(0.5, 1), colours[0], ragged)
        folds = float(rng.choice([rng.uniform(0, 0.4), rng.uniform(0.4, 0.9)], p=[0.8, 0.2]))
        return [Part(picture, (middle[0], middle[1]), -1, (0, 0), 0, *swing(0.5), folds, wave)]
    picture, ends = limb(rng, tall * 0.36, tall * rng.uniform(0.14, 0.26), colours[0], ragged)
    middle = ends.mean(0)
    parts = [Part(picture, (middle[0], middle[1]), -1, (0, 0), 0, *swing(0.25))]
    joints = [(0, 0.0), (0, 0.0), (1, 0.0), (1, 0.0)] if kind == "person" else [
        (int(rng.integers(0, 2)), rng.uniform(-2.5, 2.5)) for _ in range(int(rng.integers(2, 7)))
    ]  # fmt: skip
    for end, angle in joints:
        wide = tall * rng.uniform(0.03, 0.09)
        length = tall * rng.uniform(0.15, 0.3)
        outset = rng.uniform(-2.2, 2.2) if end == 0 else rng.uniform(-0.5, 0.5)
        picture, found = limb(rng, length, wide, colours[int(rng.integers(0, 3))], ragged)
        parts.append(Part(picture, (found[0, 0], found[0, 1]), 0, tuple(ends[end]), angle + outset, *swing(1.2)))
        if rng.uniform() < 0.8:
            picture, lower = limb(rng, length * 0.9, wide * 0.8, colours[int(rng.integers(0, 3))], ragged)
            parts.append(
                Part(
                    picture,
                    (lower[0, 0], lower[0, 1]),
                    len(parts) - 1,
                    tuple(found[1]),
                    rng.uniform(-0.5, 0.5),
                    *swing(1.2),
                )
            )
    picture, middle = blob(rng, tall * rng.uniform(0.12, 0.2), colours[int(rng.integers(1, 3))], ragged)
    neck = (float(ends[0, 0]), float(ends[0, 1] - tall * 0.12))
    parts.append(Part(picture, (middle[0], middle[1]), 0, neck, 0, *swing(0.3)))
    if rng.uniform() < 0.4:  # something held, like a flag
        picture, middle = blob(rng, tall * rng.uniform(0.15, 0.35), palette(rng), 0)
        held = len(parts) - 2
        at = parts[held].pivot
        parts.append(
            Part(picture, (middle[0], middle[1] * 0.3), held, (at[0], at[1] + tall * 0.15), 0, *swing(1.0), 0.0, wave)
        )
    return parts
