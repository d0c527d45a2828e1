"""The background behind the subject, pixel by pixel, as earlier frames showed it.

Where the subject had not been yet, earlier frames show what lies behind its outline now. A difference from that tells
where the outline runs, and the mix of the two lights how much of a pixel the subject covers (`keys/known_background`).
All of it is at working size, in linear light, and moves with the camera. Its kernels do not share their rows out among
cores: the follower's threads keep all cores busy, and waiting for a free one took longer.
"""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np

from cuvrel.core.arrays import F32, Mask
from cuvrel.core.follow.point_memory import clear
from cuvrel.core.imaging.region import Box, bounds
from cuvrel.core.imaging.row_kernels import kernel
from cuvrel.core.keys.known_background import CELL, lacking
from cuvrel.core.motion.background_difference import moved
from cuvrel.core.motion.flow import Warp

RISK = np.float32(16)  # weight of how far the place differs from what was remembered of it, about a point:
AROUND = 4.0  # pixels, as a standard deviation,
LEAST = 0.05  # and the share of the points about it that must show the place
SURELY, UNKNOWN = 0.9, 0.1  # how far a point must be known, and how far one is that is not
FEW = 8  # a point of so many along rows and columns tells of the light
OTHERWISE = 10.0  # the inverse of a difference of light's root that is none of the place's
NEAR = 24  # pixels about the subject in which its edges are looked at
LENT = 0.95  # how far what another follower knew is known here: a little less than what was seen
LEARNED = 0.4  # how fast a place is learned anew
WHOLE = 0.8  # coverage from which a point shows the subject's own light,
WITHIN = 2.5  # cells about a point in which that is looked for, as a standard deviation,
SEEN = np.float32(0.02)  # and the share of them that must show it
VARIED, FAINT = np.float32(4), np.float32(2e-4)  # weight of that light's spread, and the square of no difference
# light, red against green and yellow against blue, of a difference of light's root, for planes of -1 to 1
OPPONENT = 2.5 * np.array([[1 / 3, 1 / 3, 1 / 3], [0.7, -0.7, 0], [0.4, 0.4, -0.8]], np.float32)
CLEAR = 0.1  # coverage below which a point, and all about it, shows the place


@kernel
def _learn(shown: F32, clear: Mask, light: F32, known: F32) -> None:
    """Blends a frame, (h, w, 3), into the background where it is clear of the subject, (h, w).

    At once where nothing was known, else at the rate LEARNED. known: (h, w), set to 1 there.
    """
    for y in range(clear.shape[0]):
        for x in range(clear.shape[1]):
            if clear[y, x]:
                speed = np.float32(LEARNED) if known[y, x] > np.float32(0.5) else np.float32(1)
                for k in range(3):
                    light[y, x, k] += speed * (shown[y, x, k] - light[y, x, k])
                known[y, x] = 1


class SubjectLight:
    """The subject's own light: its local mean and spread, in cells of CELL pixels.

    light: a frame in linear light, (h, w, 3) float32. matte: its matte, (h, w) float32.
    """

    def __init__(self, light: F32, matte: F32) -> None:
        self._sums = np.zeros((-(-matte.shape[0] // CELL), -(-matte.shape[1] // CELL), 5), np.float32)
        _sums(light, np.zeros_like(light), (matte > WHOLE).astype(np.float32), self._sums)

    def carried_on(self, flow: F32) -> F32:
        """The light around each cell of the next frame, (h', w', 5): mean (3), variance, and how surely it is known.

        flow: from the next frame to this one, (h, w, 2) float32 in pixels.
        """
        few = cv2.resize(flow, self._sums.shape[1::-1], interpolation=cv2.INTER_NEAREST)
        here = Warp(few / np.float32(CELL))
        sums = np.dstack([here.of(self._sums[..., :3]), here.of(self._sums[..., 3:])])
        sums = cv2.GaussianBlur(sums, (0, 0), WITHIN)
        mean = sums[..., :3] / (sums[..., 4:] + np.float32(1e-6))
        spread = np.maximum(sums[..., 3] / (sums[..., 4] + np.float32(1e-6)) - np.square(mean).sum(axis=2), 0)
        return np.dstack([mean, spread, np.minimum(sums[..., 4] / SEEN, 1)])


@dataclass(frozen=True)
class BackgroundContrast:
    """How a part of a frame differs from the background; planes of about -1 to 1, (h, w) float32."""

    away: F32
    """How large the difference is, 0 to 1."""
    signed: list[F32]
    """By how much the frame is lighter, redder and yellower."""
    known: F32
    """Where the background is known."""
    share: F32
    """How much of each pixel's light is the subject's own: -1 for none, 1 for all."""


@dataclass(frozen=True)
class OutlineBackground:
    """A frame around its subject, and the background there."""

    box: Box
    """Where that is."""
    light: F32
    """The frame's linear light, (h, w, 3) float32."""
    behind: F32
    """The background's."""
    known: F32
    """How far that is known, (h, w), 0 to 1."""

    def lacks(self, matte: F32) -> F32:
        """What to add to a matte at its soft edges, (H, W) float32, -1 to 1. matte: all of the frame's, (H, W)."""
        out, part = np.zeros(matte.shape, np.float32), np.ascontiguousarray(matte[self.box])
        cells = _changed(self.light, self.behind, self.known * clear(part, CLEAR))
        # a point that a moving camera brought from the border of what is known is none
        sure = (self.known > SURELY).astype(np.float32)
        out[self.box] = lacking(self.light, self.behind, part, known=sure, cells=cells)
        return out


class BackgroundDetail:
    """The known background: linear light, (h, w, 3) float32, and how far each pixel is known, (h, w), 0 to 1.

    light: of the touched frame, as `known_background.lights` gives it. matte: that frame's, (h, w) float32.
    """

    def __init__(self, light: F32, matte: F32) -> None:
        self._light = light.copy()
        self._known = clear(matte, CLEAR).astype(np.float32)

    def move(self, fit: F32) -> None:
        """To the next frame, with the camera. fit: motion from it to the frame before, (2, 3) of `fit.fitted`."""
        self._light, self._known = moved(self._light, self._known, fit)

    def contrast(self, light: F32, shape: F32, box: Box, body: F32) -> BackgroundContrast:
        """How a frame differs from what is known, in a box of it; all 0 where nothing is known.

        light: of all of the frame. shape: the carried matte, (h, w) float32. body: as `SubjectLight.carried_on` of it.
        """
        # light that grows or fades all over is no difference
        drift = _drift(light, self._light, self._known * (shape < CLEAR))
        # as the eye counts light: by its root
        known, root = self._known[box], cv2.sqrt(self._light[box]) + drift
        difference = (cv2.sqrt(light[box]) - root) * known[..., None]
        away = cv2.sqrt(cv2.transform(cv2.multiply(difference, difference), np.ones((1, 3), np.float32)))
        signed = np.clip(cv2.transform(difference, OPPONENT), -1, 1)
        own = cv2.resize(body, (CELL * body.shape[1], CELL * body.shape[0]), interpolation=cv2.INTER_LINEAR)
        share = np.empty(known.shape, np.float32)
        _share(light[box], root, own[box], known, share)
        return BackgroundContrast(np.tanh(away * np.float32(OTHERWISE)), list(cv2.split(signed)), known * 2 - 1, share)

    def borrow(self, other: BackgroundDetail, fit: F32, takes: Mask) -> None:
        """Takes over what another background surely knows where this one knows nothing.

        fit: the camera's motion from this one's frame to the other's, (2, 3). takes: (h, w), where it may be taken.
        """
        light, known = moved(other._light, other._known, fit)
        drift = _drift(self._light, light, self._known * known)
        takes = takes & (known > SURELY) & (self._known < UNKNOWN)
        self._light[takes] = np.square(np.maximum(np.sqrt(light[takes]) + drift, 0))
        self._known[takes] = LENT

    def behind(self, light: F32, matte: F32) -> OutlineBackground | None:
        """What lies about a matte's outline, (h, w) float32, before it is learned; None where there is no matte."""
        box = bounds(matte > 0.5, NEAR)
        return (
            None
            if box is None
            else OutlineBackground(box, *(one[box].copy() for one in (light, self._light, self._known)))
        )

    def learn(self, light: F32, matte: F32) -> None:
        """Takes in what a frame shows of the place. matte: (h, w) float32."""
        _learn(light, clear(matte, CLEAR), self._light, self._known)


@kernel
def _share(light: F32, root: F32, own: F32, known: F32, out: F32) -> None:
    """How far from the place's light, given by its root, to the subject's own each point is, -1 to 1 by trust."""
    for y in range(out.shape[0]):
        for x in range(out.shape[1]):
            mixed, far = np.float32(0), np.float32(0)
            for k in range(3):
                behind = root[y, x, k] * abs(root[y, x, k])
                most = own[y, x, k] - behind
                mixed += (light[y, x, k] - behind) * most
                far += most * most
            share = min(max(mixed / (far + np.float32(1e-6)), np.float32(0)), np.float32(1))
            trust = far / (far + VARIED * own[y, x, 3] + FAINT)
            out[y, x] = (2 * share - 1) * trust * own[y, x, 4] * known[y, x]


def _drift(light: F32, other: F32, free: F32) -> F32:
    """How far one light's root is above another's all over, (3,). free: (h, w), 0 to 1, where both show the place."""
    few = free[::FEW, ::FEW] > SURELY
    more = np.sqrt(light[::FEW, ::FEW][few]) - np.sqrt(other[::FEW, ::FEW][few])
    return np.median(more, axis=0).astype(np.float32) if len(more) > 40 else np.zeros(3, np.float32)


@kernel
def _sums(light: F32, behind: F32, free: F32, sums: F32) -> None:
    """Of each cell of CELL pixels how much of it is free, how it differs there, and that squared: (h', w', 5)."""
    h, w = free.shape
    part = np.float32(1 / (CELL * CELL))
    for n in range(len(sums)):
        for y in range(n * CELL, min(h, n * CELL + CELL)):
            for x in range(w):
                share = free[y, x] * part
                if share > 0:
                    to = sums[n, x // CELL]
                    for k in range(3):
                        more = light[y, x, k] - behind[y, x, k]
                        to[k] += share * more
                        to[3] += share * more * more
                    to[4] += share


def _changed(light: F32, behind: F32, free: F32) -> F32:
    """How the free places about each cell differ from what was remembered, as `known_background.lacking` reads it."""
    h, w = free.shape
    sums = np.zeros((-(-h // CELL), -(-w // CELL), 5), np.float32)
    _sums(light, behind, free, sums)
    sums = cv2.GaussianBlur(sums, (0, 0), AROUND / CELL)
    weight = sums[..., 4:] + np.float32(1e-3)
    drift = sums[..., :3] / weight
    spread = np.maximum(sums[..., 3:4] / weight - np.square(drift).sum(axis=2, keepdims=True), 0)
    return np.concatenate([drift, RISK * spread, np.clip(sums[..., 4:] / np.float32(LEAST), 0, 1)], axis=2)
