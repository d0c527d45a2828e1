"""The desk in a browser: how soon it shows a frame, and whether it plays what is here without dropping one.

Measured in headless Chromium, which draws in software on the same two cores that compute the pictures.
"""

from __future__ import annotations

import tempfile
import time
from pathlib import Path
from statistics import median

from playwright.sync_api import Page, sync_playwright
from tests.stack import Stack
from tests.ui.conftest import FLAGS

from bench.speed import say

RATE, SECONDS = 60, 5
# counts the frames that the canvas shows while it plays, once each time the screen is drawn
COUNT = """(seconds) => new Promise((done) => {
    const canvas = document.querySelector('canvas[aria-label="Frame as it is shown"]');
    const count = 1 + Math.max(...[...document.querySelectorAll('[data-time]')].map((s) =>
        s.getAttribute('aria-valuemax') - s.getAttribute('aria-valuemin')));
    let [last, shown, skipped, drawn, begun] = [null, 0, 0, 0, performance.now()];
    const look = (now) => {
        const frame = Number(canvas.dataset.frame);
        if (last !== null && frame !== last) {
            shown++;
            skipped += (frame - last + count) % count - 1;
        }
        last = frame;
        drawn++;
        if (now - begun < seconds * 1000) requestAnimationFrame(look);
        else done({ shown, skipped, drawn, seconds: (now - begun) / 1000 });
    };
    requestAnimationFrame(look);
})"""


def _first_frame(page: Page, url: str) -> float:
    page.goto("about:blank")
    begun = time.perf_counter()
    page.goto(url)
    page.wait_for_selector('canvas[aria-label="Frame as it is shown"][data-frame="0"]')
    return 1000 * (time.perf_counter() - begun)


def run() -> None:
    """Prints the time to the first frame, and what playing shows."""
    with tempfile.TemporaryDirectory(prefix="cuvrel-bench-") as folder, sync_playwright() as playwright:
        Path(folder).chmod(0o755)
        stack = Stack(Path(folder), demo=True, compiled=False)
        stack.start()
        browser = playwright.chromium.launch(executable_path="/usr/bin/chromium", args=FLAGS)
        try:
            page = browser.new_context(viewport={"width": 1280, "height": 800}).new_page()
            shot = f"{stack.url}/#/shot/1"
            say("first frame, nothing cached", _first_frame(page, shot), "ms", "-")
            say("first frame, opened again", median(_first_frame(page, shot) for _ in range(5)), "ms", "-")
            _play(page, stack, shot)
        finally:
            browser.close()
            stack.stop()


def _play(page: Page, stack: Stack, shot: str) -> None:
    """The plate alone, at 60 frames a second, once all of it is here."""
    about = stack.ask("/api/shots/1")
    planes = about["document"]["planes"]
    ops = [
        {"op": "replace", "path": f"/planes/{n}/on", "value": plane["kind"] == "plate"}
        for n, plane in enumerate(planes)
    ]
    ops.append({"op": "replace", "path": "/format/fps", "value": RATE})
    stack.ask("/api/shots/1/edits", {"revision": about["revision"], "ops": ops, "label": "plate alone"})
    page.goto("about:blank")
    page.goto(shot)
    page.wait_for_selector('canvas[data-frame="0"]')
    page.keyboard.press("Space")
    begun = time.perf_counter()
    page.wait_for_function("() => !document.querySelector('.filling')", timeout=120_000)
    page.wait_for_timeout(8000)
    say("filling ahead and playing in", time.perf_counter() - begun, "s", "-")
    found = page.evaluate(COUNT, SECONDS)
    print(
        f"  playing at {RATE}/s for {found['seconds']:.1f} s: {found['shown']} frames shown, {found['skipped']} skipped"
    )
    print(f"  the screen was drawn {found['drawn']} times meanwhile")
