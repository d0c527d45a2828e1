"""Signal break: as a picture looks that came over a bad line."""

from __future__ import annotations

from typing import Any, Literal

import numpy as np

from cuvrel.core.arrays import F32, I32, Single
from cuvrel.core.imaging.row_kernels import in_rows, kernel, small_kernel
from cuvrel.core.recipe.context import Context
from cuvrel.core.recipe.declared import Params, choice, declare, number
from cuvrel.core.recipe.values import Scalar


class SignalParams(Params):
    """A broken line."""

    amount: Scalar = number(100.0, "Amount", 0, 100, step=1, unit="%", neutral=0, hint="of all of it")
    noise: Scalar = number(0.15, "Noise", 0, 1)
    tears: Scalar = number(60.0, "Tears", 0, 4000, step=1, unit="px", slide=(0, 400), hint="how far strips move")
    tear_count: float = number(4.0, "Strips", 1, 40, step=1, animatable=False, slide=(1, 20))
    jitter: Scalar = number(4.0, "Line jitter", 0, 1000, step=0.5, unit="px", slide=(0, 60))
    roll: Scalar = number(0.0, "Roll", -20, 20, step=0.05, unit="/s", slide=(-4, 4), hint="heights a second")
    dropped: Scalar = number(0.06, "Dropped lines", 0, 1, hint="share of lines that are lost")
    line: Scalar = number(3.0, "Line height", 1, 200, step=1, unit="px", slide=(1, 24))
    bursts: Literal["always", "in bursts"] = choice("always", "Breaks", ["always", "in bursts"])
    rate: Scalar = number(1.5, "Bursts", 0.05, 30, step=0.05, unit="/s", slide=(0.1, 8), hint="in the mean, by chance")
    length: Scalar = number(5.0, "Burst", 1, 1000, step=1, unit="frames", slide=(1, 48), hint="how long each lasts")
    seed: float = number(1.0, "Variant", 0, 9999, step=1, animatable=False)


def bursting(frame: int, fps: float, rate: float, length: float, seed: int) -> bool:
    """Whether a burst is on, to the frame: bursts begin on frames by chance, `rate` of them a second in the mean."""
    chance = min(rate / fps, 1.0)
    span = max(1, round(length))
    return any(np.random.default_rng((seed, at)).random() < chance for at in range(max(frame - span + 1, 0), frame + 1))


@small_kernel
def _chance(a: int | np.int32, b: int | np.int32, c: int) -> Single:
    """A number of 0 to 1 for three whole ones, the same everywhere (an integer hash after Wang)."""
    n = np.uint32(a) * np.uint32(374761393) + np.uint32(b) * np.uint32(668265263) + np.uint32(c) * np.uint32(2246822519)
    n = np.uint32((n ^ (n >> np.uint32(13))) * np.uint32(1274126177))
    n = np.uint32((n ^ (n >> np.uint32(16))) * np.uint32(2654435761))
    return np.float32((n ^ (n >> np.uint32(15))) & np.uint32(0xFFFFFF)) * np.float32(1 / 16777215)


@kernel
def _broken(
    y0: int,
    y1: int,
    picture: F32,
    lines: I32,
    shifts: F32,
    lost: F32,
    fine: Single,
    noise: Single,
    seed: int,
    frame: int,
    out: F32,
) -> None:
    w = picture.shape[1]
    one = np.float32(1.0)
    for y in range(y0, y1):
        row = lines[y]
        shift = shifts[y]
        whole = np.int32(np.floor(shift))
        t = np.float32(shift - np.float32(whole))
        whole = np.int32(whole % w)
        for x in range(w):
            a = x - whole
            a = a + w if a < 0 else a
            b = a - 1 if a > 0 else w - 1
            n = np.float32(0.0)
            if noise > 0:
                grain = _chance(np.int32(np.float32(x) * fine), np.int32(np.float32(y) * fine), seed + frame * 131)
                n = (grain - np.float32(0.5)) * noise
            fill = np.float32(0.0)
            gone = lost[y]
            if gone > 0:
                fill = _chance(np.int32(np.float32(x) * fine * np.float32(0.25)), row, seed + frame * 17)
                fill = fill * fill * fill
            for k in range(4):
                out[y, x, k] = picture[row, a, k] + (picture[row, b, k] - picture[row, a, k]) * t
            alpha = out[y, x, 3]
            for k in range(3):
                v = out[y, x, k] + (fill * alpha - out[y, x, k]) * gone
                # by as much as it is bright, and a little in the dark
                out[y, x, k] = max(v + n * alpha * (np.float32(0.15) + min(v, one)), np.float32(0.0))


@declare(
    "treatment", "signal", "Signal break", SignalParams, hint="noise, tears, roll, jittering and dropped lines",
    group="Break", rests=lambda values: float(values["amount"]) == 0, clock=lambda values: True,
)  # fmt: skip
def signal(picture: F32, values: dict[str, Any], context: Context) -> F32:
    """The picture broken, (H, W, 4) float32 premultiplied linear RGBA; new on every frame, the same for a seed.

    Lines have a height in plate pixels, and each is moved and lost as a whole, whatever the size it is seen at.
    """
    h = len(picture)
    frame, scale, seed = context.frame, context.scale, round(float(values["seed"]))
    amount = float(values["amount"]) / 100
    if values["bursts"] == "in bursts" and not bursting(
        frame, context.fps, float(values["rate"]), float(values["length"]), seed
    ):
        return picture
    rng = np.random.default_rng((seed, frame, 3))
    tall = h / scale
    at = (np.arange(h) + 0.5) / scale  # of each row, in plate pixels
    number = np.floor(at / float(values["line"])).astype(int)
    count = int(number[-1]) + 1
    shifts = amount * float(values["jitter"]) * rng.standard_normal(4000)[np.arange(count) % 4000][number]
    for _ in range(round(float(values["tear_count"]))):
        first, high, far = rng.random() * tall, (0.02 + 0.12 * rng.random()) * tall, rng.uniform(-1, 1)
        torn = (at >= first) & (at < first + high)
        shifts = shifts + amount * float(values["tears"]) * far * torn
    lost = (rng.random(4000)[np.arange(count) % 4000] < float(values["dropped"]) * amount)[number]
    rolled = float(values["roll"]) * amount * frame / context.fps * h
    lines = (np.arange(h) + round(rolled)) % h
    out = np.empty_like(picture)
    in_rows(
        _broken, h, picture, lines.astype(np.int32), (shifts * scale).astype(np.float32), lost.astype(np.float32),
        np.float32(1 / scale), np.float32(float(values["noise"]) * amount), np.int32(seed), np.int32(frame), out,
    )  # fmt: skip
    return out
