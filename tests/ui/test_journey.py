"""From a video file to an exported cut-out with a glowing outline, as a person does it."""

from __future__ import annotations

from pathlib import Path

import cv2
import numpy as np
import pytest
from playwright.sync_api import BrowserContext, expect

from cuvrel.core.checks.quality import overlap
from cuvrel.core.media.probe import probe
from cuvrel.core.media.reader import Reader
from cuvrel.core.trace.trace import trace
from tests.conftest import Clip
from tests.stack import Stack, wait_for
from tests.ui.conftest import Desk, dragged


def mark_all(desk: Desk, clip: Clip) -> None:
    for mark in clip.marks():
        desk.page.get_by_label("Brush radius in pixels").fill(str(round(mark.radius)))
        desk.draw(mark.points, mark.kind)
    desk.saved()


def halted(desk: Desk) -> bool:
    return desk.page.locator(".halt").count() > 0


def test_from_a_video_file_to_an_exported_cut_out(
    desk: Desk, context: BrowserContext, stack: Stack, clip: Clip, tmp_path: Path
) -> None:
    page = desk.page
    desk.start()
    page.get_by_label("Name of a new project").fill("Morning drill")
    desk.button("New project").click()
    project = page.get_by_role("region", name="Morning drill")
    expect(project.get_by_text("Drop footage here")).to_be_visible()

    # bring the video in and start a shot on it
    project.get_by_label("Footage files").set_input_files(clip.path)
    project.get_by_role("button", name="New shot on it").click()
    expect(desk.canvas).to_have_attribute("data-frame", "0")

    # mark the subject on the first frame; the shot has begun with a matte for it
    expect(page.get_by_role("note", name="Next step")).to_contain_text("Draw along the subject")
    plain = desk.key()
    desk.drag([(100, 100), (110, 100)])
    expect(page.get_by_text("There is no outline on this frame yet.")).to_be_visible()
    mark_all(desk, clip)
    desk.new_picture(plain)
    page.get_by_role("radio", name="Matte").click()
    ins = sum(mark.kind == "in" for mark in clip.marks())
    expect(page.get_by_role("region", name="Bench").get_by_text(f"in marks {ins}")).to_be_visible()

    # let the machine follow it; where it halts, mend or go on
    expect(page.get_by_role("note", name="Next step")).to_contain_text("Carry it through the shot")
    state = page.get_by_role("region", name="Mattes").locator("[data-reach]")
    desk.button("Follow on ▶").click()
    for _ in range(16):
        idle = wait_for(lambda: not desk.button("Stop following").count() and (desk.number == 1016 or halted(desk)), 60)
        assert idle
        if desk.number == 1016:
            break
        before = desk.number
        desk.button("It is right: follow on").click()
        wait_for(lambda before=before: desk.number > before, 60, "the next frame")
    expect(state).to_contain_text("all", timeout=30_000)

    # mend a followed frame: it becomes touched and stays so
    desk.go(6)
    before = desk.key()
    x, y = clip.marks()[0].points[0]
    desk.draw([(x - 6, y), (x + 6, y + 3)], "out")
    desk.new_picture(before)
    desk.saved()
    shot = int(page.url.rsplit("/", 1)[1])
    touched = [f["frame"] for f in stack.ask(f"/api/shots/{shot}")["frames"] if f["origin"] == "touched"]
    assert touched == [0, 6]

    # take an outline along that lies a little off; the change can be undone
    desk.go(9)
    before = desk.key()
    rows, cols = np.nonzero(clip.truth(9) > 0.5)
    x, y = float(cols[rows == rows.min()].mean()), float(rows.min())
    desk.drag([(x, y), (x, y - 5)])
    dragged = desk.new_picture(before)
    desk.saved()
    frames = {f["frame"]: f["origin"] for f in stack.ask(f"/api/shots/{shot}")["frames"]}
    assert frames[9] == "touched"
    desk.button("Undo", exact=True).click()
    desk.new_picture(dragged)

    # a glowing outline, and colour on the subject alone
    desk.add_plane("Line")
    lit = desk.key()
    page.get_by_label("Glow outline: Strength, value").fill("2")
    page.keyboard.press("Enter")
    lit = desk.new_picture(lit)
    # a glaze begins inside the subject, with nothing on it
    desk.add_plane("Glaze")
    desk.card("Glaze")
    page.get_by_role("radiogroup", name="Glaze: Part").get_by_role("radio", name="outside").click()
    desk.lay_on("Grade")
    page.get_by_label("Grade: Saturation, value").fill("0")
    page.keyboard.press("Enter")
    desk.new_picture(lit)
    stand = page.get_by_role("region", name="Stand")
    expect(stand.locator("li strong")).to_have_text(["Glaze", "Outline", "Plate"])

    # export the result and the matte
    desk.button("Export", exact=True).click()
    panel = page.get_by_role("region", name="Export")
    for count, (what, how) in enumerate((("Result", "H.264 video"), ("Matte alone", "FFV1 video")), 1):
        desk.pick("What", what)
        desk.pick("How", how)
        expect(panel.get_by_label("What to expect")).to_contain_text("16 frames, about")
        panel.get_by_role("button", name="Start this export").click()
        expect(panel.get_by_role("list", name="Queue").locator("li")).to_have_count(count)
        with page.expect_download(timeout=60_000) as download:
            panel.locator("li").first.get_by_role("link", name="Save").click(timeout=60_000)
        download.value.save_as(tmp_path / download.value.suggested_filename)
    result, matte = (next(tmp_path.glob(kind)) for kind in ("*_result.mp4", "*_matte.mkv"))
    assert (probe(result).frames, probe(result).width) == (16, 480)
    found = Reader(matte, probe(matte)).frame(0)[..., 0].astype(np.float32) / 255
    # what came out is what these marks give without any interface
    assert overlap(found, trace(clip.frame(0), clip.marks())) > 0.9
    assert overlap(found, clip.truth(0)) > 0.6
    picture = cv2.cvtColor(Reader(result, probe(result)).frame(0), cv2.COLOR_RGB2HSV)
    inside, outside = clip.truth(0) > 0.9, cv2.dilate(clip.truth(0), np.ones((61, 61))) < 0.1
    assert picture[inside][:, 1].mean() > 2 * picture[outside][:, 1].mean(), "colour on the subject alone"

    # close everything, open it again and go on
    page.close()
    again = Desk(context.new_page(), stack.url).open(shot)
    expect(again.page.get_by_role("region", name="Stand").locator("li strong")).to_have_text(
        ["Glaze", "Outline", "Plate"]
    )
    for _ in range(4):  # its saturation, its grade, its part, the glaze itself
        again.button("Undo", exact=True).click()
        again.saved()
    expect(again.page.get_by_role("region", name="Stand").locator("li strong")).to_have_text(["Outline", "Plate"])
    assert not again.faults


@pytest.mark.parametrize(
    ("name", "content", "words"),
    [
        ("empty.mp4", b"", "empty"),
        ("letter.mp4", b"not a film at all", "can't be read"),
        ("cut.mp4", None, "can't be read"),
    ],
)
def test_bad_footage_is_refused_with_a_sentence_on_the_page(
    desk: Desk, clip: Clip, name: str, content: bytes | None, words: str
) -> None:
    page = desk.page
    desk.start()
    page.get_by_label("Name of a new project").fill(f"Refusals {name}")
    desk.button("New project").click()
    project = page.get_by_role("region", name=f"Refusals {name}")
    if content is None:
        content = clip.path.read_bytes()[:20_000]
    project.get_by_label("Footage files").set_input_files({"name": name, "mimeType": "video/mp4", "buffer": content})
    expect(page.get_by_text(words).first).to_be_visible()
    expect(project.get_by_role("button", name="New shot on it")).to_have_count(0)


def test_a_project_made_before_the_list_has_come_stays(desk: Desk) -> None:
    page, late = desk.page, []
    # the list is read at once, and its answer comes only when the new project is there
    page.route(
        "**/api/projects",
        lambda route: late.append((route, route.fetch())) if route.request.method == "GET" else route.continue_(),
    )
    desk.start()
    page.get_by_label("Name of a new project").fill("Made early")
    desk.button("New project").click()
    mine = page.get_by_role("region", name="Made early")
    expect(mine).to_be_visible()
    for route, answer in late:
        route.fulfill(response=answer)
    expect(mine).to_be_visible()
    page.unroute("**/api/projects")
    desk.start()
    expect(page.get_by_role("region", name="Harbour signals")).to_be_visible()
    expect(mine).to_be_visible()


def test_pictures_of_a_sequence_come_in_together_by_dropping(desk: Desk, clip: Clip) -> None:
    page = desk.page
    desk.start()
    page.get_by_label("Name of a new project").fill("Sequence")
    desk.button("New project").click()
    project = page.get_by_role("region", name="Sequence")
    pictures = [cv2.imencode(".png", clip.frame(n)[..., ::-1])[1].tobytes() for n in range(3)]
    transfer = dragged(page, {f"f.{n}.png": data for n, data in enumerate(pictures)})
    project.get_by_role("group", name="Footage").dispatch_event("drop", {"dataTransfer": transfer})
    expect(project.get_by_text("3 frames")).to_be_visible()
    expect(project.get_by_role("button", name="New shot on it")).to_be_visible()
