"""Footage of any depth, colour space, kind and rate: kept as deep as it came, and told."""

import io
import zipfile
from fractions import Fraction
from pathlib import Path
from typing import Any

import av
import cv2
import numpy as np
import OpenEXR
import pytest
import tifffile

from cuvrel.core.imaging.colour import linear_to_srgb, srgb_to_linear
from cuvrel.core.media.by_hand import checked_hand
from cuvrel.core.media.probe import MediaInfo, on_grid, pack_sequence, probe
from cuvrel.core.media.reader import Reader, de_interlaced
from cuvrel.core.media.space import Space, light, tagged, to_bt709
from cuvrel.core.media.stills import head, read
from cuvrel.core.media.writer import Encoding, VideoWriter
from cuvrel.core.media.yuv import frame_of, rgb_of
from cuvrel.core.recipe.errors import MediaError

RAMP = np.linspace(0, 1, 1024)


def ramp(channels: int = 3, high: int = 16) -> np.ndarray:
    return np.repeat(np.repeat(RAMP[None, :, None], high, 0), channels, 2).astype(np.float32)


def sequence(folder: Path, files: dict[str, bytes]) -> Path:
    for name, data in files.items():
        (folder / name).write_bytes(data)
    pack_sequence([(name, folder / name) for name in files], folder / "s.zip")
    return folder / "s.zip"


def lit(path: Path, frame: int = 0) -> np.ndarray:
    return Reader(path, probe(path), wanted="light").frame(frame)


def coded(path: Path, info: MediaInfo | None = None) -> np.ndarray:
    """The middle row's green as it is encoded for a screen, 0 to 1."""
    found = Reader(path, info or probe(path), wanted="light").frame(0)
    return linear_to_srgb(found[8, :, 1])


@pytest.mark.parametrize(
    ("name", "codec", "pixels", "depth"),
    [
        ("a.mkv", "ffv1", "gbrp10le", 10), ("b.mkv", "ffv1", "gbrp12le", 12), ("c.mkv", "ffv1", "gbrp16le", 16),
        ("d.mov", "prores_ks", "yuv422p10le", 10), ("e.mkv", "ffv1", "yuv444p12le", 12),
        ("f.mkv", "ffv1", "gray16le", 16), ("g.mkv", "ffv1", "yuv420p10le", 10),
    ],
)  # fmt: skip
def test_a_ramp_comes_in_as_deep_as_it_is(tmp_path: Path, name: str, codec: str, pixels: str, depth: int) -> None:
    picture = ramp()[..., 0] if pixels.startswith("gray") else ramp()
    writer = VideoWriter(tmp_path / name, Encoding(codec, pixels), 1024, 16, 24)
    writer.write(np.ascontiguousarray(picture))
    writer.close()
    info = probe(tmp_path / name)
    assert (info.depth, info.deep) == (depth, True)
    if pixels.startswith("gray"):
        info.hand["range"] = "full"  # a grey file says nothing of its range
    found = coded(tmp_path / name, info)
    assert np.abs(found - RAMP).max() * 1023 < (2.5 if codec == "prores_ks" else 1)
    assert len(np.unique(found)) > 800
    screen = Reader(tmp_path / name, info).frame(0)
    assert np.abs(screen[8, :, 1] - RAMP * 255).max() < 3


@pytest.mark.parametrize(("codec", "name", "options"), [
    ("libx265", "h.mp4", {"x265-params": "log-level=none:lossless=1"}),
    ("libsvtav1", "v.mp4", {"crf": "5", "preset": "10"}),
    ("mjpeg", "m.mov", {"q": "1"}),
])  # fmt: skip
def test_other_codecs_are_read(tmp_path: Path, codec: str, name: str, options: dict[str, str]) -> None:
    pixels = "yuvj420p" if codec == "mjpeg" else "yuv420p10le"
    with av.open(str(tmp_path / name), "w") as out:
        stream = out.add_stream(codec, rate=24, options=options)
        stream.width, stream.height, stream.pix_fmt = 1024, 64, pixels
        for n in range(4):
            frame = frame_of(ramp(high=64), "yuv420p10le", Space()).reformat(format=pixels)
            frame.pts, frame.time_base = n, Fraction(1, 24)
            out.mux(stream.encode(frame))
        out.mux(stream.encode(None))
    info = probe(tmp_path / name)
    assert (info.frames, info.depth) == (4, 8 if codec == "mjpeg" else 10)
    assert np.abs(Reader(tmp_path / name, info).frame(3)[30, :, 1] - RAMP * 255).mean() < 6


@pytest.mark.parametrize("alpha", [False, True])
@pytest.mark.parametrize("depth", [np.uint8, np.uint16])
@pytest.mark.parametrize("kind", ["png", "tif"])
def test_pictures_of_8_and_16_bits_come_in_by_value(tmp_path: Path, kind: str, depth: Any, alpha: bool) -> None:
    rng = np.random.default_rng(3)
    top = np.iinfo(depth).max
    picture = rng.integers(0, top, (12, 20, 4 if alpha else 3), endpoint=True).astype(depth)
    if kind == "png":
        data = cv2.imencode(".png", picture[..., [2, 1, 0, 3] if alpha else [2, 1, 0]])[1].tobytes()
    else:
        to = io.BytesIO()
        tifffile.imwrite(to, picture, photometric="rgb", extrasamples=["unassalpha"] if alpha else [])
        data = to.getvalue()
    path = sequence(tmp_path, {f"f.{n:04d}.{kind}": data for n in (1, 2)})
    info = probe(path)
    assert (info.kind, info.frames, info.depth, info.alpha) == ("sequence", 2, 8 if top == 255 else 16, alpha)
    assert np.array_equal(read(data, f"a.{kind}").colour, picture[..., :3])
    assert info.deep == (top > 255)
    found = lit(path)[..., :3]
    assert np.abs(found - srgb_to_linear(picture[..., :3] / top)).max() < 2e-5
    if alpha:
        cover = Reader(path, info, wanted="alpha").frame(1)
        assert np.array_equal(cover, picture[..., 3])
    screen = Reader(path, info).frame(0)
    assert np.abs(screen - picture[..., :3].astype(float) * 255 / top).max() <= 1


def test_a_tiff_that_is_multiplied_packed_or_of_one_channel(tmp_path: Path) -> None:
    straight = np.full((4, 6, 3), 40_000, np.uint16)
    cover = np.full((4, 6), 30_000, np.uint16)
    to = io.BytesIO()
    both = np.dstack([straight.astype(float) * cover[..., None] / 65535, cover]).round().astype(np.uint16)
    tifffile.imwrite(to, both, photometric="rgb", extrasamples=["assocalpha"])
    assert np.abs(read(to.getvalue(), "a.tif").colour.astype(int) - 40_000).max() <= 2
    cv2.imwrite(str(tmp_path / "lzw.tif"), straight, [cv2.IMWRITE_TIFF_COMPRESSION, 5])
    assert np.array_equal(read((tmp_path / "lzw.tif").read_bytes(), "lzw.tif").colour, straight)
    grey = io.BytesIO()
    tifffile.imwrite(grey, np.linspace(0, 1, 24, dtype=np.float32).reshape(4, 6), photometric="minisblack")
    (tmp_path / "g.tif").write_bytes(grey.getvalue())
    about = head(tmp_path / "g.tif", "g.tif")
    assert (about.floats, about.depth) == (True, 32)
    assert read(grey.getvalue(), "g.tif").colour.shape == (4, 6, 3)


def exr(path: Path, channels: dict[str, np.ndarray], **header: Any) -> bytes:
    about = {"compression": OpenEXR.ZIP_COMPRESSION, "type": OpenEXR.scanlineimage, **header}
    OpenEXR.File(about, channels).write(str(path))
    return path.read_bytes()


def test_an_exr_keeps_what_is_above_white_and_is_straight_inside(tmp_path: Path) -> None:
    alpha = np.full((16, 32), 0.5, np.float16)
    red = np.linspace(0, 8, 512).reshape(16, 32).astype(np.float16)
    data = exr(tmp_path / "a.exr", {"R": red, "G": red, "B": red, "A": alpha})
    path = sequence(tmp_path, {"a.0001.exr": data})
    info = probe(path)
    assert (info.depth, info.floats, info.deep, info.alpha, info.reads_as.transfer) == (16, True, True, True, "linear")
    assert np.abs(lit(path)[..., 0] - red.astype(float) * 2).max() < 1e-3
    assert np.allclose(Reader(path, info, wanted="alpha").frame(0), 0.5)
    assert Reader(path, info).frame(0).max() == 255


def test_an_exr_s_windows_and_its_odd_values(tmp_path: Path) -> None:
    plane = np.ones((4, 6), np.float32)
    plane[0, 0], plane[0, 1], plane[0, 2] = np.nan, np.inf, -3
    data = exr(tmp_path / "w.exr", {"Y": plane})
    raw = bytearray(data)
    at = raw.index(b"displayWindow\0box2i\0") + len(b"displayWindow\0box2i\0") + 4
    raw[at : at + 16] = np.array([-1, -1, 8, 6], "<i4").tobytes()
    still = read(bytes(raw), "w.exr")
    assert still.colour.shape == (8, 10, 3)
    assert still.colour[2, 2, 0] == 1
    assert still.colour[0, 0, 0] == 0
    assert still.colour[1, 1, 0] == 0
    assert still.colour[1, 2, 0] > 60_000
    assert still.colour[1, 3, 0] == 0


def test_a_turned_jpeg_is_shown_upright(tmp_path: Path) -> None:
    picture = np.zeros((20, 40, 3), np.uint8)
    picture[:, :10] = 255
    data = cv2.imencode(".jpg", picture)[1].tobytes()
    tiff = b"MM\0*\0\0\0\x08\0\x01\x01\x12\0\x03\0\0\0\x01\0\x06\0\0\0\0\0\0"
    exif = b"\xff\xe1" + (len(tiff) + 8).to_bytes(2) + b"Exif\0\0" + tiff
    turned = data[:2] + exif + data[2:]
    (tmp_path / "a.jpg").write_bytes(turned)
    about = head(tmp_path / "a.jpg", "a.jpg")
    assert (about.width, about.height) == (20, 40)
    path = sequence(tmp_path, {"a.jpg": turned})
    assert Reader(path, probe(path)).frame(0)[:8].mean() > 240


def test_missing_numbers_and_kinds_that_do_not_go_together_are_said(tmp_path: Path) -> None:
    one = cv2.imencode(".png", np.zeros((4, 4, 3), np.uint8))[1].tobytes()
    path = sequence(tmp_path, {f"b.{n}.png": one for n in (7, 8, 12, 13, 15)})
    assert probe(path).said == ["Numbers are missing: 9 to 11, 14. The pictures follow one another without them."]
    jpeg = cv2.imencode(".jpg", np.zeros((4, 4, 3), np.uint8))[1].tobytes()
    with pytest.raises(MediaError, match="several kinds: jpeg, png"):
        probe(sequence(tmp_path, {"a.png": one, "b.jpg": jpeg}))


BROKEN = {
    "png": cv2.imencode(".png", np.random.default_rng(1).integers(0, 255, (40, 40, 3), np.uint8))[1].tobytes(),
    "jpg": cv2.imencode(".jpg", np.random.default_rng(1).integers(0, 255, (40, 40, 3), np.uint8))[1].tobytes(),
}


@pytest.mark.parametrize("kind", ["png", "jpg", "tif", "exr"])
def test_broken_pictures_end_in_a_sentence(tmp_path: Path, kind: str) -> None:
    whole = BROKEN.get(kind, b"")
    if kind == "tif":
        to = io.BytesIO()
        tifffile.imwrite(to, np.ones((40, 40, 3), np.uint16))
        whole = to.getvalue()
    if kind == "exr":
        whole = exr(
            tmp_path / "x.exr", {c: np.random.default_rng(2).random((40, 40)).astype(np.float16) for c in "RGB"}
        )
    for cut in (whole[:20], whole[: len(whole) // 2] if kind != "jpg" else whole[:60], b"no picture at all" * 9):
        with pytest.raises(MediaError):
            probe(sequence(tmp_path, {f"a.{kind}": cut}))


def test_hostile_zips_end_in_a_sentence(tmp_path: Path) -> None:
    png = BROKEN["png"]
    with zipfile.ZipFile(tmp_path / "m.zip", "w") as archive:
        archive.writestr("a.png", png)
    raw = bytearray((tmp_path / "m.zip").read_bytes())
    for at in (raw.index(b"PK\x03\x04") + 6, raw.index(b"PK\x01\x02") + 8):
        raw[at] |= 1
    (tmp_path / "locked.zip").write_bytes(raw)
    with pytest.raises(MediaError, match="password"):
        probe(tmp_path / "locked.zip")
    raw = bytearray((tmp_path / "m.zip").read_bytes())
    raw[raw.index(b"PK\x01\x02") + 10] = 77  # a compression that there is not
    raw[raw.index(b"PK\x03\x04") + 8] = 77
    (tmp_path / "odd.zip").write_bytes(raw)
    with pytest.raises(MediaError):
        probe(tmp_path / "odd.zip")


# colour


def test_every_matrix_and_range_comes_back() -> None:
    rng = np.random.default_rng(5)
    picture = cv2.GaussianBlur(rng.random((32, 48, 3)).astype(np.float32), (0, 0), 3)
    for matrix in ("bt601", "bt709", "bt2020"):
        space = Space(matrix=matrix)  # type: ignore[arg-type]
        assert np.abs(rgb_of(frame_of(picture, "yuv444p12le", space), space) - picture).max() < 1e-3
        assert np.abs(rgb_of(frame_of(picture, "yuv420p10le", space), space) - picture).mean() < 4e-3
    frame = frame_of(picture, "yuv444p10le", Space())
    full = rgb_of(frame, Space(range="full"))
    assert np.abs(full - (picture * 219 * 4 + 64) / 1023).max() < 0.02


def test_tags_are_taken_and_what_is_missing_is_assumed_and_told() -> None:
    assert tagged(9, 1, 9, 16, 2160, False, False) == (Space("bt2020", "limited", "bt2020", "pq"), [])
    assert tagged(6, 2, 6, 6, 480, False, False) == (Space("bt601", "full", "bt601-525", "sdr"), [])
    space, assumed = tagged(2, 0, 2, 2, 480, False, False)
    assert (space.matrix, assumed) == ("bt601", ["matrix", "range", "transfer", "primaries"])
    assert tagged(2, 0, 2, 2, 1080, False, False)[0].matrix == "bt709"
    assert tagged(0, 0, 1, 13, 100, True, False)[0] == Space("rgb", "full")


def test_pq_and_hlg_put_reference_white_at_one() -> None:
    # BT.2408: 203 cd/m2 is 58.06 % of PQ and 75 % of HLG
    grey = np.full((1, 1, 3), 0.5806, np.float32)
    assert light(grey, Space(transfer="pq"))[0, 0, 0] == pytest.approx(1, rel=3e-3)
    grey[:] = 0.75
    assert light(grey, Space(transfer="hlg"))[0, 0, 0] == pytest.approx(1, rel=0.01)
    grey[:] = 1
    assert light(grey, Space(transfer="pq"))[0, 0, 0] == pytest.approx(10_000 / 203, rel=1e-3)
    assert light(grey, Space(transfer="hlg"))[0, 0, 0] == pytest.approx(1000 / 203, rel=1e-3)
    assert light(grey, Space(primaries="bt2020"))[0, 0].tolist() == pytest.approx([1, 1, 1, 1], abs=2e-4)


def test_primaries_are_moved_by_the_matrices_of_the_standard() -> None:
    # ITU-R BT.2087, BT.2020 to BT.709
    wanted = [[1.6605, -0.5876, -0.0728], [-0.1246, 1.1329, -0.0083], [-0.0182, -0.1006, 1.1187]]
    assert np.abs(to_bt709("bt2020") - wanted).max() < 2e-4
    assert np.abs(to_bt709("bt601-525").sum(axis=1) - 1).max() < 1e-5


def test_an_hdr_clip_says_so_and_its_highlights_are_kept(tmp_path: Path) -> None:
    with av.open(str(tmp_path / "h.mkv"), "w") as out:
        stream = out.add_stream("ffv1", rate=24)
        stream.width, stream.height, stream.pix_fmt = 1024, 16, "yuv444p10le"
        context = stream.codec_context
        context.colorspace, context.color_primaries, context.color_trc, context.color_range = 9, 9, 16, 1
        out.mux(stream.encode(frame_of(ramp(), "yuv444p10le", Space("bt2020"))))
        out.mux(stream.encode(None))
    info = probe(tmp_path / "h.mkv")
    assert info.reads_as == Space("bt2020", "limited", "bt2020", "pq")
    assert "PQ" in info.said[0]
    found = lit(tmp_path / "h.mkv")[8, :, 1]
    assert found[-1] == pytest.approx(10_000 / 203, rel=0.01)
    assert found[round(0.5806 * 1023)] == pytest.approx(1, rel=0.02)
    screen = Reader(tmp_path / "h.mkv", info).frame(0)[8, :, 1]
    assert screen[round(0.5806 * 1023)] in range(252, 256)


def test_what_is_set_by_hand_counts_without_reading_the_file_again(tmp_path: Path) -> None:
    writer = VideoWriter(tmp_path / "a.mkv", Encoding("ffv1", "yuv444p10le"), 1024, 16, 24)
    writer.write(ramp())
    writer.close()
    info = probe(tmp_path / "a.mkv")
    hand = MediaInfo.from_json({**info.to_json(), "hand": checked_hand({"range": "full"}, info)})
    assert coded(tmp_path / "a.mkv", hand)[0] == pytest.approx(64 / 1023, abs=2e-3)
    assert MediaInfo.from_json(info.to_json()) == info
    with pytest.raises(MediaError, match="transfer"):
        checked_hand({"transfer": "log"}, info)
    with pytest.raises(MediaError, match="Known"):
        checked_hand({"look": "warm"}, info)


def test_interlaced_footage_is_said_and_can_be_made_whole(tmp_path: Path) -> None:
    y, x = np.mgrid[0:64, 0:96]

    def moment(at: float) -> np.ndarray:
        picture = np.full((64, 96, 3), 40, np.uint8)
        picture[(np.abs(x - 30 - at) < 12) & (np.abs(y - 32) < 20)] = 220
        return picture

    woven = moment(0)
    woven[1::2] = moment(9)[1::2]
    made = de_interlaced(woven)
    inner = slice(4, 60)
    assert np.abs(made[inner].astype(int) - moment(0)[inner]).mean() < 1.5
    assert np.abs(woven[inner].astype(int) - moment(0)[inner]).mean() > 5
    still = moment(0)
    assert np.array_equal(de_interlaced(still), still)
    with av.open(str(tmp_path / "i.mkv"), "w") as out:
        stream = out.add_stream("libx264", rate=25, options={"flags": "+ildct+ilme", "x264-params": "tff=1"})
        stream.width, stream.height, stream.pix_fmt = 96, 64, "yuv420p"
        for _ in range(6):
            out.mux(stream.encode(av.VideoFrame.from_ndarray(woven, format="rgb24")))
        out.mux(stream.encode(None))
    info = probe(tmp_path / "i.mkv")
    assert info.interlaced
    assert any("interlaced" in one for one in info.said)
    info.hand["fields"] = "de-interlaced"
    found = Reader(tmp_path / "i.mkv", info).frame(2)
    assert np.abs(found[inner].astype(int) - moment(0)[inner]).mean() < 8


def test_the_alpha_of_interlaced_footage_is_of_the_same_moment_as_its_colour(tmp_path: Path) -> None:
    woven = np.zeros((64, 96, 4), np.uint8)
    for row in range(64):
        woven[row, 30 + 9 * (row % 2) : 60 + 9 * (row % 2)] = 220
    with av.open(str(tmp_path / "i.mkv"), "w") as out:
        stream = out.add_stream("ffv1", rate=25)
        stream.width, stream.height, stream.pix_fmt = 96, 64, "bgra"
        for _ in range(3):
            out.mux(stream.encode(av.VideoFrame.from_ndarray(woven, format="rgba")))
        out.mux(stream.encode(None))
    info = probe(tmp_path / "i.mkv")
    info.hand["fields"] = "de-interlaced"
    alpha = Reader(tmp_path / "i.mkv", info, wanted="alpha").frame(1)
    colour = Reader(tmp_path / "i.mkv", info).frame(1)
    assert np.array_equal(alpha, np.asarray(de_interlaced(woven[..., 3:])[..., 0]))
    assert (alpha[10:50, 61:68] < 30).all()
    assert np.abs(alpha[4:60].astype(int) - colour[4:60, :, 0]).max() <= 2


def test_a_grid_stands_on_the_usual_rate() -> None:
    rate, pts = on_grid([0, 33, 67, 100, 300, 333], Fraction(1, 1000))
    assert rate == 30
    assert pts == [0, 1, 2, 3, 3, 3, 3, 3, 3, 4, 5]
