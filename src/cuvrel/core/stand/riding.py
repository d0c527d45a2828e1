"""What rides, written as keyframes; keyframes, made into a track; a track taken away from under what rides on it."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

import cv2
import jsonpointer
import numpy as np

from cuvrel.core.arrays import F64
from cuvrel.core.imaging.homography import moved
from cuvrel.core.pulls.outline import held, outline_at
from cuvrel.core.recipe.animatable import moving
from cuvrel.core.recipe.errors import RecipeError
from cuvrel.core.recipe.keyframe_values import keys_of
from cuvrel.core.recipe.models import Plane, Shot
from cuvrel.core.recipe.references import Rider, riders, without_ride
from cuvrel.core.recipe.shapes import Shape, ShapeKey, ShapePoint
from cuvrel.core.recipe.values import Env, Motion, Ride, at
from cuvrel.core.stand.placement import corners
from cuvrel.core.tracks.geometry import through

Ops = list[dict[str, Any]]
Motions = Mapping[str, Motion]
MOST = 64  # points of an outline that a track is made with


def baked(shot: Shot, motions: Motions, path: str) -> Ops:
    """Keyframes on every frame of the shot's range in place of a ride, as operations on the document.

    path: of the ride, as `riders` has it. A shape is written as a whole, with all that its points ride on. Raises
    RecipeError where there is no such ride, or keyframes can't say it.
    """
    rider = _rider(shot, path)
    envs = [shot.env(frame, motions) for frame in shot.frames]
    if isinstance(rider.riding, Ride):
        keys = [{"frame": int(env.time), "value": list(at(rider.riding, env)), "ease": "linear"} for env in envs]
        return [{"op": "replace", "path": path, "value": {"keys": keys}}]
    parts = path.split("/")
    if "shapes" in parts:
        place = "/".join(parts[:7])
        shape = shot.mattes[int(parts[2])].pulls[int(parts[4])].shapes[int(parts[6])]
        return [{"op": "replace", "path": place, "value": _baked_shape(shape, envs).model_dump(mode="json")}]
    if parts[1] == "planes":
        return _baked_placement(shot.planes[int(parts[2])], f"/planes/{parts[2]}", envs)
    raise RecipeError("What rides as a whole pull can't be written as keyframes.", "Let its shapes ride one by one.")


def _rider(shot: Shot, path: str) -> Rider:
    found = next((one for one in riders(shot) if one.path == path), None)
    if found is None:
        raise RecipeError("Nothing rides on a track there.")
    return found


def _baked_shape(shape: Shape, envs: list[Env]) -> Shape:
    keys = []
    for env in envs:
        here = held(shape, env)
        key = here.keys[0]
        if shape.kind == "ellipse" and here.kind == "polygon":
            key = _as_ellipse(key)
        elif shape.kind == "box" and here.kind == "polygon":
            # its four corners: those of its outline that lie furthest out
            n = len(key.points) // 4
            key = key.model_copy(update={"points": key.points[n - 1 :: n]})
        keys.append(key.model_copy(update={"frame": int(env.time), "ease": "linear"}))
    kind = "polygon" if keys[0].points and shape.kind == "box" else shape.kind
    return shape.model_copy(update={"kind": kind, "keys": keys, "rides": []})


def _as_ellipse(key: ShapeKey) -> ShapeKey:
    """An ellipse through a polygon's points: what one becomes in perspective is one again."""
    points = np.array([(p.x, p.y) for p in key.points], np.float32)
    (x, y), (width, height), angle = cv2.fitEllipse(points)
    soft = {side: float(np.mean([getattr(p, side) for p in key.points])) for side in ("inner", "outer")}
    return ShapeKey(frame=key.frame, x=x, y=y, width=width, height=height, angle=angle, **soft)


def _baked_placement(plane: Plane, path: str, envs: list[Env]) -> Ops:
    assert plane.ride is not None
    params = plane.values("placement")
    found: dict[str, list[float]] = {name: [] for name in ("x", "y", "scale", "angle")}
    for env in envs:
        values = params.at(env)
        if plane.ride.how == "perspective" or any(float(values[name]) for name in ("tilt", "swing", "depth")):
            raise RecipeError(
                f"'{plane.name}' rides or leans in perspective, which keyframes of a placement can't say.",
                "Let it take over position, size and turn alone.",
            )
        way, anchor = env.about_middle(plane.ride), np.array([values["anchor_x"], values["anchor_y"]], np.float64)
        place = moved(way, np.array([np.add(anchor, (float(values["x"]), float(values["y"])))]))[0] - anchor
        now = (place[0], place[1], float(values["scale"]) * np.hypot(way[0, 0], way[1, 0]),
               float(values["angle"]) + np.degrees(np.arctan2(way[1, 0], way[0, 0])))  # fmt: skip
        for name, value in zip(found, now, strict=True):
            found[name].append(float(value))
    found["angle"] = np.degrees(np.unwrap(np.radians(found["angle"]))).tolist()
    ops: Ops = [{"op": "replace", "path": f"{path}/ride", "value": None}]
    for name, run in found.items():
        keys = [
            {"frame": int(env.time), "value": value, "ease": "linear"} for env, value in zip(envs, run, strict=True)
        ]
        same = np.ptp(run) < 1e-9
        ops.append({"op": "add", "path": f"{path}/placement/{name}", "value": run[0] if same else {"keys": keys}})
    return ops


def track_of(shot: Shot, motions: Motions, path: str, ident: str) -> Ops:
    """A track that moves as the keyframes of a shape, a plane's placement or a place do, as operations.

    path: of the shape, the plane or the value. Raises RecipeError where nothing is keyed there.
    """
    parts = path.split("/")
    document = shot.model_dump(mode="json")
    try:
        jsonpointer.resolve_pointer(document, path)
    except jsonpointer.JsonPointerException as fault:
        raise RecipeError("There is nothing there that could be a track.") from fault
    if len(parts) < 3:
        raise RecipeError("There are no keyframes here that could be a track.")
    if "shapes" in parts and len(parts) == 7:
        shape = shot.mattes[int(parts[2])].pulls[int(parts[4])].shapes[int(parts[6])]
        frames = [key.frame for key in shape.keys]
        name, kind, places = shape.name, "region", _of_shape(shape, shot, motions, frames)
    elif parts[1] == "planes" and len(parts) == 3:
        plane = shot.planes[int(parts[2])]
        frames = _keyed(plane.placement)
        name, kind, places = plane.name, "patch", _of_plane(plane, shot, motions, frames)
    else:
        value = _value_at(shot, path)
        keys = keys_of(value)
        frames = [key.frame for key in keys.keys] if keys else []
        middle = np.array(shot.env(0).middle)
        name, kind = "Point", "point"
        places = {n: np.array([at(value, shot.env(n, motions))]) + middle for n in _span(frames)}
    if len(places) < 2:
        raise RecipeError("There are no keyframes here that could be a track.")
    first, *rest = places
    outline = places[first] if kind != "region" else _thinned(outline_at(shape, shot.env(first, motions)).line)
    if kind == "region":
        low, high = outline.min(axis=0), outline.max(axis=0)
        box = np.array([low, (high[0], low[1]), high, (low[0], high[1])])
        touches = [(n, moved(through(places[n], "size and turn", places[first]), box)) for n in rest]
    else:
        touches = [(n, places[n]) for n in rest]
    track = {"id": ident, "name": name[:120], "kind": kind, "frame": first, "points": outline.round(3).tolist(),
             "touches": [{"frame": n, "points": to.round(3).tolist()} for n, to in touches]}  # fmt: skip
    return [{"op": "add", "path": "/tracks/-", "value": track}]


def _span(frames: list[int]) -> range:
    return range(min(frames), max(frames) + 1) if frames else range(0)


def _keyed(placement: dict[str, Any]) -> list[int]:
    return [key["frame"] for value in placement.values() if isinstance(value, dict) for key in value.get("keys", [])]


def _thinned(line: F64) -> F64:
    return line[:: max(1, int(np.ceil(len(line) / MOST)))]


def _of_shape(shape: Shape, shot: Shot, motions: Motions, frames: list[int]) -> dict[int, F64]:
    """Places of a shape that go with it, by frame."""
    out = {}
    for n in _span(frames):
        key = held(shape, shot.env(n, motions)).keys[0]
        points = key.points or _axes(key)
        out[n] = np.array([(p.x, p.y) for p in points], np.float64)
    return out


def _axes(key: ShapeKey) -> list[ShapePoint]:
    """The middle of an ellipse or a box, and a point each along its axes, as far out as its size is on the whole."""
    turn, far = np.deg2rad(key.angle), max(float(np.sqrt(key.width * key.height)) / 2, 1.0)
    way = np.array([np.cos(turn), np.sin(turn)]) * far
    ends = [(0.0, 0.0), (way[0], way[1]), (-way[1], way[0]), (-way[0], -way[1])]
    return [ShapePoint(x=key.x + x, y=key.y + y) for x, y in ends]


def _of_plane(plane: Plane, shot: Shot, motions: Motions, frames: list[int]) -> dict[int, F64]:
    wide, high = (float(n) for n in shot.size)
    out = {}
    for n in _span(frames):
        env = shot.env(n, motions)
        placed = np.array(corners(plane.values("placement").at(env), (wide, high), (wide, high)))
        middle = np.array(env.middle)
        placed = placed - (wide / 2, high / 2)
        out[n] = (placed if plane.ride is None else moved(env.about_middle(plane.ride), placed)) + middle
    return out


def _value_at(shot: Shot, path: str) -> Any:
    found = next((one for one in moving(shot) if one.path == path and one.control == "point"), None)
    if found is None:
        raise RecipeError("Only a shape, a placement or a place can be made into a track.")
    return found.value


def without_track(shot: Shot, track: str) -> tuple[Ops, list[str]]:
    """Takes a track away, and all rides on it, as operations; and what rode on it, in words."""
    place = next((n for n, one in enumerate(shot.tracks) if one.id == track), None)
    if place is None:
        raise RecipeError("There is no such track in this shot.")
    found = [rider for rider in riders(shot) if rider.riding.track == track]
    # from the back, so that the places before stay what they were
    ops = [without_ride(rider) for rider in reversed(found)]
    cards = [(n, plane) for n, plane in enumerate(shot.planes) if plane.card is not None and plane.card.track == track]
    ops += [{"op": "replace", "path": f"/planes/{n}/card", "value": None} for n, _ in cards]
    said = [f"{one.what} of {one.named}" for one in found] + [
        f"the scene of the plane '{one.name}'" for _, one in cards
    ]
    return [*ops, {"op": "remove", "path": f"/tracks/{place}"}], said
