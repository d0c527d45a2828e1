"""Footage: what is in a file, any frame of it exactly, and files that are refused."""

import os
import subprocess
import sys
import zipfile
from fractions import Fraction
from pathlib import Path

import av
import numpy as np
import pytest

from cuvrel.core.media import probe as probing
from cuvrel.core.media.probe import MediaInfo, pack_sequence, probe, probe_video
from cuvrel.core.media.reader import Reader, exact_rate, resized
from cuvrel.core.media.writer import VideoWriter, join_videos, png_bytes, read_grey
from cuvrel.core.recipe.errors import MediaError


def numbered(index: int, width: int = 96, height: int = 64) -> np.ndarray:
    """A picture that tells its number: a bar of its length over a moving texture."""
    y, x = np.mgrid[0:height, 0:width]
    picture = np.stack([(x * 5 + index * 7) % 200, (y * 4 + index * 3) % 200, np.full_like(x, 60)], axis=2)
    picture[:8, : 1 + index] = 255
    return picture.astype(np.uint8)


def write_video(
    path: Path,
    frames: int = 40,
    codec: str = "libx264",
    options: dict[str, str] | None = None,
    times: list[int] | None = None,
    size: tuple[int, int] = (96, 64),
    pixels: str = "yuv420p",
) -> Path:
    with av.open(str(path), "w") as out:
        stream = out.add_stream(codec, rate=24, options=options or {})
        stream.width, stream.height, stream.pix_fmt = *size, pixels
        for index in range(frames):
            frame = av.VideoFrame.from_ndarray(numbered(index, *size), format="rgb24")
            if times:
                frame.pts, frame.time_base = times[index], Fraction(1, 24)
            out.mux(stream.encode(frame))
        out.mux(stream.encode(None))
    return path


def sequential(path: Path, info: MediaInfo) -> list[np.ndarray]:
    reader = Reader(path, info)
    return [reader.frame(n).copy() for n in range(info.frames)]


LONG_GOP = {"g": "30", "bf": "3", "b-pyramid": "normal", "refs": "4"}


@pytest.mark.parametrize(
    ("name", "codec", "options"),
    [
        ("long.mp4", "libx264", LONG_GOP),
        ("long.mkv", "libx264", LONG_GOP),
        ("open.mov", "libx264", {**LONG_GOP, "x264-params": "open-gop=1"}),
        ("vp9.webm", "libvpx-vp9", {"g": "20", "deadline": "realtime", "cpu-used": "8"}),
        ("hevc.mp4", "libx265", {"preset": "ultrafast", "x265-params": "keyint=25:bframes=3:log-level=none"}),
    ],
)
def test_every_frame_in_random_order_equals_the_sequential_decode(
    tmp_path: Path, name: str, codec: str, options: dict[str, str]
) -> None:
    path = write_video(tmp_path / name, 64, codec, options)
    info = probe(path)
    assert (info.frames, info.width, info.height, info.variable) == (64, 96, 64, False)
    assert info.fps == pytest.approx(24, rel=0.01)
    wanted = sequential(path, info)
    scattered = Reader(path, info, keep_bytes=0)
    for number in np.random.default_rng(3).permutation(64):
        assert np.array_equal(scattered.frame(int(number)), wanted[number]), number
    # and they are the pictures that went in, in their order
    for number, picture in enumerate(wanted):
        bar = int((picture[3].mean(axis=1) > 215).sum())
        assert abs(bar - (1 + number)) <= 1, number


def test_stepping_back_is_served_from_the_frames_passed_on_the_way(tmp_path: Path) -> None:
    path = write_video(tmp_path / "a.mp4", 40, options=LONG_GOP)
    reader = Reader(path, probe(path))
    reader.frame(25)
    assert {23, 24} <= set(reader._kept)


def test_frames_outside_the_file_are_refused(tmp_path: Path) -> None:
    path = write_video(tmp_path / "a.mp4", 5)
    reader = Reader(path, probe(path))
    for number in (-1, 5):
        with pytest.raises(MediaError, match="no frame"):
            reader.frame(number)


def test_a_variable_rate_is_laid_on_an_even_grid_and_said(tmp_path: Path) -> None:
    times = [0, 1, 2, 7, 8, 20, 21, 22, 40, 41]
    path = write_video(tmp_path / "v.mkv", 10, times=times)
    info = probe(path)
    assert info.variable
    assert info.fps == 24
    assert info.frames == 42
    assert "laid on 24 frames" in info.said[0]
    reader = Reader(path, info, keep_bytes=0)
    for frame in (41, 40, 6, 30, 2, 3, 7, 19, 20, 0):
        shown = max(n for n, time in enumerate(times) if time <= frame)
        assert np.abs(reader.frame(frame).astype(int) - numbered(shown, 96, 64)).mean() < 9


@pytest.mark.parametrize("size", [(97, 63), (2, 2), (101, 64)])
def test_odd_sizes(tmp_path: Path, size: tuple[int, int]) -> None:
    path = write_video(tmp_path / "odd.mkv", 6, "ffv1", size=size, pixels="bgr0")
    info = probe(path)
    assert (info.width, info.height) == size
    assert np.array_equal(Reader(path, info).frame(4), numbered(4, *size))


def test_rotation_is_applied(tmp_path: Path) -> None:
    """A quarter turn, written into the track header's matrix (ISO/IEC 14496-12, 8.3.2) as a phone does."""
    path = write_video(tmp_path / "r.mp4", 6)
    data = bytearray(path.read_bytes())
    at = data.index(b"tkhd") + 4 + 4 + 4 * 5 + 8 + 8
    one = (1 << 16).to_bytes(4)
    flat = one + bytes(12) + one + bytes(12) + (1 << 30).to_bytes(4)
    assert bytes(data[at : at + 36]) == flat
    data[at : at + 36] = (
        bytes(4) + one + bytes(4) + (-(1 << 16)).to_bytes(4, signed=True) + bytes(16) + (1 << 30).to_bytes(4)
    )
    path.write_bytes(bytes(data))
    info = probe(path)
    assert info.rotation in (90, 270)
    assert (info.width, info.height) == (64, 96)
    picture = Reader(path, info).frame(5)
    assert picture.shape == (96, 64, 3)
    # the bar at the top has come to lie along the right edge: the picture was turned clockwise
    assert picture[:5, -6:].mean() > 200
    assert picture[-8:, -6:].mean() < 160


def test_alpha_is_noticed(tmp_path: Path) -> None:
    writer = VideoWriter(tmp_path / "a.mov", "prores4444", 32, 16, 24)
    for _ in range(3):
        writer.write(np.full((16, 32, 4), 128, np.uint8))
    writer.close()
    assert probe(tmp_path / "a.mov").alpha


def broken(tmp_path: Path, name: str, data: bytes) -> str:
    path = tmp_path / name
    path.write_bytes(data)
    with pytest.raises(MediaError) as fault:
        probe(path)
    assert str(fault.value).endswith(".")
    return str(fault.value)


def test_files_that_are_no_footage_are_refused_with_a_sentence(tmp_path: Path) -> None:
    good = write_video(tmp_path / "good.mp4", 30).read_bytes()
    assert "empty" in broken(tmp_path, "e.mp4", b"")
    assert "can't be read" in broken(tmp_path, "t.mp4", b"These are the minutes of the harbour board. " * 200)
    assert broken(tmp_path, "half.mp4", good[: len(good) // 2])
    assert broken(tmp_path, "head.mp4", good[:200])
    assert "sequence" in broken(tmp_path, "z.zip", b"PK\x03\x04" + b"\x00" * 60)


def test_a_file_cut_short_says_so(tmp_path: Path) -> None:
    path = write_video(tmp_path / "f.mp4", 40)
    remuxed = tmp_path / "fast.mp4"
    with av.open(str(path)) as source, av.open(str(remuxed), "w", options={"movflags": "faststart"}) as out:
        stream = out.add_stream_from_template(source.streams.video[0])
        for packet in source.demux(source.streams.video[0]):
            if packet.dts is not None:
                packet.stream = stream
                out.mux(packet)
    data = remuxed.read_bytes()
    text = broken(tmp_path, "cut.mp4", data[: int(len(data) * 0.7)])
    assert "cut short" in text or "damaged" in text


def test_sound_alone_is_taken_as_sound(tmp_path: Path) -> None:
    path = tmp_path / "s.mp4"
    with av.open(str(path), "w") as out:
        stream = out.add_stream("aac", rate=44100)
        frame = av.AudioFrame.from_ndarray(np.zeros((1, 1024), np.float32), format="fltp", layout="mono")
        frame.sample_rate = 44100
        out.mux(stream.encode(frame))
        out.mux(stream.encode(None))
    info = probe(path)
    assert (info.kind, info.frames, info.codec) == ("sound", 0, "aac")
    with pytest.raises(MediaError, match="only sound"):
        probe_video(path)


def test_a_video_without_frames_is_refused(tmp_path: Path) -> None:
    path = tmp_path / "none.mkv"
    with av.open(str(path), "w") as out:
        stream = out.add_stream("ffv1", rate=24)
        stream.width, stream.height, stream.pix_fmt = 16, 16, "gray"
        out.start_encoding()
    with pytest.raises(MediaError):
        probe(path)


def test_pictures_too_large_to_work_on_are_refused(monkeypatch: pytest.MonkeyPatch, tmp_path: Path) -> None:
    with pytest.raises(MediaError, match="million"):
        probing.check_size(20_000, 300)
    with pytest.raises(MediaError, match="too small"):
        probing.check_size(1, 300)
    monkeypatch.setattr(probing, "MAX_FRAMES", 4)
    with pytest.raises(MediaError, match="more than 4 frames"):
        probe(write_video(tmp_path / "l.mp4", 6))


def pictures(folder: Path, names: list[str], size: tuple[int, int] = (24, 16)) -> list[tuple[str, Path]]:
    folder.mkdir(exist_ok=True)
    for index, name in enumerate(names):
        (folder / name).write_bytes(png_bytes(numbered(index, *size)))
    return [(name, folder / name) for name in names]


def test_a_sequence_is_read_in_the_natural_order_of_its_names(tmp_path: Path) -> None:
    given = pictures(tmp_path / "p", ["f2.png", "f10.png", "f1.png"])
    pack_sequence(given, tmp_path / "s.zip")
    info = probe(tmp_path / "s.zip")
    assert info.names == ["f1.png", "f2.png", "f10.png"]
    reader = Reader(tmp_path / "s.zip", info)
    assert np.array_equal(reader.frame(0), numbered(2, 24, 16))
    assert np.array_equal(reader.frame(2), numbered(1, 24, 16))


def test_the_same_pictures_make_the_same_bytes(tmp_path: Path) -> None:
    given = pictures(tmp_path / "p", ["a.png", "b.png"])
    pack_sequence(given, tmp_path / "1.zip")
    pack_sequence(given[::-1], tmp_path / "2.zip")
    assert (tmp_path / "1.zip").read_bytes() == (tmp_path / "2.zip").read_bytes()


def test_sequences_that_do_not_hold_together_are_refused(tmp_path: Path) -> None:
    mixed = pictures(tmp_path / "p", ["a.png"]) + pictures(tmp_path / "q", ["b.png"], (32, 16))
    pack_sequence(mixed, tmp_path / "m.zip")
    with pytest.raises(MediaError, match="different sizes"):
        probe(tmp_path / "m.zip")
    with zipfile.ZipFile(tmp_path / "n.zip", "w") as archive:
        archive.writestr("a.png", b"no picture at all, but long enough to have a header")
        archive.writestr("notes.txt", b"x")
    with pytest.raises(MediaError, match="not a PNG"):
        probe(tmp_path / "n.zip")
    whole = png_bytes(numbered(0, 64, 48))
    with zipfile.ZipFile(tmp_path / "t.zip", "w") as archive:
        archive.writestr("a.png", whole[: len(whole) // 3])
    with pytest.raises(MediaError, match="broken"):
        probe(tmp_path / "t.zip")
    with zipfile.ZipFile(tmp_path / "e.zip", "w") as archive:
        archive.writestr("notes.txt", b"x")
    with pytest.raises(MediaError, match="no pictures"):
        probe(tmp_path / "e.zip")


def test_a_picture_that_claims_to_be_huge_is_refused_before_it_is_decoded(tmp_path: Path) -> None:
    header = bytearray(png_bytes(numbered(0, 24, 16)))
    header[16:24] = (60_000).to_bytes(4) + (60_000).to_bytes(4)
    with zipfile.ZipFile(tmp_path / "h.zip", "w") as archive:
        archive.writestr("a.png", bytes(header))
    with pytest.raises(MediaError, match="million"):
        probe(tmp_path / "h.zip")


@pytest.mark.parametrize("form", ["h264", "prores4444", "ffv1-grey"])
def test_parts_joined_without_encoding_again_are_the_whole(tmp_path: Path, form: str) -> None:
    channels = {"h264": 3, "prores4444": 4, "ffv1-grey": 0}[form]
    suffix = {"h264": ".mp4", "prores4444": ".mov", "ffv1-grey": ".mkv"}[form]

    def frame(index: int) -> np.ndarray:
        rgb = numbered(index)
        if channels == 0:
            return np.ascontiguousarray(rgb[..., 0])
        return rgb if channels == 3 else np.dstack([rgb, np.full(rgb.shape[:2], 255, np.uint8)])

    parts = []
    for begin in (0, 10, 20):
        path = tmp_path / f"{begin}{suffix}"
        writer = VideoWriter(path, form, 96, 64, 23.976)
        for index in range(begin, min(begin + 10, 25)):
            writer.write(frame(index))
        writer.close()
        parts.append((path, min(10, 25 - begin)))
    join_videos(parts, tmp_path / f"all{suffix}")
    info = probe(tmp_path / f"all{suffix}")
    assert info.frames == 25
    assert info.fps == pytest.approx(24000 / 1001, rel=1e-3)
    assert not info.variable
    for index, picture in enumerate(sequential(tmp_path / f"all{suffix}", info)):
        given = frame(index)
        given = given if given.ndim == 3 else np.repeat(given[..., None], 3, axis=2)
        limit = 0.0 if form == "ffv1-grey" else 9.0
        assert np.abs(picture.astype(int) - given[..., :3]).mean() <= limit, index


SAME = """
import sys
import cv2
import numpy as np
from pathlib import Path
from cuvrel.core.media.writer import VideoWriter

picture = cv2.GaussianBlur(np.random.default_rng(3).integers(0, 256, (300, 520, 3), np.uint8), (0, 0), 3)
writer = VideoWriter(Path(sys.argv[1]), sys.argv[2], 480, 270, 24.0)
for n in range(12):
    writer.write(np.ascontiguousarray(picture[n : 270 + n, 3 * n : 480 + 3 * n]))
writer.close()
"""


@pytest.mark.parametrize("form", ["h264", "h264-small"])
def test_the_same_frames_make_the_same_file_whatever_memory_held_before(tmp_path: Path, form: str) -> None:
    made = list[bytes]()
    for filler in ("1", "77"):
        path = tmp_path / f"{filler}.mp4"
        # the C library fills what it hands out: every buffer, with mmap's pages kept out
        env = {**os.environ, "MALLOC_PERTURB_": filler, "MALLOC_MMAP_THRESHOLD_": "2000000000"}
        subprocess.run([sys.executable, "-c", SAME, str(path), form], env=env, check=True)
        made.append(path.read_bytes())
    assert made[0] == made[1]


def test_an_odd_picture_loses_a_line_where_the_format_can_not_hold_it(tmp_path: Path) -> None:
    writer = VideoWriter(tmp_path / "o.mp4", "h264", 97, 63, 24)
    writer.write(numbered(0, 97, 63))
    writer.close()
    info = probe(tmp_path / "o.mp4")
    assert (info.width, info.height) == (96, 62)


def test_grey_pictures_survive(tmp_path: Path) -> None:
    grey = numbered(3)[..., 0]
    assert np.array_equal(read_grey(png_bytes(grey)), grey)
    with pytest.raises(ValueError, match="PNG"):
        read_grey(b"no")


@pytest.mark.parametrize(
    ("rate", "exact"),
    [
        (24.0, (24, 1)),
        (23.976, (24000, 1001)),
        (29.97, (30000, 1001)),
        (12.5, (25, 2)),
        (1.0, (1, 1)),
        (2.0, (2, 1)),
        (59.94, (60000, 1001)),
        (60.0, (60, 1)),
    ],
)
def test_rates_are_exact(rate: float, exact: tuple[int, int]) -> None:
    assert exact_rate(rate).as_integer_ratio() == exact


def test_resizing_keeps_the_mean(tmp_path: Path) -> None:
    picture = numbered(4)
    assert resized(picture, (64, 96)) is picture
    assert abs(resized(picture, (32, 48)).mean() - picture.mean()) < 1.5
    assert resized(picture, (128, 192)).shape == (128, 192, 3)
