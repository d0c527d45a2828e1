"""Clones: copies of the subject beside it, that fan out of it and join it again."""

from __future__ import annotations

from typing import Any, Literal

import numpy as np

from cuvrel.core.arrays import F32
from cuvrel.core.imaging.sampling import about
from cuvrel.core.recipe.context import Context
from cuvrel.core.recipe.declared import Params, choice, declare, number
from cuvrel.core.recipe.needs import Need, Pictures, own
from cuvrel.core.recipe.values import Scalar
from cuvrel.core.treatments.copies import lay, middle, occupied


class ClonesParams(Params):
    """Four copies, two to either side."""

    count: Scalar = number(4.0, "Copies", 0, 60, step=1)
    spread: Scalar = number(1.0, "Spread", 0, 1, neutral=0, hint="0: all joined with the subject, 1: all apart")
    fan: Literal["one side", "both sides", "around"] = choice(
        "both sides", "Fan out", ["one side", "both sides", "around"]
    )
    direction: Scalar = number(
        0.0,
        "Direction",
        -36_000,
        36_000,
        step=1,
        unit="°",
        slide=(-180, 180),
        direction=True,
        hint="in which the first copy lies",
    )
    offset: Scalar = number(150.0, "Offset", 0, 10_000, step=1, unit="px", slide=(0, 600), hint="from each to the next")
    size: Scalar = number(
        92.0, "Size", 5, 300, step=1, unit="%", slide=(40, 140), hint="of each against the one before"
    )
    turn: Scalar = number(
        0.0, "Turn", -720, 720, step=1, unit="°", slide=(-90, 90), hint="of each against the one before"
    )
    late: Scalar = number(
        0.0, "Time step", -200, 200, step=1, unit="fr", slide=(-24, 24), hint="each shows an earlier frame"
    )
    first: Scalar = number(100.0, "First opacity", 0, 100, step=1, unit="%")
    last: Scalar = number(70.0, "Last opacity", 0, 100, step=1, unit="%")
    order: Literal["behind", "before"] = choice(
        "behind", "Lie", ["behind", "before"], hint="the subject, or in front of it"
    )


STARTERS = (
    ("Rank", {"count": 4.0, "fan": "both sides", "size": 92.0}),
    ("Queue", {"count": 5.0, "fan": "one side", "direction": 180.0, "offset": 90.0, "late": 4.0, "last": 25.0}),
    ("Rosette", {"count": 6.0, "fan": "around", "offset": 220.0, "size": 60.0, "last": 100.0}),
    ("Echo", {"count": 8.0, "fan": "both sides", "offset": 40.0, "late": 3.0, "first": 60.0, "last": 10.0}),
)  # fmt: skip


def _rests(values: dict[str, Any]) -> bool:
    return round(float(values["count"])) == 0 or float(values["spread"]) == 0


def _rank(values: dict[str, Any], n: int) -> int:
    """How far out the n-th copy stands, from 1: on both sides two stand level, around all do."""
    return {"one side": n, "both sides": (n + 1) // 2, "around": 1}[str(values["fan"])]


def _looks_at(values: dict[str, Any], frame: int) -> list[Need]:
    step = float(values["late"]) * float(values["spread"])
    count = round(float(values["count"]))
    ranks = [n if values["fan"] == "around" else _rank(values, n) for n in range(1, count + 1)]
    return [own(frame - round(step * rank)) for rank in ranks]


@declare(
    "treatment", "clones", "Clones", ClonesParams, hint="copies beside the subject, fanned out and joined",
    group="Repeat", needs=_looks_at, rests=_rests, starters=STARTERS,
)  # fmt: skip
def clones(picture: F32, values: dict[str, Any], context: Context, pictures: Pictures) -> F32:
    """The picture with copies fanned out, (H, W, 4) float32 premultiplied linear RGBA.

    Each is scaled and turned about the middle of what is in it and moved by its offset, all by as much as the spread
    says. The ones that stand furthest out lie at the back.
    """
    before, spread = values["order"] == "before", float(values["spread"])
    out = picture.copy() if before else np.zeros_like(picture)
    count = round(float(values["count"]))
    for n in range(count, 0, -1):
        copy = pictures[n - 1]
        box = None if copy is None else occupied(copy)
        if copy is None or box is None:
            continue
        rank = _rank(values, n)
        degrees = float(values["direction"])
        if values["fan"] == "around":
            degrees += 360.0 * (n - 1) / count
        elif values["fan"] == "both sides" and n % 2 == 0:
            degrees += 180.0
        far = float(values["offset"]) * context.scale * rank * spread
        by = far * np.cos(np.deg2rad(degrees)), far * np.sin(np.deg2rad(degrees))
        size = (float(values["size"]) / 100) ** (rank * spread)
        turn = float(values["turn"]) * rank * spread * (-1 if values["fan"] == "both sides" and n % 2 == 0 else 1)
        share = (n - 1) / max(1, count - 1)
        opacity = (float(values["first"]) + (float(values["last"]) - float(values["first"])) * share) / 100
        if opacity > 0:
            way = about(middle(box), size, turn, by)
            lay(out, copy, box, way, "normal", opacity)
    if not before:
        box = occupied(picture)
        if box is not None:
            lay(out, picture, box, None, "normal", 1.0)
    return out
