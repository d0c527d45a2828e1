"""Files that nobody would want to be sent: broken, locked, swollen, or odd in every way that was thought of."""

from __future__ import annotations

import io
import struct
import zipfile
import zlib
from collections.abc import Callable, Iterator
from fractions import Fraction
from pathlib import Path
from typing import Any

import av
import cv2
import numpy as np

from cuvrel.core.arrays import U8

SEED = 1867


def picture(width: int = 96, height: int = 64, seed: int = 0) -> U8:
    """(height, width, 3) uint8, soft and not flat."""
    small = np.random.default_rng(seed).integers(0, 255, (max(1, height // 8), max(1, width // 8), 3), np.uint8)
    return np.asarray(cv2.resize(small, (width, height), interpolation=cv2.INTER_CUBIC))


def png(pixels: U8) -> bytes:
    """A PNG file."""
    return bytes(cv2.imencode(".png", pixels)[1].tobytes())


def video(suffix: str = ".mp4", count: int = 12, size: tuple[int, int] = (96, 64), **how: Any) -> bytes:
    """A small video. how: `pts`, of each frame, and `base`, the time base."""
    out = io.BytesIO()
    form = {".mp4": "mp4", ".mkv": "matroska", ".webm": "webm", ".mov": "mov", ".avi": "avi"}[suffix]
    with av.open(out, "w", format=form) as container:
        stream: Any = container.add_stream("libvpx-vp9" if suffix == ".webm" else "libx264", rate=24)
        stream.width, stream.height, stream.pix_fmt = *size, "yuv420p"
        base = how.get("base", Fraction(1, 24))
        stream.time_base = stream.codec_context.time_base = base
        for n in range(count):
            frame = av.VideoFrame.from_ndarray(picture(*size, seed=n), format="bgr24")
            frame.pts, frame.time_base = how.get("pts", range(count))[n], base
            container.mux(stream.encode(frame))
        container.mux(stream.encode(None))
    return out.getvalue()


def zipped(members: dict[str, bytes], compression: int = zipfile.ZIP_STORED) -> bytes:
    """A ZIP file."""
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", compression) as archive:
        for name, data in members.items():
            archive.writestr(name, data)
    return out.getvalue()


def _patched(data: bytes, offset: int, value: bytes) -> bytes:
    """A ZIP in which a field of every local and every central header is another one (APPNOTE 4.3.7, 4.3.12).

    offset: of the field in a local header; in a central one it lies two bytes further on.
    """
    out = bytearray(data)
    for mark, shift in ((b"PK\x03\x04", 0), (b"PK\x01\x02", 2)):
        at = out.find(mark)
        while at >= 0:
            out[at + offset + shift : at + offset + shift + len(value)] = value
            at = out.find(mark, at + 4)
    return bytes(out)


def _head(width: int, height: int) -> bytes:
    """A PNG that says it is so large and holds next to nothing."""

    def chunk(kind: bytes, data: bytes) -> bytes:
        return struct.pack(">I", len(data)) + kind + data + struct.pack(">I", zlib.crc32(kind + data))

    size = struct.pack(">IIBBBBB", width, height, 8, 2, 0, 0, 0)
    body = zlib.compress(b"\0" * 1000)
    return b"\x89PNG\r\n\x1a\n" + chunk(b"IHDR", size) + chunk(b"IDAT", body) + chunk(b"IEND", b"")


def _swollen(megabytes: int) -> bytes:
    """A picture that is followed by so many megabytes of nothing, packed into little."""
    out = io.BytesIO()
    with (
        zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as archive,
        archive.open("a.png", "w", force_zip64=True) as into,
    ):
        into.write(png(picture()))
        for _ in range(megabytes):
            into.write(bytes(1 << 20))
    return out.getvalue()


def _lies(data: bytes) -> bytes:
    """A member that is larger than its headers say."""
    return _patched(zipped({"a.png": data}, zipfile.ZIP_DEFLATED), 22, struct.pack("<I", 100))


def _flipped(data: bytes, seed: int) -> bytes:
    """Some bytes changed, most of them near the beginning, where headers are."""
    rng = np.random.default_rng(seed)
    out = bytearray(data)
    for _ in range(int(rng.integers(1, 24))):
        out[int(len(out) * rng.random() ** 2)] = int(rng.integers(256))
    return bytes(out)


def exr_head(width: int, height: int, data: int = 0) -> bytes:
    """The header of an EXR picture that says it is so large (OpenEXR file layout). data: the side of its data window,
    where that is another one.
    """

    def attribute(name: str, kind: str, data: bytes) -> bytes:
        return name.encode() + b"\0" + kind.encode() + b"\0" + struct.pack("<I", len(data)) + data

    box = struct.pack("<4i", 0, 0, width - 1, height - 1)
    held = struct.pack("<4i", 0, 0, data - 1, data - 1) if data else box
    channel = b"R\0" + struct.pack("<iB3xii", 1, 0, 1, 1) + b"\0"
    parts = [
        attribute("channels", "chlist", channel), attribute("compression", "compression", b"\0"),
        attribute("dataWindow", "box2i", held), attribute("displayWindow", "box2i", box),
        attribute("lineOrder", "lineOrder", b"\0"), attribute("pixelAspectRatio", "float", struct.pack("<f", 1)),
        attribute("screenWindowCenter", "v2f", bytes(8)), attribute("screenWindowWidth", "float", struct.pack("<f", 1)),
    ]  # fmt: skip
    return b"\x76\x2f\x31\x01" + struct.pack("<I", 2) + b"".join(parts) + b"\0" + bytes(200)


def swelling_tiff(megabytes: int) -> bytes:
    """A TIFF picture of 64 x 64, whose one strip unpacks into so many megabytes (TIFF 6.0)."""
    packer = zlib.compressobj(9)
    strip = b"".join([packer.compress(bytes(1 << 20)) for _ in range(megabytes)]) + packer.flush()
    tags = [(256, 3, 64), (257, 3, 64), (258, 3, 8), (259, 3, 8), (262, 3, 1), (273, 4, 8), (277, 3, 1), (278, 3, 64),
            (279, 4, len(strip))]  # fmt: skip
    entries = b"".join(struct.pack("<HHII", tag, kind, 1, value) for tag, kind, value in tags)
    return struct.pack("<2sHI", b"II", 42, 8 + len(strip)) + strip + struct.pack("<H", len(tags)) + entries + bytes(4)


def sound(suffix: str = ".m4a", jump: float = 0.0) -> bytes:
    """A second of sound; after half of it times may jump by so many seconds."""
    out = io.BytesIO()
    form, codec = {".m4a": ("mp4", "aac"), ".wav": ("wav", "pcm_s16le"), ".flac": ("flac", "flac"),
                   ".mp3": ("mp3", "libmp3lame"), ".ogg": ("ogg", "libopus"),
                   ".mkv": ("matroska", "aac")}[suffix]  # fmt: skip
    with av.open(out, "w", format=form) as container:
        stream: Any = container.add_stream(codec, rate=48_000, layout="mono")
        for n in range(47):
            tone = np.sin(np.arange(1024 * n, 1024 * (n + 1)) / 20)[None] * 9000
            frame = av.AudioFrame.from_ndarray(tone.astype(np.int16), format="s16", layout="mono")
            frame.sample_rate, frame.time_base = 48_000, Fraction(1, 48_000)
            frame.pts = 1024 * n + (round(jump * 48_000) if n > 23 else 0)
            container.mux(stream.encode(frame))
        container.mux(stream.encode(None))
    return out.getvalue()


def files(flips: int = 8, swollen: int = 1500) -> Iterator[tuple[str, str, bytes]]:
    """(what is wrong, file name, bytes) of each. flips: of each kind of file so many with bytes changed."""
    good = {".mp4": video(".mp4"), ".mkv": video(".mkv"), ".webm": video(".webm")}
    still = png(picture())
    made: dict[str, tuple[str, Callable[[], bytes]]] = {
        "empty": ("a.mp4", lambda: b""),
        "text": ("a.mp4", lambda: b"These are minutes of a meeting. " * 99),
        "half of an MP4": ("a.mp4", lambda: good[".mp4"][: len(good[".mp4"]) // 2]),
        "half of an MKV": ("a.mkv", lambda: good[".mkv"][: len(good[".mkv"]) // 2]),
        "a stream that nothing decodes": ("a.mp4", lambda: good[".mp4"].replace(b"avc1", b"zzz1")),
        "frames far apart": ("a.mkv", lambda: video(".mkv", 4, pts=[0, 10**8, 2 * 10**8, 3 * 10**8],
                                                    base=Fraction(1, 1000))),
        "frames all at once": ("a.mkv", lambda: video(".mkv", 4, pts=[0, 1, 2, 3], base=Fraction(1, 90_000))),
        "one frame": ("a.mp4", lambda: video(".mp4", 1)),
        "4000 x 2": ("a.png", lambda: png(picture(4000, 2))),
        "16384 x 2": ("a.png", lambda: png(picture(16384, 2))),
        "2 x 16384": ("a.png", lambda: png(picture(2, 16384))),
        "1 x 1": ("a.png", lambda: png(picture(1, 1))),
        "says it is immense": ("a.png", lambda: _head(65_535, 65_535)),
        "says it is wide": ("a.png", lambda: _head(60_000, 4)),
        "says it is large and holds nothing": ("a.png", lambda: _head(8000, 8000)),
        "an EXR that says it is immense": ("a.exr", lambda: exr_head(60_000, 60_000)),
        "an EXR that holds nothing": ("a.exr", lambda: exr_head(400, 400)),
        "an EXR whose data are immense": ("a.exr", lambda: exr_head(64, 64, 30_000)),
        "a TIFF that swells": ("a.tif", lambda: swelling_tiff(swollen)),
        "sound that jumps by 20 hours": ("a.mkv", lambda: sound(".mkv", 72_000)),
        "a hole of two hours": ("a.mkv", lambda: video(".mkv", 12, base=Fraction(1, 1000), pts=[
            n * 40 + 7_200_000 * (n > 5) for n in range(12)])),
        "a TIFF that is none": ("a.tif", lambda: b"II*\0\x08\0\0\0\xff\xff" + bytes(64)),
        "a JPEG that is none": ("a.jpg", lambda: b"\xff\xd8\xff\xe0" + bytes(64)),
        "followed by much": ("a.zip", lambda: _swollen(swollen)),
        "locked": ("a.zip", lambda: _patched(zipped({"a.png": still}), 6, struct.pack("<H", 1))),
        "packed in no known way": ("a.zip", lambda: _patched(zipped({"a.png": still}), 8, struct.pack("<H", 77))),
        "packed in another way": ("a.zip", lambda: _patched(zipped({"a.png": still}), 8, struct.pack("<H", 8))),
        "named in bad UTF-8": ("a.zip", lambda: _patched(
            zipped({"\u00e9\u00e9.png": still}), 6, struct.pack("<H", 0x800)).replace("\u00e9".encode(), b"\xff\xfe")),
        "larger than it says": ("a.zip", lambda: _lies(still)),
        "half of a ZIP": ("a.zip", lambda: zipped({"a.png": still})[:-40]),
        "an empty ZIP": ("a.zip", lambda: zipped({})),
        "a ZIP of no pictures": ("a.zip", lambda: zipped({"a.txt": b"x"})),
        "a ZIP of several kinds": ("a.zip", lambda: zipped({"a.png": still, "b.jpg": b"x"})),
        "a ZIP of several sizes": ("a.zip", lambda: zipped({"a.png": still, "b.png": png(picture(32, 32))})),
        "a ZIP that would leave its folder": ("a.zip", lambda: zipped({"../../a.png": still})),
        "a ZIP with a folder that looks like a picture": ("a.zip", lambda: zipped({"a.png/": b"", "b.png": still})),
    }  # fmt: skip
    for what, (name, make) in made.items():
        yield what, name, make()
    for suffix, data in {**good, ".png": still, ".zip": zipped({"a.png": still, "b.png": still})}.items():
        for n in range(flips):
            yield f"bytes changed ({n})", f"a{suffix}", _flipped(data, SEED + n)


def written(folder: Path, flips: int = 8, swollen: int = 1500) -> list[tuple[str, str, Path]]:
    """The same as files in a folder."""
    out = []
    for n, (what, name, data) in enumerate(files(flips, swollen)):
        to = folder / f"{n:03d}-{name}"
        to.write_bytes(data)
        out.append((what, name, to))
    return out
