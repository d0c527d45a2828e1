"""What a person does with looks, and with another plate."""

from __future__ import annotations

import json
import re
from pathlib import Path

import cv2
import numpy as np
from playwright.sync_api import expect

from tests.stack import Stack, wait_for
from tests.ui.conftest import Desk


def planes(stack: Stack, shot: int) -> list[str]:
    return [plane["name"] for plane in stack.ask(f"/api/shots/{shot}")["document"]["planes"]]


def copy_of(stack: Stack, shot: int) -> int:
    """A shot of this test's own."""
    return int(stack.ask(f"/api/shots/{shot}/copy", {})["id"])


def other_clip(folder: Path) -> Path:
    """Water of half the size, forty-eight frames long."""
    path = folder / "calm-water.mp4"
    writer = cv2.VideoWriter(str(path), cv2.VideoWriter.fourcc(*"mp4v"), 24, (640, 360))
    rows = np.mgrid[0:360, 0:640][0]
    for n in range(48):
        wave = (128 + 40 * np.sin(rows / 9 + n / 4)).astype(np.uint8)
        writer.write(np.dstack([wave, wave // 2 + 60, wave // 3]))
    writer.release()
    return path


def test_a_look_is_tried_laid_on_saved_written_read_and_deleted(desk: Desk, stack: Stack, tmp_path: Path) -> None:
    page, shot = desk.page, copy_of(stack, 1)
    desk.open(shot)
    before = planes(stack, shot)
    page.keyboard.press("Shift+A")
    shelf = page.get_by_role("region", name="Shelf of planes")
    shelf.get_by_role("button", name="Looks", exact=True).click()
    grey = shelf.locator('[data-try="look:starter-02-one-colour"]')
    expect(grey.locator("img")).to_be_visible()
    grey.hover()
    grey.click()
    asked = page.get_by_role("dialog", name="Lay on Colour on one alone")
    if asked.is_visible():
        asked.get_by_role("button", name="Lay on").click()
    expect(page.get_by_role("region", name="Stand").get_by_text("Grey quay")).to_be_visible()
    desk.saved()
    assert planes(stack, shot) == ["Grey quay", *before]
    # saved with its gate, under a name of one's own
    page.get_by_label("More for Grey quay", exact=True).click()
    page.get_by_role("menuitem", name="Save as a look").click()
    dialog = page.get_by_role("dialog", name="Save as a look")
    dialog.get_by_label("Name").fill("Ashen yard")
    dialog.get_by_role("radio", name="it with its gate").click()
    dialog.get_by_role("button", name="Save").click()
    expect(page.get_by_text("Ashen yard is saved as a look.")).to_be_visible()
    page.keyboard.press("Control+z")
    expect(page.get_by_role("region", name="Stand").get_by_text("Grey quay")).to_have_count(0)
    # written to a file, and read again
    page.keyboard.press("Shift+A")
    shelf.get_by_role("button", name="Looks", exact=True).click()
    shelf.get_by_label("More for Ashen yard").click()
    with page.expect_download() as got:
        page.get_by_role("menuitem", name="Write its file").click()
    file = tmp_path / got.value.suggested_filename
    got.value.save_as(file)
    assert json.loads(file.read_text())["picture"].startswith("data:image/jpeg")
    shelf.get_by_label("More for Ashen yard").click()
    page.get_by_role("menuitem", name="Delete").click()
    page.get_by_role("dialog").get_by_role("button", name="Delete").click()
    expect(shelf.get_by_text("Ashen yard")).to_have_count(0)
    with page.expect_file_chooser() as chooser:
        shelf.get_by_role("button", name="Read a look’s file").click()
    chooser.value.set_files(file)
    expect(shelf.get_by_text("Ashen yard")).to_be_visible()


def test_a_look_of_treatments_lies_on_the_planes_own_shelf(desk: Desk, stack: Stack) -> None:
    page, shot = desk.page, copy_of(stack, 1)
    desk.open(shot)
    page.get_by_role("region", name="Stand").get_by_role("button", name=re.compile("^Plate")).first.click()
    page.keyboard.press("a")
    shelf = page.get_by_role("region", name="Shelf of treatments")
    shelf.get_by_role("button", name="Looks", exact=True).click()
    shelf.locator('[data-try="look:starter-12-old-film"]').click()
    expect(page.get_by_role("article", name=re.compile("Vignette|Grain|Toning|Shake|Flicker")).first).to_be_visible()
    desk.saved()
    plate = stack.ask(f"/api/shots/{shot}")["document"]["planes"][-1]
    assert [step["kind"] for step in plate["treatments"]] == ["toning", "shake", "flicker", "grain", "vignette"]
    page.keyboard.press("Control+z")
    desk.saved()
    assert not stack.ask(f"/api/shots/{shot}")["document"]["planes"][-1]["treatments"]


def test_another_plate_comes_under_a_finished_shot_and_goes_again(desk: Desk, stack: Stack, tmp_path: Path) -> None:
    page, shot = desk.page, copy_of(stack, 1)
    before = stack.ask(f"/api/shots/{shot}")["document"]
    desk.open(shot)
    desk.button("Footage").first.click()
    shelf = page.get_by_role("region", name="Footage of the project")
    shelf.get_by_label("Footage files").set_input_files(other_clip(tmp_path))
    row = shelf.get_by_role("listitem").filter(has_text="calm-water.mp4")
    row.get_by_role("button", name="Put under this shot").click()
    dialog = page.get_by_role("dialog", name="Put calm-water.mp4 under this shot")
    expect(dialog.get_by_role("list", name="What can't carry over").get_by_text("48 frames")).to_be_visible()
    dialog.get_by_label("Follow Signaller anew").click()
    expect(dialog.get_by_text("its marks are solved on the new plate")).to_be_visible()
    dialog.get_by_role("button", name="Put it under the shot").click()
    wait_for(lambda: stack.ask(f"/api/shots/{shot}")["document"]["plate"] != before["plate"])
    now = stack.ask(f"/api/shots/{shot}")["document"]
    assert now["mattes"][0]["pulls"][0]["id"] != before["mattes"][0]["pulls"][0]["id"]
    assert [plane["name"] for plane in now["planes"]] == [plane["name"] for plane in before["planes"]]
    expect(page.get_by_text("1001–1048 ·")).to_be_visible()
    # all of it is half as large now
    glow, smaller = (doc["planes"][0]["treatments"][0]["params"]["reach"] for doc in (before, now))
    assert smaller == glow / 2
    page.keyboard.press("Control+z")
    wait_for(lambda: stack.ask(f"/api/shots/{shot}")["document"]["plate"] == before["plate"])
    expect(page.get_by_text("1001–1096 ·")).to_be_visible()


def test_the_grain_of_the_plate_is_matched(desk: Desk, stack: Stack) -> None:
    page, shot = desk.page, copy_of(stack, 1)
    desk.open(shot)
    page.get_by_role("region", name="Stand").get_by_role("button", name=re.compile("^Plate")).first.click()
    page.keyboard.press("a")
    page.locator('[data-try="grain"]').click()
    card = page.get_by_role("article", name="Grain")
    card.get_by_label("More for Grain").click()
    page.get_by_role("menuitem", name="Match the plate’s grain").click()
    expect(page.get_by_text(re.compile(r"The plate has [\d.]+ % of grain"))).to_be_visible()
    desk.saved()
    params = stack.ask(f"/api/shots/{shot}")["document"]["planes"][-1]["treatments"][0]["params"]
    assert 0 <= params["amount"] < 10, "the demo's footage has a little"
