"""The reel by hand: laid in, sorted, trimmed, moved, joined, played over its joins with sound, opened and come back."""

from __future__ import annotations

import json
import re
from pathlib import Path
from typing import Any

import pytest
from playwright.sync_api import Locator, expect

from cuvrel.demo.morning import clapper
from tests.stack import Stack, wait_for
from tests.ui.conftest import Desk
from tests.ui.test_access import serious
from tests.ui.test_cards import faults
from tests.ui.test_sound import AT_ONCE, LISTEN

# looks at each drawing of the screen, round by round until sound ran up to the reel's last frames (it comes in once
# pictures are ahead): the frame that is shown, and while sound runs the frame and the moment that is heard
EVERY = f"""window.looked = (async () => {{
  const look = {AT_ONCE}, found = [], begun = performance.now();
  while (performance.now() - begun < 60000) {{
    const heard = await look();
    const shown = Number(document.querySelector('output.number').textContent) - 1001;
    found.push([shown, heard]);
    if (shown > 76 && found.filter(([, one]) => one && one[1] > 0.2).length > 20) break;
  }}
  return found;
}})(); undefined"""


@pytest.fixture
def project(stack: Stack, tmp_path: Path) -> tuple[int, list[int]]:
    """Two shots on clappers of two seconds, with sound."""
    found = stack.ask("/api/projects", {"name": f"Reel {tmp_path.name}"})["id"]
    shots = []
    for n in range(2):
        footage = stack.upload(found, clapper(tmp_path / f"clapper {n + 1}.mp4", 48, 20 + 6 * n, sound="aac"))
        body = {"name": f"Watch {n + 1}", "footage": footage["id"]}
        shots.append(int(stack.ask(f"/api/projects/{found}/shots", body)["id"]))
    return int(found), shots


def reel_of(stack: Stack, project: int, shots: list[int]) -> int:
    return int(stack.ask(f"/api/projects/{project}/reels", {"name": "Night cut", "shots": shots})["id"])


def pieces(stack: Stack, reel: int) -> list[dict[str, Any]]:
    found: list[dict[str, Any]] = stack.ask(f"/api/shots/{reel}")["document"]["pieces"]
    return found


def piece(desk: Desk, number: int) -> Locator:
    return desk.button(f"Piece {number}:")


def carried(desk: Desk, what: Locator, to: Locator, y: float) -> None:
    """Drags something with the browser's own dragging, onto a place of something else."""
    what.drag_to(to, target_position={"x": 70, "y": y})


def test_a_reel_is_made_by_hand(desk: Desk, stack: Stack, project: tuple[int, list[int]]) -> None:
    number, _ = project
    page, name = desk.page, stack.ask(f"/api/projects/{project[0]}")["name"]
    desk.project(name, "Reels")
    desk.button("+ Reel", exact=True).click()
    page.get_by_role("dialog").get_by_label("Name").fill("Night cut")
    page.keyboard.press("Enter")
    expect(page.get_by_role("heading", name="Night cut")).to_be_visible()
    reel = int(re.findall(r"/shot/(\d+)", page.url)[0])
    expect(page.get_by_text("Nothing lies here yet.")).to_be_visible()
    # one by dragging, one by its button, a bare one of footage
    sheet = page.get_by_role("group", name="Pieces")
    carried(desk, page.get_by_role("listitem").filter(has_text="Watch 2"), sheet, 100)
    expect(piece(desk, 1)).to_be_visible()
    desk.saved()
    carried(desk, page.get_by_role("listitem").filter(has_text="Watch 1"), sheet, 4)
    expect(piece(desk, 2)).to_be_visible()
    page.get_by_role("radio", name="Footage").click()
    piece(desk, 2).click()
    desk.button("Lay clapper 1.mp4 in").click()
    expect(piece(desk, 3)).to_be_visible()
    desk.saved()
    shown = [desk.page.get_by_label(f"Piece {n}:").get_attribute("aria-label") for n in (1, 2, 3)]
    assert shown == ["Piece 1: Watch 1", "Piece 2: Watch 2", "Piece 3: clapper 1.mp4"]
    assert len(stack.ask(f"/api/projects/{number}")["shots"]) == 3

    # sorted by the hand, and by the keyboard; trimmed by its end
    box = piece(desk, 3).bounding_box()
    above = piece(desk, 1).bounding_box()
    assert box
    assert above
    page.mouse.move(box["x"] + 30, box["y"] + box["height"] / 2)
    page.mouse.down()
    page.mouse.move(box["x"] + 30, above["y"] + 6, steps=8)
    page.mouse.up()
    desk.saved()
    expect(page.get_by_label("Piece 1: clapper 1.mp4")).to_be_visible()
    piece(desk, 1).focus()
    page.keyboard.press("Alt+ArrowDown")
    expect(page.get_by_label("Piece 1: Watch 1")).to_be_visible()
    desk.saved()
    first = piece(desk, 1).bounding_box()
    assert first
    end = page.locator("[data-trim='last 0']").bounding_box()
    assert end
    page.mouse.move(end["x"] + 20, end["y"] + 4)
    page.mouse.down()
    page.mouse.move(end["x"] + 20, end["y"] + 4 - first["height"] / 2, steps=8)
    page.mouse.up()
    desk.saved()
    assert 20 < pieces(stack, reel)[0]["last"] < 27

    # moves by turns, a mix, grain over all
    piece(desk, 2).click()
    page.get_by_role("radio", name="push in").click()
    desk.button("Alternate all").click()
    desk.saved()
    assert [one["move"]["kind"] for one in pieces(stack, reel)] == ["push in", "pull out", "push in"]
    if desk.button("Open Join").count():
        desk.button("Open Join").click()
    page.get_by_role("article", name="Join").get_by_role("radio", name="mix").click()
    desk.saved()
    assert pieces(stack, reel)[1]["join"]["kind"] == "mix"
    desk.button("Treatment over all").click()
    page.locator("[data-try]").filter(has_text="Grain").first.click()
    expect(page.get_by_role("article", name="Grain")).to_be_visible()
    desk.saved()
    # a frame with a name of its own
    piece(desk, 2).click()
    spine = page.locator('[data-spine="fitting"]')
    if spine.count():
        spine.click()
    desk.button("More for Piece", exact=True).click()
    page.get_by_role("menuitem", name="Name this frame").click()
    page.get_by_role("dialog").get_by_label("Name").fill("First signal")
    page.keyboard.press("Enter")
    expect(page.get_by_text("First signal", exact=True)).to_be_visible()
    desk.saved()
    page.keyboard.press("Control+z")
    # taken back, step by step: the grain, the glaze, the join
    for _ in range(3):
        page.keyboard.press("Control+z")
    wait_for(lambda: pieces(stack, reel)[1]["join"] == {}, 30, "the cut again")


def test_a_reel_is_played_over_its_join_with_sound(desk: Desk, stack: Stack, project: tuple[int, list[int]]) -> None:
    number, shots = project
    reel = reel_of(stack, number, shots)
    ops = [{"op": "add", "path": "/pieces/1/join", "value": {"kind": "mix", "length": 12.0}}]
    stack.ask(f"/api/shots/{reel}/edits", {"revision": 0, "ops": ops})
    page = desk.page
    page.add_init_script(LISTEN)
    desk.open(reel)
    expect(page.get_by_role("button", name="Heard with the picture")).to_be_enabled()
    page.evaluate(EVERY)
    desk.button("Play").click()
    found = page.evaluate("looked")
    desk.button("Stop", exact=True).click()
    # over the join's frames and behind it, in step with what is heard
    seen = {int(frame) for frame, _ in found}
    together = [one for _, one in found if one and one[1] > 0.2]
    assert len(together) > 5
    assert any(36 <= frame < 48 for frame in seen)
    assert any(frame >= 48 for frame in seen)
    apart = sorted(abs(frame - heard * 24 + 0.5) for frame, heard in together)
    assert apart[len(apart) // 2] <= 1.5, apart


def test_a_shot_is_opened_from_the_reel_and_what_is_done_there_is_seen(
    desk: Desk, stack: Stack, project: tuple[int, list[int]]
) -> None:
    number, shots = project
    reel = reel_of(stack, number, shots)
    page = desk.page
    desk.open(reel)
    desk.go(60)
    expect(page.get_by_label("Where in its shot")).to_contain_text("Watch 2 · 1013")
    before = desk.key()
    page.get_by_role("link", name="open this shot").click()
    expect(page.get_by_role("heading", name="Watch 2")).to_be_visible()
    assert desk.number == 1013
    glaze = {"id": "g", "name": "Dark", "kind": "glaze",
             "treatments": [{"id": "s", "kind": "grade", "params": {"exposure": -2.0}}]}  # fmt: skip
    stack.ask(f"/api/shots/{shots[1]}/edits", {"revision": 0, "ops": [
        {"op": "add", "path": "/planes/0", "value": glaze}]})  # fmt: skip
    page.get_by_role("link", name="‹ Reel").click()
    expect(page.get_by_role("heading", name="Night cut")).to_be_visible()
    assert desk.number == 1061
    assert desk.key() != before
    # and while it is open
    now = desk.key()
    stack.ask(f"/api/shots/{shots[1]}/undo", {})
    undone = desk.new_picture(now)
    # into the trash: a named gap
    stack.ask(f"/api/shots/{shots[1]}", method="DELETE")
    expect(page.get_by_text("in the trash", exact=True)).to_be_visible()
    assert desk.new_picture(undone)


def test_a_timeline_file_is_read_by_hand(
    desk: Desk, stack: Stack, project: tuple[int, list[int]], tmp_path: Path
) -> None:
    number, _ = project
    edl = tmp_path / "quay.edl"
    edl.write_text("""TITLE: Quay
FCM: NON-DROP FRAME

001  AX       V     C        00:00:00:10 00:00:01:10 01:00:00:00 01:00:01:00
* FROM CLIP NAME: Watch 1
002  AX       V     C        00:00:00:00 00:00:01:00 01:00:01:00 01:00:02:00
* FROM CLIP NAME: Nowhere
""")
    page = desk.page
    desk.project(stack.ask(f"/api/projects/{number}")["name"], "Reels")
    desk.button("Open a timeline file").click()
    page.get_by_label("Timeline file", exact=True).set_input_files(edl)
    dialog = page.get_by_role("dialog")
    expect(dialog.get_by_text("1 of its media are not in this project.")).to_be_visible()
    desk.pick("Stands for Nowhere", "Watch 2")
    dialog.get_by_role("button", name="Make a reel").click()
    expect(page.get_by_role("heading", name="Quay")).to_be_visible()
    expect(page.get_by_label("Piece 2: Watch 2")).to_be_visible()
    # what is broken says so
    broken = tmp_path / "broken.otio"
    broken.write_text(json.dumps({"OTIO_SCHEMA": "Nothing.1"}))
    desk.button("Open …").click()
    page.get_by_label("Timeline file", exact=True).set_input_files(broken)
    expect(page.get_by_role("dialog").get_by_text("broken.otio")).to_be_visible()


@pytest.mark.parametrize("size", [(1280, 800), (1024, 700)], ids=["1280", "1024"])
def test_every_card_of_a_piece_has_room_and_the_reel_is_for_everybody(
    desk: Desk, stack: Stack, project: tuple[int, list[int]], size: tuple[int, int]
) -> None:
    number, shots = project
    reel = reel_of(stack, number, [*shots, shots[0]])
    page, found = desk.page, list[Any]()
    page.set_viewport_size({"width": size[0], "height": size[1]})
    desk.open(reel)
    piece(desk, 2).click()
    for card, kinds in (
        ("Move", ("push in", "pull out", "slide", "from and to")),
        ("Join", ("mix", "push", "colour", "matte")),
    ):
        spine = page.locator(f'[data-spine="{card.lower()}"]')
        if spine.count():
            spine.click()
        for kind in kinds:
            page.get_by_role("article", name=card).get_by_role("radio", name=kind, exact=True).click()
            page.wait_for_timeout(150)
            found += faults(page)
    spine = page.locator('[data-spine="fitting"]')
    if spine.count():
        spine.click()
    found += faults(page)
    desk.saved()
    assert not found, "\n".join(sorted(set(found)))
    assert serious(page) == []
    # the rooms of a shot are not there; others are
    page.keyboard.press("x")
    expect(page.get_by_role("region", name="Cuts")).to_have_count(0)
    page.keyboard.press("q")
    expect(page.get_by_role("region", name="Sound", exact=True)).to_be_visible()
    page.keyboard.press("Escape")
    desk.project(stack.ask(f"/api/projects/{number}")["name"], "Reels")
    expect(page.get_by_role("link", name="Night cut")).to_be_visible()
    assert serious(page) == []
