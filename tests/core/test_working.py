"""A working space changes no mattes and no neutral picture, and keeps the colours that BT.709 can't hold."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import numpy as np
import pytest

from cuvrel.core.export.order import Settings, ordered
from cuvrel.core.export.pictures import picture
from cuvrel.core.media import managed
from cuvrel.core.media.cube import read_cube
from cuvrel.core.recipe.check import read_shot
from cuvrel.core.recipe.errors import MediaError
from cuvrel.core.stand.build import Stand
from cuvrel.core.stand.nodes import Cache, Node, node, work_out
from cuvrel.core.stand.uncovered import Uncovered
from cuvrel.core.stand.view_kinds import PlaneView
from cuvrel.core.stand.views import view
from tests.recipes import FakeSources, document

WIDE = "ACEScg"
GREEN = (-0.2, 0.5, -0.05)
"""Light that BT.709 can't hold, but the wide space can."""
PLATE = {"id": "plate", "name": "Plate", "kind": "plate"}


class Vivid(FakeSources):
    """A plate of one colour that a screen can't show."""

    def deep(self, footage_id: str, frame: int, size: tuple[int, int]) -> Node | None:
        return node("vivid", size, [], lambda: np.full((*size, 4), (*GREEN, 1), np.float32))


def stand(planes: list[dict[str, Any]], working: str = WIDE, sources: FakeSources | None = None) -> Stand:
    return Stand(read_shot(document(planes=planes, working=working)), sources or FakeSources())


def shown(of: Stand, frame: int = 3) -> np.ndarray:
    return work_out(of.result(frame), Cache(1 << 26))


def treated(kind: str, plane: dict[str, Any] = PLATE, **params: Any) -> dict[str, Any]:
    return {**plane, "treatments": [{"id": "s", "kind": kind, "params": params}]}


PLAIN = {
    "plate": [PLATE],
    "placed cut-out over a fill": [
        {"id": "a", "name": "A", "kind": "cutout", "matte": "m1", "placement": {"x": 3.0, "angle": 10.0}},
        {"id": "b", "name": "B", "kind": "fill", "params": {"colours": 2, "colour1": [0.9, 0.2, 0.1]}},
    ],
    "line, half of it": [
        {"id": "a", "name": "A", "kind": "line", "matte": "m1", "params": {"width": 4, "colour": [0.1, 0.4, 0.9]},
         "opacity": 0.5}, PLATE],
    "group": [{"id": "g", "name": "G", "kind": "group"}, {**PLATE, "group": "g"}],
    "glaze of one colour": [treated("blur", {"id": "a", "name": "A", "kind": "glaze"}, radius=4.0), PLATE],
    "frame of a colour": [treated("vignette", colour=[0.9, 0.1, 0.2], amount=1.0)],
}  # fmt: skip


@pytest.mark.parametrize("planes", list(PLAIN.values()), ids=list(PLAIN))
def test_what_is_linear_looks_the_same_in_any_space(planes: list[dict[str, Any]]) -> None:
    assert np.abs(shown(stand(planes)) - shown(stand(planes, ""))).max() < 2e-3


def test_a_table_is_given_what_it_was_made_for(tmp_path: Path) -> None:
    class Tabled(FakeSources):
        def table(self, footage_id: str) -> Node:
            return node("table", footage_id, [], lambda: read_cube(path))

    steps = np.linspace(0, 1, 5)
    path = tmp_path / "a.cube"
    rows = [f"{r**2:.5f} {g:.5f} {b**0.5:.5f}" for b in steps for g in steps for r in steps]
    path.write_text("\n".join(["LUT_3D_SIZE 5", *rows]))
    entry = {"id": "t", "name": "a.cube", "hash": "b" * 32, "width": 0, "height": 0, "frames": 0, "fps": 0}
    made = []
    for space in (WIDE, ""):
        raw = document(planes=[treated("table", table="t")], working=space)
        raw["footage"].append(entry)
        made.append(work_out(Stand(read_shot(raw), Tabled()).result(3), Cache(1 << 26)))
    assert np.abs(made[0] - made[1]).max() < 2e-3


@pytest.mark.parametrize(
    "plane",
    [{**PLATE, "placement": {"x": 2.0, "scale": 130}}, treated("blur", radius=3.0), treated("grade", exposure=0.01),
     treated("defocus", radius=3.0)],
    ids=["placed", "blurred", "graded", "out of focus"],
)  # fmt: skip
def test_colours_beyond_a_screen_s_come_out_again(plane: dict[str, Any]) -> None:
    middle = (slice(20, 28), slice(28, 36), slice(0, 3))
    assert np.abs(shown(stand([plane], sources=Vivid()))[middle] - GREEN).max() < 0.02
    if plane.get("treatments", [{}])[0].get("kind") != "blur":  # which cuts them only where it enlarges
        assert shown(stand([plane], "", Vivid()))[middle].min() > -0.01


def test_exports_views_and_mattes_know_nothing_of_it() -> None:
    cut = {"id": "a", "name": "A", "kind": "cutout", "matte": "m1"}
    wide, plain = stand([cut, PLATE], sources=Vivid()), stand([cut, PLATE], "", Vivid())
    cache = Cache(1 << 26)
    assert wide.matte("m1", 3).key == plain.matte("m1", 3).key
    for what, targets in (("result", []), ("cutout", ["m1"]), ("plane", ["a"])):
        for colour in ("", f"space:{WIDE}"):
            order = ordered(wide.shot, Settings(how="exr-half", what=what, targets=targets, colour=colour))
            one, other = (work_out(picture(of, order, 3), cache) for of in (wide, plain))
            assert np.abs(one - other).max() < 2e-3, (what, colour)
    one, other = (work_out(view(of, PlaneView(plane="a"), 3), cache) for of in (wide, plain))
    assert np.abs(one.astype(int) - other).max() <= 1
    hidden = [work_out(Uncovered(of).hidden(3), cache) for of in (wide, plain)]
    assert np.array_equal(*hidden)


def test_only_spaces_of_linear_light_that_hold_bt709_can_be_worked_in() -> None:
    assert WIDE in managed.working_spaces()
    assert "Linear Rec.2020" in managed.working_spaces()
    for name in ("ACEScct", "Linear Rec.709 (sRGB)", "Raw", "nowhere"):
        assert name not in managed.working_spaces()
        with pytest.raises(MediaError, match="Nothing can be worked on"):
            stand([PLATE], name)
    for name in managed.working_spaces():
        assert np.abs(managed.working_matrix(name).sum(axis=1) - 1).max() < 0.01
