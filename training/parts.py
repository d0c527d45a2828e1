"""Pieces that made-up things are put together of: limbs, blobs, sheets, hulls, in textures of their own."""

from __future__ import annotations

from dataclasses import dataclass, replace

import cv2
import numpy as np

from cuvrel.core.arrays import F32, F64
from training.camera import in_light
from training.occluders import strands
from training.textures import noise, texture, trimmed

RIMMED = 0.2  # share of the pieces with light on their rim


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


def swung(parts: list[Part], tall: float) -> float:
    """How many pixels a frame the swiftest of a figure's parts swings about its joint. tall: the figure, in pixels."""
    return max((0.25 * tall * abs(part.swing * part.pace) for part in parts), default=0.0)


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
    light = (_lit if rng.uniform() < 0.5 else _shaded)(rng, depth)
    if rng.uniform() < RIMMED:
        light = light * rimmed(rng, depth)
    colour = np.clip(colour * light[..., None], 0, 1)
    return np.dstack([colour * cover[..., None], cover]).astype(np.float32)


def _shaded(rng: np.random.Generator, depth: F32) -> F32:
    """Light that falls off to a thing's outline, to one side and to below, (h, w) float32. depth: in pixels."""
    h, w = depth.shape
    round_ = np.clip(depth / max(1.0, float(depth.max())), 0, 1)
    side = np.linspace(-1, 1, w, dtype=np.float32)[None] * rng.uniform(-0.3, 0.3)
    # light falls on most things from above
    above = np.linspace(1, -1, h, dtype=np.float32)[:, None] * rng.uniform(-0.1, 0.45) * (rng.uniform() < 0.5)
    return np.maximum(0.1, 0.7 + 0.3 * round_ + side + above)


def _lit(rng: np.random.Generator, depth: F32) -> F32:
    """Light on a thing as if it were round and lit from one side, (h, w) float32. depth: in pixels."""
    facing = _facing(depth, rng.normal(-np.pi / 2, 0.9))  # mostly from above
    return np.asarray(np.maximum(0.15, rng.uniform(0.6, 0.95) + rng.uniform(0.1, 0.7) * facing), np.float32)


def rimmed(rng: np.random.Generator, depth: F32) -> F32:
    """A lamp or the sky from the side or behind: a bright rim on what is darker, (h, w) float32. depth: in pixels."""
    rim = np.exp(-depth / np.float32(rng.uniform(1, 5))) * np.maximum(_facing(depth, rng.uniform(0, 2 * np.pi)), 0)
    dark = rng.uniform(0.35, 0.85)
    return np.asarray(dark + (1.4 - dark) * np.minimum(2 * rim, 1), np.float32)


def _facing(depth: F32, turn: float) -> F32:
    """How far a round thing's surface turns to where light comes from, (h, w) float32, -1 to 1. depth: in pixels."""
    inner = depth / max(1.0, float(depth.max()))
    bulge = cv2.GaussianBlur(np.sqrt(inner * (2 - inner)), (0, 0), 0.6 + 0.1 * float(depth.max()))
    slope = np.dstack([cv2.Sobel(bulge, cv2.CV_32F, 1, 0), cv2.Sobel(bulge, cv2.CV_32F, 0, 1)]) * depth.max() / 8
    facing = -(slope @ np.array([np.cos(turn), np.sin(turn)], np.float32))
    return np.asarray(facing / np.sqrt(1 + np.square(slope).sum(2)), np.float32)


def limb(rng: np.random.Generator, length: float, wide: float, colours: F32, ragged: float) -> tuple[F32, F32]:
    """A capsule that narrows, hanging from its joint; returns its picture and its two ends."""
    pad = wide + 4 + max(0.0, -ragged)
    h, w = int(length + 2 * pad), int(2 * pad + wide)
    mask = np.zeros((h, w), np.float32)
    x = w / 2
    for share in np.linspace(0, 1, max(2, int(length / 3))):
        radius = wide / 2 * (1 - 0.35 * share)
        cv2.circle(mask, (int(x), int(pad + share * length)), max(1, int(radius)), 1.0, -1, cv2.LINE_AA)
    ragged = min(ragged, 0.2 * wide)  # what is thin would fade away
    return _surface(rng, mask, colours, ragged), np.array([[x, pad], [x, pad + length]], np.float32)


def _within(
    rng: np.random.Generator, points: F64, size: tuple[int, int], origin: F64,
    colours: F32, ragged: float,
) -> tuple[F32, F32]:  # fmt: skip
    """What a closed line encloses, dressed; returns its picture, of size (h, w), and the place of (0, 0) in it."""
    mask = np.zeros(size, np.float32)
    cv2.fillPoly(mask, [np.round((points + origin) * 8).astype(np.int32)], 1.0, cv2.LINE_AA, 3)
    return _surface(rng, mask, colours, ragged), origin.astype(np.float32)


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
    return _within(rng, points, (side, side), np.array([side / 2, side / 2]), colours, ragged)


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
    return _within(rng, points, (side, side), np.array([side / 2, side / 2]), colours, ragged)


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
    origin = pad - smooth.min(0)
    w, h = np.ceil(smooth.max(0) + origin + pad).astype(int)
    return _within(rng, smooth, (h, w), origin, colours, ragged)


def lit_parts(parts: list[Part]) -> list[Part]:
    """A thing whose pictures are amounts of light."""
    return [replace(part, picture=in_light(part.picture)) for part in parts]
