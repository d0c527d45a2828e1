"""Glow outline: a hot core and a coloured halo along the edge of the plane's matte."""

from __future__ import annotations

from typing import Any

import numpy as np

from cuvrel.core.arrays import F32, Single
from cuvrel.core.edge.arc_position import along, carried
from cuvrel.core.imaging.colour import srgb_to_linear
from cuvrel.core.imaging.distance import signed_distance
from cuvrel.core.imaging.noise import wander_field
from cuvrel.core.imaging.region import bounds
from cuvrel.core.imaging.row_kernels import in_rows, kernel
from cuvrel.core.imaging.sampling import sized
from cuvrel.core.recipe.context import Context
from cuvrel.core.recipe.declared import Params, colour, declare, number, point
from cuvrel.core.recipe.needs import NONE, Need, Pictures, matte
from cuvrel.core.recipe.values import Colour, Point, Rgb, Scalar


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
    wander_detail: Scalar = number(0.0, "Wander detail", 0, 1, hint="finer waves on the long ones")
    length: Scalar = number(1.0, "Drawn", 0, 1, hint="how much of the outline is lit, from the start on")
    travel: Scalar = number(0.0, "Travel", -1000, 1000, step=0.01, slide=(-2, 2), hint="of the start, in rounds")
    taper: Scalar = number(0.08, "Tapering", 0, 0.5, step=0.005, hint="of both ends, as a share of the outline")
    start: Point = point((0.0, -200.0), "Start", hint="the nearest place of the outline", dated="start_frame")
    start_frame: float = number(
        0.0, "Set on frame", 0, 1e6, step=1, animatable=False, frame=True, slide=(0, 500),
        hint="on which the start lies where it is drawn; it keeps to its place on the subject",
    )  # fmt: skip


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
def _light(
    y0: int,
    y1: int,
    distance: F32,
    along: F32,
    drawn: F32,
    half: Single,
    reach: Single,
    strength: Single,
    core: F32,
    halo: F32,
    picture: F32,
    out: F32,
) -> None:
    part = along.shape[0] == distance.shape[0]
    length, travel, ends = drawn[0], drawn[1], drawn[2]
    for y in range(y0, y1):
        for x in range(distance.shape[1]):
            share = np.float32(1.0)
            if part:
                # how much of the light this place along the outline has; both ends taper
                at = along[y, x] - travel
                at -= np.floor(at)
                share = min(max(min(at, length - at) / ends, np.float32(0.0)), np.float32(1.0))
                share *= share * (np.float32(3.0) - np.float32(2.0) * share)
            d = abs(distance[y, x])
            # the ends of a line that is drawn in part are thinner as well as fainter
            wide = half * np.sqrt(share)
            c = min(max(wide - d + np.float32(0.5), np.float32(0.0)), np.float32(1.0)) if wide > 0 else np.float32(0.0)
            c *= min(strength * share, np.float32(1.0))
            h = np.float32(0.0)
            if reach > 0:
                t = max(d - half, np.float32(0.0)) / reach
                h = (
                    strength
                    * share
                    * (
                        np.float32(0.75) * np.exp(-t * np.float32(2.6))
                        + np.float32(0.25) * np.exp(-t * t * np.float32(5.0))
                    )
                )
                h *= min(max(np.float32(1.6) - t * np.float32(0.4), np.float32(0.0)), np.float32(1.0))
            heat = c * max(strength, np.float32(1.0))
            for k in range(3):
                out[y, x, k] = picture[y, x, k] * (1 - c) + heat * core[k] + h * (1 - c) * halo[k]
            out[y, x, 3] = picture[y, x, 3] * (1 - c) + c


_ALL = np.zeros((0, 0), np.float32)


def _looks_at(values: dict[str, Any], frame: int) -> list[Need]:
    return [matte(round(float(values["start_frame"])))] if 0 < float(values["length"]) < 1 else []


@declare(
    "treatment",
    "glow",
    "Glow outline",
    GlowParams,
    hint="a hot line and its halo along the matte's edge",
    group="Light",
    needs_matte=True,
    needs=_looks_at,
    clock=lambda values: float(values["wander"]) > 0,
    rests=lambda values: float(values["strength"]) == 0 or float(values["length"]) == 0,
    starters=STARTERS,
)
def glow(picture: F32, values: dict[str, Any], context: Context, pictures: Pictures = NONE) -> F32:
    """The picture with light along the outline, (H, W, 4) float32 premultiplied linear RGBA.

    The core covers what is behind it; the halo is light alone (it has no alpha) and falls off
    exponentially with the distance. Wander displaces the distance by value noise in plate pixels. A line that is
    drawn in part runs clockwise from the place of the outline nearest to the start; on other frames than the one on
    which it was set, the start is where that place has gone (see edge/arc_position.py).
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
        time = context.frame / context.fps * float(values["wander_pace"])
        detail = float(values["wander_detail"])
        noise = wander_field(picture.shape[:2], float(values["wander_size"]) * scale, time, box)
        for octave in (2, 4) if detail > 0 else ():
            finer = wander_field(
                picture.shape[:2], float(values["wander_size"]) * scale / octave, time * octave, box, seed=20 + octave
            )
            noise = noise + np.float32(detail / octave * 1.4) * finer
        distance += np.float32(stray) * noise
    around, length = _ALL, float(values["length"])
    ends = max(min(float(values["taper"]), length / 2), 1e-4)
    if length < 1:
        x, y = values["start"]
        start = (context.matte.shape[1] / 2 + x * scale, context.matte.shape[0] / 2 + y * scale)
        then = pictures[0] if len(pictures) else None
        if then is not None:
            start = carried(start, sized(then, context.matte.shape), context.matte)
        within = start[0] - box[1].start, start[1] - box[0].start
        around = along(np.ascontiguousarray(context.matte[box]), within)
    out = picture.copy()
    part = np.ascontiguousarray(picture[box])
    lit = np.empty_like(part)
    in_rows(
        _light,
        part.shape[0],
        distance,
        around,
        np.array([length, float(values["travel"]) % 1.0, ends], np.float32),
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
