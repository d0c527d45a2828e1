"""Single pictures of ten kinds, as deep as they are."""

from __future__ import annotations

import io
import lzma
import zlib
from dataclasses import dataclass, replace
from pathlib import Path
from typing import Any

import av
import cv2
import imagecodecs
import numpy as np
import OpenEXR
import tifffile
from numpy.typing import NDArray

from cuvrel.core.arrays import F32
from cuvrel.core.media import exr
from cuvrel.core.media.cryptomatte import coverage, names_of
from cuvrel.core.media.space import Space
from cuvrel.core.media.still_colour import by_profile, png_chunks, profile_of
from cuvrel.core.media.still_heads import HEADS, Head, exif_turn, is_moving_webp
from cuvrel.core.media.timecode import is_timecode
from cuvrel.core.media.yuv import alpha_of, rgb_of
from cuvrel.core.recipe.errors import MediaError

SUFFIXES = {
    ".png": "png", ".jpg": "jpeg", ".jpeg": "jpeg", ".tif": "tiff", ".tiff": "tiff", ".exr": "exr", ".dpx": "dpx",
    ".webp": "webp", ".avif": "avif", ".bmp": "bmp", ".tga": "tga", ".jp2": "jpeg2000", ".j2k": "jpeg2000",
    ".j2c": "jpeg2000", ".jpf": "jpeg2000",
}  # fmt: skip
"""The endings of pictures, and what they are called."""
CALLED = "PNG, JPEG, TIFF, EXR, DPX, WebP, AVIF, BMP, TGA or JPEG 2000"
DEFLATE, LZMA, PACKBITS = (8, 32946, 50013), 34925, 32773  # compressions of TIFF, by their numbers
SLACK = 32 << 20  # bytes of all that a picture holds besides pixels
MAX_SIDE = 16_384
MAX_PIXELS = 80_000_000
MOST_BYTES = 2 << 30  # of all channels of a picture, as they are read


@dataclass(frozen=True)
class Still:
    """A picture: colour (H, W, 3) uint8, uint16 or float32 and alpha (H, W) uint8, uint16 or float32, if it has one.

    Integers use their whole range, and are display-encoded sRGB where the head of the file names no space; floats are
    linear light. The colour is straight: not multiplied by alpha.
    """

    colour: NDArray[Any]
    alpha: NDArray[Any] | None


def check_size(width: int, height: int) -> None:
    """Raises MediaError for a picture with no area or one that is too large to work on."""
    if width < 2 or height < 2:
        raise MediaError(f"The picture is {width} x {height} pixels, which is too small to work on.")
    if max(width, height) > MAX_SIDE or width * height > MAX_PIXELS:
        raise MediaError(
            f"The picture is {width} x {height} pixels; at most {MAX_SIDE} a side and "
            f"{MAX_PIXELS // 1_000_000} million in all can be worked on.",
            "Make a smaller copy and bring that in.",
        )


def is_picture(name: str) -> bool:
    """Whether a file of this name is taken for a picture."""
    shown = Path(name)
    return shown.suffix.lower() in SUFFIXES and not shown.name.startswith(".") and not name.endswith("/")


MARKS = (
    (b"\x89PNG\r\n\x1a\n", ".png"), (b"\xff\xd8\xff", ".jpg"), (b"II*\0", ".tif"), (b"MM\0*", ".tif"),
    (b"II+\0", ".tif"), (exr.MARK, ".exr"), (b"SDPX", ".dpx"), (b"XPDS", ".dpx"), (b"BM", ".bmp"),
    (b"\0\0\0\x0cjP  \r\n", ".jp2"), (b"\xff\x4f\xff\x51", ".j2k"),
)  # fmt: skip


def ending_of(start: bytes) -> str | None:
    """The ending of a picture by its first 16 bytes, whatever it is called; None for what is none of these.

    TGA has no mark to be known by.
    """
    if start[:4] == b"RIFF" and start[8:12] == b"WEBP":
        return ".webp"
    if start[4:12] == b"ftypavif":
        return ".avif"
    return next((ending for mark, ending in MARKS if start.startswith(mark)), None)


def moves(start: bytes) -> bool:
    """Whether what looks like a picture by its first bytes (a few hundred of them) is several that follow each other.

    PNG tells so before its pixels, WebP in its first chunk, AVIF by its brand.
    """
    if start.startswith(MARKS[0][0]):
        return b"acTL" in png_chunks(start)
    return is_moving_webp(start) or start[4:12] == b"ftypavis"


def read(data: bytes, name: str, layer: str = "", as_is: bool = False) -> Still:
    """A picture, whole. Raises MediaError for one that can't be decoded.

    layer: of an EXR, in place of what is meant. as_is: the numbers of the file, whatever profile or primaries it names.
    """
    kind = SUFFIXES.get(Path(name).suffix.lower(), "")
    try:
        if kind == "exr":
            with exr.opened(data) as file:
                colour, alpha = exr.Frame(file).picture(layer, as_is)
            return Still(colour if alpha is None else _straight(colour, alpha), alpha)
        still = _READ[kind](data) if kind in _READ else _decoded(data)
        profile = None if still is None or as_is else profile_of(data, kind)
        if still is not None and profile is not None and still.colour.dtype.kind == "u":
            told = by_profile(still.colour, profile)
            still = still if told is None else replace(still, colour=told)
    except MediaError:
        raise
    except Exception as fault:  # see `head`
        raise MediaError(f"The picture '{Path(name).name}' is broken.", "Export it again.") from fault
    if still is None:
        raise MediaError(f"The picture '{Path(name).name}' is broken.", "Export it again.")
    return still


def head(path: Path, name: str) -> Head:
    """What a picture in a file is, of which no more is read than what says so. Raises MediaError for what is not one.

    Also for one that is larger than any picture of its size can be: whatever else it holds is not unpacked into memory.
    name: what it is called, by which its kind is told.
    """
    kind, shown = SUFFIXES.get(Path(name).suffix.lower()), Path(name).name
    if kind is None:
        raise MediaError(f"'{shown}' is no picture.", f"Pictures may be {CALLED}.")
    try:
        with path.open("rb") as file:
            start = file.read(4 << 20)
        in_file = {"tiff": lambda: _tiff_head(path), "exr": lambda: _exr_head(path, start)}
        found: Head = in_file[kind]() if kind in in_file else HEADS[kind](start)
    except MediaError:
        raise
    except Exception as fault:  # what a hostile file makes three foreign libraries raise is not known beforehand
        raise MediaError(f"'{shown}' is not a {kind.upper()} picture, or it is broken.", "Export it again.") from fault
    samples = 8 if kind == "tiff" else 5
    room = found.bytes or found.width * found.height * samples * max(1, found.depth // 8)
    if path.stat().st_size > room + SLACK:
        raise MediaError(f"The picture '{shown}' is larger than a picture of its size can be.", "Export it again.")
    return found


def _tiff_head(path: Path) -> Head:
    with tifffile.TiffFile(str(path)) as file:
        page: Any = file.pages[0]
        depth = page.bitspersample if isinstance(page.bitspersample, int) else max(page.bitspersample)
        floats = int(page.sampleformat or 1) == 3
        if int(page.sampleformat or 1) not in (1, 3) or int(page.photometric) not in (0, 1, 2, 3):
            raise MediaError(
                "The TIFF picture holds samples of a kind that is not read.", "Write it as RGB or grey, 8 or 16 bit."
            )
        alpha = bool(page.extrasamples) and int(page.photometric) in (1, 2)
        check_size(page.imagewidth, page.imagelength)
        if int(np.prod(page.shape, dtype=np.float64)) > page.imagewidth * page.imagelength * 8:
            raise MediaError("The TIFF picture holds more than eight channels, or several pictures in one.",
                             "Write it as RGB or grey, with or without alpha.")  # fmt: skip
        _check_segments(file, page)
        turn = page.tags.get("Orientation")
        size = page.imagewidth, page.imagelength
        wide, high = size[::-1] if turn is not None and int(turn.value) in (5, 6, 7, 8) else size
        return Head(wide, high, 32 if floats else 16 if depth > 8 else 8, floats, alpha)


def _check_segments(file: tifffile.TiffFile, page: Any) -> None:
    """Raises ValueError where a strip or a tile unpacks into more than it may hold (TIFF 6.0, pages 39 and 66).

    The library unpacks whatever there is before it looks at the size; here no more is unpacked than is expected.
    """
    whole = page.tile if page.is_tiled else (page.rowsperstrip or page.imagelength, page.imagewidth)
    most = int(np.prod(whole)) * max(1, page.samplesperpixel) * page.dtype.itemsize + 4096
    for place, count in zip(page.dataoffsets, page.databytecounts, strict=True):
        if page.compression not in (*DEFLATE, LZMA) or not count:
            continue
        file.filehandle.seek(place)
        packed = file.filehandle.read(count)
        unpack: Any = zlib.decompressobj() if page.compression in DEFLATE else lzma.LZMADecompressor()
        if len(unpack.decompress(packed, most + 1)) > most:
            raise ValueError("a strip unpacks into more than it may hold")


def _tiff(data: bytes) -> Still:
    with tifffile.TiffFile(io.BytesIO(data)) as file:
        page: Any = file.pages[0]
        # what PackBits unpacks into is not known beforehand; OpenCV's reader stops at the strip's size
        by_other = int(page.photometric) == 3 or page.compression == PACKBITS
        extra = [int(one) for one in page.extrasamples]
        try:
            raw = None if by_other else page.asarray()
        except ValueError:
            raw = None  # a compression that this library has no codec of
        if raw is None:
            still = _decoded(data)
            if still is None:
                raise ValueError("no codec")
            raw = still.colour if still.alpha is None else np.dstack([still.colour, still.alpha])
            # OpenCV asks libtiff for colours that are multiplied by alpha, whatever the file says
            extra = [1] if still.alpha is not None and raw.dtype == np.uint8 else extra
        elif int(page.planarconfig) == 2 and raw.ndim == 3:
            raw = np.moveaxis(raw, 0, 2)
        if int(page.photometric) == 0:
            raw = np.iinfo(raw.dtype).max - raw
        turn = page.tags.get("Orientation")
    if raw.dtype == bool:
        raw = raw.astype(np.uint8) * 255
    if raw.dtype.kind == "f":
        raw = exr.finite(raw)
    elif raw.dtype not in (np.uint8, np.uint16):
        raw = (raw >> max(0, raw.dtype.itemsize * 8 - 16)).astype(np.uint16)
    raw = raw[..., None] if raw.ndim == 2 else raw
    raw = _turned(raw, 1 if turn is None or by_other else int(turn.value))
    colours = 1 if raw.shape[2] < 3 else 3
    colour = np.repeat(raw[..., :1], 3, axis=2) if colours == 1 else raw[..., :3]
    alpha = raw[..., colours] if raw.shape[2] > colours and extra else None
    if alpha is not None and extra[0] == 1:
        colour = _straight(colour, alpha)
    return Still(np.ascontiguousarray(colour), None if alpha is None else np.ascontiguousarray(alpha))


def _turned(picture: NDArray[Any], orientation: int) -> NDArray[Any]:
    """A picture as it is to be seen, by the number that TIFF and Exif tell of its first row and column."""
    if orientation in (5, 6, 7, 8):
        picture = picture.transpose(1, 0, 2)
    if orientation in (2, 3, 6, 7):
        picture = picture[:, ::-1]
    return picture[::-1] if orientation in (3, 4, 7, 8) else picture


def _decoded(data: bytes) -> Still | None:
    """A picture by OpenCV, which turns what Exif turns; None where it can't be decoded."""
    raw = cv2.imdecode(np.frombuffer(data, np.uint8), cv2.IMREAD_UNCHANGED)
    if raw is None:
        return None
    if raw.ndim == 3 and raw.shape[2] == 4:
        return Still(np.ascontiguousarray(raw[..., 2::-1]), np.ascontiguousarray(raw[..., 3]))
    if raw.ndim == 2 or raw.shape[2] < 3:
        grey = raw if raw.ndim == 2 else raw[..., 0]
        alpha = None if raw.ndim == 2 or raw.shape[2] < 2 else np.ascontiguousarray(raw[..., 1])
        return Still(np.repeat(grey[..., None], 3, axis=2), alpha)
    if exif_turn(data) == 1:
        return Still(np.ascontiguousarray(raw[..., ::-1]), None)
    # UNCHANGED leaves a turned picture as it lies in the file
    shown = cv2.imdecode(np.frombuffer(data, np.uint8), cv2.IMREAD_COLOR | cv2.IMREAD_ANYDEPTH)
    return Still(np.ascontiguousarray((raw if shown is None else shown)[..., ::-1]), None)


def _of_array(raw: NDArray[Any]) -> Still:
    """From (H, W), (H, W, 1), (H, W, 2), (H, W, 3) or (H, W, 4): grey or colour, with alpha where there is one more."""
    raw = raw[..., None] if raw.ndim == 2 else raw
    count = 1 if raw.shape[2] < 3 else 3
    colour = np.repeat(raw[..., :1], 3, axis=2) if count == 1 else raw[..., :3]
    alpha = np.ascontiguousarray(raw[..., count]) if raw.shape[2] > count else None
    return Still(np.ascontiguousarray(colour), alpha)


def _spread(raw: NDArray[Any], bits: int) -> NDArray[Any]:
    """Codes of so many bits over the whole range of 8 or 16."""
    if bits in (8, 16):
        return raw
    top = 255 if bits < 8 else 65535
    return np.round(raw.astype(np.float32) * np.float32(top / ((1 << bits) - 1))).astype(
        np.uint8 if bits < 8 else np.uint16
    )


def part(data: bytes, name: str, wanted: str) -> F32:
    """(H, W) float32 of a part of an EXR, as it is: `channel:NAME`, or `name:LAYER:NAME` of a Cryptomatte layer.

    Raises MediaError where there is no such part.
    """
    kind, _, rest = wanted.partition(":")
    try:
        with exr.opened(data) as file:
            frame = exr.Frame(file)
            if kind == "channel":
                return exr.finite(frame.channel(rest), signed=True)
            layer, _, thing = rest.partition(":")
            return coverage(frame, layer, thing)
    except KeyError as missing:
        raise MediaError(f"'{Path(name).name}' has no {missing}.", "Choose another channel or name.") from missing
    except Exception as fault:  # see `head`
        raise MediaError(f"The picture '{Path(name).name}' is broken.", "Export it again.") from fault


def _png(data: bytes) -> Still | None:
    """By OpenCV; a grey or a colour that is see-through (11.3.2.1) it leaves out."""
    still, chunks = _decoded(data), png_chunks(data)
    key = chunks.get(b"tRNS")
    if still is None or key is None or still.alpha is not None or data[25] not in (0, 2):
        return still
    deep = np.asarray([int.from_bytes(key[n : n + 2]) for n in range(0, len(key), 2)])
    codes = _spread(deep, data[24]) if data[24] < 8 else deep
    seen = (still.colour != codes.astype(still.colour.dtype)).any(axis=2)
    return replace(still, alpha=np.where(seen, np.iinfo(still.colour.dtype).max, 0).astype(still.colour.dtype))


def _by_ffmpeg(codec: str) -> Any:
    """A reader of one picture by a decoder of FFmpeg's: DPX, TGA."""

    def read_one(data: bytes) -> Still | None:
        context: Any = av.CodecContext.create(codec, "r")
        frames = [*context.decode(av.Packet(data)), *context.decode(None)]
        if not frames:
            return None
        colour = rgb_of(frames[0], Space("rgb", "full"))
        deep = max(part.bits for part in frames[0].format.components)
        kind, top = (np.uint8, 255) if deep <= 8 else (np.uint16, 65535)
        return Still(np.round(np.clip(colour, 0, 1) * np.float32(top)).astype(kind), alpha_of(frames[0]))

    return read_one


def _avif(data: bytes) -> Still:
    bits = data[at + 9] if (at := data.find(b"pixi", 0, 1 << 20)) >= 0 else 8
    return _of_array(_spread(imagecodecs.avif_decode(data, index=0), bits))


def _jpeg2000(data: bytes) -> Still:
    bits = (data[data.index(b"\xff\x4f\xff\x51") + 42] & 0x7F) + 1
    return _of_array(_spread(imagecodecs.jpeg2k_decode(data), bits))


_READ: dict[str, Any] = {
    "png": _png,
    "tiff": lambda data: _tiff(data),
    "webp": lambda data: _of_array(imagecodecs.webp_decode(data)),
    "avif": _avif,
    "jpeg2000": _jpeg2000,
    "dpx": _by_ffmpeg("dpx"),
    "tga": _by_ffmpeg("targa"),
}
"""What reads the kinds that OpenCV does not read, or not whole."""


def _exr_head(path: Path, start: bytes) -> Head:
    """From a file's header. start: how the file begins."""
    if start[:4] != exr.MARK:
        raise ValueError("no EXR")
    parts = OpenEXR.File(str(path), separate_channels=True, header_only=True).parts
    about = parts[0].header
    low, high = about["displayWindow"]
    names = _exr_names(start)
    room = 0
    for part in parts:
        (left, top), (right, bottom) = part.header["dataWindow"]
        wide, deep = int(right) - int(left) + 1, int(bottom) - int(top) + 1
        check_size(max(2, wide), max(2, deep))
        room += wide * deep * len(part.header["channels"]) * 4
    if room > MOST_BYTES:
        raise MediaError(
            f"The EXR picture holds {sum(len(part.header['channels']) for part in parts)} channels, which is more than "
            "can be read at once.", "Write the layer that is wanted into a file of its own.",
        )  # fmt: skip
    holds = exr.contents(list(parts))
    if not holds.layers:
        raise MediaError("There is no picture in this EXR file, only data.", "Write its colours as R, G and B as well.")
    meant = next(iter(holds.layers))
    code = about.get("timeCode")
    told = ""
    if code is not None:
        told = f"{code.hours:02d}:{code.minutes:02d}:{code.seconds:02d}{';' if code.dropFrame else ':'}{code.frame:02d}"
    return Head(int(high[0] - low[0]) + 1, int(high[1] - low[1]) + 1, 32 if 2 in names.values() else 16, True,
                meant in holds.alphas, 2 * room, layers=tuple(holds.layers), channels=tuple(holds.channels),
                names=_things(holds), timecode=told if is_timecode(told) else "")  # fmt: skip


def _things(holds: exr.Contents) -> tuple[str, ...]:
    """The names of a file's Cryptomatte layers, as LAYER:NAME."""
    found = names_of(holds.about, holds.crypto)
    return tuple(f"{layer}:{name}" for layer, names in found.items() for name in names)


def _exr_names(data: bytes) -> dict[str, int]:
    """The channels of a file and their kinds (1 half, 2 float), from its header (OpenEXR file layout)."""
    at = data.find(b"channels\0chlist\0")
    found: dict[str, int] = {}
    if at < 0:
        return found
    at += len(b"channels\0chlist\0") + 4
    while at < len(data) and data[at]:
        end = data.index(b"\0", at)
        found[data[at:end].decode("utf-8", "replace")] = int.from_bytes(data[end + 1 : end + 5], "little")
        at = end + 17
    return found


def _straight(colour: NDArray[Any], alpha: NDArray[Any]) -> NDArray[Any]:
    """Colour that was multiplied by alpha, divided by it again. Where alpha is 0 it is light, and stays."""
    top = 1.0 if colour.dtype.kind == "f" else float(np.iinfo(colour.dtype).max)
    share = alpha.astype(np.float32)[..., None] / np.float32(top)
    out = np.where(share > 0, colour.astype(np.float32) / np.maximum(share, 1e-6), colour)
    return out if colour.dtype.kind == "f" else np.round(np.minimum(out, top)).astype(colour.dtype)
