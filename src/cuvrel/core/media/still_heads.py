"""What single pictures say of themselves in their first bytes: size, depth, alpha, colours, time code.

Sources: ISO/IEC 15948 (PNG), ITU-T T.81 (JPEG), the WebP container, ISO/IEC 14496-12 and 23000-22 (AVIF), ISO/IEC
15444-1 (JPEG 2000), SMPTE ST 268-1 (DPX), and the descriptions of BMP and TGA.
"""

from __future__ import annotations

import io
import struct
from dataclasses import dataclass
from typing import Any

import av
import tifffile

from cuvrel.core.media.space import Space, Transfer
from cuvrel.core.media.still_colour import coded_points, png_chunks, riff_chunks
from cuvrel.core.media.timecode import of_bcd


@dataclass(frozen=True)
class Head:
    """What a picture says of itself before it is decoded. depth: bits of a sample; floats: of half or float.

    bytes: what a file of it takes at the most, where it says so itself, or 0. space: what its numbers mean, where they
    are not sRGB or linear light of BT.709. layers: what of an EXR can be looked at, the first of which is meant;
    channels: all of its channels; names: what its Cryptomatte layers name, as LAYER:NAME. timecode: of this picture,
    or "".
    """

    width: int
    height: int
    depth: int
    floats: bool
    alpha: bool
    bytes: int = 0
    space: Space | None = None
    layers: tuple[str, ...] = ()
    channels: tuple[str, ...] = ()
    names: tuple[str, ...] = ()
    timecode: str = ""


def png(data: bytes) -> Head:
    """From the first chunk (11.2.2); a colour that is see-through is alpha."""
    if len(data) < 33 or data[12:16] != b"IHDR":
        raise ValueError("no PNG")
    width, height, depth, colour = int.from_bytes(data[16:20]), int.from_bytes(data[20:24]), data[24], data[25]
    see_through = b"tRNS" in png_chunks(data)
    return Head(width, height, 16 if depth == 16 else 8, False, colour in (4, 6) or see_through,
                space=coded_points(data, "png"))  # fmt: skip


def jpeg(data: bytes) -> Head:
    """From the frame header (B.2.2); a turned picture (Exif) is as it will be shown."""
    with av.open(io.BytesIO(data), format="jpeg_pipe") as container:
        context = container.streams.video[0].codec_context
        wide, high = context.width, context.height
    if not wide or not high:
        raise ValueError("no frame header")
    turned = exif_turn(data) in (5, 6, 7, 8)
    return Head(high if turned else wide, wide if turned else high, 8, False, False)


def exif_turn(data: bytes) -> int:
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


def webp(data: bytes) -> Head:
    """From the first chunk of the container."""
    chunks = riff_chunks(data[: 1 << 20])
    if (wide := chunks.get(b"VP8X")) is not None:
        return Head(1 + int.from_bytes(wide[4:7], "little"), 1 + int.from_bytes(wide[7:10], "little"), 8, False,
                    bool(wide[0] & 0x10))  # fmt: skip
    if (lossless := chunks.get(b"VP8L")) is not None:
        bits = int.from_bytes(lossless[1:5], "little")
        return Head(1 + (bits & 0x3FFF), 1 + (bits >> 14 & 0x3FFF), 8, False, bool(bits >> 28 & 1))
    lossy = chunks[b"VP8 "]
    width, height = struct.unpack("<HH", lossy[6:10])
    return Head(width & 0x3FFF, height & 0x3FFF, 8, False, False)


def is_moving_webp(start: bytes) -> bool:
    """Whether a file is a WebP that moves, by its first bytes."""
    return start[:4] == b"RIFF" and start[8:16] == b"WEBPVP8X" and len(start) > 20 and bool(start[20] & 0x02)


def webp_frames(data: bytes) -> int:
    """How many pictures a WebP file holds that follow one another; 1 where it does not move."""
    count, at = 0, 12
    while at + 8 <= len(data):
        size = int.from_bytes(data[at + 4 : at + 8], "little")
        count += data[at : at + 4] == b"ANMF"
        at += 8 + size + size % 2
    return max(1, count)


def avif(data: bytes) -> Head:
    """From the boxes that tell the size and the depth of the largest picture within."""
    sizes, at = [], 0
    while (at := data.find(b"ispe", at, 1 << 20)) >= 0:
        sizes.append(struct.unpack(">II", data[at + 8 : at + 16]))
        at += 4
    width, height = max(sizes)
    found = data.find(b"pixi", 0, 1 << 20)
    depth = data[found + 9] if found >= 0 else 8
    alpha = b"auxiliary:alpha" in data[: 1 << 20]
    return Head(width, height, 16 if depth > 8 else 8, False, alpha, space=coded_points(data, "avif"))


def jpeg2000(data: bytes) -> Head:
    """From the size marker of the first code stream (A.5.1)."""
    at = data.index(b"\xff\x4f\xff\x51")
    right, down, left, top = struct.unpack(">IIII", data[at + 8 : at + 24])
    parts = int.from_bytes(data[at + 40 : at + 42])
    deep = (data[at + 42] & 0x7F) + 1
    return Head(right - left, down - top, 16 if deep > 8 else 8, False, parts in (2, 4))


def bmp(data: bytes) -> Head:
    """From the header of the bitmap."""
    width, height, _, bits = struct.unpack("<iiHH", data[18:30])
    return Head(abs(width), abs(height), 8, False, bits == 32 and int.from_bytes(data[14:18], "little") >= 56)


def tga(data: bytes) -> Head:
    """From the header; it has no mark of its own, so that a name must say what it is."""
    if data[1] > 1 or data[2] not in (1, 2, 3, 9, 10, 11):
        raise ValueError("no TGA")
    width, height, bits, about = struct.unpack("<HHBB", data[12:18])
    return Head(width, height, 8, False, bits == 32 and about & 0x0F > 0)


DPX_TRANSFERS: dict[int, Transfer] = {1: "cineon", 2: "linear", 3: "cineon"}


def dpx(data: bytes) -> Head:
    """From the generic headers of the file, its picture and its television part; film density is logarithmic."""
    order = ">" if data[:4] == b"SDPX" else "<"
    (parts,) = struct.unpack(f"{order}H", data[770:772])
    width, height = struct.unpack(f"{order}II", data[772:780])
    kind, transfer, deep = data[800], data[801], data[803]
    if parts != 1 or kind not in (6, 50, 51, 52) or deep not in (8, 10, 12, 16):
        raise ValueError("a DPX picture of a kind that is not read")
    (code,) = struct.unpack(f"{order}I", data[1920:1924]) if len(data) >= 1924 else (0xFFFFFFFF,)
    space = Space("rgb", "full", "bt709", DPX_TRANSFERS.get(transfer, "sdr"))
    return Head(width, height, 8 if deep == 8 else 16, False, kind in (51, 52), space=space,
                timecode=of_bcd(code))  # fmt: skip


HEADS: dict[str, Any] = {"png": png, "jpeg": jpeg, "webp": webp, "avif": avif, "jpeg2000": jpeg2000, "bmp": bmp,
                         "tga": tga, "dpx": dpx}  # fmt: skip
"""The kinds that are told by how a file begins."""
