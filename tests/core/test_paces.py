"""Slow motion within a file: its paces are found, and time maps go from one way of showing it to the other."""

from __future__ import annotations

from fractions import Fraction
from pathlib import Path

import pytest
from bench.media import film

from cuvrel.core.media.probe import MediaInfo, probe
from cuvrel.core.motion.paces import other_way, paces
from cuvrel.core.motion.timing import TimeParams, moment

MICRO = Fraction(1, 1_000_000)
PICTURES = {"times": "picture by picture"}


def seconds() -> list[float]:
    """Thirty pictures at 30 a second, eighty at 240, thirty at 30."""
    steps = [1 / 30] * 30 + [1 / 240] * 80 + [1 / 30] * 29
    out = [0.0]
    for one in steps:
        out.append(out[-1] + one)
    return out


def filmed(path: Path, hand: dict[str, str], times: list[float] | None = None) -> MediaInfo:
    """As a phone writes it, in steps of a microsecond."""
    stamps = [round(one * 1_000_000) for one in times or seconds()]
    film(path, "matroska", count=len(stamps), times=stamps, base=MICRO)
    return probe(path, hand=hand)


def test_stretches_are_told_by_their_pace(tmp_path: Path) -> None:
    for hand in ({}, PICTURES):
        found = paces(filmed(tmp_path / "a.mkv", hand))
        assert [(one.first, one.last) for one in found] == [(0, 29), (30, 109), (110, len(seconds()) - 1)]
        assert [one.rate for one in found] == pytest.approx([30, 240, 30], rel=0.02)


def test_pictures_read_one_by_one_go_as_the_clock_went(tmp_path: Path) -> None:
    info, times = filmed(tmp_path / "a.mkv", PICTURES), seconds()
    assert info.frames == len(times)
    assert info.fps == pytest.approx(30, rel=0.01)
    params = TimeParams(speed={"keys": other_way(info)})
    for frame in range(0, int(times[-1] * info.fps)):
        seen = moment(params, frame, info.fps, info.frames)
        # within half a picture of the shot's rate
        assert seen is not None
        assert abs(times[seen.frame] - frame / info.fps) < 0.6 / 30, frame


def test_footage_by_the_clock_shows_each_picture_once(tmp_path: Path) -> None:
    info, times = filmed(tmp_path / "a.mkv", {}), seconds()
    assert info.fps == pytest.approx(240, rel=0.01)
    params = TimeParams(speed={"keys": other_way(info)})
    seen = [moment(params, n, info.fps, info.frames) for n in range(len(times))]
    pictures = sorted(set(info.pts))
    shown = [pictures.index(info.pts[one.frame]) for one in seen if one is not None]
    assert max(abs(n - one) for n, one in enumerate(shown)) <= 1


def test_one_pace_and_chance_offer_nothing(tmp_path: Path) -> None:
    even = [n / 30 for n in range(60)]
    assert paces(filmed(tmp_path / "a.mkv", {}, even)) == []
    late = [one + (0.01 if n % 17 == 3 else 0) for n, one in enumerate(even)]
    assert other_way(filmed(tmp_path / "b.mkv", {}, late)) == []
