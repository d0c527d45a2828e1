"""View modes: ways of looking that never change the work. Each ends in bytes for a screen."""

from __future__ import annotations

import re

import cv2
import numpy as np
from numpy.typing import NDArray

from cuvrel.core.arrays import F32, U8
from cuvrel.core.checks.frames import look
from cuvrel.core.imaging.colour import encode, encode_rgba, with_light
from cuvrel.core.imaging.row_kernels import in_rows, kernel
from cuvrel.core.recipe.errors import RecipeError
from cuvrel.core.stand.build import Stand
from cuvrel.core.stand.costs import tried
from cuvrel.core.stand.nodes import Node, node
from cuvrel.core.stand.tries import laid_on
from cuvrel.core.stand.unroll import onion, unrolled

BLUE = np.array([0x3F, 0x8F, 0xC4], np.float32)
RED = np.array([0xCF, 0x3F, 0x2B], np.float32)
PALE = np.array([0xBF, 0xE6, 0xFF], np.float32)
SPAN = 48  # frames of the unrolled strip
GROUNDS = {"black": (0, 0), "white": (255, 255), "grey": (118, 118), "checks": (90, 150)}


def view(stand: Stand, wanted: str, frame: int) -> Node:
    """The node of a view at a frame, uint8: (H, W, 3) sRGB or (H, W, 4) for a plane alone.

    wanted: `result`, `plate`, `matte:ID`, `veil:ID`, `cutout:ID:GROUND` (a name of GROUNDS, or a colour as
    #rrggbb), `change:ID`, `unroll:ID`, `onion:ID`, `plane:ID`, `try:ID:WAY` (the result with a plane laid
    over it as costs.TRIES says) or `with:...` (something laid on; see tries.py). With `bare-` before it a
    view of a matte shows it before its edge step, with `first-N-` as far as its first N pulls bring it.
    Raises RecipeError for anything else.
    """
    part = re.fullmatch(r"(?:(bare)-|first-([1-9]\d{0,2})-)?(.*)", wanted)
    assert part is not None
    kind, *rest = part[3].split(":")
    if part[1] or part[2]:
        stand = stand.bare(None if part[1] else int(part[2]))
    try:
        if kind == "result" and not rest:
            return node("view-result", None, [stand.result(frame)], encode)
        if kind == "with" and len(rest) >= 3:
            tried_on, what = laid_on(stand, rest)
            return view(tried_on, what, frame)
        if kind == "try" and len(rest) == 2:
            return view(tried(stand, *rest), "result", frame)
        if kind == "plate" and not rest:
            return stand.plate(frame)
        if kind == "matte" and len(rest) == 1:
            return node("view-matte", None, [stand.matte(rest[0], frame)], grey)
        if kind == "veil" and len(rest) == 1:
            return node("view-veil", stand.scale, [stand.plate(frame), stand.matte(rest[0], frame)], veil)
        if kind == "cutout" and len(rest) == 2 and rest[1] in GROUNDS:
            ground = GROUNDS[rest[1]]
            size = max(4, round(16 * stand.scale))
            return node("view-cutout", [ground, size], [stand.plate(frame), stand.matte(rest[0], frame)],
                        lambda p, m: over_ground(p, m, ground, size))  # fmt: skip
        if kind == "cutout" and len(rest) == 2 and re.fullmatch(r"#[0-9a-f]{6}", rest[1]):
            flat = tuple(int(rest[1][k : k + 2], 16) for k in (1, 3, 5))
            return node("view-cutout-flat", flat, [stand.plate(frame), stand.matte(rest[0], frame)],
                        lambda p, m: over_colour(p, m, flat))  # fmt: skip
        if kind == "change" and len(rest) == 1:
            last = stand.matte(rest[0], max(0, frame - 1))
            return node("view-change", None, [stand.plate(frame), stand.matte(rest[0], frame), last], changed)
        if kind == "unroll" and len(rest) == 1:
            return _unroll(stand, rest[0], frame)
        if kind == "onion" and len(rest) == 1:
            before = [stand.matte(rest[0], f) for f in range(frame - 1, max(-1, frame - 4), -1)]
            after = [stand.matte(rest[0], f) for f in range(frame + 1, min(stand.frames, frame + 4))]
            back = len(before)
            return node("view-onion", back, [stand.plate(frame), stand.matte(rest[0], frame), *before, *after],
                        lambda p, m, *others: onion(p, m, others[:back], others[back:]))  # fmt: skip
        if kind == "plane" and len(rest) == 1:
            return node("view-plane", None, [stand.alone(stand.shot.plane(rest[0]), frame)],
                        lambda p: encode_rgba(with_light(p)))  # fmt: skip
    except (KeyError, IndexError, ValueError) as missing:
        raise RecipeError(f"The view '{wanted}' names {missing}, which is not in the shot.") from missing
    raise RecipeError(f"There is no view '{wanted}'.")


def size_of(stand: Stand, wanted: str) -> tuple[int, int]:
    """Rows and columns of a view's pictures: the frame's, or those of the plate where it looks at that or a matte."""
    kind = wanted.removeprefix("bare-").split(":")[0]
    framed = kind in ("result", "plane", "try") or wanted.startswith(("with:plane:", "with:stand:"))
    return stand.size if framed else stand.plate_size


def checked(stand: Stand, matte_id: str, frame: int) -> Node:
    """The node of a frame's figures, (3,) float32 (see checks/frames.py)."""
    inputs = [stand.matte(matte_id, frame), stand.plate(frame)]
    if frame > 0:
        inputs += [stand.matte(matte_id, frame - 1), stand.plate(frame - 1)]

    def run(matte: F32, picture: U8, *before: NDArray) -> F32:
        return look(matte, picture, (before[0], before[1]) if before else None).row()

    return node("checks", None, inputs, run)


def _unroll(stand: Stand, matte_id: str, frame: int) -> Node:
    """The strip of the frames about this one, as many as a picture has room for."""
    half = min(SPAN, stand.frames) // 2
    first = max(0, min(frame - half, stand.frames - 2 * half))
    frames = range(first, min(stand.frames, first + 2 * half or 1))
    inputs = [one for f in frames for one in (stand.matte(matte_id, f), stand.plate(f))]
    scale = stand.scale

    def run(*flat: NDArray) -> U8:
        return unrolled(list(zip(flat[::2], flat[1::2], strict=True)), frame - first, scale)

    return node("view-unroll", [frame - first, scale], inputs, run)


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
