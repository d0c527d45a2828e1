"""Placement: where a plane's picture lies in the frame, and what is seen beyond its border.

Plate pixels throughout; the origin of positions is the frame's middle, x to the right, y down.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any, Literal

import cv2
import numpy as np

from cuvrel.core.arrays import F32, F64, Single
from cuvrel.core.imaging.region import bounds
from cuvrel.core.imaging.row_kernels import in_rows, kernel
from cuvrel.core.imaging.sampling import averaged_down
from cuvrel.core.recipe.declared import Params, choice, declare, number, switch
from cuvrel.core.recipe.values import Scalar, Switch

FAR = 100_000
BORDERS = {
    "none": cv2.BORDER_CONSTANT, "clamp": cv2.BORDER_REPLICATE, "tile": cv2.BORDER_WRAP, "mirror": cv2.BORDER_REFLECT,
}  # fmt: skip


class PlacementParams(Params):
    """The defaults leave the picture where it is."""

    x: Scalar = number(
        0.0, "Across", -FAR, FAR, step=1, unit="px", slide=(-1000, 1000), neutral=0, hint="to the right of the middle"
    )
    y: Scalar = number(
        0.0, "Down", -FAR, FAR, step=1, unit="px", slide=(-1000, 1000), neutral=0, hint="below the middle"
    )
    scale: Scalar = number(100.0, "Scale", 0.1, 10_000, step=1, unit="%", slide=(0.1, 400), neutral=100)
    stretch: Scalar = number(
        100.0, "Width", 1, 1000, step=1, unit="%", slide=(1, 300), neutral=100, hint="of the width alone"
    )
    angle: Scalar = number(
        0.0, "Turn", -36_000, 36_000, step=0.5, unit="°", slide=(-180, 180), neutral=0, hint="clockwise"
    )
    depth: Scalar = number(
        0.0,
        "Push",
        -20,
        100,
        step=0.05,
        slide=(-1, 4),
        neutral=0,
        hint="away from the camera, in frame widths; below 0 nearer",
    )
    tilt: Scalar = number(0.0, "Tilt", -85, 85, step=1, unit="°", neutral=0, hint="its top away from the camera")
    swing: Scalar = number(
        0.0, "Swing", -85, 85, step=1, unit="°", neutral=0, hint="its right side away from the camera"
    )
    anchor_x: Scalar = number(
        0.0, "Anchor across", -FAR, FAR, step=1, unit="px", slide=(-1000, 1000), hint="what it scales and turns about"
    )
    anchor_y: Scalar = number(0.0, "Anchor down", -FAR, FAR, step=1, unit="px", slide=(-1000, 1000))
    flip_x: Switch = switch(False, "Flip across", animatable=True)
    flip_y: Switch = switch(False, "Flip down", animatable=True)
    border: Literal["none", "clamp", "tile", "mirror"] = choice(
        "none", "Beyond it", ["none", "clamp", "tile", "mirror"], hint="what is seen beyond the picture's own border"
    )
    shutter: Scalar = number(
        0.0, "Motion blur", 0, 720, step=5, unit="°", neutral=0, hint="of its movement; 180 is usual"
    )
    samples: float = number(12.0, "Blur samples", 2, 64, step=1, animatable=False)


@declare("placement", "placement", "Placement", PlacementParams, hint="where the plane's picture lies in the frame")
def _declared(*_: object) -> None:
    """The stand asks `matrix` and `placed`."""


def matrix(values: dict[str, Any], width: float) -> F64:
    """The placement as a homography, (3, 3): picture coordinates about the middle to frame coordinates.

    The picture is flipped, scaled, stretched, turned and tilted about its anchor, which then lies at (x, y) from
    where it was. A camera one and a half frame widths in front of the frame sees what tilts or is pushed away.
    width: of the frame.
    """
    ax, ay = float(values["anchor_x"]), float(values["anchor_y"])
    size = float(values["scale"]) / 100
    wide = size * float(values["stretch"]) / 100 * (-1 if values["flip_x"] else 1)
    high = size * (-1 if values["flip_y"] else 1)
    turn, tilt, swing = (np.deg2rad(float(values[name])) for name in ("angle", "tilt", "swing"))
    flat = np.array([[np.cos(turn), -np.sin(turn), 0], [np.sin(turn), np.cos(turn), 0], [0, 0, 1]])
    lean = np.array([[1, 0, 0], [0, np.cos(tilt), np.sin(tilt)], [0, -np.sin(tilt), np.cos(tilt)]])
    sway = np.array([[np.cos(swing), 0, -np.sin(swing)], [0, 1, 0], [np.sin(swing), 0, np.cos(swing)]])
    # columns: where the picture's two axes go in space
    axes = (sway @ lean @ flat)[:, :2] * (wide, high)
    away = 1.5 * width
    depth = max(float(values["depth"]) * width, -0.99 * away)
    move = np.array([ax + float(values["x"]), ay + float(values["y"]), depth])
    space = np.column_stack([axes, move - axes @ (ax, ay)])
    space[2, 2] += away
    return np.diag([away, away, 1.0]) @ space


def is_neutral(values: dict[str, Any]) -> bool:
    """Whether a picture of the frame's own size would stay as it is."""
    names = ("x", "y", "depth", "angle", "tilt", "swing")
    return (
        all(float(values[name]) == 0 for name in names)
        and float(values["scale"]) == 100
        and float(values["stretch"]) == 100
        and not values["flip_x"]
        and not values["flip_y"]
    )


def _pixels(
    plate: F64, first: tuple[float, float], frame: tuple[int, int], fit: tuple[float, float], scale: float
) -> F64:
    """A placement as a homography between pixel grids, whose points are the pixels' middles.

    first: where the first pixel's middle lies from the picture's, in its own pixels.
    """
    into = np.array([[fit[0], 0, fit[0] * first[0]], [0, fit[1], fit[1] * first[1]], [0, 0, 1.0]])
    out = np.array([[scale, 0, frame[1] / 2 - 0.5], [0, scale, frame[0] / 2 - 0.5], [0, 0, 1.0]])
    return out @ plate @ into


def placed(
    picture: F32,
    plates: Sequence[F64],
    size: tuple[int, int],
    fit: tuple[float, float],
    scale: float,
    border: str = "none",
) -> F32:
    """A picture laid into the frame, (H, W, 4) float32 premultiplied linear RGBA at `size`.

    picture: (h, w, 4). plates: one homography from `matrix`, or several whose pictures are averaged, which is
    motion blur. fit: plate pixels that a pixel of the picture is wide and high before it is placed. scale: of the
    frame's pixels over the plate's. Where it gets smaller, the picture is averaged down first (area), then read
    by cubic interpolation, so that nothing fine flickers; in linear light, so that it keeps its brightness.
    """
    middle = 0.5 - picture.shape[1] / 2, 0.5 - picture.shape[0] / 2
    if border == "none":
        # what is empty of a picture (most of a cut-out) need not be moved
        box = _used(picture)
        if box is None:
            return np.zeros((*size, 4), np.float32)
        middle = middle[0] + box[1].start, middle[1] + box[0].start
        picture = picture[box]
    maps = [_pixels(plate, middle, size, fit, scale) for plate in plates]
    part = _reached(maps, picture.shape[0], picture.shape[1], size) if border == "none" else (0, 0, size[1], size[0])
    out = np.zeros((*size, 4), np.float32)
    left, top, right, bottom = part
    if left >= right or top >= bottom:
        return out
    shift = np.array([[1, 0, -left], [0, 1, -top], [0, 0, 1.0]])
    total: F32 | None = None
    for one in maps:
        warped = _warped(picture, shift @ one, (bottom - top, right - left), border)
        if border == "none" and not _all_before(one, picture.shape[0], picture.shape[1]):
            _cut_behind(warped, shift @ one)
        total = warped if total is None else total + warped
    assert total is not None
    in_rows(_kept, len(total), total, np.float32(1 / len(plates)), out[top:bottom, left:right])
    return out


def _used(picture: F32) -> tuple[slice, slice] | None:
    """The box outside of which a picture is nothing, with two pixels of nothing about it where there is room."""
    flat = picture.reshape(picture.shape[0], -1)
    rows = cv2.reduce(flat, 1, cv2.REDUCE_MAX)[:, 0] > 0
    if not rows.any():
        return None
    cols = cv2.reduce(flat, 0, cv2.REDUCE_MAX).reshape(-1, 4).max(axis=1) > 0
    return bounds(np.logical_and.outer(rows, cols), 2)


def _reached(maps: Sequence[F64], h: int, w: int, size: tuple[int, int]) -> tuple[int, int, int, int]:
    """The part of the frame, (left, top, right, bottom), in which a picture may be seen; all of it where one map
    brings a corner behind the camera."""
    places = []
    for to in maps:
        for x, y in ((-1, -1), (w, -1), (w, h), (-1, h)):
            at = to @ (x, y, 1)
            if at[2] <= 1e-6:
                return 0, 0, size[1], size[0]
            places.append(at[:2] / at[2])
    low, high = np.floor(np.min(places, axis=0)) - 2, np.ceil(np.max(places, axis=0)) + 3
    left, top = (int(v) for v in np.maximum(low, 0))
    return left, top, int(min(high[0], size[1])), int(min(high[1], size[0]))


def _all_before(to: F64, h: int, w: int) -> bool:
    return all(float(to[2] @ (x, y, 1)) > 1e-6 for x, y in ((-1, -1), (w, -1), (w, h), (-1, h)))


def _cut_behind(warped: F32, to: F64) -> None:
    """Takes away, in place, what a map shows of places that lie behind the camera: it shows them mirrored."""
    back = np.linalg.inv(to)[2]
    rows, columns = warped.shape[:2]
    side = np.add.outer(back[1] * np.arange(rows) + back[2], back[0] * np.arange(columns))
    warped[side <= 0] = 0


def times_of(time: float, shutter: float, samples: float) -> list[float]:
    """The times at which what moves is seen while a shutter is open, about a time. shutter: degrees of a frame."""
    if shutter <= 0:
        return [time]
    count, half = round(samples), shutter / 720
    return [time + half * (2 * n / (count - 1) - 1) for n in range(count)]


def _warped(picture: F32, to: F64, size: tuple[int, int], border: str) -> F32:
    picture, to = averaged_down(picture, to)
    return np.asarray(
        cv2.warpPerspective(picture, to, (size[1], size[0]), flags=cv2.INTER_CUBIC, borderMode=BORDERS[border]),
        np.float32,
    )


@kernel
def _kept(y0: int, y1: int, total: F32, share: Single, out: F32) -> None:
    """The mean; a cubic's overshoot stays within 0 and full coverage, and light is never negative."""
    zero, one = np.float32(0), np.float32(1)
    for y in range(y0, y1):
        for x in range(total.shape[1]):
            for k in range(3):
                out[y, x, k] = max(total[y, x, k] * share, zero)
            out[y, x, 3] = min(max(total[y, x, 3] * share, zero), one)


def corners(
    values: dict[str, Any], picture: tuple[float, float], frame: tuple[float, float]
) -> list[tuple[float, float]]:
    """Where the corners of a picture (width, height, in plate pixels) lie in the frame, clockwise from the top left."""
    plate = matrix(values, frame[0])
    w, h = picture[0] / 2, picture[1] / 2
    out = []
    for x, y in ((-w, -h), (w, -h), (w, h), (-w, h)):
        at = plate @ (x, y, 1)
        out.append((float(at[0] / at[2] + frame[0] / 2), float(at[1] / at[2] + frame[1] / 2)))
    return out
