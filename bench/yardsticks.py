"""What general libraries reach on the same frames: the yardsticks of the design."""

from __future__ import annotations

import cv2
import numpy as np
from pymatting import estimate_alpha_cf

from cuvrel.core.arrays import F32, U8, Mask
from cuvrel.core.checks.chatter import grey_flow
from cuvrel.core.recipe.models import Mark
from cuvrel.core.trace.marks import rasterise


def cut(rgb: U8, marks: list[Mark]) -> F32:
    """GrabCut (Rother et al., SIGGRAPH 2004) from the strokes on one frame."""
    mask = np.full(rgb.shape[:2], cv2.GC_PR_BGD, np.uint8)
    size = rgb.shape[:2]
    inside, outside = rasterise(marks, "in", size, (1.0, 1.0)), rasterise(marks, "out", size, (1.0, 1.0))
    # as much as the strokes alone can say: near an in stroke it is probably the subject
    near = cv2.dilate(inside.astype(np.uint8), cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (41, 41))) > 0
    mask[near] = cv2.GC_PR_FGD
    mask[inside], mask[outside] = cv2.GC_FGD, cv2.GC_BGD
    models = np.zeros((1, 65)), np.zeros((1, 65))
    cv2.setRNGSeed(1)
    cv2.grabCut(rgb, mask, None, *models, 5, cv2.GC_INIT_WITH_MASK)
    return np.isin(mask, (cv2.GC_FGD, cv2.GC_PR_FGD)).astype(np.float32)


def warp(here: U8, there: U8, matte: F32) -> F32:
    """The matte of `there` carried to `here` by dense flow alone."""
    h, w = matte.shape
    y, x = np.mgrid[0:h, 0:w].astype(np.float32)
    flow = grey_flow(here, there)
    return cv2.remap(matte, x + flow[..., 0], y + flow[..., 1], cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE)


def warp_and_cut(here: U8, there: U8, matte: F32, half: int = 8) -> F32:
    """The same, and GrabCut in a band around the warped outline."""
    carried = warp(here, there, matte)
    hard = (carried > 0.5).astype(np.uint8)
    kernel = cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (2 * half + 1, 2 * half + 1))
    sure_in, sure_out = cv2.erode(hard, kernel), 1 - cv2.dilate(hard, kernel)
    if not sure_in.any() or not hard.any():
        return carried
    rows, cols = np.flatnonzero(hard.any(1)), np.flatnonzero(hard.any(0))
    pad = 4 * half
    box = (slice(max(0, rows[0] - pad), rows[-1] + pad), slice(max(0, cols[0] - pad), cols[-1] + pad))
    mask = np.where(hard > 0, cv2.GC_PR_FGD, cv2.GC_PR_BGD).astype(np.uint8)
    mask[sure_in > 0], mask[sure_out > 0] = cv2.GC_FGD, cv2.GC_BGD
    part = mask[box].copy()
    models = np.zeros((1, 65)), np.zeros((1, 65))
    cv2.setRNGSeed(1)
    try:
        cv2.grabCut(np.ascontiguousarray(here[box]), part, None, *models, 2, cv2.GC_INIT_WITH_MASK)
    except cv2.error:  # no sample of one of the two sides
        return carried
    out = np.zeros_like(carried)
    out[box] = np.isin(part, (cv2.GC_FGD, cv2.GC_PR_FGD))
    return out


def unknown(truth: F32, width: int = 6) -> Mask:
    """The true unknown band: fractional coverage, and a little around it."""
    soft = ((truth > 0.02) & (truth < 0.98)).astype(np.uint8)
    return cv2.dilate(soft, cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (2 * width + 1, 2 * width + 1))) > 0


def closed_form(rgb: U8, truth: F32) -> F32:
    """Closed-form matting (Levin et al., TPAMI 2008) in the true unknown band, in linear light."""
    band = unknown(truth)
    trimap = np.where(band, 0.5, (truth > 0.5).astype(np.float64))
    linear = (rgb / 255.0) ** 2.2
    return np.asarray(estimate_alpha_cf(linear, trimap), np.float32)
