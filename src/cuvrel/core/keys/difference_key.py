"""Difference key: coverage by what differs from a clean plate, the same view without the subject."""

from __future__ import annotations

from functools import lru_cache
from typing import Any

import cv2
import numpy as np

from cuvrel.core.arrays import F32, U8, Single
from cuvrel.core.imaging.row_kernels import at_once, in_rows, kernel
from cuvrel.core.keys.luma_key import blurred
from cuvrel.core.keys.plate_comparison import lit, weighed
from cuvrel.core.keys.ramps import steep, within
from cuvrel.core.recipe.context import Context
from cuvrel.core.recipe.declared import Params, declare, number, reference, switch
from cuvrel.core.recipe.needs import Pictures, footage
from cuvrel.core.recipe.values import Scalar, Switch

QUARTER = 4  # exposure and shift are found at a quarter of the size
MOST_SHIFT = 0.04  # of the width: what is further off is another view
LOG = np.log(np.arange(256) + 2.0).astype(np.float32)  # of a value, a little lifted for what is all but black
TELLING = (9, 9, 9), (247, 247, 247)  # values that tell of light


class DifferenceKeyParams(Params):
    """A still camera, and light that drifts a little."""

    plate: str | None = reference("Clean plate", "footage", hint="the same view without the subject")
    tolerance: Scalar = number(0.06, "Tolerance", 0, 1, step=0.005, hint="what differs by less is background")
    soft: Scalar = number(0.06, "Softness", 0, 1, step=0.005)
    blur: Scalar = number(1.0, "Blur before", 0, 40, step=0.5, unit="px", hint="takes grain out", animatable=False)
    shadow: Scalar = number(0.5, "Drop shadows", 0, 1, hint="what is only darker than the clean plate counts less")
    cast: Scalar = number(
        0.0, "Drop cast light", 0, 1, hint="what is only lit more than on the clean plate counts less"
    )
    solve: Scalar = number(
        0.0, "Whole things", 0, 1, hint="weighs each place with its surroundings: whole limbs, no cast light or grain"
    )
    exposure: Switch = switch(
        True, "Match light", hint="the clean plate is brought to each frame's exposure and tint", animatable=True
    )
    shift: Switch = switch(True, "Match shift", hint="the clean plate is moved to fit each frame", animatable=True)


def matched(rgb: U8, clean: U8, exposure: bool, shift: bool) -> tuple[U8, F32]:
    """Brings a clean plate under the frame's view and light.

    Parameters
    ----------
    rgb, clean
        (H, W, 3) uint8 sRGB.
    exposure, shift
        Whether a change of light, and of position, is looked for.

    Returns
    -------
    U8
        (H, W, 3): the clean plate, shifted.
    F32
        (3,): the gain of each channel that brings it to the frame's light.

    Notes
    -----
    A gain is the median ratio of display-encoded values where the two agree best, so the subject may fill up to half of
    the picture.

    References
    ----------
    Kuglin and Hines, The Phase Correlation Image Alignment Method, 1975.
    """
    if shift:
        clean = _shifted(rgb, clean)
    return clean, _gain(rgb, clean) if exposure else np.ones(3, np.float32)


def _gain(rgb: U8, clean: U8) -> F32:
    size = max(1, rgb.shape[1] // QUARTER), max(1, rgb.shape[0] // QUARTER)

    def some(picture: U8) -> U8:  # every second pixel along rows and columns tells as much
        return np.ascontiguousarray(cv2.resize(picture, size, interpolation=cv2.INTER_AREA)[::2, ::2])

    a, b = at_once(lambda: some(rgb), lambda: some(clean))
    # clipped and black values tell nothing about light
    tells = (cv2.inRange(a, *TELLING) & cv2.inRange(b, *TELLING)) > 0
    ratio = np.ascontiguousarray((cv2.LUT(a, LOG) - cv2.LUT(b, LOG))[tells].T)
    if ratio.shape[1] <= 50:
        return np.ones(3, np.float32)
    away = np.abs(ratio - np.median(ratio, axis=1, keepdims=True)).max(axis=0)
    near = ratio[:, away <= np.median(away)]
    return np.asarray(np.exp(np.median(near, axis=1)), np.float32)


@lru_cache(maxsize=4)
def _window(size: tuple[int, int]) -> F32:
    return np.asarray(cv2.createHanningWindow(size, cv2.CV_32F), np.float32)


def _shifted(rgb: U8, clean: U8) -> U8:
    h, w = rgb.shape[:2]
    size = max(8, w // QUARTER * 2), max(8, h // QUARTER * 2)

    def slopes(picture: U8) -> F32:  # since light may differ
        grey = cv2.cvtColor(cv2.resize(picture, size, interpolation=cv2.INTER_AREA), cv2.COLOR_RGB2GRAY)
        across, down = cv2.Sobel(grey, cv2.CV_32F, 1, 0), cv2.Sobel(grey, cv2.CV_32F, 0, 1)
        return np.asarray(cv2.magnitude(across, down), np.float32)

    a, b = at_once(lambda: slopes(rgb), lambda: slopes(clean))
    (dx, dy), sure = cv2.phaseCorrelate(b, a, _window(size))
    dx, dy = dx * w / size[0], dy * h / size[1]
    if sure < 0.05 or max(abs(dx), abs(dy)) > MOST_SHIFT * w or max(abs(dx), abs(dy)) < 0.05:
        return clean
    matrix = np.array([[1, 0, dx], [0, 1, dy]], np.float64)
    moved = cv2.warpAffine(clean, matrix, (w, h), flags=cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE)
    return np.asarray(moved, np.uint8)


@kernel
def _plate_difference(
    y0: int,
    y1: int,
    red: U8,
    green: U8,
    blue: U8,
    was_red: U8,
    was_green: U8,
    was_blue: U8,
    gain: F32,
    shadow: Single,
    cast: Single,
    out: F32,
) -> None:
    scale, zero, one = np.float32(1 / 255), np.float32(0), np.float32(1)
    for y in range(y0, y1):
        for x in range(out.shape[1]):
            r, g, b = red[y, x] * scale, green[y, x] * scale, blue[y, x] * scale
            cr = min(was_red[y, x] * scale * gain[0], one)
            cg = min(was_green[y, x] * scale * gain[1], one)
            cb = min(was_blue[y, x] * scale * gain[2], one)
            luma = np.float32(0.2126) * r + np.float32(0.7152) * g + np.float32(0.0722) * b
            was = np.float32(0.2126) * cr + np.float32(0.7152) * cg + np.float32(0.0722) * cb
            light = luma - was
            tells = was > np.float32(0.02)
            ratio = luma / max(was, np.float32(0.02))
            # a shadow takes the same share of every colour, and rarely more than two thirds
            base = max(ratio, np.float32(0.35))
            shaded = one - shadow * min((base - np.float32(0.35)) * 4, one)
            # light that falls on a thing multiplies it; up to three times is taken for that
            share = cast * min(max((3 - ratio) * 2, zero), one)
            darker, lighter = light < 0 and tells, light > 0 and tells
            counts = one - share if lighter else one
            counts = shaded if darker else counts
            tint = one - np.float32(0.7) * share if lighter else one
            grown = one - share + share * min(ratio, np.float32(3)) if lighter else one
            grown = one - shadow + shadow * base if darker else grown
            redder = (r - luma) - (cr - was) * grown
            bluer = (b - luma) - (cb - was) * grown
            out[y, x] = np.sqrt(light * light * counts * counts + 2 * tint * tint * (redder * redder + bluer * bluer))


@kernel
def _beyond(y0: int, y1: int, found: F32, whole: Single, steep: Single) -> None:
    """What of a difference counts, 0 to 1, in place. whole: from where all of it does."""
    for y in range(y0, y1):
        for x in range(found.shape[1]):
            found[y, x] = within(found[y, x], whole, np.float32(1e9), steep, steep)


def plate_difference(rgb: U8, clean: U8, gain: F32, values: dict[str, Any], scale: float) -> F32:
    """How far each pixel is from the clean plate, (H, W) float32, about 0 to 1.

    clean, gain: as `matched` gives them. The difference of luma, and twice that of the two colour differences
    from it, of display-encoded values (BT.709 weights). What is darker without another tint is a shadow, and
    counts less as `shadow` says.
    """
    sigma = float(values["blur"]) * scale
    out = np.empty(rgb.shape[:2], np.float32)
    # one channel after the other, which vector instructions read six times as fast
    planes = at_once(lambda: cv2.split(blurred(rgb, sigma)), lambda: cv2.split(blurred(clean, sigma)))
    shadow, cast = np.float32(values["shadow"]), np.float32(values["cast"])
    in_rows(_plate_difference, len(rgb), *planes[0], *planes[1], gain, shadow, cast, out)
    # what is left of the grain are single pixels
    return out if sigma < 0.1 else np.asarray(cv2.medianBlur(out, 3 if sigma < 0.6 else 5), np.float32)


@declare(
    "pull",
    "difference_key",
    "Difference key",
    DifferenceKeyParams,
    hint="by what differs from a clean plate",
    needs=lambda values, frame: [footage(frame, values["plate"])],
)
def difference_key(rgb: U8, values: dict[str, Any], context: Context, pictures: Pictures) -> F32:
    """Coverage by difference, (H, W) float32, 0 to 1; nothing while there is no clean plate.

    rgb, and the one of the pictures, which is the clean plate: (H, W, 3) uint8 sRGB.
    """
    clean = pictures[0]
    if clean is None:
        return np.zeros(rgb.shape[:2], np.float32)
    clean, gain = matched(rgb, clean, bool(values["exposure"]), bool(values["shift"]))
    whole = float(values["solve"])
    solved = weighed(rgb, lit(clean, gain)) if whole > 0 else None
    if solved is not None and whole >= 1:
        return solved
    plain = plate_difference(rgb, clean, gain, values, context.scale)
    ramp = steep(values["soft"])
    in_rows(_beyond, len(plain), plain, np.float32(values["tolerance"] + 1 / ramp), ramp)
    return plain if solved is None else np.asarray(plain + np.float32(whole) * (solved - plain), np.float32)


def suggested(rgb: U8, clean: U8, values: dict[str, Any], scale: float) -> dict[str, float]:
    """Tolerance and softness for what a frame shows, as plain values of the key's parameters.

    Parameters
    ----------
    rgb, clean
        (H, W, 3) uint8 sRGB.
    values
        The key's values at this frame.
    scale
        The pictures' size over the plate's.

    Returns
    -------
    dict
        Values by the names of the parameters; they ask for whole things, too.

    Notes
    -----
    The threshold parts the logarithms of the differences best, but lies above nearly all of what the background itself
    differs by (grain, flicker).

    References
    ----------
    Otsu, A Threshold Selection Method from Gray-Level Histograms, 1979.
    """
    found = plate_difference(rgb, *matched(rgb, clean, bool(values["exposure"]), bool(values["shift"])), values, scale)
    logs = np.clip((np.log2(np.maximum(found, 2**-9)) + 9) * (255 / 9), 0, 255).astype(np.uint8)
    cut, _ = cv2.threshold(logs, 0, 255, cv2.THRESH_BINARY + cv2.THRESH_OTSU)
    parted = 2 ** (cut * 9 / 255 - 9)
    middle = float(np.median(found))
    spread = float(np.median(np.abs(found[found <= middle] - middle))) * 1.5
    noise = float(np.percentile(found[found < max(2 * parted, middle + 12 * spread)], 99.3))
    tolerance = float(np.clip(max(noise, parted), 0.005, 0.6))
    return {"tolerance": round(tolerance, 3), "soft": round(0.5 * tolerance, 3), "solve": 1.0}
