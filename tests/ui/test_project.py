"""The page of a project: several shots at once, and files dropped anywhere."""

from __future__ import annotations

import cv2
import numpy as np
from playwright.sync_api import expect

from tests.conftest import Clip
from tests.stack import Stack, wait_for
from tests.ui.conftest import Desk, dragged


def drill(stack: Stack, clip: Clip, name: str, shots: int) -> tuple[int, list[int]]:
    """A project with some shots on the clip, all but the last of which have a matte."""
    project = stack.ask("/api/projects", {"name": name})["id"]
    film = stack.upload(project, clip.path)["id"]
    made = []
    for n in range(shots):
        shot = stack.ask(f"/api/projects/{project}/shots", {"name": f"Drill {n + 1}", "footage": film})
        if n < shots - 1:
            matte = {"id": "m", "name": "Signaller", "pulls": [{"id": "k", "kind": "luma_key"}]}
            ops = [{"op": "add", "path": "/mattes/-", "value": matte}]
            stack.ask(f"/api/shots/{shot['id']}/edits", {"revision": shot["revision"], "ops": ops, "label": "key"})
        made.append(shot["id"])
    return int(project), made


def test_several_shots_get_a_look_an_export_and_go_together(desk: Desk, stack: Stack, clip: Clip) -> None:
    project, shots = drill(stack, clip, "Together", 4)
    page, region = desk.page, desk.project("Together")
    page.get_by_role("radio", name="name", exact=True).click()
    links = region.get_by_role("link")
    expect(links.first).to_contain_text("Drill 1")
    page.get_by_label("Choose Drill 1").check(force=True)
    page.get_by_label("Choose Drill 4").click(force=True, modifiers=["Shift"])
    expect(page.get_by_text("4 shots chosen")).to_be_visible()

    desk.button("Lay a look on …").click()
    page.get_by_role("radio", name="Lamplit outline").click()
    desk.button("Lay on", exact=True).click()
    expect(page.get_by_text("Lamplit outline is laid on 3 shots.")).to_be_visible(timeout=60_000)
    expect(page.get_by_text("Not on: Drill 4: it has no matte")).to_be_visible()
    planes = [len(stack.ask(f"/api/shots/{one}")["document"]["planes"]) for one in shots]
    assert min(planes[:3]) > planes[3]

    page.get_by_label("Choose Drill 4").uncheck(force=True)
    desk.button("Export …").click()
    desk.pick("Written as", "FFV1 video")
    desk.button("Start", exact=True).click()
    expect(page.get_by_text("3 exports are on the way.")).to_be_visible()

    def written() -> bool:
        jobs = stack.ask(f"/api/projects/{project}")["jobs"]
        return [one["state"] for one in jobs if one["kind"] == "export"] == ["done"] * 3

    wait_for(written, 120, "three exports")

    desk.button("Put into the trash").click()
    expect(links).to_have_count(1)
    desk.button("Take back").click()
    expect(links).to_have_count(4)


def test_files_come_in_wherever_they_are_dropped(desk: Desk, stack: Stack, clip: Clip) -> None:
    _, shots = drill(stack, clip, "Dropped", 1)
    page, region = desk.page, desk.project("Dropped")
    picture = cv2.imencode(".png", np.full((36, 64, 3), 90, np.uint8))[1].tobytes()
    region.get_by_role("link").first.dispatch_event("drop", {"dataTransfer": dragged(page, {"fog.png": picture})})
    expect(region.get_by_text("64 × 36")).to_be_visible()
    # what is refused says why, and is not there
    region.dispatch_event("drop", {"dataTransfer": dragged(page, {"notes.mp4": b"minutes of a meeting"})})
    expect(page.get_by_text("'notes.mp4': The file can't be read as a video")).to_be_visible()
    expect(region.get_by_role("listitem")).to_have_count(2)
    # on the desk the room of footage opens and takes it
    desk.open(shots[0])
    desk.canvas.dispatch_event("drop", {"dataTransfer": dragged(page, {"haze.png": picture})})
    room = page.get_by_role("region", name="Footage of the project")
    expect(room.get_by_text("haze.png")).to_be_visible()
    expect(room.get_by_text("64 × 36")).to_have_count(2)


def test_many_projects_are_searched(desk: Desk, stack: Stack) -> None:
    for n in range(9):
        stack.ask("/api/projects", {"name": f"Pier {n}"})
    desk.start()
    search = desk.page.get_by_label("Search the projects")
    search.fill("pier 7")
    expect(desk.page.get_by_role("region", name="Pier 7")).to_be_visible()
    expect(desk.page.get_by_role("region", name="Pier")).to_have_count(1)
    search.fill("nothing like it")
    expect(desk.page.get_by_text("No project is called so.")).to_be_visible()
