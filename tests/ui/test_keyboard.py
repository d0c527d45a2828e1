"""From the start page to an exported file without a pointer."""

from __future__ import annotations

from pathlib import Path

from playwright.sync_api import Page, expect

from cuvrel.core.media.probe import probe
from tests.conftest import Clip
from tests.stack import Stack, wait_for
from tests.ui.conftest import Desk

MOST = 160  # the most presses of Tab to any control of a screen
HERE = """(name) => {
    const at = document.activeElement;
    const says = at?.getAttribute("aria-label") ?? at?.textContent.trim().replace(/\\s+/g, " ") ?? "";
    return says === name || says.startsWith(name + " ") || at?.getAttribute("data-try") === name;
}"""


def reach(page: Page, name: str) -> None:
    """Presses Tab until the control that is called so, or begins so, has the focus; and it can be seen that it has."""
    for _ in range(MOST):
        page.keyboard.press("Tab")
        if page.evaluate(HERE, name):
            break
    else:
        raise AssertionError(f"{name} is not reached by Tab.")
    ring = page.evaluate("getComputedStyle(document.activeElement).outlineStyle")
    assert ring != "none" or page.evaluate("document.activeElement.tagName") == "INPUT", f"{name} shows no focus"


def press(page: Page, name: str, key: str = "Enter") -> None:
    reach(page, name)
    page.keyboard.press(key)


def test_from_the_start_page_to_a_file(desk: Desk, stack: Stack, clip: Clip, tmp_path: Path) -> None:
    page = desk.page
    desk.start()
    reach(page, "Name of a new project")
    page.keyboard.type("By hand of keys")
    page.keyboard.press("Enter")
    project = page.get_by_role("region", name="By hand of keys")
    expect(project).to_be_visible()
    with page.expect_file_chooser() as chooser:
        press(page, "choose files …")
    chooser.value.set_files(clip.path)
    expect(project.get_by_role("button", name="New shot on it")).to_be_visible()
    press(page, "New shot on it")
    expect(desk.canvas).to_have_attribute("data-frame", "0")
    shot = int(page.url.rsplit("/", 1)[1])

    press(page, "Find the subject")
    wait_for(lambda: stack.ask(f"/api/shots/{shot}")["frames"], 60, "the subject to be found")
    page.keyboard.press("f")
    wait_for(lambda: len(stack.ask(f"/api/shots/{shot}")["frames"]) > 1, 60, "the next frame")
    page.keyboard.press("Escape")
    wait_for(lambda: all(j["state"] not in ("waiting", "working") for j in stack.ask(f"/api/shots/{shot}")["jobs"]), 60)
    page.keyboard.press("Home")
    for _ in range(3):
        page.keyboard.press("ArrowDown")
    page.keyboard.press(".")
    wait_for(lambda: stack.ask(f"/api/shots/{shot}")["document"]["range"]["last"] == 3, 20, "the range")

    # a glaze with a grade, chosen on the shelf and set by arrow keys
    press(page, "Add a plane")
    press(page, "glaze")
    expect(page.get_by_role("region", name="Bench").get_by_text("glaze").first).to_be_visible()
    page.keyboard.press("Escape")
    desk.saved()
    if page.get_by_role("article", name="Grade").count() == 0:
        page.keyboard.press("a")
        press(page, "grade")
    reach(page, "Grade: Exposure")
    while page.evaluate("document.activeElement.getAttribute('role')") != "slider":
        reach(page, "Grade: Exposure")
    for _ in range(10):
        page.keyboard.press("ArrowLeft")
    assert desk.number == 1004, "arrows on a slider do not change the frame"
    desk.saved()
    (glaze,) = (p for p in stack.ask(f"/api/shots/{shot}")["document"]["planes"] if p["kind"] == "glaze")
    assert glaze["treatments"][0]["params"]["exposure"] < 0

    press(page, "Export")
    press(page, "Start this export")
    save = page.get_by_role("region", name="Export").get_by_role("link", name="Save")
    expect(save).to_be_visible(timeout=60_000)
    with page.expect_download() as download:
        press(page, "Save")
    download.value.save_as(tmp_path / "result.mp4")
    assert probe(tmp_path / "result.mp4").frames == 4


def test_arrow_keys_in_the_view_switch_change_the_view_and_not_the_frame(desk: Desk, demo: int) -> None:
    desk.open(demo)
    page = desk.page
    result = page.get_by_role("radio", name="Result", exact=True)
    result.focus()
    page.keyboard.press("ArrowRight")
    expect(page.get_by_role("radio", name="Veil", exact=True)).to_be_checked()
    assert desk.number == 1001
    page.keyboard.press("ArrowLeft")
    expect(result).to_be_checked()


def test_undo_is_undo_on_another_layout(desk: Desk, stack: Stack, demo: int) -> None:
    desk.open(demo)
    page = desk.page
    desk.button("Hide Outline").click()
    desk.saved()
    # on this layout the key that writes z lies where others have y
    page.evaluate(
        """document.body.dispatchEvent(new KeyboardEvent("keydown",
            { key: "z", code: "KeyY", ctrlKey: true, bubbles: true, cancelable: true }))"""
    )
    expect(desk.button("Hide Outline")).to_be_visible()
    wait_for(lambda: stack.ask(f"/api/shots/{demo}")["history"]["redo"], 20, "the step back")
