"""How far a move or a join has come, and where a moving piece lies in the frame."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import numpy as np

from cuvrel.core.arrays import F64
from cuvrel.core.recipe.curves import curve_at
from cuvrel.core.recipe.values import eased

TURN = 0.7  # the share of its time after which a move that overshoots comes back
Xy = tuple[float, float]


def _eased(ease: str, drawn: Any, t: float) -> float:
    if ease == "both ends":
        return eased("smooth", t)
    if ease == "at the start":
        return 1 - float(np.cos(t * np.pi / 2))
    if ease == "at the end":
        return float(np.sin(t * np.pi / 2))
    return float(curve_at(drawn, t)) if ease == "drawn" else t


def come(values: dict[str, Any], t: float) -> float:
    """How far something has come at `t`, 0 to 1, of its time: 0 at its start, 1 at its end (but for a drawn ease).

    values: `ease`, `drawn`, and `overshoot` in percent, if it has that. With an overshoot o it has come 1 + o of the
    way after `TURN` of its time, and goes back to 1, eased at both ends.
    """
    t = min(max(t, 0.0), 1.0)
    over = float(values.get("overshoot", 0.0)) / 100
    if over <= 0:
        return _eased(str(values["ease"]), values["drawn"], t)
    if t < TURN:
        return (1 + over) * _eased(str(values["ease"]), values["drawn"], t / TURN)
    return 1 + over * (1 - eased("smooth", (t - TURN) / (1 - TURN)))


def placed_at(values: dict[str, Any], t: float, width: float, target: Xy = (0.0, 0.0)) -> F64:
    """Where a piece lies at `t`, 0 to 1, of its time: a map, (3, 3), between pixels about the frame's middle.

    values: of MoveParams. width: of the frame, in pixels. target: the place of the picture that comes to lie in the
    middle where the move is nearest. Sizes go by their logarithm, so that nearing is as quick at first as at last; with
    p = come(t) and the size S:

    * push in: the size is S^p, and the target lies at 1 - p of its way from the middle;
    * pull out: the same from its end to its start;
    * slide: the size is S, the middle goes `way` along `direction`, half of it at the middle of the time;
    * from and to: size, place and turn each between what they are first and last; the target stays in the middle.
    """
    p, kind = come(values, t), values["kind"]
    size, turn, nearness = 1.0, 0.0, 1.0
    x, y = 0.0, 0.0
    if kind in ("push in", "pull out"):
        nearness = p if kind == "push in" else 1 - p
        size = (float(values["size"]) / 100) ** nearness
    elif kind == "slide":
        size, nearness = float(values["size"]) / 100, 0.0
        angle = np.deg2rad(float(values["direction"]))
        way = float(values["way"]) / 100 * width * (p - 0.5)
        x, y = way * float(np.cos(angle)), way * float(np.sin(angle))
    elif kind == "from and to":
        low, high = float(values["from_size"]) / 100, float(values["to_size"]) / 100
        size = float(low ** (1 - p) * high**p)
        x, y = (a + (b - a) * p for a, b in zip(values["from_place"], values["to_place"], strict=True))
        turn = np.deg2rad(float(values["from_turn"]) + (float(values["to_turn"]) - float(values["from_turn"])) * p)
    else:
        return np.eye(3)
    tx, ty = target
    cos, sin = size * float(np.cos(turn)), size * float(np.sin(turn))
    left = 1 - nearness
    return np.array(
        [
            [cos, -sin, x + left * tx - cos * tx + sin * ty],
            [sin, cos, y + left * ty - sin * tx - cos * ty],
            [0, 0, 1.0],
        ]
    )


def opened(k: float, shutter: float, samples: int) -> list[float]:
    """Moments of a frame `k` at which its shutter, in degrees, is open: so many, evenly about the frame."""
    if shutter <= 0 or samples < 2:
        return [k]
    half = shutter / 720
    return [k + half * (2 * n / (samples - 1) - 1) for n in range(samples)]


def enough(maps: Callable[[float], F64], k: float, shutter: float, most: int, size: Xy, scale: float) -> list[F64]:
    """Where a picture lies while the shutter is open: so many places that no two that follow one another lie more than
    half a pixel apart at the frame's corners, which is as good as any number; `most` at the most.

    maps: where it lies at a moment, in frames. size: the frame's width and height; scale: pixels over the frame's own.
    """
    ends = [maps(at) for at in opened(k, shutter, 2)]
    corners = np.array([[x, y, 1.0] for x in (-size[0] / 2, size[0] / 2) for y in (-size[1] / 2, size[1] / 2)]).T
    places = [(one @ corners)[:2] / (one @ corners)[2] for one in ends]
    way = float(np.hypot(*(places[-1] - places[0])).max()) * scale
    if way < 0.05:
        return [maps(k)]
    return [maps(at) for at in opened(k, shutter, min(most, max(2, int(np.ceil(2 * way)) + 1)))]
