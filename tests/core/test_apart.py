"""Files that mean harm are looked at in a process that they may kill, and are refused with a sentence."""

from __future__ import annotations

import os
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from fractions import Fraction
from pathlib import Path

import pytest
from bench.hostile import exr_head, picture, png, sound, swelling_tiff, video, zipped
from bench.mutants import mutants

from cuvrel.core.media.apart import probe_apart
from cuvrel.core.media.probe import MediaInfo, without_holes
from cuvrel.core.media.sound import AFTER, RATE, closed, extract, sound_info
from cuvrel.core.recipe.errors import MediaError
from tests.conftest import Clip


def put(folder: Path, name: str, data: bytes) -> Path:
    to = folder / name
    to.write_bytes(data)
    return to


def test_it_says_what_the_process_itself_would(clip: Clip) -> None:
    seen: list[int] = []
    assert probe_apart(clip.path, seen.append) == clip.info


@pytest.mark.parametrize(
    ("name", "data", "says"),
    [
        ("a.tif", lambda: swelling_tiff(300), "broken"),
        ("a.exr", lambda: exr_head(64, 64, 30_000), "at most 16384 a side"),
        ("a.png", lambda: png(picture(1, 1)), "too small"),
    ],
)
def test_pictures_are_bounded_before_anything_is_allocated(
    tmp_path: Path, name: str, data: Callable[[], bytes], says: str
) -> None:
    file = put(tmp_path, "a.zip", zipped({name: data()}))
    with pytest.raises(MediaError, match=says):
        probe_apart(file, memory=700 << 20)


def test_a_file_that_takes_too_much_is_refused_and_takes_nothing_with_it(tmp_path: Path) -> None:
    file = put(tmp_path, "a.zip", zipped({"a.png": png(picture(6000, 6000))}))
    with pytest.raises(MediaError, match=r"memory|broken"):
        probe_apart(file, memory=180 << 20)
    assert probe_apart(file).frames == 1


def test_one_that_does_not_come_on_is_given_up(tmp_path: Path) -> None:
    os.mkfifo(tmp_path / "a.mp4")  # nobody ever writes into it
    with pytest.raises(MediaError, match="longer than a minute"):
        probe_apart(tmp_path / "a.mp4", silent=0.5)


def test_it_ends_when_nobody_wants_to_know(clip: Clip) -> None:
    def stop(seen: int) -> None:
        raise InterruptedError

    with pytest.raises(InterruptedError):
        probe_apart(clip.path, stop)


def test_a_jump_in_the_times_of_sound_is_closed(tmp_path: Path) -> None:
    info = probe_apart(put(tmp_path, "a.mkv", sound(".mkv", 72_000)))
    assert info.sound is not None
    assert len(info.sound.holes) == 1
    assert info.sound.samples == pytest.approx(47 * 1024, abs=3000)
    count = extract(tmp_path / "a.mkv", info.sound, tmp_path / "samples")
    assert count == pytest.approx(47 * 1024, abs=3000)
    assert (tmp_path / "samples").stat().st_size < 300_000
    assert closed(72_000.6, info.sound.holes) == pytest.approx(0.6, abs=0.05)


def test_sound_that_goes_on_long_after_the_picture_ends_with_it(tmp_path: Path, clip: Clip) -> None:
    file = put(tmp_path, "a.mkv", sound(".mkv", 72_000))
    info = sound_info(file, 0.0, 2.0, [])
    assert info is not None
    assert info.samples < (2 + AFTER) * RATE
    assert extract(file, info, tmp_path / "samples") <= info.samples + RATE


def test_a_hole_in_the_times_of_a_video_is_closed_and_told(tmp_path: Path) -> None:
    times = [n * 40 + 7_200_000 * (n > 5) for n in range(12)]
    info = probe_apart(put(tmp_path, "a.mkv", video(".mkv", 12, base=Fraction(1, 1000), pts=times)))
    assert (info.frames, round(info.fps), info.variable) == (12, 25, False)
    assert info.pts[-1] * info.time_base[0] / info.time_base[1] > 7200, "where it lies in the file stays"
    assert "a hole of 7200 seconds" in info.said[0]


def test_slow_pictures_have_no_holes() -> None:
    slow = [n * 90 for n in range(9)]
    assert without_holes(slow, Fraction(1)) == (slow, [])
    times, holes = without_holes([0, 1, 2, 500, 501, 900], Fraction(1))
    assert times == [0, 1, 2, 3, 4, 5]
    assert holes == [(3.0, 497.0), (502.0, 398.0)]


def ends(folder: Path, count: int, seed: int) -> None:
    """Each of so many changed files is footage or refused with a sentence."""

    def looked(numbered: tuple[int, tuple[str, bytes]]) -> MediaInfo | str:
        n, (name, data) = numbered
        picture = name.split(".")[1] in ("png", "jpg", "tif", "exr")
        file = put(folder, f"{n}.zip" if picture else f"{n}-{name}", zipped({name: data}) if picture else data)
        try:
            return probe_apart(file)
        except MediaError as fault:
            return fault.message

    with ThreadPoolExecutor(2) as pool:
        for found in pool.map(looked, enumerate(mutants(count, seed))):
            assert isinstance(found, MediaInfo) or found.endswith("."), found


def test_changed_files_of_every_kind_are_footage_or_refused(tmp_path: Path) -> None:
    ends(tmp_path, 18, 1)


@pytest.mark.long
def test_many_changed_files_are_footage_or_refused(tmp_path: Path) -> None:
    ends(tmp_path, 1000, 1867)
