"""Pixel sort: runs of pixels are put in order of their brightness."""

from __future__ import annotations

from typing import Any

import cv2
import numpy as np

from cuvrel.core.arrays import F32, U8, Mask, Single
from cuvrel.core.imaging.lines import brightness
from cuvrel.core.imaging.row_kernels import in_rows, kernel
from cuvrel.core.imaging.sampling import sized
from cuvrel.core.recipe.context import Context
from cuvrel.core.recipe.declared import Params, declare, number, reference, switch
from cuvrel.core.recipe.needs import NONE, Need, Pictures, matte
from cuvrel.core.recipe.values import Scalar

LEVELS = 256


class SortParams(Params):
    """Bright parts run down."""

    amount: Scalar = number(100.0, "Amount", 0, 100, step=1, unit="%", neutral=0, hint="how many of the runs")
    direction: Scalar = number(90.0, "Direction", -36_000, 36_000, step=1, unit="°", slide=(-180, 180), direction=True)
    within: str | None = reference("Within", "matte", hint="runs lie in this matte, whatever their brightness")
    low: Scalar = number(0.35, "From", 0, 1, hint="brightness")
    high: Scalar = number(0.95, "To", 0, 1, hint="brightness")
    longest: Scalar = number(400.0, "Longest", 2, 20_000, step=1, unit="px", slide=(2, 1000))
    backwards: bool = switch(False, "Dark last")
    seed: float = number(1.0, "Variant", 0, 9999, step=1, animatable=False)


def _looks_at(values: dict[str, Any], frame: int) -> list[Need]:
    return [matte(frame, str(values["within"]))] if values["within"] else []


@kernel
def _sorted(
    y0: int,
    y1: int,
    picture: F32,
    seen: U8,
    inside: Mask,
    longest: Single,
    amount: Single,
    backwards: bool,
    seed: int,
    out: F32,
) -> None:
    w = seen.shape[1]
    counts = np.zeros(LEVELS + 1, np.int32)
    for y in range(y0, y1):
        x = 0
        while x < w:
            if not inside[y, x]:
                out[y, x] = picture[y, x]
                x += 1
                continue
            # runs end where the choice does, or after a length that differs from run to run
            mark = np.uint32(y // 3) * np.uint32(2654435761) + np.uint32(x) * np.uint32(40503) + np.uint32(seed)
            mark = np.uint32((mark ^ (mark >> np.uint32(15))) * np.uint32(2246822519))
            chance = np.float32((mark >> np.uint32(8)) & np.uint32(0xFFFF)) * np.float32(1 / 65535)
            most = max(np.int32(2), np.int32(np.float32(longest * (np.float32(0.4) + np.float32(0.6) * chance))))
            end = x
            while end < w and inside[y, end] and end - x < most:
                end += 1
            mark = np.uint32((mark ^ (mark >> np.uint32(13))) * np.uint32(3266489917))
            taken = np.float32((mark >> np.uint32(8)) & np.uint32(0xFFFF)) * np.float32(1 / 65536)
            if taken >= amount:
                for n in range(x, end):
                    out[y, n] = picture[y, n]
            else:
                # counted by level, so that equal ones keep their order and the cost is that of the run's length
                counts[:] = 0
                for n in range(x, end):
                    level = LEVELS - 1 - seen[y, n] if backwards else seen[y, n]
                    counts[np.int32(level) + 1] += 1
                for n in range(LEVELS):
                    counts[n + 1] += counts[n]
                for n in range(x, end):
                    level = np.int32(LEVELS - 1 - seen[y, n] if backwards else seen[y, n])
                    out[y, x + counts[level]] = picture[y, n]
                    counts[level] += 1
            x = end


@declare(
    "treatment", "sort", "Pixel sort", SortParams, hint="runs of pixels in order of their brightness", group="Break",
    needs=_looks_at, rests=lambda values: float(values["amount"]) == 0,
)  # fmt: skip
def pixel_sort(picture: F32, values: dict[str, Any], context: Context, pictures: Pictures = NONE) -> F32:
    """The picture with runs of pixels sorted, (H, W, 4) float32 premultiplied linear RGBA.

    Runs lie along the direction, from dark to bright; they are chosen by brightness or by a matte. Along a slant the
    picture is turned, sorted and turned back where it was sorted.
    """
    h, w = picture.shape[:2]
    chosen = pictures[0] if len(pictures) else None
    if chosen is not None:
        chosen = sized(chosen, (h, w))
    degrees = float(values["direction"]) % 360
    quarter = round(degrees / 90) if abs(degrees / 90 - round(degrees / 90)) < 1e-6 else None
    if quarter is not None:
        turned = np.ascontiguousarray(np.rot90(picture, quarter % 4))
        kept = None if chosen is None else np.ascontiguousarray(np.rot90(chosen, quarter % 4))
        done, _ = _rows(turned, kept, values, context.scale)
        return np.ascontiguousarray(np.rot90(done, -(quarter % 4)))
    turn = np.deg2rad(degrees)
    c, s = np.cos(turn), np.sin(turn)
    side = int(np.ceil(np.hypot(w, h))) + 2
    spin = np.array([[c, s], [-s, c]])
    way = np.column_stack([spin, np.array([side / 2, side / 2]) - spin @ np.array([w / 2, h / 2])])
    turned = cv2.warpAffine(picture, way, (side, side), flags=cv2.INTER_LINEAR)
    kept = None if chosen is None else np.asarray(cv2.warpAffine(chosen, way, (side, side)), np.float32)
    done, where = _rows(np.asarray(turned, np.float32), kept, values, context.scale)
    back = cv2.warpAffine(done, way, (w, h), flags=cv2.INTER_LINEAR | cv2.WARP_INVERSE_MAP)
    share = cv2.warpAffine(where.astype(np.float32), way, (w, h), flags=cv2.INTER_LINEAR | cv2.WARP_INVERSE_MAP)
    return np.asarray(picture + (back - picture) * share[..., None], np.float32)


def _rows(picture: F32, chosen: F32 | None, values: dict[str, Any], scale: float) -> tuple[F32, Mask]:
    """The picture with its rows' runs sorted, and which pixels lie in runs."""
    seen = brightness(picture)
    if chosen is not None:
        inside = chosen > 0.5
    else:
        inside = (seen >= float(values["low"])) & (seen <= float(values["high"])) & (picture[..., 3] > 0)
    levels: U8 = np.clip(seen * (LEVELS - 1) + 0.5, 0, LEVELS - 1).astype(np.uint8)
    out = np.empty_like(picture)
    in_rows(
        _sorted, len(picture), picture, levels, inside, np.float32(max(float(values["longest"]) * scale, 2)),
        np.float32(float(values["amount"]) / 100), bool(values["backwards"]), round(float(values["seed"])), out,
    )  # fmt: skip
    return out, inside
