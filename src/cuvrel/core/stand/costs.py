"""What each plane costs, and trying a plane out another way."""

from __future__ import annotations

from typing import Any

from cuvrel.core.recipe.models import Plane
from cuvrel.core.stand.build import Stand
from cuvrel.core.stand.nodes import Cache, Node, work_out

# ways to lay an element over what lies behind it, by one press
WAYS: dict[str, dict[str, Any]] = {
    "as it is": {"blend": "normal", "see_through": "nothing"},
    "screen": {"blend": "screen", "see_through": "nothing"},
    "add": {"blend": "add", "see_through": "nothing"},
    "drop black": {"blend": "normal", "see_through": "black"},
    "drop white": {"blend": "normal", "see_through": "white"},
}


def costs(stand: Stand, frame: int, cache: Cache) -> dict[str, float]:
    """Milliseconds that each plane took when its frame was last worked out, by plane id.

    What several planes share (a matte, a decoded picture) counts for the one furthest back. A group's cost holds
    its planes'. The frame is worked out first.
    """
    work_out(stand.result(frame), cache)
    counted: set[str] = set()
    out: dict[str, float] = {}
    below: Node | None = None
    for plane in reversed([one for one in stand.shot.planes if one.group is None]):
        above = stand.plane(plane, frame, below)
        out[plane.id] = 0.0 if above is None else 1000 * _spent(above, counted, cache)
        below = above
    for plane in stand.shot.planes:
        if plane.group is not None:
            mine: set[str] = set()
            out[plane.id] = 1000 * _spent(stand.alone(plane, frame), mine, cache) if stand.shows(plane, frame) else 0.0
    return out


def _spent(top: Node, counted: set[str], cache: Cache) -> float:
    """Seconds of all nodes that a node rests on and that were not counted yet."""
    total, waiting = 0.0, [top]
    while waiting:
        one = waiting.pop()
        if one.key in counted:
            continue
        counted.add(one.key)
        total += cache.spent(one.key)
        waiting += [*one.inputs, *(more for more in one.later or () if more is not None)]
    return total


def blended(stand: Stand, plane_id: str, how: str) -> Stand:
    """The stand with one plane laid over the others another way, by a name of WAYS. Raises KeyError."""
    change = WAYS[how]
    stand.shot.plane(plane_id)

    def other(plane: Plane) -> Plane:
        if plane.id != plane_id:
            return plane
        params = {**plane.params, "see_through": change["see_through"]} if plane.kind == "element" else plane.params
        return plane.model_copy(update={"blend": change["blend"], "params": params})

    planes = [other(plane) for plane in stand.shot.planes]
    return stand.of(stand.shot.model_copy(update={"planes": planes}))
