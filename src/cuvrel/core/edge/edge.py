"""Edge: holes and specks, smoothing, grow, feather, black and white point, gamma; steady and fine detail before."""

from __future__ import annotations

import cv2
import numpy as np

from cuvrel.core.arrays import F32, U8, Mask, Single
from cuvrel.core.edge.detail import fine_detail
from cuvrel.core.edge.steady import steadied
from cuvrel.core.imaging.distance import signed_distance
from cuvrel.core.imaging.region import bounds
from cuvrel.core.imaging.row_kernels import in_rows, kernel
from cuvrel.core.recipe.context import Context
from cuvrel.core.recipe.declared import Params, Stage, Values, declare, number
from cuvrel.core.recipe.needs import Need, Pictures, all_of, own, plate
from cuvrel.core.recipe.values import Scalar

FAINT = 0.02  # coverage that nobody sees


class EdgeParams(Params):
    """What the edge step may do; the defaults change nothing.

    `own_colour` is a cut-out's: it changes the plate's colours and not the matte.
    """

    grow: Scalar = number(
        0.0, "Grow", -40, 40, step=0.1, unit="px", neutral=0, hint="moves the outline out, or in below 0"
    )
    feather_in: Scalar = number(0.0, "Inner feather", 0, 80, step=0.5, unit="px", neutral=0, hint="softens inwards")
    feather_out: Scalar = number(0.0, "Outer feather", 0, 80, step=0.5, unit="px", neutral=0, hint="softens outwards")
    black_point: Scalar = number(0.0, "Black point", 0, 0.95, neutral=0, hint="what lies below becomes 0")
    white_point: Scalar = number(1.0, "White point", 0.05, 1, neutral=1, hint="what lies above becomes 1")
    gamma: Scalar = number(1.0, "Gamma", 0.2, 5, neutral=1, hint="lifts or lowers what is between")
    holes: Scalar = number(
        0.0, "Fill holes", 0, 400, step=1, unit="px", neutral=0, hint="closes holes up to this width", animatable=False
    )
    specks: Scalar = number(
        0.0,
        "Drop specks",
        0,
        400,
        step=1,
        unit="px",
        neutral=0,
        hint="drops islands up to this width",
        animatable=False,
    )
    smooth: Scalar = number(
        0.0, "Smooth", 0, 40, step=0.5, unit="px", neutral=0, hint="takes small bumps off the outline"
    )
    steady: Scalar = number(
        0.0,
        "Steady",
        0,
        3,
        step=1,
        unit="fr",
        neutral=0,
        animatable=False,
        hint="averages the edge along the motion over so many frames on both sides",
    )
    fine: Scalar = number(
        0.0, "Fine detail", 0, 1, neutral=0, hint="solves hair and blurred edges from the picture, in linear light"
    )
    reach: Scalar = number(
        6.0, "Detail reach", 1, 60, step=0.5, unit="px", hint="how far from the outline fine detail is looked for"
    )
    own_colour: Scalar = number(
        0.0, "Own colour", 0, 1, neutral=0, hint="takes the old background's colour out of a cut-out's soft edges"
    )


def _around(values: Values, frame: int) -> list[Need]:
    """The matte and the plate on the neighbouring frames, and the plate on this one."""
    reach = int(values["steady"])
    near = [other for other in range(frame - reach, frame + reach + 1) if other != frame]
    return [plate(frame), *(need for other in near for need in (own(other), plate(other)))]


def _steadied(matte: F32, values: Values, context: Context, pictures: Pictures) -> F32:
    here, *rest = all_of(pictures)
    pairs = [(cover, seen) for cover, seen in zip(rest[::2], rest[1::2], strict=True) if cover is not None]
    return steadied(matte, here, pairs)  # type: ignore[arg-type]  # a matte comes with its plate


def _detailed(matte: F32, values: Values, context: Context, pictures: Pictures) -> F32:
    rgb = pictures[0]
    assert rgb is not None
    return fine_detail(rgb, matte, float(values["reach"]) * context.scale, float(values["fine"]))


STAGES = (
    Stage("steady", _steadied, ("steady",), lambda values: values["steady"] <= 0, _around, still=True),
    Stage("fine", _detailed, ("fine", "reach"), lambda values: values["fine"] <= 0, lambda _, frame: [plate(frame)]),
)


def _rests(values: Values) -> bool:
    return all(value == EdgeParams.model_fields[name].default for name, value in values.items())


@declare(
    "edge", "edge", "Edge", EdgeParams, hint="the last step of every matte", stages=STAGES, apart=["own_colour"],
    rests=_rests,
)  # fmt: skip
def edge(matte: F32, values: Values, context: Context) -> F32:
    """The matte after its edge step, (H, W) float32, 0 to 1.

    values: the parameters at this frame, in plate pixels.
    """
    scale = context.scale
    grow = float(values["grow"]) * scale
    inner, outer = float(values["feather_in"]) * scale, float(values["feather_out"]) * scale
    out = matte
    if values["holes"] or values["specks"]:
        out = without_islands(out, float(values["holes"]) * scale, float(values["specks"]) * scale)
    if values["smooth"]:
        out = smoothed(out, float(values["smooth"]) * scale)
    if grow or inner or outer:
        out = _moved(out, grow, inner, outer)
    low, high = float(values["black_point"]), float(values["white_point"])
    if low > 0 or high < 1:
        out = np.clip((out - low) / max(0.01, high - low), 0, 1)
    if values["gamma"] != 1:
        out = np.power(np.clip(out, 0, 1), 1.0 / float(values["gamma"]))
    return out.astype(np.float32)


def without_islands(matte: F32, holes: float, specks: float) -> F32:
    """The matte with small holes filled and small specks dropped, (H, W) float32.

    holes, specks: pixels; what has at most the area of a square of this width goes. A hole does not
    touch the picture's border. Soft edges of what stays are left as they are.
    """
    box = bounds(matte > FAINT, 4)  # around it all is one hole that touches the border
    if box is None:
        return matte
    part = matte[box]
    hard = (part > 0.5).astype(np.uint8)
    gone = _small(hard, specks, border=True, room=part > FAINT) if specks > 0 else None
    filled = _small(1 - hard, holes, border=False, room=part < 1 - FAINT) if holes > 0 else None
    if gone is None and filled is None:
        return matte
    out = matte.copy()
    for small, becomes in ((gone, 0), (filled, 1)):
        if small is not None:
            out[box][small] = becomes
    return out


def _small(mask: U8, width: float, border: bool, room: Mask) -> Mask | None:
    """Connected parts of at most width^2 pixels, with the soft edge about them as far as `room` goes; if any are."""
    _, labels, stats, _ = cv2.connectedComponentsWithStats(mask, connectivity=8)
    small = stats[:, cv2.CC_STAT_AREA] <= width * width
    small[0] = False
    if not border:
        rim = np.unique(np.concatenate([labels[0], labels[-1], labels[:, 0], labels[:, -1]]))
        small[rim] = False
    if not small.any():
        return None
    found = small[labels]
    near = cv2.dilate(found.astype(np.uint8), np.ones((7, 7), np.uint8)) > 0
    others = cv2.dilate(((mask > 0) & ~found).astype(np.uint8), np.ones((7, 7), np.uint8)) > 0
    return found | (near & room & ~others)


def smoothed(matte: F32, size: float) -> F32:
    """The outline without bumps smaller than `size` pixels; straight edges stay where and as soft as they were.

    A Gaussian of the distance field moves the outline by curvature (Merriman, Bence and Osher, 1992); the
    matte is then read from where its outline went.
    """
    box = bounds(matte > 0, int(np.ceil(3 * size)) + 4)
    if box is None:
        return matte
    part = np.ascontiguousarray(matte[box])
    reach = 3 * size + 2
    distance = np.clip(signed_distance(part, reach), -reach, reach)
    moved = cv2.GaussianBlur(distance, (0, 0), size)
    # how wide the edge is stays: the shift is added where the edge is, the far distances do not count
    soft = np.clip(moved + 0.5, 0, 1)
    shift = np.abs(moved - distance)
    keep = np.clip(1.5 - shift, 0, 1) * (np.abs(moved) < 2)
    out = matte.copy()
    out[box] = soft + keep * (part - soft)
    return np.clip(out, 0, 1)


def _moved(matte: F32, grow: float, inner: float, outer: float) -> F32:
    """Moves the outline along its normal, so that soft edges keep their softness, then feathers it.

    Only the part of the picture that the matte can reach is worked on.
    """
    pad = int(np.ceil(abs(grow) + outer)) + 4
    box = bounds(matte > 0, pad)
    if box is None:
        return matte
    out = np.zeros_like(matte)
    out[box] = _moved_part(np.ascontiguousarray(matte[box]), grow, inner, outer)
    return out


def _moved_part(matte: F32, grow: float, inner: float, outer: float) -> F32:
    # as far as what follows looks, and its blur
    distance = signed_distance(matte, abs(grow) + max(inner, outer) + 6)
    out = matte
    if grow:
        smooth = cv2.GaussianBlur(distance, (0, 0), 1.0)
        out = np.empty_like(matte)
        in_rows(_shift, matte.shape[0], matte, smooth, distance, np.float32(grow), out)
        distance = distance + np.float32(grow)
    if inner or outer:
        soft = np.empty_like(matte)
        in_rows(_feather, matte.shape[0], out, distance, np.float32(inner), np.float32(outer), soft)
        out = soft
    return out


@kernel
def _shift(y0: int, y1: int, matte: F32, smooth: F32, distance: F32, grow: Single, out: F32) -> None:
    """Reads the matte from `grow` pixels further in, along the distance's slope, bilinearly."""
    h, w = matte.shape
    zero, one = np.float32(0.0), np.float32(1.0)
    for y in range(y0, y1):
        for x in range(w):
            d = distance[y, x] + grow
            if abs(d) > abs(grow) + 2:
                # far from any soft edge the distance alone decides, and folds of the normals do no harm
                out[y, x] = min(max(d + np.float32(0.5), zero), one)
                continue
            up, down = max(y - 1, 0), min(y + 1, h - 1)
            left, right = max(x - 1, 0), min(x + 1, w - 1)
            gx = (smooth[up, right] - smooth[up, left] + smooth[down, right] - smooth[down, left]
                  + 2 * (smooth[y, right] - smooth[y, left]))  # fmt: skip
            gy = (smooth[down, left] - smooth[up, left] + smooth[down, right] - smooth[up, right]
                  + 2 * (smooth[down, x] - smooth[up, x]))  # fmt: skip
            length = max(np.sqrt(gx * gx + gy * gy), np.float32(8e-3))
            sx = min(max(x + gx / length * grow, zero), np.float32(w - 1))
            sy = min(max(y + gy / length * grow, zero), np.float32(h - 1))
            ix, iy = min(int(sx), max(w - 2, 0)), min(int(sy), max(h - 2, 0))
            fx, fy = sx - np.float32(ix), sy - np.float32(iy)
            jx, jy = min(ix + 1, w - 1), min(iy + 1, h - 1)
            top = matte[iy, ix] + (matte[iy, jx] - matte[iy, ix]) * fx
            low = matte[jy, ix] + (matte[jy, jx] - matte[jy, ix]) * fx
            out[y, x] = min(max(top + (low - top) * fy, zero), one)


@kernel
def _feather(y0: int, y1: int, matte: F32, distance: F32, inner: Single, outer: Single, out: F32) -> None:
    zero, one = np.float32(0.0), np.float32(1.0)
    for y in range(y0, y1):
        for x in range(matte.shape[1]):
            d = distance[y, x]
            ramp = min(max((d + outer + np.float32(0.5)) / (inner + outer + one), zero), one)
            soft = ramp * ramp * (3 - 2 * ramp)
            # inside keeps its own detail where the feather does not reach
            if d > inner + 2:
                out[y, x] = matte[y, x]
            elif d < -outer - 2:
                out[y, x] = min(matte[y, x], soft)
            else:
                out[y, x] = soft
