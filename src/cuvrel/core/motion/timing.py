"""Time maps: which moment of a plane's footage is seen on a frame of the shot.

Everything is counted in exact fractions, so that no sum of many small steps drifts however long the shot is.
"""

from __future__ import annotations

import json
from collections.abc import Callable
from dataclasses import dataclass
from fractions import Fraction
from functools import lru_cache
from typing import Literal

from cuvrel.core.recipe.declared import Params, choice, declare, number, switch
from cuvrel.core.recipe.rates import exact
from cuvrel.core.recipe.values import Env, Scalar


class TimeParams(Params):
    """The defaults leave time as it is."""

    offset: float = number(
        0.0, "Offset", -100_000, 100_000, step=1, unit="fr", slide=(-100, 100), neutral=0, animatable=False,
        hint="begins so many frames later; before 0 it begins earlier",
    )  # fmt: skip
    speed: Scalar = number(
        100.0,
        "Speed",
        -1000,
        1000,
        step=1,
        unit="%",
        neutral=100,
        hint="keyed, the rate itself changes, eased; 0 freezes",
    )
    skip: float = number(
        0.0,
        "Trim start",
        0,
        1_000_000,
        step=1,
        unit="fr",
        neutral=0,
        animatable=False,
        hint="frames left out at the start",
    )
    drop: float = number(
        0.0,
        "Trim end",
        0,
        1_000_000,
        step=1,
        unit="fr",
        slide=(0, 200),
        neutral=0,
        animatable=False,
        hint="frames left out at the end",
    )
    reverse: bool = switch(False, "Reverse", hint="from its last frame to its first")
    ends: Literal["hold", "nothing", "loop", "there and back"] = choice(
        "hold", "Beyond its ends", ["hold", "nothing", "loop", "there and back"]
    )
    between: Literal["repeat", "mix", "motion"] = choice(
        "repeat", "In-betweens", ["repeat", "mix", "motion"],
        hint="frames repeated, mixed, or made from the motion between them",
    )  # fmt: skip
    shutter: Scalar = number(
        0.0,
        "Motion blur",
        0,
        720,
        step=5,
        unit="°",
        neutral=0,
        hint="blurs along the footage's own motion; 180 is usual",
    )


@declare("time", "time", "Time", TimeParams, hint="which moment of its footage the plane shows")
def _declared(*_: object) -> None:
    """The stand asks `moment`; nothing is run on a picture."""


@dataclass(frozen=True)
class Moment:
    """A place in footage: a frame, and how far it is on the way to `after` (0 to 1, exactly)."""

    frame: int
    after: int
    share: Fraction


def is_neutral(params: TimeParams) -> bool:
    """Whether time is left as it is (but for the motion blur)."""
    plain = TimeParams()
    return all(getattr(params, name) == getattr(plain, name) for name in ("offset", "speed", "skip", "drop", "reverse"))


def passed(params: TimeParams, frame: int, fps: float) -> Fraction:
    """How much of its own time a plane has gone through on a frame of the shot, in frames of the shot.

    The integral of the speed from the offset on, by trapezoids from frame to frame: exact for a speed that
    stands still or changes linearly.
    """
    start = round(float(params.offset))
    if isinstance(params.speed, (int, float)):
        return (frame - start) * exact(float(params.speed)) / 100
    sums = _sums(json.dumps(params.speed.model_dump(mode="json"), sort_keys=True), fps)
    return sums(frame) - sums(start)


@lru_cache(maxsize=256)
def _sums(speed: str, fps: float) -> Callable[[int], Fraction]:
    """The integral of a speed from frame 0 on, for any frame; what was summed up once is kept."""
    params = TimeParams(speed=json.loads(speed))
    on: list[Fraction] = [Fraction(0)]
    back: list[Fraction] = [Fraction(0)]

    def rate(frame: int) -> Fraction:
        return exact(float(params.at(Env(frame, fps))["speed"])) / 100

    def total(frame: int) -> Fraction:
        known, way = (on, 1) if frame >= 0 else (back, -1)
        while len(known) <= abs(frame):
            n = len(known) * way
            known.append(known[-1] + way * (rate(n - way) + rate(n)) / 2)
        return known[abs(frame)]

    return total


def moment(params: TimeParams, frame: int, fps: float, count: int, own_fps: float | None = None) -> Moment | None:
    """Where in its footage a plane is on a frame of the shot; None where there is nothing.

    fps: the shot's rate. count: the footage's frames. own_fps: the footage's rate, if it is another one.
    """
    first = min(count - 1, round(float(params.skip)))
    last = max(first, count - 1 - round(float(params.drop)))
    at = passed(params, frame, fps)
    if own_fps is not None:
        at = at * exact(own_fps) / exact(fps)
    span = last - first
    if params.ends == "loop":
        at = at % (span + 1)
    elif params.ends == "there and back":
        at = at % (2 * span) if span else Fraction(0)
        at = min(at, 2 * span - at)
    elif not 0 <= at < span + 1:
        if params.ends == "nothing":
            return None
        at = Fraction(0) if at < 0 else Fraction(span)
    whole = at.numerator // at.denominator
    share = at - whole
    here, after = min(whole, span), min(whole + 1, span)
    if params.ends == "loop" and whole == span:
        after = 0
    if params.reverse:
        here, after = span - here, span - after
    return Moment(first + here, first + after, share if here != after else Fraction(0))
