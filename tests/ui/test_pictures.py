"""The picture keeps to the playhead, whatever comes late or not at all."""

from __future__ import annotations

import re
from collections.abc import Callable

from playwright.sync_api import Page, Route, expect

from tests.stack import wait_for
from tests.ui.conftest import Desk


def test_a_picture_that_did_not_come_is_asked_for_again(desk: Desk, demo: int) -> None:
    desk.open(demo)
    refused = list[str]()

    def gone(route: Route) -> None:
        if len(refused) < 2:
            refused.append(route.request.url)
            route.fulfill(status=404, json={"message": "The shot has changed; ask for the keys again."})
        else:
            route.continue_()

    desk.page.route("**/picture/*frame=7&*", gone)
    desk.go(7)
    assert len(refused) == 2


def test_keys_that_come_late_do_not_take_the_picture_back(desk: Desk, demo: int) -> None:
    desk.open(demo)
    desk.go(3)
    late = held_back(desk.page, r"keys\?.*first=3&last=3&")
    desk.page.keyboard.press("2")
    own = late()
    desk.page.keyboard.press("ArrowDown")
    expect(desk.canvas).to_have_attribute("data-frame", "4")
    with desk.page.expect_response("**/keys?*first=0&*"):  # those of all frames follow the frame's own
        own.continue_()
    expect(desk.canvas).to_have_attribute("data-frame", "4")


def test_keys_that_are_forgotten_while_a_picture_is_on_its_way(desk: Desk, demo: int) -> None:
    desk.open(demo)
    own, everyone, picture = (
        held_back(desk.page, pattern)
        for pattern in (r"keys\?view=veil.*first=0&last=0&", r"keys\?view=veil.*first=0&last=[1-9]",
                        r"picture/.*view=veil.*frame=1&")
    )  # fmt: skip
    desk.matte("Signaller")
    first = own()
    desk.page.keyboard.press("ArrowDown")
    wanted = picture()
    # frame 0 has another key in this view: all that were known before are forgotten, and then all are asked for ...
    first.continue_()
    rest = everyone()
    # ... which comes too late for the picture
    wanted.continue_()
    expect(desk.canvas).to_have_attribute("data-frame", "1")
    rest.continue_()


def held_back(page: Page, pattern: str) -> Callable[[], Route]:
    """Holds a request back, any that comes later not; what is given waits for it."""
    held = list[Route]()
    page.route(re.compile(pattern), lambda route: route.continue_() if held else held.append(route))

    def came() -> Route:
        wait_for(lambda: page.evaluate("true") and held, what=pattern)  # while it evaluates, the page is listened to
        return held[0]

    return came
