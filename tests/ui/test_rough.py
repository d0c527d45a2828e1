"""What a person sees of a rough world: packed projects out and in, a full disk, a shot that can't be opened."""

from __future__ import annotations

import json
import zipfile
from pathlib import Path
from typing import Any

from playwright.sync_api import Route, expect

from cuvrel.store.cluster import OWNER, Cluster
from tests.conftest import Clip
from tests.stack import Stack
from tests.ui.conftest import Desk
from tests.ui.test_things import choose


def project(stack: Stack, clip: Clip, name: str) -> tuple[int, int]:
    """A small project of one shot, with something to undo."""
    number = stack.ask("/api/projects", {"name": name})["id"]
    footage = stack.upload(number, clip.path)["id"]
    shot = stack.ask(f"/api/projects/{number}/shots", {"name": "Ebb", "footage": footage})["id"]
    ops = [{"op": "replace", "path": "/name", "value": "Flood"}]
    stack.ask(f"/api/shots/{shot}/edits", {"revision": 0, "ops": ops, "label": "rename"})
    return number, shot


def test_a_project_is_packed_fetched_and_brought_in_again(
    desk: Desk, stack: Stack, clip: Clip, tmp_path: Path
) -> None:  # fmt: skip
    project(stack, clip, "Tide table")
    page = desk.page
    desk.start()
    choose(page, "project Tide table", "Pack into one file")
    with page.expect_download() as download:
        page.get_by_role("link", name="Fetch tide-table.zip").click()
    packed = tmp_path / "tide-table.zip"
    download.value.save_as(packed)
    assert "project.json" in zipfile.ZipFile(packed).namelist()

    page.get_by_label("A packed project").set_input_files(packed)
    twice = page.get_by_role("region", name="Tide table", exact=True)
    expect(twice).to_have_count(2)
    twice.first.get_by_role("link").first.click()
    twice.get_by_role("link", name="Flood").click()
    expect(desk.canvas).to_have_attribute("data-frame", "0")
    desk.button("Undo", exact=True).click()
    expect(page.get_by_role("heading", name="Ebb")).to_be_visible()

    # what is none is refused with a sentence, and no project comes of it
    desk.start()
    (tmp_path / "notes.zip").write_bytes(b"minutes of a meeting")
    page.get_by_label("A packed project").set_input_files(tmp_path / "notes.zip")
    expect(page.get_by_text("'notes.zip' is not a packed project")).to_be_visible()
    expect(twice).to_have_count(2)


def test_a_disk_that_is_nearly_full_is_said_on_both_screens(desk: Desk) -> None:
    sentence = "The disk is nearly full: 1.2 GB are free."

    def full(route: Route) -> None:
        health: dict[str, Any] = route.fetch().json()
        route.fulfill(body=json.dumps({**health, "ok": False, "says": [sentence]}), content_type="application/json")

    desk.page.route("**/api/health", full)
    desk.start()
    expect(desk.page.get_by_role("alert").get_by_text(sentence)).to_be_visible()
    desk.open(1)
    expect(desk.page.get_by_role("alert").get_by_text(sentence)).to_be_visible()
    expect(desk.button("In mark")).to_be_in_viewport()  # the notice covers no tool


def test_a_shot_that_cannot_be_opened_is_mended_by_taking_the_last_change_back(
    desk: Desk, stack: Stack, clip: Clip
) -> None:  # fmt: skip
    _, shot = project(stack, clip, "Wreck")
    document = stack.ask(f"/api/shots/{shot}")["document"]
    # as another program on the same database may leave it
    with Cluster(stack.var / "postgres").connect("cuvrel", OWNER) as database:
        broken, inverse = (
            {**document, "plate": "999"},
            [{"op": "replace", "path": "/plate", "value": document["plate"]}],
        )
        database.execute(
            "UPDATE shots SET document = %s, written = revision, updated = now() WHERE id = %s",
            (json.dumps(broken), shot),
        )
        database.execute("UPDATE edits SET inverse = %s WHERE document_id = %s", (json.dumps(inverse), shot))
    page = desk.page
    page.goto(f"{desk.url}/#/shot/{shot}")
    expect(page.get_by_role("alert")).to_contain_text("can't be opened")
    desk.button("Take it back").click()
    expect(desk.canvas).to_have_attribute("data-frame", "0")
    expect(page.get_by_role("heading", name="Flood")).to_be_visible()
