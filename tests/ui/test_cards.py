"""Every card of every kind, opened on the bench: nothing overlaps, nothing is cut, nothing scrolls sideways."""

from __future__ import annotations

from typing import Any

import pytest
from playwright.sync_api import Page

from cuvrel.core import catalogue
from tests.conftest import Clip
from tests.stack import Stack
from tests.ui.conftest import Desk

# of each open card: what lies over one another, what is out of it, what is cut and what scrolls to the side
FAULTS = """() => [...document.querySelectorAll("[aria-label=Bench] article")].flatMap((card) => {
    const name = card.getAttribute("aria-label"), found = [];
    const own = card.getBoundingClientRect();
    const seen = (one) => { const r = one.getBoundingClientRect(); return r.width > 0 && r.height > 0; };
    const says = (one) => one.getAttribute("aria-label") || one.textContent.trim().slice(0, 40) || one.tagName;
    for (const one of card.querySelectorAll("div"))
        if (["auto", "scroll"].includes(getComputedStyle(one).overflowX) && one.scrollWidth > one.clientWidth + 1)
            found.push(`${name}: scrolls to the side by ${one.scrollWidth - one.clientWidth}`);
    const things = [...card.querySelectorAll("button, input, select, img, canvas, svg[role], [data-slider-root]")]
        .filter((one) => seen(one) && !one.closest("[data-slider-root] *") && getComputedStyle(one).opacity !== "0");
    for (const [n, one] of things.entries()) {
        const a = one.getBoundingClientRect();
        if (a.left < own.left - 1 || a.right > own.right + 1) found.push(`${name}: ${says(one)} is out of the card`);
        for (const other of things.slice(n + 1)) {
            if (one.contains(other) || other.contains(one)) continue;
            const b = other.getBoundingClientRect();
            const wide = Math.min(a.right, b.right) - Math.max(a.left, b.left);
            const high = Math.min(a.bottom, b.bottom) - Math.max(a.top, b.top);
            if (wide > 2 && high > 2) found.push(`${name}: ${says(one)} lies over ${says(other)}`);
        }
    }
    for (const one of card.querySelectorAll("h2, label, span, button"))
        if (seen(one) && getComputedStyle(one).textOverflow === "ellipsis" && one.scrollWidth > one.clientWidth + 1)
            found.push(`${name}: "${one.textContent.trim()}" is cut`);
    return found;
})"""


def faults(page: Page) -> list[str]:
    """What is wrong with the open cards once they are laid out: what they hold may come a moment later."""
    found: list[str] = []
    for _ in range(12):
        found = page.evaluate(FAULTS)
        if not found:
            break
        page.wait_for_timeout(150)
    return found


def of_family(family: str) -> list[str]:
    return [one["kind"] for one in catalogue.describe() if one["family"] == family]


@pytest.fixture
def crowded(stack: Stack, clip: Clip) -> int:
    """A shot with a plane of every kind, a matte with every pull, a plane with every treatment, and every track."""
    project = stack.ask("/api/projects", {"name": "Crowded"})["id"]
    film = stack.upload(project, clip.path)["id"]
    shot = stack.ask(f"/api/projects/{project}/shots", {"name": "Crowded", "footage": film})
    pulls = [{"id": f"pull-{kind}", "kind": kind} for kind in of_family("pull")]
    steps = [{"id": f"step-{kind}", "kind": kind} for kind in of_family("treatment")]
    gate = {"matte": "m", "part": "rim"}
    planes = [
        {"id": f"plane-{kind}", "name": f"A {kind}", "kind": kind, "gate": gate,
         **({"matte": "m"} if kind in ("cutout", "line") else {})}
        for kind in of_family("plane")
    ]  # fmt: skip
    full = {"id": "full", "name": "All treatments", "kind": "plate", "gate": gate, "treatments": steps}
    box = [[20, 20], [60, 20], [60, 50], [20, 50]]
    tracks = [
        {"id": f"track-{kind}", "name": f"By {kind}", "kind": kind, "frame": 0, "points": points}
        for kind, points in (("point", box[:1]), ("region", box), ("patch", box))
    ]
    ops = [
        *({"op": "add", "path": "/tracks/-", "value": one} for one in tracks),
        {"op": "add", "path": "/mattes/-", "value": {"id": "m", "name": "Signaller", "pulls": pulls}},
        *({"op": "add", "path": "/planes/-", "value": one} for one in (*planes, full)),
    ]
    ask = {"revision": shot["revision"], "ops": ops, "label": "all there is"}
    stack.ask(f"/api/shots/{shot['id']}/edits", ask)
    return int(shot["id"])


def opened(desk: Desk, ident: str) -> None:
    """Opens a card by the id of its spine, if it is not open."""
    spine = desk.page.locator(f'[data-spine="{ident}"]')
    if spine.count():
        spine.first.click(force=True)
    desk.page.wait_for_timeout(120)


@pytest.mark.parametrize("size", [(1280, 800), (1024, 700)], ids=["1280", "1024"])
def test_every_card_has_room_for_what_is_in_it(desk: Desk, crowded: int, size: tuple[int, int]) -> None:
    page, found = desk.page, list[Any]()
    page.set_viewport_size({"width": size[0], "height": size[1]})
    desk.open(crowded)
    desk.matte("Signaller")
    for kind in of_family("pull"):
        opened(desk, f"pull-{kind}")
        found += faults(page)
    opened(desk, "edge")
    found += faults(page)
    desk.plane("All treatments")
    for kind in of_family("treatment"):
        opened(desk, f"step-{kind}")
        assert page.evaluate("document.querySelectorAll('[aria-label=Bench] article').length")
        found += faults(page)
    for kind in of_family("plane"):
        desk.plane(f"A {kind}")
        for part in ("plane", "time", "placement"):
            opened(desk, part)
            found += faults(page)
    for kind in ("point", "region", "patch"):
        page.get_by_role("region", name="Tracks").get_by_text(f"By {kind}").first.click()
        page.wait_for_timeout(150)
        assert page.evaluate("document.querySelectorAll('[aria-label=Bench] article').length")
        found += faults(page)
    assert not found, "\n".join(sorted(set(found)))
