"""Treatments as a person lays them on: chosen by looking, set on the picture, over histograms, from files."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import pytest
from playwright.sync_api import expect

from tests.stack import Stack
from tests.ui.conftest import Desk


@pytest.fixture
def cut(desk: Desk, demo: int) -> Desk:
    """The demo's first shot with its cut-out selected, on a frame with movement behind it."""
    desk.open(demo)
    desk.plane("Signaller lifted")
    desk.go(12)
    return desk


def steps(desk: Desk, stack: Stack, shot: int) -> list[dict[str, Any]]:
    """The treatments of the cut-out, as the server has them."""
    desk.saved()
    planes = stack.ask(f"/api/shots/{shot}")["document"]["planes"]
    found: list[dict[str, Any]] = next(plane for plane in planes if plane["id"] == "lift")["treatments"]
    return found


def typed(desk: Desk, label: str, value: str) -> None:
    desk.page.get_by_label(f"{label}, value").fill(value)
    desk.page.keyboard.press("Enter")


def test_a_trail_is_chosen_by_looking_and_begins_as_a_starter(cut: Desk, stack: Stack, demo: int) -> None:
    before = cut.key()
    cut.lay_on("Ghost trail")
    before = cut.new_picture(before)
    cut.page.get_by_role("button", name="Ghost trail: Cold wake").click()
    before = cut.new_picture(before)
    assert steps(cut, stack, demo)[-1]["params"]["tinting"] == 100
    typed(cut, "Ghost trail: Spacing", "1.5")
    cut.new_picture(before)
    cut.button("More for Ghost trail").click()
    cut.page.get_by_role("menuitem", name="Arrive").click()
    cut.page.get_by_role("dialog").get_by_role("button", name="Arrive").click()
    expect(cut.page.get_by_role("dialog")).to_have_count(0)
    strength = steps(cut, stack, demo)[-1]["params"]["strength"]
    assert [key["value"] for key in strength["keys"]] == [0, 70]


def test_clones_fan_out_in_a_direction_that_is_turned_on_the_picture(cut: Desk, stack: Stack, demo: int) -> None:
    cut.lay_on("Clones")
    handle = cut.page.get_by_role("button", name="Clones: Direction: handle")
    expect(handle).to_be_visible()
    for _ in range(3):
        handle.press("Shift+ArrowDown")
    assert steps(cut, stack, demo)[-1]["params"]["direction"] == 30
    # all of its fields are in sight: the bench grew for them
    for label in ("Clones: Copies, value", "Clones: Last opacity, value", "Clones: Lie"):
        expect(cut.page.get_by_label(label, exact=True)).to_be_in_viewport()


def test_a_colour_is_picked_off_the_picture(cut: Desk, stack: Stack, demo: int) -> None:
    cut.lay_on("Selective colour")
    pick = cut.button("Selective colour: Colour: pick off the picture")
    pick.click()
    expect(pick).to_have_attribute("aria-pressed", "true")
    cut.stroke([(610, 430), (630, 460)])
    expect(pick).to_have_attribute("aria-pressed", "false")
    red, _, blue = steps(cut, stack, demo)[-1]["params"]["colour"]
    assert blue > red + 0.1, "the signaller's coat is blue"
    before = cut.key()
    typed(cut, "Selective colour: Hue", "120")
    cut.new_picture(before)
    # what was picked and set is two steps back
    cut.button("Undo").click()
    cut.button("Undo").click()
    assert "colour" not in steps(cut, stack, demo)[-1]["params"]


def test_a_gradients_corner_is_dragged_and_a_curve_is_bent(cut: Desk, stack: Stack, demo: int) -> None:
    cut.lay_on("Four-corner gradient")
    handle = cut.page.get_by_role("button", name="Four-corner gradient: Place 1: handle")
    box = handle.bounding_box()
    assert box is not None
    cut.page.mouse.move(box["x"] + 8, box["y"] + 8)
    cut.page.mouse.down()
    cut.page.mouse.move(box["x"] + 68, box["y"] + 38, steps=5)
    cut.page.mouse.up()
    x, y = steps(cut, stack, demo)[-1]["params"]["at1"]
    assert x > -360
    assert y > -220
    cut.lay_on("Curves")
    point = cut.page.get_by_role("button", name="Curves: Red: point 2")
    for _ in range(4):
        point.press("Shift+ArrowDown")
    assert steps(cut, stack, demo)[-1]["params"]["red"] == [[0, 0], [1, pytest.approx(0.6)]]
    expect(cut.page.get_by_role("group", name="Curves: Saturation by hue: points")).to_be_in_viewport()


def test_a_cdl_file_is_written_and_read(cut: Desk, stack: Stack, demo: int, tmp_path: Path) -> None:
    cut.lay_on("Slope, offset, power")
    typed(cut, "Slope, offset, power: Slope red", "1.3")
    cut.saved()
    cut.button("More for Slope, offset, power").click()
    with cut.page.expect_download() as told:
        cut.page.get_by_role("menuitem", name="Write a CDL file").click()
    text = Path(told.value.path()).read_text()
    assert "<Slope>1.3 1 1</Slope>" in text
    file = tmp_path / "warm.cdl"
    file.write_text(text.replace("1.3 1 1", "0.9 1 1.1"))
    with cut.page.expect_file_chooser() as chooser:
        cut.button("More for Slope, offset, power").click()
        cut.page.get_by_role("menuitem", name="Read a CDL file").click()
    chooser.value.set_files(file)
    expect(cut.page.get_by_text("warm.cdl is read.")).to_be_visible()
    assert steps(cut, stack, demo)[-1]["params"]["slope_blue"] == 1.1


def test_an_outline_writes_itself_on_from_a_point_that_is_dragged(cut: Desk, stack: Stack, demo: int) -> None:
    cut.lay_on("Glow outline")
    before = cut.key()
    typed(cut, "Glow outline: Drawn", "0.3")
    before = cut.new_picture(before)
    handle = cut.page.get_by_role("button", name="Glow outline: Start: handle")
    handle.press("Shift+ArrowRight")
    for _ in range(8):
        handle.press("Shift+ArrowDown")
    cut.new_picture(before)
    params = steps(cut, stack, demo)[-1]["params"]
    assert (params["start"], params["length"]) == ([10, -120], 0.3)
    # it was set on this frame, which is told by the shot's own number
    assert params["start_frame"] == 12
    expect(cut.page.get_by_label("Glow outline: Set on frame, value")).to_have_value("1013")


def test_an_outline_along_an_open_line_that_is_drawn(desk: Desk, stack: Stack, demo: int) -> None:
    desk.open(demo)
    page = desk.page
    page.get_by_role("region", name="Mattes").get_by_role("button", name="Matte", exact=True).click()
    desk.lay_on("Shapes")
    page.get_by_role("radio", name="Draw an open line, point by point").click()
    for point in ((300, 200), (600, 120), (900, 220)):
        page.mouse.click(*desk.place(*point))
    expect(page.get_by_text("Double-click or Enter to end the line.")).to_be_visible()
    page.keyboard.press("Enter")
    desk.saved()
    (drawn,) = stack.ask(f"/api/shots/{demo}")["document"]["mattes"][-1]["pulls"][0]["shapes"]
    assert (drawn["kind"], len(drawn["keys"][0]["points"])) == ("line", 3)
    before = desk.key()
    desk.add_plane("Line")
    before = desk.new_picture(before)
    typed(desk, "Glow outline: Drawn", "0.5")
    desk.new_picture(before)


def test_a_deed_is_found_among_the_keys_and_done(desk: Desk, stack: Stack, demo: int) -> None:
    desk.open(demo)
    desk.plane("Signaller lifted")
    desk.page.keyboard.press("?")
    desk.page.get_by_label("Search the keys").fill("curves of")
    desk.page.keyboard.press("Enter")
    expect(desk.page.get_by_role("dialog")).to_have_count(0)
    expect(desk.page.get_by_role("group", name="Curves")).to_be_visible()


def test_a_plane_is_copied_by_the_other_button(desk: Desk, stack: Stack, demo: int) -> None:
    desk.open(demo)
    row = desk.page.get_by_role("region", name="Stand").locator("[data-pick]").filter(has_text="Signaller lifted")
    row.click(button="right")
    desk.page.get_by_role("menuitem", name="Copy").click()
    expect(desk.page.get_by_role("region", name="Stand").get_by_text("Signaller lifted copy")).to_be_visible()
