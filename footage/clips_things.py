"""Clips of things: the flag, the notice board."""

from __future__ import annotations

import numpy as np

from footage.body import (
    BOARD,
    CAP,
    FLAG_SIGNAL,
    IRON,
    LEATHER,
    WOOD,
    WOOL,
    block,
    cone,
    sheet,
)
from footage.people import Person, V, axis, vec
from footage.quay import (
    DUSK,
    GREY,
    LAMP,
    PAINT_RED,
    PLANK,
    PLASTER,
    Camera,
    box,
    furniture,
    post,
    sheds,
)
from footage.scene import Parts, Scene


def flag_drill() -> Scene:
    def parts(t: float) -> Parts:
        pole = vec(-1.02, 0.55, 4.0)
        top = vec(-0.93 + 0.02 * np.sin(t * 2.1), 3.2, 4.0)
        way = axis(pole, top)
        fly = axis(vec(0, 0, 0), vec(1, -0.10 + 0.06 * np.sin(1.9 * t), 0.16 * np.sin(1.3 * t)))
        return [
            cone(pole, 0.026, top, 0.022, WOOD, 0),
            sheet(pole + way * 0.78, way * 1.25, fly * 1.95, FLAG_SIGNAL, 1, 8.4 * t, 0.24, 0.4),
        ]

    def marks(t: float) -> list[tuple[str, list[V], int]]:
        row = np.array(parts(t)[1])
        a, u, v = row[3:6], row[6:9], row[9:12]

        def at(fu: float, fv: float) -> V:
            return np.asarray(a + u * fu + v * fv)

        return [
            ("in", [at(0.5, 0.08), at(0.5, 0.9)], 1),
            ("in", [at(0.2, 0.3), at(0.25, 0.8)], 1),
            ("in", [at(0.8, 0.3), at(0.75, 0.8)], 1),
            ("out", [at(-0.3, 0.05), at(-0.3, 1.05)], 0),
            ("out", [at(1.32, 0.05), at(1.32, 1.05)], 0),
            ("out", [at(-0.2, 1.25), at(1.2, 1.25)], 0),
            ("out", [at(-0.3, -0.06), at(1.3, -0.06)], 0),
        ]

    solids = [
        *sheds(11),
        *furniture(),
        box(3.2, 0, 13.5, 5.5, 4.6, 1.0, PAINT_RED, 21),
        box(-5.2, 0, 13.4, 4.4, 3.6, 1.0, PLASTER, 22),
    ]
    for n, (x, y) in enumerate(((1.6, 3.3), (2.7, 3.35), (3.8, 3.3))):
        solids.append(box(x, y, 12.7, 0.22, 0.30, 0.22, LAMP, 30 + n))
    camera = Camera((0.1, 1.75, 0.3), 0.0, 0.03, 1.30, 3.9, 0.05)
    return Scene(
        "flag-drill",
        48,
        camera,
        DUSK,
        solids,
        parts,
        ["deforming", "saturated", "same colours", "highlights"],
        ["Flag"],
        marks,
        shake=0.004,
        seed=3,
        instants=5,
    )


def _board_axes(t: float) -> tuple[V, V, V, V]:
    swing, turn, tip = 0.22 * np.sin(1.9 * t + 0.4), 0.62 * np.sin(1.15 * t), 0.10 * np.sin(2.6 * t + 1)
    hook = vec(0.0, 3.25, 4.6)
    down = vec(np.sin(swing), -np.cos(swing), 0.0)
    x = vec(np.cos(turn) * np.cos(swing), np.sin(swing), np.sin(turn))
    x = axis(vec(0, 0, 0), x - down * float(x @ down) + down * tip * 0.4)
    z = axis(vec(0, 0, 0), np.cross(x, -down))
    y = np.cross(z, x)
    return hook, hook + down * 1.62, x, y


def notice_board() -> Scene:
    porter = Person(2, 1.80, coat=WOOL, trousers=LEATHER, scarf=False, cap=CAP, beard=True, seed=17.0)
    half = (0.78, 0.50)

    def walk(t: float) -> tuple[V, float]:
        return vec(-3.0 + 2.15 * t, 0, 3.5), 2 * np.pi * t / 0.94

    def parts(t: float) -> Parts:
        hook, centre, x, y = _board_axes(t)
        z = np.cross(x, y)
        out = [block(centre, x * half[0], y * half[1], z * 0.028, BOARD, 1)]
        for side in (-1, 1):
            eye = centre + x * side * half[0] * 0.9 + y * (half[1] + 0.02)
            links = 9
            for k in range(links):
                a, b = eye + (hook - eye) * (k + 0.12) / links, eye + (hook - eye) * (k + 0.88) / links
                out.append(cone(a, 0.011 + 0.005 * (k % 2), b, 0.011 + 0.005 * (k % 2), IRON, 0))
        at, phase = walk(t)
        hands = {-1: vec(-0.20, 1.42, 0.30), 1: vec(0.22, 1.20, 0.34)}
        out += porter.parts(at, -np.pi / 2, t, 0.84, phase, hands=hands, lean=0.10, wind=0.1)
        crate = porter.joints["chest"] + porter.joints["ahead"] * 0.36 + vec(0, 0.0, 0)
        ahead, right = porter.joints["ahead"], porter.joints["right"]
        out.append(block(crate, right * 0.21, vec(0, 0.17, 0), ahead * 0.19, WOOD, 2, 3.0))
        return out

    def corners(t: float) -> list[list[float]]:
        _, centre, x, y = _board_axes(t)
        z = np.cross(x, y) * -0.028
        found = [centre + x * sx * half[0] + y * sy * half[1] + z for sx, sy in ((-1, 1), (1, 1), (1, -1), (-1, -1))]
        return [[float(v) for v in p] for p in found]

    def marks(t: float) -> list[tuple[str, list[V], int]]:
        _, c, x, y = _board_axes(t)
        return [
            ("in", [c - x * 0.6, c + x * 0.6], 1),
            ("in", [c - x * 0.6 + y * 0.36, c + x * 0.6 + y * 0.36], 1),
            ("in", [c - x * 0.6 - y * 0.36, c + x * 0.6 - y * 0.36], 1),
            ("out", [c - x * 1.05 - y * 0.6, c - x * 1.05 + y * 0.6], 0),
            ("out", [c + x * 1.05 - y * 0.6, c + x * 1.05 + y * 0.6], 0),
            ("out", [c - x * 0.8 - y * 0.72, c + x * 0.8 - y * 0.72], 0),
            ("out", [c - x * 0.5 + y * 0.75, c + x * 0.5 + y * 0.75], 0),
        ]

    beam = [
        box(0, 3.25, 4.75, 4.6, 0.16, 0.16, PLANK, 3),
        post(-2.3, 0, 4.75, 0.09, 3.3, PLANK, 3),
        post(2.3, 0, 4.75, 0.09, 3.3, PLANK, 4),
    ]
    camera = Camera((0, 1.5, 0.0), 0.0, 0.03, 1.12, 4.6, 0.03)
    return Scene(
        "notice-board",
        72,
        camera,
        GREY,
        [*sheds(7), *furniture(), *beam],
        parts,
        ["rigid", "perspective", "occlusion"],
        ["Board", "Porter"],
        marks,
        key=0,
        shake=0.004,
        extra={"corners": corners},
        seed=4,
    )
