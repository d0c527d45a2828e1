"""Log footage, views, tables, channels and time code by hand; a refused file that another one takes the place of."""

from __future__ import annotations

import re
from fractions import Fraction
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from bench.media import film
from playwright.sync_api import expect

from cuvrel.core.media import cryptomatte
from cuvrel.core.media.writer import png_bytes
from cuvrel.demo.project import CLIPS
from tests.core.test_depth import exr
from tests.stack import Stack, wait_for
from tests.ui.conftest import Desk


def document(stack: Stack, shot: int) -> dict[str, Any]:
    return stack.ask(f"/api/shots/{shot}")["document"]


def footage(desk: Desk) -> Any:
    """The panel of the project's footage, opened."""
    panel = desk.page.get_by_role("region", name="Footage of the project")
    if not panel.count():
        desk.page.keyboard.press("Escape")
        desk.page.get_by_role("button", name="Footage").first.click()
    expect(panel).to_be_visible()
    return panel


@pytest.fixture
def night(desk: Desk, stack: Stack) -> int:
    """A shot on the clip in log, opened, and the table beside it."""
    project = stack.ask("/api/projects", {"name": "Night"})["id"]
    film = stack.upload(project, CLIPS / "night-watch-log.mov")
    stack.upload(project, CLIPS / "dusk.cube")
    made = stack.ask(f"/api/projects/{project}/shots", {"name": "Lantern", "footage": film["id"]})["id"]
    desk.open(made)
    return int(made)


def test_log_footage_is_read_as_what_it_is_and_looked_at_by_wish(desk: Desk, stack: Stack, night: int) -> None:
    page, flat = desk.page, desk.key()
    row = footage(desk).get_by_role("listitem").filter(has_text="night-watch-log.mov")
    expect(row).to_contain_text("21:04:10:00, Q012")
    row.get_by_role("button", name="Read as …").click()
    desk.pick("Colours", "ACEScct")
    page.get_by_role("button", name="Read it so").click()
    expect(row).to_contain_text("ACEScct")
    page.keyboard.press("Escape")
    seen = desk.new_picture(flat)
    desk.pick("Looked at", "plain")
    desk.saved()
    assert document(stack, night)["viewing"]["kind"] == "plain"
    plain = desk.new_picture(seen)
    desk.pick("Looked at", "dusk.cube")
    desk.saved()
    assert document(stack, night)["viewing"]["kind"] == "table"
    desk.new_picture(plain)
    page.get_by_role("button", name="Undo").click()
    wait_for(lambda: document(stack, night)["viewing"]["kind"] == "plain", 20, "undone")


def test_another_space_is_worked_in_by_wish(desk: Desk, stack: Stack, night: int) -> None:
    seen = desk.key()
    desk.pick("Looked at", "Linear Rec.2020")
    desk.saved()
    assert document(stack, night)["working"] == "Linear Rec.2020"
    desk.new_picture(seen)
    expect(desk.page.get_by_label("Looked at")).to_have_attribute("title", re.compile("in Linear Rec.2020"))
    desk.page.get_by_role("button", name="Undo").click()
    wait_for(lambda: document(stack, night)["working"] == "", 20, "undone")


def test_slow_motion_within_a_file_is_keyed_by_a_press(desk: Desk, stack: Stack, tmp_path: Path) -> None:
    times = [33 * n if n < 12 else 396 + 5 * (n - 12) for n in range(48)]
    film(tmp_path / "leap.mkv", "matroska", times=times, base=Fraction(1, 1000))
    project = stack.ask("/api/projects", {"name": "Leap"})["id"]
    up = stack.upload(project, tmp_path / "leap.mkv")
    shot = stack.ask(f"/api/projects/{project}/shots", {"name": "Leap", "footage": up["id"]})["id"]
    desk.open(shot)
    desk.plane("Plate")
    desk.page.get_by_role("button", name="Open Time, which is at rest").click()
    expect(desk.page.get_by_text("filmed at 30.3, 200 fps")).to_be_visible()
    desk.page.get_by_role("button", name="Each picture once").click()

    def speed() -> list[dict[str, float]]:
        plate = next(one for one in document(stack, shot)["planes"] if one["kind"] == "plate")
        return plate["time"].get("speed", {}).get("keys", [])

    wait_for(lambda: len(speed()) > 1, 20, "the speed is keyed")
    values = [key["value"] for key in speed()]
    assert values[0] > 3 * values[-1]
    assert values[-1] == pytest.approx(100, abs=1)


def test_time_code_stands_in_the_sheet_at_wish(desk: Desk, night: int) -> None:
    code = desk.page.get_by_role("button", name="Time code")
    expect(code).to_have_attribute("aria-pressed", "false")
    code.click()
    expect(code).to_contain_text("Time code")
    desk.page.reload()
    expect(code).to_have_attribute("aria-pressed", "true")
    code.click()


def test_a_table_is_laid_on_a_plane(desk: Desk, stack: Stack, night: int) -> None:
    before = desk.key()
    desk.plane("Plate")
    desk.lay_on("Table")
    desk.card("Table")
    desk.pick("Table: Table", "dusk.cube")
    desk.saved()
    desk.new_picture(before)
    (step,) = document(stack, night)["planes"][0]["treatments"]
    known = {one["id"]: one["name"] for one in document(stack, night)["footage"]}
    assert known[step["params"]["table"]] == "dusk.cube"


def test_things_are_mattes_by_their_names(desk: Desk, stack: Stack, tmp_path: Path) -> None:
    page = desk.page
    cover = np.zeros((90, 160), np.float32)
    cover[20:70, 30:80] = 1
    planes = {name: np.full((90, 160), 0.3, np.float32) for name in "RGB"}
    planes |= cryptomatte.ranked([cover], ["crate"], "Things")
    exr(tmp_path / "quay.0001.exr", planes, **cryptomatte.header(["crate"], "Things"))
    project = stack.ask("/api/projects", {"name": "Rendered"})["id"]
    still = stack.upload(project, tmp_path / "quay.0001.exr")
    made = stack.ask(f"/api/projects/{project}/shots", {"name": "Crate", "footage": still["id"]})["id"]
    desk.open(made)
    page.get_by_role("region", name="Mattes").get_by_role("button", name="Matte").last.click()
    desk.lay_on("Channel or name")
    desk.card("Channel or name")
    desk.pick("Channel or name: Footage", "quay.0001.exr")
    desk.pick("Channel or name: Parts", "crate")
    desk.saved()
    pulls = document(stack, made)["mattes"][0]["pulls"]
    assert pulls[-1]["params"]["parts"] == ["name:Things:crate"]
    page.get_by_role("button", name="crate ✕").click()
    desk.saved()
    wait_for(lambda: document(stack, made)["mattes"][0]["pulls"][-1]["params"]["parts"] == [], 20, "left out")


def test_another_file_takes_the_place_of_one_that_was_refused(desk: Desk, stack: Stack, tmp_path: Path) -> None:
    page = desk.page
    project = stack.ask("/api/projects", {"name": "Refusals"})["id"]
    good = stack.upload(project, CLIPS / "paper.png")
    shot = stack.ask(f"/api/projects/{project}/shots", {"name": "Paper", "footage": good["id"]})["id"]
    desk.open(shot)
    panel = footage(desk)
    broken = tmp_path / "broken.exr"
    broken.write_bytes(b"\x76\x2f\x31\x01 nothing")
    panel.get_by_label("Footage files").set_input_files(broken)
    row = panel.get_by_role("listitem").filter(has_text="broken.exr")
    expect(row).to_contain_text("broken")
    whole = tmp_path / "whole.png"
    whole.write_bytes(png_bytes(np.full((40, 60, 3), 90, np.uint8)))
    row.get_by_label("Another file for broken.exr").set_input_files(whole)
    expect(panel.get_by_role("listitem").filter(has_text="whole.png")).to_contain_text("60 × 40")
    expect(row).to_have_count(0)
    panel.get_by_label("Footage files").set_input_files(broken)
    row.get_by_role("button", name="Remove").click()
    expect(row).to_have_count(0)
    assert page.get_by_role("region", name="Footage of the project").is_visible()
