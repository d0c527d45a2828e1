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
    if rng.uniform() < 0.5:
        colour = np.clip(colour * _lit(rng, mask)[..., None], 0, 1)
        return np.dstack([colour * cover[..., None], cover]).astype(np.float32)
    depth = cv2.distanceTransform((mask > 0.5).astype(np.uint8), cv2.DIST_L2, 3)
    round_ = np.clip(depth / max(1.0, float(depth.max())), 0, 1)
    side = np.linspace(-1, 1, w, dtype=np.float32)[None] * rng.uniform(-0.3, 0.3)
    # light falls on most things from above
    above = np.linspace(1, -1, h, dtype=np.float32)[:, None] * rng.uniform(-0.1, 0.45) * (rng.uniform() < 0.5)
    colour = np.clip(colour * np.maximum(0.1, 0.7 + 0.3 * round_ + side + above)[..., None], 0, 1)
    return np.dstack([colour * cover[..., None], cover]).astype(np.float32)


def _lit(rng: np.random.Generator, mask: F32) -> F32:
    """Light on a mask as if it were the outline of something round, lit from one side, (h, w) float32."""
    depth = cv2.distanceTransform((mask > 0.5).astype(np.uint8), cv2.DIST_L2, 3)
    inner = depth / max(1.0, float(depth.max()))
    bulge = cv2.GaussianBlur(np.sqrt(inner * (2 - inner)), (0, 0), 0.6 + 0.1 * float(depth.max()))
    slope = np.dstack([cv2.Sobel(bulge, cv2.CV_32F, 1, 0), cv2.Sobel(bulge, cv2.CV_32F, 0, 1)]) * depth.max() / 8
    turn = rng.normal(-np.pi / 2, 0.9)  # mostly from above
    facing = -(slope @ np.array([np.cos(turn), np.sin(turn)], np.float32))
    facing = facing / np.sqrt(1 + np.square(slope).sum(2))
    return np.asarray(np.maximum(0.15, rng.uniform(0.6, 0.95) + rng.uniform(0.1, 0.7) * facing), np.float32)


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

    kinds = ["person", "dressed", "beast", "blob", "bird", "tree", "sheet"]
    kind = rng.choice(kinds, p=[0.17, 0.22, 0.13, 0.14, 0.12, 0.1, 0.12])
    if kind in ("dressed", "beast"):
        return (_dressed if kind == "dressed" else _beast)(rng, tall, colours, ragged, fast)
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


def hull(rng: np.random.Generator, outline: list[tuple[float, float]], colours: F32, ragged: float) -> tuple[F32, F32]:
    """What a smooth line through these points encloses, dressed; returns its picture and the place of (0, 0) in it."""
    points = np.array(outline, np.float64)
    share = np.linspace(0, 1, 8, endpoint=False)[:, None]
    before, after, beyond = (np.roll(points, n, 0) for n in (1, -1, -2))
    smooth = np.concatenate(
        [
            # a Catmull-Rom spline
            b + 0.5 * share * (c - a + share * (2 * a - 5 * b + 4 * c - d + share * (3 * (b - c) + d - a)))
            for a, b, c, d in zip(before, points, after, beyond, strict=True)
        ]
    )
    pad = 6 + max(0.0, -ragged)
    least = smooth.min(0) - pad
    w, h = np.ceil(smooth.max(0) - least + pad).astype(int)
    mask = np.zeros((h, w), np.float32)
    cv2.fillPoly(mask, [np.round((smooth - least) * 8).astype(np.int32)], 1.0, cv2.LINE_AA, 3)
    return _surface(rng, mask, colours, ragged), (-least).astype(np.float32)


def _hung(
    rng: np.random.Generator, parts: list[Part], parent: int, at: NDArray, angle: float, swing: Part, picture: F32,
    joint: NDArray,
) -> int:  # fmt: skip
    """Adds a part that swings about as another one does; returns its number."""
    amount, pace = swing.swing * rng.uniform(0.6, 1.3), swing.pace
    phase = swing.phase + rng.normal(0, 0.4)
    parts.append(Part(picture, (float(joint[0]), float(joint[1])), parent, tuple(at), angle, amount, pace, phase))
    return len(parts) - 1


def _dressed(rng: np.random.Generator, tall: float, colours: list[F32], ragged: float, fast: float) -> list[Part]:
    """A person in clothes: a trunk with shoulders, sleeves and hands, trousers or a skirt, a head with hair."""
    wide, trunk = tall * rng.uniform(0.09, 0.15), tall * rng.uniform(0.28, 0.36)
    waist, hem, long = rng.uniform(0.6, 1) * wide, rng.uniform(0.7, 1.6) * wide, trunk * rng.uniform(1, 1.6)
    sides = [(wide * 0.5, -trunk * 0.04), (wide, trunk * 0.08), (waist, trunk * 0.6), (hem, long)]
    outline = [*sides, *((-x, y) for x, y in sides[::-1])]
    cloth, skin, legs = colours[0], palette(rng), colours[1]
    picture, origin = hull(rng, outline, cloth, ragged)
    lean = float(rng.normal(0, 0.12))
    parts = [Part(picture, (origin[0], origin[1] + trunk / 2), -1, (0, 0), lean, 0.1, fast, float(rng.uniform(0, 6)))]
    amount = float(rng.uniform(0.1, 0.9))
    for side in (-1, 1):
        step = Part(picture, (0, 0), 0, (0, 0), 0, amount, fast, float(rng.uniform(0, 0.6)) + (side > 0) * np.pi)
        thigh, ends = limb(rng, tall * 0.25, wide * rng.uniform(0.7, 1), legs, max(0, ragged))
        hip = origin + np.array([side * waist * 0.4, trunk * 0.95])
        upper = _hung(rng, parts, 0, hip, -lean, step, thigh, ends[0])
        shin, low = limb(rng, tall * 0.24, wide * 0.6, legs, 0)
        lower = _hung(rng, parts, upper, ends[1], 0.1, step, shin, low[0])
        foot, toe = limb(rng, tall * 0.07, wide * 0.45, palette(rng), 0)
        _hung(
            rng,
            parts,
            lower,
            low[1],
            float(rng.choice([-1.4, 1.4])),
            Part(foot, (0, 0), 0, (0, 0), 0, 0.1, fast, 0),
            foot,
            toe[0],
        )
        swung = float(rng.choice([0.1, rng.uniform(0, 2.6)]))
        arm = Part(
            picture,
            (0, 0),
            0,
            (0, 0),
            0,
            float(rng.uniform(0.1, 1)),
            fast * float(rng.choice([1, 2])),
            float(rng.uniform(0, 6)),
        )
        sleeve, ends = limb(rng, tall * 0.16, wide * rng.uniform(0.45, 0.7), cloth, max(0, ragged))
        shoulder = origin + np.array([side * wide * 0.85, trunk * 0.1])
        upper = _hung(rng, parts, 0, shoulder, -side * swung, arm, sleeve, ends[0])
        fore, low = limb(rng, tall * 0.15, wide * 0.42, cloth if rng.uniform() < 0.6 else skin, 0)
        lower = _hung(rng, parts, upper, ends[1], -side * rng.uniform(0, 0.8), arm, fore, low[0])
        hand, _ = limb(rng, wide * 0.3, wide * 0.4, skin, 0)
        _hung(rng, parts, lower, low[1], 0, arm, hand, np.array([hand.shape[1] / 2, hand.shape[0] / 2]))
        if rng.uniform() < 0.2:  # something carried: a lamp, a box, a flag
            thing, middle = (sheet if rng.uniform() < 0.5 else blob)(
                rng, tall * rng.uniform(0.08, 0.3), palette(rng), 0
            )
            _hung(rng, parts, lower, low[1], 0, arm, thing, middle * (1, 0.4))
    size = tall * rng.uniform(0.055, 0.08)
    ring = [
        (size * x, size * y)
        for x, y in ((0, -1.25), (0.8, -0.8), (0.9, 0.2), (0.4, 1.1), (-0.4, 1.1), (-0.9, 0.2), (-0.8, -0.8))
    ]
    nod = Part(picture, (0, 0), 0, (0, 0), 0, 0.15, fast, float(rng.uniform(0, 6)))
    face, middle = hull(rng, ring, skin, 0)
    head = _hung(rng, parts, 0, origin - np.array([0, size]), 0, nod, face, middle + np.array([0, size]))
    top = [*ring[:2], (size, -0.1 * size), (-size * rng.uniform(0.6, 1.3), size * rng.uniform(-0.3, 1)), ring[-1]]
    hair, middle_of = hull(rng, [(x * 1.1, y * 1.08) for x, y in top], palette(rng), min(ragged, 0) * 0.5)
    _hung(rng, parts, head, middle, 0, Part(hair, (0, 0), 0, (0, 0), 0, 0, fast, 0), hair, middle_of)
    return parts


def _beast(rng: np.random.Generator, tall: float, colours: list[F32], ragged: float, fast: float) -> list[Part]:
    """An animal from its side: a long body, legs, a neck with a head, a tail."""
    long, deep = tall * rng.uniform(0.4, 0.8), tall * rng.uniform(0.12, 0.24)
    belly = [(long * x, deep * y * rng.uniform(0.8, 1.2)) for x, y in
             ((0.5, -0.4), (0.55, 0.3), (0.2, 0.9), (-0.3, 0.7), (-0.55, 0.2), (-0.45, -0.6), (0, -0.8))]  # fmt: skip
    picture, origin = hull(rng, belly, colours[0], ragged)
    parts = [Part(picture, (origin[0], origin[1]), -1, (0, 0), float(rng.normal(0, 0.2)), 0.1, fast, 0.0)]
    amount = float(rng.uniform(0.1, 0.9))
    for n in range(int(rng.choice([2, 4]))):
        step = Part(picture, (0, 0), 0, (0, 0), 0, amount, fast, float(n * np.pi * rng.choice([1, 0.8])))
        wide = deep * rng.uniform(0.2, 0.5)
        leg, ends = limb(rng, tall * rng.uniform(0.1, 0.3), wide, colours[int(rng.integers(0, 2))], max(0, ragged))
        hip = origin + np.array([long * (0.35 if n % 2 else -0.35), deep * 0.4])
        upper = _hung(rng, parts, 0, hip, rng.normal(0, 0.3), step, leg, ends[0])
        if rng.uniform() < 0.7:
            leg, low = limb(rng, tall * rng.uniform(0.08, 0.25), wide * 0.7, colours[int(rng.integers(0, 3))], 0)
            _hung(rng, parts, upper, ends[1], rng.normal(0, 0.4), step, leg, low[0])
    nod = Part(picture, (0, 0), 0, (0, 0), 0, float(rng.uniform(0.05, 0.4)), fast, float(rng.uniform(0, 6)))
    neck, ends = limb(rng, tall * rng.uniform(0.05, 0.3), deep * rng.uniform(0.5, 1), colours[0], max(0, ragged))
    up = float(rng.uniform(-2.6, -1.2))
    upper = _hung(rng, parts, 0, origin + np.array([long * 0.42, -deep * 0.3]), up, nod, neck, ends[0])
    size = deep * rng.uniform(0.4, 0.9)
    snout = [(size * x, size * y) for x, y in ((-0.7, -0.6), (0.3, -0.7), (1.4, 0), (1.3, 0.4), (0, 0.7), (-0.8, 0.3))]
    head, middle = hull(rng, snout, colours[int(rng.integers(0, 3))], ragged * 0.5)
    _hung(rng, parts, upper, ends[1], -up + rng.normal(0, 0.3), nod, head, middle)
    tail, ends = limb(
        rng, tall * rng.uniform(0.08, 0.4), deep * rng.uniform(0.1, 0.5), colours[int(rng.integers(0, 3))], ragged
    )
    _hung(rng, parts, 0, origin - np.array([long * 0.5, deep * 0.1]), float(rng.uniform(0.5, 2.2)), nod, tail, ends[0])
    return parts


def lit_parts(parts: list[Part]) -> list[Part]:
    """A thing whose pictures are amounts of light."""
    return [replace(part, picture=in_light(part.picture)) for part in parts]
