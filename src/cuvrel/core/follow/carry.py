"""The follower: carries a matte from a touched frame to the frames beside it, one after another.

On each frame dense optical flow brings the last matte along, and the touched frame's own matte by the chained flow.
Colour models of the touched frames and of the recent ones say how likely each colour is the subject's, by place
(after Märki et al., Bilateral Space Video Segmentation, CVPR 2016). The other evidence is motion against the
background's, towards the frame before and the next; the difference from the background as earlier frames showed it; the
difference from the subject's own remembered look; and where the subject is expected behind what hides it. A small
network of our own, trained on made-up clips, weighs all of it into the odds of each pixel.

Three sizes are used: the plate's; the working size, (H, W), at which the outline is decided; and half of that, (h, w).
"""

from __future__ import annotations

from collections.abc import Sequence
from copy import deepcopy
from dataclasses import dataclass, replace

import cv2
import numpy as np

from cuvrel.core.arrays import F32, U8
from cuvrel.core.checks.halt import Halt
from cuvrel.core.follow.adaptation import Lesson, OddsCorrection, lesson
from cuvrel.core.follow.appearance import Appearance
from cuvrel.core.follow.background import Background
from cuvrel.core.follow.background_detail import BackgroundDetail, OutlineBackground, SubjectLight
from cuvrel.core.follow.doubt import HALT, advice, worst_place
from cuvrel.core.follow.evidence import (
    Carried,
    Expected,
    Lookahead,
    PriorKnowledge,
    ReversePass,
    Stack,
    area_of_interest,
    halved,
    halved_motion,
    stacked,
)
from cuvrel.core.follow.inference import HOLD, decided, reasoned
from cuvrel.core.follow.plausibility import PlausibilityCheck
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
class Observation:
    """What a frame's picture shows by itself, before anything is known of the subject on it."""

    rgb: U8
    """The picture at plate size, (H, W, 3) uint8 sRGB."""
    small: U8
    """The same at working size."""
    lab: U8
    """Lab at working size, (H, W, 3) uint8."""
    half: U8
    """Lab at half the working size."""
    grey: U8
    """Grey at working size, (H, W) uint8."""
    lights: F32
    """Linear light at working size, (H, W, 3) float32, smoothed against grain."""
    motion: BothWays | None
    """Flow to the frame before, its forward-backward error, and the same two back; None for a first frame."""

    @property
    def light(self) -> U8:
        """The L of Lab."""
        return np.ascontiguousarray(self.lab[..., 0])

    @property
    def onward(self) -> tuple[F32, F32] | None:
        """Flow from the frame before to this one, and its forward-backward error."""
        return None if self.motion is None else self.motion[2:]


@dataclass(frozen=True)
class BackgroundModels:
    """The background as it is known on a frame."""

    grey: U8
    """The frame, (H, W) uint8 at working size."""
    background: Background
    """In colour, at half of the working size."""
    detail: BackgroundDetail
    """In linear light, at working size."""


def _shown(observed: Observation, u: F32) -> BackgroundModels:
    """The background as one frame shows it around its subject. u: the frame's matte, (H, W) float32."""
    return BackgroundModels(observed.grey, Background(observed.half, halved(u)), BackgroundDetail(observed.lights, u))


@dataclass(frozen=True)
class Decision:
    """A frame whose outline was decided; planes are (H, W) float32 at working size."""

    observed: Observation
    """The frame."""
    shape: F32
    """The matte as the flow carried it."""
    u: F32
    """The matte as the network decided it."""
    stack: Stack
    """The evidence that the network weighed."""
    flow_error: F32
    """The flow's forward-backward error in pixels."""
    behind: OutlineBackground | None
    """The background around the outline; None where there is no outline."""


@dataclass(frozen=True)
class Followed:
    """One carried frame: (H, W) float32 matte at plate size, doubt 0 to 1, and the halt if any."""

    matte: F32
    doubt: float
    halt: Halt | None


class Follower:
    """Carries one matte in one direction, frame by frame. Make a new one at each touched frame.

    Parameters
    ----------
    rgb
        (H, W, 3) uint8 sRGB: the touched frame's picture, at plate size.
    matte
        (H, W) float32, 0 to 1: its matte.
    hold
        0 to 1: how strongly the shape that the flow carried counts against the other evidence.
    detail
        0 to 1: how far soft edges are drawn in by the picture, as for the trace.

    Attributes
    ----------
    evidence
        What the last finished frame's doubt was computed from.
    stack
        What the network weighed on the last decided frame.

    Notes
    -----
    A step has three parts, so that three frames can be worked on at once: `observe` looks at a picture by itself,
    `decide` finds the outline at working size, `finish` gives the matte at plate size and its doubt. `step` does all
    three in order.
    """

    def __init__(self, rgb: U8, matte: F32, hold: float = HOLD, detail: float = 1.0) -> None:
        self.plate = rgb.shape[0], rgb.shape[1]
        self.size = even(*self.plate, SHORT if max(self.plate) > LONG and _filled(matte) > LARGE else LONG)
        self.hold, self.detail = hold, detail
        self._every_second = ((np.arange(self.size[0])[:, None] + np.arange(self.size[1])) % 2).astype(np.uint8)
        self._flow, self._ahead = Flow(), Flow()
        self.at = self.observe(rgb)
        lab = self.at.lab
        u = self._begin(matte, 0)
        self._recent = ColourMemory(self.size, cells=12, reach=1, bins=12)
        # touched frames alone, for the rough place and for anywhere: never fed with what was followed
        self._touched = [ColourMemory(self.size, cells=4, reach=1, bins=16), ColourMemory(self.size, bins=20)]
        self._teach([self._recent, *self._touched], lab, u, 1.0)
        self._plausibility = PlausibilityCheck(u, lab)
        self._several = False
        self._correction: OddsCorrection | None = None

    def learn(self, lessons: Sequence[Lesson]) -> None:
        """Corrects the network's odds from here on by what touched frames of the clip taught (see adaptation.py)."""
        self._correction = OddsCorrection(lessons) if lessons else None

    def examine(self, observed: Observation, after: Observation | None, matte: F32) -> Lesson:
        """What a touched frame teaches, where the next step would have led to it. No step can follow.

        observed, after: as for `decide`. matte: the touched frame's, (H, W) float32 at plate size.
        """
        stack = self._gathered(observed, after)[2]
        u = shrink(matte, self.size).astype(np.float32)
        return lesson(*reasoned(stack, self._several), u[stack.inside])

    def observe(self, rgb: U8, before: Observation | None = None) -> Observation:
        """What a picture shows by itself; needs no matte of the frame before.

        Safe to call in another thread while a step is under way. before: the frame that the step comes from, whose
        flow to this one is found, too.
        """
        work = np.ascontiguousarray(shrink(rgb, self.size))
        grey = cv2.cvtColor(work, cv2.COLOR_RGB2GRAY)
        lab = to_lab(work)
        half = halved(lab)
        motion = None if before is None else self._ahead.both_ways(grey, before.grey)
        return Observation(rgb, work, lab, half, grey, lights(work), motion)

    def _begin(self, matte: F32, age: int) -> F32:
        """Starts all that is remembered anew from the current frame. Returns its matte at working size.

        matte: (H, W) float32 at plate size. age: how many frames ago an artist's matte was.
        """
        u = shrink(matte, self.size).astype(np.float32)
        small = halved(u)
        self._u, self._age = u, age
        self._key_light, self._key_grey = self.at.light, self.at.grey
        self._key_u, self._key_flow = u, np.zeros((*self.size, 2), np.float32)
        self._key_error = np.zeros(self.size, np.float32)
        self._background_detail, self._subject_light = (
            BackgroundDetail(self.at.lights, u),
            SubjectLight(self.at.lights, u),
        )
        self._expected, self._background = Expected(small), Background(self.at.half, small)
        self._own = Appearance(self.at.half, small)
        return u

    def _teach(self, memories: list[ColourMemory], lab: U8, u: F32, weight: float) -> None:
        """Adds the colours on both sides of the outline to colour models; not the outline's own, which are mixed."""
        sure_in = cv2.erode((u > 0.8).astype(np.uint8), np.ones((3, 3), np.uint8))
        sure_out = cv2.erode((u < 0.2).astype(np.uint8), np.ones((3, 3), np.uint8))
        # thin limbs vanish under erosion; half a sample is better than none
        inside = (np.where(sure_in > 0, 1.0, 0.4 * (u > 0.8)) * weight).astype(np.float32)
        # of the plenty around the subject every second pixel says as much
        outside = (sure_out * self._every_second * (2 * weight)).astype(np.float32)
        for memory in memories:
            memory.add(lab, inside, outside)

    def remember(self, rgb: U8, matte: F32) -> None:
        """Takes another touched frame's colours into account, and the background that is hidden on this one.

        rgb, matte: as for the constructor.
        """
        observed, u = self.observe(rgb), shrink(matte, self.size).astype(np.float32)
        self._several = True
        self._teach(self._touched, observed.lab, u, 1.0)
        self.borrow(_shown(observed, u))

    def survey(self, rgb: U8, matte: F32) -> None:
        """Takes from any other frame the background that is hidden on this one. rgb, matte: as for `remember`."""
        self.borrow(_shown(self.observe(rgb), shrink(matte, self.size).astype(np.float32)))

    def backgrounds(self) -> BackgroundModels:
        """A copy of the background as it is known by now, which another follower may borrow."""
        return BackgroundModels(self.at.grey, deepcopy(self._background), deepcopy(self._background_detail))

    def borrow(self, models: BackgroundModels) -> None:
        """Takes over another one's background where the subject hides it on the current frame.

        Does nothing where the other one worked at another size.
        """
        if models.grey.shape != self.size:
            return
        small = halved(self._u)
        flow, flow_error = halved_motion(*self._flow.between(self.at.grey, models.grey))
        fit = fitted(flow, ((small < 0.1) * np.exp(-flow_error)).astype(np.float32), 1.0)
        takes = self._background.borrow(models.background, fit, small)
        takes = cv2.resize(takes.astype(np.uint8), self.size[::-1], interpolation=cv2.INTER_NEAREST) > 0
        self._background_detail.borrow(models.detail, at_size(fit, 2), takes)

    def restart(self, rgb: U8, matte: F32) -> None:
        """Goes on from another frame than the touched one, whose colours and background stay known.

        rgb, matte: that frame's, as for the constructor.
        """
        touched = self.backgrounds()
        self.at = self.observe(rgb)
        u = self._begin(matte, LATER)
        self._plausibility.restart(u)
        self._teach([self._recent], self.at.lab, u, 1.0)
        self.borrow(touched)

    def step(self, rgb: U8, anew: bool = True) -> Followed:
        """The next frame's matte. A lost subject is an empty matte with doubt 1; nothing is raised.

        rgb: (H, W, 3) uint8 sRGB. anew: whether the outline is decided anew; else it stays as the flow carried it.
        """
        return self.finish(self.decide(self.observe(rgb, self.at), anew=anew))

    def decide(
        self,
        observed: Observation,
        after: Observation | None = None,
        anew: bool = True,
        reverse: ReversePass | None = None,
    ) -> Decision:
        """The outline of the next frame at working size. After it the step to the frame after may begin.

        Parameters
        ----------
        observed
            The next frame, observed from the current one.
        after
            The frame after that, observed from `observed`, where there is one: its flow tells what moves.
        anew
            Whether the outline is decided by the network; else it stays as the flow carried it.
        reverse
            What following back from the next touched frame made of this one, at plate size, where it has been here.
        """
        if reverse is not None:
            reverse = replace(reverse, matte=shrink(reverse.matte, self.size).astype(np.float32))
        flow_error, shape, stack = self._gathered(observed, after, anew, reverse)
        u = shape
        if anew:
            carried = shape if reverse is None else np.maximum(shape, reverse.matte)
            u = decided(carried, stack, self._several, self.hold, self._correction)
        self._recent.fade(0.75)
        self._teach([self._recent], observed.lab, u, 0.4)
        small = halved(u)
        self._expected.update(small)
        self._background.update(observed.half, small)
        self._own.update(observed.half, small)
        self.stack = stack
        self.at, self._u = observed, u
        behind = self._background_detail.behind(observed.lights, u)
        self._background_detail.learn(observed.lights, u)
        self._subject_light = SubjectLight(observed.lights, u)
        return Decision(observed, shape, u, stack, flow_error, behind)

    def _gathered(
        self, observed: Observation, after: Observation | None, anew: bool = True, reverse: ReversePass | None = None
    ) -> tuple[F32, F32, Stack]:
        """The flow's forward-backward error, the matte as the flow carried it, and the evidence for the network.

        Parameters as of `decide`, but `reverse` at working size.
        """
        grey = observed.grey
        if anew:
            flow, flow_error = self._flow.between(grey, self.at.grey, self._u, observed.motion)
        else:  # whatever the picture says: smooth motion holds out where that is little
            flow, flow_error = Flow(SMOOTH).between(grey, self.at.grey)
        found = self._carried(grey, flow, flow_error)
        shape = found.matte + found.faith * (found.along - found.matte)
        return (
            flow_error,
            shape,
            self._evidence(observed, found, Lookahead(None if after is None else after.onward, reverse)),
        )

    def finish(self, decision: Decision) -> Followed:
        """A decided frame's matte at plate size, its doubt, and the halt if that is too large.

        To be called once for each frame, in their order. Safe in another thread while the next step is under way.
        """
        observed = decision.observed
        factors, blame = self._plausibility.assess(
            decision.shape, decision.u, observed.lab, decision.flow_error, decision.stack
        )
        self.factors = factors
        doubt = factors.doubt()
        halt = None
        if doubt > HALT:
            reason = factors.reason()
            halt = Halt(reason, advice(reason), *worst_place(blame, self.plate))
        return Followed(self._edged(decision), doubt, halt)

    def _edged(self, decision: Decision) -> F32:
        """The matte at plate size, its soft edges by the picture and by the place behind them."""
        matte = soften(decision.u, decision.observed.rgb, self.detail, small=decision.observed.small, trust=TRUST)
        if decision.behind is None or self.detail <= 0:
            return matte
        # an area's mean takes long, and tells more only where many pixels become one
        way = cv2.INTER_AREA if matte.shape[1] > 2 * self.size[1] else cv2.INTER_LINEAR
        lacks = decision.behind.lacks(cv2.resize(matte, self.size[::-1], interpolation=way))
        lacks = cv2.resize(lacks, matte.shape[::-1], interpolation=cv2.INTER_LINEAR)
        return np.clip(cv2.scaleAdd(lacks, self.detail, matte), 0, 1)

    def _carried(self, grey: U8, flow: F32, flow_error: F32) -> Carried:
        """What the flow brings from the frame before, and the chained flow from the touched frame."""
        here = Warp(flow)
        planes = here.of(np.dstack([self._u, self._key_error, self._key_flow]))
        carried, self._key_error = np.ascontiguousarray(planes[..., 0]), np.maximum(planes[..., 1], flow_error)
        self._key_flow, self._age = flow + planes[..., 2:], self._age + 1
        if self._age > 1:
            self._key_flow = self._flow.drawn(grey, self._key_grey, self._key_flow, carried)
        touched = Warp(self._key_flow)
        along = touched.of(self._key_u)
        # the touched frame's own matte counts where its chain of motion never broke
        faith = (np.exp(-np.square(self._key_error / 1.5)) * 0.5).astype(np.float32)
        light, first_light = here.of(self.at.light), touched.of(self._key_light)
        residual = cv2.absdiff(grey, here.of(self.at.grey)).astype(np.float32)
        return Carried(flow, flow_error, carried, along, light, first_light, faith, residual, self._age)

    def _evidence(self, observed: Observation, carried: Carried, lookahead: Lookahead) -> Stack:
        """The evidence for the network, within the box where the subject may be."""
        shape = halved(carried.matte)
        flow, calm = carried.small[0], carried.calm
        self._expected.move(flow, calm, shape)
        self._background.move(flow, calm, shape)
        self._own.move(flow, calm)
        self._background_detail.move(at_size(self._background.camera, 2))
        found = None if lookahead.reverse is None else halved(lookahead.reverse.matte)
        box = area_of_interest(shape, self._expected.plane, found)
        own = self._own.planes(observed.half, shape)
        background = self._background.planes(observed.half, shape, self._own.alike, self._own.unlike)
        big = doubled(box)
        contrast = self._background_detail.contrast(
            observed.lights, carried.matte, big, self._subject_light.carried_on(carried.flow)
        )
        memories = [self._recent, *self._touched]
        prior = PriorKnowledge(memories, self._expected, [*background, *own], contrast, self._u[big])
        return stacked(carried, observed.lab, observed.half, shape, box, prior, lookahead)
