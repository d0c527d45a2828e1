"""Mirrored slide: the picture slides past in mirrored copies of itself, and comes to rest where it was."""

from __future__ import annotations

from functools import partial
from typing import Any, Literal

import cv2
import numpy as np

from cuvrel.core.arrays import F32, F64
from cuvrel.core.imaging.blur import shifted, swept
from cuvrel.core.imaging.sampling import about
from cuvrel.core.recipe.context import Context
from cuvrel.core.recipe.declared import Params, choice, declare, number
from cuvrel.core.recipe.values import Scalar


class SlideParams(Params):
    """A fast slide across."""

    across: Scalar = number(1200.0, "Across", -100_000, 100_000, step=10, unit="px/s", neutral=0, slide=(-4000, 4000))
    down: Scalar = number(0.0, "Down", -100_000, 100_000, step=10, unit="px/s", neutral=0, slide=(-4000, 4000))
    turn: Scalar = number(0.0, "Turn", -3600, 3600, step=1, unit="°/s", neutral=0, slide=(-360, 360))
    rests: Literal["on a frame", "never"] = choice("on a frame", "Comes to rest", ["on a frame", "never"])
    frame: float = number(48.0, "Rests from", 0, 1e6, step=1, animatable=False, frame=True, slide=(0, 500))
    ease: float = number(18.0, "Slows down over", 0, 10_000, step=1, unit="frames", animatable=False, slide=(0, 120))
    shutter: Scalar = number(270.0, "Motion blur", 0, 720, step=5, unit="°", hint="180 is usual, more is heavy")


def way_left(frame: float, values: dict[str, Any], fps: float) -> float:
    """How many seconds of full speed a frame is away from its rest; below 0 before it, and at rest 0.

    The speed falls to nothing over the frames that it slows down in, as a smooth step does, so that neither its
    beginning nor its end is seen.
    """
    if values["rests"] == "never":
        return frame / fps
    left = max((float(values["frame"]) - frame) / fps, 0.0)
    ease = max(float(values["ease"]) / fps, 1e-6)
    share = min(left / ease, 1.0)
    return -(ease * (share**3 - share**4 / 2) + max(left - ease, 0.0))


def _within(way: F64, w: int, h: int) -> F64:
    """A way of the same direction that goes through no more of a mirrored picture than comes before it repeats.

    The mean over more of it is the same but for what is left over; a reach beyond it costs memory alone.
    """
    return way * min([1.0, *(2 * side / abs(n) for n, side in zip(way, (w, h), strict=True) if abs(n) > 2 * side)])


def _way(centre: tuple[float, float], turn: float, by: F64, share: float) -> F64:
    return about(centre, 1.0, turn * share, by * share)


@declare(
    "treatment", "slide", "Mirrored slide", SlideParams, hint="slides past in mirrored copies and comes to rest",
    group="Bend", rests=lambda values: all(float(values[name]) == 0 for name in ("across", "down", "turn")),
    clock=lambda values: True,
)  # fmt: skip
def slide(picture: F32, values: dict[str, Any], context: Context) -> F32:
    """The picture moved, (H, W, 4) float32 premultiplied linear RGBA; beyond its borders it is mirrored for ever."""
    h, w = picture.shape[:2]
    fps, frame, shutter = context.fps, float(context.frame), float(values["shutter"]) / 360
    speed = np.array([float(values["across"]) * context.scale, float(values["down"]) * context.scale])
    spin = float(values["turn"])
    centre = w / 2 - 0.5, h / 2 - 0.5

    def moved(share: float) -> tuple[F64, float]:
        time = way_left(frame + share * shutter, values, fps)
        return speed * time, spin * time

    out, (by, turn) = picture, moved(0.0)
    (before, first), (after, last) = moved(-0.5), moved(0.5)
    far = float(np.hypot(*(after - before))) + abs(np.deg2rad(last - first)) * float(np.hypot(w, h)) / 2
    # mirrored pictures go on beyond the border, so the way is swept before it is moved
    swept_over = _within(after - before, w, h)
    if far > 0.5 and spin == 0:
        out = shifted(picture, swept_over, cv2.BORDER_REFLECT)
    elif far > 0.5:
        way = partial(_way, centre, last - first, swept_over)
        out = swept(picture, far, way, cv2.BORDER_REFLECT)
    # after two widths a mirrored picture is itself again, whichever way it is turned then
    turned = about((0, 0), 1.0, turn)[:, :2]
    by = turned @ ((turned.T @ by) % (2 * w, 2 * h))
    if not by.any() and turn == 0:
        return out
    moving = about(centre, 1.0, turn, by)
    return np.asarray(
        cv2.warpAffine(out, moving, (w, h), flags=cv2.INTER_LINEAR, borderMode=cv2.BORDER_REFLECT), np.float32
    )
