"""Copies of a picture laid over one another: where something is in it, and laying that part alone."""

from __future__ import annotations

import cv2
import numpy as np

from cuvrel.core.arrays import F32, F64, I32, Single
from cuvrel.core.imaging.blend import blend
from cuvrel.core.imaging.colour import encode, srgb_to_linear, to_display, to_light
from cuvrel.core.imaging.region import Box
from cuvrel.core.imaging.row_kernels import in_rows, kernel
from cuvrel.core.imaging.sampling import averaged_down
from cuvrel.core.motion.between import in_between, motion
from cuvrel.core.recipe.values import Rgb

FAR = 1e9  # pixels beyond which nothing is told apart any more
LEAST = np.float32(1 / 2048)  # light and cover below it are nothing


@kernel
def _occupied(y0: int, y1: int, picture: F32, ends: I32) -> None:
    """The first and the last piece of each row in which there is anything, by pieces of 16 pixels; -1 where none."""
    pieces = picture.shape[1] // 16
    for y in range(y0, y1):
        row = picture[y].reshape(-1)
        first, last = -1, -1
        for n in range(pieces):
            most = np.float32(0.0)
            piece = row[64 * n : 64 * n + 64]
            for i in range(64):
                most = max(most, piece[i])
            if most > LEAST:
                first = n if first < 0 else first
                last = n
        ends[y, 0], ends[y, 1] = first, last


def occupied(picture: F32) -> Box | None:
    """The box of a picture, (H, W, 4) float32, in which there is anything at all; None where there is nothing."""
    h, w = picture.shape[:2]
    ends = np.empty((h, 2), np.int32)
    in_rows(_occupied, h, np.ascontiguousarray(picture), ends)
    # what is left over of the last piece of each row
    rest = w // 16 * 16
    edge = np.asarray((picture[:, rest:] > LEAST).any(axis=(1, 2)))
    rows = np.flatnonzero((ends[:, 0] >= 0) | edge)
    if not len(rows):
        return None
    high = slice(int(rows[0]), int(rows[-1]) + 1)
    inner = ends[ends[:, 0] >= 0]
    first = 16 * int(inner[:, 0].min()) if len(inner) else rest
    last = rest if edge.any() else 16 * int(inner[:, 1].max())
    there = [np.asarray((picture[high, x : x + 16] > LEAST).any(axis=(0, 2))) for x in (first, last)]
    return high, slice(first + int(np.argmax(there[0])), last + len(there[1]) - int(np.argmax(there[1][::-1])))


def middle(box: Box) -> tuple[float, float]:
    """The middle of a box, x and y in pixels."""
    rows, cols = box
    return (cols.start + cols.stop) / 2, (rows.start + rows.stop) / 2


@kernel
def _over(
    y0: int, y1: int, below: F32, top: int, left: int, above: F32, row: int, column: int, wide: int, opacity: Single
) -> None:
    for y in range(y0, y1):
        # pieces of rows, so that what is looked up is plain to see
        under = below[y + top, left : left + wide].reshape(-1)
        over = above[y + row, column : column + wide].reshape(-1)
        for x in range(0, 4 * wide, 4):
            rest = np.float32(1.0) - over[x + 3] * opacity
            under[x] = over[x] * opacity + under[x] * rest
            under[x + 1] = over[x + 1] * opacity + under[x + 1] * rest
            under[x + 2] = over[x + 2] * opacity + under[x + 2] * rest
            under[x + 3] = over[x + 3] * opacity + under[x + 3] * rest


def lay(below: F32, picture: F32, box: Box, way: F64 | None, mode: str, opacity: float) -> None:
    """Lays the part of a picture that lies in a box over another one, (H, W, 4) float32, which is written to.

    way: where it goes, as `about` gives it; None leaves it where it is.
    """
    found = _piece(picture, box, way, below.shape)
    if found is None:
        return
    (above, row, column), to = found
    high, wide = to[0].stop - to[0].start, to[1].stop - to[1].start
    if mode == "normal":
        in_rows(_over, high, below, to[0].start, to[1].start, above, row, column, wide, np.float32(opacity))
    else:
        part = np.ascontiguousarray(above[row : row + high, column : column + wide])
        below[to] = blend(np.ascontiguousarray(below[to]), part, mode, opacity)


def _piece(picture: F32, box: Box, way: F64 | None, shape: tuple[int, ...]) -> tuple[tuple[F32, int, int], Box] | None:
    """The part of a picture in a box, moved: where it is to be read from, and the box that it fills then.

    None where that is out of sight.
    """
    if way is None:
        return (picture, box[0].start, box[1].start), box
    moved = _moved(np.ascontiguousarray(picture[box]), box, way, shape)
    return None if moved is None else ((moved[0], 0, 0), moved[1])


@kernel
def _screen(
    y0: int, y1: int, total: F32, top: int, left: int, above: F32, down: int, across: int, wide: int, opacity: Single
) -> None:
    one = np.float32(1.0)
    row = np.empty((4, wide), np.float32)
    r, g, b, a = row[0], row[1], row[2], row[3]
    for y in range(y0, y1):
        over = above[y + down, across : across + wide]
        under = total[y + top, left : left + wide]
        for x in range(wide):
            part = one / max(over[x, 3], np.float32(1e-6))
            r[x], g[x], b[x], a[x] = over[x, 0] * part, over[x, 1] * part, over[x, 2] * part, over[x, 3] * opacity
        for x in range(wide):
            r[x] = to_display(r[x]) * a[x]
        for x in range(wide):
            g[x] = to_display(g[x]) * a[x]
        for x in range(wide):
            b[x] = to_display(b[x]) * a[x]
        for x in range(wide):
            under[x, 0] += r[x] * (one - under[x, 0])
            under[x, 1] += g[x] * (one - under[x, 1])
            under[x, 2] += b[x] * (one - under[x, 2])
            under[x, 3] += a[x] * (one - under[x, 3])


@kernel
def _unscreened(y0: int, y1: int, total: F32) -> None:
    one = np.float32(1.0)
    wide = total.shape[1]
    row = np.empty((3, wide), np.float32)
    for y in range(y0, y1):
        line = total[y]
        for x in range(wide):
            over = one / max(line[x, 3], np.float32(1e-6))
            row[0, x], row[1, x], row[2, x] = line[x, 0] * over, line[x, 1] * over, line[x, 2] * over
        for k in range(3):
            part = row[k]
            for x in range(wide):
                part[x] = to_light(min(part[x], one))
        for x in range(wide):
            a = line[x, 3]
            line[x, 0], line[x, 1], line[x, 2] = row[0, x] * a, row[1, x] * a, row[2, x] * a


class Screen:
    """Pictures laid over one another in screen mode, quickly however many there are.

    They are added up display-encoded and premultiplied: there the mode of the W3C's *Compositing and Blending*, with
    its alphas, comes to s + b - s * b for colours and alpha alike. Light without alpha is left out.
    """

    def __init__(self, shape: tuple[int, ...]) -> None:
        self._total = np.zeros(shape, np.float32)

    def lay(self, picture: F32, box: Box, way: F64 | None, opacity: float) -> None:
        """Lays the part of a picture that lies in a box, moved as `about` says."""
        found = _piece(picture, box, way, self._total.shape)
        if found is not None:
            (above, row, column), (rows, cols) = found
            high, wide = rows.stop - rows.start, cols.stop - cols.start
            numbers = rows.start, cols.start, above, row, column, wide, np.float32(opacity)
            in_rows(_screen, high, self._total, *numbers)

    def picture(self) -> F32:
        """All of them, (H, W, 4) float32 premultiplied linear RGBA; nothing can be laid any more."""
        in_rows(_unscreened, len(self._total), self._total)
        return self._total


def _moved(part: F32, box: Box, way: F64, shape: tuple[int, ...]) -> tuple[F32, Box] | None:
    """What lies in a box after a movement, and the box that it lies in then; None where that is out of the picture."""
    rows, cols = box
    corners = np.array([[x, y, 1] for x in (cols.start, cols.stop) for y in (rows.start, rows.stop)]) @ way.T
    if not (np.abs(corners) < FAR).all():  # copies of copies grow beyond all numbers
        return None
    low = np.maximum(np.floor(corners.min(axis=0)).astype(int) - 1, 0)
    high = np.minimum(np.ceil(corners.max(axis=0)).astype(int) + 1, (shape[1], shape[0]))
    if (high <= low).any():
        return None
    # from corners to middles of pixels, and from the part to the box that is written
    inner = way.copy()
    inner[:, 2] += way[:, :2] @ (cols.start + 0.5, rows.start + 0.5) - 0.5 - low
    size = int(high[0] - low[0]), int(high[1] - low[1])
    if np.hypot(*way[:, 0]) < 0.7:
        part, whole = averaged_down(part, np.vstack([inner, [0, 0, 1]]))
        inner = whole[:2]
    moved = cv2.warpAffine(part, inner, size, flags=cv2.INTER_LINEAR, borderMode=cv2.BORDER_CONSTANT)
    return np.asarray(moved, np.float32), (slice(int(low[1]), int(high[1])), slice(int(low[0]), int(high[0])))


@kernel
def _tinted(y0: int, y1: int, picture: F32, tone: F32, amount: Single, out: F32) -> None:
    for y in range(y0, y1):
        for x in range(picture.shape[1]):
            r, g, b = picture[y, x, 0], picture[y, x, 1], picture[y, x, 2]
            luma = np.float32(0.2126) * r + np.float32(0.7152) * g + np.float32(0.0722) * b
            out[y, x, 0] = r + (luma * tone[0] - r) * amount
            out[y, x, 1] = g + (luma * tone[1] - g) * amount
            out[y, x, 2] = b + (luma * tone[2] - b) * amount
            out[y, x, 3] = picture[y, x, 3]


def tinted(picture: F32, tone: Rgb, amount: float) -> F32:
    """A picture on its way to its luminance in a display-encoded colour, (H, W, 4) float32, by 0 to 1.

    The colour is taken at its own luminance of 1, so that a dark tint does not darken.
    """
    if amount <= 0:
        return picture
    lit = srgb_to_linear(np.asarray(tone)).astype(np.float64)
    lit /= max(float(lit @ (0.2126, 0.7152, 0.0722)), 0.05)
    out = np.empty_like(picture)
    in_rows(_tinted, len(picture), np.ascontiguousarray(picture), lit.astype(np.float32), np.float32(amount), out)
    return out


def at_share(before: F32, after: F32 | None, share: float) -> F32:
    """A picture between two neighbouring frames, made from what moves; the first where the second is not there."""
    if after is None or share <= 0:
        return before
    return in_between(before, after, motion(encode(before), encode(after)), share)
