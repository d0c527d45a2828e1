"""Colour differences to RGB and back, at any depth, as ITU-R BT.601, BT.709 and BT.2020 say.

Colour differences of half width lie on the even columns (H.264's and H.265's default, "left"), of half height between
two rows.
"""

from __future__ import annotations

from functools import lru_cache
from typing import Any

import av
import cv2
import numpy as np
from numpy.typing import NDArray

from cuvrel.core.arrays import F32, F64, I32, U8, U16, Single
from cuvrel.core.imaging.row_kernels import in_rows, kernel
from cuvrel.core.media.space import LUMA, Space, tagged

FULL = ("yuvj", "gray", "ya8", "ya16")  # formats of full range by their name; grey, as FFmpeg and players have it
STEEP = -0.75  # of the cubic: its slope one sample away, as in cv2


def is_rgb(name: str) -> bool:
    """Whether a pixel format, by FFmpeg's name, holds RGB."""
    return any(kind in name for kind in ("rgb", "bgr", "gbr", "pal8"))


def space_of(frame: Any) -> tuple[Space, list[str]]:
    """What a decoded frame's numbers mean by what it says itself, and what of that it does not say (see `tagged`)."""
    name = frame.format.name
    return tagged(int(frame.colorspace), int(frame.color_range), int(frame.color_primaries), int(frame.color_trc),
                  frame.height, is_rgb(name), name.startswith(FULL))  # fmt: skip


def planes_of(frame: Any) -> tuple[list[NDArray[Any]], int, tuple[int, int]]:
    """A frame's planes, uint8, uint16 or float32, the bits of their codes, and how much smaller colour planes are.

    That is in powers of two, across and down. A format whose planes hold more than one component is brought to one
    whose do not.
    """
    form = frame.format
    name = form.name
    parts = form.components
    packed = len(frame.planes) != len(parts) or name.startswith(("nv", "p0")) or name.endswith("be")
    if packed or any(part.bits in (9, 11, 13, 14, 15) for part in parts) or "f16" in name:
        deep, alpha = max(part.bits for part in parts), any(part.is_alpha for part in parts)
        if is_rgb(name):
            floats = "f16" in name or "f32" in name
            # swscale widens codes by shifting them, which is no white at the top
            wanted = ("gbrap" if alpha else "gbrp") + ("f32le" if floats else "" if deep <= 8 else "16le")
        elif len(parts) < 3:
            wanted = "gray16le"
        else:
            bits = "" if deep <= 8 else "10le" if deep <= 10 else "12le" if deep <= 12 else "16le"
            colour = {(1, 1): "420", (1, 0): "422"}.get(_smaller(frame), "444")
            wanted = f"yuv{colour}p{bits}"
        frame = frame.reformat(format=wanted)
        form, name, parts = frame.format, frame.format.name, frame.format.components
    bits = max(part.bits for part in parts)
    kind: Any = np.float32 if "f32" in name else np.uint8 if bits <= 8 else np.dtype("<u2")
    found = []
    for plane in frame.planes:
        rows = np.frombuffer(plane, kind).reshape(plane.height, plane.line_size // np.dtype(kind).itemsize)
        found.append(rows[:, : plane.width])
    return found, bits, _smaller(frame)


def _smaller(frame: Any) -> tuple[int, int]:
    wide = frame.format.chroma_width(1 << 10), frame.format.chroma_height(1 << 10)
    return 10 - int(wide[0]).bit_length() + 1, 10 - int(wide[1]).bit_length() + 1


def rgb_of(frame: Any, space: Space) -> F32:
    """A decoded frame as (H, W, 3) float32 RGB as it was encoded, 0 to 1 (and beyond, where the codes go beyond)."""
    planes, bits, smaller = planes_of(frame)
    if is_rgb(frame.format.name):
        # planar formats hold green, blue and red, in this order
        scale = np.float32(1.0 if planes[0].dtype == np.float32 else 1 / ((1 << bits) - 1))
        return np.stack([planes[2] * scale, planes[0] * scale, planes[1] * scale], axis=2).astype(np.float32)
    low, high, mid, span = _codes(space, bits)
    luma = planes[0]
    if len(planes) < 3:
        grey = (luma.astype(np.float32) - np.float32(low)) * np.float32(1 / (high - low))
        return np.repeat(grey[..., None], 3, axis=2)
    blue, red = (_grown(plane, luma.shape, smaller) for plane in planes[1:3])
    out = np.empty((*luma.shape, 3), np.float32)
    kr, kb = LUMA.get(space.matrix, LUMA["bt709"])
    in_rows(_to_rgb, luma.shape[0], luma, blue, red, np.float32(low), np.float32(1 / (high - low)), np.float32(mid),
            np.float32(1 / span), np.float32(kr), np.float32(kb), out)  # fmt: skip
    return out


def screen_of(frame: Any, space: Space) -> U8:
    """A decoded frame of colour differences as (H, W, 3) uint8 RGB as it was encoded, right to half a code.

    In one pass: colour planes are grown by four taps each way (Keys, 1981, as cv2's cubic has it), and nothing is
    rounded before the end. swscale's fast way is up to 3 codes too dark, its accurate one ten times as slow.
    """
    planes, bits, smaller = planes_of(frame)
    low, high, mid, span = _codes(space, bits)
    luma = planes[0]
    kr, kb = LUMA.get(space.matrix, LUMA["bt709"])
    out = np.empty((3, *luma.shape), np.uint8)
    rows, cols = (_taps(luma.shape[k], planes[1].shape[k], smaller[1 - k], k == 0) for k in (0, 1))
    in_rows(_screen, luma.shape[0], luma, planes[1], planes[2], *rows, *cols, np.float32(low),
            np.float32(1 / (high - low)), np.float32(mid), np.float32(1 / span), np.float32(kr), np.float32(kb),
            out)  # fmt: skip
    return np.asarray(cv2.merge([*out]))


def _codes(space: Space, bits: int) -> tuple[float, float, float, float]:
    """Black, white, no colour, and the span of a colour difference, in codes of so many bits."""
    if space.range == "full":
        return 0.0, float((1 << bits) - 1), float(1 << (bits - 1)), float((1 << bits) - 1)
    steps = 1 << (bits - 8)
    return 16.0 * steps, 235.0 * steps, 128.0 * steps, 224.0 * steps


def _near(d: F64) -> F64:
    return (STEEP + 2) * d**3 - (STEEP + 3) * d**2 + 1


def _far(d: F64) -> F64:
    return STEEP * (d**3 - 5 * d**2 + 8 * d - 4)


@lru_cache(maxsize=32)
def _taps(size: int, there: int, smaller: int, between: bool) -> tuple[NDArray[np.int32], F32]:
    """Of which four samples of a smaller plane each place of a larger one is made, and their weights.

    between: the smaller one's samples lie between those of the larger one, as colour planes do down; else on them.
    """
    factor = 1 << smaller
    at = (np.arange(size) - (factor - 1) / 2 * between) / factor
    first = np.floor(at)
    t = at - first
    weights = np.stack([_far(1 + t), _near(t), _near(1 - t), _far(2 - t)], axis=1)
    places = first[:, None].astype(np.int32) + np.arange(-1, 3, dtype=np.int32)
    return np.clip(places, 0, there - 1).astype(np.int32), weights.astype(np.float32)


def alpha_of(frame: Any) -> NDArray[Any] | None:
    """A decoded frame's alpha, (H, W) uint8, uint16 or float32, its whole range used; None where it has none."""
    parts = frame.format.components
    if not any(part.is_alpha for part in parts):
        return None
    if len(frame.planes) != len(parts):
        deep = max(part.bits for part in parts) > 8
        return np.ascontiguousarray(frame.reformat(format="rgba64le" if deep else "rgba").to_ndarray()[..., 3])
    planes, bits, _ = planes_of(frame)
    alpha = planes[-1]
    if alpha.dtype == np.float32 or bits in (8, 16):
        return np.ascontiguousarray(alpha)
    return np.round(alpha * np.float32(65535 / ((1 << bits) - 1))).astype(np.uint16)


def _grown(plane: NDArray[Any], shape: tuple[int, ...], smaller: tuple[int, int]) -> F32:
    """A colour plane at the size of luma."""
    plane = plane.astype(np.float32)
    across, down = 1 << smaller[0], 1 << smaller[1]
    if (across, down) == (1, 1):
        return np.ascontiguousarray(plane)
    way = np.array([[1 / across, 0, 0], [0, 1 / down, 0.5 / down - 0.5]], np.float64)
    return np.asarray(cv2.warpAffine(plane, way, (shape[1], shape[0]), flags=cv2.INTER_CUBIC | cv2.WARP_INVERSE_MAP,
                                     borderMode=cv2.BORDER_REPLICATE), np.float32)  # fmt: skip


@kernel
def _to_rgb(
    y0: int,
    y1: int,
    luma: U16,
    blue: F32,
    red: F32,
    low: Single,
    scale: Single,
    mid: Single,
    span: Single,
    kr: Single,
    kb: Single,
    out: F32,
) -> None:
    kg = np.float32(1) - kr - kb
    for y in range(y0, y1):
        for x in range(luma.shape[1]):
            v = (np.float32(luma[y, x]) - low) * scale
            cb, cr = (blue[y, x] - mid) * span, (red[y, x] - mid) * span
            r, b = v + np.float32(2) * (1 - kr) * cr, v + np.float32(2) * (1 - kb) * cb
            out[y, x, 0] = r
            out[y, x, 1] = (v - kr * r - kb * b) / kg
            out[y, x, 2] = b


@kernel
def _screen(
    y0: int, y1: int, luma: U8, blue: U8, red: U8, rows: I32, row_weights: F32, cols: I32, col_weights: F32,
    low: Single, scale: Single, mid: Single, span: Single, kr: Single, kb: Single, out: U8,
) -> None:  # fmt: skip
    wide, narrow = luma.shape[1], blue.shape[1]
    b_row, r_row = np.empty(narrow, np.float32), np.empty(narrow, np.float32)
    b_wide, r_wide = np.empty(wide, np.float32), np.empty(wide, np.float32)
    full, half = np.float32(255), np.float32(0.5)
    kg = np.float32(1) - kr - kb
    of_red, of_blue = np.float32(2) * (1 - kr) * span * full, np.float32(2) * (1 - kb) * span * full
    of_luma = scale * full
    halved = narrow > 8 and 2 * narrow - wide in (0, 1)
    outer, inner = np.float32(STEEP * 0.125), np.float32(0.5 - STEEP * 0.125)
    red_of_green, blue_of_green = -kr * of_red / kg, -kb * of_blue / kg
    for y in range(y0, y1):
        w0, w1, w2, w3 = row_weights[y, 0], row_weights[y, 1], row_weights[y, 2], row_weights[y, 3]
        n0, n1, n2, n3 = rows[y, 0], rows[y, 1], rows[y, 2], rows[y, 3]
        for x in range(narrow):
            b_row[x] = w0 * blue[n0, x] + w1 * blue[n1, x] + w2 * blue[n2, x] + w3 * blue[n3, x] - mid
            r_row[x] = w0 * red[n0, x] + w1 * red[n1, x] + w2 * red[n2, x] + w3 * red[n3, x] - mid
        if narrow == wide:
            b_wide[:] = b_row
            r_wide[:] = r_row
        else:
            # half as wide, as nearly all are: two loops of constant steps, which become vector instructions
            plain = narrow - 3 if halved else 0
            for k in range(1, plain):
                b_wide[2 * k] = b_row[k]
                r_wide[2 * k] = r_row[k]
            for k in range(1, plain):
                b_wide[2 * k + 1] = outer * (b_row[k - 1] + b_row[k + 2]) + inner * (b_row[k] + b_row[k + 1])
                r_wide[2 * k + 1] = outer * (r_row[k - 1] + r_row[k + 2]) + inner * (r_row[k] + r_row[k + 1])
            for n in range(wide - 2 * max(0, plain - 1)):
                x = n if n < 2 else n + 2 * max(0, plain - 1)
                m0, m1, m2, m3 = cols[x, 0], cols[x, 1], cols[x, 2], cols[x, 3]
                v0, v1, v2, v3 = col_weights[x, 0], col_weights[x, 1], col_weights[x, 2], col_weights[x, 3]
                b_wide[x] = v0 * b_row[m0] + v1 * b_row[m1] + v2 * b_row[m2] + v3 * b_row[m3]
                r_wide[x] = v0 * r_row[m0] + v1 * r_row[m1] + v2 * r_row[m2] + v3 * r_row[m3]
        for x in range(wide):
            v = (np.float32(luma[y, x]) - low) * of_luma + half
            r, b = v + of_red * r_wide[x], v + of_blue * b_wide[x]
            g = v + red_of_green * r_wide[x] + blue_of_green * b_wide[x]
            out[0, y, x] = np.uint8(min(max(r, np.float32(0)), full))
            out[1, y, x] = np.uint8(min(max(g, np.float32(0)), full))
            out[2, y, x] = np.uint8(min(max(b, np.float32(0)), full))


@kernel
def _from_rgb(y0: int, y1: int, rgb: F32, kr: Single, kb: Single, luma: F32, blue: F32, red: F32) -> None:
    kg = np.float32(1) - kr - kb
    for y in range(y0, y1):
        for x in range(rgb.shape[1]):
            r, g, b = rgb[y, x, 0], rgb[y, x, 1], rgb[y, x, 2]
            v = kr * r + kg * g + kb * b
            luma[y, x] = v
            blue[y, x] = (b - v) / (np.float32(2) * (1 - kb))
            red[y, x] = (r - v) / (np.float32(2) * (1 - kr))


def frame_of(picture: F32, form: str, space: Space) -> Any:
    """A frame to encode from display-encoded float32, (H, W, 3), (H, W, 4) or (H, W), 0 to 1.

    form: a planar FFmpeg pixel format, of YUV in limited range, of RGB, or grey.
    """
    height, width = picture.shape[:2]
    frame = av.VideoFrame(width, height, form)
    bits = frame.format.components[0].bits
    full = np.float32((1 << bits) - 1)
    if form.startswith("gray"):
        planes = [picture * full]
    elif form.startswith("gbr"):
        planes = [picture[..., k] * full for k in (1, 2, 0)]
    else:
        kr, kb = LUMA[space.matrix]
        luma, blue, red = (np.empty((height, width), np.float32) for _ in range(3))
        in_rows(_from_rgb, height, picture, np.float32(kr), np.float32(kb), luma, blue, red)
        steps = np.float32(1 << (bits - 8))
        smaller = _smaller(frame)
        planes = [(luma * 219 + 16) * steps, *((_shrunk(one, smaller) * 224 + 128) * steps for one in (blue, red))]
    if len(frame.planes) in (2, 4):
        planes.append(picture[..., 3] * full)
    kind: Any = np.uint8 if bits <= 8 else np.dtype("<u2")
    for plane, values in zip(frame.planes, planes, strict=True):
        codes = np.clip(np.round(values), 0, full).astype(kind)
        rows = np.zeros((plane.height, plane.line_size // np.dtype(kind).itemsize), kind)
        rows[: codes.shape[0], : codes.shape[1]] = codes
        plane.update(rows.tobytes())
    return frame


def _shrunk(plane: F32, smaller: tuple[int, int]) -> F32:
    if smaller[0]:
        kernel_ = np.array([[0.25, 0.5, 0.25]], np.float32)
        plane = np.asarray(cv2.filter2D(plane, -1, kernel_, borderType=cv2.BORDER_REPLICATE), np.float32)[:, ::2]
    if smaller[1]:
        below = plane[1::2]
        plane = (plane[::2][: below.shape[0]] + below) * np.float32(0.5)
    return np.asarray(plane, np.float32)
