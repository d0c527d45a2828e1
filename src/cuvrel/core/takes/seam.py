"""The seam between two takes: the cheapest closed line around a thing along which they agree, and how it is seen."""

from __future__ import annotations

import cv2
import numpy as np

from cuvrel.core.arrays import F32, F64, U8, Mask
from cuvrel.core.imaging.relaxed_cut import relax

SIDE = 160  # pixels of a side at which the line is looked for
TURNS = 480
LEAST, FULL = 0.008, 0.08  # differences, of white as displayed, below which takes agree, and beyond which they do not
NOISES = 4.0  # what is left of still things, times which a difference tells
SPECK = 20  # pixels of the small pictures below which a difference is no thing
KERNEL = 5  # pixels of the small pictures that close what is torn of a thing
CALM = 1.0  # deviation of the blur before gradients are compared, in pixels: grain is no seam
SEEN = 2.5  # codes of 255 beyond which a seam is told of
BAND = 24  # pixels of a seam's band that must be there


def seam(
    first: U8, second: U8, at: tuple[float, float], reach: float, soft: float, there: Mask | None = None,
    every: bool = False,
) -> F32:  # fmt: skip
    """Coverage of the second take about a thing in it, (H, W) float32, 0 to 1; nothing where it shows nothing else.

    The line is the cut of least cost around the thing, where a step costs as much as the takes differ along it; it is
    solved as the relaxed cut is. Around it coverage falls over as many pixels as the takes agree for.

    Parameters
    ----------
    first, second
        (H, W, 3) uint8 sRGB, lined up, in one tone.
    at
        A place on the thing, in pixels from the corner.
    reach
        The line runs no further from there, in pixels.
    soft
        The most pixels on either side of it that coverage falls over.
    there
        (H, W): where the second take is seen at all.
    every
        Whether each thing within reach counts, and not only what differs in one piece with the place.

    References
    ----------
    Kwatra et al., Graphcut Textures, SIGGRAPH 2003; Agarwala et al., Interactive Digital Photomontage, SIGGRAPH 2004.
    """
    out = np.zeros(first.shape[:2], np.float32)
    high, wide = first.shape[:2]
    left, top = (max(0, int(np.floor(c - reach - 2))) for c in at)
    right, bottom = min(wide, int(np.ceil(at[0] + reach + 2))), min(high, int(np.ceil(at[1] + reach + 2)))
    if right - left < 8 or bottom - top < 8:
        return out
    box = np.s_[top:bottom, left:right]
    apart = _apart(first[box], second[box])
    rows, columns = apart.shape
    share = min(1.0, SIDE / max(rows, columns))
    small = max(4, round(columns * share)), max(4, round(rows * share))
    little = cv2.resize(apart, small, interpolation=cv2.INTER_AREA)
    noise = max(LEAST, NOISES * float(np.median(little)))
    y, x = np.mgrid[0 : small[1], 0 : small[0]]
    away = np.hypot((x + 0.5) / share - (at[0] - left), (y + 0.5) / share - (at[1] - top))
    allowed = away < reach
    if there is not None:
        part = cv2.resize(there[box].astype(np.float32), small, interpolation=cv2.INTER_AREA)
        allowed &= part > 0.999
    core = (away < max(2 / share, 0.08 * reach)) & allowed
    thing = _thing(little > noise, None if every else core, allowed)
    if thing is None:
        return out
    cost = np.asarray(0.01 + np.clip((little - noise / 2) / FULL, 0, 1), np.float32)
    r = np.where(thing, np.float32(-8), np.where(allowed, np.float32(0), np.float32(8)))
    right_of = np.maximum(cost, np.roll(cost, -1, axis=1))
    below = np.maximum(cost, np.roll(cost, -1, axis=0))
    cut = relax(thing.astype(np.float32), r.astype(np.float32), right_of, below, TURNS)
    inside = cv2.resize(cut, (columns, rows), interpolation=cv2.INTER_LINEAR) > 0.5
    signed = _signed(inside)
    agreed = cv2.distanceTransform((apart < 2 * noise).astype(np.uint8), cv2.DIST_L2, 5)
    # a pixel on which the takes disagree is of one of them alone
    half = np.clip(agreed, 0.5, max(0.5, soft))
    out[box] = np.clip(0.5 + signed / (2 * half), 0, 1)
    if there is not None:
        out *= there
    return out


def _apart(first: U8, second: U8) -> F32:
    """How much two pictures differ about each pixel, of white as displayed."""
    apart = cv2.absdiff(first, second).max(axis=2).astype(np.float32) / np.float32(255)
    return np.asarray(cv2.GaussianBlur(apart, (0, 0), 1.2), np.float32)


def _thing(differs: Mask, core: Mask | None, allowed: Mask) -> Mask | None:
    """What differs in one piece with the place, and the place; without a place, whatever is more than a speck. None
    where nothing differs.
    """
    ring = cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (KERNEL, KERNEL))
    whole = cv2.morphologyEx((differs & allowed).astype(np.uint8), cv2.MORPH_CLOSE, ring)
    if core is None:
        _, names, about, _ = cv2.connectedComponentsWithStats(whole)
        large = about[:, cv2.CC_STAT_AREA] >= SPECK
        large[0] = False
        return np.asarray(large[names], np.bool_) if large.any() else None
    _, names = cv2.connectedComponents(whole)
    touched = np.unique(names[core & (whole > 0)])
    if not len(touched):
        return None
    return np.asarray(np.isin(names, touched) | core, np.bool_)


def _signed(inside: Mask) -> F32:
    """The distance to the border of a region, in pixels, above 0 inside."""
    hard = inside.astype(np.uint8)
    here, there = (cv2.distanceTransform(one, cv2.DIST_L2, 5) for one in (hard, 1 - hard))
    return np.asarray(np.where(inside, here - 0.5, 0.5 - there), np.float32)


def middle_of_change(first: U8, second: U8, there: Mask | None = None) -> tuple[tuple[float, float], float] | None:
    """The middle of the largest thing that only one of two takes shows, and a reach about it; None if there is none."""
    apart = _apart(first, second)
    share = min(1.0, SIDE / max(apart.shape))
    small = max(4, round(apart.shape[1] * share)), max(4, round(apart.shape[0] * share))
    little = cv2.resize(apart, small, interpolation=cv2.INTER_AREA)
    differs = little > max(2.5 * LEAST, NOISES * float(np.median(little)))
    if there is not None:
        differs &= cv2.resize(there.astype(np.uint8), small, interpolation=cv2.INTER_NEAREST) > 0
    _, _, about, middles = cv2.connectedComponentsWithStats(differs.astype(np.uint8))
    if len(about) < 2:
        return None
    n = 1 + int(np.argmax(about[1:, cv2.CC_STAT_AREA]))
    if about[n, cv2.CC_STAT_AREA] < 6:
        return None
    wide, high = about[n, cv2.CC_STAT_WIDTH], about[n, cv2.CC_STAT_HEIGHT]
    at = (float(middles[n][0]) + 0.5) / share, (float(middles[n][1]) + 0.5) / share
    return at, float(np.hypot(wide, high)) / share


def seen(result: U8, first: U8, second: U8, cover: F32) -> float:
    """How much a join shows: a step across it that neither take has, in codes of 255.

    Gradients of the result that go beyond those of both takes, where coverage changes or is mixed: the mean of the
    strongest twentieth, of slightly blurred pictures.

    Parameters
    ----------
    result, first, second
        (H, W, 3) uint8 sRGB: what is shown, what lies behind, and what is laid over it.
    cover
        (H, W) float32, 0 to 1: how much of the second is seen.
    """
    high, wide = cover.shape
    mixed = ((cover > 0.004) & (cover < 0.996)).astype(np.uint8)
    mixed |= (np.abs(cv2.Laplacian(cover, cv2.CV_32F)) > 0.004).astype(np.uint8)
    rows, columns = np.flatnonzero(mixed.any(axis=1)), np.flatnonzero(mixed.any(axis=0))
    if not len(rows):
        return 0.0
    box = np.s_[max(0, rows[0] - 6) : min(high, rows[-1] + 7), max(0, columns[0] - 6) : min(wide, columns[-1] + 7)]
    band = cv2.dilate(mixed[box], np.ones((3, 3), np.uint8)) > 0
    if band.sum() < BAND:
        return 0.0
    shown, here, over = (cv2.GaussianBlur(one[box].astype(np.float32), (0, 0), CALM) for one in (result, first, second))
    most: list[F64] = []
    for axis in (0, 1):
        steps = [np.abs(np.diff(one, axis=axis)) for one in (shown, here, over)]
        more = (steps[0] - np.maximum(steps[1], steps[2])).max(axis=2)
        most.append(np.clip(more[band[1:] if axis == 0 else band[:, 1:]], 0, None))
    found = np.sort(np.concatenate(most))
    return float(found[-max(1, len(found) // 20) :].mean())
