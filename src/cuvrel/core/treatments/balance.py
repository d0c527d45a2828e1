"""Automatic balance: white, black and contrast by measure, on one frame or over the range."""

from __future__ import annotations

from typing import Any, Literal

import numpy as np

from cuvrel.core.arrays import F32, F64
from cuvrel.core.imaging.colour import linear_to_srgb
from cuvrel.core.imaging.tables import table, through_tables
from cuvrel.core.recipe.context import Context
from cuvrel.core.recipe.declared import Params, choice, declare, number
from cuvrel.core.recipe.needs import Need, Pictures, all_of, own, spread
from cuvrel.core.recipe.values import Scalar

LOOKS = 5  # frames of the range that are measured
LUMA = np.array([0.2126, 0.7152, 0.0722])


class BalanceParams(Params):
    """All of it, measured over the range."""

    amount: Scalar = number(100.0, "Amount", 0, 100, step=1, unit="%", neutral=0)
    cast: Scalar = number(100.0, "White balance", 0, 100, step=1, unit="%", neutral=0, hint="takes a colour cast away")
    stretch: Scalar = number(
        100.0, "Black and white", 0, 100, step=1, unit="%", neutral=0, hint="to the ends of the scale"
    )
    middle: Scalar = number(
        50.0, "Mid-tones", 0, 100, step=1, unit="%", neutral=0, hint="the median goes to middle grey"
    )
    measured: Literal["over the range", "on a frame"] = choice(
        "over the range",
        "Measured",
        ["over the range", "on a frame"],
        hint="the same on every frame: it never flickers",
    )
    frame: float = number(
        0.0, "Frame", 0, 1e6, step=1, animatable=False, frame=True, slide=(0, 500), hint="that is measured"
    )


def _looks_at(values: dict[str, Any], frame: int) -> list[Need]:
    if values["measured"] == "on a frame":
        return [own(round(float(values["frame"])))]
    return [spread(n / (LOOKS - 1)) for n in range(LOOKS)]


def measure(picture: F32) -> F64 | None:
    """Red, green and blue of what is white in it, and its luminance's black, middle and white, (6,) in light.

    The white is the Minkowski mean of sixth order of each channel, which lies between grey-world and the brightest
    pixel ("Shades of Gray", Finlayson and Trezzi, 2004). Black and white are the hundredth parts at both ends.
    None where next to nothing is there.
    """
    step = max(1, round(max(picture.shape) / 160))
    flat = picture[::step, ::step].reshape(-1, 4).astype(np.float64)
    flat = flat[flat[:, 3] > 0.5]
    if len(flat) < 32:
        return None
    rgb = np.clip(flat[:, :3] / flat[:, 3:], 0, 1)
    white = np.mean(rgb**6, axis=0) ** (1 / 6)
    return np.concatenate([white, np.percentile(rgb @ LUMA, (1, 50, 99))])


@declare(
    "treatment", "balance", "Automatic balance", BalanceParams,
    hint="white, black and contrast by measure, the same on every frame", group="Colour", needs=_looks_at,
    rests=lambda values: float(values["amount"]) == 0,
)  # fmt: skip
def balance(picture: F32, values: dict[str, Any], context: Context, pictures: Pictures) -> F32:
    """The picture balanced, (H, W, 4) float32 premultiplied linear RGBA.

    What is measured is the median of five frames spread over the range, or one frame. Each channel has a gain in
    light that makes the measured white grey at the same luminance; then display-encoded values are stretched so that
    measured black and white go near the ends of the scale and, by a gamma, the median to middle grey.
    """
    found = [
        one
        for one in (measure(np.asarray(look, np.float32)) for look in all_of(pictures) if look is not None)
        if one is not None
    ]
    if not found:
        return picture
    seen = np.median(found, axis=0)
    amount = float(values["amount"]) / 100
    cast, stretch, middle = (amount * float(values[name]) / 100 for name in ("cast", "stretch", "middle"))
    white = np.maximum(seen[:3], 1e-4)
    gains = np.clip((white @ LUMA) / white, 0.25, 4.0) ** cast
    low, grey, high = (float(n) for n in linear_to_srgb(seen[3:]))
    black, top = low * stretch * 0.9, 1 - (1 - high) * stretch * 0.9
    share = np.clip((grey - black) / max(top - black, 1e-3), 0.05, 0.95)
    power = float(np.clip(np.log(0.46) / np.log(share), 0.5, 2.0)) ** middle

    def curve(gain: float) -> F32:
        def run(v: F64) -> F64:
            lit = linear_to_srgb(np.where(v <= 0.04045, v / 12.92, ((v + 0.055) / 1.055) ** 2.4) * gain)
            return np.clip((lit - black) / max(top - black, 1e-3), 0, 1) ** power

        return table(run)

    return through_tables(picture, *(curve(float(gain)) for gain in gains))
