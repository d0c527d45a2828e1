"""The follower: one frame after another, from a touched frame outwards.

On each frame the last matte is carried over by dense motion, both from the frame before and along the
chained motion from the touched frame; colours remembered from the touched frame and the recent ones
vote, each for its place in the picture; and the outline is decided anew in a band about the carried one
by the same convex solve that the trace uses. After Bai et al., Video SnapCut (SIGGRAPH 2009) for the
local colour evidence weighed by its own confidence, and Märki et al., Bilateral Space Video
Segmentation (CVPR 2016) for the memory.
"""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from cuvrel.core.follow.doubt import HALT, Evidence, advice, worst_place
from cuvrel.core.follow.evidence import Carried, Expected, area_of_interest, half_planes, halved, stacked
from cuvrel.core.follow.flow import Flow, chain, sample
from cuvrel.core.media.box import Box, bounds
from cuvrel.core.pulls.memory import ColourMemory, to_lab
from cuvrel.core.pulls.relax import edge_weights, relax
from cuvrel.core.pulls.soften import soften
from cuvrel.core.pulls.trace import SURE, shrink

F32 = NDArray[np.float32]
U8 = NDArray[np.uint8]
LONG = 640  # the longer side at which motion is found and the outline decided


@dataclass(frozen=True)
class Halt:
    """Why and where following stopped trusting itself; the place in plate pixels."""

    reason: str
    advice: str
    x: float
    y: float
    radius: float


@dataclass(frozen=True)
class Followed:
    """One carried frame: (H, W) float32 matte at plate size, doubt 0 to 1, and the halt if any."""

    matte: F32
    doubt: float
    halt: Halt | None


class Follower:
    """Carries one matte in one direction. Make a new one at each touched frame.

    rgb, matte: the touched frame's picture, (H, W, 3) uint8 sRGB, and matte, (H, W) float32.
    hold: 0 to 1, how strongly the carried shape counts against colours. detail: as for the trace.
    """

    def __init__(self, rgb: U8, matte: F32, hold: float = 0.35, snap: float = 0.7, detail: float = 1.0) -> None:
        h, w = rgb.shape[:2]
        ratio = min(1.0, LONG / max(h, w))
        self.plate = (h, w)
        # even, since the network looks at every second pixel
        self.size = (max(2, round(h * ratio / 2) * 2), max(2, round(w * ratio / 2) * 2))
        self.hold, self.snap, self.detail = hold, snap, detail
        self._flow = Flow()
        _work, lab, grey = self._look(rgb)
        u = shrink(matte, self.size).astype(np.float32)
        self._grey, self._u = grey, u
        self._key_u, self._key_flow = u, np.zeros((*self.size, 2), np.float32)
        self._key_fault = np.zeros(self.size, np.float32)
        self._recent = ColourMemory(self.size, cells=12, reach=1, bins=12)
        # the touched frame alone, for the rough place and for anywhere: never fed with what was followed
        self._touched = [ColourMemory(self.size, cells=4, reach=1, bins=16), ColourMemory(self.size, bins=20)]
        self._teach([self._recent, *self._touched], lab, u, 1.0)
        self._expected = Expected(u)
        self._areas = [float((u > 0.5).sum())]
        self._looks = self._look_of(u, lab)
        # colours that were alike where the artist drew the outline are no news on later frames
        rim = self._rim(u)
        odds, _ = self._colour(lab, rim.astype(np.uint8))
        self._alike = float(self._alike_at(rim, odds).sum()) / max(1.0, float(rim.sum()))

    def _look(self, rgb: U8) -> tuple[U8, U8, U8]:
        work = np.ascontiguousarray(shrink(rgb, self.size))
        return work, to_lab(work), cv2.cvtColor(work, cv2.COLOR_RGB2GRAY)

    def _teach(self, memories: list[ColourMemory], lab: U8, u: F32, weight: float) -> None:
        """Remembers the colours on both sides, leaving out the outline itself, which is mixed."""
        sure_in = cv2.erode((u > 0.8).astype(np.uint8), np.ones((3, 3), np.uint8))
        sure_out = cv2.erode((u < 0.2).astype(np.uint8), np.ones((3, 3), np.uint8))
        # thin limbs vanish under erosion; half a sample is better than none
        inside = (np.where(sure_in > 0, 1.0, 0.4 * (u > 0.8)) * weight).astype(np.float32)
        outside = (sure_out * weight).astype(np.float32)
        for memory in memories:
            memory.add(lab, inside, outside)

    def take_up(self, rgb: U8, matte: F32) -> None:
        """Goes on from another frame than the touched one, whose colours stay remembered."""
        _, lab, grey = self._look(rgb)
        u = shrink(matte, self.size).astype(np.float32)
        self._grey, self._u = grey, u
        self._key_u, self._key_flow = u, np.zeros((*self.size, 2), np.float32)
        self._key_fault = np.zeros(self.size, np.float32)
        self._teach([self._recent], lab, u, 1.0)
        self._expected = Expected(u)
        self._areas = [float((u > 0.5).sum())]

    def step(self, rgb: U8, decide: bool = True) -> Followed:
        """The next frame. Raises nothing: a lost subject is an empty matte with doubt 1.

        decide: whether the outline is decided anew; if not, it stays as motion carried it.
        """
        _work, lab, grey = self._look(rgb)
        flow, fault = self._flow.between(grey, self._grey, self._u)
        carried = sample(self._u, flow)
        self._key_fault = np.maximum(sample(self._key_fault, flow), fault)
        self._key_flow = chain(flow, self._key_flow)
        along = sample(self._key_u, self._key_flow)
        # the touched frame's own matte counts where its chain of motion never broke
        faith = (np.exp(-np.square(self._key_fault / 1.5)) * 0.5).astype(np.float32)
        shape = carried + faith * (along - carried)

        box, stack = self._evidence(grey, lab, flow, fault, carried, along, faith)
        self.seen = box, stack
        band, distance = self._band(lab, shape, fault)
        u, odds, trust = self._decide(lab, shape, band, distance, fault)
        u = self._clean(u, shape, odds)
        self._recent.fade(0.75)
        self._teach([self._recent], lab, u, 0.4)
        self._expected.settle(u)
        evidence, blame = self._judge(shape, u, odds, trust, band, fault, lab)
        self._grey, self._u = grey, u
        doubt = evidence.doubt()
        halt = None
        if doubt > HALT:
            reason = evidence.reason()
            halt = Halt(reason, advice(reason), *worst_place(blame, self.plate))
        return Followed(soften(u, rgb, self.detail), doubt, halt)

    def _evidence(
        self, grey: U8, lab: U8, flow: F32, fault: F32, carried: F32, along: F32, faith: F32
    ) -> tuple[Box, F32]:
        """The network's box, at half size, and its planes there."""
        there = sample(self._grey, flow)
        residual = np.abs(grey.astype(np.float32) - there)
        seen = Carried(flow, fault, carried, along, faith, residual)
        shape = halved(carried)
        self._expected.move(np.ascontiguousarray(flow[::2, ::2]) * np.float32(0.5), halved(fault), shape)
        box = area_of_interest(shape, self._expected.plane)
        half = half_planes(seen, halved(lab), [self._recent, *self._touched], self._expected, shape, box)
        return box, stacked(lab, [carried, along], half, box)

    def _band(self, lab: U8, shape: F32, fault: F32) -> tuple[U8, F32]:
        """Where the outline may be, and the signed distance to the carried one (positive inside)."""
        hard = (shape > 0.5).astype(np.uint8)
        inner = cv2.distanceTransform(hard, cv2.DIST_L2, 5)
        outer = cv2.distanceTransform(1 - hard, cv2.DIST_L2, 5)
        distance = inner - outer
        # wider where the motion could not be followed
        unsure = cv2.GaussianBlur(np.minimum(fault, 8.0), (0, 0), 5)
        width = 8.0 + 2.2 * unsure
        band = (np.abs(distance) < width).astype(np.uint8)
        # colours that were only ever the subject's are looked for further out: what was lost comes back
        near = ((distance > -48) & (distance <= 0) & (band == 0)).astype(np.uint8)
        own, trust = self._touched[1].odds(lab, near, balance=0.0)
        band |= (own * trust > 1.2).astype(np.uint8)
        return band, distance

    def _decide(self, lab: U8, shape: F32, band: U8, distance: F32, fault: F32) -> tuple[F32, F32, F32]:
        odds, trust = np.zeros(self.size, np.float32), np.zeros(self.size, np.float32)
        box = bounds(band, 3)
        if box is None:
            return shape.copy(), odds, trust
        odds, trust = self._colour(lab, band)
        # the carried shape as odds: sure far from its outline, less so where the motion was torn
        slack = 2.2 + 1.2 * np.minimum(cv2.GaussianBlur(fault, (0, 0), 2), 6)
        held = (1.0 + 3.0 * self.hold) * np.tanh(distance / slack) + 1.2 * (shape - 0.5)
        held = np.where(distance < -2.5 * slack - 6, np.maximum(held, -0.7), held)
        r = np.where(band > 0, -np.clip(0.85 * odds + held, -7, 7), np.where(distance > 0, -SURE, SURE))
        wx, wy = edge_weights(lab[box].astype(np.float32), 0.7 + 1.8 * self.snap)
        u = shape.copy()
        u[box] = relax(np.clip(shape[box], 0, 1), r[box].astype(np.float32), wx, wy, 45)
        return u, odds, trust

    def _colour(self, lab: U8, where: U8) -> tuple[F32, F32]:
        """What all memories say: log odds of being subject, and trust, (H, W) float32 each."""
        here, trust = self._recent.odds(lab, where, balance=0.3)
        odds = 0.5 * np.clip(here, -5, 5) * trust
        for memory, weight in zip(self._touched, (0.25, 0.25), strict=True):
            # far more was seen around the subject than of it: as many of both, or it would shrink in the dark
            wide, trust_wide = memory.odds(lab, where, balance=0.5)
            odds += weight * np.clip(wide, -5, 5) * trust_wide
            trust = np.maximum(trust, trust_wide)
        return odds, trust

    def _rim(self, u: F32) -> NDArray[np.bool_]:
        """The pixels along the outline."""
        return np.abs(u - cv2.blur(u, (5, 5))) > 0.05

    def _alike_at(self, rim: NDArray[np.bool_], odds: F32) -> F32:
        """How little the colours tell along the outline, 0 to 1 a pixel."""
        return np.asarray(rim * np.exp(-np.abs(odds) * 1.4), np.float32)

    def _clean(self, u: F32, shape: F32, odds: F32) -> F32:
        """Drops parts that the carried shape does not reach and fills specks that it did not have."""
        hard = (u > 0.5).astype(np.uint8)
        count, labels, stats, _ = cv2.connectedComponentsWithStats(hard, connectivity=8)
        if count <= 2:
            return u
        least = max(6.0, 0.002 * float(hard.sum()))
        overlap = np.bincount(labels.ravel(), weights=(shape > 0.5).ravel(), minlength=count)
        area = stats[:, cv2.CC_STAT_AREA]
        own = np.bincount(labels.ravel(), weights=odds.ravel(), minlength=count) / area
        drop = (area < least) | ((overlap < 0.25 * area) & (own < 1.5))
        drop[0] = False
        return np.where(drop[labels], np.minimum(u, 0.1), u).astype(np.float32)

    def _look_of(self, u: F32, lab: U8) -> NDArray:
        """The subject's colours as a coarse normalised histogram."""
        mask = (u > 0.5).astype(np.uint8)
        found = cv2.calcHist([lab], [0, 1, 2], mask, [8, 12, 12], [0, 256, 68, 188, 68, 188])
        return found.ravel() / max(1.0, float(found.sum()))

    def _judge(self, shape: F32, u: F32, odds: F32, trust: F32, band: U8, fault: F32, lab: U8) -> tuple[Evidence, F32]:
        area = float((u > 0.5).sum())
        if area < 12:
            return Evidence(1, 1, 1, -9, 1, True), np.abs(shape)
        edge = self._rim(u)
        rim = np.maximum(1.0, float(edge.sum()))
        # a pixel along the outline is the motion's own error; a jump is thicker
        differs = (((u > 0.5) != (shape > 0.5)) & (band > 0)).astype(np.uint8)
        moved = cv2.dilate(cv2.erode(differs, np.ones((2, 2), np.uint8)), np.ones((2, 2), np.uint8)).astype(np.float32)
        jump = min(1.5, float(moved.sum()) / rim)
        alike_at = self._alike_at(edge, odds)
        # where colours were alike already on the touched frame, a little more of it says less
        alike = max(0.0, float(alike_at.sum()) / rim - self._alike) / (1 + 12 * self._alike)
        torn_at = edge * np.clip((fault - 1.0) / 2.0, 0, 1)
        torn = float(torn_at.sum()) / rim
        usual = float(np.median(self._areas[-6:]))
        change = float(np.log(max(1.0, area) / max(1.0, usual)))
        self._areas = [*self._areas[-11:], area]
        look = self._look_of(u, lab)
        drift = float(1 - np.sqrt(look * self._looks).sum())
        blame = (moved + 0.5 * alike_at + 0.6 * torn_at).astype(np.float32)
        return Evidence(jump, alike, torn, change, max(0.0, drift - 0.12), False), blame
