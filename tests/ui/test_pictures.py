"""The picture keeps to the playhead, whatever comes late or not at all."""

from __future__ import annotations

from playwright.sync_api import Route, expect

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
    late = list[Route]()
    desk.page.route("**/keys?*first=3&last=3&*", lambda route: late.append(route))
    desk.page.keyboard.press("2")
    desk.page.keyboard.press("ArrowDown")
    expect(desk.canvas).to_have_attribute("data-frame", "4")
    assert len(late) == 1
    with desk.page.expect_response("**/keys?*first=0&*"):  # those of all frames follow the frame's own
        late[0].continue_()
    expect(desk.canvas).to_have_attribute("data-frame", "4")


def test_keys_that_are_forgotten_while_a_picture_is_on_its_way(desk: Desk, demo: int) -> None:
    desk.open(demo)
    page = desk.page
    held: dict[str, Route] = {}
    page.route("**/keys?view=veil*first=0&last=0&*", lambda route: held.update(keys=route))
    page.route("**/picture/*view=veil*frame=1&*", lambda route: held.update(picture=route))
    with page.expect_request("**/keys?view=veil*first=0&last=0&*"):
        desk.matte("Signaller")
    with page.expect_request("**/picture/*view=veil*frame=1&*"):
        page.keyboard.press("ArrowDown")
    page.wait_for_timeout(50)
    # frame 0 has another key in this view: every key that was known before is forgotten, and this comes ...
    with page.expect_response("**/keys?view=veil*first=0&last=0&*") as answered:
        held["keys"].continue_()
    answered.value.finished()
    page.wait_for_timeout(50)
    # ... before the picture, which is wanted still
    held["picture"].continue_()
    expect(desk.canvas).to_have_attribute("data-frame", "1")
