"""What passes before a subject, or stands there: bars, fences, nets, leaves. Premultiplied pictures, (h, w, 4)."""

from __future__ import annotations

import cv2
import numpy as np

from cuvrel.core.arrays import F32
from training.distributions import log_uniform
from training.textures import texture


def _dressed(rng: np.random.Generator, mask: F32, colours: F32) -> F32:
    """A mask in a texture, a little out of focus now and then."""
    cover = cv2.GaussianBlur(mask, (0, 0), float(rng.choice([0.6, 0.6, 1.2, 2.5])))
    colour = texture(rng, *mask.shape, colours)
    return np.dstack([colour * cover[..., None], cover]).astype(np.float32)


def fence(rng: np.random.Generator, h: int, w: int, colours: F32) -> F32:
    """Bars side by side, with rails or not; or a net of them."""
    mask = np.zeros((h, w), np.float32)
    pitch = log_uniform(rng, 12, 110)
    wide = max(1, int(pitch * rng.uniform(0.06, 0.35)))
    for x in np.arange(rng.uniform(0, pitch), w, pitch):
        off = rng.normal(0, 0.03 * pitch)
        cv2.line(mask, (int(x + off), 0), (int(x + off), h), 1.0, wide, cv2.LINE_AA)
    rails = int(rng.integers(0, 3)) if rng.uniform() < 0.7 else int(h / pitch)
    for y in np.linspace(0.25 * h, 0.75 * h, rails) if rails < 4 else np.arange(rng.uniform(0, pitch), h, pitch):
        cv2.line(mask, (0, int(y)), (w, int(y)), 1.0, wide, cv2.LINE_AA)
    return _dressed(rng, mask, colours)


def leaves(rng: np.random.Generator, h: int, w: int, colours: F32) -> F32:
    """Twigs and leaves in a clump or two."""
    mask = np.zeros((h, w), np.float32)
    for _ in range(int(rng.integers(1, 4))):
        middle, spread = rng.uniform(0.2, 0.8, 2) * (w, h), rng.uniform(0.06, 0.3) * h
        for _ in range(int(rng.integers(6, 40))):
            x, y = rng.normal(middle, spread)
            size = rng.uniform(2, 16)
            axes = (max(1, int(size)), max(1, int(size * rng.uniform(0.1, 0.6))))
            cv2.ellipse(mask, (int(x), int(y)), axes, rng.uniform(0, 180), 0, 360, 1.0, -1, cv2.LINE_AA)
        for _ in range(int(rng.integers(0, 6))):
            a, b = rng.normal(middle, 1.5 * spread, (2, 2)).astype(int)
            cv2.line(mask, a.tolist(), b.tolist(), 1.0, int(rng.integers(1, 5)), cv2.LINE_AA)
    return _dressed(rng, mask, colours)


def strands(rng: np.random.Generator, mask: F32, longest: float) -> F32:
    """Hairs that stand off a mask's outline, (h, w) float32 coverage; the mask keeps its own."""
    out = mask.copy()
    found, _ = cv2.findContours((mask > 0.5).astype(np.uint8), cv2.RETR_EXTERNAL, cv2.CHAIN_APPROX_NONE)
    if not found:
        return out
    outline = max(found, key=len)[:, 0, :].astype(np.float32)
    count, comb = int(len(outline) * rng.uniform(0.15, 0.7)), rng.normal(0, 1, 2)
    middle = outline.mean(0)
    for at in outline[rng.integers(0, len(outline), count)]:
        away = at - middle
        heading = away / max(1.0, float(np.hypot(*away))) + 0.5 * comb + rng.normal(0, 0.35, 2)
        heading /= max(0.1, float(np.hypot(*heading)))
        length, bend = longest * rng.uniform(0.2, 1), rng.normal(0, 0.3)
        side = np.array([-heading[1], heading[0]])
        points = [at + heading * length * s + side * bend * length * s * s for s in (0, 0.35, 0.7, 1)]
        one = np.zeros_like(mask)
        cv2.polylines(one, [np.round(np.array(points) * 8).astype(np.int32)], False, 1.0, 1, cv2.LINE_AA, 3)
        out = np.maximum(out, one * np.float32(rng.uniform(0.3, 1)))
    return out
