"""Marks on the demo shot: drawn, swapped, erased and cleared, the lasso, near here, and the brush."""

from __future__ import annotations

from playwright.sync_api import expect

from tests.stack import Stack, wait_for
from tests.ui.conftest import Desk


def test_marks_drawn_swapped_erased_and_cleared(desk: Desk, demo: int) -> None:
    desk.open(demo)
    page = desk.page
    desk.matte("Signaller")
    bench = page.get_by_role("region", name="Bench")
    page.keyboard.press("PageDown")
    frame = desk.number - 1001
    expect(desk.canvas).to_have_attribute("data-frame", str(frame))
    ins = int(bench.get_by_role("button", name="in marks").inner_text().rsplit(" ", 1)[1])
    outs = int(bench.get_by_role("button", name="out marks").inner_text().rsplit(" ", 1)[1])
    desk.draw([(300, 60), (360, 60)], "out")
    expect(bench.get_by_role("button", name="out marks")).to_contain_text(str(outs + 1))
    # Alt turns the out tool into the in tool for one stroke
    page.keyboard.down("Alt")
    desk.draw([(640, 330), (640, 350)], "out")
    page.keyboard.up("Alt")
    expect(bench.get_by_role("button", name="in marks")).to_contain_text(str(ins + 1))
    page.get_by_role("radio", name="Erase marks").click()
    page.mouse.click(*desk.place(330, 60))
    expect(bench.get_by_role("button", name="out marks")).to_contain_text(str(outs))
    bench.get_by_role("button", name="Clear marks").click()
    expect(bench.get_by_role("button", name="in marks")).to_contain_text("0")
    page.keyboard.press("Control+z")
    expect(bench.get_by_role("button", name="in marks")).to_contain_text(str(ins + 1))


def test_pressing_a_tool_or_a_notice_draws_no_mark(desk: Desk, stack: Stack, demo: int) -> None:
    desk.open(demo)
    desk.matte("Signaller")
    before = stack.ask(f"/api/shots/{demo}")["revision"]
    for name in ("fit", "1:1"):
        desk.button(name, exact=True).click()
    desk.page.get_by_label("Brush radius in pixels").click()
    desk.page.get_by_role("radio", name="Out mark: not the subject").click()
    desk.go(2)
    assert stack.ask(f"/api/shots/{demo}")["revision"] == before


def marks_of(stack: Stack, shot: int, frame: int) -> list[dict]:
    pulls = stack.ask(f"/api/shots/{shot}")["document"]["mattes"][0]["pulls"]
    return [m for m in pulls[0]["marks"] if m["frame"] == frame]


def test_a_lasso_only_near_here_and_finding_by_one_press(desk: Desk, stack: Stack, demo: int) -> None:
    desk.open(demo)
    page = desk.page
    desk.matte("Signaller")
    desk.go(1)
    ring = [(500, 150), (800, 150), (800, 600), (500, 600), (500, 160)]
    before = len(marks_of(stack, demo, 1))
    page.keyboard.press("n")
    desk.stroke(ring)
    wait_for(lambda: len(marks_of(stack, demo, 1)) == before + 1, 15, "the line beyond which nothing is")
    page.keyboard.press("l")
    desk.stroke([(620, 300), (660, 300), (660, 360), (620, 360)])
    wait_for(lambda: len(marks_of(stack, demo, 1)) == before + 2, 15, "the lasso")
    page.get_by_role("region", name="Bench").get_by_role("button", name="Find the subject").click()
    wait_for(lambda: len(marks_of(stack, demo, 1)) == before + 3, 15, "what was found")
    drawn = marks_of(stack, demo, 1)[before:]
    assert [(m["kind"], m["fill"]) for m in drawn] == [("near", False), ("in", True), ("found", False)]
    expect(page.get_by_role("button", name="Find the subject")).to_have_count(0)
    for _ in drawn:
        page.keyboard.press("Control+z")
    wait_for(lambda: len(marks_of(stack, demo, 1)) == before, 15, "the marks to be taken back")


def test_a_brush_is_held_to_its_range_and_empty_keeps_it(desk: Desk, demo: int) -> None:
    desk.open(demo)
    desk.matte("Signaller")
    brush = desk.page.get_by_label("Brush radius in pixels")
    for typed, kept in (("", "6"), ("-3", "1"), ("5000", "200"), ("12.5", "12.5"), ("", "12.5")):
        brush.fill(typed)
        brush.press("Enter")
        brush.blur()
        expect(brush).to_have_value(kept)
    brush.fill("")
    desk.draw([(300, 60), (360, 60)], "out")
    desk.saved()
    expect(desk.page.get_by_text("The document is wrong")).to_have_count(0)
