"""Sound and cuts by hand: heard in step, drawn, hushed; looked for, moved, made shots; footage read otherwise."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import numpy as np
import pytest
from playwright.sync_api import expect

from cuvrel.core.media.probe import probe
from cuvrel.core.media.reader import Reader
from cuvrel.core.media.sound import RATE, Stored, extract
from cuvrel.core.media.writer import Encoding, VideoWriter
from cuvrel.demo.morning import clapper, harbour_bell
from tests.stack import Stack, wait_for
from tests.ui.conftest import Desk
from tests.web.test_sound import reel

# tells when which moment of a sound was begun and whether it was stopped, and lets the page ask for the clock of it
LISTEN = """
window.begun = [];
const start = AudioBufferSourceNode.prototype.start;
AudioBufferSourceNode.prototype.start = function (when = 0, offset = 0, length) {
  this.sound = { when, offset, length: length ?? null, context: this.context, stopped: false };
  window.begun.push(this.sound);
  return start.call(this, when, offset, ...(length === undefined ? [] : [length]));
};
const stop = AudioBufferSourceNode.prototype.stop;
AudioBufferSourceNode.prototype.stop = function (...rest) {
  if (this.sound) this.sound.stopped = true;
  return stop.apply(this, rest);
};
"""
# the frame that is shown and the moment that is heard, once the screen was drawn; nothing while no sound runs
# (it waits where pictures are late)
AT_ONCE = """async () => {
  await new Promise((done) => requestAnimationFrame(() => setTimeout(done)));
  const last = window.begun.filter((one) => one.length === null).at(-1);
  if (!last || last.stopped) return null;
  const heard = last.offset + last.context.currentTime - last.when - (last.context.outputLatency || 0);
  return [Number(document.querySelector('output.number').textContent) - 1001, heard];
}"""


def document(stack: Stack, shot: int) -> dict[str, Any]:
    return stack.ask(f"/api/shots/{shot}")["document"]


@pytest.fixture
def clap(desk: Desk, stack: Stack, tmp_path: Path) -> int:
    """A shot on a clapper of four seconds, opened."""
    project = stack.ask("/api/projects", {"name": "Clapper"})["id"]
    footage = stack.upload(project, clapper(tmp_path / "clapper.mp4", 96, 20, sound="aac"))
    stack.upload(project, harbour_bell(tmp_path / "harbour bell.wav"))
    made = stack.ask(f"/api/projects/{project}/shots", {"name": "Clapper", "footage": footage["id"]})["id"]
    desk.page.add_init_script(LISTEN)
    desk.open(made)
    return int(made)


def test_sound_is_heard_in_step_with_the_picture(desk: Desk, clap: int) -> None:
    page = desk.page
    switch = page.get_by_role("button", name="Heard with the picture")
    expect(switch).to_be_enabled()
    desk.button("Play").click()
    wait_for(lambda: (page.evaluate(AT_ONCE) or [0, 0])[1] > 0.4, 30, "sound")
    found = []

    def looked() -> bool:
        look = page.evaluate(AT_ONCE)
        if look:
            found.append(look)
        return len(found) == 40

    wait_for(looked, 60, "looks")
    off = [frame - heard * 24 for frame, heard in found if 0.2 < heard < 3.6]
    assert len(off) > 5
    # the frame that is shown is the one that is heard; a machine that is busy draws some screens late
    apart = np.abs(np.array(off) + 0.5)
    assert np.median(apart) <= 1, off
    assert np.percentile(apart, 80) <= 2, off
    desk.button("Stop", exact=True).click()
    # through time by hand: a short piece of each frame, unless that is switched off
    count = page.evaluate("begun.length")
    page.get_by_role("slider", name="Frame", exact=True).focus()
    page.keyboard.press("Home")
    page.keyboard.press("ArrowDown")
    wait_for(
        lambda: page.evaluate("begun.length") > count and page.evaluate("begun.at(-1).length") < 0.2, 20, "a piece"
    )
    page.keyboard.press("q")
    page.get_by_role("switch", name="Heard while going through time").click()
    page.get_by_role("slider", name="Frame", exact=True).focus()
    count = page.evaluate("begun.length")
    page.keyboard.press("ArrowDown")
    expect(page.locator("output.number")).to_have_text("1003")
    assert page.evaluate("begun.length") == count


def test_what_is_heard_is_set_in_the_panel_and_kept_in_an_export(
    desk: Desk, stack: Stack, clap: int, tmp_path: Path
) -> None:
    page = desk.page
    page.keyboard.press("q")
    panel = page.get_by_role("region", name="Sound", exact=True)
    expect(panel.get_by_text("recorded with aac")).to_be_visible()
    desk.pick("Sound: Laid under", "harbour bell.wav")
    desk.saved()
    assert document(stack, clap)["sound"]["under"] is not None
    panel.get_by_role("switch", name="Sound: Plate's sound").click()
    desk.go(60)
    panel.get_by_role("button", name="Hush a second from here").click()
    panel.get_by_label("To, of stretch 1").fill("1070")
    page.keyboard.press("Enter")
    desk.saved()
    sound = document(stack, clap)["sound"]
    assert (sound["on"], sound["hushes"]) == (False, [{"first": 60, "last": 69, "how": "silent"}])
    desk.button("Export", exact=True).click()
    panel = page.get_by_role("region", name="Export")
    desk.pick("How", "ProRes 422 HQ video")
    expect(panel.get_by_label("What to expect")).to_contain_text("clapper_result.mov")
    panel.get_by_role("button", name="Start this export").click()
    with page.expect_download(timeout=90_000) as download:
        panel.get_by_role("list", name="Queue").get_by_role("link", name="Save").click(timeout=90_000)
    download.value.save_as(tmp_path / "out.mov")
    info = probe(tmp_path / "out.mov")
    assert (info.frames, info.sound.codec) == (96, "pcm_s24le")
    extract(tmp_path / "out.mov", info.sound, tmp_path / "s")
    stored = Stored(tmp_path / "s", info.sound.deep)
    assert not stored.get(round(60.1 * RATE / 24), round(69.9 * RATE / 24)).any()
    assert np.abs(stored.get(round(0.5 * RATE), RATE)).max() > 0.1
    assert np.abs(stored.get(round(20 * RATE / 24), round(20.2 * RATE / 24))).max() < 0.5, "the click is switched off"


def test_presets_are_kept_and_laid_on(desk: Desk, stack: Stack, clap: int) -> None:
    page = desk.page
    desk.button("Export", exact=True).click()
    panel = page.get_by_role("region", name="Export")
    desk.pick("How", "VP9 video")
    page.get_by_role("radio", name="smaller").click()
    panel.get_by_role("button", name="Keep …").click()
    asked = page.get_by_role("dialog")
    asked.get_by_role("textbox").fill("For the wall")
    page.keyboard.press("Enter")
    kept = panel.get_by_role("list", name="Presets")
    expect(kept.get_by_role("button", name="For the wall", exact=True)).to_be_visible()
    desk.pick("How", "One still")
    expect(panel.get_by_label("What to expect")).to_contain_text("1 frames")
    kept.get_by_role("button", name="For the wall", exact=True).click()
    expect(panel.get_by_label("What to expect")).to_contain_text("clapper_result.webm")
    panel.get_by_label("Name", exact=True).fill("{camera}")
    panel.get_by_label("Name", exact=True).press("Enter")
    expect(panel.get_by_text("A name has no part")).to_be_visible()
    expect(panel.get_by_role("button", name="Start this export")).to_be_disabled()
    kept.get_by_role("button", name="Forget For the wall").click()
    expect(kept).to_have_count(0)
    assert stack.ask("/api/presets") == {"presets": []}


def test_cuts_are_looked_for_moved_and_made_shots(desk: Desk, stack: Stack, tmp_path: Path) -> None:
    project = stack.ask("/api/projects", {"name": "Reel"})["id"]
    footage = stack.upload(project, reel(tmp_path / "reel.mp4"))
    shot = stack.ask(f"/api/projects/{project}/shots", {"name": "Reel", "footage": footage["id"]})["id"]
    desk.open(shot)
    page = desk.page
    page.keyboard.press("x")
    panel = page.get_by_role("region", name="Cuts")
    panel.get_by_role("button", name="Look for cuts").click()
    expect(panel.get_by_role("button", name="cut at 1021", exact=True)).to_be_visible(timeout=60_000)
    expect(panel.get_by_role("button", name="cut at 1041", exact=True)).to_be_visible()
    # the second one is dragged two frames on, in the sheet
    sheet = page.get_by_role("slider", name="Frame", exact=True)
    box = sheet.bounding_box()
    assert box is not None
    row = box["height"] / 60
    page.mouse.move(box["x"] + 60, box["y"] + 40 * row)
    page.mouse.down()
    page.mouse.move(box["x"] + 60, box["y"] + 42 * row, steps=4)
    page.mouse.up()
    expect(panel.get_by_role("button", name="cut at 1043", exact=True)).to_be_visible()
    desk.go(30)
    panel.get_by_role("button", name="Mark one here").click()
    expect(panel.get_by_role("button", name="cut at 1031", exact=True)).to_be_visible()
    panel.get_by_role("button", name="Take this one away").click()
    desk.saved()
    assert [one["frame"] for one in document(stack, shot)["cuts"]] == [20, 42]
    panel.get_by_role("button", name="Make 3 shots of the pieces").click()
    made = panel.get_by_role("list", name="Shots that were made").get_by_role("link")
    expect(made).to_have_count(3)
    made.nth(1).click()
    expect(page.get_by_role("heading", name="Reel · 2")).to_be_visible()
    expect(page.get_by_text("1021–1042 ·")).to_be_visible()
    expect(page.locator("output.number")).to_have_text("1021")  # a shot opens on the first frame of its range


def test_footage_is_read_otherwise_by_hand(desk: Desk, stack: Stack, tmp_path: Path) -> None:
    writer = VideoWriter(tmp_path / "deep.mkv", Encoding("ffv1", "yuv444p10le"), 128, 72, 24)
    for _ in range(3):
        writer.write(np.full((72, 128, 3), 0.25, np.float32))
    writer.close()
    project = stack.ask("/api/projects", {"name": "Deep"})["id"]
    footage = stack.upload(project, tmp_path / "deep.mkv")
    page = desk.page
    region = desk.project("Deep")
    expect(region.get_by_text("ffv1, 10 bit")).to_be_visible()
    region.get_by_role("button", name="Read as …").click()
    dialog = page.get_by_role("dialog")
    expect(dialog.get_by_text("the file: limited")).to_be_visible()
    desk.pick("Range", "full")
    dialog.get_by_role("button", name="Read it so").click()
    expect(dialog).to_have_count(0)

    def read() -> bool:
        (found,) = stack.ask(f"/api/projects/{project}")["footage"]
        done = [j for j in stack.ask(f"/api/projects/{project}")["jobs"] if j["state"] in ("waiting", "working")]
        return found["hand"] == {"range": "full"} and not done

    wait_for(read, 30, "another reading")
    assert footage["id"]


def test_a_sequence_of_odd_names_is_dropped_and_said(desk: Desk, stack: Stack, tmp_path: Path) -> None:
    import cv2

    names = ["pier café 0998.tif", "pier café 0999.tif", "pier café 1002.tif"]
    for n, name in enumerate(names):
        picture = np.full((36, 64, 3), 60_000 - 9_000 * n, np.uint16)
        (tmp_path / name).write_bytes(cv2.imencode(".tif", picture)[1].tobytes())
    stack.ask("/api/projects", {"name": "Odd names"})
    region = desk.project("Odd names")
    region.get_by_label("Footage files").set_input_files([tmp_path / name for name in names])
    expect(region.get_by_text("3 frames")).to_be_visible(timeout=60_000)
    expect(region.get_by_text("tiff, 16 bit")).to_be_visible()
    expect(region.get_by_text("Numbers are missing: 1000 to 1001.")).to_be_visible()


def test_the_exported_pictures_are_those_of_the_plate(stack: Stack, clap: int, tmp_path: Path) -> None:
    job = stack.ask(f"/api/shots/{clap}/exports", {"how": "ffv1", "first": 18, "last": 22})["id"]
    wait_for(lambda: stack.ask(f"/api/jobs/{job}")["state"] == "done", 60, "an export")
    (tmp_path / "r.mkv").write_bytes(stack.fetch(f"/api/jobs/{job}/file"))
    reader = Reader(tmp_path / "r.mkv", probe(tmp_path / "r.mkv"))
    assert [reader.frame(n).mean() > 200 for n in range(5)] == [False, False, True, False, False]


PLAYS = """async ([url, kind]) => {
  const one = document.createElement(kind);
  const came = new Promise((done) => {
    one.onerror = () => done("refused");
    one.onload = one.onloadeddata = () => done("came");
  });
  one.src = url;
  document.body.append(one);
  const how = await came;
  if (kind === "img") return [how, one.naturalWidth, 0];
  one.muted = true;
  await one.play();
  await new Promise((done) => (one.onended = done));
  return [how, one.videoWidth, one.duration];
}"""


@pytest.mark.parametrize("how", ["h264", "vp9", "av1", "loop"])
def test_what_plays_in_a_browser_does(desk: Desk, stack: Stack, clap: int, how: str) -> None:
    job = stack.ask(f"/api/shots/{clap}/exports", {"how": how, "last": 23})["id"]
    wait_for(lambda: stack.ask(f"/api/jobs/{job}")["state"] == "done", 90, "an export")
    kind = "img" if how == "loop" else "video"
    came, width, seconds = desk.page.evaluate(PLAYS, [f"/api/jobs/{job}/file", kind])
    assert (came, width) == ("came", 64)
    assert kind == "img" or seconds == pytest.approx(1, abs=0.12)
