"""Glow outline: a hot core and a coloured halo along the edge of the plane's matte."""

from __future__ import annotations

from functools import lru_cache
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from cuvrel.core.edge.distance import signed_distance
from cuvrel.core.media.box import bounds
from cuvrel.core.media.colour import srgb_to_linear
from cuvrel.core.media.rows import in_rows, kernel
from cuvrel.core.recipe.context import Context
from cuvrel.core.recipe.declared import Params, colour, declare, number
from cuvrel.core.recipe.values import Colour, Rgb, Scalar

F32 = NDArray[np.float32]


class GlowParams(Params):
    """A glow that is seen at once."""

    core: Scalar = number(5.0, "Core width", 0, 80, step=0.5, unit="px", neutral=0, hint="the hot line itself")
    core_colour: Colour = colour((1.0, 0.96, 0.86), "Core colour")
    reach: Scalar = number(26.0, "Halo reach", 0, 300, step=1, unit="px", neutral=0, hint="how far the light falls off")
    halo_colour: Colour = colour((1.0, 0.55, 0.16), "Halo colour")
    strength: Scalar = number(1.0, "Strength", 0, 5, step=0.05, neutral=0, hint="of core and halo together")
    wander: Scalar = number(
        0.0, "Wander", 0, 60, step=0.5, unit="px", neutral=0, hint="how far the line strays from the edge"
    )
    wander_size: Scalar = number(
        48.0, "Wander size", 4, 400, step=1, unit="px", hint="length of the waves along the edge"
    )
    wander_pace: Scalar = number(3.0, "Wander pace", 0, 24, step=0.1, unit="/s", hint="how often it changes")


def _starter(core: Rgb, halo: Rgb, width: float, reach: float, strength: float, **more: float) -> dict[str, Any]:
    return {"core": width, "core_colour": core, "reach": reach, "halo_colour": halo, "strength": strength, **more}


STARTERS = (
    ("Ember", _starter((1.0, 0.93, 0.75), (1.0, 0.42, 0.08), 4.0, 30.0, 1.1, wander=5.0, wander_size=48.0)),
    ("Harbour lamp", _starter((1.0, 0.98, 0.9), (1.0, 0.78, 0.4), 3.0, 52.0, 0.9)),
    ("Riding light", _starter((0.86, 0.96, 1.0), (0.3, 0.62, 1.0), 3.0, 24.0, 1.1)),
    ("Starboard", _starter((0.9, 1.0, 0.88), (0.15, 0.85, 0.4), 4.0, 26.0, 1.0)),
    ("Port", _starter((1.0, 0.9, 0.9), (0.95, 0.12, 0.2), 4.0, 26.0, 1.0)),
    ("Sea fire", _starter((0.85, 1.0, 0.97), (0.1, 0.8, 0.75), 2.0, 40.0, 1.2, wander=9.0, wander_size=90.0)),
    ("Violet hour", _starter((0.97, 0.92, 1.0), (0.6, 0.32, 1.0), 3.0, 34.0, 1.0)),
    ("Chalk line", _starter((1.0, 1.0, 1.0), (0.8, 0.8, 0.8), 6.0, 4.0, 0.8, wander=1.5, wander_size=14.0)),
)  # fmt: skip


@kernel
def _light(y0, y1, distance, half, reach, strength, core, halo, picture, out):  # type: ignore[no-untyped-def]
    for y in range(y0, y1):
        for x in range(distance.shape[1]):
            d = abs(distance[y, x])
            c = min(max(half - d + np.float32(0.5), np.float32(0.0)), np.float32(1.0)) if half > 0 else np.float32(0.0)
            c *= min(strength, np.float32(1.0))
            h = np.float32(0.0)
            if reach > 0:
                t = max(d - half, np.float32(0.0)) / reach
                h = strength * (
                    np.float32(0.75) * np.exp(-t * np.float32(2.6))
                    + np.float32(0.25) * np.exp(-t * t * np.float32(5.0))
                )
                h *= min(max(np.float32(1.6) - t * np.float32(0.4), np.float32(0.0)), np.float32(1.0))
            heat = c * max(strength, np.float32(1.0))
            for k in range(3):
                out[y, x, k] = picture[y, x, k] * (1 - c) + heat * core[k] + h * (1 - c) * halo[k]
            out[y, x, 3] = picture[y, x, 3] * (1 - c) + c


@declare(
    "treatment",
    "glow",
    "Glow outline",
    GlowParams,
    hint="a hot line and its halo along the matte's edge",
    group="Light",
    needs_matte=True,
    clock=lambda values: float(values["wander"]) > 0,
    starters=STARTERS,
)
def glow(picture: F32, values: dict[str, Any], context: Context) -> F32:
    """The picture with light along the outline, (H, W, 4) float32 premultiplied linear RGBA.

    The core covers what is behind it; the halo is light alone (it has no alpha) and falls off
    exponentially with the distance. Wander displaces the distance by value noise in plate pixels.
    """
    if context.matte is None or values["strength"] <= 0 or not (context.matte > 0.5).any():
        return picture
    scale = context.scale
    stray = float(values["wander"]) * scale
    # the halo ends four reaches from the core: what lies beyond stays as it is
    reach = (float(values["core"]) / 2 + 4 * float(values["reach"])) * scale + stray + 2
    box = bounds(context.matte > 0.5, int(np.ceil(reach)) + 3)
    assert box is not None
    distance = signed_distance(np.ascontiguousarray(context.matte[box]))
    if stray > 0:
        distance += np.float32(stray) * wander_field(
            picture.shape[:2],
            float(values["wander_size"]) * scale,
            context.frame / context.fps * float(values["wander_pace"]),
            box,
        )
    out = picture.copy()
    part = np.ascontiguousarray(picture[box])
    lit = np.empty_like(part)
    in_rows(
        _light,
        part.shape[0],
        distance,
        np.float32(float(values["core"]) * scale / 2),
        np.float32(float(values["reach"]) * scale),
        np.float32(values["strength"]),
        srgb_to_linear(np.asarray(values["core_colour"])),
        srgb_to_linear(np.asarray(values["halo_colour"])),
        part,
        lit,
    )
    out[box] = lit
    return out


@lru_cache(maxsize=16)
def _nodes(seed: int, step: int) -> F32:
    return np.random.default_rng((seed, abs(step), step < 0)).uniform(-1, 1, (512, 512)).astype(np.float32)


def wander_field(
    shape: tuple[int, ...], spacing: float, time: float, box: tuple[slice, slice] | None = None, seed: int = 20
) -> F32:
    """Smooth noise over the picture, float32 of about -1 to 1, which changes once per unit of time.

    shape: (H, W) of the picture. spacing: pixels between the noise's nodes. The nodes hang on the
    picture's corner, so that the field looks the same at every preview size. box: the part that is wanted.
    """
    rows, cols = box or (slice(0, shape[0]), slice(0, shape[1]))
    step = int(np.floor(time))
    mix = time - step
    mix = mix * mix * (3 - 2 * mix)
    nodes = [_nodes(seed, step), _nodes(seed, step + 1)]
    high, wide = int(shape[0] / spacing) + 3, int(shape[1] / spacing) + 3
    at = np.ix_(np.arange(high) % 512, np.arange(wide) % 512)
    grid = nodes[0][at] + (nodes[1][at] - nodes[0][at]) * np.float32(mix)
    y = (np.arange(rows.start, rows.stop, dtype=np.float32) + 0.5) / np.float32(spacing)
    x = (np.arange(cols.start, cols.stop, dtype=np.float32) + 0.5) / np.float32(spacing)
    size = y.size, x.size
    return cv2.remap(grid, np.broadcast_to(x[None, :], size).copy(), np.broadcast_to(y[:, None], size).copy(),
                     cv2.INTER_CUBIC, borderMode=cv2.BORDER_REPLICATE)  # fmt: skip
