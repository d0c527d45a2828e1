"""Pulling mattes without marks: shapes, keys, a clean plate, and the views for judging them."""

from __future__ import annotations

from typing import Any

import pytest
from playwright.sync_api import expect

from tests.stack import Stack, wait_for
from tests.ui.conftest import Desk


def document(stack: Stack, shot: int) -> dict[str, Any]:
    return stack.ask(f"/api/shots/{shot}")["document"]


def new_matte(desk: Desk) -> None:
    desk.page.get_by_role("region", name="Mattes").get_by_role("button", name="Matte").last.click()
    expect(desk.page.get_by_role("article", name="Trace")).to_be_visible()


def test_shapes_are_drawn_dragged_keyed_and_named(desk: Desk, stack: Stack, demo: int) -> None:
    desk.open(demo)
    new_matte(desk)
    desk.lay_on("Shapes")
    desk.page.get_by_role("radio", name="Draw an ellipse").click()
    desk.stroke([(400, 200), (700, 500)])
    desk.saved()

    def drawn() -> list[dict[str, Any]]:
        desk.saved()
        found = document(stack, demo)["mattes"][-1]["pulls"]
        assert len(found) == 1, "a trace without marks gives way to the first other pull"
        return found[0]["shapes"]

    assert drawn()[0]["keys"][0]["width"] == pytest.approx(300, abs=3)
    # on another frame a drag makes a key, by arrow keys too
    desk.go(6)
    line = desk.page.get_by_role("button", name="Ellipse: drag")
    line.press("ArrowRight")
    line.press("Shift+ArrowRight")
    desk.saved()
    assert [k["frame"] for k in drawn()[0]["keys"]] == [0, 6]
    assert drawn()[0]["keys"][1]["x"] == pytest.approx(drawn()[0]["keys"][0]["x"] + 11, abs=0.1)
    # on all frames it moves every key
    desk.button("this frame").click()
    before = [k["width"] for k in drawn()[0]["keys"]]
    desk.page.get_by_role("button", name="Width of Ellipse").first.press("ArrowRight")
    desk.saved()
    assert [k["width"] for k in drawn()[0]["keys"]] == pytest.approx([w + 2 for w in before], abs=0.1)
    desk.page.get_by_label("Name of Ellipse").fill("Left arm")
    desk.page.keyboard.press("Enter")
    desk.page.get_by_role("slider", name="Left arm: outer softness").press("End")
    assert {k["outer"] for k in drawn()[0]["keys"]} == {200}
    # a curve, point by point
    desk.page.get_by_role("radio", name="Draw a smooth curve").click()
    for point in ((800, 200), (900, 180), (950, 300), (850, 380)):
        desk.page.mouse.click(*desk.place(*point))
    desk.page.keyboard.press("Enter")
    expect(desk.page.get_by_role("button", name="Point 4 of Curve")).to_be_visible()
    desk.page.get_by_role("button", name="Point 2 of Curve").press("Delete")
    expect(desk.page.get_by_role("button", name="Point 4 of Curve")).to_have_count(0)
    assert [s["name"] for s in drawn()] == ["Left arm", "Curve"]
    desk.pick("How Curve joins", "subtract")
    assert drawn()[1]["join"] == "subtract"
    # a single point gets a key of its own
    desk.button("all frames").click()
    desk.go(9)
    desk.page.get_by_role("button", name="Point 2 of Curve").press("Shift+ArrowDown")
    keys = drawn()[1]["keys"]
    assert [(k["frame"], k["only"]) for k in keys] == [(6, []), (9, [1])]


def test_a_pull_is_confined_to_another_matte(desk: Desk, stack: Stack, demo: int) -> None:
    desk.open(demo)
    new_matte(desk)
    desk.matte("Signaller")
    desk.page.keyboard.press("3")
    expect(desk.page.get_by_role("region", name="Picture")).to_have_attribute("data-view", "matte")
    desk.saved()
    before = desk.key()
    desk.pick("Trace: region", "Subject 2")
    key = desk.new_picture(before)
    desk.saved()
    assert document(stack, demo)["mattes"][0]["pulls"][0]["region"] == document(stack, demo)["mattes"][1]["id"]
    # beyond a matte of nothing lies all of it
    desk.pick("Trace: region", "not Subject 2")
    desk.new_picture(key)
    desk.saved()
    assert document(stack, demo)["mattes"][0]["pulls"][0]["beyond"] is True


def test_a_difference_key_with_a_clean_plate_built_from_the_shot(desk: Desk, stack: Stack, demo: int) -> None:
    desk.open(demo)
    new_matte(desk)
    desk.lay_on("Difference key")
    key = desk.page.get_by_role("article", name="Difference key")
    expect(key.get_by_role("button", name="Set for this frame")).to_be_disabled()
    key.get_by_role("button", name="Build a clean plate").click()
    desk.page.get_by_role("radio", name="From held frames").check()
    desk.button("Another frame").click()
    desk.page.get_by_label("Frame of part 2").fill("1020")
    desk.button("Build", exact=True).click()
    expect(desk.page.get_by_text("The clean plate is ready.")).to_be_visible(timeout=60_000)
    key.get_by_role("button", name="Set for this frame").click()
    expect(key.get_by_label("Difference key: Clean plate")).not_to_have_text("none")

    def values() -> dict[str, Any]:
        return document(stack, demo)["mattes"][-1]["pulls"][0]["params"]

    wait_for(lambda: "tolerance" in values(), 15, "the values for this frame")
    assert values()["plate"] == document(stack, demo)["footage"][-1]["id"]
    expect(key.get_by_role("slider", name="Whole things")).to_have_attribute("aria-valuenow", "1")


def test_the_picture_is_split_between_two_views(desk: Desk, demo: int) -> None:
    desk.open(demo)
    desk.page.keyboard.press("s")
    line = desk.page.get_by_role("slider", name="Where the picture is split")
    expect(line).to_have_attribute("aria-valuenow", "50")
    line.press("ArrowRight")
    expect(line).to_have_attribute("aria-valuenow", "51")
    desk.pick("View on the right of the split", "result")
    desk.page.get_by_label("Split", exact=True).click()
    expect(line).to_have_count(0)
    # the untreated plate for as long as its key is held
    picture = desk.page.get_by_role("region", name="Picture")
    desk.page.keyboard.down("p")
    expect(picture).to_have_attribute("data-view", "plate")
    desk.page.keyboard.up("p")
    expect(picture).not_to_have_attribute("data-view", "plate")


def test_colours_are_added_to_a_key_and_views_stop_after_a_pull(desk: Desk, stack: Stack, demo: int) -> None:
    desk.open(demo)
    desk.lay_on("Colour key")
    key = desk.page.get_by_role("article", name="Colour key")
    expect(key.get_by_title("Hue: drag")).to_be_visible()
    key.get_by_role("button", name="Pick from the picture").click()
    desk.page.keyboard.down("Shift")
    desk.stroke([(600, 300), (640, 340)])
    desk.page.keyboard.up("Shift")
    expect(key.get_by_role("button", name="Drag over the colour")).to_be_visible()

    def values() -> dict[str, Any]:
        return document(stack, demo)["mattes"][0]["pulls"][1]["params"]

    wait_for(lambda: values().get("hue_width", 0) > 0, 15, "the wider range")
    key.get_by_role("button", name="Drag over the colour").click()
    before = values()["hue_width"]
    key.get_by_role("button", name="Fit to the thing").click()
    wait_for(lambda: values().get("hue_soft") == 12, 15, "the fitted ranges")
    assert values()["hue_width"] >= before
    assert {"holes", "specks"} & set(document(stack, demo)["mattes"][0]["edge"])
    desk.card("Trace")
    desk.button("More for Trace").click()
    desk.page.get_by_role("menuitem", name="Look only up to here").click()
    picture = desk.page.get_by_role("region", name="Picture")
    expect(picture).to_have_attribute("data-pulls", "1")
    desk.button("Views stop after pull 1 of 2: show all").click()
    expect(picture).to_have_attribute("data-view", "veil")
