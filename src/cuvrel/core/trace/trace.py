"""Trace: the pull that is guided by marks.

Coarse to fine. At a small size, colour odds from the marks, the reach of each mark along paths that do
not cross edges, and the edges themselves go into one convex solve; colours are learned again from its
answer and it is solved once more. A small network weighs all that at twice the small size; on an unmarked
frame it looks twice, the second time with what its first answer says of colours and motion. The outline is
drawn to the picture's edges at plate size.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from functools import cache
from pathlib import Path
from typing import Any

import cv2
import numpy as np

from cuvrel.core.arrays import F32, U8, Mask
from cuvrel.core.imaging.network import Network, quarters
from cuvrel.core.imaging.region import Box, doubled
from cuvrel.core.imaging.relaxed_cut import barrier, geodesic, relax
from cuvrel.core.imaging.row_kernels import at_once
from cuvrel.core.recipe.context import Context
from cuvrel.core.recipe.declared import Params, declare, number, switch
from cuvrel.core.recipe.errors import TraceError
from cuvrel.core.recipe.models import Mark
from cuvrel.core.recipe.needs import Pictures, stored
from cuvrel.core.recipe.values import Scalar
from cuvrel.core.trace.clues import LOOKED, MATTE, NOTHING, QUARTERS, FromMarks, area, nearness, stacked
from cuvrel.core.trace.colour_model import ColourMemory
from cuvrel.core.trace.drag import dragged, only_drags
from cuvrel.core.trace.marks import rasterise
from cuvrel.core.trace.prepared import Prepared, shrink
from cuvrel.core.trace.upsampling import soften

SNAP = 0.7  # snap to edge from which the outline seeks edges as far as it can
NEARBY = 5  # pixels about a mend, at twice the small size, in which its outline may move
SOUGHT = 0.5  # how far a mend's outline moves to edges further off, where one from marks alone goes all the way
TRUST = 0.8  # and how far the picture's edges count beside those that were decided
STRIKE = 0.12  # how much a new mark's reach counts beside what the network says
OPEN = 3.0  # how soon a new mark's reach lets the network decide anew
STAY = 1.0  # log odds by which a pixel is what it was
SURE = 40.0  # log odds of a marked pixel


@cache
def network() -> Network:
    """What weighs the clues; `training/` says how it was made."""
    return Network(Path(__file__).with_name("trace.onnx"))


class TraceParams(Params):
    """What an artist may set on a trace."""

    snap: Scalar = number(0.7, "Snap to edge", 0, 1, animatable=False, hint="how strongly the outline seeks edges")
    detail: Scalar = number(1.0, "Fine detail", 0, 1, animatable=False, hint="soft edges from the picture: hair, blur")
    hold: Scalar = number(
        0.35, "Hold shape", 0, 1, animatable=False, hint="how strongly following keeps the shape it had"
    )
    halt: bool = switch(True, "Halt on doubt", hint="following stops by itself where it stops trusting itself")


def trace(
    rgb: U8 | Prepared, marks: Sequence[Mark], prior: F32 | None = None, snap: float = 0.7, detail: float = 1.0
) -> F32:
    """The matte of one frame from its marks.

    Parameters
    ----------
    rgb
        (H, W, 3) uint8 sRGB, or what `Prepared` made of it.
    marks
        In, out, near and drag marks of this frame, in plate pixels. Drag marks move what the others gave.
    prior
        (H, W) float32, 0 to 1: a matte that the marks mend; far from the marks it stays. None: there is none.
    snap
        0 to 1: how far the outline keeps to the picture's edges.
    detail
        0 to 1: how far soft edges are drawn in by the picture.

    Returns
    -------
    F32
        (H, W), 0 to 1.

    Raises
    ------
    TraceError
        There is neither an in mark nor a prior.
    """
    if prior is not None and only_drags(marks):
        return dragged(prior.astype(np.float32, copy=True), marks)
    ready = rgb if isinstance(rgb, Prepared) else Prepared(rgb, snap)
    plate = ready.sizes.plate

    def masks(size: tuple[int, int]) -> tuple[Mask, Mask]:
        scale = size[1] / plate[1], size[0] / plate[0]
        return rasterise(marks, "in", size, scale), rasterise(marks, "out", size, scale)

    alpha = dragged(solve(ready, *masks(ready.sizes.small), prior, detail), marks)
    in_full, out_full = masks(plate)
    alpha[in_full] = np.maximum(alpha[in_full], 1)
    alpha[out_full] = 0
    return alpha


def solve(ready: Prepared, inside: Mask, outside: Mask, prior: F32 | None, detail: float = 1.0) -> F32:
    """The matte from pixels that are known to be in and out.

    Parameters
    ----------
    ready
        The prepared frame.
    inside, outside
        (h, w) bool at small size. They may be a little wrong: the solve may miss them.
    prior, detail
        As for `trace`.

    Returns
    -------
    F32
        (H, W) at plate size, 0 to 1.

    Raises
    ------
    TraceError
        Nothing is inside, and there is no prior.
    """
    given = clues(ready, inside, outside, prior)
    if prior is None:
        given = again(ready, given, first_look(given))
    return _outlined(ready, weighed(given), prior, detail)


@dataclass(frozen=True)
class Clues:
    """All that is known of a frame before the network weighs it; the stack fills `box` at small size.

    near: as `clues.nearness` of the marks. prior: at small size. open: (h, w) float32, 0 to 1, how far new marks may
    change what was there.
    """

    from_marks: FromMarks
    stack: F32
    box: Box
    inside: Mask
    outside: Mask
    near: list[F32]
    prior: F32 | None
    open: F32 | None


def clues(ready: Prepared, inside: Mask, outside: Mask, prior: F32 | None) -> Clues:
    """Gathers the clues. inside, outside: the marks at small size. prior: at any size. Raises TraceError."""
    before, free = None, None
    if prior is not None:
        before = shrink(prior, ready.sizes.small).astype(np.float32)
        from_marks, free = _mended(ready, inside, outside, before)
    elif inside.any():
        from_marks = _from_marks(ready, inside, outside)
    else:
        raise TraceError("There is no in mark on this frame.", "Draw an in mark on the subject.")
    box = area(from_marks.u, inside)
    state = NOTHING if prior is None else MATTE
    near = nearness(inside, outside)
    stack = stacked(ready.scene, from_marks, inside, near, before, box, state)
    return Clues(from_marks, stack, box, inside, outside, near, before, free)


def first_look(given: Clues) -> F32:
    """A first look, (h, w) float32 at small size, 0 to 1: by the same network, at half of the size it decides at."""
    stack = given.stack
    _, h, w = stack.shape
    half = max(1, w // 2), max(1, h // 2)
    light = [
        cv2.resize(plane, (2 * half[0], 2 * half[1])) for plane in stack[:QUARTERS].reshape(-1, 4, h, w).mean(axis=1)
    ]
    rest = np.stack([cv2.resize(plane, half, interpolation=cv2.INTER_AREA) for plane in stack[QUARTERS:]])
    odds = network().odds(np.concatenate([quarters(light), rest]))
    u = np.minimum(given.from_marks.u, 0.3)
    u[given.box] = 1 / (1 + np.exp(-cv2.resize(odds, (w, h), interpolation=cv2.INTER_LINEAR)))
    return u


def again(ready: Prepared, given: Clues, found: F32) -> Clues:
    """The clues once more, by what a first look makes of colours and motion. found: its answer, (h, w) float32."""
    from_marks, inside, outside = given.from_marks, given.inside, given.outside
    # what the first look is unsure of teaches nothing
    here, away = (np.clip(way * (found - np.float32(0.5)) * 2.5, 0, 1) for way in (1, -1))
    odds, own = at_once(
        lambda: _once_more(ready.lab_small, here + 8 * inside, away + 8 * outside, from_marks.reach),
        lambda: owned(ready.lab_small, inside | (found > 0.5)),
    )
    from_marks = replace(from_marks, odds=odds, own=own)
    box = area(np.maximum(found, from_marks.u), inside)
    stack = stacked(ready.scene, from_marks, inside, given.near, found, box, LOOKED)
    return replace(given, from_marks=from_marks, stack=stack, box=box)


def weighed(given: Clues) -> F32:
    """The labelling, (2 h, 2 w) float32, 0 to 1, at twice the small size."""
    h, w = given.from_marks.u.shape
    twice = (2 * w, 2 * h)
    u = cv2.resize(np.minimum(given.from_marks.u, 0.3), twice, interpolation=cv2.INTER_LINEAR)
    box = doubled(given.box)
    odds = network().odds(given.stack)
    inside, outside = (
        cv2.resize(marked.astype(np.uint8), twice, interpolation=cv2.INTER_NEAREST) > 0
        for marked in (given.inside, given.outside)
    )
    if given.prior is None:
        u[box] = 1 / (1 + np.exp(-odds))
        # what passes before a subject parts it by a few pixels; what lies further off is another thing
        grown = cv2.dilate((u > 0.5).astype(np.uint8), np.ones((9, 9), np.uint8)) > 0
        return np.where(_reached(grown, inside), u, 0).astype(np.float32)
    assert given.open is not None
    before = cv2.resize(given.prior, twice, interpolation=cv2.INTER_LINEAR)
    # a mark that contradicts what was there is not to be argued away where it reaches
    part = np.ascontiguousarray(given.from_marks.reach[given.box[0], given.box[1]])
    odds += np.float32(STRIKE) * cv2.resize(part, odds.shape[::-1], interpolation=cv2.INTER_LINEAR)
    odds += np.float32(STAY) * np.clip((before[box] - 0.5) * 4, -1, 1)
    u[box] = 1 / (1 + np.exp(-odds))
    free = cv2.resize(np.clip(given.open * OPEN, 0, 1), twice, interpolation=cv2.INTER_LINEAR)
    was, now = before >= 0.5, u > 0.5
    for struck, changed in ((inside & ~was, now & ~was), (outside & was, was & ~now)):
        free = np.maximum(free, of_one_piece(changed, struck))
    return np.asarray(before + free * (u - before), np.float32)


def of_one_piece(changed: Mask, struck: Mask) -> F32:
    """How far each pixel is of a change that hangs together with where it was struck for, (h, w) float32, 0 to 1.

    What is of one piece changes as a whole, however far the mark's own reach goes.
    """
    if not struck.any():
        return np.zeros(changed.shape, np.float32)
    parts = cv2.dilate(_reached(changed, struck).astype(np.float32), np.ones((5, 5), np.uint8))
    return cv2.GaussianBlur(parts, (0, 0), 1)


def _from_marks(ready: Prepared, inside: Mask, outside: Mask) -> FromMarks:
    lab, shape = ready.lab_small, inside.shape
    f, b = inside.astype(np.float32), outside.astype(np.float32)
    # what lies far from all marks, above all the picture's border, is probably not the subject
    frame = np.zeros(shape, bool)
    edge = max(2, shape[0] // 40)
    frame[:edge] = frame[:, :edge] = frame[:, -edge:] = True
    frame[-edge:] = not inside[-edge * 3 :].any()
    near = cv2.dilate(f, np.ones((2 * edge + 1, 2 * edge + 1), np.uint8)) > 0
    frame &= ~near
    weak = frame.astype(np.float32) * (0.1 if outside.any() else 0.5)
    # by length a soft background is near to everything; by span of colour it is of one piece with its marks
    soft = cv2.GaussianBlur(lab, (0, 0), 1.0).astype(np.float32)
    seeds = outside | frame if outside.any() else frame
    here_too, everywhere, from_seeds, from_inside = at_once(
        # a colour seen under a mark vouches for that colour near the mark more than for it elsewhere
        lambda: _taught(ColourMemory(shape, 6, reach=2), lab, f, b + weak, 1.0, 6),
        lambda: _taught(ColourMemory(shape), lab, f, b + weak, 1.0, 6),
        lambda: barrier(seeds, soft),
        lambda: barrier(inside, soft),
    )
    seen = np.float32(0.4) * everywhere + np.float32(0.6) * here_too
    pieces = np.log((from_seeds + 8) / (from_inside + 8))
    # paths that stay in like colours are cheap: steps cost the change of picture and of odds
    edges = 0.3 * ready.slope + 0.4 * np.maximum(_change(seen) - 0.1, 0)
    d_out, d_in, far_in = at_once(
        lambda: geodesic(seeds, 0.03 + edges),
        lambda: geodesic(inside, 0.03 + edges),
        lambda: geodesic(inside, 0.01 + edges),
    )
    d_out = d_out + np.where(outside.any(), 0, 2).astype(np.float32)
    # few marks are drawn along a subject, not across it: what lies far from all in marks needs other proof
    distance = cv2.distanceTransform((~inside).astype(np.uint8), cv2.DIST_L2, 5) / (0.05 * float(np.hypot(*shape)))
    far = 1.3 * np.clip(np.log(np.maximum(distance, 1e-3)), 0, 2.2)
    reach = 0.6 * (2.0 * np.log((d_out + 0.6) / (d_in + 0.6)) - far) + 2.0 * pieces
    r = -np.clip(0.75 * seen + reach, -6, 6)
    # only what hangs together with an in mark without an edge between teaches what the subject looks like
    same = np.exp(-far_in / 3.0).astype(np.float32)
    sure = _pin(r, inside, outside)
    u = relax((r < 0).astype(np.float32), sure, ready.wx, ready.wy, 60)
    hard = _reached(u > 0.5, inside)
    # only what is fairly certain teaches, or an early mistake would prove itself right
    here = (hard * np.clip(-r / 2.5, 0, 1) * same).astype(np.float32)
    away = (~hard * np.clip(r / 2.5, 0, 1)).astype(np.float32)
    r = -_once_more(lab, here + 8 * f, away + 8 * b, reach)
    u = relax(u, _pin(r, inside, outside), ready.wx, ready.wy, 40)
    u = np.where(_reached(u > 0.5, inside), u, np.minimum(u, 0.49)).astype(np.float32)
    return FromMarks(seen, reach.astype(np.float32), -r, u, ready.slope, owned(lab, inside | (u > 0.5)))


def _taught(memory: ColourMemory, lab: U8, subject: F32, other: F32, balance: float, most: float) -> F32:
    """Log odds of every pixel by a memory that these samples taught, as far as they can be trusted."""
    memory.add(lab, subject, other)
    odds, trust = memory.odds(lab, np.ones(lab.shape[:2], np.uint8), balance=balance)
    return np.asarray(np.clip(odds, -most, most) * trust, np.float32)


def _learned(lab: U8, subject: F32, other: F32, nearby: float) -> F32:
    """Log odds by colour anywhere and by colour near its place; nearby: the latter's share."""
    here, anywhere = at_once(
        lambda: _taught(ColourMemory(lab.shape[:2], cells=8, reach=2), lab, subject, other, 0.7, 5),
        lambda: _taught(ColourMemory(lab.shape[:2]), lab, subject, other, 0.7, 5),
    )
    return np.asarray(nearby * here + (1 - nearby) * anywhere, np.float32)


def _once_more(lab: U8, subject: F32, other: F32, reach: F32) -> F32:
    """Log odds, (h, w) float32, -6 to 6, by the colours that an answer taught and by the reach of the marks."""
    return np.asarray(np.clip(1.2 * _learned(lab, subject, other, 0.65) + 0.8 * reach, -6, 6), np.float32)


def owned(lab: U8, subject: Mask) -> F32:
    """Log odds of each colour to be about a subject rather than far from it, (h, w) float32.

    A hem, a cap, hair: what no mark lies on is often in colours that the place has nowhere else.
    """
    size = max(6.0, 0.35 * float(np.sqrt(subject.sum())))
    distance = cv2.distanceTransform((~subject).astype(np.uint8), cv2.DIST_L2, 5)
    about, far = (distance < size).astype(np.float32), (distance > 2 * size).astype(np.float32)
    return _taught(ColourMemory(lab.shape[:2]), lab, about, far, 1.0, 6)


def _change(odds: F32) -> F32:
    return cv2.magnitude(cv2.Sobel(odds, cv2.CV_32F, 1, 0, scale=0.125), cv2.Sobel(odds, cv2.CV_32F, 0, 1, scale=0.125))


def _mended(ready: Prepared, inside: Mask, outside: Mask, prior: F32) -> tuple[FromMarks, F32]:
    """A prior matte after new marks: decided anew within the reach of marks that contradict it.

    Also how far those marks reach, (h, w) float32, 0 to 1.
    """
    lab, shape = ready.lab_small, inside.shape
    was = np.clip((prior - 0.5) * 4, -1, 1)
    wrong_in, wrong_out = inside & (prior < 0.5), outside & (prior >= 0.5)
    learned = _learned(lab, np.maximum(was, 0) + 14 * inside, np.maximum(-was, 0) + 14 * outside, 0.7)
    change = _change(learned)
    cost = 0.08 + 0.16 * ready.slope + 0.4 * change
    keep = np.full(shape, np.float32(1))
    pull = np.zeros(shape, np.float32)
    for seeds, sign in ((wrong_in, 1.0), (wrong_out, -1.0)):
        if not seeds.any():
            continue
        near = np.exp(-geodesic(seeds, cost) / 1.8).astype(np.float32)
        # what agrees with this mark already shields what lies behind it
        keep *= 1 - near
        pull += np.float32(sign * 5) * near
    r = -np.clip(0.5 * learned + 4.5 * keep * was + pull, -7, 7)
    u = relax(np.clip(prior, 0, 1), _pin(r, inside, outside), ready.wx, ready.wy, 60)
    return FromMarks(learned, pull, -r, u, ready.slope, owned(lab, inside | (prior > 0.5))), 1 - keep


def _outlined(ready: Prepared, u: F32, prior: F32 | None, detail: float) -> F32:
    """The labelling as coverage at plate size; where a mend changed nothing the prior stays to the pixel."""
    seek = min(1.0, ready.snap / SNAP)
    if prior is None:
        return soften(u, ready.rgb, detail, seek, ready.twice)
    height, width = ready.sizes.plate
    before = shrink(prior, u.shape).astype(np.float32)
    kernel = cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (2 * NEARBY + 1, 2 * NEARBY + 1))
    moved = cv2.dilate((np.abs(u - before) > 0.5).astype(np.uint8), kernel)
    if not moved.any():
        return prior.astype(np.float32, copy=True)
    labelled = np.where(moved > 0, u, before).astype(np.float32)
    found = soften(labelled, ready.rgb, detail, seek * SOUGHT, ready.twice, TRUST)
    share = cv2.resize(moved.astype(np.float32), (width, height), interpolation=cv2.INTER_LINEAR)
    return np.asarray(prior + share * (found - prior), np.float32)


def _pin(r: F32, inside: Mask, outside: Mask) -> F32:
    """The costs with the marks made certain."""
    r = r.astype(np.float32, copy=True)
    r[inside] = -SURE
    r[outside] = SURE
    return r


def _reached(mask: Mask, seeds: Mask) -> Mask:
    """The parts of a mask that hang together with a seed; all of it when there is none."""
    if not seeds.any():
        return mask
    _, labels = cv2.connectedComponents((mask | seeds).astype(np.uint8), connectivity=8)
    hit = np.unique(labels[seeds])
    keep = np.zeros(int(labels.max()) + 1, bool)
    keep[hit] = True
    keep[0] = False
    return keep[labels]


@declare(
    "pull",
    "trace",
    "Trace",
    TraceParams,
    hint="the subject from marks, carried from frame to frame",
    holds="marks",
    blind=True,
    keep=False,
    needs=lambda values, frame: [stored(frame)],
)
def traced(_: None, values: dict[str, Any], context: Context, pictures: Pictures) -> F32:
    """The stored frame, (H, W) float32, 0 to 1: what marks and following made of it."""
    found = pictures[0]
    assert found is not None
    return found
