"""What exports write, read back by value; every declared format."""

import json
from dataclasses import replace
from pathlib import Path
from typing import Any

import av
import cv2
import numpy as np
import OpenEXR
import pytest
import tifffile

from cuvrel.core.export.estimate import estimated
from cuvrel.core.export.formats import HOWS, former, how_of
from cuvrel.core.export.formats_page import page
from cuvrel.core.export.order import Order, Settings, name_of, ordered, title_of
from cuvrel.core.export.pictures import layers, picture, shaped, size_of
from cuvrel.core.export.sidecar import sidecar
from cuvrel.core.export.write import PicturesWriter, open_writer, packed, write_range
from cuvrel.core.media.probe import probe
from cuvrel.core.media.reader import Reader
from cuvrel.core.media.stills import read
from cuvrel.core.media.writer import VideoWriter
from cuvrel.core.recipe.check import read_shot
from cuvrel.core.recipe.errors import RecipeError
from cuvrel.core.stand.build import Stand
from cuvrel.core.stand.nodes import Cache, Node, node, work_out
from cuvrel.core.stand.view_kinds import ResultView
from cuvrel.core.stand.views import view
from tests.core.test_stand import portable, stand
from tests.recipes import FakeSources, document

PLATE = {"planes": [{"id": "p4", "name": "Plate", "kind": "plate"}]}


def plain(**changes: Any) -> Stand:
    """A stand of the plate alone, and a matte."""
    return Stand(read_shot(document(**{**PLATE, **changes})), FakeSources())


def exported(to: Path, desk: Stand | None = None, first: int = 0, last: int = 7, **wanted: Any) -> tuple[Path, Order]:
    desk = desk or stand()
    order = ordered(desk.shot, Settings(**wanted), first, last)
    named = layers(desk, order) if order.settings.what == "layers" else ()
    writer = open_writer(order, to, size_of(desk, order), "shot", 1001, named)
    nodes = (picture(desk, order, frame) for frame in order.frames)
    assert write_range(nodes, writer, Cache(1 << 26), shape=shaped(order.how, order))
    return to, order


def decoded(path: Path) -> list[Any]:
    with av.open(str(path)) as container:
        return list(container.decode(container.streams.video[0]))


def test_the_matte_export_is_the_matte_to_the_bit(tmp_path: Path) -> None:
    path, _ = exported(tmp_path / "m.mkv", last=5, what="matte", how="ffv1", targets=["m1"])
    info = probe(path)
    assert (info.frames, info.codec) == (6, "ffv1")
    reader = Reader(path, info)
    for frame in range(6):
        assert np.array_equal(reader.frame(frame)[..., 0], np.round(FakeSources().box(frame) * 255))


@pytest.mark.parametrize("alpha", ["straight", "premultiplied"])
@pytest.mark.parametrize(("how", "top"), [("png8", 255), ("png16", 65535), ("tiff8", 255), ("tiff16", 65535)])
def test_the_cut_out_as_pictures_straight_and_premultiplied(tmp_path: Path, how: str, top: int, alpha: str) -> None:
    folder, _ = exported(tmp_path / how, first=2, last=3, what="cutout", how=how, targets=["m1"], alpha=alpha)
    path = folder / f"shot.1001{HOWS[how].suffix}"
    raw = cv2.imread(str(path), cv2.IMREAD_UNCHANGED)[..., [2, 1, 0, 3]] if how[0] == "p" else tifffile.imread(path)
    inside = FakeSources().box(2) > 0.5
    assert np.array_equal(raw[..., 3] > top // 2, inside)
    wanted = FakeSources().plate(2)[inside].astype(float) * (top / 255)
    assert np.abs(raw[..., :3][inside] - wanted).max() <= top / 60_000
    assert raw.dtype == (np.uint8 if top == 255 else np.uint16)
    # and as footage it is straight again, as deep as it was
    still = read(path.read_bytes(), path.name)
    if how != "png8" and how != "png16":  # a PNG can't say that it is premultiplied
        assert np.abs(still.colour[inside] - wanted).max() <= top / 60_000


def test_the_result_as_video_says_its_colours(tmp_path: Path) -> None:
    path, _ = exported(tmp_path / "r.mp4", last=4)
    info = probe(path)
    assert (info.frames, info.width, info.height, info.fps) == (5, 64, 48, 24)
    assert (info.assumed, info.space["matrix"], info.space["range"]) == ([], "bt709", "limited")
    wanted = work_out(view(stand(), ResultView(), 3), Cache(1 << 26))
    assert np.abs(Reader(path, info).frame(3).astype(int) - wanted).mean() < 9


@pytest.mark.parametrize("kind", [kind for kind, how in HOWS.items() if how.form == "video"])
def test_every_video_has_all_frames_in_order_and_its_alpha(tmp_path: Path, kind: str) -> None:
    how = HOWS[kind]
    path, _ = exported(tmp_path / f"r{how.suffix}", plain(), how=kind)
    info = probe(path)
    assert (info.frames, info.width, info.height, info.fps) == (8, 64, 48, pytest.approx(24, rel=1e-3))
    reader = Reader(path, info)
    for frame in (0, 5, 7):
        off = np.abs(reader.frame(frame).astype(int) - FakeSources().plate(frame))
        assert off.mean() < (1 if kind == "ffv1" else 14), kind
    if not how.alpha:
        return
    cut, order = exported(tmp_path / f"c{how.suffix}", plain(), what="cutout", how=kind, targets=["m1"])
    assert order.alpha == "straight"
    info = probe(cut)
    assert info.alpha
    found = Reader(cut, info, wanted="alpha").frame(4)
    assert np.mean((found > np.iinfo(found.dtype).max // 2) == (FakeSources().box(4) > 0.5)) > 0.99


class Ramp(FakeSources):
    """A ramp through all codes of ten bits, as light, with some of it brighter than white."""

    def __init__(self, most: float = 1.0) -> None:
        super().__init__(1024, 16)
        self.most = most

    def deep(self, footage_id: str, frame: int, size: tuple[int, int]) -> Node:
        def run() -> np.ndarray:
            coded = np.linspace(0, 1, 1024)
            lit = np.where(coded <= 0.04045, coded / 12.92, ((coded + 0.055) / 1.055) ** 2.4) * self.most
            out = np.ones((16, 1024, 4), np.float32)
            out[..., :3] = lit[None, :, None]
            return out

        return node("ramp", self.most, [], run)


def ramp(most: float = 1.0) -> Stand:
    entry = {**document()["footage"][0], "width": 1024, "height": 16}
    return Stand(read_shot(document(footage=[entry], **PLATE)), Ramp(most))


def test_a_ramp_of_ten_bits_stays_one(tmp_path: Path) -> None:
    path, _ = exported(tmp_path / "r.mkv", ramp(), last=0, how="ffv1")
    [frame] = decoded(path)
    green = np.frombuffer(frame.planes[0], "<u2").reshape(16, -1)[8, :1024]
    assert np.abs(green / 65535 * 1023 - np.arange(1024)).max() < 0.1
    for how, name in (("prores422", "r.mov"), ("prores4444", "s.mov")):
        path, _ = exported(tmp_path / name, ramp(), last=0, how=how)
        [frame] = decoded(path)
        steps = 1 << (frame.format.components[0].bits - 10)  # of twelve bits where the decoder gives those
        luma = np.frombuffer(frame.planes[0], "<u2").reshape(16, -1)[8, :1024].astype(float) / steps
        wanted = 64 + np.linspace(0, 1, 1024) * 876
        assert np.abs(luma - wanted).max() <= (1.5 if how == "prores4444" else 3)


@pytest.mark.parametrize(("how", "off"), [("exr-half", 2e-3), ("exr-float", 1e-6)])
def test_light_above_white_reaches_an_exr_and_comes_back(tmp_path: Path, how: str, off: float) -> None:
    folder, _ = exported(tmp_path / "e", ramp(6.0), last=0, how=how)
    channels = OpenEXR.File(str(folder / "shot.1001.exr"), separate_channels=True).channels()
    assert sorted(channels) == ["B", "G", "R"]
    found = channels["R"].pixels.astype(float)[8]
    assert found[-1] == pytest.approx(6, rel=1e-3)
    assert np.abs(found - Ramp(6.0).deep("1", 0, (16, 1024)).run()[8, :, 0]).max() <= off * 6
    still = read((folder / "shot.1001.exr").read_bytes(), "a.exr")
    assert np.abs(still.colour[8, :, 0] - found).max() == 0


def test_layers_are_named_channels_of_an_exr_and_folders_of_pictures(tmp_path: Path) -> None:
    folder, order = exported(tmp_path / "e", last=1, what="layers", how="exr-half")
    channels = OpenEXR.File(str(folder / "shot.1001.exr"), separate_channels=True).channels()
    assert {"R", "G", "B", "A", "outline.R", "outline.A", "plate.B", "matte_signaller.Y"} <= set(channels)
    assert np.array_equal(channels["matte_signaller.Y"].pixels > 0.5, FakeSources().box(0) > 0.5)
    told = sidecar(order, "e", stand().shot, (48, 64), None, layers(stand(), order))
    assert told["layers"][:2] == ["result", "outline"]
    folder, _ = exported(
        tmp_path / "p", last=1, what="layers", how="png8", targets=["plane:p3", "matte:m1"], alpha="straight"
    )
    assert sorted(p.name for p in folder.iterdir()) == ["matte_signaller", "result", "signaller"]
    grey = cv2.imread(str(folder / "matte_signaller/shot.1002.png"), cv2.IMREAD_UNCHANGED)
    assert np.array_equal(grey > 127, FakeSources().box(1) > 0.5)
    whole = packed(folder, tmp_path / "p.zip")
    assert not folder.exists()
    assert whole.stat().st_size > 0


def test_a_still_a_contact_sheet_and_a_loop(tmp_path: Path) -> None:
    path, _ = exported(tmp_path / "s.png", plain(), first=3, how="still")
    raw = cv2.imread(str(path), cv2.IMREAD_UNCHANGED)[..., ::-1]
    assert np.abs(raw / 257 - FakeSources().plate(3)).max() < 0.01
    path, order = exported(tmp_path / "c.png", plain(), how="sheet", every=3)
    assert order.frames == [0, 3, 6]
    sheet = cv2.imread(str(path))
    assert sheet.shape[1] > 2 * 64
    path, _ = exported(tmp_path / "l.webp", plain(), how="loop")
    found, pictures = cv2.imreadmulti(str(path))[:2] if hasattr(cv2, "imreadmulti") else (True, [])
    assert b"ANIM" in path.read_bytes()[:100]
    assert not found or len(pictures) in (0, 1, 8)


def test_size_rate_and_quality_are_kept_to(tmp_path: Path) -> None:
    desk = plain()
    order = ordered(desk.shot, Settings(lines=24, rate=12))
    assert (order.scale(desk.shot), order.frames) == (0.5, [0, 2, 4, 6])
    assert ordered(desk.shot, Settings(rate=48)).frames == [n // 2 for n in range(16)]
    sizes = [
        exported(tmp_path / f"{q}.mp4", ramp(), last=3, quality=q)[0].stat().st_size
        for q in ("smaller", "good", "best")
    ]
    assert sizes == sorted(sizes)


def test_an_estimate_comes_near(tmp_path: Path) -> None:
    for how in ("h264", "png8", "prores422"):
        desk = plain()
        order = ordered(desk.shot, Settings(how=how))
        expected = estimated(desk, order)
        path, _ = exported(tmp_path / f"x{HOWS[how].suffix}", desk, how=how)
        files = [path] if path.is_file() else list(path.iterdir())
        real = sum(file.stat().st_size for file in files)
        assert 0.4 * real < expected.bytes < 2.5 * real, how
        assert expected.seconds > 0


def test_names_are_made_by_a_pattern_and_say_what_becomes_of_alpha() -> None:
    shot = read_shot(document(name="Shot 01 / gull"))
    order = ordered(shot, Settings(what="cutout", how="png8", targets=["m1"]))
    assert name_of("{shot}_{of}_{what}_{alpha}", shot, order) == "shot-01-gull_signaller_cutout_straight"
    assert name_of("{shot}.{first}-{last}", shot, order) == "shot-01-gull.1001-1008_straight"
    assert name_of("../../etc/{what}", shot, order) == "etc-cutout_straight"
    result = ordered(shot, Settings())
    assert name_of("{shot}_{of}_{what}_{alpha}", shot, result) == "shot-01-gull_result"
    assert title_of(shot, order) == "Cut-out, PNG pictures, 8 bit: Signaller"
    with pytest.raises(RecipeError, match="no part"):
        ordered(shot, Settings(name="{camera}"))


def test_an_order_survives_its_row_and_former_ones_are_understood() -> None:
    shot = read_shot(document())
    order = ordered(shot, Settings(what="matte", how="png16", targets=["m1"], rate=12), 2, 5)
    again = Order.from_json(json.loads(json.dumps({**order.as_json(), "name": "x"})), 99)
    assert (again.frames, again.targets, again.fps) == (order.frames, order.targets, order.fps)
    old = former({"kind": "cutout-png-premultiplied", "target": "m1", "first": 0, "last": 3})
    assert Order.from_json(old, 24.0).alpha == "premultiplied"


def test_an_export_can_be_stopped_between_frames(tmp_path: Path) -> None:
    desk, done = stand(), []
    writer = VideoWriter(tmp_path / "x.mp4", "h264", 64, 48, 24)
    order = ordered(desk.shot, Settings())

    def tick() -> bool:
        done.append(1)
        return len(done) < 3

    assert not write_range((picture(desk, order, f) for f in range(8)), writer, Cache(1 << 26), tick)
    assert len(done) == 3


def test_exports_that_can_not_be_are_refused() -> None:
    shot = stand().shot
    with pytest.raises(RecipeError, match="prores4444"):
        how_of("film-reel")
    for wanted, words in (
        ({"what": "matte", "targets": ["zz"]}, "which matte"),
        ({"what": "layers", "how": "png8", "targets": ["plane:p2"]}, "can't be a layer"),
    ):
        with pytest.raises(RecipeError, match=words):
            ordered(shot, Settings(**wanted))
    long = {**document()["footage"][0], "frames": 5000}
    with pytest.raises(RecipeError, match="room for 400"):
        ordered(read_shot(document(footage=[long])), Settings(how="sheet"))
    with pytest.raises(RecipeError, match="at most 600"):
        ordered(read_shot(document(footage=[long])), Settings(how="loop"))
    order = ordered(shot, Settings(what="matte", how="ffv1", targets=["m1"]))
    with pytest.raises(RecipeError, match="not in the shot"):
        picture(Stand(read_shot(document(mattes=[], planes=[])), FakeSources()), order, 0)


def test_the_page_of_formats_is_the_tables(tmp_path: Path) -> None:
    assert portable(tmp_path).exists()
    assert all(f"`{kind}`" in page() for kind in HOWS)
    assert Path("docs/formats.md").read_text() == page()


def test_every_format_of_numbered_pictures_is_written_as_what_it_says_and_no_other_is(tmp_path: Path) -> None:
    heads = {".png": b"\x89PNG", ".tif": b"II*\x00", ".exr": b"\x76\x2f\x31\x01"}
    for how in (one for one in HOWS.values() if one.form == "pictures"):
        writer = PicturesWriter(tmp_path / how.kind, how, "shot", 1)
        writer.write(np.zeros((4, 6, 3), np.uint8 if how.depth == "8" else np.float32))
        assert (tmp_path / how.kind / f"shot.0001{how.suffix}").read_bytes()[:4] == heads[how.suffix]
    with pytest.raises(RecipeError, match=r"Nothing here writes \.jp2 pictures"):
        PicturesWriter(tmp_path / "none", replace(HOWS["png8"], suffix=".jp2"), "shot", 1)
