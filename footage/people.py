"""People of the signal school, posed by joints: standing, walking, signalling, carrying."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Any

import numpy as np

from cuvrel.core.arrays import F64
from footage.body import (
    BOOT,
    BRASS,
    CAP,
    COAT,
    HAIR,
    LEATHER,
    SCARF,
    SKIN,
    TROUSERS,
    WOOL,
    cone,
    ellipsoid,
    sheet,
)

V = F64


def vec(*parts: float) -> V:
    """A world vector."""
    return np.array(parts, np.float64)


def bent(a: V, target: V, upper: float, lower: float, towards: V) -> tuple[V, V]:
    """Elbow (or knee) and hand (or foot) of a limb of two bones that reaches for `target`, bent `towards`."""
    way = target - a
    reach = float(np.clip(np.linalg.norm(way), 0.05, (upper + lower) * 0.999))
    way = way / max(float(np.linalg.norm(way)), 1e-9)
    along = (upper**2 - lower**2 + reach**2) / (2 * reach)
    out = float(np.sqrt(max(upper**2 - along**2, 0.0)))
    side = towards - way * float(towards @ way)
    side = side / max(float(np.linalg.norm(side)), 1e-9)
    return a + way * along + side * out, a + way * reach


@dataclass
class Person:
    """Somebody: build and clothes. owner: whose coverage they count as."""

    owner: int
    height: float = 1.74
    coat: int = COAT
    trousers: int = TROUSERS
    scarf: bool = True
    cap: int = CAP
    beard: bool = False
    seed: float = 0.0
    hair: bool = True
    joints: dict[str, V] = field(default_factory=dict)

    def parts(
        self,
        at: V,
        heading: float,
        t: float,
        stride: float = 0.0,
        phase: float = 0.0,
        hands: dict[int, V] | None = None,
        lean: float = 0.0,
        wind: float = 0.6,
        look: float = 0.0,
    ) -> list[list[float]]:
        """At a place on the ground, facing `heading` (radians; 0 is towards the camera), at `t` seconds.

        stride: length of a step in metres (0 stands), phase: of the walk, a full cycle is 2 pi. hands:
        where the left (-1) and right (1) hand reach, in the person's own frame (right, up, forward),
        metres; hanging or swinging where not given. look: the head's turn.
        """
        s, o, f = self.height / 1.74, self.owner, self.seed
        c, n = np.cos(heading), np.sin(heading)
        right, ahead, up = vec(-c, 0, n), vec(-n, 0, -c), vec(0, 1, 0)

        def world(r: float, u: float, a: float) -> V:
            return at + right * r * s + up * u * s + ahead * a * s

        walk = np.sin(phase)
        bob = 0.022 * np.cos(2 * phase) * (stride > 0) + 0.004 * np.sin(1.6 * t + f)
        sway = 0.018 * np.sin(phase) * (stride > 0) + 0.012 * np.sin(0.9 * t + f) * (stride == 0)
        twist = 0.10 * walk * (stride > 0)
        hip = world(sway, 0.93 + bob, 0)
        chest = hip + up * 0.34 * s + ahead * (0.03 + lean * 0.30) * s + right * sway * 0.3
        neck = chest + up * 0.20 * s + ahead * lean * 0.16 * s
        head = neck + up * 0.165 * s + ahead * (0.03 + lean * 0.06) * s
        parts: list[list[float]] = []

        # legs
        for side in (-1, 1):
            swing = np.sin(phase + (0 if side > 0 else np.pi))
            lift = max(0.0, np.cos(phase + (0 if side > 0 else np.pi)))
            top = hip + right * side * 0.088 * s
            foot = world(
                side * (0.095 if stride else 0.14), 0.085 + (0.13 * lift if stride else 0), swing * stride * 0.55 - 0.02
            )
            knee, ankle = bent(top, foot, 0.43 * s, 0.425 * s, ahead + right * side * 0.15)
            toe = ankle + ahead * 0.155 * s + right * side * 0.035 * s - up * (0.045 + 0.03 * swing * (stride > 0)) * s
            parts += [
                cone(top, 0.098 * s, knee, 0.066 * s, self.trousers, o, f + side, 0.0055),
                cone(knee, 0.066 * s, ankle + up * 0.03, 0.055 * s, self.trousers, o, f + 3 + side, 0.0072),
                cone(ankle + up * 0.06 * s, 0.058 * s, ankle - up * 0.02 * s, 0.052 * s, BOOT, o, f),
                cone(ankle - up * 0.028 * s - ahead * 0.03 * s, 0.045 * s, toe, 0.036 * s, BOOT, o, f),
            ]
            self.joints[f"knee{side}"], self.joints[f"foot{side}"] = knee, ankle
        # trunk
        across = right * np.cos(twist) + ahead * np.sin(twist)
        parts += [
            ellipsoid(hip + up * 0.02 * s, across * 0.168 * s, up * 0.145 * s, ahead * 0.125 * s, self.coat, o, f),
            cone(hip + up * 0.05 * s, 0.132 * s, chest, 0.150 * s, self.coat, o, f + 9, 0.0066),
            cone(
                chest + across * 0.105 * s + up * 0.08 * s,
                0.086 * s,
                chest - across * 0.105 * s + up * 0.08 * s,
                0.086 * s,
                self.coat,
                o,
                f + 4,
                0.0044,
            ),
            cone(
                hip + right * 0.05 * s - up * 0.06 * s,
                0.132 * s,
                hip - right * 0.05 * s - up * 0.06 * s,
                0.132 * s,
                self.coat,
                o,
                f + 6,
                0.0055,
            ),
            cone(
                hip + up * 0.03 * s,
                0.146 * s,
                hip - up * 0.17 * s + ahead * 0.01,
                0.166 * s,
                self.coat,
                o,
                f + 7,
                0.0072,
            ),
            cone(
                chest + across * 0.12 * s + up * 0.13 * s + ahead * 0.06 * s,
                0.017 * s,
                hip - across * 0.12 * s + up * 0.05 * s + ahead * 0.125 * s,
                0.017 * s,
                LEATHER,
                o,
                f,
            ),
            ellipsoid(
                hip - right * 0.165 * s - up * 0.07 * s,
                right * 0.05 * s,
                up * 0.085 * s,
                ahead * 0.10 * s,
                LEATHER,
                o,
                f,
            ),
        ]
        parts += [
            ellipsoid(
                hip + up * h * s + ahead * (0.128 + 0.03 * (h - 0.1)) * s,
                right * 0.013,
                up * 0.013,
                ahead * 0.010,
                BRASS,
                o,
            )
            for h in (0.14, 0.23, 0.32)
        ]
        # head
        turn = heading + look
        hr, ha = vec(-np.cos(turn), 0, np.sin(turn)), vec(-np.sin(turn), 0, -np.cos(turn))
        parts += [
            cone(neck - up * 0.02 * s, 0.056 * s, head - up * 0.05 * s, 0.052 * s, SKIN, o),
            ellipsoid(head, hr * 0.076 * s, up * 0.112 * s, ha * 0.094 * s, SKIN, o, 300 if self.beard else 200),
            cone(
                head + ha * 0.088 * s + up * 0.012 * s,
                0.011 * s,
                head + ha * 0.106 * s - up * 0.024 * s,
                0.016 * s,
                SKIN,
                o,
            ),
            ellipsoid(head + hr * 0.077 * s - up * 0.005 * s, hr * 0.012, up * 0.03, ha * 0.018, SKIN, o),
            ellipsoid(head - hr * 0.077 * s - up * 0.005 * s, hr * 0.012, up * 0.03, ha * 0.018, SKIN, o),
        ]
        if self.hair:
            blow = 0.012 * np.sin(3.1 * t + f)
            parts += [
                ellipsoid(
                    head + up * 0.030 * s - ha * 0.026 * s, hr * 0.084 * s, up * 0.098 * s, ha * 0.084 * s, HAIR, o, f
                ),
                ellipsoid(
                    head - up * 0.055 * s - ha * 0.062 * s + hr * blow,
                    hr * 0.070 * s,
                    up * 0.085 * s,
                    ha * 0.046 * s,
                    HAIR,
                    o,
                    f + 2,
                ),
            ]
        if self.cap >= 0:
            parts += [
                ellipsoid(
                    head + up * 0.082 * s - ha * 0.004 * s,
                    hr * 0.098 * s,
                    up * 0.042 * s,
                    ha * 0.104 * s,
                    self.cap,
                    o,
                    f,
                ),
                ellipsoid(
                    head + up * 0.062 * s + ha * 0.082 * s,
                    hr * 0.062 * s,
                    up * 0.010 * s,
                    ha * 0.050 * s,
                    LEATHER,
                    o,
                    f,
                ),
            ]
        if self.scarf:
            parts.append(
                cone(
                    neck + right * 0.045 * s + ahead * 0.012,
                    0.052 * s,
                    neck - right * 0.045 * s + ahead * 0.012,
                    0.052 * s,
                    SCARF,
                    o,
                    f,
                )
            )
            flow = right * (0.5 + wind) + up * (0.12 * np.sin(2.3 * t + f) - 0.25) - ahead * 0.35
            flow = flow / np.linalg.norm(flow)
            tail = neck + right * 0.05 * s + ahead * 0.03 * s
            width = np.cross(flow, ahead)
            width = width / np.linalg.norm(width) * 0.115 * s
            parts.append(sheet(tail - width / 2, width, flow * 0.46 * s, SCARF, o, 8.5 * t + f, 0.042, f))
        # arms
        for side in (-1, 1):
            shoulder = chest + across * side * 0.188 * s + up * 0.095 * s
            if hands and side in hands:
                h = hands[side]
                goal = world(float(h[0]), float(h[1]), float(h[2]))
                bend = -up * 0.5 + right * side * 0.7 - ahead * 0.35
            else:
                back = np.sin(phase + (np.pi if side > 0 else 0)) * (stride > 0)
                goal = shoulder + (-up * 0.53 + right * side * 0.09 + ahead * (0.07 + 0.26 * back)) * s
                bend = -ahead + right * side * 0.2
            elbow, hand = bent(shoulder, goal, 0.285 * s, 0.255 * s, bend)
            grip = (hand - elbow) / max(float(np.linalg.norm(hand - elbow)), 1e-9)
            parts += [
                cone(shoulder, 0.070 * s, elbow, 0.052 * s, self.coat, o, f + 11 + side, 0.0060),
                cone(elbow, 0.052 * s, hand - grip * 0.03 * s, 0.041 * s, self.coat, o, f + 15 + side, 0.0055),
                cone(
                    hand - grip * 0.035 * s,
                    0.043 * s,
                    hand - grip * 0.012 * s,
                    0.043 * s,
                    WOOL if self.coat != WOOL else LEATHER,
                    o,
                ),
                cone(hand, 0.033 * s, hand + grip * 0.07 * s, 0.027 * s, SKIN, o),
            ]
            self.joints[f"shoulder{side}"], self.joints[f"elbow{side}"] = shoulder, elbow
            self.joints[f"hand{side}"] = hand + grip * 0.04 * s
        self.joints.update(hip=hip, chest=chest, neck=neck, head=head, right=right, ahead=ahead)
        return parts


def axis(a: Any, b: Any) -> V:
    """The unit vector from a to b."""
    way = np.asarray(b, np.float64) - np.asarray(a, np.float64)
    return way / max(float(np.linalg.norm(way)), 1e-9)
