"""A recipe for other footage: its times shifted and stretched, its sizes scaled."""

from __future__ import annotations

from collections.abc import Callable, Container
from dataclasses import dataclass
from typing import Any

import jsonpointer
import numpy as np

from cuvrel.core.recipe.declared_places import places
from cuvrel.core.recipe.models import WIDEST, Shot

SIZED = ("px", "px/s")
Json = dict[str, Any]


@dataclass(frozen=True)
class Fit:
    """How times and sizes of one shot become another's.

    first: the frame that becomes `to`. stretch: frames to one of before. size: pixels to one of before. old, new: width
    and height of the two plates, whose middles lie over one another.
    """

    first: int = 0
    to: int = 0
    stretch: float = 1.0
    size: float = 1.0
    old: tuple[int, int] = (0, 0)
    new: tuple[int, int] = (0, 0)

    def frame(self, number: float) -> int:
        """A frame's number; what would lie before the first frame of all is that one."""
        return max(0, self.to + round((number - self.first) * self.stretch))

    def at(self, x: float, y: float) -> tuple[float, float]:
        """A place in plate pixels from the top left corner."""
        return (
            (x - self.old[0] / 2) * self.size + self.new[0] / 2,
            (y - self.old[1] / 2) * self.size + self.new[1] / 2,
        )


def fitted(shot: Shot, fit: Fit, owners: Container[str] | None = None) -> Json:
    """The shot's document with its times and sizes fitted, or those of what is named as "matte:ID" or "plane:ID".

    Values that leave their range stop at its end. Of keyframes that come to lie on one frame the later one stays.
    """
    document: Json = shot.model_dump(mode="json")
    for place in places(shot):
        if owners is None or place.owner in owners:
            raw = jsonpointer.resolve_pointer(document, place.path)
            for name, about in place.entry.params.fields().items():
                if name in raw:
                    raw[name] = _value(raw[name], about, fit)
    for plane in document["planes"]:
        if owners is None or f"plane:{plane['id']}" in owners:
            for end in ("first", "last"):
                plane[end] = None if plane[end] is None else fit.frame(plane[end])
            plane["ride"] = _ride(plane["ride"], fit)
            plane["line_up"] = _line_up(plane["line_up"], fit)
    for matte in document["mattes"]:
        if owners is None or f"matte:{matte['id']}" in owners:
            for pull in matte["pulls"]:
                pull["marks"] = [_mark(mark, fit) for mark in pull["marks"]]
                pull["ride"] = _ride(pull["ride"], fit)
                for shape in pull["shapes"]:
                    shape["keys"] = _apart([_shape(key, fit) for key in shape["keys"]])
                    shape["rides"] = [_ride(ride, fit) for ride in shape["rides"]]
    document["tracks"] = [_track(track, fit) for track in document["tracks"]]
    return document


def _line_up(found: Any, fit: Fit) -> Any:
    """How a take lies on the plate with its times and the plate's places fitted; None stays."""
    if found is None:
        return None
    (left, top), s = fit.at(0, 0), fit.size
    to = np.array([[s, 0, left], [0, s, top], [0, 0, 1.0]])
    count = len(found["matrices"])
    last = round((count - 1) * fit.stretch)
    kept = [found["matrices"][min(count - 1, round(n / fit.stretch))] for n in range(last + 1)]
    matrices = [(to @ np.array(one).reshape(3, 3)).ravel().tolist() for one in kept]
    error = found["error"] and found["error"] * s
    return {**found, "first": fit.frame(found["first"]), "matrices": matrices, "error": error}


def _ride(ride: Any, fit: Fit) -> Any:
    """A ride with its times fitted; None stays."""
    return ride and {**ride, "frame": fit.frame(ride["frame"]), "smooth": min(ride["smooth"] * fit.stretch, 500)}


def _track(track: Json, fit: Fit) -> Json:
    frame = fit.frame(track["frame"])
    touches = [{"frame": fit.frame(touch["frame"]), "points": [list(fit.at(x, y)) for x, y in touch["points"]]}
               for touch in track["touches"]]  # fmt: skip
    spots = {side: [_spot(one, fit) for one in track[side]] for side in ("less", "more")}
    return {**track, **spots, "frame": frame, "points": [list(fit.at(x, y)) for x, y in track["points"]],
            "touches": _apart([touch for touch in touches if touch["frame"] != frame])}  # fmt: skip


def _value(value: Any, about: Json, fit: Fit) -> Any:
    if isinstance(value, dict) and "keys" in value:
        at = [(fit.frame(key["frame"]), _value(key["value"], about, fit)) for key in value["keys"]]
        moved = [{**key, "frame": frame, "value": plain} for key, (frame, plain) in zip(value["keys"], at, strict=True)]
        return {"keys": _apart(moved)}
    if isinstance(value, dict) and "drive" in value:
        amount = value["amount"] * fit.size if about.get("unit") in SIZED else value["amount"]
        return {**value, "base": _value(value["base"], about, fit), "amount": amount}
    if isinstance(value, dict) and "track" in value:
        return {**(_ride(value, fit)), "base": _value(value["base"], about, fit)}
    change = _change(about, fit)
    if change is None or isinstance(value, bool):
        return value
    low, high = float(about["low"]), float(about["high"])

    def held(number: float) -> float:
        return min(max(change(number), low), high)

    return [held(part) for part in value] if isinstance(value, (list, tuple)) else held(value)


def _change(about: Json, fit: Fit) -> Callable[[float], float] | None:
    """What happens to a number of a field; None where it stays."""
    if about["control"] == "point" or (about["control"] == "number" and about["unit"] in SIZED):
        return lambda number: number * fit.size
    if about["control"] == "number" and about["frame"]:
        return lambda number: float(fit.frame(number))
    if about["control"] == "number" and about["unit"] == "frames":
        return lambda number: float(round(number * fit.stretch))
    return None


def _spot(spot: Json, fit: Fit) -> Json:
    x, y = fit.at(spot["x"], spot["y"])
    return {"x": x, "y": y, "radius": min(spot["radius"] * fit.size, 2000)}


def _apart(keys: list[Json]) -> list[Json]:
    return list({key["frame"]: key for key in keys}.values())


def _mark(mark: Json, fit: Fit) -> Json:
    radius = min(max(mark["radius"] * fit.size, 0.1), 2000)
    if mark["kind"] == "drag":
        radius = min(radius, WIDEST)
    points = [list(fit.at(x, y)) for x, y in mark["points"]]
    return {**mark, "frame": fit.frame(mark["frame"]), "radius": radius, "points": points}


def _shape(key: Json, fit: Fit) -> Json:
    x, y = fit.at(key["x"], key["y"])
    sides = {name: key[name] * fit.size for name in ("width", "height")}
    soft = {name: min(key[name] * fit.size, 4000) for name in ("inner", "outer")}
    return {**key, "frame": fit.frame(key["frame"]), "x": x, "y": y, **sides, **soft,
            "points": [_point(one, fit) for one in key["points"]]}  # fmt: skip


def _point(point: Json, fit: Fit) -> Json:
    x, y = fit.at(point["x"], point["y"])
    return {**point, "x": x, "y": y, **{name: min(point[name] * fit.size, 4000) for name in ("inner", "outer")}}
