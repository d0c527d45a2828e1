"""Two takes joined by hand: laid over, stepped, lined up, toned, seen through a seam, played there and back."""

from __future__ import annotations

from itertools import pairwise
from pathlib import Path
from typing import Any

import pytest
from playwright.sync_api import Locator, expect

from tests.core.test_joins import FRAMES, JOIN, first, second
from tests.stack import Stack, wait_for
from tests.ui.conftest import Desk
from tests.ui.test_access import serious
from tests.ui.test_cards import faults
from tests.web.test_takes import written


@pytest.fixture
def shot(stack: Stack, tmp_path: Path) -> int:
    """A shot on the first take, in a project that has the second, too."""
    project = int(stack.ask("/api/projects", {"name": f"Takes {tmp_path.name}"})["id"])
    plate, _ = (stack.upload(project, written(tmp_path / f"take {n}.mp4", one)) for n, one in ((1, first), (2, second)))
    return int(stack.ask(f"/api/projects/{project}/shots", {"name": "Join", "footage": plate["id"]})["id"])


def document(stack: Stack, shot: int) -> Any:
    return stack.ask(f"/api/shots/{shot}")["document"]


def take_of(desk: Desk, stack: Stack, shot: int) -> dict[str, Any]:
    desk.saved()
    return next(one for one in document(stack, shot)["planes"] if one["kind"] == "take")


def join(desk: Desk) -> Locator:
    return desk.card("Join")


def at_rest(desk: Desk) -> str:
    """The key of the picture once nothing that was changed before is on its way any more."""
    keys = [""]

    def same() -> bool:
        keys.append(desk.key())
        desk.page.wait_for_timeout(400)
        return keys[-4:] == [keys[-1]] * 4

    wait_for(same, what="a picture that stays")
    return keys[-1]


def test_two_takes_are_joined(desk: Desk, stack: Stack, shot: int) -> None:
    desk.open(shot)
    desk.go(JOIN)
    desk.add_plane("Take")
    desk.pick("Take: Footage", "take 2.mp4")
    card = join(desk)
    assert take_of(desk, stack, shot)["first"] == JOIN
    # the take is stepped under the picture: by the wheel, by a press, back again
    own = card.get_by_label("The take’s own frame")
    expect(own).to_have_text(str(JOIN))
    before = desk.key()
    card.get_by_role("group", name="The take’s frame at the join").hover()
    desk.page.mouse.wheel(0, 100)
    expect(own).to_have_text(str(JOIN + 1))
    desk.new_picture(before)
    card.get_by_role("button", name="The take a frame earlier").click()
    expect(own).to_have_text(str(JOIN))
    assert take_of(desk, stack, shot)["time"]["offset"] == 0
    # lined up and matched
    says = card.get_by_role("status", name="Line-up")
    expect(says).to_contain_text("not lined up")
    card.get_by_text("each frame").click()
    card.get_by_role("button", name="Line up").click()
    expect(says).to_contain_text("px are left")
    card.get_by_role("button", name="Match tone").click()
    expect(desk.page.get_by_text("of 255 are left of the difference")).to_be_visible()
    made = take_of(desk, stack, shot)
    assert len(made["line_up"]["matrices"]) == FRAMES - JOIN
    assert made["line_up"]["error"] < 0.5
    assert len(next(one for one in made["treatments"] if one["kind"] == "tone")["params"]["red"]["keys"]) > 1
    # moved by keys on top of that
    line = desk.page.get_by_role("button", name="Take: drag")
    line.press("ArrowRight")
    line.press("Alt+ArrowLeft")
    assert take_of(desk, stack, shot)["placement"]["x"] == pytest.approx(0.9)
    desk.button("Undo").click()
    desk.button("Undo").click()
    # through a seam; the sheet tells how much the join is seen
    card = join(desk)
    card.get_by_role("button", name="Find the seam").click()
    expect(says).to_contain_text("the join is not seen")
    made = take_of(desk, stack, shot)
    assert [one["pulls"][0]["kind"] for one in document(stack, shot)["mattes"]] == ["seam"]
    assert made["gate"]["matte"] == document(stack, shot)["mattes"][0]["id"]
    expect(desk.page.get_by_role("region", name="Exposure sheet").get_by_text("Join", exact=True)).to_be_visible()
    # what differs, and there and back
    difference = card.get_by_role("button", name="Difference")
    shown = at_rest(desk)
    difference.click()
    expect(difference).to_have_attribute("aria-pressed", "true")
    desk.new_picture(shown)
    difference.click()
    expect(difference).to_have_attribute("aria-pressed", "false")
    expect(desk.canvas).to_have_attribute("data-key", shown)
    card.get_by_role("button", name="There and back").click()
    numbers: list[int] = []

    def turned() -> bool:
        numbers.append(desk.number)
        steps = [b - a for a, b in pairwise(numbers) if a != b]
        return min(steps, default=0) < 0 < max(steps, default=0) and max(abs(one) for one in steps) < 6

    wait_for(turned, what="frames there and back")
    card.get_by_role("button", name="There and back").click()
    # the first take stands still; the join moves with its tab on the sheet
    card.get_by_role("button", name="Freeze the plate").click()
    desk.saved()
    plate = next(one for one in document(stack, shot)["planes"] if one["kind"] == "plate")
    assert plate["time"]["drop"] == FRAMES - 1 - JOIN
    expect(card.get_by_role("button", name="Freeze the plate")).to_have_attribute("aria-pressed", "true")


def test_the_join_is_dragged_on_the_sheet_and_a_matte_pulled_from_the_take(desk: Desk, stack: Stack, shot: int) -> None:
    desk.open(shot)
    desk.go(JOIN)
    desk.add_plane("Take")
    desk.pick("Take: Footage", "take 2.mp4")
    take_of(desk, stack, shot)
    sheet = desk.page.get_by_role("slider", name="Frame", exact=True)
    box = sheet.bounding_box()
    assert box is not None
    row = box["height"] / FRAMES
    x = box["x"] + box["width"] - 4
    desk.page.mouse.move(x, box["y"] + row * JOIN + 3)
    desk.page.mouse.down()
    desk.page.mouse.move(x, box["y"] + row * (JOIN - 2.4), steps=6)
    desk.page.mouse.up()
    assert take_of(desk, stack, shot)["first"] == JOIN - 3
    # a soft shape about what the take alone shows
    card = join(desk)
    card.get_by_role("button", name="Line up").click()
    expect(card.get_by_role("status", name="Line-up")).to_contain_text("px are left")
    card.get_by_role("button", name="Soft shape").click()
    wait_for(lambda: document(stack, shot)["mattes"], what="a matte")
    assert document(stack, shot)["mattes"][0]["pulls"][0]["shapes"][0]["kind"] == "ellipse"
    # a matte may be of the take, and shows it
    desk.matte("join")
    desk.page.keyboard.press("2")
    before = desk.key()
    desk.pick("Pulled from", "of Take")
    desk.new_picture(before)
    desk.saved()
    assert document(stack, shot)["mattes"][0]["of"] == take_of(desk, stack, shot)["id"]


def test_the_card_has_room_and_no_serious_fault(desk: Desk, stack: Stack, shot: int) -> None:
    desk.open(shot)
    desk.add_plane("Take")
    desk.pick("Take: Footage", "take 2.mp4")
    join(desk)
    desk.saved()
    assert faults(desk.page) == []
    assert serious(desk.page) == []


def test_takes_that_show_nothing_alike_are_refused_in_words(desk: Desk, stack: Stack, shot: int) -> None:
    desk.open(shot)
    desk.add_plane("Take")
    desk.pick("Take: Footage", 1)  # the plate itself: it shows the same everywhere
    card = join(desk)
    before = take_of(desk, stack, shot)
    card.get_by_role("button", name="Find the seam").click()
    expect(desk.page.get_by_text("The takes show the same on this frame.").first).to_be_visible()
    assert take_of(desk, stack, shot) == before
