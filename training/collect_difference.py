"""Samples for the difference key's networks.

A made-up place is seen once without and once with things that move before it: other light, shadows, a
lamp, rippling water, grain, compression, a camera that is not quite still. A sample is the stack that
compares the two, and the true coverage of what stands before the place.
"""

from __future__ import annotations

from dataclasses import replace

import cv2
import numpy as np
from numpy.typing import NDArray

from cuvrel.core.arrays import F32, U8
from cuvrel.core.keys.difference_clues import grain, planes
from cuvrel.core.keys.difference_key import matched
from cuvrel.core.keys.plate_comparison import first_look, lit, relit
from training.backgrounds import scenery
from training.camera import GAMMA, Lens, compressed, in_light, rendered, some_film, some_lens
from training.collect_follower import quantised
from training.composites import Path, lay, wandering
from training.distributions import log_uniform
from training.figures import figure
from training.parts import Part, lit_parts, swung
from training.textures import noise, palette

SIZE = (640, 360)
STILL = np.eye(2, 3)
LOOKS = "second", "first"


def _shadow(rng: np.random.Generator, at: tuple[float, float], tall: float) -> F32:
    """What is left of the light about a thing's feet, (h, w)."""
    w, h = SIZE
    dark = np.zeros((h // 2, w // 2), np.float32)
    centre = int((at[0] + tall * rng.normal(0, 0.4)) / 2), int((at[1] + tall * rng.uniform(0.2, 0.6)) / 2)
    axes = max(1, int(tall * rng.uniform(0.05, 0.5))), max(1, int(tall * rng.uniform(0.005, 0.06)))
    cv2.ellipse(dark, centre, axes, rng.normal(0, 15), 0, 360, float(rng.uniform(0.2, 0.7)), -1)
    return 1 - cv2.resize(cv2.GaussianBlur(dark, (0, 0), float(rng.uniform(0.5, 5))), (w, h))


def _lamp(rng: np.random.Generator, at: tuple[float, float], tall: float) -> F32:
    """Warm light about a place, (h, w, 3), 1 and more."""
    w, h = SIZE
    y, x = np.mgrid[0:h, 0:w].astype(np.float32)
    cx, cy = at[0] + tall * rng.normal(0, 0.25), at[1] + tall * rng.normal(0.1, 0.25)
    wide = tall * rng.uniform(0.15, 0.7)
    glow = np.exp(-(np.square((x - cx) / (wide * rng.uniform(0.7, 1.8))) + np.square((y - cy) / wide)))
    tint = np.array([1.0, rng.uniform(0.6, 1), rng.uniform(0.2, 1)], np.float32)
    return 1 + glow[..., None] * tint * np.float32(rng.uniform(0.1, 1.6))


def _bloom(rng: np.random.Generator, at: tuple[float, float], tall: float) -> tuple[F32, F32]:
    """A burning lamp: its coverage, (h, w), and the light that it spreads in air and lens, (h, w, 3), to be added."""
    w, h = SIZE
    y, x = np.mgrid[0:h, 0:w].astype(np.float32)
    cx, cy = at[0] + tall * rng.normal(0, 0.3), at[1] + tall * rng.normal(0, 0.25)
    apart = np.hypot(x - cx, y - cy)
    size = max(1.5, tall * rng.uniform(0.01, 0.07))
    wide = size * rng.uniform(2, 9)
    spread = np.exp(-np.square(apart / wide)) * rng.uniform(0.05, 0.6) + rng.uniform(0, 0.15) / (
        1 + np.square(apart / wide)
    )
    tint = np.array([1.0, rng.uniform(0.6, 1), rng.uniform(0.2, 1)], np.float32)
    body = np.clip((size * rng.uniform(0.8, 1.2) - apart) + 0.5, 0, 1)
    return body.astype(np.float32), (spread[..., None] * tint).astype(np.float32)


def _housing(rng: np.random.Generator, body: F32) -> F32:
    """What holds a lamp: a frame, a cap, a bar or a handle about its light, (h, w, 4), premultiplied."""
    rows, cols = np.nonzero(body > 0.5)
    h, w = body.shape
    if not len(rows) or rng.uniform() < 0.3:
        return np.zeros((h, w, 4), np.float32)
    x, y, size = float(cols.mean()), float(rows.mean()), max(2.0, float(np.ptp(cols)) / 2)
    cover = np.zeros((h, w), np.float32)
    across, along = size * rng.uniform(0.8, 1.6, 2), size * rng.uniform(1.2, 3.2, 2)
    turn = float(rng.normal(0, 0.2))

    def at(dx: float, dy: float) -> tuple[int, int]:
        return round(16 * (x + dx * np.cos(turn) - dy * np.sin(turn))), round(
            16 * (y + dx * np.sin(turn) + dy * np.cos(turn))
        )

    if rng.uniform() < 0.5:
        corners = [
            at(-across[0], -along[0]),
            at(across[0], -along[0]),
            at(across[1], along[1]),
            at(-across[1], along[1]),
        ]
        cv2.fillPoly(cover, [np.array(corners, np.int32)], 1.0, cv2.LINE_AA, 4)
    else:
        for end in (-1, 1):  # two caps, the light between them
            axes = round(16 * across[0]), round(16 * 0.5 * along[0])
            cv2.ellipse(cover, at(0, end * 0.8 * along[0]), axes, np.degrees(turn), 0, 360, 1.0, -1, cv2.LINE_AA, 4)
    if rng.uniform() < 0.6:  # what it hangs from
        cv2.line(cover, at(0, 0), at(0, -along[0] * rng.uniform(1.5, 3)), 1.0, max(1, round(size / 3)), cv2.LINE_AA, 4)
    colour = palette(rng)[0] * np.float32(rng.uniform(0.1, 0.7))
    return np.dstack([cover[..., None] * colour, cover]).astype(np.float32)


def _rippled(rng: np.random.Generator, picture: F32) -> F32:
    """A part of a place that never stands still, like water or leaves."""
    h, w = picture.shape[:2]
    y, x = np.mgrid[0:h, 0:w].astype(np.float32)
    part = np.clip(noise(rng, h, w, 1, 2) * 4, 0, 1)
    most = rng.uniform(0.5, 3)
    dx, dy = (noise(rng, h, w, 24, 2) * np.float32(most) * part for _ in range(2))
    return cv2.remap(picture, x + dx, y + dy, cv2.INTER_LINEAR)


def seen(rng: np.random.Generator, picture: F32, grain: float, quality: int) -> U8:
    """What a camera makes of it: grain, single colours of it coarser than others, and compression."""
    wild = rng.normal(0, 1, picture.shape).astype(np.float32)
    if rng.uniform() < 0.5:
        wild = cv2.GaussianBlur(wild, (0, 0), 0.7) * 1.8
    level = 1 + rng.uniform(0, 1) * (1 - picture)
    out = cv2.GaussianBlur(picture, (0, 0), 0.5) * 255 + wild * np.float32(grain) * level
    return compressed(out, quality)


def photographed(rng: np.random.Generator, light: F32, place: F32, lens: Lens | None = None) -> tuple[U8, U8]:
    """A frame and its clean plate, (h, w, 3) uint8, of amounts of light with and without what stands there.

    By one camera, if not at one time: another exposure and tint, a shift, more grain in one than in the other.
    """
    h, w = light.shape[:2]
    lens = lens or some_lens(rng)
    film = some_film(rng)
    gain = np.exp(rng.normal(0, 0.08, 3) + rng.normal(0, 0.1)).astype(np.float32)
    off = np.float32(rng.normal(0, 0.5, 2) * (rng.uniform() < 0.4))
    evened = float(rng.choice([0.1, 0.4, 1.0]))  # share of the grain that a clean plate of several frames still has
    grain = log_uniform(rng, 0.5, 14)
    if film is None:
        once = None
    else:  # its grain is in the light
        once, grain = replace(film, dark=film.dark * evened, lit=film.lit * evened), grain / 4
    picture = rendered(lens.seen(light), film, rng)
    back = rendered(Lens(lens.soft).seen(place), once, rng)
    moved = cv2.warpAffine(back, np.array([[1, 0, off[0]], [0, 1, off[1]]]), (w, h), borderMode=cv2.BORDER_REFLECT)
    frame = seen(rng, picture * gain, grain, int(rng.integers(35, 96)))
    return frame, seen(rng, moved, grain * evened, int(rng.integers(60, 97)))


def pair(rng: np.random.Generator) -> tuple[U8, U8, F32]:
    """A frame, its clean plate, (h, w, 3) uint8, and true coverage, (h, w) float32."""
    w, h = SIZE
    base = palette(rng)
    back = scenery(rng, h, w, base)
    quick = log_uniform(rng, 0.3, 20)
    things: list[tuple[list[Part], Path, float]] = []
    for _ in range(int(rng.choice([0, 1, 2], p=[0.04, 0.78, 0.18]))):
        tall = log_uniform(rng, 0.2, 1.3) * h
        parts = figure(rng, tall, base if rng.uniform() < 0.45 else palette(rng))
        things.append((lit_parts(parts), wandering(rng, SIZE, 18, quick), tall))
    place = _rippled(rng, back) if rng.uniform() < 0.25 else back
    time, open_ = float(rng.uniform(0, 18)), float(rng.uniform(0.2, 0.9))
    light, lamp = np.ones((h, w, 1), np.float32), np.ones((h, w, 3), np.float32)
    for _, path, tall in things:
        x, y, _, scale = path.at(time)
        if rng.uniform() < 0.5:
            light *= _shadow(rng, (x, y), tall * scale)[..., None]
        if rng.uniform() < 0.3:
            lamp *= _lamp(rng, (x, y), tall * scale)
    total, cover = np.zeros((h, w, 3), np.float32), np.zeros((h, w), np.float32)
    swiftest = max([quick, *(swung(parts, tall) for parts, _, tall in things)])
    count = int(np.clip(swiftest * open_ * 0.6 + 2, 2, 12))
    place = in_light(place * light)
    for n in range(count):
        canvas, one = place.copy(), np.zeros((h, w), np.float32)
        for parts, path, _ in things:
            lay(canvas, one, parts, path, time + open_ * (n + 0.5) / count, False, STILL)
        total += canvas
        cover += one
    picture = total / count * np.power(lamp, GAMMA)
    cover /= count
    lens = some_lens(rng)
    for _, path, tall in things:
        if rng.uniform() < 0.3:
            x, y, _, scale = path.at(time)
            body, spread = _bloom(rng, (x, y), tall * scale)
            # a flame is far brighter than what it lights, and what the lens strays of it lies over its housing
            bright = np.array([1.0, rng.uniform(0.7, 1), rng.uniform(0.4, 1)], np.float32)
            bright *= np.float32(np.exp(rng.uniform(0, 2.5)))
            held = in_light(_housing(rng, body))
            picture = picture * (1 - held[..., 3:]) + held[..., :3]
            picture = picture * (1 - body[..., None]) + bright * body[..., None] + np.power(spread, GAMMA)
            cover = np.maximum(cover, np.maximum(held[..., 3], body))
    dark = np.float32(rng.uniform(0.12, 1) if rng.uniform() < 0.4 else 1)
    dim = np.power(dark, GAMMA)
    frame, clean = photographed(rng, picture * dim, in_light(back) * dim, lens)
    return frame, clean, cv2.GaussianBlur(cover, (0, 0), 0.5)


def sampled(rng: np.random.Generator, frame: U8, clean: U8, truth: F32, look: str) -> tuple[NDArray[np.int8], U8]:
    """A pair as a sample of one of LOOKS: its stack, (C, h, w), and the truth, (2 h, 2 w)."""
    behind, gain = matched(frame, clean, True, True)
    plate, before = lit(behind, gain), None
    if look == "second":
        found = first_look(frame, plate, int(rng.choice([240, 320, 400])))
        plate = relit(frame, plate, found)
        before = cv2.resize(found, (SIZE[0] // 2, SIZE[1] // 2), interpolation=cv2.INTER_LINEAR)
    level = np.round(np.clip(truth, 0, 1) * 255).astype(np.uint8)
    return quantised(planes(frame, plate, grain(frame, plate), before)), level


def gather(seed: int, look: str = LOOKS[0]) -> list[tuple[NDArray[np.int8], U8]]:
    """The samples of two pairs."""
    cv2.setNumThreads(1)
    rng = np.random.default_rng(seed + 3 * 10**6)
    return [sampled(rng, *pair(rng), look) for _ in range(2)]
