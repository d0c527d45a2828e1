"""Footage as matte: the brightness, the alpha or one channel of other footage, or of a plane, as coverage."""

from __future__ import annotations

from typing import Any, Literal

import cv2
import numpy as np
from numpy.typing import NDArray

from cuvrel.core.arrays import F32, U8
from cuvrel.core.imaging.colour import encode
from cuvrel.core.recipe.context import Context
from cuvrel.core.recipe.declared import Params, choice, declare, number, reference
from cuvrel.core.recipe.needs import Need, Pictures, alpha, footage, plane
from cuvrel.core.recipe.values import Scalar

Channel = Literal["luminance", "alpha", "red", "green", "blue"]
Fit = Literal["fill", "whole", "stretch"]


class FootageParams(Params):
    """All of what is chosen, as bright as it is."""

    footage: str | None = reference("Footage", "footage", hint="what the coverage is taken from")
    plane: str | None = reference("Or plane", "plane", hint="a plane's own picture, where no footage is chosen")
    channel: Channel = choice("luminance", "Channel", ["luminance", "alpha", "red", "green", "blue"])
    fit: Fit = choice(
        "fill", "Fit", ["fill", "whole", "stretch"], hint="how footage of another shape meets the plate's"
    )
    offset: Scalar = number(0, "Offset", -100_000, 100_000, step=1, unit="fr", hint="frames that it starts later")
    low: Scalar = number(0.0, "Black point", 0, 1, hint="what is darker is 0")
    high: Scalar = number(1.0, "White point", 0, 1, hint="what is brighter is 1")


def channel_of(picture: U8, channel: str) -> F32:
    """One channel of (H, W, 3) uint8 sRGB as (H, W) float32, 0 to 1; luminance by BT.709 weights as displayed."""
    if channel == "luminance":
        weights = np.array([[0.2126, 0.7152, 0.0722]], np.float32) / np.float32(255)
        return np.asarray(cv2.transform(picture.astype(np.float32), weights), np.float32)
    return picture[..., ["red", "green", "blue"].index(channel)].astype(np.float32) / np.float32(255)


def fitted(grey: F32, size: tuple[int, int], how: str) -> F32:
    """A grey picture laid into another size, (H, W) float32: filling it, whole inside it, or stretched."""
    h, w = size
    if grey.shape == size:
        return grey
    ratios = h / grey.shape[0], w / grey.shape[1]
    if how != "stretch":
        ratios = (max(ratios),) * 2 if how == "fill" else (min(ratios),) * 2
    to = max(1, round(grey.shape[0] * ratios[0])), max(1, round(grey.shape[1] * ratios[1]))
    way = cv2.INTER_AREA if to[0] < grey.shape[0] else cv2.INTER_CUBIC
    grey = np.clip(cv2.resize(grey, (to[1], to[0]), interpolation=way), 0, 1)
    if how == "whole":
        out = np.zeros(size, np.float32)
        y, x = (h - to[0]) // 2, (w - to[1]) // 2
        out[y : y + to[0], x : x + to[1]] = grey[:h, :w]
        return out
    y, x = max(0, (to[0] - h) // 2), max(0, (to[1] - w) // 2)
    cut = grey[y : y + h, x : x + w]
    return np.ascontiguousarray(cut if cut.shape == size else cv2.resize(cut, (w, h)))


def _source(values: dict[str, Any], frame: int) -> list[Need]:
    there = frame - round(float(values["offset"]))
    if values["footage"]:
        take = alpha if values["channel"] == "alpha" else footage
        return [take(there, values["footage"], whole=True)]
    return [plane(there, values["plane"])]


def _grey(picture: NDArray[Any], channel: str) -> F32:
    """The chosen channel of footage, of its alpha, or of a plane's picture."""
    if picture.ndim == 2:
        return picture
    if picture.shape[2] == 4:
        return np.ascontiguousarray(picture[..., 3]) if channel == "alpha" else channel_of(encode(picture), channel)
    return channel_of(picture, channel)


@declare(
    "pull",
    "footage",
    "Footage as matte",
    FootageParams,
    hint="brightness, alpha or a channel of other footage",
    needs=_source,
)
def footage_matte(rgb: U8, values: dict[str, Any], context: Context, pictures: Pictures) -> F32:
    """Coverage from a channel of the picture, (H, W) float32, 0 to 1; nothing while none is chosen."""
    picture = pictures[0]
    if picture is None:
        return np.zeros(rgb.shape[:2], np.float32)
    cover = fitted(_grey(picture, str(values["channel"])), (rgb.shape[0], rgb.shape[1]), values["fit"])
    low, high = float(values["low"]), float(values["high"])
    if (low, high) == (0.0, 1.0):
        return cover
    return np.asarray(np.clip((cover - low) / max(1e-4, high - low), 0, 1), np.float32)
