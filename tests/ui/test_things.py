"""What a person expects of things: names, copies, the trash, named versions, the shot's range."""

from __future__ import annotations

import re

from playwright.sync_api import Page, expect

from tests.stack import Stack, wait_for
from tests.ui.conftest import Desk


def choose(page: Page, thing: str, choice: str) -> None:
    page.get_by_label(f"More for {thing}", exact=True).click()
    page.get_by_role("menuitem", name=choice).click()


def rename(page: Page, thing: str, name: str) -> None:
    choose(page, thing, "Rename")
    page.get_by_role("dialog").get_by_label("Name").fill(name)
    page.keyboard.press("Enter")


def test_a_project_and_its_shots_are_renamed_copied_put_away_and_taken_back(desk: Desk, stack: Stack) -> None:
    page = desk.page
    desk.start()
    first = page.get_by_role("region", name="Harbour signals", exact=True)
    expect(first).to_be_visible()
    choose(page, "project Harbour signals", "Copy")
    copy = page.get_by_role("region", name="Harbour signals copy", exact=True)
    expect(copy).to_be_visible()
    expect(copy.get_by_text(re.compile(r"worked on .* [kM]B$"))).to_be_visible()
    rename(page, "project Harbour signals copy", "Second watch")
    second = page.get_by_role("region", name="Second watch", exact=True)
    expect(second).to_be_visible()
    desk.project("Second watch", "Shots")
    shots = second.get_by_role("link")
    before = shots.count()
    name = second.locator("strong").first.inner_text()
    second.get_by_label(f"More for {name}", exact=True).click()
    page.get_by_role("menuitem", name="Rename").click()
    page.get_by_role("dialog").get_by_label("Name").fill("Night drill")
    page.keyboard.press("Enter")
    expect(second.get_by_text("Night drill")).to_be_visible()
    choose(page, "Night drill", "Copy")
    expect(shots).to_have_count(before + 1)
    choose(page, "Night drill copy", "Put into the trash")
    expect(shots).to_have_count(before)
    desk.button("Take it back").click()
    expect(shots).to_have_count(before + 1)
    # the whole project goes, and for good
    desk.start()
    choose(page, "project Second watch", "Put into the trash")
    expect(second).to_have_count(0)
    trash = page.get_by_role("region", name="Trash")
    trash.get_by_label("Delete Second watch for good").click()
    page.get_by_role("dialog").get_by_role("button", name="Cancel").click()
    expect(trash.get_by_text("Second watch")).to_be_visible()
    trash.get_by_label("Delete Second watch for good").click()
    page.get_by_role("dialog").get_by_role("button", name="Delete").click()
    expect(trash.get_by_text("Second watch")).to_have_count(0)
    assert "Second watch" not in [one["name"] for one in stack.ask("/api/projects")["projects"]]
    expect(first).to_be_visible()


def test_footage_that_is_used_stays_with_a_sentence(desk: Desk) -> None:
    page = desk.page
    desk.project("Harbour signals", "Footage")
    choose(page, "signaller.mp4", "Put into the trash")
    expect(page.get_by_text("is used by")).to_be_visible()
    expect(page.get_by_label("More for signaller.mp4")).to_be_visible()


def test_a_version_is_kept_looked_at_beside_the_present_and_gone_back_to(desk: Desk, stack: Stack, demo: int) -> None:
    desk.open(demo)
    page = desk.page
    desk.go(30)
    key = desk.key()
    page.keyboard.press("v")
    panel = page.get_by_role("region", name="Versions")
    expect(panel.get_by_text("No version yet")).to_be_visible()
    panel.get_by_label("Name of the version").fill("as the school has it")
    page.keyboard.press("Enter")
    small = panel.get_by_role("img", name="A frame of as the school has it")
    expect(small).to_be_visible()
    wait_for(lambda: small.evaluate("image => image.naturalWidth") == 320, 20, "the version's picture")
    page.keyboard.press("Escape")
    desk.button("Hide Outline").click()
    now = desk.new_picture(key)
    page.keyboard.press("v")
    desk.button("Look at as the school has it").click()
    expect(page.get_by_label("View on the right of the split")).to_contain_text("as the school has it")
    expect(page.get_by_label("The other view of the split")).to_have_attribute("data-key", key)
    assert desk.key() == now
    desk.button("Go back to as the school has it").click()
    desk.new_picture(now)
    assert desk.key() == key
    expect(page.get_by_role("slider", name="Where the picture is split")).to_have_count(0)
    page.keyboard.press("Escape")
    page.keyboard.press("Control+z")
    desk.new_picture(key)
    assert desk.key() == now
    page.keyboard.press("v")
    desk.button("Forget as the school has it").click()
    page.get_by_role("dialog").get_by_role("button", name="Forget").click()
    expect(panel.get_by_text("No version yet")).to_be_visible()
    assert stack.ask(f"/api/shots/{demo}/versions")["versions"] == []


def test_the_range_is_set_by_keys_and_by_its_markers_and_kept_to(desk: Desk, stack: Stack, demo: int) -> None:
    desk.open(demo)
    page = desk.page

    def kept() -> dict[str, int | None]:
        desk.saved()
        return stack.ask(f"/api/shots/{demo}")["document"]["range"]

    desk.go(10)
    page.keyboard.press(",")
    for _ in range(10):
        page.keyboard.press("ArrowDown")
    page.keyboard.press(".")
    expect(page.get_by_text("1011–1021 ·")).to_be_visible()
    assert kept() == {"first": 10, "last": 20}
    page.keyboard.press("Home")
    assert desk.number == 1011
    page.keyboard.press("End")
    assert desk.number == 1021
    page.keyboard.press("Space")
    wait_for(lambda: desk.number < 1015, 20, "playing to go round the range")
    page.keyboard.press("Space")
    # the marker of its end is dragged, as one step of the history
    sheet = page.get_by_role("slider", name="Frame", exact=True)
    box = sheet.bounding_box()
    assert box is not None
    # what lies outside is folded, and has rows again while a marker is held
    row, last = box["height"] / 96, box["y"] + box["height"] - 14 - 3
    page.mouse.move(box["x"] + 5, last)
    page.mouse.down()
    page.mouse.move(box["x"] + 5, last + 19.5 * row, steps=6)
    page.mouse.up()
    assert kept() == {"first": 10, "last": 40}
    page.keyboard.press("Control+z")
    assert kept() == {"first": 10, "last": 20}
    # an export holds it, too
    desk.button("Export", exact=True).click()
    panel = page.get_by_role("region", name="Export")
    panel.get_by_role("button", name="Start this export").click()
    expect(panel.get_by_role("link", name="Save")).to_be_visible(timeout=60_000)
    job = next(one for one in stack.ask(f"/api/shots/{demo}")["jobs"] if one["kind"] == "export")
    assert job["total"] == 11
    title = panel.locator("li strong").first.inner_text()
    choose(page, title, "Put into the trash")
    expect(panel.get_by_text("Nothing has been exported")).to_be_visible()


def test_what_lies_outside_the_range_is_folded_until_it_is_asked_for(desk: Desk, stack: Stack, demo: int) -> None:
    made = stack.post(f"/api/shots/{demo}/copy")["id"]
    about = stack.ask(f"/api/shots/{made}")
    ops = [{"op": "replace", "path": "/range", "value": {"first": 30, "last": 49}}]
    stack.ask(f"/api/shots/{made}/edits", {"revision": about["revision"], "ops": ops})
    desk.page.goto(f"{desk.url}/#/shot/{made}")
    expect(desk.canvas).to_have_attribute("data-frame", "30")
    sheet = desk.page.get_by_role("slider", name="Frame", exact=True)
    box = sheet.bounding_box()
    assert box is not None

    def press(y: float) -> None:
        desk.page.mouse.click(box["x"] + 150, box["y"] + y)

    # its twenty frames fill the sheet between two stripes
    press(14 + (box["height"] - 28) * 10.5 / 20)
    expect(desk.page.locator("output.number")).to_have_text("1041")
    fold = desk.button("fold", exact=True)
    expect(fold).to_have_count(0)
    press(box["height"] - 5)
    expect(fold).to_be_visible()
    press(box["height"] * 10.5 / 96)
    expect(desk.page.locator("output.number")).to_have_text("1011")
    fold.click()
    expect(fold).to_have_count(0)
    # it is zoomed by the wheel, with the row of the frame where it was
    desk.page.mouse.move(box["x"] + 150, box["y"] + 200)
    desk.page.keyboard.down("Control")
    desk.page.mouse.wheel(0, -400)
    desk.page.keyboard.up("Control")
    press(200)
    expect(desk.page.locator("output.number")).not_to_have_text("1011")
