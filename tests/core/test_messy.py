"""Footage as people have it comes in right: every picture, in order and in shape, however it is asked for."""

from __future__ import annotations

import json
import struct
from collections.abc import Callable
from fractions import Fraction
from pathlib import Path
from types import SimpleNamespace

import av
import numpy as np
import pytest
from av.stream import Disposition
from bench.media import Kind, faults, film, kinds

from cuvrel.core.media.container import in_order, is_beside, named_window, open_media, picture_of, repaired
from cuvrel.core.media.probe import MediaInfo, on_grid, probe, square
from cuvrel.core.media.reader import Reader
from cuvrel.core.media.space import Space
from cuvrel.core.media.yuv import rgb_of, screen_of
from cuvrel.core.recipe.errors import MediaError

MILLI = Fraction(1, 1000)


@pytest.mark.parametrize("kind", list(kinds()), ids=lambda kind: kind.name)
def test_it_comes_in_right(kind: Kind, tmp_path: Path) -> None:
    path = tmp_path / kind.name
    kind.make(path)
    assert faults(kind, path) == []


def test_times_are_repaired_in_the_order_of_the_decoder() -> None:
    assert in_order([0, 1, 5])
    assert not in_order([0, 1, 1])
    assert not in_order([0, None, 1])
    assert repaired([1, 2, 4, 3, 5], MILLI, None) == ([1000, 2000, 3000, 4000, 5000], MILLI / 1000)
    assert repaired([0, 40, 40, 120], MILLI, None)[0] == [0, 40_000, 80_000, 120_000]
    assert repaired([None, 40, 80, 120, None], MILLI, None)[0] == [0, 40_000, 80_000, 120_000, 160_000]
    times, base = repaired([None] * 4, MILLI, Fraction(25))
    assert [float(one * base) for one in times] == pytest.approx([0, 0.04, 0.08, 0.12])


def test_a_grid_keeps_all_frames_where_it_can_and_tells_where_it_can_not(tmp_path: Path) -> None:
    rate, on = on_grid([0, 40, 80, 100, 120, 160], MILLI)
    assert rate == 50
    assert sorted(set(on)) == [0, 1, 2, 3, 4, 5]
    rate, on = on_grid([0, 1000, 2000, 2001, 3000, 4000], MILLI)
    assert rate == pytest.approx(1, abs=0.001)
    assert len(set(on)) == 5
    times = [1000 * n for n in range(12)] + [11_001, 11_002, 12_000]
    film(tmp_path / "a.mkv", "matroska", count=15, times=times, base=MILLI)
    assert "2 pictures come faster than that and are left out" in " ".join(probe(tmp_path / "a.mkv").said)


@pytest.mark.parametrize(
    ("aspect", "shown"),
    [(None, (720, 576)), (Fraction(64, 45), (1024, 576)), (Fraction(8, 9), (640, 576)), (Fraction(99, 1), (720, 576)),
     (Fraction(1001, 1000), (720, 576))],
)  # fmt: skip
def test_pixels_become_square_by_the_width(aspect: Fraction | None, shown: tuple[int, int]) -> None:
    assert square((720, 576), aspect) == shown


def test_a_picture_is_bounded_as_it_will_be_shown(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    film(tmp_path / "a.mp4", "mp4", count=2, aspect=Fraction(4))
    assert probe(tmp_path / "a.mp4").width == 640
    monkeypatch.setattr("cuvrel.core.media.stills.MAX_SIDE", 600)
    with pytest.raises(MediaError, match="640 x 96"):
        probe(tmp_path / "a.mp4")


def test_a_cover_is_no_film_and_the_default_stream_is_meant() -> None:
    def stream(disposition: Disposition) -> SimpleNamespace:
        return SimpleNamespace(disposition=disposition, codec_context=object())

    cover, film, default = (stream(one) for one in (Disposition.attached_pic, Disposition(0), Disposition.default))
    assert is_beside(cover)
    assert picture_of(SimpleNamespace(streams=SimpleNamespace(video=[cover, film, default]))) is default
    assert picture_of(SimpleNamespace(streams=SimpleNamespace(video=[cover, film]))) is film


@pytest.mark.parametrize(
    ("name", "text"),
    [("list.m3u8", "#EXTM3U\n#EXT-X-TARGETDURATION:9\n#EXTINF:9,\n{other}\n#EXT-X-ENDLIST\n"),
     ("list.mp4", "ffconcat version 1.0\nfile '{other}'\n"), ("notes.txt", "Minutes of a meeting.\n" * 200)],
)  # fmt: skip
def test_lists_that_lead_to_other_files_are_not_followed(tmp_path: Path, name: str, text: str) -> None:
    film(tmp_path / "other.mp4", "mp4")
    (tmp_path / name).write_text(text.format(other=tmp_path / "other.mp4"))
    with pytest.raises(MediaError, match="can't be read"):
        open_media(tmp_path / name)


FORMS = ["yuv420p", "yuv422p", "yuv444p", "yuv411p", "yuv410p", "yuvj420p", "nv12", "yuyv422", "uyvy422", "yuv420p10le"]


@pytest.mark.parametrize("form", FORMS)
@pytest.mark.parametrize("size", [(64, 48), (33, 7), (2, 2)])
def test_a_screen_s_picture_is_right_to_half_a_code(form: str, size: tuple[int, int]) -> None:
    """By value: held against the equations in floats; swscale's fast way is up to three codes too dark."""
    noise = np.random.default_rng(1).integers(0, 255, (size[1], size[0], 3), dtype=np.uint8)
    frame = av.VideoFrame.from_ndarray(noise, format="rgb24").reformat(format=form)
    for space in (Space("bt709", "limited"), Space("bt601", "full")):
        exact = np.clip(rgb_of(frame, space) * 255, 0, 255)
        assert np.abs(screen_of(frame, space) - exact).max() < 0.51


def with_aperture(path: Path) -> Path:
    """A film of 160 x 96 that names a clean aperture of 144 x 80, two pixels right of its middle and one above it."""
    film(path.with_suffix(".plain.mp4"), "mp4")
    data = bytearray(path.with_suffix(".plain.mp4").read_bytes())
    clap = b"\0\0\0\x28clap" + struct.pack(">IIIIiIiI", 144, 1, 80, 1, 2, 1, -1, 1)
    # into the description of the picture, and every box about it grows by as much
    about = data.index(b"avc1", data.index(b"stsd")) - 4
    end = about + int.from_bytes(data[about : about + 4])
    for name in (b"moov", b"trak", b"mdia", b"minf", b"stbl", b"stsd", b"avc1"):
        at = data.index(name, data.index(b"moov")) - 4
        data[at : at + 4] = (int.from_bytes(data[at : at + 4]) + len(clap)).to_bytes(4)
    data[end:end] = clap
    path.write_bytes(bytes(data))
    return path


def with_crop(path: Path) -> Path:
    """An MKV of 160 x 96 that says ten pixels are to be taken away at the left, six above, six right and ten below."""
    film(path.with_suffix(".plain.mkv"), "matroska")
    data = bytearray(path.with_suffix(".plain.mkv").read_bytes())
    crop = b"\x54\xcc\x81\x0a\x54\xbb\x81\x06\x54\xdd\x81\x06\x54\xaa\x81\x0a"
    tracks = data.rindex(b"\x16\x54\xae\x6b")
    sum_ = data.index(b"\xbf\x84", tracks)
    data[sum_] = 0xEC  # a check sum that would be wrong becomes an empty place
    entry = data.index(b"\xae", sum_ + 6)
    video = data.index(b"\xe0", data.index(b"\x83\x81\x01", entry))
    for at in (tracks + 4, entry + 1, video + 1):
        wide = 9 - data[at].bit_length()
        length = (int.from_bytes(data[at : at + wide]) & ((1 << 7 * wide) - 1)) + len(crop)
        data[at : at + wide] = (length | 1 << 7 * wide).to_bytes(wide)
    end = video + 2 + 8 - data[video + 1].bit_length()
    data[end:end] = crop
    empty = data.index(b"\xec\x01\0\0\0\0\0\0")  # what follows stays where it was
    data[empty + 8] -= len(crop)
    del data[empty + 9 : empty + 9 + len(crop)]
    path.write_bytes(bytes(data))
    return path


@pytest.mark.parametrize(
    ("made", "name", "window"),
    [(with_aperture, "a.mp4", (10, 7, 144, 80)), (with_crop, "a.mkv", (10, 6, 144, 80))],
)
def test_a_part_that_a_file_names_is_said_and_is_all_there_is_by_hand(
    tmp_path: Path, made: Callable[[Path], Path], name: str, window: tuple[int, int, int, int]
) -> None:
    path = made(tmp_path / name)
    info = probe(path)
    assert (info.width, info.height, info.window) == (160, 96, window)
    assert "a part of 144 x 80 to be shown" in " ".join(info.said)
    cut = probe(path, hand={"edges": "as the file names them"})
    assert (cut.width, cut.height, cut.frames) == (144, 80, info.frames)
    assert MediaInfo.from_json(json.loads(json.dumps(cut.to_json()))) == cut
    x, y, wide, high = window
    for wanted in ("screen", "light", "alpha"):
        whole, part = (Reader(path, one, wanted=wanted).frame(5) for one in (info, cut))
        assert np.array_equal(whole[y : y + high, x : x + wide], part)
    assert probe(path.with_suffix(f".plain{path.suffix}")).window is None


def test_what_is_broken_names_no_part(tmp_path: Path) -> None:
    data = with_crop(tmp_path / "a.mkv").read_bytes()
    for length in range(0, 400, 7):
        (tmp_path / "cut").write_bytes(data[:length])
        named_window(tmp_path / "cut", "matroska,webm", 0, (160, 96))
    (tmp_path / "far").write_bytes(data)
    assert named_window(tmp_path / "far", "matroska,webm", 0, (15, 14)) is None
    assert named_window(tmp_path / "far", "matroska,webm", 3, (160, 96)) is None
