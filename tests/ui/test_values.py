"""The interface works values out by itself while a hand is on them: they are the server's, to the last shown digit."""

from __future__ import annotations

from typing import Any

import pytest
from pydantic import TypeAdapter

from cuvrel.core.recipe.shapes import Shape
from cuvrel.core.recipe.values import Env, Scalar, at
from tests.stack import Stack
from tests.ui.conftest import Desk

KEYED = {"keys": [
    {"frame": 0, "value": -40.0, "ease": "free", "handles": [0.1, 0.9, 0.4, 1.4]},
    {"frame": 9, "value": 120.0, "ease": "smooth"},
    {"frame": 14, "value": 20.0, "ease": "hold"},
    {"frame": 20, "value": 60.0, "ease": "linear"},
    {"frame": 30, "value": 0.0},
]}  # fmt: skip
VALUES: dict[str, dict[str, Any]] = {
    "Placement: Across": KEYED,
    "Placement: Down": {"drive": "wander", "base": 10.0, "amount": 80.0, "pace": 5.5, "seed": 1234},
    "Placement: Turn": {"drive": "rate", "base": KEYED, "amount": -33.0},
    "Placement: Push": {"drive": "flicker", "base": 0.5, "amount": 2.25, "pace": 7.0, "pattern": "1101"},
    "Placement: Swing": {"drive": "wander", "base": 0.0, "amount": 400.0, "pace": 3.0, "seed": 7},
}
FIELDS = {"Placement: Across": "x", "Placement: Down": "y", "Placement: Turn": "angle", "Placement: Push": "depth",
          "Placement: Swing": "swing"}  # fmt: skip
FRAMES = (0, 3, 8, 11, 16, 25, 40)


def test_what_moves_is_told_as_the_server_has_it(desk: Desk, stack: Stack, demo: int) -> None:
    about = stack.ask(f"/api/shots/{demo}")
    index = [plane["name"] for plane in about["document"]["planes"]].index("Signaller lifted")
    ops = [
        {"op": "add", "path": f"/planes/{index}/placement/{FIELDS[label]}", "value": value}
        for label, value in VALUES.items()
    ]
    stack.ask(f"/api/shots/{demo}/edits", {"revision": about["revision"], "ops": ops, "label": "values"})
    desk.open(demo)
    desk.plane("Signaller lifted")
    desk.page.keyboard.press("c")
    rows = desk.page.get_by_role("list", name="Values that move").locator("li")
    read = TypeAdapter(Scalar).validate_python
    for frame in FRAMES:
        desk.go(frame)
        shown = dict(line.rsplit("\n", 1) for line in rows.all_inner_texts())
        for label, value in VALUES.items():
            want = float(at(read(value), Env(frame)))
            # a driver is held to its field's range
            want = max(-85.0, min(85.0, want)) if label == "Placement: Swing" else want
            assert float(shown[label]) == pytest.approx(want, abs=0.0051), (label, frame)


def test_a_shapes_points_are_drawn_where_the_server_has_them(desk: Desk, stack: Stack, demo: int) -> None:
    def key(frame: int, turn: float, **more: Any) -> dict[str, Any]:
        points = [(300 + 40 * turn, 200), (500, 220 + 30 * turn), (520 - 60 * turn, 400), (280, 380 + 20 * turn)]
        return {"frame": frame, "points": [{"x": x, "y": y} for x, y in points], **more}

    shape = {"id": "h1", "name": "Sail", "kind": "curve", "keys": [
        key(0, 0, ease="smooth"), key(6, 3.5, only=[1, 3]), key(10, 2, ease="hold"), key(16, -1),
    ]}  # fmt: skip
    matte = {"id": "m9", "name": "Sail", "pulls": [{"id": "u9", "kind": "shape", "shapes": [shape]}]}
    revision = stack.ask(f"/api/shots/{demo}")["revision"]
    ops = [{"op": "add", "path": "/mattes/-", "value": matte}]
    stack.ask(f"/api/shots/{demo}/edits", {"revision": revision, "ops": ops, "label": "sail"})
    desk.open(demo)
    desk.matte("Sail")
    desk.page.keyboard.press("2")
    desk.page.get_by_role("radio", name="Change shapes").click()
    desk.page.get_by_role("button", name="Sail: drag").focus()
    model = Shape.model_validate(shape)
    for frame in (0, 4, 6, 8, 12, 20):
        desk.go(frame)
        desk.page.get_by_role("button", name="Sail: drag").focus()
        for n, point in enumerate(model.at(Env(frame)).points, 1):
            drawn = desk.page.get_by_role("button", name=f"Point {n} of Sail")
            width = float(str(drawn.get_attribute("width")))
            x, y = (float(str(drawn.get_attribute(side))) + width / 2 for side in ("x", "y"))
            assert (x, y) == pytest.approx((point.x, point.y), abs=0.05), (n, frame)
