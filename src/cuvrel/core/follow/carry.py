"""The follower: one frame after another, from a touched frame outwards.

On each frame the last matte is carried over by dense motion, both from the frame before and along the
chained motion from the touched frame; colours remembered from touched frames and the recent ones
vote, each for its place in the picture (after Märki et al., Bilateral Space Video Segmentation, CVPR
2016); motion against the background's, towards the frame before and the next, what differs from the
background as earlier frames showed it, how far each point looks as the subject is remembered to look there,
and where the subject is expected behind what hides it, join them.
A small network of our own, trained on made-up composites, weighs all that into the new matte.
"""

from __future__ import annotations

from collections.abc import Sequence
from copy import deepcopy
from dataclasses import dataclass, replace

import cv2
import numpy as np

from cuvrel.core.arrays import F32, U8
from cuvrel.core.follow.adaptation import Learned, Lesson, lesson
from cuvrel.core.follow.appearance import Appearance
from cuvrel.core.follow.background import Background
from cuvrel.core.follow.background_detail import Behind, Body, Place
from cuvrel.core.follow.doubt import HALT, advice, worst_place
from cuvrel.core.follow.evidence import (
    Beyond,
    Carried,
    Expected,
    Later,
    Recalled,
    Stack,
    area_of_interest,
    halved,
    halved_motion,
    stacked,
)
from cuvrel.core.follow.inference import HOLD, decided, reasoned
from cuvrel.core.follow.plausibility import Judge
from cuvrel.core.imaging.region import bounds, doubled, even
from cuvrel.core.keys.known_background import lights
from cuvrel.core.motion.background_difference import at_size
from cuvrel.core.motion.dense import SMOOTH
from cuvrel.core.motion.fit import fitted
from cuvrel.core.motion.flow import BothWays, Flow, Warp
from cuvrel.core.trace.colour_model import ColourMemory, to_lab
from cuvrel.core.trace.prepared import shrink
from cuvrel.core.trace.upsampling import soften

LATER = 8  # frames since the touched one that are assumed where following goes on from a followed frame
LONG = 640  # the longer side at which motion is found and the outline decided,
SHORT = 512  # and the same where the subject is large and the plate is larger still
TRUST = 0.8  # how far the picture's edges count beside those that were decided
LARGE = 0.15  # share of the plate that a large subject's box fills


def _filled(matte: F32) -> float:
    """The share of a plate that the box of what its matte shows fills."""
    box = bounds(matte > 0.5, 0)
    return 0.0 if box is None else (box[0].stop - box[0].start) * (box[1].stop - box[1].start) / matte.size


@dataclass(frozen=True)
class Halt:
    """Why and where following stopped trusting itself; the place in plate pixels."""

    reason: str
    advice: str
    x: float
    y: float
    radius: float


@dataclass(frozen=True)
class Looked:
    """A frame's picture at plate and at working size; at that its Lab, also halved, grey, and amounts of light.

    motion: to the frame before, and from that to this one, each with its fault.
    """

    rgb: U8
    small: U8
    lab: U8
    half: U8
    grey: U8
    lights: F32
    motion: BothWays | None

    @property
    def light(self) -> U8:
        """The L of Lab."""
        return np.ascontiguousarray(self.lab[..., 0])

    @property
    def onward(self) -> tuple[F32, F32] | None:
        """Motion from the frame before to this one, and its fault."""
        return None if self.motion is None else self.motion[2:]


@dataclass(frozen=True)
class Known:
    """What is known of the place by a frame, under its view: at half of the working size, and at that to the pixel."""

    grey: U8
    ground: Background
    place: Place


def _shown(looked: Looked, u: F32) -> Known:
    """What a frame shows of the place about its subject. u: its matte at working size, (H, W) float32."""
    return Known(looked.grey, Background(looked.half, halved(u)), Place(looked.lights, u))


@dataclass(frozen=True)
class Settled:
    """A frame that was decided, all at working size, (H, W) float32.

    shape: the matte as motion carried it; u: as it was decided; fault: how far motion is to be mistrusted.
    behind: what lies about its outline, if there is one.
    """

    looked: Looked
    shape: F32
    u: F32
    stack: Stack
    fault: F32
    behind: Behind | None


@dataclass(frozen=True)
class Followed:
    """One carried frame: (H, W) float32 matte at plate size, doubt 0 to 1, and the halt if any."""

    matte: F32
    doubt: float
    halt: Halt | None


class Follower:
    """Carries one matte in one direction. Make a new one at each touched frame.

    After a step `evidence` and `stack` hold what led to it.

    rgb, matte: the touched frame's picture, (H, W, 3) uint8 sRGB, and matte, (H, W) float32.
    hold: 0 to 1, how strongly the carried shape counts against what else speaks; detail: as for the trace.
    """

    def __init__(self, rgb: U8, matte: F32, hold: float = HOLD, detail: float = 1.0) -> None:
        self.plate = rgb.shape[0], rgb.shape[1]
        self.size = even(*self.plate, SHORT if max(self.plate) > LONG and _filled(matte) > LARGE else LONG)
        self.hold, self.detail = hold, detail
        self._every_second = ((np.arange(self.size[0])[:, None] + np.arange(self.size[1])) % 2).astype(np.uint8)
        self._flow, self._ahead = Flow(), Flow()
        self.at = self.look(rgb)
        lab = self.at.lab
        u = self._begin(matte, 0)
        self._recent = ColourMemory(self.size, cells=12, reach=1, bins=12)
        # touched frames alone, for the rough place and for anywhere: never fed with what was followed
        self._touched = [ColourMemory(self.size, cells=4, reach=1, bins=16), ColourMemory(self.size, bins=20)]
        self._teach([self._recent, *self._touched], lab, u, 1.0)
        self._judge = Judge(u, lab)
        self._several = False
        self._learned: Learned | None = None

    def learn(self, lessons: Sequence[Lesson]) -> None:
        """Corrects from here on what the network says, as touched frames of the clip taught."""
        self._learned = Learned(lessons) if lessons else None

    def examine(self, looked: Looked, after: Looked | None, matte: F32) -> Lesson:
        """What a touched frame teaches to which the next step would lead. No step can follow.

        looked, after: as for `settle`; matte: (H, W) float32 of the plate.
        """
        stack = self._gathered(looked, after)[2]
        u = shrink(matte, self.size).astype(np.float32)
        return lesson(*reasoned(stack, self._several), u[stack.inside])

    def look(self, rgb: U8, before: Looked | None = None) -> Looked:
        """What can be told of a frame without the matte of the one before it.

        Safe to call in another thread while a step is under way. before: the frame that the step comes from.
        """
        work = np.ascontiguousarray(shrink(rgb, self.size))
        grey = cv2.cvtColor(work, cv2.COLOR_RGB2GRAY)
        lab = to_lab(work)
        half = halved(lab)
        motion = None if before is None else self._ahead.both_ways(grey, before.grey)
        return Looked(rgb, work, lab, half, grey, lights(work), motion)

    def _begin(self, matte: F32, age: int) -> F32:
        """Sets out from the frame at hand and its matte, (H, W) of the plate; gives that at working size.

        age: how many frames ago an artist's matte was.
        """
        u = shrink(matte, self.size).astype(np.float32)
        small = halved(u)
        self._u, self._age = u, age
        self._key_light, self._key_grey = self.at.light, self.at.grey
        self._key_u, self._key_flow = u, np.zeros((*self.size, 2), np.float32)
        self._key_fault = np.zeros(self.size, np.float32)
        self._place, self._body = Place(self.at.lights, u), Body(self.at.lights, u)
        self._expected, self._ground = Expected(small), Background(self.at.half, small)
        self._own = Appearance(self.at.half, small)
        return u

    def _teach(self, memories: list[ColourMemory], lab: U8, u: F32, weight: float) -> None:
        """Remembers the colours on both sides, leaving out the outline itself, which is mixed."""
        sure_in = cv2.erode((u > 0.8).astype(np.uint8), np.ones((3, 3), np.uint8))
        sure_out = cv2.erode((u < 0.2).astype(np.uint8), np.ones((3, 3), np.uint8))
        # thin limbs vanish under erosion; half a sample is better than none
        inside = (np.where(sure_in > 0, 1.0, 0.4 * (u > 0.8)) * weight).astype(np.float32)
        # of the plenty around the subject every second pixel says as much
        outside = (sure_out * self._every_second * (2 * weight)).astype(np.float32)
        for memory in memories:
            memory.add(lab, inside, outside)

    def remember(self, rgb: U8, matte: F32) -> None:
        """Remembers another touched frame, too: its colours, and what it shows of the place that is hidden here.

        rgb, matte: as of the one that it sets out from.
        """
        looked, u = self.look(rgb), shrink(matte, self.size).astype(np.float32)
        self._several = True
        self._teach(self._touched, looked.lab, u, 1.0)
        self.borrow(_shown(looked, u))

    def survey(self, rgb: U8, matte: F32) -> None:
        """Takes from any other frame what it shows of the place that is hidden here. rgb, matte: as for `remember`."""
        self.borrow(_shown(self.look(rgb), shrink(matte, self.size).astype(np.float32)))

    def known(self) -> Known:
        """What is known of the place by now, to be borrowed by another follower."""
        return Known(self.at.grey, deepcopy(self._ground), deepcopy(self._place))

    def borrow(self, known: Known) -> None:
        """Takes over what is known of the place where the subject hides it on the frame that this one sets out from.

        Nothing where the other one worked at another size.
        """
        if known.grey.shape != self.size:
            return
        small = halved(self._u)
        flow, fault = halved_motion(*self._flow.between(self.at.grey, known.grey))
        fit = fitted(flow, ((small < 0.1) * np.exp(-fault)).astype(np.float32), 1.0)
        takes = self._ground.borrow(known.ground, fit, small)
        takes = cv2.resize(takes.astype(np.uint8), self.size[::-1], interpolation=cv2.INTER_NEAREST) > 0
        self._place.borrow(known.place, at_size(fit, 2), takes)

    def take_up(self, rgb: U8, matte: F32) -> None:
        """Goes on from another frame than the touched one, whose colours stay remembered, and what it shows."""
        touched = self.known()
        self.at = self.look(rgb)
        u = self._begin(matte, LATER)
        self._judge.take_up(u)
        self._teach([self._recent], self.at.lab, u, 1.0)
        self.borrow(touched)

    def step(self, rgb: U8, decide: bool = True) -> Followed:
        """The next frame. Raises nothing: a lost subject is an empty matte with doubt 1.

        decide: whether the outline is decided anew; if not, it stays as motion carried it.
        """
        return self.finish(self.settle(self.look(rgb, self.at), decide=decide))

    def settle(
        self, looked: Looked, after: Looked | None = None, decide: bool = True, beyond: Beyond | None = None
    ) -> Settled:
        """A step from a frame that was looked at: the next one may begin, and `finish` makes this one's matte of it.

        after: the frame that comes next, looked at from this one, where there is one: it tells what moves.
        beyond: what following from the next touched frame made of this one, at plate size, where it was here.
        """
        if beyond is not None:
            beyond = replace(beyond, matte=shrink(beyond.matte, self.size).astype(np.float32))
        fault, shape, stack = self._gathered(looked, after, decide, beyond)
        u = shape
        if decide:
            carried = shape if beyond is None else np.maximum(shape, beyond.matte)
            u = decided(carried, stack, self._several, self.hold, self._learned)
        self._recent.fade(0.75)
        self._teach([self._recent], looked.lab, u, 0.4)
        small = halved(u)
        self._expected.settle(small)
        self._ground.settle(looked.half, small)
        self._own.settle(looked.half, small)
        self.stack = stack
        self.at, self._u = looked, u
        behind = self._place.behind(looked.lights, u)
        self._place.learn(looked.lights, u)
        self._body = Body(looked.lights, u)
        return Settled(looked, shape, u, stack, fault, behind)

    def _gathered(
        self, looked: Looked, after: Looked | None, decide: bool = True, beyond: Beyond | None = None
    ) -> tuple[F32, F32, Stack]:
        """The motion's fault on a frame, the matte as motion carried it there, and what the network weighs.

        As for `settle`, but beyond at working size.
        """
        grey = looked.grey
        if decide:
            flow, fault = self._flow.between(grey, self.at.grey, self._u, looked.motion)
        else:  # whatever the picture says: smooth motion holds out where that is little
            flow, fault = Flow(SMOOTH).between(grey, self.at.grey)
        found = self._carried(grey, flow, fault)
        shape = found.matte + found.faith * (found.along - found.matte)
        return fault, shape, self._evidence(looked, found, Later(None if after is None else after.onward, beyond))

    def finish(self, settled: Settled) -> Followed:
        """A settled frame's matte at plate size, its doubt, and its halt if any.

        For each frame once and in their order. Safe to call in another thread while the next step is under way.
        """
        looked = settled.looked
        evidence, blame = self._judge.judge(settled.shape, settled.u, looked.lab, settled.fault, settled.stack)
        self.evidence = evidence
        doubt = evidence.doubt()
        halt = None
        if doubt > HALT:
            reason = evidence.reason()
            halt = Halt(reason, advice(reason), *worst_place(blame, self.plate))
        return Followed(self._edged(settled), doubt, halt)

    def _edged(self, settled: Settled) -> F32:
        """The matte at plate size, its soft edges by the picture and by the place behind them."""
        matte = soften(settled.u, settled.looked.rgb, self.detail, small=settled.looked.small, trust=TRUST)
        if settled.behind is None or self.detail <= 0:
            return matte
        # an area's mean takes long, and tells more only where many pixels become one
        way = cv2.INTER_AREA if matte.shape[1] > 2 * self.size[1] else cv2.INTER_LINEAR
        lacks = settled.behind.lacks(cv2.resize(matte, self.size[::-1], interpolation=way))
        lacks = cv2.resize(lacks, matte.shape[::-1], interpolation=cv2.INTER_LINEAR)
        return np.clip(cv2.scaleAdd(lacks, self.detail, matte), 0, 1)

    def _carried(self, grey: U8, flow: F32, fault: F32) -> Carried:
        """What the motion to the frame before brings from there, and the chain of it from the touched frame."""
        here = Warp(flow)
        planes = here.of(np.dstack([self._u, self._key_fault, self._key_flow]))
        carried, self._key_fault = np.ascontiguousarray(planes[..., 0]), np.maximum(planes[..., 1], fault)
        self._key_flow, self._age = flow + planes[..., 2:], self._age + 1
        if self._age > 1:
            self._key_flow = self._flow.drawn(grey, self._key_grey, self._key_flow, carried)
        touched = Warp(self._key_flow)
        along = touched.of(self._key_u)
        # the touched frame's own matte counts where its chain of motion never broke
        faith = (np.exp(-np.square(self._key_fault / 1.5)) * 0.5).astype(np.float32)
        light, first_light = here.of(self.at.light), touched.of(self._key_light)
        residual = cv2.absdiff(grey, here.of(self.at.grey)).astype(np.float32)
        return Carried(flow, fault, carried, along, light, first_light, faith, residual, self._age)

    def _evidence(self, looked: Looked, carried: Carried, later: Later) -> Stack:
        """What the network weighs, about where the subject may be."""
        shape = halved(carried.matte)
        flow, calm = carried.small[0], carried.calm
        self._expected.move(flow, calm, shape)
        self._ground.move(flow, calm, shape)
        self._own.move(flow, calm)
        self._place.move(at_size(self._ground.camera, 2))
        found = None if later.beyond is None else halved(later.beyond.matte)
        box = area_of_interest(shape, self._expected.plane, found)
        own = self._own.planes(looked.half, shape)
        ground = self._ground.planes(looked.half, shape, self._own.alike, self._own.unlike)
        big = doubled(box)
        place = self._place.against(looked.lights, carried.matte, big, self._body.told(carried.flow))
        memories = [self._recent, *self._touched]
        recalled = Recalled(memories, self._expected, [*ground, *own], place, self._u[big])
        return stacked(carried, looked.lab, looked.half, shape, box, recalled, later)
