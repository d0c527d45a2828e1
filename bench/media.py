"""Footage as people have it: containers, times, streams and shapes, made here and held against what was put in.

Each frame carries its number in bars, so that a wrong picture is told by looking at it.
"""

from __future__ import annotations

import tempfile
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from fractions import Fraction
from itertools import pairwise
from pathlib import Path
from typing import Any

import av
import numpy as np

from cuvrel.core.arrays import U8
from cuvrel.core.media.probe import MediaInfo, probe
from cuvrel.core.media.reader import Reader
from cuvrel.core.recipe.errors import CuvrelError

WIDE, HIGH, COUNT = 160, 96, 48
GROUPS = {"g": "12", "bf": "3"}
Numbers = list[int]


def picture(number: int) -> U8:
    """(HIGH, WIDE, 3) uint8 with a number in eight bars, and a lighter corner at the top left."""
    out = np.full((HIGH, WIDE, 3), 60, np.uint8)
    out[:12, :12] = 160
    for bit in range(8):
        if number >> bit & 1:
            out[24:80, 10 + 18 * bit : 22 + 18 * bit] = 220
    return out


def number_of(seen: U8) -> int:
    """The number of a picture, whatever its size; -1 where its lighter corner is not at the top left."""
    high, wide = seen.shape[:2]
    if seen[: high // 12, : wide // 20].mean() < 110:
        return -1
    bars = [seen[high * 45 // 96 : high * 60 // 96, wide * (13 + 18 * b) // 160 : wide * (19 + 18 * b) // 160]
            for b in range(8)]  # fmt: skip
    return sum((bar.mean() > 140) << bit for bit, bar in enumerate(bars))


def film(
    path: Path, form: str, codec: str = "libx264", count: int = COUNT, *, options: dict[str, str] | None = None,
    times: Numbers | None = None, base: Fraction = Fraction(1, 24), rate: int = 24, pixels: str = "yuv420p",
    keep: Callable[[int], bool] = lambda n: True, aspect: Fraction | None = None,
) -> None:  # fmt: skip
    """Writes a film of numbered pictures. keep: which of the packets, by their order, reach the file."""
    sent = 0
    with av.open(str(path), "w", format=form) as container:
        stream: Any = container.add_stream(codec, rate=rate, options=GROUPS if options is None else options)
        stream.width, stream.height, stream.pix_fmt = WIDE, HIGH, pixels
        stream.codec_context.time_base = base
        if aspect is not None:
            stream.codec_context.sample_aspect_ratio = stream.sample_aspect_ratio = aspect
        for n in range(count + 1):
            frame = None
            if n < count:
                frame = av.VideoFrame.from_ndarray(picture(n), format="rgb24").reformat(format=pixels)
                frame.pts, frame.time_base = times[n] if times else n, base
            for packet in stream.encode(frame):
                sent += 1
                if keep(sent):
                    container.mux(packet)


def _y4m(path: Path) -> None:
    """YUV4MPEG2, as tools hand it to one another."""
    with path.open("wb") as file:
        file.write(b"YUV4MPEG2 W%d H%d F24:1 Ip A1:1 C420jpeg\n" % (WIDE, HIGH))
        for n in range(COUNT):
            planes = av.VideoFrame.from_ndarray(picture(n), format="rgb24").reformat(format="yuv420p").to_ndarray()
            file.write(b"FRAME\n" + planes.tobytes())


def _matrix(path: Path, a: int, b: int, c: int, d: int) -> None:
    """An MP4 whose track is turned or mirrored by this matrix (ISO/IEC 14496-12, 8.3.2)."""
    film(path, "mp4")
    data = bytearray(path.read_bytes())
    at = data.index(b"tkhd") + 4 + 4 + 4 * 5 + 8 + 8
    for place, value in ((0, a), (4, b), (12, c), (16, d)):
        data[at + place : at + place + 4] = (value << 16).to_bytes(4, signed=True)
    path.write_bytes(bytes(data))


def _half_mxf(path: Path) -> None:
    """An MXF file that was cut in half, and has lost its index."""
    film(path, "mxf", "mpeg2video", options={"bf": "2", "g": "12"}, rate=25, base=Fraction(1, 25))
    data = path.read_bytes()
    path.write_bytes(data[: len(data) * 6 // 10])


def _two(path: Path, first: int, second: int, default: int) -> None:
    """An MKV with two films, of which one is the default."""
    from av.stream import Disposition

    with av.open(str(path), "w", format="matroska") as container:
        streams: list[Any] = []
        for n in range(2):
            stream: Any = container.add_stream("libx264", rate=24, options=GROUPS)
            stream.width, stream.height, stream.pix_fmt = WIDE, HIGH, "yuv420p"
            stream.disposition = Disposition.default if n == default else Disposition(0)
            streams.append(stream)
        for n in range(COUNT):
            for stream, shift in zip(streams, (first, second), strict=True):
                container.mux(stream.encode(av.VideoFrame.from_ndarray(picture(n + shift), format="rgb24")))
        for stream in streams:
            container.mux(stream.encode(None))


ALL = list(range(COUNT))
UNEVEN = [int(one) for one in np.cumsum([40 if n % 7 else 15 for n in range(COUNT)])]
SLOWED = [33 * n if n < 24 else 33 * 24 + 4 * (n - 24) for n in range(COUNT)]
GAPS = [n + 5 * (n > 10) + 3 * (n > 30) for n in range(COUNT)]
MILLI = Fraction(1, 1000)


@dataclass(frozen=True)
class Kind:
    """A file, and what it must come in as. shows: the numbers in the order of their first showing; None: some that
    follow one another. shape: where it is not as it was made. says: a part of what a person is told.
    """

    name: str
    make: Callable[[Path], None]
    shows: Numbers | None
    shape: tuple[int, int] = (WIDE, HIGH)
    says: str = ""
    as_seen: Callable[[U8], U8] = lambda seen: seen


def kinds() -> Iterator[Kind]:
    """All kinds of files."""
    for form, ending in (("mp4", "mp4"), ("mov", "mov"), ("matroska", "mkv"), ("mpegts", "ts"), ("flv", "flv"),
                         ("3gp", "3gp")):  # fmt: skip
        yield Kind(f"a.{ending}", lambda path, form=form: film(path, form), ALL)
    yield Kind("b-frames.avi", lambda path: film(path, "avi"), ALL)
    yield Kind("mpeg4.avi", lambda path: film(path, "avi", "mpeg4", options={"bf": "2"}), ALL)
    yield Kind("dropped.avi", lambda path: film(path, "avi", "mpeg4", options={}, times=GAPS), ALL)
    yield Kind("bare.h264", lambda path: film(path, "h264"), ALL)
    yield Kind("without an ending", lambda path: film(path, "mp4"), ALL)
    yield Kind("program.mpg", lambda path: film(path, "mpeg", "mpeg2video", options={"bf": "2"}, rate=25,
                                                base=Fraction(1, 25)), ALL)  # fmt: skip
    yield Kind("a.wmv", lambda path: film(path, "asf", "wmv2", options={}), ALL)
    yield Kind("a.webm", lambda path: film(path, "webm", "libvpx-vp9", options={"cpu-used": "8"}), ALL)
    yield Kind("a.gif", lambda path: film(path, "gif", "gif", options={}, pixels="rgb8", base=Fraction(1, 100),
                                          times=[4 * n for n in ALL], rate=25), ALL)  # fmt: skip
    yield Kind("a.y4m", _y4m, ALL)
    yield Kind("uneven.mkv", lambda path: film(path, "matroska", times=UNEVEN, base=MILLI), ALL, says="unevenly")
    yield Kind("slowed.mkv", lambda path: film(path, "matroska", times=SLOWED, base=MILLI), ALL, says="unevenly")
    yield Kind("lost.mkv", lambda path: film(path, "matroska", options={"g": "1", "bf": "0"},
                                             keep=lambda n: not 20 <= n < 26), ALL[:19] + ALL[25:],
               says="Frames 19 to 24 are missing")  # fmt: skip
    yield Kind("wide pixels.mp4", lambda path: film(path, "mp4", aspect=Fraction(4, 3)), ALL, (214, HIGH),
               "not square")  # fmt: skip
    yield Kind("narrow pixels.mkv", lambda path: film(path, "matroska", aspect=Fraction(8, 9)), ALL, (142, HIGH),
               "not square")  # fmt: skip
    yield Kind("turned.mp4", lambda path: _matrix(path, 0, 1, -1, 0), ALL, (HIGH, WIDE),
               as_seen=lambda seen: np.rot90(seen))  # fmt: skip
    yield Kind("turned over.mp4", lambda path: _matrix(path, -1, 0, 0, -1), ALL, as_seen=lambda seen: seen[::-1, ::-1])
    yield Kind("mirrored.mp4", lambda path: _matrix(path, -1, 0, 0, 1), ALL, as_seen=lambda seen: seen[:, ::-1])
    yield Kind("mirrored and turned.mp4", lambda path: _matrix(path, 0, 1, 1, 0), ALL, (HIGH, WIDE),
               as_seen=lambda seen: seen.transpose(1, 0, 2))  # fmt: skip
    yield Kind("half.mxf", _half_mxf, None)
    late = {**GROUPS, "x264-params": "open-gop=1"}
    yield Kind("begun late.ts", lambda path: film(path, "mpegts", options=late, keep=lambda n: n > 12), None,
               says="missing at the start")  # fmt: skip
    yield Kind("the second of two.mkv", lambda path: _two(path, 100, 0, 1), ALL)


def faults(kind: Kind, path: Path) -> list[str]:
    """What does not come in as it should. An empty list is a file that is right."""
    try:
        return _faults(kind, path, probe(path))
    except CuvrelError as fault:
        return [f"refused: {fault.message}"]


def _faults(kind: Kind, path: Path, info: MediaInfo) -> list[str]:
    out = []
    if (info.width, info.height) != kind.shape:
        out.append(f"{info.width} x {info.height}")
    if kind.says not in " ".join(info.said):
        out.append(f"says {info.said}")
    numbers = shown(path, info, kind, list(range(info.frames)), 96 << 20)
    firsts = [numbers[0], *(b for a, b in pairwise(numbers) if a != b)]
    if kind.shows is None:
        if len(firsts) < 8 or any(b != a + 1 for a, b in pairwise(firsts)):
            out.append(f"shows {firsts}")
    elif firsts != kind.shows and f"{len(kind.shows) - len(firsts)} pictures" not in " ".join(info.said):
        out.append(f"shows {len(firsts)} of {len(kind.shows)} pictures, or not in their order")
    leaps = [int(n) for n in np.random.default_rng(5).permutation(info.frames)]
    if shown(path, info, kind, leaps, 1 << 18) != [numbers[n] for n in leaps]:
        out.append("shows other pictures after a leap")
    return out


def shown(path: Path, info: MediaInfo, kind: Kind, order: Numbers, keep: int) -> Numbers:
    """The numbers of the pictures that a reader gives in an order."""
    reader = Reader(path, info, keep)
    try:
        return [number_of(kind.as_seen(reader.frame(n))) for n in order]
    finally:
        reader.close()


def run() -> None:
    """Prints of each kind whether it comes in right, or what is wrong."""
    right = count = 0
    with tempfile.TemporaryDirectory() as folder:
        for kind in kinds():
            path = Path(folder) / kind.name
            kind.make(path)
            found = faults(kind, path)
            count, right = count + 1, right + (not found)
            print(f"  {kind.name:<26} {'; '.join(found) or 'right'}", flush=True)
    print(f"{right} of {count} come in right")
