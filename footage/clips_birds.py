"""Clips of a gull in the air, and of two takes of a barrel: a coil of rope dropped, a gull taking off."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import numpy as np

from footage.body import (
    BEAK,
    BOOT,
    DOWN,
    FEATHER,
    ROPE,
    cone,
    ellipsoid,
    sheet,
)
from footage.people import V, axis, vec
from footage.quay import (
    DAY,
    GREY,
    PLANK,
    Camera,
    box,
    furniture,
    post,
    sheds,
)
from footage.quay import IRON as IRON_SET
from footage.scene import Parts, Scene, smooth


def gull(at: V, heading: float, beat: float, fold: float, owner: int, seed: float = 0.0, tilt: float = 0.0) -> Parts:
    """A gull; beat: phase of the wings; fold: 0 spread to 1 folded. About 45 cm from bill to tail."""
    c, n = float(np.cos(heading)), float(np.sin(heading))
    ahead = vec(c * np.cos(tilt), np.sin(tilt), n * np.cos(tilt))
    right = vec(n, 0, -c)
    up = np.cross(ahead, right) * -1
    up = up if up[1] > 0 else -up
    body, chest = at, at + ahead * 0.08
    head = at + ahead * 0.205 + up * 0.055
    out = [
        ellipsoid(body, ahead * 0.17, up * 0.072, right * 0.075, DOWN, owner, seed),
        ellipsoid(chest, ahead * 0.10, up * 0.070, right * 0.070, DOWN, owner, seed + 1),
        cone(chest + ahead * 0.05 + up * 0.02, 0.048, head, 0.042, DOWN, owner, seed + 2),
        ellipsoid(head, ahead * 0.052, up * 0.043, right * 0.040, DOWN, owner, seed + 3),
        cone(head + ahead * 0.045 - up * 0.004, 0.013, head + ahead * 0.105 - up * 0.014, 0.006, BEAK, owner),
        ellipsoid(
            head + ahead * 0.022 + up * 0.010 + right * 0.036, ahead * 0.009, up * 0.009, right * 0.006, BOOT, owner
        ),
        ellipsoid(
            head + ahead * 0.022 + up * 0.010 - right * 0.036, ahead * 0.009, up * 0.009, right * 0.006, BOOT, owner
        ),
    ]
    spread = right * 0.085
    out.append(
        sheet(body - ahead * 0.10 - spread, spread * 2, -ahead * 0.21 - up * 0.012, FEATHER, owner, beat, 0.010, seed)
    )
    lift = 0.72 * float(np.sin(beat)) * (1 - fold)
    for side in (-1, 1):
        r = right * side
        if fold > 0.5:
            # folded: the wing lies along the body, its dark tips crossed over the tail
            side_on = body + r * 0.058 + up * 0.022 - ahead * 0.035
            out += [
                ellipsoid(
                    side_on,
                    ahead * 0.175 + up * 0.012,
                    up * 0.056 - ahead * 0.006,
                    r * 0.024,
                    FEATHER,
                    owner,
                    seed + side,
                ),
                cone(
                    side_on - ahead * 0.13, 0.028, side_on - ahead * 0.245 + up * 0.012 - r * 0.03, 0.010, BOOT, owner
                ),
            ]
            continue
        rise = lift + 0.10
        inner = axis(vec(0, 0, 0), r * np.cos(rise) + up * np.sin(rise) + ahead * 0.25)
        outer_rise = rise + 0.62 * float(np.cos(beat)) * (1 - fold) - 0.10
        outer = axis(
            vec(0, 0, 0),
            r * np.cos(outer_rise) + up * np.sin(outer_rise) - ahead * (0.22 + 0.25 * max(0.0, -float(np.cos(beat)))),
        )
        size = 1 - 0.45 * fold
        root = chest + r * 0.045 + up * 0.03
        chord_in = axis(vec(0, 0, 0), -ahead + up * 0.10) * 0.175
        wrist = root + inner * 0.24 * size
        out.append(sheet(root, inner * 0.26 * size, chord_in, FEATHER, owner, beat, 0.012, seed + 5 + side))
        chord_out = axis(vec(0, 0, 0), -ahead - r * 0.25 + up * 0.05) * 0.150
        out.append(
            sheet(
                wrist - inner * 0.02,
                outer * 0.34 * size,
                chord_out,
                FEATHER,
                owner,
                beat + 0.5,
                0.014,
                seed + 60 + side,
            )
        )
        out.append(cone(root, 0.022, wrist, 0.016, DOWN, owner, seed + 9))
        out.append(cone(wrist, 0.015, wrist + outer * 0.26 * size, 0.006, DOWN, owner, seed + 10))
    return out


def gull_flying() -> Scene:
    def where(t: float) -> V:
        return vec(-0.62 + 0.62 * t, 2.05 + 0.10 * np.sin(2.9 * t), 2.35 + 0.05 * t)

    def beat(t: float) -> float:
        return 2 * np.pi * 3.1 * t

    def parts(t: float) -> Parts:
        at = where(t) + vec(0, 0.035 * np.cos(beat(t)), 0)
        return gull(at, 0.34, beat(t), 0.0, 1, 4.0, 0.06)

    def marks(t: float) -> list[tuple[str, list[V], int]]:
        at = where(t)
        rows = np.array(parts(t))
        wings = rows[(rows[:, 0] == 0) & (rows[:, 16] < 0.02) & (rows[:, 1] == DOWN)]
        out = [("in", [at - vec(0.1, 0, 0), at + vec(0.18, 0.04, 0.05)], 1)]
        out += [("in", [row[3:6] + vec(0, -0.02, 0), row[6:9] + vec(0, -0.02, 0)], 1) for row in wings]
        out += [
            ("out", [at + vec(-0.75, -0.4, 0), at + vec(-0.75, 0.45, 0)], 0),
            ("out", [at + vec(0.75, -0.4, 0), at + vec(0.75, 0.45, 0)], 0),
            ("out", [at + vec(-0.6, 0.52, 0), at + vec(0.6, 0.52, 0)], 0),
            ("out", [at + vec(-0.6, -0.42, 0), at + vec(0.6, -0.42, 0)], 0),
        ]
        return out

    camera = Camera((0, 1.95, 0.0), 0.0, 0.02, 1.62, 2.4, 0.055)
    return Scene(
        "gull",
        48,
        camera,
        DAY,
        [*sheds(13), *furniture()],
        parts,
        ["soft edges", "fast", "motion blur", "defocus"],
        ["Gull"],
        marks,
        key=3,
        shake=0.014,
        seed=6,
        instants=8,
        samples=40,
    )


def take(name: str, parts: Callable[[float], Parts], marks: Any, owner: str, moved: float, exposure: float) -> Scene:
    camera = Camera((0.02 + moved, 1.28, 1.2 + moved * 0.4), 0.02 + moved * 0.1, -0.06, 1.25, 3.4, 0.03)
    solids = [
        *sheds(3),
        *furniture(),
        post(0.1, 0, 4.7, 0.36, 0.98, PLANK, 41),
        *(post(0.1, y, 4.7, 0.372, 0.055, IRON_SET, 42) for y in (0.15, 0.48, 0.80)),
        post(0.1, 0.98, 4.7, 0.33, 0.015, PLANK, 44),
        box(-1.35, 0, 5.2, 0.9, 0.75, 0.8, PLANK, 43),
    ]
    return Scene(
        name,
        48,
        camera,
        GREY,
        solids,
        parts,
        ["locked-off", "contact"],
        [owner],
        marks,
        key=40 if "a" in name[-1] else 6,
        exposure=lambda t: exposure,
        seed=7,
    )


def _coil(t: float) -> Parts:
    """A coil of rope that drops onto the barrel and settles."""
    fall = 0.9 - 4.9 * max(0.0, t - 0.35) ** 2
    rest = 1.02
    hit_at = 0.35 + float(np.sqrt(0.9 / 4.9))
    y = rest + max(0.0, fall) if t < hit_at else rest
    if t >= hit_at:
        y += 0.05 * float(np.exp(-(t - hit_at) * 9) * abs(np.sin((t - hit_at) * 17)))
    squash = 1 - 0.25 * smooth(t, hit_at, hit_at + 0.1)
    out: Parts = []
    for loop in range(4):
        radius = 0.215 - 0.012 * (loop % 2)
        for k in range(9):
            a0, a1 = 2 * np.pi * k / 9 + loop * 0.4, 2 * np.pi * (k + 1) / 9 + loop * 0.4
            h = y + 0.026 + loop * 0.046 * squash
            wob = 0.012 * np.sin(3 * a0 + loop)
            out.append(
                cone(
                    vec(0.1 + (radius + wob) * np.cos(a0), h, 4.7 + (radius + wob) * np.sin(a0)),
                    0.026,
                    vec(
                        0.1 + (radius + 0.012 * np.sin(3 * a1 + loop)) * np.cos(a1),
                        h,
                        4.7 + (radius + 0.012 * np.sin(3 * a1 + loop)) * np.sin(a1),
                    ),
                    0.026,
                    ROPE,
                    1,
                    loop,
                )
            )
    end = vec(0.1 + 0.22, y + 0.05, 4.62)
    out.append(cone(end, 0.025, end + vec(0.10, -0.10 - 0.10 * smooth(t, 0.5, 1.0), -0.04), 0.024, ROPE, 1, 5))
    return out


def _landed(t: float) -> Parts:
    """A gull that stands on the barrel, looks about and takes off."""
    go = smooth(t, 0.95, 1.25)
    away = max(0.0, t - 1.05)
    at = vec(0.1 - 1.15 * away**1.5, 1.15 + 0.95 * away**1.3 - 0.03 * smooth(t, 0.8, 0.98), 4.7 - 0.15 * away)
    out = gull(
        at, np.pi - 0.3 + 0.25 * float(np.sin(1.9 * t)) * (1 - go), 2 * np.pi * 3.4 * t, 1 - go, 1, 9.0, 0.20 + 0.2 * go
    )
    if go < 0.98:
        for side in (-1, 1):
            hip = at + vec(0.0, -0.055, 0.03 * side)
            foot = vec(0.1, 0.998, 4.7 + 0.035 * side) + (at - vec(0.1, 1.15, 4.7)) * go
            out += [
                cone(hip, 0.009, foot, 0.007, BEAK, 1),
                cone(foot, 0.008, foot + vec(-0.05, 0.002, 0.0), 0.006, BEAK, 1),
            ]
    return out


def _coil_marks(t: float) -> list[tuple[str, list[V], int]]:
    c = vec(0.1, 1.11, 4.48)
    return [
        ("in", [c - vec(0.17, 0.02, 0), c + vec(0.17, -0.02, 0)], 1),
        ("in", [c + vec(-0.12, 0.07, 0), c + vec(0.12, 0.07, 0)], 1),
        ("out", [c + vec(-0.5, -0.1, 0), c + vec(-0.4, 0.3, 0), c + vec(0.4, 0.3, 0), c + vec(0.55, -0.1, 0)], 0),
        ("out", [c + vec(-0.3, -0.22, 0), c + vec(0.2, -0.22, 0)], 0),
    ]


def _landed_marks(t: float) -> list[tuple[str, list[V], int]]:
    rows = np.array(_landed(t))
    at, head = rows[0, 3:6], rows[3, 3:6]
    return [
        ("in", [at + vec(0.1, -0.01, 0), at, head], 1),
        ("in", [at + vec(0.14, 0.02, 0), at + vec(-0.02, 0.04, -0.02)], 1),
        ("out", [at + vec(-0.5, -0.1, 0), at + vec(-0.45, 0.3, 0), at + vec(0.4, 0.3, 0), at + vec(0.5, -0.1, 0)], 0),
        ("out", [at + vec(-0.3, -0.26, 0), at + vec(0.3, -0.26, 0)], 0),
    ]


def take_a() -> Scene:
    """A coil of rope is dropped onto the barrel."""
    return take("take-a", _coil, _coil_marks, "Coil", 0.0, 1.0)


def take_b() -> Scene:
    """A gull stands on the barrel and takes off; the camera was moved a little, and exposed a little more."""
    return take("take-b", _landed, _landed_marks, "Gull", 0.012, 1.12)
