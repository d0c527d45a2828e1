"""Redaction by hand: who is there, covered by a press, audited, and told on the sheet."""

from __future__ import annotations

import pytest
from playwright.sync_api import expect

from tests.stack import Stack, wait_for
from tests.ui.conftest import Desk


@pytest.fixture
def twin(desk: Desk, stack: Stack, demo: int) -> int:
    """A copy of the signaller's shot, of which a few frames are worked on."""
    made = stack.post(f"/api/shots/{demo}/copy")["id"]
    about = stack.ask(f"/api/shots/{made}")
    planes = [one for one in about["document"]["planes"] if one["kind"] == "plate"]
    parts = {"range": {"first": 0, "last": 23}, "tracks": [], "planes": planes}
    ops = [{"op": "replace", "path": f"/{name}", "value": value} for name, value in parts.items()]
    stack.ask(f"/api/shots/{made}/edits", {"revision": about["revision"], "ops": ops})
    desk.open(made)
    return int(made)


def test_somebody_is_found_covered_and_looked_for_again(desk: Desk, stack: Stack, twin: int) -> None:
    desk.page.keyboard.press("w")
    panel = desk.page.get_by_role("region", name="People")
    panel.get_by_role("button", name="Look for people").click()
    face = panel.get_by_role("button", name="Somebody on frames").first
    expect(face).to_be_visible(timeout=90_000)
    face.click()
    expect(face).to_have_attribute("aria-pressed", "true")
    panel.get_by_role("button", name="Cover these 1").click()
    wait_for(lambda: stack.ask(f"/api/shots/{twin}")["document"]["planes"][0]["kind"] == "glaze", 20, "a cover")
    expect(desk.page.get_by_role("region", name="Stand")).to_contain_text("Cover")
    expect(panel.get_by_role("button", name="All are covered")).to_be_disabled()
    desk.page.keyboard.press("w")
    expect(desk.page.get_by_role("region", name="Tracks")).to_contain_text("Head 1")
    desk.page.keyboard.press("w")
    panel.get_by_role("button", name="Audit", exact=True).click()
    expect(panel.get_by_role("link", name="Report")).to_be_visible(timeout=120_000)
    # switched off, the audit finds him: by a picture, and from one to the next
    desk.page.keyboard.press("w")
    desk.button("Hide Cover").click()
    desk.saved()
    desk.page.keyboard.press("w")
    expect(panel.get_by_text("The shot has changed since it was audited.")).to_be_visible()
    panel.get_by_role("button", name="Audit again").click()
    finding = panel.get_by_role("button", name="Go to the finding").first
    expect(finding).to_be_visible(timeout=120_000)
    finding.click()
    panel.get_by_role("button", name="Accept …").first.click()
    dialog = desk.page.get_by_role("dialog")
    dialog.get_by_role("textbox").fill("He is drawn")
    dialog.get_by_role("button", name="Accept").click()
    expect(panel.get_by_text("accepted: He is drawn").first).to_be_visible()
