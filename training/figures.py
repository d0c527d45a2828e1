"""Things to make clips of: articulated figures, soft blobs, sheets, birds, in textures of their own."""

from __future__ import annotations

from dataclasses import dataclass, replace

import cv2
import numpy as np
from numpy.typing import NDArray

from training.before import strands
from training.lens import in_light
from training.textures import noise, palette, texture, trimmed

F32 = NDArray[np.float32]


@dataclass
class Part:
    """A piece with its own premultiplied picture, hung on another: turns about its joint."""

    picture: F32  # (h, w, 4), premultiplied
    pivot: tuple[float, float]  # in the picture
    parent: int  # -1: the root
    at: tuple[float, float]  # where the joint lies in the parent's picture
    angle: float
    swing: float
    pace: float
    phase: float
    squeeze: float = 0.0  # how far it foreshortens while it swings
    wave: float = 0.0  # how far it ripples, in pixels


def _ragged(rng: np.random.Generator, mask: F32, amount: float) -> F32:
    """A mask with an uneven or hairy outline."""
    if amount <= 0:
        return cv2.GaussianBlur(mask, (0, 0), 0.6)
    soft = cv2.GaussianBlur(mask, (0, 0), 1 + amount)
    rough = noise(rng, *mask.shape, coarse=max(2, mask.shape[0] // 8), octaves=3)
    return np.clip((soft - 0.5 + 0.35 * rough * (soft > 0.02)) * 4 / (1 + 0.3 * amount) + 0.5, 0, 1)


def _surface(rng: np.random.Generator, mask: F32, colours: F32, ragged: float) -> F32:
    """A mask dressed in a texture with a little roundness, premultiplied (h, w, 4).

    ragged: how uneven its outline is; below 0 how long the hairs on it are.
    """
    h, w = mask.shape
    cover = _ragged(rng, mask, max(0.0, ragged))
    if ragged < 0:
        cover = np.minimum(1, cv2.GaussianBlur(strands(rng, cover, -ragged), (0, 0), 0.5))
    colour = trimmed(rng, texture(rng, h, w, colours), mask)
    depth = cv2.distanceTransform((mask > 0.5).astype(np.uint8), cv2.DIST_L2, 3)
    round_ = np.clip(depth / max(1.0, float(depth.max())), 0, 1)
    side = np.linspace(-1, 1, w, dtype=np.float32)[None] * rng.uniform(-0.3, 0.3)
    # light falls on most things from above
    above = np.linspace(1, -1, h, dtype=np.float32)[:, None] * rng.uniform(-0.1, 0.45) * (rng.uniform() < 0.5)
    colour = np.clip(colour * np.maximum(0.1, 0.7 + 0.3 * round_ + side + above)[..., None], 0, 1)
    return np.dstack([colour * cover[..., None], cover]).astype(np.float32)


def limb(rng: np.random.Generator, length: float, wide: float, colours: F32, ragged: float) -> tuple[F32, F32]:
    """A capsule that narrows, hanging from its joint; returns its picture and its two ends."""
    pad = wide + 4 + max(0.0, -ragged)
    h, w = int(length + 2 * pad), int(2 * pad + wide)
    mask = np.zeros((h, w), np.float32)
    x = w / 2
    for share in np.linspace(0, 1, max(2, int(length / 3))):
        radius = wide / 2 * (1 - 0.35 * share)
        cv2.circle(mask, (int(x), int(pad + share * length)), max(1, int(radius)), 1.0, -1, cv2.LINE_AA)
    return _surface(rng, mask, colours, ragged), np.array([[x, pad], [x, pad + length]], np.float32)


def _within(
    rng: np.random.Generator, points: NDArray[np.float64], side: int, colours: F32, ragged: float
) -> tuple[F32, F32]:
    """What a closed line about the middle of a square encloses, dressed; returns its picture and its middle."""
    mask = np.zeros((side, side), np.float32)
    cv2.fillPoly(mask, [np.round((points + side / 2) * 8).astype(np.int32)], 1.0, cv2.LINE_AA, 3)
    return _surface(rng, mask, colours, ragged), np.array([side / 2, side / 2], np.float32)


def blob(rng: np.random.Generator, size: float, colours: F32, ragged: float) -> tuple[F32, F32]:
    """A closed curve of some waves, or a polygon; returns its picture and its middle."""
    side = int(size * 1.5 + 2 * max(0.0, -ragged)) + 12
    turn = np.linspace(0, 2 * np.pi, 60, endpoint=False)
    radius = np.ones(60)
    for wave in range(2, 7):
        radius += rng.normal(0, 0.28 / wave) * np.sin(wave * turn + rng.uniform(0, 6))
    points = np.stack([np.cos(turn), np.sin(turn) * rng.uniform(0.45, 1)], 1) * radius[:, None] * size / 2
    if rng.uniform() < 0.3:
        points = points[:: int(rng.integers(8, 16))]
    return _within(rng, points, side, colours, ragged)


def sheet(rng: np.random.Generator, size: float, colours: F32, ragged: float) -> tuple[F32, F32]:
    """A flag, a board or a crate, its sides not quite straight; returns its picture and its middle."""
    side = int(size * 1.6 + 2 * max(0.0, -ragged)) + 12
    half = np.array([0.5, 0.5 * rng.uniform(0.3, 1)]) * size
    corners = np.array([[-1, -1], [1, -1], [1, 1], [-1, 1]]) * half + rng.normal(0, 0.03 * size, (4, 2))
    share = np.linspace(0, 1, 12, endpoint=False)[:, None]
    bulge = rng.normal(0, 0.03 * size, 2)
    points = np.concatenate(
        [
            a + (b - a) * share + np.sin(np.pi * share) * bulge
            for a, b in zip(corners, np.roll(corners, -1, 0), strict=True)
        ]
    )
    return _within(rng, points, side, colours, ragged)


def figure(rng: np.random.Generator, tall: float, base: F32) -> list[Part]:
    """Something with limbs, about `tall` pixels high."""
    ragged = float(rng.choice([0, 0, 1, 3, -rng.uniform(0.02, 0.12) * tall], p=[0.25, 0.2, 0.2, 0.15, 0.2]))
    colours = [palette(rng, base), palette(rng), palette(rng, base if rng.uniform() < 0.5 else None)]
    fast = rng.uniform(0.02, 0.5)
    wave = float(rng.uniform(0, 0.06) * tall * (rng.uniform() < 0.5))

    def swing(most: float) -> tuple[float, float, float]:
        return float(rng.uniform(0.05, most)), float(fast * rng.uniform(0.6, 1.4)), float(rng.uniform(0, 6))

    kind = rng.choice(["person", "blob", "bird", "tree", "sheet"], p=[0.4, 0.2, 0.14, 0.13, 0.13])
    if kind in ("blob", "sheet"):
        make = blob if kind == "blob" else sheet
        picture, middle = make(rng, tall * rng.uniform(0.5, 1), colours[0], ragged)
        return [Part(picture, (middle[0], middle[1]), -1, (0, 0), 0, *swing(0.5), float(rng.uniform(0, 0.4)), wave)]
    if kind == "bird":
        picture, ends = limb(rng, tall * 0.5, tall * 0.2, colours[0], ragged)
        middle = ends.mean(0)
        parts = [Part(picture, (middle[0], middle[1]), -1, (0, 0), float(rng.uniform(1, 2)), *swing(0.2))]
        amount, pace, phase = rng.uniform(0.4, 1.1), rng.uniform(0.2, 1.2), rng.uniform(0, 6)
        for side in (-1, 1):
            picture, ends = limb(rng, tall * rng.uniform(0.5, 0.8), tall * 0.18, colours[1], max(0, ragged) + 1)
            pivot = (float(ends[0, 0]), float(ends[0, 1]))
            parts.append(Part(picture, pivot, 0, (middle[0], middle[1]), side * 1.5, side * amount, pace, phase, 0.5))
        return parts
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


def lit_parts(parts: list[Part]) -> list[Part]:
    """A thing whose pictures are amounts of light."""
    return [replace(part, picture=in_light(part.picture)) for part in parts]
