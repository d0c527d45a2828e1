"""Samples of staged pairs for the difference key's networks.

Flat pieces laid over a picture have no shade of their own. Here solid figures stand in a solid place: sun and sky,
their shade, the shadows they cast and a lamp that somebody carries come from geometry, by the renderer that draws
the demo's footage. Places, clothes, colours, light and lenses are drawn by lot; none is one of the demo's.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

import cv2
import numpy as np
from footage.body import BRASS, GLOW, IRON, LEATHER, TONES, WOOD, block, cone, ellipsoid, sheet
from footage.people import Person, V, axis, vec
from footage.quay import DAY, DUSK, GREY, LAMP, NIGHT, Camera, Light, box, furniture, post, sheds
from footage.render import UNSEEN, Film
from footage.scene import Parts, Scene
from numpy.typing import NDArray

from cuvrel.core.arrays import F32, U8
from training.camera import GAMMA
from training.collect_difference import LOOKS, SIZE, photographed, sampled
from training.distributions import log_uniform

PAIRS = 8  # of one stage, which takes longer to build than a pair takes to expose
SAMPLES, INSTANTS = 8, 8  # of the place a pixel, and of a frame
SEEN = 12  # materials that a place may have
GLARE = 3.2  # times a lamp's light that the renderer gives its flame
Actor = Callable[[V, float], tuple[Parts, V | None]]  # what is somewhere at a time, and where its lamp is
CLOTHS = [n for n in range(len(TONES)) if n != GLOW]


def _light(rng: np.random.Generator) -> Light:
    base: Light = [DAY, DUSK, NIGHT, GREY][int(rng.integers(4))]

    def jittered(colour: tuple[float, float, float]) -> tuple[float, float, float]:
        r, g, b = np.asarray(colour) * np.exp(rng.normal(0, 0.15, 3) + rng.normal(0, 0.3))
        return float(r), float(g), float(b)

    sun = float(rng.normal()), float(rng.uniform(0.15, 1.2)), float(rng.normal())
    return Light(
        sun, jittered(base.sun_colour), jittered(base.zenith), jittered(base.horizon), float(rng.uniform(0, 1)),
        log_uniform(rng, 0.02, 0.3),
    )  # fmt: skip


def _solids(rng: np.random.Generator) -> list[list[float]]:
    out = sheds(int(rng.integers(1000, 10**6)))
    if rng.uniform() < 0.5:
        out += furniture()
    for n in range(int(rng.integers(0, 9))):
        x, z = rng.uniform(-8, 8), log_uniform(rng, 4, 20)
        material, seed = int(rng.integers(SEEN)), int(rng.integers(10**4)) + n
        if material == LAMP and rng.uniform() < 0.8:
            continue
        if rng.uniform() < 0.7:
            wide, high, deep = log_uniform(rng, 0.2, 9), log_uniform(rng, 0.2, 6), log_uniform(rng, 0.2, 3)
            out.append(box(x, rng.choice([0.0, rng.uniform(0, 3)]), z, wide, high, deep, material, seed))
        else:
            out.append(post(x, 0, z, log_uniform(rng, 0.04, 0.5), log_uniform(rng, 0.5, 7), material, seed))
    return out


def stage(rng: np.random.Generator) -> Film:
    """A place with its light, seen by a lens, and nobody in it."""
    camera = Camera(
        (0.0, float(rng.uniform(0.6, 2.6)), 0.0), float(rng.normal(0, 0.3)), float(rng.normal(0, 0.06)),
        log_uniform(rng, 0.9, 2.2), log_uniform(rng, 3, 12), float(rng.uniform(0, 0.05)),
    )  # fmt: skip
    scene = Scene(
        "staged", 1, camera, _light(rng), _solids(rng), lambda t: [UNSEEN], [], ["Anybody"], lambda t: [],
        seed=int(rng.integers(10**6)),
    )  # fmt: skip
    film = Film(scene, SIZE, SAMPLES, INSTANTS)
    if rng.uniform() < 0.5:  # places of other colours than the demo's
        order, tint = rng.permutation(3), np.exp(rng.normal(0, 0.2, 3)).astype(np.float32)
        film.set = replace(
            film.set, sunlit=np.ascontiguousarray(film.set.sunlit[..., order] * tint),
            ambient=np.ascontiguousarray(film.set.ambient[..., order] * tint),
        )  # fmt: skip
    return film


def _tones(rng: np.random.Generator) -> F32:
    """What things are coloured, in the form of the renderer's table."""
    tones = TONES.copy()
    colours = tones[:, :3] * np.exp(rng.normal(0, 0.6, (len(tones), 1)) + rng.normal(0, 0.35, (len(tones), 3)))
    tones[:, :3] = np.clip(colours, 0.008, 0.9)
    return tones


def _cloth(rng: np.random.Generator) -> int:
    return int(rng.choice(CLOTHS))


def _lantern(rng: np.random.Generator, grip: V) -> tuple[Parts, V]:
    """A lantern that hangs from a hand, and where its light is."""
    down, metal = vec(rng.normal(0, 0.2), -1, rng.normal(0, 0.2)), int(rng.choice([BRASS, IRON, WOOD, LEATHER]))
    down /= np.linalg.norm(down)
    hang, tall, wide = rng.uniform(0.03, 0.35), rng.uniform(0.05, 0.24), rng.uniform(0.02, 0.09)
    top = grip + down * hang
    low = top + down * tall
    out = [
        cone(grip, 0.006, top, 0.006, metal, 1),
        cone(top + down * wide * 0.4, wide, low - down * wide * 0.4, wide * rng.uniform(0.7, 1.3), GLOW, 1),
    ]
    for end, way in ((top, -down), (low, down)):
        if rng.uniform() < 0.85:
            cap = wide * rng.uniform(0.8, 1.7)
            out.append(cone(end, cap, end + way * rng.uniform(0.005, 0.06), cap * rng.uniform(0.4, 1.1), metal, 1))
    for _ in range(int(rng.choice([0, 2, 4]))):
        side = np.cross(down, rng.normal(size=3))
        side *= wide * 1.05 / np.linalg.norm(side)
        out.append(cone(top + side, 0.006, low + side, 0.006, metal, 1))
    return out, (top + low) / 2


def _held(rng: np.random.Generator, hand: V, way: V, t: float) -> Parts:
    """Something in a hand."""
    kind, material = int(rng.integers(4)), _cloth(rng)
    along = axis(vec(0, 0, 0), way + rng.normal(0, 0.4, 3))
    if kind == 0:
        return [cone(hand - along * 0.1, 0.014, hand + along * rng.uniform(0.3, 1.4), 0.010, material, 1)]
    if kind == 1:
        fly = axis(vec(0, 0, 0), np.cross(along, rng.normal(size=3)))
        long, wide = rng.uniform(0.2, 0.9, 2)
        return [
            cone(hand - along * 0.1, 0.012, hand + along * (long + 0.2), 0.010, WOOD, 1),
            sheet(
                hand + along * 0.15,
                along * long,
                fly * wide,
                material,
                1,
                9 * t + float(rng.uniform(0, 9)),
                float(rng.uniform(0.02, 0.1)),
            ),
        ]
    x, y, z = (log_uniform(rng, 0.06, 0.35) * one for one in np.linalg.qr(rng.normal(size=(3, 3)))[0])
    return [(block if kind == 2 else ellipsoid)(hand, x, y, z, material, 1, float(rng.uniform(0, 99)))]


def _things(rng: np.random.Generator, at: V) -> Parts:
    """A few solid shapes together, of no use to anybody."""
    out = []
    for _ in range(int(rng.integers(1, 7))):
        x, y, z = (log_uniform(rng, 0.04, 0.45) * one for one in np.linalg.qr(rng.normal(size=(3, 3)))[0])
        centre, material, seed = at + rng.normal(0, 0.3, 3), _cloth(rng), float(rng.uniform(0, 99))
        if rng.uniform() < 0.4:
            thick, thin = (log_uniform(rng, 0.01, 0.2) for _ in range(2))
            out.append(cone(centre - x, thick, centre + x, thin, material, 1))
        else:
            out.append((block if rng.uniform() < 0.5 else ellipsoid)(centre, x, y, z, material, 1, seed))
    return out


def _somebody(rng: np.random.Generator) -> Actor:
    """A person, who may carry a lamp."""
    who = Person(
        1, float(rng.uniform(1.3, 1.95)), coat=_cloth(rng), trousers=_cloth(rng), scarf=bool(rng.uniform() < 0.4),
        cap=_cloth(rng) if rng.uniform() < 0.7 else -1, beard=bool(rng.uniform() < 0.4), seed=float(rng.uniform(0, 99)),
        hair=bool(rng.uniform() < 0.85),
    )  # fmt: skip
    heading, lean, look, wind = rng.uniform(-np.pi, np.pi), rng.normal(0, 0.12), rng.normal(0, 0.4), rng.uniform(0, 1)
    stride, pace, phase = rng.choice([0.0, rng.uniform(0.5, 0.95)]), rng.uniform(3, 8), rng.uniform(0, 7)
    hands = {
        side: vec(side * rng.uniform(-0.1, 0.6), rng.uniform(0.75, 1.9), rng.uniform(-0.1, 0.5))
        for side in (-1, 1)
        if rng.uniform() < 0.6
    }
    waved = rng.normal(0, 0.6, 3) * (rng.uniform() < 0.4)
    lamp, other = (bool(rng.uniform() < share) for share in (0.5, 0.4))
    seed = int(rng.integers(2**31))

    def parts(at: V, t: float) -> tuple[Parts, V | None]:
        reach = {side: hand + waved * t for side, hand in hands.items()}
        out = who.parts(at, heading, t, float(stride), phase + pace * t, reach, float(lean), float(wind), float(look))
        drawn = np.random.default_rng(seed)  # the same things at every instant
        shine = None
        if lamp:
            more, shine = _lantern(drawn, who.joints["hand-1"])
            out += more
        if other:
            hand, elbow = who.joints["hand1"], who.joints["elbow1"]
            out += _held(drawn, hand, axis(elbow, hand), t)
        return out, shine

    return parts


def _something(rng: np.random.Generator) -> Actor:
    """Things that nobody holds."""
    seed = int(rng.integers(2**31))
    return lambda at, t: (_things(np.random.default_rng(seed), at), None)


def _acted(rng: np.random.Generator, scene: Scene) -> Scene:
    """The scene with somebody or something in it, for one frame."""
    camera = scene.camera
    row = camera.row().astype(np.float64)
    cast: list[tuple[V, V, Actor]] = []
    for _ in range(int(rng.choice([1, 2], p=[0.8, 0.2]))):
        away = log_uniform(rng, 1.6, 6)
        aside = away * rng.uniform(-0.75, 0.75) * SIZE[0] / SIZE[1] / 2 / camera.focal
        place = np.asarray(camera.at) + row[9:12] * away + row[3:6] * aside
        place[1] = rng.choice([0.0, rng.uniform(-0.4, 0.6)])
        speed = rng.normal(0, 1, 3) * log_uniform(rng, 0.05, 2.5) * np.array([1, 0.2, 1])
        if rng.uniform() < 0.8:
            cast.append((place, speed, _somebody(rng)))
        else:
            place[1] += rng.uniform(0.2, 1.6)
            cast.append((place, speed, _something(rng)))
    sky = float(np.mean(np.asarray(scene.light.horizon) + 0.4 * np.asarray(scene.light.sun_colour)))
    warm = np.array([1.9, rng.uniform(0.8, 1.8), rng.uniform(0.3, 1.6)])
    given = sky * log_uniform(rng, 0.3, 5)  # a metre away;
    flame = sky * log_uniform(rng, 2, 27) / GLARE  # far brighter than what it lights

    def parts(t: float) -> Parts:
        return [part for place, speed, actor in cast for part in actor(place + speed * t, t)[0]]

    def lamp(t: float) -> list[float]:
        for place, speed, actor in cast:
            shine = actor(place + speed * t, t)[1]
            if shine is not None:
                return [*shine, *(warm * flame), given / flame]
        return [0.0] * 7

    return replace(scene, parts=parts, lamp=lamp)


def pairs(rng: np.random.Generator, count: int) -> list[tuple[U8, U8, F32]]:
    """Frames, their clean plates, (h, w, 3) uint8, and true coverage, (h, w) float32, of one place."""
    film = stage(rng)
    empty = film.scene
    behind = film.exposed(0)[0]
    bright = float(np.median(behind)) + 1e-4
    out = []
    for _ in range(count):
        film.scene, film.tones = _acted(rng, empty), _tones(rng)
        light, cover = film.exposed(0)
        scale = np.float32(log_uniform(rng, 0.18, 0.65) ** GAMMA / bright)
        light, place = light * scale, behind * scale
        over = np.clip(light - np.float32(0.9), 0, 3)
        if over.max() > 0.02:  # what is too bright spreads in the lens
            for wide, much in ((log_uniform(rng, 2, 12), 0.5), (log_uniform(rng, 1, 4), 0.4)):
                light = light + cv2.GaussianBlur(over, (0, 0), wide) * np.float32(rng.uniform(0, much))
        out.append((*photographed(rng, light, place), cv2.GaussianBlur(cover[..., 0], (0, 0), 0.5)))
    return out


def gather(seed: int, look: str = LOOKS[0]) -> list[tuple[NDArray[np.int8], U8]]:
    """Samples of the pairs of one stage."""
    cv2.setNumThreads(1)
    rng = np.random.default_rng(seed + 5 * 10**6)
    return [sampled(rng, *pair, look) for pair in pairs(rng, PAIRS)]
