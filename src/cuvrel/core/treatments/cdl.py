"""Slope, offset, power: highlights, shadows and mid-tones by channel, as the ASC Color Decision List defines them."""

from __future__ import annotations

from typing import Any

import numpy as np

from cuvrel.core.arrays import F32, F64, Single
from cuvrel.core.imaging.colour import to_light
from cuvrel.core.imaging.row_kernels import in_rows, kernel
from cuvrel.core.imaging.tables import ENCODED, ENTRIES, cover_of, ended
from cuvrel.core.recipe.context import Context
from cuvrel.core.recipe.declared import Params, declare, number
from cuvrel.core.recipe.values import Scalar

CHANNELS = ("red", "green", "blue")


def _slope(channel: str) -> Any:
    return number(1.0, f"Slope {channel}", 0, 8, neutral=1, slide=(0, 2.5), hint="highlights: a gain")


def _offset(channel: str) -> Any:
    return number(0.0, f"Offset {channel}", -1, 1, step=0.005, neutral=0, slide=(-0.3, 0.3), hint="shadows: is added")


def _power(channel: str) -> Any:
    return number(1.0, f"Power {channel}", 0.1, 8, neutral=1, slide=(0.3, 3), hint="mid-tones: above 1 they are darker")


class CdlParams(Params):
    """The defaults change nothing."""

    slope_red: Scalar = _slope("red")
    slope_green: Scalar = _slope("green")
    slope_blue: Scalar = _slope("blue")
    offset_red: Scalar = _offset("red")
    offset_green: Scalar = _offset("green")
    offset_blue: Scalar = _offset("blue")
    power_red: Scalar = _power("red")
    power_green: Scalar = _power("green")
    power_blue: Scalar = _power("blue")
    saturation: Scalar = number(1.0, "Saturation", 0, 4, neutral=1, slide=(0, 2))


def _rests(values: dict[str, Any]) -> bool:
    return all(float(value) == (0.0 if name.startswith("offset") else 1.0) for name, value in values.items())


def sop(v: F64, slope: float, offset: float, power: float) -> F64:
    """out = clamp(in * slope + offset) ^ power, on display-encoded values (ASC CDL 1.2)."""
    return np.asarray(np.clip(v * slope + offset, 0.0, 1.0) ** power, np.float64)


@kernel
def _decided(y0: int, y1: int, picture: F32, tables: F32, saturation: Single, out: F32) -> None:
    zero, one = np.float32(0.0), np.float32(1.0)
    w = picture.shape[1]
    row = np.empty((3, w), np.float32)
    for y in range(y0, y1):
        for x in range(w):
            c = cover_of(picture[y, x, 0], picture[y, x, 1], picture[y, x, 2], picture[y, x, 3])
            over = one / max(c, np.float32(1e-6))
            for k in range(3):
                v = np.sqrt(min(max(picture[y, x, k] * over, zero), one)) * np.float32(ENTRIES - 1)
                n = np.uint32(np.int32(v))
                low, high = tables[k, n], tables[k, n + np.uint32(1)]
                row[k, x] = low + (high - low) * (v - np.float32(np.int32(v)))
        # apart from the look-ups, so that it runs on vector instructions
        r, g, b = row[0], row[1], row[2]
        for x in range(w):
            luma = np.float32(0.2126) * r[x] + np.float32(0.7152) * g[x] + np.float32(0.0722) * b[x]
            r[x] = to_light(min(max(luma + saturation * (r[x] - luma), zero), one))
            g[x] = to_light(min(max(luma + saturation * (g[x] - luma), zero), one))
            b[x] = to_light(min(max(luma + saturation * (b[x] - luma), zero), one))
        for x in range(w):
            c = cover_of(picture[y, x, 0], picture[y, x, 1], picture[y, x, 2], picture[y, x, 3])
            out[y, x, 0], out[y, x, 1], out[y, x, 2] = r[x] * c, g[x] * c, b[x] * c
            out[y, x, 3] = picture[y, x, 3]


@declare(
    "treatment", "cdl", "Slope, offset, power", CdlParams,
    hint="highlights, shadows and mid-tones apart, by channel; CDL files", group="Colour", rests=_rests,
)  # fmt: skip
def cdl(picture: F32, values: dict[str, Any], context: Context) -> F32:
    """The picture by a colour decision list, (H, W, 4) float32 premultiplied linear RGBA.

    On display-encoded colour: slope, offset and power of each channel (see `sop`), then saturation about the luma of
    ITU-R BT.709, as ASC CDL 1.2 says.
    """
    rows = [sop(ENCODED, *(float(values[f"{name}_{c}"]) for name in ("slope", "offset", "power"))) for c in CHANNELS]
    tables = np.stack([ended(row) for row in rows])
    out = np.empty_like(picture)
    in_rows(_decided, len(picture), picture, tables, np.float32(values["saturation"]), out)
    return out
