"""The real interface in headless Chromium, on the whole program with its demo project."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from pathlib import Path

import pytest
from playwright.sync_api import Browser, BrowserContext, JSHandle, Locator, Page, expect, sync_playwright

from tests.shared import shared
from tests.stack import Stack

# a browser in a closed network looks for nothing outside
FLAGS = [
    "--no-sandbox", "--disable-gpu", "--disable-quic", "--no-first-run", "--disable-background-networking",
    "--disable-component-update", "--disable-sync",
]  # fmt: skip
expect.set_options(timeout=30_000)


@pytest.fixture(scope="session")
def stack(tmp_path_factory: pytest.TempPathFactory) -> Iterator[Stack]:
    """The program with its demo project, which is made once and copied for each worker."""

    def make(folder: Path) -> None:
        first = Stack(folder, demo=True)
        first.start()
        first.stop()

    found = Stack(tmp_path_factory.mktemp("ui"), demo=True, like=shared(tmp_path_factory, "demo", make) / "var")
    found.start()
    yield found
    found.stop()


@pytest.fixture(scope="session")
def browser() -> Iterator[Browser]:
    with sync_playwright() as playwright:
        found = playwright.chromium.launch(executable_path="/usr/bin/chromium", args=FLAGS)
        yield found
        found.close()


RESTING = ("Placement", "Time")  # what lies in one spine while it changes nothing


def dragged(page: Page, files: dict[str, bytes]) -> JSHandle:
    """Files by their names, as a pointer brings them."""
    return page.evaluate_handle(
        """(files) => {
            const data = new DataTransfer();
            for (const [name, bytes] of files) data.items.add(new File([new Uint8Array(bytes)], name));
            return data;
        }""",
        [[name, list(data)] for name, data in files.items()],
    )


class Desk:
    """A person at the workspace: what they press, draw and see."""

    def __init__(self, page: Page, url: str) -> None:
        self.page, self.url = page, url
        self.faults: list[str] = []
        page.on("pageerror", lambda error: self.faults.append(str(error)))
        page.on("response", lambda got: self.faults.append(f"{got.status} {got.url}") if got.status >= 500 else None)

    def start(self) -> None:
        self.page.goto(self.url)

    def open(self, shot: int) -> Desk:
        self.page.goto(f"{self.url}/#/shot/{shot}")
        expect(self.canvas).to_have_attribute("data-frame", "0")
        return self

    @property
    def canvas(self) -> Locator:
        return self.page.get_by_label("Frame as it is shown")

    @property
    def number(self) -> int:
        return int(self.page.locator("output.number").inner_text())

    def button(self, name: str, exact: bool = False) -> Locator:
        return self.page.get_by_role("button", name=name, exact=exact)

    def saved(self) -> None:
        expect(self.page.get_by_text("All saved")).to_be_visible()

    def matte(self, name: str) -> None:
        self.page.get_by_role("region", name="Mattes").get_by_role("button", name=name).first.click()

    def project(self, name: str, part: str = "") -> Locator:
        """The page of a project, come to by its card; part: "Shots" or "Footage"."""
        self.start()
        self.page.get_by_role("region", name=name, exact=True).first.get_by_role("link").first.click()
        expect(self.page.get_by_role("heading", level=1, name=name)).to_be_visible()
        if part:
            self.page.get_by_role("radio", name=part).click()
        return self.page.get_by_role("region", name=name, exact=True)

    def plane(self, name: str) -> None:
        self.page.get_by_role("region", name="Stand").locator("[data-pick]").filter(has_text=name).first.click()

    def add_plane(self, kind: str) -> None:
        self.button("Add a plane").click()
        self.page.locator("[data-try]").filter(has_text=kind).first.click()

    def card(self, name: str) -> Locator:
        """A card of the bench, opened where it is folded."""
        spine = self.page.locator("[data-spine]").filter(has_text=name.lower() if name in RESTING else name)
        found = self.page.get_by_role("article", name=name, exact=True)
        expect(spine.or_(found).first).to_be_visible()
        if not found.count():
            spine.first.click()
        expect(found).to_be_visible()
        return found

    def lay_on(self, name: str) -> None:
        """Chooses a pull or a treatment on the shelf."""
        bench = self.page.get_by_role("region", name="Bench")
        bench.get_by_role("button", name="Treatment").or_(bench.get_by_role("button", name="Pull", exact=True)).click()
        self.page.locator("[data-try]").filter(has_text=name).first.click()

    def pick(self, label: str, option: str | int) -> None:
        """Chooses from a list, by what is written there or by its place."""
        self.page.get_by_label(label, exact=True).click()
        found = self.page.get_by_role("option")
        (found.nth(option) if isinstance(option, int) else found.get_by_text(option, exact=True)).click()

    def go(self, frame: int) -> None:
        """To a frame, counted from 0, by keys."""
        sheet = self.page.get_by_role("slider", name="Frame", exact=True)
        sheet.focus()
        self.page.keyboard.press("Home")
        for _ in range(frame):
            self.page.keyboard.press("ArrowDown")
        expect(self.page.locator("output.number")).to_have_text(str(1001 + frame))
        expect(self.canvas).to_have_attribute("data-frame", str(frame))

    def place(self, x: float, y: float) -> tuple[float, float]:
        """Where a point of the plate lies on the screen."""
        picture = self.page.get_by_role("region", name="Picture")
        box = picture.bounding_box()
        assert box is not None
        scale, left, top = (float(str(picture.get_attribute(f"data-{k}"))) for k in ("scale", "left", "top"))
        return box["x"] + left + x * scale, box["y"] + top + y * scale

    def draw(self, points: Sequence[Sequence[float]], kind: str = "in") -> None:
        """A stroke in plate pixels with the mark tool of this kind."""
        name = "In mark: on the subject" if kind == "in" else "Out mark: not the subject"
        self.page.get_by_role("radio", name=name).click()
        self.stroke(points)

    def drag(self, points: Sequence[Sequence[float]]) -> None:
        """Takes the outline along, in plate pixels."""
        self.page.get_by_role("radio", name="Drag: takes the outline along").click()
        self.stroke(points)

    def carry(self, thing: Locator, to: Locator, part: float = 0.5) -> None:
        """Takes a thing by its middle to a place in another one, that part of it down."""
        start, end = thing.bounding_box(), to.bounding_box()
        assert start is not None
        assert end is not None
        mouse = self.page.mouse
        mouse.move(start["x"] + start["width"] / 2, start["y"] + start["height"] / 2)
        mouse.down()
        mouse.move(end["x"] + end["width"] / 2, end["y"] + part * end["height"], steps=12)
        mouse.up()

    def stroke(self, points: Sequence[Sequence[float]]) -> None:
        """A stroke in plate pixels with the tool that is in the hand."""
        on_screen = [self.place(*point) for point in points]
        self.page.mouse.move(*on_screen[0])
        self.page.mouse.down()
        for point in on_screen[1:]:
            self.page.mouse.move(*point, steps=6)
        self.page.mouse.up()

    def new_picture(self, before: str | None) -> str:
        """The key of the shown picture once it is another than `before`."""
        expect(self.canvas).not_to_have_attribute("data-key", before or "")
        return self.key()

    def key(self) -> str:
        return str(self.canvas.get_attribute("data-key"))


@pytest.fixture
def context(browser: Browser) -> Iterator[BrowserContext]:
    found = browser.new_context(viewport={"width": 1280, "height": 800}, accept_downloads=True)
    yield found
    found.close()


@pytest.fixture
def desk(context: BrowserContext, stack: Stack) -> Iterator[Desk]:
    """A person's window; a fault that the page reports in its console fails the test."""
    found = Desk(context.new_page(), stack.url)
    yield found
    assert not found.faults, found.faults


@pytest.fixture
def demo(stack: Stack) -> Iterator[int]:
    """A copy of the demo shot, as it was installed, for one test."""
    project = next(p for p in stack.ask("/api/projects")["projects"] if p["name"] == "Harbour signals")
    made = int(stack.post(f"/api/shots/{project['shots'][0]['id']}/copy")["id"])
    yield made
    for rest in ("", "?for_good=true"):
        stack.ask(f"/api/shots/{made}{rest}", method="DELETE")
