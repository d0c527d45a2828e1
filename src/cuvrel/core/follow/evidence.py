"""What speaks for and against a pixel being the subject, as planes of one stack, for the network to weigh.

All of it is relative to the clip at hand: the carried mattes, how far their motion can be trusted, what
remembered colours say, whether a pixel moves with the subject or with the background, and where the
subject would be if nothing had passed before it.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

import cv2
import numpy as np
from numpy.typing import NDArray

from cuvrel.core.arrays import F32, U8
from cuvrel.core.follow import appearance, background
from cuvrel.core.follow.background_detail import Against
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
    """One frame's motion and what it carried, all at working size (H, W), both even.

    flow: (H, W, 2) from here to the frame before; fault: its pixels of miss; matte, along: the last
    matte and the touched frame's, moved here; light, first_light: the L of Lab of the same two, moved here,
    uint8; faith: 0 to 0.5, how unbroken the chain to the touched frame is; age: how many frames ago it was.
    """

    flow: F32
    fault: F32
    matte: F32
    along: F32
    light: U8
    first_light: U8
    faith: F32
    residual: F32
    age: int

    @cached_property
    def small(self) -> tuple[F32, F32]:
        """The motion and its fault at half size."""
        return halved_motion(self.flow, self.fault)

    @cached_property
    def calm(self) -> F32:
        """How far the motion can be trusted at half size, 0 to 1."""
        return np.exp(-self.small[1])


@dataclass(frozen=True)
class Beyond:
    """What the way that set out from the next touched frame made of a frame.

    matte: (H, W) float32; away: how many frames its touched one is away; doubt: 0 to 1.
    """

    matte: F32
    away: int
    doubt: float


def halved(plane: NDArray) -> NDArray:
    """A picture or plane at half size, averaged."""
    return cv2.resize(plane, (plane.shape[1] // 2, plane.shape[0] // 2), interpolation=cv2.INTER_AREA)


def halved_motion(flow: F32, fault: F32) -> tuple[F32, F32]:
    """A motion, (H, W, 2), and its fault, (H, W), at half size and in pixels of it; the fault stays in full ones."""
    return np.ascontiguousarray(flow[::2, ::2]) * np.float32(0.5), halved(fault)


class Expected:
    """Where the subject would be if nothing had passed before it, at half size; moves as the subject does."""

    def __init__(self, matte: F32) -> None:
        self.plane = matte
        self._fit = np.zeros((2, 3), np.float32)

    def move(self, flow: F32, calm: F32, shape: F32) -> None:
        """To the next frame, at half size. flow: (h, w, 2) in its pixels; calm: its trust; shape: the carried matte."""
        fit = fitted(flow, shape * calm, 40.0)
        if float((shape > 0.5).sum()) >= 30:
            self._fit = fit
        self.plane = brought(self.plane, self._fit)

    def settle(self, matte: F32) -> None:
        """After the frame was decided: what is seen counts in full, what is not fades."""
        self.plane = np.maximum(matte, STAY * self.plane)


def area_of_interest(shape: F32, expected: F32, beyond: F32 | None = None) -> Box:
    """Where the network looks, at half size: about the carried and the expected subject; all when both are gone.

    beyond: what the way from the next touched frame found, if there was one.
    """
    h, w = shape.shape
    where = (shape > 0.1) | (expected > 0.25)
    box = blocks(where if beyond is None else where | (beyond > 0.25), 20, 8)
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
class Recalled:
    """What earlier frames say of one that is to be decided.

    memories: of colours, recent, the touched frame's by place and anywhere. expected: where the subject is, if hidden.
    known: what the known background and the subject's own look say, planes at half size. place: the part that is
    looked at beside what was seen there before; was: the last matte there, where it was; at working size.
    """

    memories: list[ColourMemory]
    expected: Expected
    known: list[F32]
    place: Against
    was: F32


@dataclass(frozen=True)
class Later:
    """What is known from the other side in time.

    onward: motion to the frame after, and its fault, at working size, where that frame is known. beyond: at working
    size, where there is a way back.
    """

    onward: tuple[F32, F32] | None
    beyond: Beyond | None


def stacked(carried: Carried, lab: U8, small: U8, shape: F32, box: Box, recalled: Recalled, later: Later) -> Stack:
    """The stack for the network.

    lab: (H, W, 3) uint8 at working size; small: the same at half of it. shape: the carried matte at half size.
    box: at half size.
    """
    flow, fault = carried.small
    sides, from_ground = with_subject(flow, carried.calm, shape)
    where = np.zeros(shape.shape, np.uint8)
    where[box] = 1
    colours = []
    for memory, balance in zip(recalled.memories, (0.3, 0.5, 0.5), strict=True):
        odds, trust = memory.odds(small, where, balance=balance, zoom=2.0)
        colours.append(np.clip(odds, -5, 5) * trust / 5)
    half = [
        *colours,
        trust * 2 - 1,
        np.minimum(fault, 6) / 3 - 1,
        halved(carried.faith) * 2 - 1,
        np.minimum(halved(carried.residual), 40) / 20 - 1,
        sides,
        np.minimum(from_ground, 8) / 4 - 1,
        np.tanh(0.3 * (from_ground - 2 * fault)),
        recalled.expected.plane * 2 - 1,
        *_onward(later.onward, shape),
        np.full(shape.shape, 2 / max(1, carried.age) - 1, np.float32),
        *recalled.known,
        *(np.full(shape.shape, told, np.float32) for told in _told(later.beyond)),
    ]
    big = doubled(box)
    place = recalled.place
    full: list[F32] = [*place.signed, place.known, place.share]
    full.append(recalled.was * 2 - 1)
    full += [matte[big] * 2 - 1 for matte in (carried.matte, carried.along)]
    full.append(np.zeros_like(place.known) if later.beyond is None else later.beyond.matte[big] * 2 - 1)
    # with the pictures that they came with: where an edge lies beside its own, so does the outline
    lights = np.stack([carried.light[big], carried.first_light[big]]).astype(np.float32)
    full += [*(lights / np.float32(128) - np.float32(1)), 2 * place.away - 1]
    return Stack(gathered(lab[big], full, [plane[box] for plane in half]), box)


def _told(beyond: Beyond | None) -> tuple[float, float]:
    """How near the next touched frame is, and how sure of itself the way from it was; -1 for not at all."""
    return (-1.0, -1.0) if beyond is None else (2 / max(1, beyond.away) - 1, 1 - 2 * beyond.doubt)


def _onward(motion: tuple[F32, F32] | None, shape: F32) -> list[F32]:
    """What the next frame tells: with the subject, how far from the background's motion, and how far not to trust it.

    What comes out from behind something has no way back to the frame before, but it has one to the next.
    """
    if motion is None:
        return [np.zeros(shape.shape, np.float32), *(np.full(shape.shape, n, np.float32) for n in (-1, 1))]
    flow, fault = halved_motion(*motion)
    sides, from_ground = with_subject(flow, np.exp(-fault), shape)
    away, missed = (
        np.asarray(np.minimum(one, most) / (most / 2) - 1, np.float32) for one, most in ((from_ground, 8), (fault, 6))
    )
    return [sides, away, missed]
