"""The field's measures of a matte against its truth."""

from __future__ import annotations

import cv2
import numpy as np

from cuvrel.core.arrays import F32, U8


def overlap(matte: F32, truth: F32) -> float:
    """J: intersection over union at one half (Perazzi et al., CVPR 2016). 1 when both are empty."""
    a, b = matte > 0.5, truth > 0.5
    union = int((a | b).sum())
    return float((a & b).sum() / union) if union else 1.0


def contour_accuracy(matte: F32, truth: F32, tolerance: float = 0.008) -> float:
    """F: harmonic mean of precision and recall of the outline, within `tolerance` of the diagonal."""
    reach = max(1, round(tolerance * float(np.hypot(*matte.shape))))
    kernel = cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (2 * reach + 1, 2 * reach + 1))
    a, b = _outline(matte), _outline(truth)
    if not a.any() and not b.any():
        return 1.0
    if not a.any() or not b.any():
        return 0.0
    precision = float(cv2.dilate(b, kernel)[a > 0].mean())
    recall = float(cv2.dilate(a, kernel)[b > 0].mean())
    return 2 * precision * recall / (precision + recall) if precision + recall else 0.0


def _outline(matte: F32) -> U8:
    hard = (matte > 0.5).astype(np.uint8)
    return hard - cv2.erode(hard, np.ones((3, 3), np.uint8), borderType=cv2.BORDER_REPLICATE)


def sad(matte: F32, truth: F32) -> float:
    """Sum of absolute differences in thousands (Rhemann et al., CVPR 2009)."""
    return float(np.abs(matte - truth).sum() / 1000)


def mse(matte: F32, truth: F32) -> float:
    """Mean squared error."""
    return float(np.square(matte - truth).mean())


def gradient_error(matte: F32, truth: F32, sigma: float = 1.4) -> float:
    """Sum of squared differences of the smoothed gradients' size, in thousands (Rhemann et al.)."""

    def slope(a: F32) -> F32:
        soft = cv2.GaussianBlur(a, (0, 0), sigma)
        return cv2.magnitude(cv2.Sobel(soft, cv2.CV_32F, 1, 0) / 8, cv2.Sobel(soft, cv2.CV_32F, 0, 1) / 8)

    return float(np.square(slope(matte) - slope(truth)).sum() / 1000)


def dtssd(matte: F32, before: F32, truth: F32, truth_before: F32) -> float:
    """Steadiness: root mean square difference of the changes in time (Erofeev et al., BMVC 2015)."""
    return float(np.sqrt(np.square((matte - before) - (truth - truth_before)).mean()))
