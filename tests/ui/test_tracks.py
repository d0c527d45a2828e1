"""Tracks by hand: marked, followed, put right, ridden on, and taken away."""

from __future__ import annotations

from typing import Any

import pytest
from playwright.sync_api import expect

from tests.stack import Stack, wait_for
from tests.ui.conftest import Desk

HEAD = (610, 296)
LAST = 27  # of the frames that are followed


def document(stack: Stack, shot: int) -> dict[str, Any]:
    return stack.ask(f"/api/shots/{shot}")["document"]


def stored(stack: Stack, shot: int, track: str) -> list[int]:
    return sorted(f["frame"] for f in stack.ask(f"/api/shots/{shot}")["frames"] if f["pull"] == track)


def add(desk: Desk, kind: str) -> None:
    desk.button("Add a track").click()
    desk.page.get_by_role("menuitem", name=kind).click()


def tracks(stack: Stack, shot: int) -> list[dict[str, Any]]:
    return document(stack, shot)["tracks"]


@pytest.fixture
def twin(desk: Desk, stack: Stack, demo: int) -> int:
    """A copy of the signaller's shot without its tracks, of its first frames alone, opened."""
    made = stack.post(f"/api/shots/{demo}/copy")["id"]
    about = stack.ask(f"/api/shots/{made}")
    ops = [{"op": "replace", "path": "/tracks", "value": []}, {"op": "add", "path": "/range/last", "value": LAST}]
    stack.ask(f"/api/shots/{made}/edits", {"revision": about["revision"], "ops": ops})
    desk.open(made)
    return made


def test_a_region_is_drawn_followed_and_put_right(desk: Desk, stack: Stack, twin: int) -> None:
    desk.go(8)
    add(desk, "Region")
    expect(desk.page.get_by_text("Drag a line round what is to be followed.")).to_be_visible()
    x, y = HEAD
    desk.stroke([(x - 40, y - 45), (x + 45, y - 45), (x + 45, y + 45), (x - 40, y + 45), (x - 42, y - 30)])
    desk.saved()
    (made,) = tracks(stack, twin)
    assert (made["kind"], made["frame"]) == ("region", 8)
    desk.button("Follow both ways").click()
    wait_for(lambda: len(stored(stack, twin, made["id"])) == LAST + 1, 90, "a followed track")
    expect(desk.page.get_by_text(f"{LAST + 1} of {LAST + 1} frames")).to_be_visible(timeout=20_000)
    # its feature points are on the picture; one that is pressed is left out
    desk.go(20)
    points = desk.page.get_by_label("Feature point: press to leave it out")
    expect(points.first).to_be_visible()
    points.first.click(force=True)
    desk.saved()
    assert len(tracks(stack, twin)[0]["less"]) == 1
    # a hand puts it elsewhere on a frame, by arrow keys
    handle = desk.page.get_by_role("button", name="Region 1: drag")
    handle.press("Shift+ArrowRight")
    desk.saved()
    (touch,) = tracks(stack, twin)[0]["touches"]
    assert touch["frame"] == 20
    since = stack.ask(f"/api/shots/{twin}/tracks/{made['id']}/path")
    box = since["box"][0]
    there = since["since"][20]
    assert there[0] * box[0] + there[1] * box[1] + there[2] == pytest.approx(touch["points"][0][0], abs=0.1)
    desk.button("Clear touch").click()
    desk.saved()
    assert tracks(stack, twin)[0]["touches"] == []


def test_a_shape_a_plane_and_a_place_ride_by_pressing_a_track(desk: Desk, stack: Stack, demo: int) -> None:
    made = stack.post(f"/api/shots/{demo}/copy")["id"]
    desk.open(made)
    desk.page.get_by_role("region", name="Mattes").get_by_role("button", name="Matte").last.click()
    desk.lay_on("Shapes")
    desk.page.get_by_role("radio", name="Draw an ellipse").click()
    desk.stroke([(570, 250), (650, 345)])
    desk.button("Ride …").click()
    desk.page.get_by_role("button", name="Ride on Head").click(force=True)
    desk.saved()
    shape = document(stack, made)["mattes"][-1]["pulls"][0]["shapes"][0]
    assert shape["rides"] == [{"track": "head", "frame": 0, "how": "position, size and turn", "smooth": 0.0,
                               "still": False, "widen": 0.0, "place": None, "facing": None, "only": []}]  # fmt: skip
    # where it rides to it can be moved, and is kept as it would be without
    desk.go(40)
    outline = desk.page.get_by_role("button", name="Ellipse: drag")
    wait_for(lambda: outline.bounding_box()["x"] > desk.place(590, 0)[0], 10, "the shape where it rides to")
    outline.press("ArrowRight")
    desk.saved()
    keys = document(stack, made)["mattes"][-1]["pulls"][0]["shapes"][0]["keys"]
    assert [k["frame"] for k in keys] == [0, 40]
    assert keys[1]["x"] == pytest.approx(keys[0]["x"] + 1, abs=0.3)
    # a plane, held still
    desk.plane("Plate")
    desk.button("Open Placement, which is at rest").click()
    desk.button("Ride …").click()
    desk.page.get_by_role("dialog", name="Ride on a track").get_by_role("button", name="Coat").click()
    desk.page.get_by_label("hold still").check()
    desk.saved()
    ride = document(stack, made)["planes"][-1]["ride"]
    assert (ride["track"], ride["still"]) == ("coat", True)
    # the centre of a treatment
    desk.lay_on("Vignette")
    desk.button("Vignette: Centre: more").click()
    desk.page.get_by_role("menuitem", name="Ride on a track").click()
    desk.page.get_by_role("dialog", name="Ride on a track").get_by_role("button", name="Head").click()
    desk.saved()
    centre = document(stack, made)["planes"][-1]["treatments"][-1]["params"]["centre"]
    assert (centre["track"], centre["frame"]) == ("head", 40)
    # a track that is ridden on says by what, before it goes
    desk.page.get_by_role("region", name="Tracks").get_by_role("button", name="Head").click()
    desk.page.get_by_role("article", name="Region").get_by_role("button", name="Remove").click()
    ask = desk.page.get_by_role("dialog", name="Head is ridden on")
    expect(ask).to_contain_text("the shape 'Ellipse'")
    ask.get_by_role("button", name="Remove").click()
    desk.saved()
    after = document(stack, made)
    assert [one["id"] for one in after["tracks"]] == ["coat"]
    assert after["mattes"][-1]["pulls"][0]["shapes"][0]["rides"] == []
    desk.button("Undo").click()
    desk.saved()
    assert [one["id"] for one in document(stack, made)["tracks"]] == ["head", "coat"]


def test_a_patch_has_four_corners_and_a_point_is_pressed(desk: Desk, stack: Stack, twin: int) -> None:
    add(desk, "Patch")
    for x, y in ((900, 520), (700, 400), (900, 400), (700, 520)):
        desk.page.mouse.click(*desk.place(x, y))
    desk.saved()
    patch = tracks(stack, twin)[0]
    assert [[round(n, -1) for n in p] for p in patch["points"]] == [[700, 400], [900, 400], [900, 520], [700, 520]]
    add(desk, "Point")
    desk.page.mouse.click(*desk.place(612, 330))
    desk.saved()
    point = tracks(stack, twin)[1]
    assert point["points"][0] == pytest.approx([612, 330], abs=1.5)
    desk.page.get_by_role("region", name="Tracks").get_by_role("button", name="Follow all").click()
    wait_for(lambda: len(stored(stack, twin, point["id"])) == LAST + 1, 120, "both tracks followed side by side")
    assert len(stored(stack, twin, patch["id"])) == LAST + 1
    # each has a column on the sheet, and is told of in the list
    expect(desk.page.get_by_role("region", name="Exposure sheet")).to_contain_text("Patch 1")
    expect(desk.page.get_by_role("region", name="Tracks")).to_contain_text("point, all", timeout=20_000)
