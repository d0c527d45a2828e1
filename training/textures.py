"""Made-up surfaces for training pictures: noise in a few colours, stripes, checks, patches, and still photographs.

The photographs are those that ship with general libraries, and only where such a library is at hand.
"""

from __future__ import annotations

from functools import cache
from importlib.util import find_spec
from pathlib import Path

import cv2
import numpy as np

from cuvrel.core.arrays import F32

MUTED = 0.5  # share of the palettes that are as most things are


def noise(rng: np.random.Generator, h: int, w: int, coarse: int, octaves: int = 5, fall: float = 0.55) -> F32:
    """Fractal value noise, (h, w) float32 of about -1 to 1, its widest bumps h / coarse high."""
    out, weight, total = np.zeros((h, w), np.float32), 1.0, 0.0
    for octave in range(octaves):
        n = coarse * 2**octave
        grid = rng.uniform(-1, 1, (min(h, n) + 2, min(w, max(1, round(n * w / h))) + 2)).astype(np.float32)
        out += np.float32(weight) * cv2.resize(grid, (w, h), interpolation=cv2.INTER_CUBIC)
        total += weight
        weight *= fall
    return np.clip(out / total * 1.6, -1, 1)


def palette(rng: np.random.Generator, like: F32 | None = None) -> F32:
    """Some colours, (n, 3) float32 display-encoded RGB 0 to 1; `like` others when a palette is given."""
    n = int(rng.integers(3, 7))
    if like is not None:
        picked = like[rng.integers(0, len(like), n)]
        return np.clip(picked + rng.normal(0, 0.05, (n, 3)), 0.01, 0.99).astype(np.float32)
    if rng.uniform() < MUTED:
        return muted(rng, n)
    hue = (rng.uniform(0, 1) + rng.normal(0, rng.uniform(0.03, 0.3), n)) % 1
    grey = rng.uniform(0, 1) < 0.55
    saturation = np.clip(rng.normal(0.15 if grey else 0.5, 0.15, n), 0, 1)
    value = np.clip(rng.uniform(0.1, 0.95) + rng.normal(0, 0.2, n), 0.03, 0.98)
    hsv = np.stack([hue * 360, saturation, value], 1).astype(np.float32)[None]
    return cv2.cvtColor(hsv, cv2.COLOR_HSV2RGB)[0]


def muted(rng: np.random.Generator, n: int) -> F32:
    """Colours as most things have them: near grey and earth, or a photograph's own; from dark to light."""
    if photographs() and rng.uniform() < 0.4:
        photo = photographs()[rng.integers(0, len(photographs()))]
        y, x = (int(rng.integers(0, max(1, size - 60))) for size in photo.shape[:2])
        part = photo[y : y + 60, x : x + 60].reshape(-1, 3)
        return np.clip(part[rng.integers(0, len(part), n)] * rng.uniform(0.5, 1.3), 0.02, 0.98).astype(np.float32)
    warm = rng.normal(0, 0.06, (1, 2)) + rng.normal(0, 0.03, (n, 2))
    light = np.clip(rng.uniform(0.1, 0.9) + rng.normal(0, 0.15, n), 0.03, 0.97)[:, None]
    # red against blue, and green against both
    out = light * (1 + warm[:, :1] * (1.5, 0.2, -1.5) + warm[:, 1:] * (-0.5, 0.6, -0.5))
    return np.clip(out, 0.02, 0.98).astype(np.float32)


SHIPPED = {
    "sklearn": ("datasets/images", ("china.jpg", "flower.jpg")),
    "skimage": (
        "data",
        ("chelsea.png", "coffee.png", "coins.png", "grass.png", "gravel.png", "brick.png", "ihc.png",
         "motorcycle_left.png", "rocket.jpg", "clock_motion.png"),
    ),
}  # fmt: skip


@cache
def photographs() -> list[F32]:
    """Photographs of things that ship with scikit-learn and scikit-image, (H, W, 3) float32 0 to 1."""
    out = []
    for package, (folder, names) in SHIPPED.items():
        found = find_spec(package)
        for name in names if found and found.origin else ():
            picture = cv2.imread(str(Path(found.origin).parent / folder / name), cv2.IMREAD_COLOR_RGB)
            if picture is not None:
                out.append(picture.astype(np.float32) / 255)
    return out


def _through(colours: F32, field: F32) -> F32:
    """A field of -1 to 1 looked up in colours, with soft or hard steps between them."""
    place = np.clip((field + 1) / 2 * (len(colours) - 1), 0, len(colours) - 1.001)
    low = place.astype(np.int32)
    share = (place - low)[..., None]
    return colours[low] * (1 - share) + colours[low + 1] * share


def texture(rng: np.random.Generator, h: int, w: int, colours: F32) -> F32:
    """A surface, (h, w, 3) float32 display-encoded 0 to 1."""
    kinds = ["cloud", "hard", "stripe", "check", "flat", "photo", "cloth"]
    kind = rng.choice(kinds, p=[0.18, 0.11, 0.1, 0.06, 0.1, 0.22, 0.23])
    if kind == "cloth":
        return cloth(rng, h, w, colours)
    if kind == "photo" and photographs():
        photo = photographs()[rng.integers(0, len(photographs()))]
        zoom = rng.uniform(0.5, 1.0)
        ph, pw = int(photo.shape[0] * zoom), int(photo.shape[1] * zoom)
        y, x = rng.integers(0, photo.shape[0] - ph + 1), rng.integers(0, photo.shape[1] - pw + 1)
        out = cv2.resize(photo[y : y + ph, x : x + pw], (w, h), interpolation=cv2.INTER_AREA)
        if rng.uniform() < 0.5:
            out = out[:, ::-1]
        tint = colours.mean(0) / max(0.05, float(colours.mean()))
        return np.clip(out * (0.5 + 0.5 * tint), 0, 1).astype(np.float32)
    coarse = int(rng.integers(1, 9))
    field = noise(rng, h, w, coarse, fall=rng.uniform(0.35, 0.8))
    if kind == "hard":
        field = np.round(field * 3) / 3
    elif kind in ("stripe", "check"):
        yy, xx = np.mgrid[0:h, 0:w].astype(np.float32)
        angle, pitch, wave = rng.uniform(0, np.pi), rng.uniform(6, 60), rng.uniform(0, 20)
        along = xx * np.cos(angle) + yy * np.sin(angle) + wave * field
        across = -xx * np.sin(angle) + yy * np.cos(angle)
        field = np.sin(along * (2 * np.pi / pitch))
        if kind == "check":
            field = field * np.sin(across * (2 * np.pi / pitch))
        field = np.clip(field * rng.uniform(1, 6), -1, 1)
    elif kind == "flat":
        field = field * 0.15 + rng.uniform(-0.8, 0.8)
    out = _through(colours, np.clip(field, -1, 1))
    fine = noise(rng, h, w, 32, 3)[..., None] * rng.uniform(0, 0.08)
    return np.clip(out + fine, 0, 1).astype(np.float32)


def cloth(rng: np.random.Generator, h: int, w: int, colours: F32) -> F32:
    """One colour with folds: light and shade in long soft runs, and a little weave."""
    tall, wide = (max(2, int(size * rng.uniform(0.3, 1))) for size in (h, w))
    folds = cv2.resize(noise(rng, tall, wide, int(rng.integers(1, 7)), 3), (w, h), interpolation=cv2.INTER_CUBIC)
    shade = 1 + folds * np.float32(rng.uniform(0.03, 0.35))
    weave = noise(rng, h, w, 40, 2) * np.float32(rng.uniform(0, 0.05))
    return np.clip(colours[0] * (shade + weave)[..., None], 0, 1).astype(np.float32)


def trimmed(rng: np.random.Generator, colour: F32, mask: F32) -> F32:
    """A surface with what things have in other colours: a hem, a cap at one end, bands, a sign in the middle.

    colour: (h, w, 3) float32. mask: (h, w) float32, where the thing is.
    """
    how = rng.choice(["nothing", "hem", "cap", "bands", "sign"], p=[0.45, 0.2, 0.2, 0.07, 0.08])
    if how == "nothing":
        return colour
    h, w = mask.shape
    depth = cv2.distanceTransform((mask > 0.5).astype(np.uint8), cv2.DIST_L2, 3)
    y, x = np.mgrid[0:h, 0:w].astype(np.float32)
    rows, cols = np.flatnonzero((mask > 0.5).any(1)), np.flatnonzero((mask > 0.5).any(0))
    if not len(rows):
        return colour
    down, across = (y - rows[0]) / max(1, np.ptp(rows)), (x - cols[0]) / max(1, np.ptp(cols))
    if rng.uniform() < 0.5:
        down, across = 1 - down, 1 - across
    if rng.uniform() < 0.3:
        down, across = across, down
    if how == "hem":
        inner = depth - rng.uniform(0.12, 0.5) * float(depth.max())
        # on all sides, or not on some
        inner = -inner * np.where(down > rng.choice([-1.0, 0.15, 0.85]), 1, -1)
    elif how == "cap":
        inner = (rng.uniform(0.08, 0.45) - down - 0.1 * rng.normal() * across) * np.ptp(rows)
    elif how == "bands":
        pitch = rng.uniform(0.15, 0.6)
        inner = (np.abs((down / pitch + rng.uniform(0, 1)) % 1 - 0.5) - rng.uniform(0.15, 0.4)) * pitch * np.ptp(rows)
    else:
        apart = np.hypot(down - rng.uniform(0.35, 0.65), across - rng.uniform(0.35, 0.65))
        ring = np.abs(apart - 0.25) - 0.06 if rng.uniform() < 0.4 else apart - rng.uniform(0.15, 0.35)
        inner = -ring * min(np.ptp(rows), np.ptp(cols))
    share = np.clip(inner + 0.5, 0, 1)[..., None].astype(np.float32)
    other = texture(rng, h, w, palette(rng))
    return np.asarray(colour * (1 - share) + other * share, np.float32)
