"""Files of every kind that is taken, changed where their structure is: a fuzzer that knows what it changes.

Fields of boxes, chunks, elements, directories and headers take on values that are odd, and such pieces are left out,
repeated and exchanged, so that what is wrong lies behind the first check of a reader. The same seed gives the same
files.
"""

from __future__ import annotations

import io
import struct
import tempfile
import zipfile
import zlib
from collections.abc import Callable, Iterator
from pathlib import Path

import cv2
import numpy as np
import OpenEXR
import tifffile

from bench.hostile import SEED, picture, png, sound, video, zipped

Field = tuple[int, str]  # where an integer lies, and how (struct)
Piece = tuple[int, int]  # from where to where
ODD = (0, 1, 2, 0x7F, 0xFF, 0x7FFF, 0xFFFF, 0x10000, 0x7FFFFFFF, 0xFFFFFFFF, 1 << 20, 1 << 30)


def _boxes(data: bytes, at: int = 0, end: int | None = None, depth: int = 0) -> Iterator[tuple[Field, Piece]]:
    """Boxes of ISO/IEC 14496-12, and their sizes."""
    end = len(data) if end is None else end
    while at + 8 <= end:
        size = struct.unpack_from(">I", data, at)[0]
        if size < 8 or at + size > end:
            return
        yield (at, ">I"), (at, at + size)
        if depth < 6 and data[at + 4 : at + 8] in (b"moov", b"trak", b"mdia", b"minf", b"stbl", b"edts", b"udta"):
            yield from _boxes(data, at + 8, at + size, depth + 1)
        else:
            yield from (((place, ">I"), (at, at + size)) for place in range(at + 8, min(at + size, at + 64) - 3, 4))
        at += size


def _riff(data: bytes, at: int = 12, end: int | None = None) -> Iterator[tuple[Field, Piece]]:
    """Chunks of RIFF, as in WAV and AVI."""
    end = len(data) if end is None else end
    while at + 8 <= end:
        size = struct.unpack_from("<I", data, at + 4)[0]
        yield (at + 4, "<I"), (at, min(end, at + 8 + size))
        yield from (((place, "<I"), (at, at + 8)) for place in range(at + 8, min(at + 8 + size, at + 60, end) - 3, 4))
        if data[at : at + 4] == b"LIST":
            yield from _riff(data, at + 12, min(end, at + 8 + size))
        at += 8 + size + size % 2


def _ebml(data: bytes, at: int = 0, end: int | None = None) -> Iterator[tuple[Field, Piece]]:
    """Elements of EBML (RFC 8794), as in MKV and WebM; the first byte of a size is its field."""
    end = len(data) if end is None else end
    while at < end:
        wide = 9 - data[at].bit_length()
        place = at + wide
        if wide > 4 or place >= end:
            return
        long = 9 - data[place].bit_length()
        size = int.from_bytes(data[place : place + long]) & ((1 << 7 * long) - 1)
        begin = place + long
        yield (place, ">B"), (at, min(end, begin + size))
        if data[at : at + wide].hex() in ("1a45dfa3", "18538067", "1654ae6b", "ae", "e0", "e1", "1549a966", "1f43b675"):
            yield from _ebml(data, begin, min(end, begin + size))
        elif size <= 8:
            yield (begin, ">B"), (at, begin + size)
        at = begin + size


def _chunks(data: bytes) -> Iterator[tuple[Field, Piece]]:
    """Chunks of PNG (ISO/IEC 15948); the fields of its head, too."""
    at = 8
    while at + 12 <= len(data):
        size = struct.unpack_from(">I", data, at)[0]
        yield (at, ">I"), (at, at + 12 + size)
        if data[at + 4 : at + 8] == b"IHDR":
            yield from (((at + 8 + n, form), (at, at + 12 + size)) for n, form in
                        ((0, ">I"), (4, ">I"), (8, ">B"), (9, ">B"), (10, ">B"), (12, ">B")))  # fmt: skip
        at += 12 + size


def _entries(data: bytes) -> Iterator[tuple[Field, Piece]]:
    """Entries of a TIFF's first directory: tag, type, count and value."""
    at = struct.unpack_from("<I", data, 4)[0]
    yield (4, "<I"), (at, at + 2)
    for n in range(struct.unpack_from("<H", data, at)[0]):
        place = at + 2 + 12 * n
        for shift, form in ((0, "<H"), (2, "<H"), (4, "<I"), (8, "<I"), (8, "<H")):
            yield (place + shift, form), (place, place + 12)


def _attributes(data: bytes) -> Iterator[tuple[Field, Piece]]:
    """Attributes of an EXR's header."""
    at = 8
    while at < len(data) and data[at]:
        begin = at
        kind = data.index(b"\0", at) + 1
        at = data.index(b"\0", kind) + 1
        size = struct.unpack_from("<I", data, at)[0]
        yield (at, "<I"), (begin, at + 4 + size)
        yield from (((place, "<I"), (begin, at + 4 + size)) for place in range(at + 4, at + 4 + size - 3, 4))
        at += 4 + size


def _members(data: bytes) -> Iterator[tuple[Field, Piece]]:
    """Headers of a ZIP's members, local and central (APPNOTE 4.3.7, 4.3.12)."""
    for mark, size, fields in ((b"PK\x03\x04", 30, (6, 8, 26, 28)), (b"PK\x01\x02", 46, (8, 10, 28, 30, 32))):
        at = data.find(mark)
        while at >= 0:
            yield from (((at + n, "<H"), (at, at + size)) for n in fields)
            sizes = (18, 22) if size == 30 else (20, 24, 42)
            yield from (((at + n, "<I"), (at, at + size)) for n in sizes)
            at = data.find(mark, at + 4)


def _blindly(data: bytes) -> Iterator[tuple[Field, Piece]]:
    """Of what has no structure that is known here, the beginning."""
    yield from (((at, ">H"), (at, at + 64)) for at in range(0, min(len(data) - 64, 512), 2))


def _exr(half: bool) -> bytes:
    colour = picture().astype(np.float16 if half else np.float32) / 255
    header = {"compression": OpenEXR.ZIP_COMPRESSION, "type": OpenEXR.scanlineimage}
    return _file(lambda name: OpenEXR.File(header, {"RGB": np.ascontiguousarray(colour)}).write(name), ".exr")


def _file(write: Callable[[str], object], suffix: str) -> bytes:
    with tempfile.TemporaryDirectory() as folder:
        name = Path(folder) / f"a{suffix}"
        write(str(name))
        return name.read_bytes()


def _tiff(**how: object) -> bytes:
    out = io.BytesIO()
    tifffile.imwrite(out, picture().astype(np.uint16) * 257, photometric="rgb", **how)
    return out.getvalue()


def kinds() -> dict[str, tuple[bytes, Callable[[bytes], Iterator[tuple[Field, Piece]]]]]:
    """A good file of every kind, by its name, and what tells of its structure."""
    still = png(picture())
    return {
        "a.mp4": (video(".mp4"), _boxes), "a.mov": (video(".mov"), _boxes), "a.mkv": (video(".mkv"), _ebml),
        "a.webm": (video(".webm"), _ebml), "a.avi": (video(".avi"), _riff), "a.png": (still, _chunks),
        "a.jpg": (cv2.imencode(".jpg", picture())[1].tobytes(), _blindly), "a.tif": (_tiff(), _entries),
        "b.tif": (_tiff(compression="zlib", predictor=True), _entries), "a.exr": (_exr(True), _attributes),
        "b.exr": (_exr(False), _attributes), "a.zip": (zipped({"a.png": still, "b.png": still}), _members),
        "b.zip": (zipped({"a.tif": _tiff(compression="zlib")}, zipfile.ZIP_DEFLATED), _members),
        "a.m4a": (sound(".m4a"), _boxes), "a.wav": (sound(".wav"), _riff), "a.flac": (sound(".flac"), _blindly),
        "a.mp3": (sound(".mp3"), _blindly), "a.ogg": (sound(".ogg"), _blindly),
    }  # fmt: skip


def _changed(data: bytes, fields: list[Field], pieces: list[Piece], rng: np.random.Generator) -> bytes:
    out = bytearray(data)
    for _ in range(int(rng.integers(1, 4))):
        place, form = fields[int(rng.integers(len(fields)))]
        size = struct.calcsize(form)
        old = struct.unpack_from(form, data, place)[0]
        new = (*ODD, old + 1, old - 1, old * 2, int(rng.integers(1 << 31)))[int(rng.integers(len(ODD) + 4))]
        struct.pack_into(form, out, place, new % (1 << 8 * size))
    begin, end = pieces[int(rng.integers(len(pieces)))]
    match int(rng.integers(8)):
        case 0:
            del out[begin:end]
        case 1:
            out[end:end] = data[begin:end]
        case 2:
            other = pieces[int(rng.integers(len(pieces)))]
            out[begin:end] = data[slice(*other)]
        case 3:
            del out[int(len(out) * (0.3 + 0.7 * rng.random())) :]
    return bytes(out)


def _with_sums(data: bytes) -> bytes:
    """A PNG whose chunks have the sums that they should have, so that what was changed is looked at."""
    out, at = bytearray(data), 8
    while at + 12 <= len(out):
        size = struct.unpack_from(">I", out, at)[0]
        if at + 12 + size > len(out):
            break
        struct.pack_into(">I", out, at + 8 + size, zlib.crc32(out[at + 4 : at + 8 + size]))
        at += 12 + size
    return bytes(out)


def mutants(count: int, seed: int = SEED) -> Iterator[tuple[str, bytes]]:
    """So many files as (name, bytes), of all kinds in turn."""
    good = {name: (data, *map(list, zip(*parts(data), strict=True))) for name, (data, parts) in kinds().items()}
    names = list(good)
    for n in range(count):
        name = names[n % len(names)]
        data, fields, pieces = good[name]
        changed = _changed(data, fields, pieces, np.random.default_rng(seed + n))
        yield name, _with_sums(changed) if name.endswith(".png") else changed
