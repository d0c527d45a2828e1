"""What speaks for and against a pixel on one marked frame, as planes of one stack, for the network to weigh.

Colours as marks and a first solve taught them, the reach of the marks, what moves with the subject and
what with the background towards the neighbouring frames, and the shape before a mend.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from functools import cached_property

import cv2
import numpy as np

from cuvrel.core.arrays import F32, U8, Mask
from cuvrel.core.imaging.network import gathered
from cuvrel.core.imaging.region import Box, blocks, doubled
from cuvrel.core.imaging.row_kernels import at_once
from cuvrel.core.motion import background_difference
from cuvrel.core.motion.dense import SMOOTH
from cuvrel.core.motion.fit import fitted, with_subject
from cuvrel.core.motion.flow import Flow

NEAR = (-1, 1, -3, 3)  # the neighbours whose motion is looked at, in frames from the marked one
FLOW = 480  # the longer side at which motion is found
MOVES = 0.7  # pixels at small size that marked places must leave the background's motion by, for motion to tell
FAR = (-8, 8)  # and those further off that show the background, too
OFFSETS = (3, 8)  # how far away frames are that the picture is compared with
OTHERWISE = 24.0  # levels of Lab by which what is not the background differs
QUARTERS = 12 + 4 * len(OFFSETS)  # planes that are the picture's, four a channel, and how it differs from others
PLANES = QUARTERS + 20
NOTHING, LOOKED, MATTE = -1.0, 0.0, 1.0  # what was there before a look: no answer, a first look's, a matte to mend


@dataclass(frozen=True)
class Moves:
    """Motion from a frame to one of its neighbours: (h, w, 2) in pixels of this size, and its trust, 0 to 1."""

    offset: int
    flow: F32
    calm: F32

    @cached_property
    def camera(self) -> F32:
        """The motion of most of the picture, (2, 3) as `fit.fitted` gives it."""
        return fitted(self.flow, self.calm, 1.0)


def moves(rgb: U8, neighbours: Sequence[tuple[int, U8]], size: tuple[int, int]) -> list[Moves]:
    """Motion to each neighbour at `size` (H, W). neighbours: how many frames away each one is, and its picture."""
    if not neighbours:
        return []
    ratio = min(1.0, FLOW / max(rgb.shape[:2]))
    at = max(16, round(rgb.shape[1] * ratio)), max(16, round(rgb.shape[0] * ratio))

    def grey(picture: U8) -> U8:
        return cv2.cvtColor(cv2.resize(picture, at, interpolation=cv2.INTER_AREA), cv2.COLOR_RGB2GRAY)

    finder, here, out = Flow(SMOOTH), grey(rgb), []
    scale = np.array([size[1] / at[0], size[0] / at[1]], np.float32)
    for offset, picture in neighbours:
        flow, flow_error = finder.between(here, grey(picture))
        calm = np.exp(-0.7 * flow_error)
        out.append(
            Moves(
                offset,
                cv2.resize(flow, (size[1], size[0]), interpolation=cv2.INTER_AREA) * scale,
                cv2.resize(calm, (size[1], size[0]), interpolation=cv2.INTER_AREA),
            )
        )
    return out


def _against(lab: U8, move: Moves, there: U8) -> tuple[F32, F32, F32]:
    """How a picture differs from another frame's in its place but for the light, (h, w, 3) float32.

    Also where both show the background, and where the other shows anything, (h, w) float32, 0 to 1.
    """
    fit = background_difference.at_size(move.camera, lab.shape[1] / move.flow.shape[1])
    more = lab - background_difference.brought(there.astype(np.float32), fit, cv2.BORDER_REPLICATE)
    shown = background_difference.brought(np.ones(lab.shape[:2], np.float32), fit)
    # what is alike but for the light is background; what is not may be anything
    alike = cv2.inRange(more, (-2 * background_difference.MOST,) * 3, (2 * background_difference.MOST,) * 3) > 0
    free = shown * alike
    return more - background_difference.light(more, free), free, shown


def _least(lab: U8, seen: Sequence[tuple[Moves, U8]], away: Callable[[F32, F32], F32]) -> list[F32]:
    """How far each pixel is from what all the other frames show in its place, near and far in time, 0 to 1.

    A plane (h, w) float32 for each of OFFSETS; one half where no such frame is known. What has moved differs from
    both sides in time, the background it uncovered only from one. seen: the motion to a neighbour that is OFFSETS
    frames away, and its picture as `lab`. away: how far that is, by the difference and where it is background's.
    """

    def one(move: Moves, there: U8) -> F32:
        more, free, shown = _against(lab, move, there)
        return away(more, free) * shown

    found = at_once(*(lambda pair=pair: one(*pair) for pair in seen))
    least: dict[int, F32] = {}
    for (move, _), plane in zip(seen, found, strict=True):
        offset = abs(move.offset)
        least[offset] = np.minimum(least[offset], plane) if offset in least else plane
    return [least.get(offset, np.full(lab.shape[:2], 0.5, np.float32)) for offset in OFFSETS]


def others(lab: U8, seen: Sequence[tuple[Moves, U8]]) -> list[F32]:
    """`_least` in units of the grain, at small size: whether anything differs. lab: (h, w, 3) uint8."""
    return _least(
        lab,
        seen,
        lambda more, free: background_difference.as_certainty(background_difference.in_grain(more, free > 0.5, 1.0)),
    )


def closely(lab: U8, seen: Sequence[tuple[Moves, U8]]) -> list[F32]:
    """`_least` to the pixel, at twice the small size: the course of an outline. lab: (2 h, 2 w, 3) uint8."""

    def away(more: F32, _: F32) -> F32:
        far = np.sqrt(cv2.transform(more * more, np.ones((1, 3), np.float32)))
        return np.asarray(np.tanh(far * np.float32(1 / OTHERWISE)), np.float32)

    return _least(lab, seen, away)


@dataclass(frozen=True)
class Scene:
    """A frame before any mark: its Lab at twice the small size, motion to its neighbours, `others` and `closely`."""

    lab: U8
    moves: list[Moves]
    others: list[F32]
    closely: list[F32]


@dataclass(frozen=True)
class FromMarks:
    """What the first solve made of the marks, all (h, w) float32 at small size.

    seen: log odds by the marks' own colours; reach: by how near to either kind of mark; odds: by all that
    was learned; u: its answer, 0 to 1; slope: how much of an edge there is; own: log odds of a colour to be
    found about the subject rather than far from it.
    """

    seen: F32
    reach: F32
    odds: F32
    u: F32
    slope: F32
    own: F32


def area(u: F32, inside: Mask) -> Box:
    """Where the network looks, at small size: well about an answer, (h, w) float32."""
    h, w = u.shape
    return blocks((u > 0.5) | inside, 36, 4) or (slice(0, h), slice(0, w))


def nearness(inside: Mask, outside: Mask) -> list[F32]:
    """How near marks of each kind are, sharply and widely: four planes, (h, w) float32, -1 to 1."""

    def near(mask: Mask) -> list[F32]:
        if not mask.any():
            return [np.full(mask.shape, -1, np.float32)] * 2
        distance = cv2.distanceTransform((~mask).astype(np.uint8), cv2.DIST_L2, 5)
        return [cv2.exp(distance * np.float32(-1 / reach)) * 2 - 1 for reach in (3, 25)]

    return [plane for planes in at_once(lambda: near(inside), lambda: near(outside)) for plane in planes]


def _motion(found: list[Moves], u: F32, inside: Mask) -> list[F32]:
    """Five planes: with the subject, and how far from the background's motion, near and far in time; and trust."""
    shape = u.shape
    none = [np.zeros(shape, np.float32)] * 5 + [np.full(shape, -1, np.float32)]
    if not found:
        return none
    # the marks are certain, the first answer is not
    where = np.maximum(np.clip(u, 0, 1) * np.float32(0.5), inside)
    told_by = at_once(*(lambda one=one: with_subject(one.flow, one.calm, where) for one in found))
    # a subject that stays with the background is not told by motion: it must not be taken for background
    if inside.any() and max(float(np.median(far[inside])) for _, far in told_by) < MOVES:
        return none
    out: list[F32] = []
    trust: F32 = np.zeros(shape, np.float32)
    for group in (1, 3):
        total = np.full(shape, 1e-3, np.float32)
        sides, away = np.zeros(shape, np.float32), np.zeros(shape, np.float32)
        for one, (side, far) in zip(found, told_by, strict=True):
            if abs(one.offset) != group:
                continue
            sides += one.calm * side
            away += one.calm * np.minimum(far, 8)
            total += one.calm
            if group == 1:
                trust = np.maximum(trust, one.calm)
        out += [np.asarray(sides / total, np.float32), np.asarray(away / total / 4 - 1, np.float32)]
    return [*out, trust * 2 - 1, np.ones(shape, np.float32)]


def stacked(
    scene: Scene, from_marks: FromMarks, inside: Mask, near: list[F32], before: F32 | None, box: Box, state: float
) -> F32:
    """The stack for the network, (PLANES, h, w) float32 of about -1 to 1, of what lies in the box.

    inside: where in marks are; near: as `nearness` of the marks. before: an answer at small size that is there already,
    if any; state: what it is, one of NOTHING, LOOKED and MATTE.
    """
    answer = from_marks.u if state == MATTE or before is None else before
    before = from_marks.u if before is None else before
    half: list[F32] = [
        *(np.asarray(plane / 6, np.float32) for plane in (from_marks.seen, from_marks.reach, from_marks.odds)),
        *(np.asarray(plane * 2 - 1, np.float32) for plane in (from_marks.u, before)),
        np.full(before.shape, state, np.float32),
        *near,
        *_motion(scene.moves, answer, inside),
        np.asarray(np.minimum(from_marks.slope, 16) / 8 - 1, np.float32),
        np.asarray(from_marks.own / 6, np.float32),
        *(2 * plane - 1 for plane in scene.others),
    ]
    large = doubled(box)
    full = [2 * plane[large] - 1 for plane in scene.closely]
    return gathered(scene.lab[large], full, [plane[box] for plane in half])
