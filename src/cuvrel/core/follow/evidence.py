"""The evidence for and against each pixel being the subject, as planes of one stack that the network weighs.

All of it is relative to the clip at hand: the mattes that the flow carried, how far the flow can be trusted, the colour
models, whether a pixel moves with the subject or with the background, and where the subject would be if nothing had
passed before it.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

import cv2
import numpy as np
from numpy.typing import NDArray

from cuvrel.core.arrays import F32, U8
from cuvrel.core.follow import appearance, background
from cuvrel.core.follow.background_detail import BackgroundContrast
from cuvrel.core.imaging.network import gathered
from cuvrel.core.imaging.region import Box, blocks, doubled
from cuvrel.core.motion.background_difference import brought
from cuvrel.core.motion.fit import fitted, with_subject
from cuvrel.core.trace.colour_model import ColourMemory

QUARTERS = 60  # planes that are quarters of those at working size
VEILS = slice(12, 36)  # those of the place's and the last matte's that are read where several frames are touched
BEYOND = 2  # planes about the way from the touched frame beyond, the last ones
HALF = 15 + background.PLANES + appearance.PLANES + BEYOND  # planes at half size
OTHERS = -1 - appearance.PLANES - BEYOND  # the plane of other things, the background's last
STAY = 0.93  # how much of a hidden part is still expected a frame later


@dataclass(frozen=True)
class Carried:
    """What optical flow brought to a frame; planes are (H, W) float32 at working size, both sides even."""

    flow: F32
    """(H, W, 2), in pixels, from this frame to the one before."""
    flow_error: F32
    """The flow's forward-backward error in pixels."""
    matte: F32
    """The last frame's matte, warped to this frame."""
    along: F32
    """The touched frame's matte, warped by the chained flow."""
    light: U8
    """The L of Lab of the last frame, warped, uint8."""
    first_light: U8
    """The same of the touched frame."""
    faith: F32
    """0 to 0.5: how far the chained flow to the touched frame can be trusted."""
    residual: F32
    """The difference in grey that is left after warping."""
    age: int
    """How many frames ago the touched frame was."""

    @cached_property
    def small(self) -> tuple[F32, F32]:
        """The flow and its error at half size."""
        return halved_motion(self.flow, self.flow_error)

    @cached_property
    def calm(self) -> F32:
        """How far the flow can be trusted, at half size, 0 to 1."""
        return np.exp(-self.small[1])


@dataclass(frozen=True)
class ReversePass:
    """What following the other way, from the next touched frame back, made of a frame.

    matte: (H, W) float32. away: how many frames that touched frame is off. doubt: 0 to 1.
    """

    matte: F32
    away: int
    doubt: float


def halved(plane: NDArray) -> NDArray:
    """A picture or plane at half size, averaged."""
    return cv2.resize(plane, (plane.shape[1] // 2, plane.shape[0] // 2), interpolation=cv2.INTER_AREA)


def halved_motion(flow: F32, flow_error: F32) -> tuple[F32, F32]:
    """A flow, (H, W, 2), at half size and in its pixels, and its error, (H, W), at half size but in full pixels."""
    return np.ascontiguousarray(flow[::2, ::2]) * np.float32(0.5), halved(flow_error)


class Expected:
    """Where the subject would be if nothing had passed before it, (h, w) float32 at half size."""

    def __init__(self, matte: F32) -> None:
        self.plane = matte
        self._fit = np.zeros((2, 3), np.float32)

    def move(self, flow: F32, calm: F32, shape: F32) -> None:
        """Moves it to the next frame as the subject moves.

        flow: (h, w, 2) in pixels of half size. calm: how far it can be trusted, 0 to 1. shape: the carried matte.
        """
        fit = fitted(flow, shape * calm, 40.0)
        if float((shape > 0.5).sum()) >= 30:
            self._fit = fit
        self.plane = brought(self.plane, self._fit)

    def update(self, matte: F32) -> None:
        """Takes in a decided frame: what is seen of the subject counts in full, what is not fades."""
        self.plane = np.maximum(matte, STAY * self.plane)


def area_of_interest(shape: F32, expected: F32, reverse: F32 | None = None) -> Box:
    """Where the network looks, at half size: about the carried and the expected subject; all when both are gone.

    reverse: what the way from the next touched frame found, if there was one.
    """
    h, w = shape.shape
    where = (shape > 0.1) | (expected > 0.25)
    box = blocks(where if reverse is None else where | (reverse > 0.25), 20, 8)
    if box is None or float((shape > 0.5).sum()) < 12:
        return slice(0, h), slice(0, w)
    return box


@dataclass(frozen=True)
class Stack:
    """The network's planes, (QUARTERS + HALF, h, w) float32 of about -1 to 1, and the box at half size they fill."""

    planes: F32
    box: Box

    @property
    def inside(self) -> Box:
        """The box at working size."""
        return doubled(self.box)

    def other(self) -> F32:
        """Where another thing is, at half size, 0 to 1."""
        return np.asarray((self.planes[OTHERS] + 1) / 2, np.float32)

    def colour(self) -> F32:
        """What the colour memories say together, log odds at half size."""
        recent, near, anywhere = self.planes[QUARTERS : QUARTERS + 3]
        return np.asarray(5 * (0.5 * recent + 0.25 * near + 0.25 * anywhere), np.float32)


@dataclass(frozen=True)
class PriorKnowledge:
    """What the frames before say of one that is to be decided."""

    memories: list[ColourMemory]
    """Colour models: of recent frames, of touched ones by place, and of touched ones anywhere."""
    expected: Expected
    """Where the subject is, even if hidden."""
    known: list[F32]
    """Planes of the background and of the subject's own look, at half size."""
    contrast: BackgroundContrast
    """The frame against the detailed background, in the box, at working size."""
    was: F32
    """The last matte in the box, unwarped, at working size."""


@dataclass(frozen=True)
class Lookahead:
    """What is known from later frames, as far as there are any; at working size."""

    onward: tuple[F32, F32] | None
    """Flow to the frame after, and its error."""
    reverse: ReversePass | None
    """What following back from the next touched frame made of this one."""


def stacked(
    carried: Carried, lab: U8, small: U8, shape: F32, box: Box, prior: PriorKnowledge, lookahead: Lookahead
) -> Stack:
    """The stack for the network.

    lab: (H, W, 3) uint8 at working size; small: the same at half of it. shape: the carried matte at half size. box: the
    part that is weighed, at half size.
    """
    flow, flow_error = carried.small
    sides, from_background = with_subject(flow, carried.calm, shape)
    where = np.zeros(shape.shape, np.uint8)
    where[box] = 1
    colours = []
    for memory, balance in zip(prior.memories, (0.3, 0.5, 0.5), strict=True):
        odds, trust = memory.odds(small, where, balance=balance, zoom=2.0)
        colours.append(np.clip(odds, -5, 5) * trust / 5)
    half = [
        *colours,
        trust * 2 - 1,
        np.minimum(flow_error, 6) / 3 - 1,
        halved(carried.faith) * 2 - 1,
        np.minimum(halved(carried.residual), 40) / 20 - 1,
        sides,
        np.minimum(from_background, 8) / 4 - 1,
        np.tanh(0.3 * (from_background - 2 * flow_error)),
        prior.expected.plane * 2 - 1,
        *_onward(lookahead.onward, shape),
        np.full(shape.shape, 2 / max(1, carried.age) - 1, np.float32),
        *prior.known,
        *(np.full(shape.shape, told, np.float32) for told in _reverse_planes(lookahead.reverse)),
    ]
    big = doubled(box)
    contrast = prior.contrast
    full: list[F32] = [*contrast.signed, contrast.known, contrast.share]
    full.append(prior.was * 2 - 1)
    full += [matte[big] * 2 - 1 for matte in (carried.matte, carried.along)]
    full.append(np.zeros_like(contrast.known) if lookahead.reverse is None else lookahead.reverse.matte[big] * 2 - 1)
    # with the pictures that they came with: where an edge lies beside its own, so does the outline
    lights = np.stack([carried.light[big], carried.first_light[big]]).astype(np.float32)
    full += [*(lights / np.float32(128) - np.float32(1)), 2 * contrast.away - 1]
    return Stack(gathered(lab[big], full, [plane[box] for plane in half]), box)


def _reverse_planes(reverse: ReversePass | None) -> tuple[float, float]:
    """How near the next touched frame is, and how sure the pass from it is, each -1 to 1; -1 where there is none."""
    return (-1.0, -1.0) if reverse is None else (2 / max(1, reverse.away) - 1, 1 - 2 * reverse.doubt)


def _onward(motion: tuple[F32, F32] | None, shape: F32) -> list[F32]:
    """Three planes from the flow to the next frame: whether a pixel moves with the subject, how far its motion is from
    the background's, and the flow's error.

    What comes out from behind something has no match in the frame before, but it has one in the next.
    """
    if motion is None:
        return [np.zeros(shape.shape, np.float32), *(np.full(shape.shape, n, np.float32) for n in (-1, 1))]
    flow, flow_error = halved_motion(*motion)
    sides, from_background = with_subject(flow, np.exp(-flow_error), shape)
    away, missed = (
        np.asarray(np.minimum(one, most) / (most / 2) - 1, np.float32)
        for one, most in ((from_background, 8), (flow_error, 6))
    )
    return [sides, away, missed]
