"""Single pictures: PNG, JPEG, TIFF and EXR, as deep as they are."""

from __future__ import annotations

import io
import lzma
import tempfile
import zlib
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import av
import cv2
import numpy as np
import OpenEXR
import tifffile
from numpy.typing import NDArray

from cuvrel.core.arrays import F32
from cuvrel.core.media.space import to_bt709
from cuvrel.core.recipe.errors import MediaError

SUFFIXES = {".png": "png", ".jpg": "jpeg", ".jpeg": "jpeg", ".tif": "tiff", ".tiff": "tiff", ".exr": "exr"}
"""The endings of pictures, and what they are called."""
DEFLATE, LZMA, PACKBITS = (8, 32946, 50013), 34925, 32773  # compressions of TIFF, by their numbers
SLACK = 32 << 20  # bytes of all that a picture holds besides pixels
MOST = 65504.0  # the largest half float
MAX_SIDE = 16_384
MAX_PIXELS = 80_000_000
MOST_BYTES = 2 << 30  # of all channels of a picture, as they are read


@dataclass(frozen=True)
class Head:
    """What a picture says of itself before it is decoded. depth: bits of a sample; floats: of half or float.

    bytes: what a file of it takes at the most, where it says so itself, or 0.
    """

    width: int
    height: int
    depth: int
    floats: bool
    alpha: bool
    bytes: int = 0


@dataclass(frozen=True)
class Still:
    """A picture: colour (H, W, 3) uint8, uint16 or float32 and alpha (H, W) of the same kind, if it has one.

    Integers are display-encoded sRGB and use their whole range, floats are linear light. The colour is straight: not
    multiplied by alpha.
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


def ending_of(start: bytes) -> str | None:
    """The ending of a picture by its first bytes, whatever it is called; None for what is none of these."""
    for mark, ending in ((b"\x89PNG\r\n\x1a\n", ".png"), (b"\xff\xd8\xff", ".jpg"), (b"II*\0", ".tif"),
                         (b"MM\0*", ".tif"), (b"II+\0", ".tif"), (b"\x76\x2f\x31\x01", ".exr")):  # fmt: skip
        if start.startswith(mark):
            return ending
    return None


def read(data: bytes, name: str) -> Still:
    """A picture, whole. Raises MediaError for one that can't be decoded."""
    kind = SUFFIXES.get(Path(name).suffix.lower())
    try:
        if kind == "exr":
            return _exr(data)
        if kind == "tiff":
            return _tiff(data)
        still = _decoded(data)
    except MediaError:
        raise
    except Exception as fault:  # see `head`
        raise MediaError(f"The picture '{Path(name).name}' is broken.", "Export it again.") from fault
    if still is None:
        raise MediaError(f"The picture '{Path(name).name}' is broken.", "Export it again.")
    return still


def _png_head(data: bytes) -> Head:
    """From the first chunk (ISO/IEC 15948, 11.2.2), and whether transparency is told of in a chunk of its own."""
    if len(data) < 33 or data[:8] != b"\x89PNG\r\n\x1a\n" or data[12:16] != b"IHDR":
        raise ValueError("no PNG")
    width, height, depth, colour = int.from_bytes(data[16:20]), int.from_bytes(data[20:24]), data[24], data[25]
    return Head(width, height, 16 if depth == 16 else 8, False, colour in (4, 6))


def _jpeg_head(data: bytes) -> Head:
    """From the frame header (ITU-T T.81, B.2.2); a turned picture (Exif) is as it will be shown."""
    with av.open(io.BytesIO(data), format="jpeg_pipe") as container:
        context = container.streams.video[0].codec_context
        wide, high = context.width, context.height
    if not wide or not high:
        raise ValueError("no frame header")
    turned = _exif_turn(data) in (5, 6, 7, 8)
    return Head(high if turned else wide, wide if turned else high, 8, False, False)


def _exif_turn(data: bytes) -> int:
    """The orientation that Exif tells (1 to 8); 1 where it tells none."""
    at = data.find(b"Exif\0\0", 0, 65_536)
    if at < 0:
        return 1
    try:
        with tifffile.TiffFile(io.BytesIO(data[at + 6 : at + 6 + 65_536])) as exif:
            tag = exif.pages[0].tags.get("Orientation")  # type: ignore[union-attr]
            return int(tag.value) if tag is not None else 1
    except Exception:  # Exif is often broken in a way of its own
        return 1


def head(path: Path, name: str) -> Head:
    """What a picture in a file is, of which no more is read than what says so. Raises MediaError for what is not one.

    Also for one that is larger than any picture of its size can be: whatever else it holds is not unpacked into memory.
    name: what it is called, by which its kind is told.
    """
    kind, shown = SUFFIXES.get(Path(name).suffix.lower()), Path(name).name
    if kind is None:
        raise MediaError(f"'{shown}' is no picture.", "Pictures may be PNG, JPEG, TIFF or EXR.")
    try:
        with path.open("rb") as file:
            start = file.read(4 << 20)
        if kind == "png":
            found = _png_head(start)
        elif kind == "jpeg":
            found = _jpeg_head(start)
        else:
            found = _tiff_head(path) if kind == "tiff" else _exr_head(path, start)
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
        return Head(page.imagewidth, page.imagelength, 32 if floats else 16 if depth > 8 else 8, floats, alpha)


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
        try:
            raw = None if by_other else page.asarray()
        except ValueError:
            raw = None  # a compression that this library has no codec of
        if raw is None:
            still = _decoded(data)
            if still is None:
                raise ValueError("no codec")
            raw = still.colour if still.alpha is None else np.dstack([still.colour, still.alpha])
        elif int(page.planarconfig) == 2 and raw.ndim == 3:
            raw = np.moveaxis(raw, 0, 2)
        if int(page.photometric) == 0:
            raw = np.iinfo(raw.dtype).max - raw
        extra = [int(one) for one in page.extrasamples]
    if raw.dtype == bool:
        raw = raw.astype(np.uint8) * 255
    if raw.dtype.kind == "f":
        raw = _finite(raw)
    elif raw.dtype not in (np.uint8, np.uint16):
        raw = (raw >> max(0, raw.dtype.itemsize * 8 - 16)).astype(np.uint16)
    raw = raw[..., None] if raw.ndim == 2 else raw
    colours = 1 if raw.shape[2] < 3 else 3
    colour = np.repeat(raw[..., :1], 3, axis=2) if colours == 1 else raw[..., :3]
    alpha = raw[..., colours] if raw.shape[2] > colours and extra else None
    if alpha is not None and extra[0] == 1:
        colour = _straight(colour, alpha)
    return Still(np.ascontiguousarray(colour), None if alpha is None else np.ascontiguousarray(alpha))


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
    if _exif_turn(data) == 1:
        return Still(np.ascontiguousarray(raw[..., ::-1]), None)
    # UNCHANGED leaves a turned picture as it lies in the file
    shown = cv2.imdecode(np.frombuffer(data, np.uint8), cv2.IMREAD_COLOR | cv2.IMREAD_ANYDEPTH)
    return Still(np.ascontiguousarray((raw if shown is None else shown)[..., ::-1]), None)


def _exr_head(path: Path, start: bytes) -> Head:
    """From a file's header. start: how the file begins."""
    if start[:4] != b"\x76\x2f\x31\x01":
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
    return Head(int(high[0] - low[0]) + 1, int(high[1] - low[1]) + 1, 32 if 2 in names.values() else 16, True,
                "A" in names, 2 * room)  # fmt: skip


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


def _exr(data: bytes) -> Still:
    """The first layer of an EXR picture within its display window; what is beyond the data window is nothing."""
    with tempfile.TemporaryDirectory(prefix="cuvrel-") as folder:
        path = Path(folder) / "one.exr"  # OpenEXR reads files alone
        path.write_bytes(data)
        file = OpenEXR.File(str(path), separate_channels=True)
        about, found = file.header(), file.channels()
        planes = {name: _finite(channel.pixels) for name, channel in found.items()}
    low, high = about["displayWindow"]
    origin = about["dataWindow"][0]
    wide, deep = int(high[0] - low[0]) + 1, int(high[1] - low[1]) + 1

    def laid(plane: NDArray[Any]) -> F32:
        if plane.shape == (deep, wide):
            return plane
        out = np.zeros((deep, wide), np.float32)
        x, y = int(origin[0] - low[0]), int(origin[1] - low[1])
        part = plane[max(0, -y) : deep - y, max(0, -x) : wide - x]
        out[max(0, y) : max(0, y) + part.shape[0], max(0, x) : max(0, x) + part.shape[1]] = part
        return out

    colours = [name for name in ("R", "G", "B") if name in planes]
    if len(colours) == 3:
        colour = np.stack([laid(planes[name]) for name in colours], axis=2)
    else:
        one = next((planes[name] for name in ("Y", "R") if name in planes), None)
        if one is None:
            one = next(iter(planes.values()))
        colour = np.repeat(laid(one)[..., None], 3, axis=2)
    if (stated := about.get("chromaticities")) is not None:
        colour = _moved(colour, [float(one) for one in np.ravel(np.asarray(stated))])
    alpha = np.clip(laid(planes["A"]), 0, 1) if "A" in planes else None
    return Still(colour if alpha is None else _straight(colour, alpha), alpha)


def _moved(colour: F32, stated: list[float]) -> F32:
    """Linear RGB of the primaries that an EXR file states, as BT.709's, where they are ones that are known."""
    for name, first in (("bt2020", 0.708), ("p3", 0.680), ("bt601-525", 0.63)):
        if len(stated) >= 6 and abs(stated[0] - first) < 0.002:
            return np.asarray(colour @ to_bt709(name).T, np.float32)
    return colour


def _finite(plane: NDArray[Any]) -> F32:
    """Floats without infinities and what is no number."""
    return np.nan_to_num(np.asarray(plane, np.float32), nan=0.0, posinf=MOST, neginf=0.0).clip(0, MOST)


def _straight(colour: NDArray[Any], alpha: NDArray[Any]) -> NDArray[Any]:
    """Colour that was multiplied by alpha, divided by it again. Where alpha is 0 it is light, and stays."""
    top = 1.0 if colour.dtype.kind == "f" else float(np.iinfo(colour.dtype).max)
    share = alpha.astype(np.float32)[..., None] / np.float32(top)
    out = np.where(share > 0, colour.astype(np.float32) / np.maximum(share, 1e-6), colour)
    return out if colour.dtype.kind == "f" else np.round(np.minimum(out, top)).astype(colour.dtype)
