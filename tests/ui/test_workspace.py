"""The workspace on the demo shot: time, views, values, planes, history, windows, states."""

from __future__ import annotations

from playwright.sync_api import APIResponse, BrowserContext, Route, expect

from cuvrel.demo.followed import read
from cuvrel.demo.project import CLIPS
from tests.stack import Stack, wait_for
from tests.ui.conftest import Desk


def test_the_start_page_shows_the_demo_with_a_picture(desk: Desk) -> None:
    desk.start()
    card = desk.page.get_by_role("region", name="Harbour signals").get_by_role("link").first
    for _ in range(2):  # the project's, then its first shot's
        picture = card.locator("img")
        expect(picture).to_have_js_property("complete", True)
        assert picture.evaluate("image => image.naturalWidth") > 300
        card.click()
        card = desk.page.get_by_role("region", name="Harbour signals").get_by_role("listitem").first.get_by_role("link")
    expect(desk.canvas).to_have_attribute("data-frame", "0")


def test_the_demo_opens_with_its_matte_followed_and_its_outline_in_place(desk: Desk, demo: int) -> None:
    desk.open(demo)
    expect(desk.page.get_by_role("region", name="Mattes").locator("[data-reach]")).to_contain_text("all")
    expect(desk.page.get_by_role("region", name="Stand").get_by_text("glow outline").first).to_be_visible()


def test_a_number_is_dragged_and_one_undo_takes_the_drag_back(desk: Desk, demo: int) -> None:
    desk.open(demo)
    desk.plane("Quay loses colour")
    field = desk.page.get_by_label("Grade: Contrast, value")
    before = field.input_value()
    box = field.bounding_box()
    assert box is not None
    x, y = box["x"] + box["width"] / 2, box["y"] + box["height"] / 2
    desk.page.mouse.move(x, y)
    desk.page.mouse.down()
    for by in (3, 10, 25):
        desk.page.mouse.move(x + by, y)
    desk.page.mouse.up()
    desk.saved()
    assert float(field.input_value()) == float(before) + 25
    desk.button("Undo", exact=True).click()
    expect(field).to_have_value(before)
    # a press without a drag is for typing
    field.click()
    desk.page.keyboard.type("7")
    desk.page.keyboard.press("Enter")
    expect(field).to_have_value("7")
    desk.button("Undo", exact=True).click()
    expect(field).to_have_value(before)


def test_views_by_button_and_by_key_show_other_pictures_and_change_nothing(desk: Desk, stack: Stack, demo: int) -> None:
    desk.open(demo)
    before = stack.ask(f"/api/shots/{demo}")["revision"]
    seen = [desk.key()]
    views = (("2", "Veil"), ("3", "Matte"), ("5", "Unroll"), ("6", "Onion skin"), ("4", "Cut-out"))
    for key, name in views:
        desk.page.keyboard.press(key)
        expect(desk.page.get_by_role("radio", name=name, exact=True)).to_have_attribute("aria-checked", "true")
        seen.append(desk.new_picture(seen[-1]))
    desk.pick("Ground of the cut-out", "over white")
    seen.append(desk.new_picture(seen[-1]))
    desk.page.get_by_role("radio", name="Result").click()
    assert desk.new_picture(seen[-1]) == seen[0]
    assert len(set(seen)) == 7
    assert stack.ask(f"/api/shots/{demo}")["revision"] == before


def test_time_by_keys_wheel_and_the_sheet(desk: Desk, demo: int) -> None:
    desk.open(demo)
    page = desk.page
    sheet = page.get_by_role("slider", name="Frame", exact=True)
    number = page.locator("output.number")
    last = str(sheet.get_attribute("aria-valuemax"))
    page.keyboard.press("End")
    expect(number).to_have_text(last)
    page.keyboard.press("Home")
    page.keyboard.press("ArrowDown")
    expect(number).to_have_text("1002")
    sheet.hover()
    page.mouse.wheel(0, 100)
    expect(number).to_have_text("1003")
    box = sheet.bounding_box()
    assert box is not None
    page.mouse.click(box["x"] + 60, box["y"] + box["height"] * 0.5)
    middle = (1001 + int(last)) // 2
    assert abs(desk.number - middle) <= 2
    # a drag on the numbers is the loop range, a click there ends it
    page.mouse.move(box["x"] + 10, box["y"] + box["height"] * 0.25)
    page.mouse.down()
    page.mouse.move(box["x"] + 10, box["y"] + box["height"] * 0.5, steps=4)
    page.mouse.up()
    expect(page.get_by_role("button", name="loop 10")).to_be_visible()
    page.keyboard.press("Escape")
    expect(page.get_by_role("button", name="loop 10")).to_have_count(0)


def test_playing_goes_round_the_loop_and_stops(desk: Desk, demo: int) -> None:
    desk.open(demo)
    page = desk.page
    box = page.get_by_role("slider", name="Frame", exact=True).bounding_box()
    assert box is not None
    page.mouse.move(box["x"] + 10, box["y"] + 2)
    page.mouse.down()
    page.mouse.move(box["x"] + 10, box["y"] + box["height"] * 0.08, steps=3)
    page.mouse.up()
    loop = page.get_by_role("button", name="loop 10")
    first, last = (int(part) for part in loop.inner_text().removeprefix("loop ").removesuffix("✕").strip().split("–"))
    page.keyboard.press("Space")
    expect(desk.button("Stop", exact=True)).to_be_visible()
    wait_for(lambda: desk.number == last, 20, "the last frame of the loop")
    wait_for(lambda: desk.number == first, 20, "the first frame again")
    page.keyboard.press("Space")
    expect(desk.button("Play", exact=True)).to_be_visible()


def test_next_doubt_or_touch_by_key(desk: Desk, demo: int) -> None:
    kept = read(CLIPS, "signaller")
    wanted = {1001 + n for n, one in enumerate(kept) if one.origin == "touched" or one.doubt > 0.5}
    assert len(wanted) > 2
    desk.open(demo)
    desk.matte("Signaller")
    seen = list[int]()
    while not seen or desk.number not in seen[:-1]:  # until it begins anew
        before = desk.number
        desk.page.keyboard.press("PageDown")
        expect(desk.page.locator("output.number")).not_to_have_text(str(before))
        seen.append(desk.number)
    assert wanted <= set(seen), "and what chatters, where that is known by then"
    first = seen.index(min(seen))
    around = [*seen[first:-1], *seen[:first]]
    assert around == sorted(around), "one after another"


def test_a_value_by_slider_by_typing_and_back_to_its_default(desk: Desk, stack: Stack, demo: int) -> None:
    desk.open(demo)
    page = desk.page
    desk.plane("Quay loses colour")
    key = desk.key()

    def kept() -> float:
        planes = stack.ask(f"/api/shots/{demo}")["document"]["planes"]
        return next(p for p in planes if p["id"] == "world")["treatments"][0]["params"]["exposure"]

    value = page.get_by_label("Grade: Exposure, value")
    value.fill("1,5")
    page.keyboard.press("Enter")
    desk.go(30)
    key = desk.new_picture(key)
    desk.saved()
    assert kept() == 1.5
    value.focus()
    page.keyboard.press("ArrowUp")
    desk.new_picture(key)
    desk.saved()
    assert kept() == 1.55
    slider = page.get_by_label("Grade: Exposure", exact=True)
    slider.dblclick()
    expect(value).to_have_value("0.00")
    value.fill("99")  # beyond the range: held to it
    page.keyboard.press("Enter")
    expect(value).to_have_value("6.00")
    value.fill("much")
    page.keyboard.press("Enter")
    expect(value).to_have_value("6.00")


def test_a_dragged_slider_is_one_step_of_the_history(desk: Desk, stack: Stack, demo: int) -> None:
    desk.open(demo)
    page = desk.page
    desk.plane("Quay loses colour")
    box = page.get_by_role("slider", name="Grade: Contrast").bounding_box()
    assert box is not None
    start = page.get_by_label("Grade: Contrast, value").input_value()
    x, y = box["x"] + box["width"] / 2, box["y"] + box["height"] / 2
    page.mouse.move(x, y)
    page.mouse.down()
    page.mouse.move(x + 16, y, steps=9)
    page.mouse.up()
    expect(page.get_by_label("Grade: Contrast, value")).not_to_have_value(start)
    desk.saved()
    page.keyboard.press("Control+z")
    expect(page.get_by_label("Grade: Contrast, value")).to_have_value(start)
    expect(desk.button("Undo", exact=True)).to_be_disabled()
    page.keyboard.press("Control+Shift+z")
    expect(page.get_by_label("Grade: Contrast, value")).not_to_have_value(start)


def test_keyframes_by_ring_and_by_key(desk: Desk, demo: int) -> None:
    desk.open(demo)
    page = desk.page
    desk.plane("Signaller lifted")
    desk.card("Cut-out")
    ring = page.get_by_label("Signaller lifted: Opacity: no keyframe")
    ring.click()
    expect(page.get_by_label("Signaller lifted: Opacity: keyed here")).to_be_visible()
    desk.go(10)
    expect(page.get_by_label("Signaller lifted: Opacity: keyed elsewhere")).to_be_visible()
    page.get_by_label("Signaller lifted: Opacity, value").fill("0.2")
    page.keyboard.press("Enter")
    expect(page.get_by_label("Signaller lifted: Opacity: keyed here")).to_be_visible()
    desk.go(5)
    expect(page.get_by_label("Signaller lifted: Opacity, value")).to_have_value("0.60")
    page.get_by_label("Signaller lifted: Opacity, value").hover()
    page.keyboard.press("k")
    expect(page.get_by_label("Signaller lifted: Opacity: keyed here")).to_be_visible()
    page.get_by_label("Signaller lifted: Opacity: ease is smooth").click()
    expect(page.get_by_label("Signaller lifted: Opacity: ease is linear")).to_be_visible()


def test_zoom_keeps_the_point_under_the_pointer(desk: Desk, demo: int) -> None:
    desk.open(demo)
    x, y = desk.place(400, 300)
    desk.page.mouse.move(x, y)
    for _ in range(4):
        desk.page.mouse.wheel(0, -100)
    expect(desk.page.locator("[data-zoom]")).not_to_have_text("61 %")
    after = desk.place(400, 300)
    assert abs(after[0] - x) < 2
    assert abs(after[1] - y) < 2
    desk.button("fit", exact=True).click()


def test_planes_are_moved_hidden_copied_and_removed(desk: Desk, demo: int) -> None:
    desk.open(demo)
    page = desk.page
    names = page.get_by_role("region", name="Stand").locator("li strong")
    expect(names.first).to_be_visible()
    before = names.all_inner_texts()
    key = desk.key()
    desk.go(30)
    key = desk.new_picture(key)
    desk.button("Hide Quay loses colour").click()
    key = desk.new_picture(key)
    desk.button("More for Quay loses colour").click()
    page.get_by_role("menuitem", name="Copy").click()
    expect(names).to_have_count(len(before) + 1)
    desk.button("More for Quay loses colour copy").click()
    page.get_by_role("menuitem", name="To the front by one").click()
    desk.button("More for Quay loses colour copy").click()
    page.get_by_role("menuitem", name="Remove").click()
    expect(names).to_have_text(before)


def test_treatments_are_added_moved_switched_off_and_removed(desk: Desk, demo: int) -> None:
    desk.open(demo)
    page = desk.page
    desk.plane("Quay loses colour")
    bench = page.get_by_role("region", name="Bench")
    desk.lay_on("Glow outline")
    cards = bench.locator("article h2, [data-spine] span:last-child")  # opened and folded ones
    expect(cards).to_have_text(["Glaze", "Grade", "Glow outline"])
    desk.button("More for Glow outline").click()
    page.get_by_role("menuitem", name="Earlier").click()
    expect(cards).to_have_text(["Glaze", "Glow outline", "Grade"])
    desk.button("Glow outline: switch off").click()
    expect(desk.button("Glow outline: switch on")).to_be_visible()
    desk.button("More for Glow outline").click()
    page.get_by_role("menuitem", name="Remove").click()
    expect(cards).to_have_text(["Glaze", "Grade"])


def test_two_windows_see_each_other_and_never_overwrite_silently(
    desk: Desk, context: BrowserContext, stack: Stack, demo: int
) -> None:
    desk.open(demo)
    other = Desk(context.new_page(), stack.url).open(demo)
    desk.plane("Quay loses colour")
    other.plane("Quay loses colour")
    value = "Grade: Saturation, value"
    desk.page.get_by_label(value).fill("40")
    desk.page.keyboard.press("Enter")
    expect(other.page.get_by_label(value)).to_have_value("40")
    # the same place changed behind a window's back: refused with a sentence, and the newer state shown
    other.page.route("**/api/events", lambda route: route.abort())
    revision = stack.ask(f"/api/shots/{demo}")["revision"]
    path = "/planes/2/treatments/0/params/saturation"
    hold: list[bool] = []

    def late(route: object) -> None:
        if not hold:
            hold.append(True)
            stack.ask(
                f"/api/shots/{demo}/edits",
                {"revision": revision, "ops": [{"op": "replace", "path": path, "value": 77}]},
            )
        route.continue_()  # type: ignore[attr-defined]

    other.page.route("**/edits", late)
    other.page.get_by_label(value).fill("55")
    other.page.keyboard.press("Enter")
    expect(other.page.get_by_text("Somebody else changed the same thing")).to_be_visible()
    expect(other.page.get_by_label(value)).to_have_value("77")
    other.page.close()


def test_a_lost_connection_is_told_and_work_done_meanwhile_is_sent(
    desk: Desk, context: BrowserContext, stack: Stack, demo: int
) -> None:
    desk.open(demo)
    page = desk.page
    desk.plane("Quay loses colour")
    context.set_offline(True)
    value = page.get_by_label("Grade: Tint, value")
    value.fill("33")
    page.keyboard.press("Enter")
    expect(page.get_by_text("No connection")).to_be_visible()
    expect(value).to_have_value("33")
    context.set_offline(False)
    expect(page.get_by_text("All saved")).to_be_visible(timeout=40_000)
    planes = stack.ask(f"/api/shots/{demo}")["document"]["planes"]
    assert next(p for p in planes if p["id"] == "world")["treatments"][0]["params"]["tint"] == 33


def test_all_keys_are_listed_and_searched(desk: Desk, demo: int) -> None:
    desk.open(demo)
    desk.page.keyboard.press("?")
    sheet = desk.page.get_by_role("dialog")
    expect(sheet.get_by_text("Follow on", exact=True)).to_be_visible()
    sheet.get_by_label("Search the keys").fill("brush")
    expect(sheet.get_by_text("Smaller brush")).to_be_visible()
    expect(sheet.get_by_text("Follow on", exact=True)).to_have_count(0)
    desk.page.keyboard.press("Escape")
    expect(sheet).to_have_count(0)


def test_an_export_is_stopped_and_run_again_though_an_answer_comes_late(desk: Desk, stack: Stack, demo: int) -> None:
    revision = stack.ask(f"/api/shots/{demo}")["revision"]
    ops = [{"op": "add", "path": "/range/last", "value": 15}]
    stack.ask(f"/api/shots/{demo}/edits", {"revision": revision, "ops": ops})
    desk.open(demo)
    late: list[tuple[Route, APIResponse]] = []
    desk.page.route("**/exports", lambda route: late.append((route, route.fetch())))
    desk.button("Export", exact=True).click()
    panel = desk.page.get_by_role("region", name="Export")
    desk.pick("What", "Cut-out")
    desk.pick("How", "PNG pictures, 16 bit")
    panel.get_by_role("button", name="Start this export").click()
    panel.locator("li").first.get_by_role("button", name="Stop").click()
    again = panel.locator("li").first.get_by_role("button", name="Run again")
    expect(again).to_be_visible()
    # the answer to the first request says that the job waits, which is no longer true
    [(route, answer)] = late
    with desk.page.expect_response("**/exports"):
        route.fulfill(response=answer)
    again.click()
    expect(panel.locator("li").first.get_by_role("link", name="Save")).to_be_visible(timeout=90_000)
