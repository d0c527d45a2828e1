"""Takes the pictures of the README anew: `make pictures`, or `python -m tests.ui.pictures workspace stand` for some.

Each is the demo project as a person finds it, or one or two steps further, at 1280 x 800.
"""

from __future__ import annotations

import sys
import tempfile
import time
from collections.abc import Callable
from pathlib import Path

from playwright.sync_api import Browser, Page, Request, expect, sync_playwright

from tests.stack import Stack
from tests.ui.conftest import FLAGS, Desk

FOLDER = Path("docs/screenshots")
SIZE = {"width": 1280, "height": 800}
PAUSE, LOOKS = 800, 4  # milliseconds between two looks, and how many must be the same: a matte is checked after a while
PATIENCE = 90  # the most seconds until they are


def start(desk: Desk) -> None:
    desk.start()
    expect(desk.page.get_by_role("region", name="Harbour signals")).to_be_visible()


def project(desk: Desk) -> None:
    desk.project("Harbour signals", "Shots")
    desk.page.get_by_role("radio", name="name", exact=True).click()


def workspace(desk: Desk) -> None:
    shot(desk, "Shot 01", 28)
    desk.matte("Signaller")
    desk.page.keyboard.press("2")


def result(desk: Desk) -> None:
    shot(desk, "Shot 01", 48)
    desk.plane("Outline")
    desk.page.keyboard.press("1")


def unroll(desk: Desk) -> None:
    shot(desk, "Shot 01", 48)
    desk.matte("Signaller")
    desk.page.keyboard.press("5")


def shelf(desk: Desk) -> None:
    shot(desk, "Shot 01", 48)
    desk.plane("Outline")
    desk.page.keyboard.press("a")
    expect(desk.page.locator("[data-try] img").first).to_be_visible()


def versions(desk: Desk) -> None:
    shot(desk, "Shot 01", 48)
    desk.page.keyboard.press("v")
    panel = desk.page.get_by_role("region", name="Versions")
    panel.get_by_label("Name of the version").fill("as the school has it")
    panel.get_by_role("button", name="Keep").click()
    expect(panel.get_by_role("img")).to_have_count(1)
    desk.page.keyboard.press("Escape")
    desk.plane("Outline")
    desk.page.get_by_label("Glow outline: Starboard", exact=True).click()
    desk.saved()
    desk.page.keyboard.press("v")
    desk.button("Look at as the school has it").click()


def exports(desk: Desk) -> None:
    shot(desk, "Shot 01", 48)
    desk.button("Export", exact=True).click()
    panel = desk.page.get_by_role("region", name="Export")
    expect(panel.get_by_label("What to expect")).to_contain_text("frames, about", timeout=60_000)


def reel(desk: Desk) -> None:
    desk.project("Harbour signals", "Reels")
    desk.page.get_by_role("link", name="Four watches").click()
    expect(desk.page.get_by_label("Piece 4:")).to_be_visible()
    desk.button("Piece 2:").click()
    desk.go(120)
    # all small pictures of the sheet are here
    expect(desk.page.locator("[aria-label^='Piece 4:'] img").last).to_be_visible()
    desk.page.wait_for_timeout(6000)


def night(desk: Desk) -> None:
    desk.start()
    desk.page.evaluate("localStorage.setItem('night', '1')")
    shot(desk, "Shot 01", 48)


def shapes(desk: Desk) -> None:
    shot(desk, "Shot 03", 20)
    desk.matte("Red cloth")
    desk.page.keyboard.press("2")
    card = desk.card("Shapes")
    card.get_by_label("Name of About the flag").click()


def colour_key(desk: Desk) -> None:
    shot(desk, "Shot 03", 20)
    desk.matte("Red cloth")
    desk.page.keyboard.press("2")
    desk.card("Colour key")
    desk.page.keyboard.press("s")
    desk.pick("View on the right of the split", "result")


def take(desk: Desk) -> None:
    shot(desk, "Shot 32", 27)
    desk.plane("Take B")
    expect(desk.card("Join").get_by_role("status", name="Line-up")).to_contain_text("the join is not seen")
    desk.page.wait_for_timeout(8000)


def stand(desk: Desk) -> None:
    shot(desk, "Shot 09", 40)
    desk.plane("Signaller, 5 frames late")
    desk.page.keyboard.press("m")
    expect(desk.button("Signaller, 5 frames late: drag")).to_be_visible()


def curves(desk: Desk) -> None:
    stand(desk)
    desk.page.keyboard.press("c")
    expect(desk.page.get_by_role("group", name="Curves")).to_be_visible()


def sound(desk: Desk) -> None:
    """The morning reel: its wave and its cuts in the sheet, and what is heard of it."""
    shot(desk, "Shot 30", 60)
    desk.page.keyboard.press("q")
    expect(desk.page.get_by_role("region", name="Sound", exact=True)).to_be_visible()


def log(desk: Desk) -> None:
    """A clip in a camera's log, seen by a view, with its time code in the sheet and the views to choose from."""
    shot(desk, "Shot 31", 12)
    desk.plane("Dusk")
    desk.page.get_by_role("button", name="Time code").click()
    desk.page.get_by_label("Looked at").click()
    expect(desk.page.get_by_role("option").first).to_be_visible()


def looks(desk: Desk) -> None:
    """The looks that ship, each on this frame."""
    shot(desk, "Shot 01", 48)
    desk.page.keyboard.press("Shift+A")
    shelf = desk.page.get_by_role("region", name="Shelf of planes")
    shelf.get_by_role("button", name="Looks", exact=True).click()
    expect(shelf.locator("[data-try] img")).to_have_count(11, timeout=60_000)


def track(desk: Desk) -> None:
    """A patch that is followed past a porter, with its feature points."""
    shot(desk, "Shot 04", 32)
    desk.page.get_by_role("region", name="Tracks").get_by_role("button", name="Board").click()
    expect(desk.page.get_by_label("Feature point: press to leave it out").first).to_be_visible()


PICTURES: dict[str, Callable[[Desk], None]] = {
    one.__name__.replace("_", "-"): one
    for one in (
        start,
        project,
        workspace,
        result,
        unroll,
        shelf,
        exports,
        reel,
        night,
        shapes,
        colour_key,
        take,
        stand,
        curves,
        sound,
        looks,
        log,
        track,
        versions,  # from here on shots are no more as they were installed
    )
}


def shot(desk: Desk, name: str, frame: int) -> None:
    """Opens a shot of the demo at a frame, counted from 0."""
    desk.project("Harbour signals").get_by_role("link", name=name).first.click()
    expect(desk.canvas).to_have_attribute("data-frame", "0")
    desk.go(frame)


class Quiet:
    """Tells whether a page waits for anything; what it keeps listening to does not count."""

    def __init__(self, page: Page) -> None:
        self._open: set[Request] = set()
        page.on("request", lambda asked: "/events" in asked.url or self._open.add(asked))
        page.on("requestfinished", lambda asked: self._open.discard(asked))
        page.on("requestfailed", lambda asked: self._open.discard(asked))

    def __bool__(self) -> bool:
        return not self._open


def still(desk: Desk, quiet: Quiet) -> bytes:
    """The picture of the window once all that was asked for has come and nothing moves any more."""
    same, last, until = 0, b"", time.monotonic() + PATIENCE
    while time.monotonic() < until:
        desk.page.wait_for_timeout(PAUSE)
        now = desk.page.screenshot()
        same = same + 1 if quiet and now == last else 0
        if same == LOOKS:
            return now
        last = now
    raise SystemExit("The window did not come to rest.")


def take(browser: Browser, url: str, name: str) -> None:
    context = browser.new_context(viewport=SIZE)
    page = context.new_page()
    quiet, desk = Quiet(page), Desk(page, url)
    PICTURES[name](desk)
    page.evaluate("document.activeElement?.blur()")
    (FOLDER / f"{name}.png").write_bytes(still(desk, quiet))
    print(name, *desk.faults, flush=True)
    context.close()


def main() -> None:
    """Takes the pictures that are named on the command line, or all of them."""
    names = sys.argv[1:] or list(PICTURES)
    if unknown := set(names) - set(PICTURES):
        raise SystemExit(f"There is no picture {', '.join(sorted(unknown))}; there are {', '.join(PICTURES)}.")
    with tempfile.TemporaryDirectory(prefix="cuvrel-pictures-") as folder:
        stack = Stack(Path(folder), demo=True, clips=None)
        stack.start()
        try:
            with sync_playwright() as playwright:
                browser = playwright.chromium.launch(executable_path="/usr/bin/chromium", args=FLAGS)
                for name in names:
                    take(browser, stack.url, name)
        finally:
            stack.stop()


if __name__ == "__main__":
    main()
