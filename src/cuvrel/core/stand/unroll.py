"""Outlines over time: unrolled into a strip, and several frames' outlines over one picture."""

from __future__ import annotations

from collections.abc import Sequence

import cv2
import numpy as np

from cuvrel.core.arrays import F32, U8

REACH = 6.0  # plate pixels that the strip shows on each side of the outline
GROUND = (74, 74, 74)
BEFORE, AFTER = (207, 63, 43), (63, 143, 196)  # the signs' red and blue


def outline(matte: F32) -> F32 | None:
    """The longest outline at one half as (N, 2) float32 points (x, y), clockwise; None when there is none."""
    found, _ = cv2.findContours((matte > 0.5).astype(np.uint8), cv2.RETR_EXTERNAL, cv2.CHAIN_APPROX_NONE)
    if not found:
        return None
    longest = max(found, key=len)[:, 0, :].astype(np.float32)
    return longest if len(longest) > 8 else None


def evenly(points: F32, count: int, near: F32 | None = None) -> F32:
    """`count` points at even lengths along a closed outline, beginning at the topmost point or nearest to `near`."""
    start = int(np.argmin(points[:, 1])) if near is None else int(np.argmin(np.square(points - near).sum(axis=1)))
    closed = np.vstack([points[start:], points[: start + 1]])
    length = np.concatenate([[0], np.cumsum(np.hypot(*np.diff(closed, axis=0).T))])
    at = np.linspace(0, length[-1], count, endpoint=False)
    return np.stack([np.interp(at, length, closed[:, 0]), np.interp(at, length, closed[:, 1])], axis=1).astype(
        np.float32
    )


def unrolled(frames: Sequence[tuple[F32, U8]], here: int, scale: float) -> U8:
    """The outline of every frame as a straight strip, time going down, (H, W, 3) uint8 sRGB.

    frames: matte and picture of each. A frame's band shows the picture across the outline, inside at the
    top; what belongs together lies below one another, so that flicker is seen as a torn texture. `here`
    is marked at both ends; a frame without an outline is grey.
    """
    h, w = frames[0][0].shape
    count = len(frames)
    tops = np.linspace(0, h, count + 1).astype(int)
    out = np.full((h, w, 3), GROUND, np.uint8)
    start: F32 | None = None
    for n, (matte, picture) in enumerate(frames):
        points = outline(matte)
        high = max(1, int(tops[n + 1] - tops[n]))
        if points is not None:
            line = evenly(points, w, start)
            start = line[0]
            smooth = np.stack([cv2.blur(np.concatenate([c[-8:], c, c[:8]])[None], (9, 1))[0, 8:-8] for c in line.T], 1)
            along = np.roll(smooth, -3, axis=0) - np.roll(smooth, 3, axis=0)
            length = np.maximum(np.hypot(along[:, 0], along[:, 1]), 1e-3)
            # which side is outside tells the sign of the area that the outline runs around
            side = 1.0 if cv2.contourArea(line, oriented=True) > 0 else -1.0
            outward = side * np.stack([along[:, 1], -along[:, 0]], axis=1) / length[:, None]
            offsets = np.linspace(-REACH, REACH, high) * scale if high > 2 else np.full(high, -1.5 * scale)
            x = (line[:, 0] + offsets[:, None] * outward[:, 0]).astype(np.float32)
            y = (line[:, 1] + offsets[:, None] * outward[:, 1]).astype(np.float32)
            out[tops[n] : tops[n] + high] = cv2.remap(picture, x, y, cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE)
        if n == here:
            out[tops[n] : tops[n] + high, :10] = out[tops[n] : tops[n] + high, -10:] = BEFORE
    return out


def onion(picture: U8, matte: F32, before: Sequence[F32], after: Sequence[F32]) -> U8:
    """The outlines of frames before (red) and after (blue) over a faded picture, the frame's own in white.

    before, after: mattes, the nearest first; the further away, the fainter.
    """
    grey = cv2.cvtColor(cv2.cvtColor(picture, cv2.COLOR_RGB2GRAY), cv2.COLOR_GRAY2RGB)
    out = cv2.addWeighted(picture, 0.35, grey, 0.65, 0)
    for mattes, colour in ((before, BEFORE), (after, AFTER)):
        for n in range(len(mattes) - 1, -1, -1):
            _draw(out, mattes[n], colour, 0.9 - 0.3 * n)
    _draw(out, matte, (255, 255, 255), 1.0)
    return out


def _draw(out: U8, matte: F32, colour: tuple[int, int, int], strength: float) -> None:
    lines, _ = cv2.findContours((matte > 0.5).astype(np.uint8), cv2.RETR_LIST, cv2.CHAIN_APPROX_NONE)
    layer = out.copy()
    cv2.drawContours(layer, lines, -1, colour, 1, cv2.LINE_AA)
    cv2.addWeighted(layer, strength, out, 1 - strength, 0, dst=out)
