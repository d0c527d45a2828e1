"""Building a clean plate: the view without the subject, from the frames of the shot itself."""

from __future__ import annotations

from collections.abc import Sequence

import cv2
import numpy as np

from cuvrel.core.arrays import F32, U8
from cuvrel.core.imaging.row_kernels import exact_kernel, in_rows

MOST = 49  # frames that a median is taken of
GUARD = 12  # pixels about a matte that are not trusted to be free of the subject


def spaced(first: int, last: int, most: int = MOST) -> list[int]:
    """Up to `most` frames evenly from first to last, both among them."""
    count = min(most, last - first + 1)
    return sorted({round(n) for n in np.linspace(first, last, count).tolist()})


@exact_kernel
def _median(y0: int, y1: int, frames: U8, free: F32, out: U8, seen: F32) -> None:
    count = frames.shape[0]
    values = np.empty(count, np.uint8)
    for y in range(y0, y1):
        for x in range(frames.shape[2]):
            n = 0
            for k in range(count):
                n += free[k, y, x]
            seen[y, x] = n
            every = n == 0
            for c in range(3):
                m = 0
                for k in range(count):
                    if every or free[k, y, x]:
                        values[m] = frames[k, y, x, c]
                        m += 1
                part = np.sort(values[:m])
                out[y, x, c] = (np.int32(part[(m - 1) // 2]) + np.int32(part[m // 2]) + 1) // 2


def median_plate(frames: Sequence[U8], mattes: Sequence[F32] | None = None) -> tuple[U8, F32]:
    """The background of a shot whose camera stands still: the median of its frames at each pixel.

    Parameters ---------- frames (H, W, 3) uint8 each. mattes (H, W) float32 each: the subject's. Only frames whose
    matte leaves a pixel free, by GUARD pixels of a picture 1000 wide, count for that pixel. None: all count.

    Returns
    -------
    U8
        (H, W, 3): the clean plate.
    F32
        (H, W), 0 to 1: the share of the frames that counted; where it is 0 all were taken, for want of any.
    """
    stack = np.stack(frames)
    if mattes is None:
        free = np.ones(stack.shape[:3], np.uint8)
    else:
        side = 2 * max(1, round(GUARD * stack.shape[2] / 1000)) + 1
        kernel = cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (side, side))
        free = np.stack([1 - cv2.dilate((m > 0.05).astype(np.uint8), kernel) for m in mattes])
    out, seen = np.empty(stack.shape[1:], np.uint8), np.empty(stack.shape[1:3], np.int32)
    in_rows(_median, stack.shape[1], stack, free, out, seen)
    return out, (seen / len(stack)).astype(np.float32)


def drawn_coverage(plate: U8, seen: F32, width: int = 640) -> U8:
    """The clean plate, darker where fewer frames showed the background, hatched red where none did; at most `width`.

    plate: (H, W, 3) uint8. seen: (H, W) float32, 0 to 1, as median_plate tells it.
    """
    size = min(width, plate.shape[1]), max(1, round(plate.shape[0] * min(1.0, width / plate.shape[1])))
    small = cv2.resize(plate, size, interpolation=cv2.INTER_AREA).astype(np.float32)
    share = cv2.resize(seen, size, interpolation=cv2.INTER_AREA)[..., None]
    never = cv2.resize((seen <= 0).astype(np.float32), size, interpolation=cv2.INTER_AREA)[..., None]
    stripes = (np.add.outer(np.arange(size[1]), np.arange(size[0])) // 4 % 2)[..., None]
    out = small * (0.35 + 0.65 * np.sqrt(share))
    red = np.array([207, 63, 43], np.float32) * (0.6 + 0.4 * stripes)
    return np.asarray(np.clip(out + (red - out) * np.minimum(never * 1.5, 1) * 0.85, 0, 255) + 0.5, np.uint8)


def joined_plate(base: U8, parts: Sequence[tuple[U8, F32]]) -> U8:
    """A held frame with parts of others laid over it, (H, W, 3) uint8.

    parts: picture and where it counts, (H, W) float32, 0 to 1; soft edges make soft joins.
    """
    out = base.astype(np.float32)
    for picture, cover in parts:
        out += cover[..., None] * (picture - out)
    return np.round(out).astype(np.uint8)
