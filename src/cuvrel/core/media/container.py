"""Opening media: which kinds are taken, which of several streams is meant, and the frames in the order that is shown.

What a file is, is told by what it holds, whatever its name says.
"""

from __future__ import annotations

import struct
from collections.abc import Iterator, Sequence
from fractions import Fraction
from itertools import pairwise
from pathlib import Path
from typing import Any

import av
import numpy as np
from av.stream import Disposition

from cuvrel.core.recipe.errors import MediaError

FORMATS = (
    "mov", "mp4", "m4a", "3gp", "3g2", "mj2", "matroska", "webm", "avi", "mxf", "mpegts", "mpeg", "mpegvideo", "asf",
    "flv", "gif", "ogg", "dv", "yuv4mpegpipe", "ivf", "h264", "hevc", "m4v", "obu", "rm", "nut", "gxf", "apng",
    "wav", "w64", "flac", "mp3", "aac", "aiff", "caf", "ac3", "eac3", "opus",
)  # fmt: skip
"""FFmpeg's names of what is taken. None of them is a list that leads to other files, or text."""
_OPTIONS = {"format_whitelist": ",".join(FORMATS), "protocol_whitelist": "file"}
_BESIDE = Disposition.attached_pic | Disposition.timed_thumbnails | Disposition.still_image


def opened(path: Path) -> Any:
    """An open container. Raises what PyAV raises."""
    return av.open(str(path), metadata_errors="ignore", options=_OPTIONS)


def open_media(path: Path) -> Any:
    """An open container with a picture or a sound. Raises MediaError."""
    if path.stat().st_size == 0:
        raise MediaError("The file is empty.", "Copy it again from where it came from.")
    try:
        container = opened(path)
    except (av.FFmpegError, OSError, ValueError) as fault:
        raise MediaError(
            "The file can't be read as a video; it may be broken, cut short, or something else.",
            "Videos may be MP4, MOV, MKV, WebM, AVI, MXF, MPEG, TS, WMV, FLV, GIF, Y4M and their like; sequences are "
            "PNG, TIFF, JPEG, EXR, DPX, WebP, AVIF, BMP, TGA or JPEG 2000 pictures, or a ZIP of them; sound may be "
            "WAV, FLAC, MP3, M4A or Ogg; a colour table is a .cube file.",
        ) from fault
    if not container.streams.video and not container.streams.audio:
        container.close()
        raise MediaError("There is neither picture nor sound in this file, only data.")
    return container


def open_video(path: Path) -> Any:
    """An open container with a video stream that can be decoded. Raises MediaError."""
    container = open_media(path)
    if not container.streams.video:
        container.close()
        raise MediaError("There is no picture in this file, only sound or data.")
    if picture_of(container).codec_context is None:
        container.close()
        raise MediaError(
            "The picture in this file can't be decoded; it may be protected.", "Export it as H.264 or ProRes."
        )
    return container


def picture_of(container: Any) -> Any:
    """The video stream that is meant: the default one, and never a cover or a thumbnail where there is another."""
    streams = list(container.streams.video)
    films = [one for one in streams if one.codec_context is not None and not is_beside(one)]
    return _default(films or streams)


def sounds_of(container: Any) -> list[Any]:
    """The sounds that can be decoded."""
    return [one for one in container.streams.audio if one.codec_context is not None]


def sound_of(container: Any, stream: int | None = None) -> Any:
    """The sound that is meant: the one of that number, or the default one; None where none can be decoded."""
    streams = sounds_of(container)
    chosen = next((one for one in streams if one.index == stream), None)
    return chosen or (_default(streams) if streams else None)


def is_beside(stream: Any) -> bool:
    """Whether a video stream is a picture that goes with something else: a cover, a thumbnail."""
    return bool(stream.disposition & _BESIDE)


def _default(streams: Sequence[Any]) -> Any:
    return next((one for one in streams if one.disposition & Disposition.default), streams[0])


MOST_INDEX = 64 << 20  # bytes of a film's index that are read for what it says of its aperture
MOST_HEAD = 1 << 20  # bytes of an MKV in which its tracks are described


Window = tuple[int, int, int, int]
"""A part of a picture: its left and upper edge, width and height, in pixels of the file."""


def named_window(path: Path, kind: str, track: int, shape: tuple[int, int]) -> Window | None:
    """The part of the picture that a file says is to be shown: a clean aperture, or the crop of an MKV; None for all.

    kind: FFmpeg's name of the container. track: the number of the picture's stream. shape: its width and height.
    """
    if kind.startswith("mov"):
        found = _clean_aperture(path, shape)
    elif kind.startswith("matroska"):
        found = _pixel_crop(path, track, shape)
    else:
        return None
    if found is None or found == (0, 0, *shape):
        return None
    x, y, wide, high = found
    return found if min(x, y) >= 0 and min(wide, high) > 1 and x + wide <= shape[0] and y + high <= shape[1] else None


def _clean_aperture(path: Path, shape: tuple[int, int]) -> Window | None:
    """ISO/IEC 14496-12, 12.1.4: its size, and how far its centre is from the picture's."""
    with path.open("rb") as file:
        size = path.stat().st_size
        at = 0
        while at + 8 <= size:
            file.seek(at)
            head = file.read(16)
            length, kind = int.from_bytes(head[:4]), head[4:8]
            if length == 1:
                length = int.from_bytes(head[8:16])
            if kind == b"moov":
                index = file.read(min(length, MOST_INDEX))
                found = index.find(b"\0\0\0\x28clap")
                if found < 0 or len(index) < found + 40:
                    return None
                numbers = struct.unpack(">IIIIiIiI", index[found + 8 : found + 40])
                if not all(numbers[1::2]):
                    return None
                wide, high, right, down = (Fraction(numbers[n], numbers[n + 1]) for n in range(0, 8, 2))
                x, y = (shape[0] - wide) / 2 + right, (shape[1] - high) / 2 + down
                return round(x), round(y), round(wide), round(high)
            if length < 8 or not kind.isascii():
                return None
            at += length
    return None


_SEGMENT, _CLUSTER, _TRACKS, _TRACK, _VIDEO = 0x18538067, 0x1F43B675, 0x1654AE6B, 0xAE, 0xE0
_CROP = {0x54CC: "left", 0x54BB: "top", 0x54DD: "right", 0x54AA: "bottom"}


def _pixel_crop(path: Path, track: int, shape: tuple[int, int]) -> Window | None:
    """RFC 9559, 5.1.4.1.28: how many pixels are to be taken away at each side."""
    with path.open("rb") as file:
        data = file.read(MOST_HEAD)
    inside = next((part for name, part in _elements(data) if name == _SEGMENT), b"")
    tracks = next((part for name, part in _elements(inside) if name == _TRACKS), b"")
    entries = [part for name, part in _elements(tracks) if name == _TRACK]
    if track >= len(entries):
        return None
    video = next((part for name, part in _elements(entries[track]) if name == _VIDEO), b"")
    crop = {_CROP[name]: int.from_bytes(part) for name, part in _elements(video) if name in _CROP}
    left, top = crop.get("left", 0), crop.get("top", 0)
    return left, top, shape[0] - left - crop.get("right", 0), shape[1] - top - crop.get("bottom", 0)


def _elements(data: bytes) -> Iterator[tuple[int, bytes]]:
    """The elements of EBML (RFC 8794) in some bytes: the number of each, and what it holds as far as it is there."""
    at = 0
    while at < len(data) and data[at]:
        wide = 9 - data[at].bit_length()
        name = int.from_bytes(data[at : at + wide])
        at += wide
        if name == _CLUSTER or at >= len(data) or not data[at]:
            return
        wide = 9 - data[at].bit_length()
        length = int.from_bytes(data[at : at + wide]) & ((1 << 7 * wide) - 1)
        at += wide
        unknown = length == (1 << 7 * wide) - 1
        yield name, data[at:] if unknown else data[at : at + length]
        if unknown:
            return
        at += length


def frames_of(container: Any) -> Iterator[Any]:
    """A video's frames from where the container is, with their alpha, in the order in which they are shown."""
    stream = picture_of(container)
    told = {name.lower(): value for name, value in stream.metadata.items()}
    if stream.codec_context.name not in ("vp8", "vp9") or told.get("alpha_mode") != "1":
        yield from container.decode(stream)
        return
    # FFmpeg's own decoder of these leaves alpha out
    decoder: Any = av.CodecContext.create(f"libvpx{'-vp9' if stream.codec_context.name == 'vp9' else ''}", "r")
    for packet in container.demux(stream):
        yield from decoder.decode(packet if packet.size else None)


def in_order(times: Sequence[int | None]) -> bool:
    """Whether times tell the frames apart: each is there, and later than the one before."""
    return None not in times and all(a < b for a, b in pairwise(times))  # type: ignore[operator]


def repaired(times: Sequence[int | None], base: Fraction, rate: Fraction | None) -> tuple[list[int], Fraction]:
    """Times for frames in the order of the decoder, which is right, whose own are missing, twice there or out of order.

    Returns the times and their base. Those that are known are put into order; what is not known, or is said twice, lies
    evenly between its neighbours; where next to none are known all come at the rate.
    """
    count = len(times)
    known = sorted(one for one in times if one is not None)
    given = iter(known)
    at: list[int] = []
    value: list[int] = []
    for n, one in enumerate(times):
        if one is not None:
            later = next(given)
            if not value or later > value[-1]:
                at.append(n)
                value.append(later)
    if len(value) < max(2, count // 2):
        return [round(n * 90_000 / (rate or Fraction(24))) for n in range(count)], Fraction(1, 90_000)
    fine = 1000
    step = float(np.median(np.diff(value) / np.diff(at)))
    out = np.interp(np.arange(count), at, value)
    for n in range(count):
        if n > at[-1]:
            out[n] = value[-1] + (n - at[-1]) * step
        elif n < at[0]:
            out[n] = value[0] - (at[0] - n) * step
    return [round(fine * one) for one in out], base / fine
