"""Vectors of what the server and the interface both compute; `cuvrel schemas` writes them, the front end tests them."""

from __future__ import annotations

from typing import Any

import numpy as np
from pydantic import TypeAdapter
from pydantic_core import to_jsonable_python

from cuvrel.core.camera.lens import Lens, View, turned
from cuvrel.core.camera.path import Axes
from cuvrel.core.recipe.curves import curve_at, ramp_at
from cuvrel.core.recipe.reel import Reel
from cuvrel.core.recipe.shapes import Shape
from cuvrel.core.recipe.tracks import Space
from cuvrel.core.recipe.values import Colour, Curve, Env, Point, Ramp, Scalar, at
from cuvrel.core.stand.cards import CardParams, stood
from cuvrel.core.stand.placement import PlacementParams, matrix

Doc = dict[str, Any]
FRAMES = (0.0, 3.0, 8.0, 11.0, 16.5, 25.0, 40.0)
WIDTH = 1280.0  # of the plate that placements are worked out for


def key(frame: int, value: Any, ease: str = "smooth", handles: list[float] | None = None) -> Doc:
    """A keyframe with all its fields."""
    return {"frame": frame, "value": value, "ease": ease, "handles": handles}


def driver(drive: str, base: Any, amount: float, **more: Any) -> Doc:
    """A driver with all its fields."""
    return {"drive": drive, "base": base, "amount": amount, "pace": 2.0, "seed": 1, "pattern": "10", **more}


KEYED = {"keys": [
    key(0, -40.0, "free", [0.1, 0.9, 0.4, 1.4]), key(9, 120.0), key(14, 20.0, "hold"), key(20, 60.0, "linear"),
    key(30, 0.0),
]}  # fmt: skip
STRAIGHT, BENT = [[0.0, 0.1], [1.0, 0.9]], [[0.0, 0.0], [0.2, 0.7], [0.5, 0.75], [0.9, 0.3]]
NIGHT, DAY = (
    [[0.0, 0.0, 0.1, 0.3], [1.0, 0.2, 0.2, 0.4]],
    [[0.1, 1.0, 0.5, 0.0], [0.6, 1.0, 1.0, 0.8], [1.0, 0.9, 1.0, 1.0]],
)
VALUES: list[tuple[Any, Any]] = [
    (Scalar, 3.5),
    (Scalar, KEYED),
    (Scalar, driver("wander", 10.0, 80.0, pace=5.5, seed=1234)),
    (Scalar, driver("rate", KEYED, -33.0)),
    (Scalar, driver("flicker", 0.5, 2.25, pace=7.0, pattern="1101")),
    (Colour, {"keys": [key(0, [1.0, 0.2, 0.0]), key(20, [0.0, 0.6, 0.5], "linear"), key(30, [1.0, 1.0, 1.0])]}),
    (Point, {"keys": [key(2, [-30.0, 12.5], "linear"), key(26, [400.0, -80.0])]}),
    (Curve, {"keys": [key(0, STRAIGHT), key(24, BENT, "linear"), key(44, STRAIGHT)]}),
    (Ramp, {"keys": [key(0, NIGHT, "linear"), key(24, DAY), key(44, NIGHT)]}),
]  # fmt: skip


def _corners(turn: float) -> list[Doc]:
    places = [(300 + 40 * turn, 200), (500, 220 + 30 * turn), (520 - 60 * turn, 400), (280, 380 + 20 * turn)]
    return [{"x": x, "y": y, "inner": 2 * n, "outer": 3 * n, "corner": n == 1} for n, (x, y) in enumerate(places)]


SHAPES: list[Doc] = [
    {"id": "sail", "name": "Sail", "kind": "curve", "keys": [
        {"frame": 0, "points": _corners(0), "ease": "smooth"},
        {"frame": 6, "points": _corners(3.5), "only": [1, 3]},
        {"frame": 10, "points": _corners(2), "ease": "hold"},
        {"frame": 16, "points": _corners(-1)}]},
    {"id": "hull", "name": "Hull", "kind": "box", "keys": [
        {"frame": 2, "x": 300, "y": 240, "width": 80, "height": 40, "angle": 10, "round": 0.2, "outer": 6},
        {"frame": 22, "x": 520, "y": 200, "width": 120, "height": 90, "angle": -50, "inner": 4, "ease": "smooth"}]},
    {"id": "rope", "name": "Rope", "kind": "line", "keys": [
        {"frame": 0, "width": 2, "points": _corners(0)[:2]}, {"frame": 10, "width": 8, "points": _corners(3)[:2]}]},
]  # fmt: skip
PLACEMENTS: list[Doc] = [
    {"x": 120.0, "y": -40.0, "scale": 80.0, "angle": 12.0},
    {"stretch": 140.0, "depth": 0.4, "tilt": 30.0, "swing": -20.0, "anchor_x": 60.0, "anchor_y": -90.0},
    {"flip_x": True, "flip_y": False, "depth": -0.5, "angle": -75.0, "x": 33.0},
]
CARDS: list[Doc] = [
    {"x": 0.4, "y": 0.2, "z": 6.0, "width": 1.5},
    {"x": -1.0, "y": 0.5, "z": 8.0, "width": 2.0, "turn": 35.0, "lean": 20.0, "roll": -15.0, "foot": False},
    {"x": 1.5, "y": 0.0, "z": 5.0, "face": "to the camera", "turn": 10.0},
]
SPACES: list[Doc] = [{}, {"origin": [0.5, 1.2, 1.0], "up": [0.1, -1.0, 0.05], "ahead": [0.2, 0.3, 1.0], "size": 1.7}]
SPOTS = [(0.0, 0.0), (-200.0, 90.0), (310.5, -120.25)]


def vectors() -> Doc:
    """Values at some times, curves and ramps at some places, shapes at some frames, places of points when placed."""
    steps = np.linspace(0, 1, 11)
    return {
        "values": [
            {"value": to_jsonable_python(value), "at": [
                [time, fps, to_jsonable_python(at(TypeAdapter(kind).validate_python(value), Env(time, fps)))]
                for time in FRAMES for fps in (24.0, 30.0)]}
            for kind, value in VALUES
        ],
        "curves": [{"points": one, "at": curve_at(one, steps).tolist()} for one in (STRAIGHT, BENT, [[0.4, 0.6]])],
        "ramps": [{"stops": one, "at": ramp_at(one, steps).tolist()} for one in (NIGHT, DAY)],
        "shapes": [_shape(Shape.model_validate(raw)) for raw in SHAPES],
        "placements": [_placement(raw) for raw in PLACEMENTS],
        "cards": [_card(card, space) for card in CARDS for space in SPACES],
        "reels": [_reel(fps) for fps in (None, 24.0, 30.0)],
    }  # fmt: skip


def _shape(shape: Shape) -> Doc:
    here = [[time, shape.at(Env(time)).model_dump(mode="json")] for time in (0.0, 2.0, 4.0, 6.0, 8.5, 12.0, 20.0)]
    return {"shape": shape.model_dump(mode="json"), "at": here}


def _reel(fps: float | None) -> Doc:
    """Where the pieces of a reel lie, of shots at several rates."""
    rates = {"s1": 24.0, "s2": 25.0, "s3": 29.97}
    entry = {"hash": "", "shot": True, "width": 64, "height": 36, "frames": 400}
    pieces = [{"id": f"p{n}", "shot": f"s{n % 3 + 1}", "first": 3 * n, "last": 3 * n + 7 * n % 40,
               "join": {} if n % 2 else {"kind": "mix", "length": 5.0 * n}} for n in range(9)]  # fmt: skip
    reel = Reel.model_validate({
        "kind": "reel", "name": "Reel", "format": {"fps": fps}, "pieces": pieces,
        "footage": [{"id": name, "name": name, "fps": rate, **entry} for name, rate in rates.items()],
    })  # fmt: skip
    return {"reel": reel.model_dump(mode="json"), "frames": reel.plate_footage().frames,
            "laid": [[one.begin, one.count, one.shared] for one in reel.laid()]}  # fmt: skip


def _card(raw: Doc, space: Doc) -> Doc:
    """Where the corners of a card are seen, clockwise from the top left, with a lens that bends."""
    lens = Lens(900.0, (1280, 720), (-0.08, 0.02))
    view = View(turned(np.array([0.05, -0.1, 0.02])), np.array([0.2, -0.1, 0.4]), lens)
    laid = Space.model_validate(space)
    values = CardParams.model_validate(raw).at(Env(0.0))
    found = stood(values, Axes(laid), view, (720.0, 1280.0), view.eye)
    corners = [found.origin + found.across * x + found.down * y
               for x, y in ((-640, -360), (640, -360), (640, 360), (-640, 360))]  # fmt: skip
    return {"card": raw, "space": laid.model_dump(mode="json"), "size": list(lens.size), "bend": list(lens.bend),
            "view": [*view.turn.ravel().tolist(), *view.shift.tolist(), lens.focal],
            "corners": view.seen(np.array(corners)).tolist()}  # fmt: skip


def _placement(raw: Doc) -> Doc:
    values = PlacementParams.model_validate(raw).at(Env(0.0))
    places = []
    for x, y in SPOTS:
        across, down, depth = matrix(values, WIDTH) @ np.array([x, y, 1.0])
        places.append([[x, y], [float(across / depth), float(down / depth)]])
    return {"placement": values, "width": WIDTH, "places": places}
