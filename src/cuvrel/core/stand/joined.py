"""Takes on the stand: lining one up with the plate, meeting its tone, and how much the join of the two is seen."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any, Literal

import cv2
import numpy as np

from cuvrel.core.arrays import F32, F64, U8, Mask
from cuvrel.core.imaging.colour import encode
from cuvrel.core.imaging.sampling import about_middle, sized
from cuvrel.core.recipe.errors import RecipeError
from cuvrel.core.recipe.models import LineUp, Plane
from cuvrel.core.stand.build import Stand
from cuvrel.core.stand.nodes import Cache, Node, node, work_out
from cuvrel.core.takes.line_up import Kind, brought, covered, line_up
from cuvrel.core.takes.seam import SEEN, middle_of_change, seen
from cuvrel.core.takes.texture import Texture, texture
from cuvrel.core.takes.tone import tone
from cuvrel.core.treatments.tone import CHANNELS

Over = Literal["frame", "all", "each"]
FEW, MANY = 7, 48  # frames that are looked at for one value that holds for all, and for one that follows the frames
ALIKE = 0.005  # by how much of itself a take's rate may differ
CALM = 2.0  # samples: the deviation of the weights by which neighbouring frames' line-ups are smoothed
ABOUT = 0.08  # of the width: how far about a matte is looked
GAIN = 4  # times that a difference is shown as


@dataclass(frozen=True)
class Lined:
    """A line-up, and the share of the picture that agrees."""

    line_up: LineUp
    still: float


@dataclass(frozen=True)
class Matched:
    """A tone, as values of the treatment (keyed where it is told over time); what is left of the difference, in codes
    of 255; and how the plate's texture differs from the take's.
    """

    values: dict[str, Any]
    left: float
    texture: Texture


def lined_up(stand: Stand, plane_id: str, frames: Sequence[int], over: Over, kind: Kind, leave_out: str | None,
             cache: Cache, about: bool = False) -> Lined:  # fmt: skip
    """Lines a take up with the plate by what stands still in both.

    frames: those of the shot that count, in order. over: the first one alone; one line-up for all; or one for each,
    smoothed. leave_out: a matte of what is not looked at; about: of all that is looked at, with what lies about it,
    since things nearer and further off do not lie on one another both.

    Raises RecipeError for a take of another size or rate, or one that shows nothing alike.
    """
    plane = _take(stand, plane_id)
    looked = _some(frames, over)
    found: list[tuple[int, F64, float | None, float]] = []
    fault: RecipeError | None = None
    for frame in looked:
        here, there = _both(stand, plane, frame, cache)
        without = None if leave_out is None else _left_out(stand, leave_out, frame, about, cache)
        try:
            one = line_up(here, there, kind, without)
        except RecipeError as nothing:
            fault = nothing
            continue
        found.append((frame, one.matrix, one.error, one.still))
    if not found:
        raise fault or _nothing()
    wide, high = stand.shot.plate_footage().width, stand.shot.plate_footage().height
    box = np.array([[0, 0], [wide, 0], [wide, high], [0, high]], np.float64)
    to = np.array([cv2.perspectiveTransform(box[None], matrix)[0] for _, matrix, _, _ in found])
    if over == "each" and len(found) > 1:
        places = _followed([one[0] for one in found], to, range(frames[0], frames[-1] + 1))
    else:
        places = np.median(to, axis=0)[None]
    matrices = [_matrix(box, one).ravel().round(12).tolist() for one in places]
    left = [error for _, _, error, _ in found if error is not None]
    up = LineUp(kind=kind, first=frames[0], matrices=matrices, error=round(float(np.median(left)), 4) if left else None)
    return Lined(up, float(np.median([one[3] for one in found])))


def matched(stand: Stand, plane_id: str, frames: Sequence[int], over: Over, leave_out: str | None,
            cache: Cache, about: bool = False) -> Matched:  # fmt: skip
    """Measures how a take's tone and texture are brought to the plate's, where it lies on it.

    frames, over, leave_out and about are as for `lined_up`. Raises RecipeError where too little can be compared.
    """
    plane = _take(stand, plane_id)
    gains, offsets, left, at = [], [], [], []
    last: tuple[U8, U8, Mask] | None = None
    fault: RecipeError | None = None
    for frame in _some(frames, over):
        here, there = _both(stand, plane, frame, cache)
        matrix = plane.line_up.at(frame) if plane.line_up is not None else np.eye(3)
        size, own = (here.shape[0], here.shape[1]), (there.shape[0], there.shape[1])
        lies = brought(there, matrix, size)
        use = covered(matrix, size, own)
        if leave_out is not None:
            use &= _left_out(stand, leave_out, frame, about, cache) < 0.1
        try:
            found = tone(here, lies, use)
        except RecipeError as nothing:
            fault = nothing
            continue
        last = last or (here, lies, use)
        at.append(frame)
        back = found.back
        gains.append(back[0])
        offsets.append(back[1])
        left.append(found.spread)
    if last is None:
        raise fault or _nothing()
    gain, offset = np.clip(np.array(gains), 0, 20), 100 * np.array(offsets)
    if over != "each" or len(at) == 1:
        gain, offset = np.exp2(np.log2(np.maximum(gain, 1e-3)).mean(axis=0))[None], offset.mean(axis=0)[None]
    values: dict[str, Any] = {}
    for n, name in enumerate(CHANNELS):
        values[name] = _value(at, gain[:, n])
        values[f"{name}_offset"] = _value(at, offset[:, n])
    return Matched(values, float(np.mean(left)), texture(*last))


def _value(at: list[int], values: F64) -> Any:
    if len(values) == 1:
        return round(float(values[0]), 4)
    keys = [{"frame": f, "value": round(float(v), 4), "ease": "linear"} for f, v in zip(at, values, strict=True)]
    return {"keys": keys}


def takes_apart(stand: Stand, plane: Plane, frame: int) -> Node:
    """How a take differs from what lies behind it, (H, W, 3) uint8: grey where they are alike, times GAIN."""
    behind = stand.laid(plane.model_copy(update={"first": None, "last": None, "on": True}), frame)
    if behind is None:
        return stand.plate(frame)

    def run(below: F32, above: F32) -> U8:
        here, there = encode(below).astype(np.int16), encode(above).astype(np.int16)
        out = np.clip(128 + GAIN * (there - here), 0, 255).astype(np.uint8)
        out[above[..., 3] < 0.5] = 128
        return out

    return node("view-takes", None, [behind[0], behind[1]], run)


def join_seen(stand: Stand, plane: Plane, frame: int) -> Node:
    """How much the join of a take with what lies behind it is seen on a frame, (1,) float32, codes of 255."""
    laid = stand.laid(plane, frame)
    below, above, gate = laid or (None, None, None)
    if below is None or above is None or gate is None:
        return node("join-none", None, [], lambda: np.zeros(1, np.float32))
    opacity = float(plane.at(stand.env(frame))["opacity"])

    def run(here: F32, over: F32, cover: F32) -> F32:
        part = sized(cover, here.shape[:2])[..., None] * np.float32(opacity)
        shown = over * part + here * (1 - over[..., 3:4] * part)
        return np.array([seen(encode(shown), encode(here), encode(over), part[..., 0] * over[..., 3])], np.float32)

    return node("join", opacity, [below, above, gate], run)


def changed_at(stand: Stand, plane_id: str, frame: int, cache: Cache) -> tuple[tuple[float, float], float]:
    """A place on the largest thing that a take, as it lies in the frame, shows otherwise than what lies behind it.

    Returns its middle, as a point from the plate's middle, and how far a line around it may run, both in plate pixels.
    Raises RecipeError where nothing stands out.
    """
    plane = _take(stand, plane_id)
    laid = stand.laid(plane, frame)
    if laid is None:
        raise RecipeError(f"'{plane.name}' is not shown on this frame.", "Go to one on which it is.")
    here, there = (about_middle(np.asarray(work_out(one, cache)), stand.plate_size) for one in laid[:2])
    found = middle_of_change(encode(here), encode(there), there[..., 3] > 0.99)
    if found is None:
        raise RecipeError("The takes show the same on this frame.", "Go to one on which the thing is seen.")
    (x, y), wide = found
    high, across = stand.plate_size
    place = round((x - across / 2) / stand.scale, 1), round((y - high / 2) / stand.scale, 1)
    return place, round(float(np.clip(1.1 * wide / stand.scale, 24, 8000)))


def is_seen(value: float) -> bool:
    """Whether a join is told of as a problem."""
    return value > SEEN


def _take(stand: Stand, plane_id: str) -> Plane:
    """The plane of a take that can be compared with the plate. Raises RecipeError."""
    try:
        plane = stand.shot.plane(plane_id)
    except KeyError:
        raise RecipeError("There is no such plane in this shot.") from None
    chosen = plane.params.get("footage") if plane.kind in ("take", "element") else None
    if not chosen:
        raise RecipeError(f"'{plane.name}' shows no footage to line up.", "Choose the other take first.")
    taken, plate = stand.shot.footage_by_id(str(chosen)), stand.shot.plate_footage()
    if (taken.width, taken.height) != (plate.width, plate.height):
        raise RecipeError(
            f"'{taken.name}' is {taken.width} x {taken.height} pixels large, the plate {plate.width} x {plate.height}.",
            "Takes of one set-up are of one size.",
        )
    if taken.fps and abs(taken.fps / plate.fps - 1) > ALIKE:
        raise RecipeError(
            f"'{taken.name}' has {taken.fps:g} frames a second, the plate {plate.fps:g}.",
            "Takes of one set-up run at one rate.",
        )
    return plane


def _both(stand: Stand, plane: Plane, frame: int, cache: Cache) -> tuple[U8, U8]:
    """The plate's picture on a frame, and the take's own that would be laid over it, both uint8 sRGB."""
    there = stand.raw(plane, frame)
    if there is None:
        raise RecipeError(f"'{plane.name}' has nothing to show on this frame.", "Choose another of its frames.")
    here = work_out(stand.plate(frame), cache)
    return np.ascontiguousarray(here), np.ascontiguousarray(work_out(there, cache))


def _left_out(stand: Stand, matte: str, frame: int, about: bool, cache: Cache) -> F32:
    """What is not looked at, (H, W) float32: what a matte covers, or all that lies far from it."""
    cover = np.asarray(work_out(stand.matte(matte, frame), cache), np.float32)
    if not about:
        return cover
    if cover.max() < 0.5:
        raise RecipeError(f"'{stand.shot.matte(matte).name}' is empty on this frame.", "Look at all of the picture.")
    far = cv2.distanceTransform((cover < 0.5).astype(np.uint8), cv2.DIST_L2, 5)
    return np.asarray(far > ABOUT * cover.shape[1], np.float32)


def _nothing() -> RecipeError:
    return RecipeError("Nothing can be compared on these frames.", "Choose others.")


def _some(frames: Sequence[int], over: Over) -> list[int]:
    if over == "frame" or len(frames) == 1:
        return [frames[0]]
    count = min(len(frames), FEW if over == "all" else MANY)
    return sorted({frames[round(n * (len(frames) - 1) / (count - 1))] for n in range(count)})


def _followed(at: Sequence[int], to: F64, frames: range) -> F64:
    """Where corners lie on all frames, (N, 4, 2), from those that were found on a few, smoothed."""
    apart = (np.arange(len(at))[:, None] - np.arange(len(at))[None, :]) / CALM
    weights = np.exp(-(apart**2) / 2)
    calm = np.tensordot(weights / weights.sum(axis=1, keepdims=True), to, axes=1)
    flat = calm.reshape(len(at), -1)
    return np.stack([np.interp(frames, at, column) for column in flat.T], axis=1).reshape(-1, 4, 2)


def _matrix(box: F64, to: F64) -> F64:
    return np.asarray(cv2.getPerspectiveTransform(box.astype(np.float32), to.astype(np.float32)), np.float64)
