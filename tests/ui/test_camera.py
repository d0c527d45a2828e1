"""A camera by hand: solved, its space laid out, and a card stood in it by a press."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest
from playwright.sync_api import expect

from tests.moving import way, write
from tests.stack import Stack, wait_for
from tests.ui.conftest import Desk

FRAMES = 24


@pytest.fixture
def walk(desk: Desk, stack: Stack, tmp_path: Path) -> int:
    """A shot of a walk along a made-up street, opened."""
    project = stack.ask("/api/projects", {"name": "Street"})["id"]
    footage = stack.upload(project, write(tmp_path / "street.mp4", FRAMES))
    shot = int(stack.ask(f"/api/projects/{project}/shots", {"name": "Walk", "footage": footage["id"]})["id"])
    desk.open(shot)
    return shot


def test_a_camera_is_solved_and_a_card_stands_in_its_scene(desk: Desk, stack: Stack, walk: int) -> None:
    page = desk.page
    desk.button("Add a track").click()
    page.get_by_role("menuitem", name="Camera").click()
    desk.button("Solve", exact=True).click()
    scene = f"/api/shots/{walk}"
    wait_for(lambda: stack.ask(f"{scene}")["document"]["tracks"], 20, "a camera")
    track = stack.ask(scene)["document"]["tracks"][0]["id"]
    wait_for(lambda: stack.ask(f"{scene}/tracks/{track}/scene")["solved"], 120, "a solved camera")
    # its points are on the picture; two that are chosen are told to be so far apart
    points = page.get_by_label("Point").and_(page.locator(".point"))
    expect(points.first).to_be_visible(timeout=20_000)
    if desk.button("Open Space").count():
        desk.button("Open Space").click()
    expect(page.get_by_label("The space from above; a drag turns it")).to_be_visible()
    for n in (3, 9):
        points.nth(n).dispatch_event("pointerdown")
    expect(page.get_by_text("2 chosen")).to_be_visible()
    page.get_by_label("How far the two chosen points are apart").fill("2 m")
    desk.button("is their distance").click()
    expect(page.get_by_text("2.00 m apart")).to_be_visible()
    desk.saved()
    space = stack.ask(scene)["document"]["tracks"][0]["space"]
    assert space["unit"] == "m"
    assert space["size"] > 0
    desk.button("None", exact=True).click()
    # a fill stands where the picture is pressed, and is seen there on another frame
    desk.go(6)
    desk.add_plane("Fill")
    desk.button("Open Placement").first.click()
    desk.button("Stand in the scene …").click()
    expect(page.get_by_text("at its foot")).to_be_visible()
    wall = np.array([[0.4, 0.3, 9.0]])
    x, y = way(6).seen(wall)[0]
    page.mouse.click(*desk.place(float(x), float(y)))
    wait_for(lambda: stack.ask(scene)["document"]["planes"][0]["card"], 30, "a card")
    handle = page.locator('[data-handle="turn"]')
    expect(handle).to_be_visible()
    desk.go(20)
    u, v = way(20).seen(wall)[0]
    to = desk.place(float(u), float(v))

    def near() -> bool:
        box = handle.bounding_box()
        return (
            box is not None and np.hypot(box["x"] + box["width"] / 2 - to[0], box["y"] + box["height"] / 2 - to[1]) < 6
        )

    wait_for(near, 10, "a card that stayed in its place")
    # a drag along the picture moves it in the scene; it can lie flat again
    before = stack.ask(scene)["document"]["planes"][0]["card"]["params"]
    box = handle.bounding_box()
    assert box is not None
    lift = page.locator('[data-handle="lift"]').bounding_box()
    assert lift is not None
    page.mouse.move(lift["x"] + 5, lift["y"] + 5)
    page.mouse.down()
    page.mouse.move(lift["x"] + 5, lift["y"] - 25, steps=4)
    page.mouse.up()
    desk.saved()
    after = stack.ask(scene)["document"]["planes"][0]["card"]["params"]
    assert after["y"] > before["y"] + 0.01
    assert after["x"] == before["x"]
    if desk.button("Open Card").count():
        desk.button("Open Card").first.click()
    desk.button("Lie flat").click()
    desk.saved()
    assert stack.ask(scene)["document"]["planes"][0]["card"] is None
