"""Reels: what a frame costs beside what it shows, how soon a long one opens, and how soon it answers the hand."""

from __future__ import annotations

import tempfile
import time
from pathlib import Path
from statistics import median
from typing import Any

import numpy as np
from playwright.sync_api import sync_playwright
from tests.stack import Stack
from tests.ui.conftest import FLAGS

from bench.speed import say
from cuvrel.core.recipe.check import read_shot
from cuvrel.core.recipe.models import Footage, Shot
from cuvrel.core.recipe.new_plane import begun_shot
from cuvrel.core.recipe.reel import Reel, begun_reel
from cuvrel.core.stand.build import Stand
from cuvrel.core.stand.nodes import Cache, work_out
from cuvrel.core.stand.sources import FrameSources
from cuvrel.demo.morning import clapper

WIDE, HIGH = 1280, 720
PIECES, EACH = 200, 100
GRADE = {"id": "g", "name": "Grade", "kind": "glaze", "treatments": [
    {"id": "s", "kind": "grade", "params": {"exposure": 0.5}}, {"id": "b", "kind": "blur", "params": {"radius": 6.0}},
]}  # fmt: skip


def _shot(n: int) -> tuple[Shot, FrameSources]:
    plate = Footage(id=f"f{n}", name="f", hash="0" * 40, width=WIDE, height=HIGH, frames=48, fps=24)
    document = begun_shot(f"Shot {n}", plate)
    document["planes"].insert(0, GRADE)
    picture = np.random.default_rng(n).integers(0, 255, (HIGH, WIDE, 3), np.uint8)
    return read_shot(document), FrameSources(lambda _, frame: np.roll(picture, frame, 1))


def _reel(shots: list[Shot], pieces: list[dict[str, Any]]) -> Reel:
    document = begun_reel("Reel")
    about = {"hash": "", "shot": True, "width": WIDE, "height": HIGH, "frames": 48, "fps": 24}
    document["footage"] = [{"id": f"s{n}", "name": one.name, **about} for n, one in enumerate(shots)]
    document["pieces"] = [{"id": f"p{n}", "first": 0, "last": 47, **one} for n, one in enumerate(pieces)]
    found = read_shot(document)
    assert isinstance(found, Reel)
    return found


def _spent(stand: Stand, frames: range) -> float:
    """Milliseconds of a frame, with nothing cached."""
    spent = []
    for frame in frames:
        cache, node = Cache(1 << 30), stand.result(frame)
        begun = time.perf_counter()
        work_out(node, cache)
        spent.append(1000 * (time.perf_counter() - begun))
    return median(spent)


def costs() -> None:
    """A frame of a reel beside the frames of its shots."""
    made = [_shot(n) for n in range(2)]
    shots, inside = [one for one, _ in made], {f"s{n}": one for n, one in enumerate(made)}
    alone = [Stand(*one) for one in made]
    for stand in alone:
        work_out(stand.result(0), Cache(1 << 30))  # kernels are compiled by then
    ways: list[tuple[str, dict[str, Any], dict[str, Any], range, int]] = [
        ("a cut, at rest", {}, {}, range(4, 12), 1),
        ("pushed in, not blurred", {"kind": "push in", "shutter": 0.0}, {}, range(4, 12), 1),
        ("pushed in, 12 samples of blur", {"kind": "push in"}, {}, range(4, 12), 1),
        ("mixed", {}, {"kind": "mix", "length": 12.0}, range(38, 46), 2),
        ("pushed out, 12 samples of blur", {}, {"kind": "push", "length": 12.0}, range(38, 46), 2),
    ]
    for name, move, join, frames, shown in ways:
        pieces = [{"shot": "s0", "move": move}, {"shot": "s1", "move": move, "join": join}]
        reel = Stand(_reel(shots, pieces), FrameSources(lambda _, n: np.zeros((2, 2, 3), np.uint8), shots=inside))
        _spent(reel, frames[:2])
        sums = sum(_spent(stand, range(4, 12)) for stand in alone[:shown])
        here = _spent(reel, frames)
        say(f"{name}: a frame beside the sum of what it shows", here / sums, "times", "1.1")


def long_reel() -> None:
    """A reel of 200 pieces and 20,000 frames in a browser: opened, a piece dragged."""
    with tempfile.TemporaryDirectory(prefix="cuvrel-bench-") as folder, sync_playwright() as playwright:
        Path(folder).chmod(0o755)
        stack = Stack(Path(folder), demo=False)
        stack.start()
        browser = playwright.chromium.launch(executable_path="/usr/bin/chromium", args=FLAGS)
        try:
            project = stack.ask("/api/projects", {"name": "Long"})["id"]
            footage = stack.upload(project, clapper(Path(folder) / "clapper.mp4", EACH, 20))
            shots = [
                stack.ask(f"/api/projects/{project}/shots", {"name": f"Shot {n}", "footage": footage["id"]})["id"]
                for n in range(10)
            ]
            wanted = [shots[n % 10] for n in range(PIECES)]
            reel = stack.ask(f"/api/projects/{project}/reels", {"name": "Long", "shots": wanted})["id"]
            page = browser.new_context(viewport={"width": 1280, "height": 800}).new_page()
            seen = 'canvas[aria-label="Frame as it is shown"][data-frame="0"]'
            opened = []
            for _ in range(4):
                page.goto("about:blank")
                begun = time.perf_counter()
                page.goto(f"{stack.url}/#/shot/{reel}")
                page.wait_for_selector("[aria-label^='Piece 200:']", state="attached")
                page.wait_for_selector(seen)
                opened.append(1000 * (time.perf_counter() - begun))
            say(f"{PIECES} pieces, {PIECES * EACH} frames: opened", median(opened[1:]), "ms", "1000")
            # from the move of the hand that trims a piece to the next drawing
            drawn = page.evaluate(
                """async () => {
                  const sheet = document.querySelector('[data-trim="last 100"]')
                    ?? document.querySelector("[aria-label^='Piece 101:']");
                  const out = [];
                  const at = sheet.getBoundingClientRect();
                  const send = (kind, y) => sheet.dispatchEvent(new PointerEvent(kind, { bubbles: true, button: 0,
                    pointerId: 1, clientX: at.x + 20, clientY: y }));
                  Element.prototype.setPointerCapture = () => {};
                  send("pointerdown", at.y + 2);
                  for (let n = 1; n < 12; n++) {
                    const begun = performance.now();
                    send("pointermove", at.y + 2 + 3 * n);
                    await new Promise((done) => requestAnimationFrame(() => setTimeout(done)));
                    out.push(performance.now() - begun);
                  }
                  send("pointerup", at.y + 40);
                  return out.sort((a, b) => a - b)[Math.floor(out.length / 2)];
                }"""
            )
            say("a piece under the hand: from its move to the drawing", float(drawn), "ms", "100")
            page.goto("about:blank")
            time.sleep(3)  # what the hand did is on its way still
            answered = []
            for n in range(8):
                revision = stack.ask(f"/api/shots/{reel}")["revision"]
                ops = [{"op": "replace", "path": "/pieces/100/last", "value": 60 + n}]
                begun = time.perf_counter()
                stack.ask(f"/api/shots/{reel}/edits", {"revision": revision, "ops": ops})
                answered.append(1000 * (time.perf_counter() - begun))
            say("an edit of a piece, on the server", median(answered), "ms", "100")
        finally:
            browser.close()
            stack.stop()


def run() -> None:
    """Prints all of them."""
    costs()
    long_reel()
