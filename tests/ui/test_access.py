"""Every screen can be used by everybody: axe-core finds no serious fault, and all is reached by keyboard."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import pytest
from playwright.sync_api import Browser, Page, expect

from tests.stack import Stack
from tests.ui.conftest import Desk

AXE = Path(__file__).parents[2] / "frontend/node_modules/axe-core/axe.min.js"


ALL = ["wcag2a", "wcag2aa", "wcag21aa", "wcag22aa", "best-practice"]
LOOKS = ["color-contrast", "link-in-text-block"]  # what the night's colours have a part in


def serious(page: Page, night: bool = False, part: str = "") -> list[str]:
    """What is seriously wrong on the page, or in what was opened on it: the rest was looked at before."""
    if not page.evaluate("'axe' in window"):
        page.evaluate(AXE.read_text())
    only = {"type": "rule", "values": LOOKS} if night else {"type": "tag", "values": ALL}
    found: dict[str, Any] = page.evaluate("([part, only]) => axe.run(part || document, {runOnly: only})", [part, only])
    return [
        f"{fault['id']}: {fault['help']}: {[node['html'][:120] for node in fault['nodes']][:3]}"
        for fault in found["violations"]
        if fault["impact"] in ("serious", "critical")
    ]


@pytest.fixture
def window(browser: Browser, stack: Stack) -> Desk:
    return Desk(browser.new_context(viewport={"width": 1280, "height": 800}).new_page(), stack.url)


@pytest.mark.parametrize("night", [False, True])
def test_no_screen_has_a_serious_fault(window: Desk, demo: int, night: bool) -> None:
    page = window.page
    window.start()
    expect(page.get_by_role("region", name="Harbour signals")).to_be_visible()
    if night:
        page.evaluate("localStorage.setItem('night', '1')")
        page.reload()
        expect(page.get_by_role("region", name="Harbour signals")).to_be_visible()
    faults = {"start": serious(page, night)}
    window.project("Harbour signals", "Shots")
    faults["shots"] = serious(page, night)
    page.get_by_label("Choose Shot 01").first.check(force=True)
    window.button("Export …").click()
    expect(page.get_by_role("dialog")).to_be_visible()
    faults["exporting together"] = serious(page, night, "[role=dialog]")
    page.keyboard.press("Escape")
    window.button("Lay a look on …").click()
    expect(page.get_by_role("radio", name="Lamplit outline")).to_be_visible()
    faults["laying together"] = serious(page, night, "[role=dialog]")
    page.keyboard.press("Escape")
    page.get_by_role("radio", name="Footage").click()
    faults["footage of the project"] = serious(page, night)
    window.open(demo)
    faults["plane"] = serious(page, night)
    window.matte("Signaller")
    page.keyboard.press("PageDown")
    expect(page.get_by_role("article", name="Trace")).to_be_visible()
    faults["matte"] = serious(page, night)
    window.button("Export", exact=True).click()
    faults["exports"] = serious(page, night, ".room")
    page.keyboard.press("q")
    expect(page.get_by_role("region", name="Sound")).to_be_visible()
    faults["sound"] = serious(page, night, ".room")
    page.keyboard.press("w")
    expect(page.get_by_role("region", name="People")).to_be_visible()
    faults["people"] = serious(page, night, ".room")
    page.keyboard.press("x")
    expect(page.get_by_role("region", name="Cuts")).to_be_visible()
    faults["cuts"] = serious(page, night, ".room")
    page.keyboard.press("v")
    panel = page.get_by_role("region", name="Versions")
    panel.get_by_label("Name of the version").fill("seen")
    page.keyboard.press("Enter")
    window.button("Forget seen").click()
    expect(page.get_by_role("dialog")).to_be_visible()
    faults["asking"] = serious(page, night, "[role=dialog]")
    page.keyboard.press("Escape")
    faults["versions"] = serious(page, night, ".room")
    window.button("Forget seen").click()
    page.get_by_role("dialog").get_by_role("button", name="Forget").click()
    expect(panel.get_by_text("No version yet")).to_be_visible()
    window.button("Footage", exact=True).click()
    faults["footage"] = serious(page, night, ".room")
    page.keyboard.press("Escape")
    # the stand: a keyed plane with its placement, its curves, and the way to let it arrive
    window.plane("Outline")
    page.keyboard.press("m")
    expect(page.get_by_role("button", name="Outline: drag")).to_be_visible()
    faults["placing"] = serious(page, night, "main")
    window.card("Placement")
    window.button("More for Placement").click()
    faults["menu"] = serious(page, night, "[role=menu]")
    page.keyboard.press("Escape")
    page.keyboard.press("c")
    expect(page.get_by_role("group", name="Curves")).to_be_visible()
    faults["curves"] = serious(page, night, "[aria-label=Bench]")
    page.keyboard.press("c")
    window.card("Glow outline")
    window.button("More for Glow outline").click()
    page.get_by_role("menuitem", name="Arrive").click()
    expect(page.get_by_role("dialog")).to_be_visible()
    faults["arriving"] = serious(page, night, "[role=dialog]")
    page.keyboard.press("Escape")
    page.get_by_role("button", name="Treatment").click()
    expect(page.get_by_role("region", name="Shelf of treatments")).to_be_visible()
    faults["shelf"] = serious(page, night, "[aria-label='Shelf of treatments']")
    page.keyboard.press("Escape")
    page.keyboard.press("?")
    expect(page.get_by_role("dialog")).to_be_visible()
    faults["keys"] = serious(page, night, "[role=dialog]")
    page.context.close()
    assert {name: found for name, found in faults.items() if found} == {}


def test_everything_in_the_workspace_is_reached_by_tab(window: Desk, demo: int) -> None:
    window.open(demo)
    page = window.page
    seen: set[str] = set()
    for _ in range(160):
        page.keyboard.press("Tab")
        seen.add(
            page.evaluate(
                "document.activeElement.getAttribute('aria-label') || document.activeElement.textContent.trim()"
            )
        )
    for wanted in ("Export", "Frame", "Picture", "Play", "Add a plane", "Hide Plate", "Name", "All keys"):
        assert wanted in seen, sorted(seen)
    page.context.close()


@pytest.mark.parametrize("size", [(1280, 800), (1920, 1080)])
def test_nothing_is_cut_off_at_either_size(browser: Browser, stack: Stack, demo: int, size: tuple[int, int]) -> None:
    page = browser.new_context(viewport={"width": size[0], "height": size[1]}).new_page()
    Desk(page, stack.url).open(demo)
    wide = page.evaluate("[document.documentElement.scrollWidth, document.documentElement.scrollHeight]")
    assert tuple(wide) == size
    for name in ("Export", "Undo", "All keys"):
        box = page.get_by_role("button", name=name, exact=True).bounding_box()
        assert box is not None
        assert box["x"] >= 0
        assert box["x"] + box["width"] <= size[0]
    page.context.close()
