"""The picture keeps to the playhead, whatever comes late or not at all."""

from __future__ import annotations

import re

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
    late = held_back(desk.page, r"keys\?view=[^&]*veil.*first=3&last=3&")
    desk.page.keyboard.press("2")
    own = come(desk.page, late)
    desk.page.keyboard.press("ArrowDown")
    expect(desk.canvas).to_have_attribute("data-frame", "4")
    assert len(late) == 1
    with desk.page.expect_response("**/keys?*first=0&*"):  # those of all frames follow the frame's own
        own.continue_()
    expect(desk.canvas).to_have_attribute("data-frame", "4")


def test_keys_that_are_forgotten_while_a_picture_is_on_its_way(desk: Desk, demo: int) -> None:
    desk.open(demo)
    own, everyone, picture = (
        held_back(desk.page, pattern)
        for pattern in (r"keys\?view=[^&]*veil.*first=0&last=0&", r"keys\?view=[^&]*veil.*first=0&last=[1-9]",
                        r"picture/.*view=[^&]*veil.*frame=1&")
    )  # fmt: skip
    desk.matte("Signaller")
    first = come(desk.page, own)
    desk.page.keyboard.press("ArrowDown")
    wanted = come(desk.page, picture)
    # frame 0 has another key in this view: all that were known before are forgotten, and then all are asked for ...
    first.continue_()
    rest = come(desk.page, everyone)
    # ... which comes too late for the picture
    wanted.continue_()
    expect(desk.canvas).to_have_attribute("data-frame", "1")
    rest.continue_()


def held_back(page: Page, pattern: str) -> list[Route]:
    """The requests of a pattern as they come: they wait until somebody lets them go on."""
    held = list[Route]()
    page.route(re.compile(pattern), lambda route: held.append(route))
    return held


def come(page: Page, held: list[Route]) -> Route:
    """The first one that is held back, once it has come."""
    wait_for(lambda: page.evaluate("true") and held, what="a request")  # while it evaluates, the page is listened to
    return held[0]
