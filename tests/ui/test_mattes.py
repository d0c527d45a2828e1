"""The bench of a matte on the demo shot: its pulls, its edge step, and settling."""

from __future__ import annotations

from playwright.sync_api import expect

from tests.stack import Stack, wait_for
from tests.ui.conftest import Desk


def test_a_key_is_picked_from_the_picture_and_joins_the_trace(desk: Desk, stack: Stack, demo: int) -> None:
    def second() -> dict:
        pulls = stack.ask(f"/api/shots/{demo}")["document"]["mattes"][0]["pulls"]
        return pulls[1] if len(pulls) > 1 else {}

    desk.open(demo)
    page = desk.page
    desk.matte("Signaller")
    bench = page.get_by_role("region", name="Bench")
    desk.lay_on("Colour key")
    wait_for(lambda: second().get("kind") == "colour_key", 15, "the key on the server")
    bench.get_by_role("button", name="Pick from the picture").click()
    desk.stroke([(300, 40), (420, 90)])
    # the sky that was dragged over is bright
    wait_for(lambda: second()["params"].get("light_low", 0) > 0.1, 15, "the picked range")
    expect(bench.get_by_role("button", name="Pick from the picture")).to_be_visible()
    before = desk.key()
    desk.pick("Colour key: how it joins", "subtract")
    wait_for(lambda: second()["join"] == "subtract", 15, "the join")
    desk.card("Colour key").get_by_role("checkbox", name="inverted").check()
    wait_for(lambda: second()["invert"], 15, "the inversion")
    desk.new_picture(before)
    bench.get_by_role("button", name="More for Colour key").click()
    page.get_by_role("menuitem").filter(has_text="Earlier").click()
    expect(bench.get_by_role("article").nth(0)).to_have_attribute("aria-label", "Colour key")
    bench.get_by_role("button", name="More for Colour key").click()
    page.get_by_role("menuitem").filter(has_text="Remove").click()
    expect(bench.get_by_role("article", name="Colour key")).to_have_count(0)


def test_holding_a_key_shows_the_matte_before_its_edge(desk: Desk, demo: int) -> None:
    desk.open(demo)
    desk.matte("Signaller")
    desk.page.keyboard.press("3")
    picture = desk.page.get_by_role("region", name="Picture")
    expect(picture).to_have_attribute("data-edged", "true")
    desk.page.keyboard.down("b")
    expect(picture).to_have_attribute("data-edged", "false")
    desk.page.keyboard.up("b")
    expect(picture).to_have_attribute("data-edged", "true")


def test_a_matte_is_settled_shown_out_of_date_and_unsettled(desk: Desk, demo: int) -> None:
    desk.open(demo)
    page = desk.page
    desk.matte("Signaller")
    bench = page.get_by_role("region", name="Bench")
    page.keyboard.press("t")
    expect(bench.get_by_text("settled: stored frames are shown")).to_be_visible(timeout=90_000)
    desk.card("Edge")
    page.get_by_label("Edge: Grow, value").fill("9")
    page.keyboard.press("Enter")
    expect(bench.get_by_text("the recipe has changed since")).to_be_visible()
    expect(bench.get_by_role("button", name="Settle again")).to_be_visible()
    bench.get_by_role("button", name="Unsettle").click()
    expect(bench.get_by_text("trace, then the edge")).to_be_visible()
    desk.saved()
