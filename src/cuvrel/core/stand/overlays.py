"""Views drawn: a matte as a picture, over the plate, or the plate through it. All in bytes for a screen."""

from __future__ import annotations

import cv2
import numpy as np

from cuvrel.core.arrays import F32, U8
from cuvrel.core.imaging.row_kernels import in_rows, kernel

BLUE = np.array([0x3F, 0x8F, 0xC4], np.float32)
RED = np.array([0xCF, 0x3F, 0x2B], np.float32)
PALE = np.array([0xBF, 0xE6, 0xFF], np.float32)


def grey(matte: F32) -> U8:
    """A matte as a picture."""
    return np.repeat(np.round(np.clip(matte, 0, 1) * 255).astype(np.uint8)[..., None], 3, axis=2)


@kernel
def _veil(y0: int, y1: int, rgb: U8, matte: F32, blue: F32, pale: F32, out: U8) -> None:
    h, w = matte.shape
    for y in range(y0, y1):
        for x in range(w):
            m = matte[y, x]
            tint = np.float32(0.42) * m
            here = m > 0.5
            line = np.float32(0.0)
            # the outline: inside pixels with a neighbour outside, and half of it one pixel further
            if here:
                for dy in range(-1, 2):
                    for dx in range(-1, 2):
                        yy, xx = min(max(y + dy, 0), h - 1), min(max(x + dx, 0), w - 1)
                        if matte[yy, xx] <= 0.5:
                            line = max(line, np.float32(0.9) if dx == 0 or dy == 0 else np.float32(0.55))
            for k in range(3):
                v = rgb[y, x, k] * (1 - tint) + blue[k] * tint
                out[y, x, k] = np.uint8(v + (pale[k] - v) * line + np.float32(0.5))


def veil(rgb: U8, matte: F32) -> U8:
    """The matte over the picture as see-through blue, with its outline as a pale line."""
    out = np.empty_like(rgb)
    in_rows(_veil, rgb.shape[0], rgb, matte, BLUE, PALE, out)
    return out


def over_ground(rgb: U8, matte: F32, ground: tuple[int, int], size: int) -> U8:
    """The plate through the matte over an even ground or checks of `size` pixels."""
    h, w = matte.shape
    y, x = (np.arange(h) // size)[:, None], (np.arange(w) // size)[None, :]
    back = np.where((y + x) % 2, np.float32(ground[1]), np.float32(ground[0]))[..., None]
    return np.asarray(back + (rgb - back) * matte[..., None] + 0.5, np.uint8)


def over_colour(rgb: U8, matte: F32, colour: tuple[int, ...]) -> U8:
    """The plate through the matte over an even colour, 0 to 255 each."""
    back = np.array(colour, np.float32)
    return np.asarray(back + (rgb - back) * matte[..., None] + 0.5, np.uint8)


def changed(rgb: U8, matte: F32, before: F32) -> U8:
    """What the matte gained (blue) and lost (red, hatched) since the frame before, over a dim grey picture."""
    grey = cv2.cvtColor(rgb, cv2.COLOR_RGB2GRAY)[..., None].astype(np.float32) * 0.45 + 20
    step = (matte - before)[..., None]
    h, w = matte.shape
    stripes = ((np.arange(h)[:, None] + np.arange(w)) // 3 % 2).astype(np.float32)[..., None]
    out = (
        grey + np.clip(step, 0, 1) * (BLUE + 40 - grey) + np.clip(-step, 0, 1) * (0.55 + 0.45 * stripes) * (RED - grey)
    )
    return np.asarray(np.clip(out, 0, 255) + 0.5, np.uint8)
