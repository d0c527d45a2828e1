"""Toning: brightness becomes colour."""

from __future__ import annotations

from typing import Any

import numpy as np

from cuvrel.core.arrays import F32, Single
from cuvrel.core.imaging.colour import linear_to_srgb, srgb_to_linear
from cuvrel.core.imaging.row_kernels import in_rows, kernel
from cuvrel.core.imaging.tables import ENTRIES, cover_of
from cuvrel.core.recipe.context import Context
from cuvrel.core.recipe.curves import ramp_at
from cuvrel.core.recipe.declared import Params, declare, number, ramp
from cuvrel.core.recipe.values import Ramp, RampStops, Scalar

DUSK: RampStops = ((0.0, 0.05, 0.09, 0.2), (0.5, 0.62, 0.42, 0.36), (1.0, 1.0, 0.93, 0.78))


class ToningParams(Params):
    """Two or three colours that are seen at once."""

    colours: Ramp = ramp(DUSK, "Colours", hint="from what black becomes to what white becomes")
    amount: Scalar = number(100.0, "Amount", 0, 100, step=1, unit="%", neutral=0)
    keep: Scalar = number(0.0, "Own brightness", 0, 100, step=1, unit="%", hint="as it was, whatever the colours' own")


STARTERS = (
    ("Dusk", {"colours": DUSK}),
    ("One ink", {"colours": ((0.0, 0.04, 0.08, 0.22), (1.0, 0.98, 0.96, 0.9))}),
    ("Old print", {"colours": ((0.0, 0.12, 0.08, 0.05), (0.55, 0.62, 0.5, 0.36), (1.0, 0.98, 0.93, 0.82))}),
    ("Night watch", {"colours": ((0.0, 0.0, 0.02, 0.03), (0.5, 0.1, 0.42, 0.4), (1.0, 0.85, 1.0, 0.9))}),
    ("Rust and tide", {"colours": ((0.0, 0.02, 0.16, 0.2), (0.5, 0.5, 0.46, 0.42), (1.0, 1.0, 0.66, 0.36))}),
)  # fmt: skip


@kernel
def _toned(y0: int, y1: int, picture: F32, entries: F32, amount: Single, keep: Single, out: F32) -> None:
    one = np.float32(1.0)
    for y in range(y0, y1):
        for x in range(picture.shape[1]):
            r, g, b, a = picture[y, x, 0], picture[y, x, 1], picture[y, x, 2], picture[y, x, 3]
            c = cover_of(r, g, b, a)
            luma = np.float32(0.2126) * r + np.float32(0.7152) * g + np.float32(0.0722) * b
            bright = luma / max(c, np.float32(1e-6))
            at = np.sqrt(min(max(bright, np.float32(0.0)), one)) * np.float32(ENTRIES - 1)
            n = np.uint32(np.int32(at + np.float32(0.5)))
            p, q, s = entries[n, 0], entries[n, 1], entries[n, 2]
            own = np.float32(0.2126) * p + np.float32(0.7152) * q + np.float32(0.0722) * s
            # colour alone, at the brightness that was there; light above white stays above it
            f = one + (bright / max(own, np.float32(1e-5)) - one) * keep if own > np.float32(1e-5) else one
            f = f * c * (max(bright, one) if keep == np.float32(0.0) else one)
            out[y, x, 0] = r + (p * f - r) * amount
            out[y, x, 1] = g + (q * f - g) * amount
            out[y, x, 2] = b + (s * f - b) * amount
            out[y, x, 3] = a


@declare(
    "treatment", "toning", "Toning", ToningParams, hint="brightness becomes one, two or three colours", group="Colour",
    rests=lambda values: float(values["amount"]) == 0, starters=STARTERS,
)  # fmt: skip
def toning(picture: F32, values: dict[str, Any], context: Context) -> F32:
    """The picture in the colours of a ramp by its brightness, (H, W, 4) float32 premultiplied linear RGBA.

    The ramp is read at the display-encoded luminance (ITU-R BT.709 weights) and mixed in display-encoded colour.
    """
    places = linear_to_srgb((np.arange(ENTRIES) / (ENTRIES - 1)) ** 2)
    entries = srgb_to_linear(ramp_at(values["colours"], places))
    out = np.empty_like(picture)
    amount, keep = (np.float32(float(values[name]) / 100) for name in ("amount", "keep"))
    in_rows(_toned, len(picture), picture, entries, amount, keep, out)
    return out
