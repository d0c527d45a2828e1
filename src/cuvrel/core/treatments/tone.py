"""Tone: a gain and an offset for each channel of linear light, as one take differs from another."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import numpy as np

from cuvrel.core.arrays import F32, Single
from cuvrel.core.imaging.colour import encode
from cuvrel.core.imaging.row_kernels import in_rows, kernel
from cuvrel.core.imaging.sampling import sized
from cuvrel.core.recipe.context import Context
from cuvrel.core.recipe.declared import Params, declare, number
from cuvrel.core.recipe.errors import RecipeError
from cuvrel.core.recipe.needs import Need, Pictures, behind, own
from cuvrel.core.recipe.values import Scalar
from cuvrel.core.takes.tone import tone as measured

CHANNELS = ("red", "green", "blue")
WIDTH = 240  # pixels across at which light is compared


class ToneParams(Params):
    """The defaults change nothing. Gains multiply light, offsets are hundredths of white and are added to it."""

    amount: Scalar = number(100.0, "Amount", 0, 100, step=1, unit="%", neutral=0)
    red: Scalar = number(1.0, "Red", 0, 20, step=0.001, slide=(0.25, 2), neutral=1, hint="times as much light")
    green: Scalar = number(1.0, "Green", 0, 20, step=0.001, slide=(0.25, 2), neutral=1)
    blue: Scalar = number(1.0, "Blue", 0, 20, step=0.001, slide=(0.25, 2), neutral=1)
    red_offset: Scalar = number(
        0.0, "Red offset", -100, 100, step=0.01, unit="%", slide=(-5, 5), neutral=0, hint="light that is added"
    )
    green_offset: Scalar = number(0.0, "Green offset", -100, 100, step=0.01, unit="%", slide=(-5, 5), neutral=0)
    blue_offset: Scalar = number(0.0, "Blue offset", -100, 100, step=0.01, unit="%", slide=(-5, 5), neutral=0)


def _rests(values: dict[str, Any]) -> bool:
    plain = all(float(values[name]) == 1 and float(values[f"{name}_offset"]) == 0 for name in CHANNELS)
    return plain or float(values["amount"]) == 0


@kernel
def _toned(y0: int, y1: int, picture: F32, gain: F32, offset: F32, amount: Single, out: F32) -> None:
    for y in range(y0, y1):
        for x in range(picture.shape[1]):
            a = picture[y, x, 3]
            for k in range(3):
                v = picture[y, x, k]
                # what is seen through gets as much of the offset as it covers; no light is less than none
                new = max(gain[k] * v + offset[k] * a, min(v, np.float32(0)))
                out[y, x, k] = v + (new - v) * amount
            out[y, x, 3] = a


def toned(picture: F32, gain: Sequence[float], offset: Sequence[float], amount: float = 1.0) -> F32:
    """A picture with gain x light + offset in each channel, (H, W, 4) float32 premultiplied linear RGBA."""
    out = np.empty_like(picture)
    in_rows(_toned, len(picture), picture, np.array(gain, np.float32), np.array(offset, np.float32),
            np.float32(amount), out)  # fmt: skip
    return out


@declare(
    "treatment", "tone", "Tone", ToneParams, hint="a gain and an offset for each channel of light", group="Colour",
    rests=_rests,
)  # fmt: skip
def tone(picture: F32, values: dict[str, Any], context: Context) -> F32:
    """The picture in another tone, (H, W, 4) float32 premultiplied linear RGBA; see `toned`."""
    gain = [float(values[name]) for name in CHANNELS]
    offset = [float(values[f"{name}_offset"]) / 100 for name in CHANNELS]
    return toned(picture, gain, offset, float(values["amount"]) / 100)


class MeetParams(Params):
    """All of what is measured, calmly."""

    amount: Scalar = number(100.0, "Amount", 0, 100, step=1, unit="%", neutral=0)
    steady: float = number(
        12.0, "Steady over", 0, 96, step=1, unit="fr", animatable=False,
        hint="frames on either side that are measured with it, so that nothing flickers; 0: each frame by itself",
    )  # fmt: skip


def _around(values: dict[str, Any], frame: int) -> list[Need]:
    reach = round(float(values["steady"]))
    frames = sorted({frame + round(reach * part) for part in (-1.0, -0.5, 0.0, 0.5, 1.0)})
    return [need for at in frames for need in (own(at), behind(at))]


@declare(
    "treatment", "meet", "Light from behind", MeetParams, hint="takes on the light of what it lies on",
    group="Colour", needs=_around, rests=lambda values: float(values["amount"]) == 0, behind=True,
)  # fmt: skip
def meet(picture: F32, values: dict[str, Any], context: Context, pictures: Pictures) -> F32:
    """The picture in the light of what lies behind it, (H, W, 4) float32 premultiplied linear RGBA.

    A gain and an offset a channel are measured wherever both show the same still things (see takes/tone.py), on a few
    frames about this one, and their means are taken: of gains on a scale of stops. Where they have nothing in common
    the picture stays as it is.
    """
    gains, offsets = [], []
    for n in range(0, len(pictures), 2):
        mine, other = pictures[n], pictures[n + 1]
        if mine is None or other is None:
            continue
        small = max(1, round(mine.shape[0] * min(1.0, WIDTH / mine.shape[1]))), min(WIDTH, mine.shape[1])
        here, there = sized(other, small), sized(mine, small)
        covered = (here[..., 3] > 0.99) & (there[..., 3] > 0.99)
        try:
            found = measured(encode(here), encode(there), covered)
        except RecipeError:
            continue
        gain, offset = found.back
        gains.append(gain)
        offsets.append(offset)
    if not gains:
        return picture
    gain = np.exp2(np.mean(np.log2(np.clip(gains, 1e-3, 1e3)), axis=0))
    return toned(picture, gain.tolist(), np.mean(offsets, axis=0).tolist(), float(values["amount"]) / 100)
