"""What the colours of a single picture mean where its file says so: ICC profiles, and the numbers of H.273.

Sources: ICC.1 (profiles; worked out by Little CMS); ISO/IEC 15948 with its third edition's cICP chunk (PNG), ITU-T T.81
with ICC.1 annex B.4 (JPEG), TIFF 6.0 with tag 34675, the WebP container, ISO/IEC 23000-22 (`colr` of AVIF).
"""

from __future__ import annotations

import io
import zlib
from typing import Any

import imagecodecs
import numpy as np
import tifffile
from numpy.typing import NDArray

from cuvrel.core.arrays import U16
from cuvrel.core.imaging.row_kernels import in_rows
from cuvrel.core.media.space import Space, tagged

MOST_PROFILE = 4 << 20
SAME = 1.0 / 255  # of a grid of colours: a profile that moves none by more is sRGB


def png_chunks(data: bytes) -> dict[bytes, bytes]:
    """The chunks of a PNG before its pixels, by their names."""
    found: dict[bytes, bytes] = {}
    at = 8
    while at + 8 <= len(data):
        size, name = int.from_bytes(data[at : at + 4]), data[at + 4 : at + 8]
        if name in (b"IDAT", b"IEND"):
            break
        found[name] = data[at + 8 : at + 8 + size]
        at += 12 + size
    return found


def riff_chunks(data: bytes) -> dict[bytes, bytes]:
    """The chunks of a WebP file, by their names; of several with one name the first."""
    found: dict[bytes, bytes] = {}
    at = 12
    while at + 8 <= len(data):
        name, size = data[at : at + 4], int.from_bytes(data[at + 4 : at + 8], "little")
        found.setdefault(name, data[at + 8 : at + 8 + size])
        at += 8 + size + size % 2
    return found


def profile_of(data: bytes, kind: str) -> bytes | None:
    """The ICC profile that a picture carries; None where there is none, or it is broken."""
    try:
        found = _profile(data, kind)
    except (ValueError, LookupError, zlib.error, OSError):
        return None
    return found if found and 128 < len(found) <= MOST_PROFILE else None


def _profile(data: bytes, kind: str) -> bytes | None:
    if kind == "png":
        packed = png_chunks(data).get(b"iCCP")
        if packed is None:
            return None
        return zlib.decompressobj().decompress(packed[packed.index(b"\0") + 2 :], MOST_PROFILE + 1)
    if kind == "jpeg":
        return _jpeg_profile(data)
    if kind == "webp":
        return riff_chunks(data).get(b"ICCP")
    if kind == "tiff":
        with tifffile.TiffFile(io.BytesIO(data)) as file:
            tag: Any = file.pages[0].tags.get(34675)  # type: ignore[union-attr]
            return None if tag is None else bytes(tag.value)
    if kind == "avif" and (at := data.find(b"colrprof", 0, 1 << 20)) >= 0:
        return data[at + 8 : at - 4 + int.from_bytes(data[at - 4 : at])]
    return None


def _jpeg_profile(data: bytes) -> bytes | None:
    """From the APP2 segments, in their order."""
    parts: dict[int, bytes] = {}
    at = 2
    while at + 4 <= len(data) and data[at] == 0xFF and data[at + 1] != 0xDA:
        size = int.from_bytes(data[at + 2 : at + 4])
        body = data[at + 4 : at + 2 + size]
        if data[at + 1] == 0xE2 and body.startswith(b"ICC_PROFILE\0"):
            parts[body[12]] = body[14:]
        at += 2 + size
    return b"".join(parts[n] for n in sorted(parts)) or None


def by_profile(colour: NDArray[Any], profile: bytes) -> NDArray[Any] | None:
    """(H, W, 3) uint8 or uint16 by a profile, as uint16 sRGB by relative colorimetry.

    The same array where the profile says sRGB. None where it can't be used: it is broken, or not one of RGB.
    """
    if profile[16:20] != b"RGB ":
        return None
    srgb = imagecodecs.cms_profile("srgb")

    how: dict[str, Any] = {"colorspace": "rgb", "outcolorspace": "rgb", "outdtype": "uint16",
                           "intent": imagecodecs.CMS.INTENT.RELATIVE_COLORIMETRIC}  # fmt: skip
    if colour.dtype == np.uint16:
        how["flags"] = imagecodecs.CMS.FLAGS.NOOPTIMIZE  # it is optimised by a coarse lattice, which is 3 % off

    def moved(values: NDArray[Any]) -> U16:
        out = np.empty(values.shape, np.uint16)

        def band(y0: int, y1: int, given: NDArray[Any], to: U16) -> None:
            if y1 > y0:
                to[y0:y1] = imagecodecs.cms_transform(np.ascontiguousarray(given[y0:y1]), profile, srgb, **how)

        in_rows(band, values.shape[0], values, out)
        return out

    steps = np.linspace(0, 65535, 9).astype(np.uint16)
    grid = np.stack(np.meshgrid(steps, steps, steps), axis=-1).reshape(1, -1, 3)
    try:
        if np.abs(moved(grid).astype(np.float64) - grid).max() <= SAME * 65535:
            return colour
        return moved(np.ascontiguousarray(colour))
    except (imagecodecs.CmsError, ValueError, TypeError):
        return None


def coded_points(data: bytes, kind: str) -> Space | None:
    """What the numbers of H.273 in a picture say (PNG's cICP chunk, AVIF's `colr` box); None without them."""
    numbers: tuple[int, int] | None = None
    if kind == "png":
        chunk = png_chunks(data).get(b"cICP", b"")
        numbers = (chunk[0], chunk[1]) if len(chunk) == 4 else None
    elif kind == "avif" and (at := data.find(b"colrnclx", 0, 1 << 20)) >= 0:
        numbers = int.from_bytes(data[at + 8 : at + 10]), int.from_bytes(data[at + 10 : at + 12])
    if numbers is None:
        return None
    space, _ = tagged(0, 2, *numbers, 0, True, True)
    return space
