"""Clips of people: the signaller, the night watch, the porters."""

from __future__ import annotations

from typing import Any

import numpy as np

from footage.body import (
    BRASS,
    CAP,
    COAT,
    FLAG_RED,
    GLOW,
    IRON,
    LEATHER,
    OILCLOTH,
    TROUSERS,
    WOOD,
    WOOL,
    block,
    cone,
    ellipsoid,
    sheet,
)
from footage.people import Person, V, axis, vec
from footage.quay import (
    BRICK,
    DAY,
    GREY,
    LAMP,
    NIGHT,
    PLANK,
    Camera,
    box,
    furniture,
    post,
    sheds,
)
from footage.quay import IRON as IRON_SET
from footage.scene import Parts, Scene, around, body_marks, smooth

SIGNS = [(-0.9, 2.2), (-0.15, 3.1), (0.75, 3.7), (1.35, 2.0), (0.4, 3.9), (-0.6, 2.7), (1.1, 4.2), (0.1, 3.2)]


def _arm(t: float, side: int) -> float:
    """The angle of an arm, 0 to the figure's right, up positive."""
    beat = t / 0.62 + (0.15 if side > 0 else 0)
    k = int(np.floor(beat))
    f = smooth(beat - k, 0.32, 0.98)
    n = 0 if side > 0 else 1
    a, b = SIGNS[k % len(SIGNS)][n], SIGNS[(k + 1) % len(SIGNS)][n]
    return a + (b - a) * f + 0.05 * float(np.sin(t * 2.3 + side))


def signaller() -> Scene:
    who = Person(1, seed=3.0)

    def stand(t: float) -> V:
        return vec(-0.12 + 0.16 * np.sin(t * 0.8), 0, 4.3 + 0.1 * np.sin(t * 0.6))

    def parts(t: float) -> Parts:
        hands = {}
        for side in (-1, 1):
            a = _arm(t, side)
            hands[side] = vec(side * 0.17 + 0.52 * np.cos(a), 1.36 + 0.52 * np.sin(a), 0.16)
        out = who.parts(stand(t), 0.12 * float(np.sin(t * 0.7)), t, hands=hands, look=0.25 * float(np.sin(t * 1.3)))
        for side in (-1, 1):
            h, e = who.joints[f"hand{side}"], who.joints[f"elbow{side}"]
            way = axis(e, h)
            out.append(cone(h - way * 0.09, 0.012, h + way * 0.66, 0.010, WOOD, 1))
            fly = np.cross(way, vec(0, 0, 1))
            fly = fly if fly[1] < 0 else -fly
            # the wind takes the cloth along, and the swing drags it behind
            swing = (_arm(t + 0.03, side) - _arm(t - 0.03, side)) / 0.06
            fly = axis(vec(0, 0, 0), fly + vec(0.45, -0.1, 0.1) - np.cross(vec(0, 0, 1), way) * 0.10 * swing)
            fly = axis(vec(0, 0, 0), fly - way * float(fly @ way) * 0.9)
            out.append(sheet(h + way * 0.15, way * 0.50, fly * 0.50, FLAG_RED, 1, 11 * t + 2 * side, 0.058, side * 1.3))
        return out

    def marks(t: float) -> list[tuple[str, list[V], int]]:
        rows = np.array(parts(t))
        out = body_marks(who)
        for row in rows[rows[:, 1] == FLAG_RED]:
            a, u, v = row[3:6], row[6:9], row[9:12]
            out.append(("in", [a + u * 0.25 + v * 0.3, a + u * 0.75 + v * 0.3, a + u * 0.7 + v * 0.7], 1))
        return out + around(stand(t), vec(1, 0, 0), 0.52, 1.75)

    camera = Camera((0, 1.40, -0.2), 0.0, 0.0, 1.36, 4.5, 0.03)
    return Scene(
        "signaller",
        96,
        camera,
        DAY,
        sheds() + furniture(),
        parts,
        ["articulated", "fast", "motion blur", "hand-held", "same colours"],
        ["Signaller"],
        marks,
        shake=0.010,
        instants=8,
    )


def night_watch() -> Scene:
    who = Person(1, 1.78, coat=OILCLOTH, trousers=TROUSERS, scarf=False, cap=LEATHER, beard=True, seed=8.0)
    lantern_at: dict[float, V] = {}

    def walk(t: float) -> tuple[V, float]:
        speed = 1.72
        return vec(-3.4 + speed * t * 1.42, 0, 5.4 - 0.12 * t), 2 * np.pi * t / 1.02

    def parts(t: float) -> Parts:
        at, phase = walk(t)
        swing = 0.07 * float(np.sin(phase))
        hands = {-1: vec(-0.33, 1.30 + 0.02 * np.sin(2 * phase), 0.36)}
        out = who.parts(at, -np.pi / 2 + 0.16, t, 0.80, phase, hands=hands, lean=0.05, wind=0.2)
        grip = who.joints["hand-1"]
        ahead = who.joints["ahead"]
        low = grip - vec(0, 0.20, 0) + ahead * swing
        lantern_at[t] = low - vec(0, 0.12, 0)
        out += [
            cone(grip, 0.006, low, 0.006, IRON, 1),
            cone(low, 0.035, low - vec(0, 0.03, 0), 0.062, BRASS, 1),
            cone(low - vec(0, 0.06, 0), 0.046, low - vec(0, 0.17, 0), 0.046, GLOW, 1),
            cone(low - vec(0, 0.20, 0), 0.064, low - vec(0, 0.215, 0), 0.064, BRASS, 1),
        ]
        return out

    def lamp(t: float) -> list[float]:
        parts(t)
        at = lantern_at[t]
        flicker = 1 + 0.06 * np.sin(t * 23) + 0.05 * np.sin(t * 37 + 1)
        return [*at, 1.9, 1.05, 0.42, 0.55 * flicker]

    def marks(t: float) -> list[tuple[str, list[V], int]]:
        parts(t)
        at, _ = walk(t)
        out = body_marks(who)
        out.append(("in", [lantern_at[t] + vec(0, 0.06, 0), lantern_at[t] - vec(0, 0.05, 0)], 1))
        return out + around(at, vec(1, 0, 0), 0.75, 1.85)[:4]

    solids = [
        *sheds(5),
        *furniture(),
        post(3.1, 0, 9.5, 0.09, 4.12, IRON_SET, 3),
        box(3.1, 4.12, 9.5, 0.34, 0.4, 0.34, LAMP, 3),
        box(3.1, 4.52, 9.5, 0.44, 0.08, 0.44, IRON_SET, 3),
        box(-4.2, 0, 9.2, 3.2, 2.6, 1.2, BRICK, 4),
        box(-4.2, 2.6, 9.2, 3.4, 0.14, 1.4, PLANK, 5),
    ]
    camera = Camera((0, 1.45, -0.6), 0.0, -0.01, 1.22, 6.2, 0.015)
    return Scene(
        "night-watch",
        72,
        camera,
        NIGHT,
        solids,
        parts,
        ["locked-off", "dark", "shadow", "exposure drift", "grain"],
        ["Watchman"],
        marks,
        key=36,
        lamp=lamp,
        exposure=lambda t: 1 + 0.10 * float(np.sin(t * 1.1)),
        seed=2,
    )


def porters() -> Scene:
    people = [
        Person(1, 1.72, coat=COAT, trousers=TROUSERS, scarf=True, cap=CAP, seed=21.0),
        Person(2, 1.82, coat=LEATHER, trousers=WOOL, scarf=False, cap=COAT, beard=True, seed=33.0),
        Person(3, 1.66, coat=OILCLOTH, trousers=TROUSERS, scarf=False, cap=-1, seed=45.0),
    ]

    def where(n: int, t: float) -> tuple[V, float, float]:
        """Place, heading and speed."""
        if n == 0:  # straight towards the camera
            return vec(-0.75 + 0.16 * t, 0, 9.2 - 1.85 * t), 0.07, 1.85
        if n == 1:  # across, behind the post
            return vec(3.9 - 1.75 * t, 0, 6.3), np.pi / 2, 1.75
        # out at the left and back again
        turn = smooth(t, 1.25, 1.6)
        x = -1.6 - 2.25 * min(t, 1.3) + 2.0 * max(0.0, t - 1.55)
        return vec(x, 0, 4.9 + 0.12 * t), float(np.pi / 2 - np.pi * turn), 2.1

    def parts(t: float) -> Parts:
        out: Parts = []
        for n, who in enumerate(people):
            at, heading, speed = where(n, t)
            hands: dict[int, V] | None = None
            if n == 0:
                hands = {-1: vec(-0.16, 1.10, 0.34), 1: vec(0.16, 1.10, 0.34)}
            if n == 1:
                hands = {1: vec(0.24, 1.62, 0.06)}
            out += who.parts(
                at, heading, t, 0.78, 2 * np.pi * t * speed / 1.55 + n, hands=hands, lean=0.05 + 0.06 * (n == 1)
            )
            j = who.joints
            if n == 0:
                out.append(
                    block(
                        j["chest"] + j["ahead"] * 0.33 - vec(0, 0.12, 0),
                        j["right"] * 0.25,
                        vec(0, 0.17, 0),
                        j["ahead"] * 0.18,
                        WOOD,
                        1,
                        2.0,
                    )
                )
            if n == 1:
                out.append(
                    ellipsoid(
                        j["shoulder1"] + vec(0, 0.17, 0),
                        j["right"] * 0.16,
                        vec(0, 0.14, 0),
                        j["ahead"] * 0.36,
                        WOOL,
                        2,
                        7.0,
                    )
                )
        out += [
            block(vec(1.0, 1.8, 5.2), vec(0.12, 0, 0.03), vec(0, 1.8, 0), vec(-0.03, 0, 0.12), WOOD, 0, 5.0),
            block(vec(1.0, 1.25, 5.2), vec(0.128, 0, 0.032), vec(0, 0.06, 0), vec(-0.032, 0, 0.128), IRON, 0),
        ]
        return out

    def faces(t: float) -> list[dict[str, Any]]:
        parts(t)
        found = []
        for who in people:
            head, ahead = who.joints["head"], who.joints["ahead"]
            if -ahead[2] > 0.15:
                found.append({"who": who.owner, "centre": [float(v) for v in head + ahead * 0.05], "radius": 0.13})
        return found

    def marks(t: float) -> list[tuple[str, list[V], int]]:
        parts(t)
        at, _, _ = where(0, t)
        return [*body_marks(people[0]), *around(at, vec(1, 0, 0), 0.62, 1.75)[:4]]

    camera = Camera((0, 1.42, 0.0), 0.0, 0.0, 1.10, 5.6, 0.02)
    return Scene(
        "porters",
        72,
        camera,
        GREY,
        [*sheds(9), *furniture()],
        parts,
        ["several", "occlusion", "re-entry", "distractors", "scale change"],
        ["First porter", "Second porter", "Third porter"],
        marks,
        key=24,
        shake=0.003,
        extra={"faces": faces},
        seed=5,
    )
