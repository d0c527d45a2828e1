"""Ghost trail: what was there a moment ago, or will be, fading."""

from __future__ import annotations

from typing import Any, Literal, get_args

import numpy as np

from cuvrel.core.arrays import F32
from cuvrel.core.imaging.sampling import about
from cuvrel.core.recipe.context import Context
from cuvrel.core.recipe.declared import Params, choice, colour, declare, number, point, switch
from cuvrel.core.recipe.models import Blend
from cuvrel.core.recipe.needs import Need, Pictures, own
from cuvrel.core.recipe.values import Colour, Point, Scalar, Switch
from cuvrel.core.treatments.copies import Screen, at_share, lay, middle, occupied, tinted


class TrailParams(Params):
    """Eight ghosts behind the subject."""

    count: Scalar = number(8.0, "Copies", 0, 80, step=1)
    spacing: Scalar = number(
        2.0,
        "Spacing",
        0.1,
        100,
        step=0.5,
        unit="fr",
        slide=(0.1, 12),
        hint="frames between them; fractions are made from motion",
    )
    when: Literal["earlier", "later", "both"] = choice("earlier", "Shows", ["earlier", "later", "both"])
    strength: Scalar = number(70.0, "First strength", 0, 100, step=1, unit="%", neutral=0)
    fade: Scalar = number(12.0, "Fade", 0, 100, step=1, unit="%", hint="that each has less than the one before")
    blend: Blend = choice("normal", "Among them", list(get_args(Blend)))
    order: Literal["behind", "before"] = choice(
        "behind", "Lies", ["behind", "before"], hint="the subject, or in front of it"
    )
    subject: Switch = switch(True, "With the subject", animatable=True)
    tint: Colour = colour((0.35, 0.7, 1.0), "Tint")
    tinting: Scalar = number(
        0.0, "Tinting", 0, 100, step=1, unit="%", hint="of the last copy; it grows along the trail"
    )
    shrink: Scalar = number(0.0, "Shrink", -20, 50, step=0.5, unit="%", hint="of each copy against the one before")
    drift: Point = point((0.0, 0.0), "Drift", hint="from each copy to the next, as it lies from the middle")


STARTERS = (
    ("Wake", {"count": 8.0, "spacing": 2.0, "strength": 70.0, "fade": 12.0}),
    ("Forty in light", {"count": 40.0, "spacing": 1.0, "strength": 45.0, "fade": 4.0, "blend": "screen"}),
    ("Cold wake", {"count": 14.0, "spacing": 2.0, "tinting": 100.0, "fade": 8.0, "blend": "screen"}),
    ("Before and after", {"count": 6.0, "spacing": 5.0, "when": "both", "strength": 50.0, "fade": 10.0}),
    ("Receding", {"count": 10.0, "spacing": 3.0, "shrink": 7.0, "fade": 8.0}),
)  # fmt: skip


def _rests(values: dict[str, Any]) -> bool:
    nothing = round(float(values["count"])) == 0 or float(values["strength"]) == 0
    return nothing and bool(values["subject"])


def _copies(values: dict[str, Any]) -> list[tuple[int, int, float]]:
    """Of each copy, the nearest first: which it is, from 1, how many frames off, and the share of the frame after."""
    ways = {"earlier": (-1,), "later": (1,), "both": (-1, 1)}[str(values["when"])]
    found = []
    for n in range(1, round(float(values["count"])) + 1):
        for way in ways:
            by = way * n * float(values["spacing"])
            frame = int(np.floor(by + 1e-6))
            found.append((n, frame, by - frame if by - frame > 1e-3 else 0.0))
    return found


def _looks_at(values: dict[str, Any], frame: int) -> list[Need]:
    return [own(frame + by + next) for _, by, share in _copies(values) for next in ((0, 1) if share else (0,))]


@declare(
    "treatment", "trail", "Ghost trail", TrailParams, hint="fading copies of other moments", group="Repeat",
    needs=_looks_at, rests=_rests,
    starters=STARTERS,
)  # fmt: skip
def trail(picture: F32, values: dict[str, Any], context: Context, pictures: Pictures) -> F32:
    """The picture with copies from other frames, (H, W, 4) float32 premultiplied linear RGBA.

    The furthest copy lies at the back. One copy after another is worked out and laid, each in the box that it fills.
    A copy has the first strength times (1 - fade) for each copy between it and the subject.
    """
    before, mode = values["order"] == "before", str(values["blend"])
    whole = occupied(picture) if values["subject"] else None
    screen = Screen(picture.shape) if mode == "screen" else None
    out = np.zeros_like(picture)
    if before and whole is not None:
        if screen:
            screen.lay(picture, whole, None, 1.0)
        else:
            out[whole] = picture[whole]
    dx, dy = (float(n) * context.scale for n in values["drift"])
    count = max(1, round(float(values["count"])))
    # from the furthest one on: a copy between two frames has two pictures, the earlier one first
    place = len(pictures)
    for n, _, share in reversed(_copies(values)):
        place -= 2 if share else 1
        strength = float(values["strength"]) / 100 * (1 - float(values["fade"]) / 100) ** (n - 1)
        copy = pictures[place] if strength > 0.002 else None
        if copy is None:
            continue
        copy = at_share(copy, pictures[place + 1] if share else None, share)
        box = occupied(copy)
        if box is None:
            continue
        tinting = float(values["tinting"]) / 100 * n / count
        if tinting > 0:
            part = tinted(np.ascontiguousarray(copy[box]), values["tint"], tinting)
            copy = np.zeros_like(copy)
            copy[box] = part
        size = (1 - float(values["shrink"]) / 100) ** n
        way = None if size == 1 and not dx and not dy else about(middle(box), size, 0.0, (n * dx, n * dy))
        if screen:
            screen.lay(copy, box, way, strength)
        else:
            lay(out, copy, box, way, mode, strength)
    if screen:
        out = screen.picture()
    if not before and whole is not None:
        lay(out, picture, whole, None, "normal", 1.0)
    return out
