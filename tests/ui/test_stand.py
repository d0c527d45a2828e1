"""The stand: planes laid, placed, timed and moved as a person does it."""

from __future__ import annotations

from itertools import pairwise
from typing import Any

import pytest
from playwright.sync_api import Locator, expect

from tests.stack import Stack, wait_for
from tests.ui.conftest import Desk


def planes(desk: Desk, stack: Stack, shot: int) -> list[dict[str, Any]]:
    desk.saved()
    return stack.ask(f"/api/shots/{shot}")["document"]["planes"]


def named(found: list[dict[str, Any]], name: str) -> dict[str, Any]:
    return next(plane for plane in found if plane["name"] == name)


def test_an_element_is_laid_in_tried_out_and_placed(desk: Desk, stack: Stack, demo: int) -> None:
    desk.open(demo)
    desk.add_plane("Element")
    desk.pick("Element: Footage", 1)
    # each way to lay it over has a picture of its own; a press takes it
    tries = desk.page.get_by_role("group", name="How it lies over what is behind")
    expect(tries.locator("img")).to_have_count(5)
    before = desk.key()
    tries.get_by_role("button", name="drop black").click()
    desk.new_picture(before)
    made = named(planes(desk, stack, demo), "Element")
    assert (made["blend"], made["params"]["see_through"]) == ("normal", "black")
    # it is dragged over the picture, nudged by keys, scaled by a corner and turned by its handle
    line = desk.page.get_by_role("button", name="Element: drag")
    desk.stroke([(600, 300), (640, 330)])
    line.press("ArrowRight")
    line.press("Shift+ArrowDown")
    line.press("Alt+ArrowLeft")
    placement = named(planes(desk, stack, demo), "Element")["placement"]
    assert placement["x"] == pytest.approx(40.9, abs=2)
    assert placement["y"] == pytest.approx(40, abs=2)
    desk.page.get_by_role("button", name="Scale of Element").first.press("ArrowLeft")
    desk.page.get_by_role("button", name="Turn of Element").press("Shift+ArrowRight")
    placement = named(planes(desk, stack, demo), "Element")["placement"]
    assert (placement["scale"], placement["angle"]) == (99, 10)
    # a switch is keyed, too, and holds
    desk.card("Placement")
    desk.page.get_by_role("button", name="Placement: Flip across: no keyframe").click()
    desk.go(3)
    desk.page.get_by_role("switch", name="Placement: Flip across").click()
    keys = named(planes(desk, stack, demo), "Element")["placement"]["flip_x"]["keys"]
    assert [(k["frame"], k["value"], k["ease"]) for k in keys] == [(0, 0, "hold"), (3, 1, "hold")]
    # it slides in time, and is there on some frames only
    desk.card("Time")
    desk.page.get_by_label("Time: Offset, value").fill("3")
    desk.page.keyboard.press("Enter")
    desk.go(4)
    desk.card("Element")
    desk.button("Element: last frame is here").click()
    made = named(planes(desk, stack, demo), "Element")
    assert (made["time"]["offset"], made["last"]) == (3, 4)
    on_it = desk.key()
    desk.go(5)
    desk.new_picture(on_it)


def test_a_plane_arrives_and_its_keys_are_dragged_on_the_sheet(desk: Desk, stack: Stack, demo: int) -> None:
    desk.open(demo)
    desk.add_plane("Fill")
    desk.card("Placement")
    desk.page.get_by_label("Placement: Across, value").fill("-200")
    desk.page.keyboard.press("Enter")
    desk.saved()
    desk.button("More for Placement").click()
    desk.page.get_by_role("menuitem", name="Arrive").click()
    dialog = desk.page.get_by_role("dialog")
    dialog.get_by_label("From frame").fill("1003")
    dialog.get_by_label("To frame").fill("1009")
    dialog.get_by_role("button", name="Arrive").click()
    expect(dialog).to_be_hidden()

    def keys() -> list[tuple[int, float]]:
        value = named(planes(desk, stack, demo), "Fill")["placement"]["x"]
        return [(k["frame"], k["value"]) for k in value["keys"]]

    assert keys() == [(2, 0.0), (8, -200.0)]
    # the ring of the last key goes four frames down
    sheet = desk.page.get_by_role("slider", name="Frame", exact=True)
    box = sheet.bounding_box()
    assert box is not None
    count = int(str(sheet.get_attribute("aria-valuemax"))) - 1000
    row = box["height"] / count
    # the column of its keys has its name
    head = desk.page.get_by_role("region", name="Exposure sheet").get_by_text("Fill", exact=True).bounding_box()
    assert head is not None
    x = head["x"] + head["width"] / 2
    desk.page.mouse.move(x, box["y"] + 8.5 * row)
    desk.page.mouse.down()
    desk.page.mouse.move(x, box["y"] + 12.5 * row, steps=5)
    desk.page.mouse.up()
    wait_for(lambda: keys() == [(2, 0.0), (12, -200.0)], what="the key on its new frame")
    # a set of both, chosen with Shift, is stretched by its last key
    desk.page.keyboard.down("Shift")
    desk.page.mouse.move(x, box["y"] + 0.5 * row)
    desk.page.mouse.down()
    desk.page.mouse.move(x, box["y"] + 13.5 * row, steps=5)
    desk.page.mouse.up()
    desk.page.keyboard.up("Shift")
    desk.page.mouse.move(x, box["y"] + 12.5 * row)
    desk.page.mouse.down()
    desk.page.mouse.move(x, box["y"] + 22.5 * row, steps=5)
    desk.page.mouse.up()
    wait_for(lambda: keys() == [(2, 0.0), (22, -200.0)], what="the stretched set")
    # reversed, copied to another plane, and taken back step by step
    desk.page.keyboard.press("Escape")
    desk.page.keyboard.press("r")
    wait_for(lambda: keys() == [(2, -200.0), (22, 0.0)], what="the reversed keys")
    desk.page.keyboard.press("Control+c")
    expect(desk.page.get_by_text("2 keyframes copied.")).to_be_visible()
    desk.plane("Signaller lifted")
    desk.go(5)
    desk.page.keyboard.press("Control+v")
    wait_for(lambda: "x" in named(planes(desk, stack, demo), "Signaller lifted")["placement"], what="the pasted keys")
    pasted = named(planes(desk, stack, demo), "Signaller lifted")["placement"]["x"]["keys"]
    assert [k["frame"] for k in pasted] == [5, 25]
    desk.button("Undo").click()
    wait_for(
        lambda: named(planes(desk, stack, demo), "Signaller lifted")["placement"] == {}, what="the paste taken back"
    )


def test_values_are_driven_baked_and_bent_as_curves(desk: Desk, stack: Stack, demo: int) -> None:
    desk.open(demo)
    desk.plane("Signaller lifted")
    desk.card("Placement")
    label = desk.page.get_by_role("button", name="Placement: Turn: more")
    label.click()
    desk.page.get_by_role("menuitem", name="Wander").click()
    amount = desk.page.get_by_label("Placement: Turn, wander: up to")
    amount.fill("6")
    amount.press("Enter")
    desk.saved()

    def turn() -> Any:
        return named(planes(desk, stack, demo), "Signaller lifted")["placement"]["angle"]

    assert (turn()["drive"], turn()["amount"]) == ("wander", 6)
    before = desk.key()
    desk.go(6)
    desk.new_picture(before)
    label.click()
    desk.page.get_by_role("menuitem", name="Bake").click()
    wait_for(lambda: "keys" in turn(), what="baked keys")
    assert max(abs(k["value"]) for k in turn()["keys"]) <= 6
    label.click()
    desk.page.get_by_role("menuitem", name="Remove all keyframes").click()
    wait_for(lambda: isinstance(turn(), float), what="a plain value")
    # two keys, bent by the handles of a free ease
    desk.go(0)
    ring = desk.page.get_by_role("button", name="Placement: Across: ").last
    ring.click()
    desk.go(10)
    desk.page.get_by_label("Placement: Across, value").fill("100")
    desk.page.keyboard.press("Enter")
    desk.go(0)
    for _ in range(3):
        desk.page.get_by_role("button", name="Placement: Across: ease is").click()
    desk.saved()
    desk.button("Curves").click()
    expect(desk.page.get_by_role("checkbox", name="Placement: Across")).to_be_checked()
    handle = desk.page.get_by_role("button", name="Handle of Placement: Across, frame 1001").first
    box = handle.bounding_box()
    assert box is not None
    desk.page.mouse.move(box["x"] + 4, box["y"] + 4)
    desk.page.mouse.down()
    desk.page.mouse.move(box["x"] + 4, box["y"] - 60, steps=4)
    desk.page.mouse.up()

    def across() -> list[dict[str, Any]]:
        return named(planes(desk, stack, demo), "Signaller lifted")["placement"]["x"]["keys"]

    wait_for(lambda: across()[0]["handles"][1] > 0.3, what="the handle pulled up")
    key = desk.page.get_by_role("button", name="Placement: Across: key on frame 1011")
    key.press("ArrowRight")
    wait_for(lambda: across()[1]["frame"] == 11, what="the key a frame later")
    desk.page.get_by_role("button", name="Placement: Across: key on frame 1012").press("Delete")
    wait_for(lambda: len(across()) == 1, what="the key removed")
    desk.button("Cards").click()
    expect(desk.page.get_by_role("article", name="Placement")).to_be_visible()


def test_planes_are_ordered_grouped_gated_and_shown_alone(desk: Desk, stack: Stack, demo: int) -> None:
    desk.open(demo)

    def order() -> list[tuple[str, bool]]:
        return [(p["name"], p["group"] is not None) for p in planes(desk, stack, demo)]

    stand = desk.page.get_by_role("region", name="Stand")
    first = order()
    desk.plane("Signaller lifted")
    pick = stand.locator("[data-pick]").filter(has_text="Signaller lifted").first
    pick.press("Alt+ArrowUp")
    assert order()[0][0] == "Signaller lifted"
    pick.press("Alt+ArrowDown")
    assert order() == first
    # a group takes in what is selected; another plane is dragged into it
    desk.add_plane("Group")
    assert ("Signaller lifted", True) in order()
    rows = stand.locator("li")
    outline = rows.filter(has_text="Outline").first
    desk.carry(outline, rows.filter(has_text="Group").first)
    wait_for(lambda: ("Outline", True) in order(), what="the outline in the group")
    stand.get_by_role("button", name="More for Group").click()
    desk.page.get_by_role("menuitem", name="Dissolve").click()
    wait_for(lambda: not any(held for _, held in order()), what="the group gone")
    # a glaze on the rim of a matte, alone
    desk.go(14)
    desk.plane("Quay loses colour")
    before = desk.key()
    desk.card("Glaze")
    desk.page.get_by_role("radio", name="rim").click()
    desk.page.get_by_label("Quay loses colour: Rim inside, value").fill("20")
    desk.page.keyboard.press("Enter")
    key = desk.new_picture(before)
    assert named(planes(desk, stack, demo), "Quay loses colour")["gate"]["inner"] == 20
    stand.get_by_role("button", name="More for Outline").click()
    desk.page.get_by_role("menuitem", name="Solo").click()
    desk.new_picture(key)
    assert named(planes(desk, stack, demo), "Outline")["solo"] is True
    # what a plane rests on is marked in both lists, and what it costs is told
    desk.plane("Outline")
    expect(desk.page.get_by_role("region", name="Mattes").locator("li[data-used]")).to_have_count(1)
    expect(desk.page.get_by_text("ms", exact=False).first).to_be_visible()


def finger(desk: Desk, points: list[tuple[float, float]], rest: float = 0.9) -> None:
    """A finger laid down, held, taken along and lifted, by events as a touch screen makes them."""
    session = desk.page.context.new_cdp_session(desk.page)

    def send(kind: str, *at: tuple[float, float]) -> None:
        touches = [{"x": x, "y": y} for x, y in at]
        session.send("Input.dispatchTouchEvent", {"type": kind, "touchPoints": touches})

    send("touchStart", points[0])
    desk.page.wait_for_timeout(1000 * rest)  # how long the finger rests: one that moves at once scrolls
    for (x0, y0), (x1, y1) in pairwise(points):
        for k in range(1, 9):
            send("touchMove", (x0 + (x1 - x0) * k / 8, y0 + (y1 - y0) * k / 8))
    send("touchEnd")


def pinch(desk: Desk, at: tuple[float, float], near: float, far: float, by: tuple[float, float] = (0, 0)) -> None:
    """Two fingers beside a place that come apart, or together, and go along."""
    session = desk.page.context.new_cdp_session(desk.page)

    def send(kind: str, half: float, gone: float) -> None:
        x, y = at[0] + by[0] * gone, at[1] + by[1] * gone
        touches = [{"x": x - half, "y": y, "id": 1}, {"x": x + half, "y": y, "id": 2}]
        session.send("Input.dispatchTouchEvent", {"type": kind, "touchPoints": touches})

    send("touchStart", near, 0)
    for k in range(1, 9):
        send("touchMove", near + (far - near) * k / 8, k / 8)
    session.send("Input.dispatchTouchEvent", {"type": "touchEnd", "touchPoints": []})


def middle(of: Locator) -> tuple[float, float]:
    box = of.bounding_box()
    assert box is not None
    return box["x"] + box["width"] / 2, box["y"] + box["height"] / 2


def test_two_fingers_zoom_and_move_the_picture_and_leave_no_mark(desk: Desk, stack: Stack, demo: int) -> None:
    desk.open(demo)
    desk.matte("Signaller")
    marks = len(stack.ask(f"/api/shots/{demo}")["document"]["mattes"][0]["pulls"][0]["marks"])
    before = desk.canvas.bounding_box()
    assert before is not None
    at = (before["x"] + 0.4 * before["width"], before["y"] + 0.4 * before["height"])
    pinch(desk, at, 40, 80, (30, 20))
    after = desk.canvas.bounding_box()
    assert after is not None
    assert after["width"] == pytest.approx(2 * before["width"], rel=0.03)
    # what was between the fingers is between them still
    assert after["x"] + 0.4 * after["width"] == pytest.approx(at[0] + 30, abs=4)
    assert after["y"] + 0.4 * after["height"] == pytest.approx(at[1] + 20, abs=4)
    assert len(stack.ask(f"/api/shots/{demo}")["document"]["mattes"][0]["pulls"][0]["marks"]) == marks


def test_planes_are_dragged_by_finger_and_cards_by_their_heads(desk: Desk, stack: Stack, demo: int) -> None:
    desk.open(demo)
    rows = desk.page.get_by_role("region", name="Stand").locator("li")
    names = [plane["name"] for plane in planes(desk, stack, demo)]
    x, y = middle(rows.nth(0))
    below = rows.nth(1).bounding_box()
    assert below is not None
    finger(desk, [(x, y), (x, below["y"] + 0.8 * below["height"])])
    moved = [names[1], names[0], *names[2:]]
    wait_for(lambda: [p["name"] for p in planes(desk, stack, demo)] == moved, what="the first plane behind the second")
    # a treatment's card is taken before another one, where there is room for both
    desk.page.set_viewport_size({"width": 1900, "height": 900})
    desk.plane("Quay loses colour")
    desk.lay_on("Grain")
    kinds = [step["kind"] for step in named(planes(desk, stack, demo), "Quay loses colour")["treatments"]]
    assert kinds == ["grade", "grain"]
    grade, grain = (desk.card(name) for name in ("Grade", "Grain"))
    desk.carry(grain.get_by_role("heading"), grade, 0.2)

    def turned() -> bool:
        steps = named(planes(desk, stack, demo), "Quay loses colour")["treatments"]
        return [step["kind"] for step in steps] == ["grain", "grade"]

    wait_for(turned, what="the grain before the grade")


MEASURED = """() => [...document.querySelectorAll("article")].map((card) => ({
    name: card.getAttribute("aria-label"),
    sliders: [...card.querySelectorAll("[data-slider-root]")].map((one) => one.getBoundingClientRect().width),
    sideways: [...card.querySelectorAll("div")].some((one) =>
        getComputedStyle(one).overflowX === "auto" && one.scrollWidth > one.clientWidth + 1),
}))"""


@pytest.mark.parametrize(("size", "least"), [((1280, 800), 110), ((1024, 700), 100), ((1920, 1080), 110)])
def test_sliders_have_room_and_no_card_scrolls_sideways(
    desk: Desk, demo: int, size: tuple[int, int], least: int
) -> None:
    desk.page.set_viewport_size({"width": size[0], "height": size[1]})
    desk.open(demo)
    seen = 0
    for chosen in ("Outline", "Signaller lifted", "Quay loses colour"):
        desk.plane(chosen)
        for n in range(desk.page.locator("[data-spine]").count()):
            spine = desk.page.locator("[data-spine]").nth(n)
            if spine.count():
                spine.click()
            desk.page.wait_for_timeout(150)
            cards = desk.page.evaluate(MEASURED)
            assert cards
            for card in cards:
                assert not card["sideways"], (chosen, card)
                assert all(width >= least for width in card["sliders"]), (chosen, card)
                seen += len(card["sliders"])
    assert seen > 30
