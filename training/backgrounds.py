"""Made-up backgrounds: surfaces strewn with things, open places with a sky, a skyline and a ground, and rooms."""

from __future__ import annotations

import cv2
import numpy as np

from cuvrel.core.arrays import F32, U8
from training.distributions import log_uniform
from training.textures import noise, palette, texture

PLACES = 0.55  # share of the backgrounds that are places, not surfaces


def scenery(rng: np.random.Generator, h: int, w: int, colours: F32) -> F32:
    """A background: a place, or a surface with things on it, more or less out of focus."""
    out = (place if rng.uniform() < PLACES else _strewn)(rng, h, w, colours)
    if rng.uniform() < 0.5:
        out = cv2.GaussianBlur(out, (0, 0), float(rng.choice([0.7, 1.5, 3, 6])))
    return np.clip(out, 0, 1).astype(np.float32)


def _strewn(rng: np.random.Generator, h: int, w: int, colours: F32) -> F32:
    """A surface with things on it."""
    out = texture(rng, h, w, colours)
    for _ in range(int(rng.integers(0, 14))):
        mask = np.zeros((h, w), np.uint8)
        cx, cy = rng.uniform(0, w), rng.uniform(0, h)
        size = log_uniform(rng, 12, h * 0.6)
        how = rng.integers(0, 3)
        if how == 0:
            turned = cv2.boxPoints(((cx, cy), (size, size * rng.uniform(0.1, 3)), rng.choice([0, rng.uniform(0, 90)])))
            cv2.fillPoly(mask, [turned.astype(np.int32)], 255, cv2.LINE_AA)
        elif how == 1:
            axes = (max(1, int(size / 2)), max(1, int(size * rng.uniform(0.2, 1))))
            cv2.ellipse(mask, (int(cx), int(cy)), axes, rng.uniform(0, 180), 0, 360, 255, -1, cv2.LINE_AA)
        else:
            points = np.cumsum(rng.normal(0, size / 2, (6, 2)), 0) + np.array([cx, cy])
            cv2.polylines(mask, [points.astype(np.int32)], False, 255, int(rng.integers(1, 16)), cv2.LINE_AA)
        share = mask[..., None].astype(np.float32) / 255
        own = palette(rng, colours if rng.uniform() < 0.6 else None)
        out = out * (1 - share) + texture(rng, h, w, own) * rng.uniform(0.6, 1.1) * share
    light = 1 + 0.5 * noise(rng, h, w, 1, 2)[..., None] * rng.uniform(0, 1)
    return np.asarray(out * light, np.float32)


def place(rng: np.random.Generator, h: int, w: int, colours: F32) -> F32:
    """A place, (h, w, 3) float32 display-encoded 0 to 1, partly in these colours."""
    horizon = int(h * rng.uniform(0.25, 0.85))
    out = np.zeros((h, w, 3), np.float32)
    out[:horizon] = _above(rng, horizon, w)
    if rng.uniform() < 0.65:
        for far in np.sort(rng.uniform(0.1, 0.8, int(rng.integers(1, 4))))[::-1]:
            _skyline(rng, out, horizon, float(far))
    else:
        _hung(rng, out[:horizon], colours)
    out[horizon:] = _ground(rng, h - horizon, w, colours if rng.uniform() < 0.5 else palette(rng))
    for _ in range(int(rng.integers(0, 7))):
        _box(rng, out, horizon, colours if rng.uniform() < 0.5 else palette(rng))
    if rng.uniform() < 0.3:
        out *= _lamps(rng, h, w)
    return np.clip(out, 0, 1).astype(np.float32)


def _above(rng: np.random.Generator, h: int, w: int) -> F32:
    """A sky or a wall: colours that run into each other, with clouds or stains."""
    top, low = palette(rng)[:2]
    if rng.uniform() < 0.6:  # skies are mostly pale
        pale = rng.uniform(0.4, 0.95)
        top, low = (pale + 0.3 * (c - c.mean()) for c in (top, low))
    share = np.linspace(0, 1, h, dtype=np.float32)[:, None, None] ** np.float32(rng.uniform(0.5, 2))
    out = top * (1 - share) + low * share
    clouds = noise(rng, h, w, int(rng.integers(2, 6)), 4)[..., None] * np.float32(rng.uniform(0, 0.15))
    return np.clip(np.broadcast_to(out, (h, w, 3)) + clouds, 0, 1).astype(np.float32)


def _skyline(rng: np.random.Generator, out: F32, horizon: int, far: float) -> None:
    """Houses, trees or hills along the horizon; far: 0 to 1, how far away, and so how pale."""
    w = out.shape[1]
    mask = np.zeros(out.shape[:2], np.uint8)
    high = horizon * rng.uniform(0.15, 0.8) * (1 - 0.5 * far)
    kind = rng.choice(["houses", "trees", "hills"])
    plain = rng.uniform() < 0.5
    own = np.tile(palette(rng)[0], (*mask.shape, 1)) if plain else texture(rng, *mask.shape, palette(rng))
    if kind == "houses":
        x = -int(rng.integers(0, 60))
        while x < w:
            wide, tall = int(rng.uniform(0.3, 1.2) * high) + 8, int(high * rng.uniform(0.5, 1))
            if rng.uniform() < 0.85:
                _house(rng, mask, own, x, horizon - tall, wide, tall)
            x += wide + int(rng.choice([0, 0, rng.uniform(0, wide)]))
    else:
        rough = noise(rng, 8, w, 1, 7 if kind == "trees" else 3, 0.75 if kind == "trees" else 0.4)[4]
        edge = horizon - high * (0.6 + 0.4 * rough)
        mask[np.arange(len(mask))[:, None] >= edge[None]] = 255
    mask[horizon:] = 0
    haze = out[max(0, horizon - 1)].mean(0)
    share = mask[..., None].astype(np.float32) / 255
    out[:] = out * (1 - share) + (own * (1 - far) + haze * far) * share


def _house(rng: np.random.Generator, mask: U8, own: F32, x: int, y: int, wide: int, tall: int) -> None:
    """A house front with a roof and rows of windows."""
    cv2.rectangle(mask, (x, y), (x + wide, y + tall), 255, -1)
    tone = (palette(rng)[0] * rng.uniform(0.5, 1.1)).tolist()
    cv2.rectangle(own, (x, y), (x + wide, y + tall), tone, -1)
    if rng.uniform() < 0.6:
        roof = np.array([[x - 2, y], [x + wide + 2, y], [x + wide * rng.uniform(0.3, 0.7), y - tall * 0.35]], np.int32)
        cv2.fillPoly(mask, [roof], 255)
        cv2.fillPoly(own, [roof], (palette(rng)[0] * 0.6).tolist())
    pane, step = max(2, int(wide * rng.uniform(0.06, 0.16))), rng.uniform(1.8, 3.5)
    light = (np.array(tone) * rng.uniform(0.3, 1.6)).tolist()
    for wy in np.arange(y + pane, y + tall - 2 * pane, pane * step):
        for wx in np.arange(x + pane, x + wide - pane, pane * step):
            cv2.rectangle(own, (int(wx), int(wy)), (int(wx) + pane, int(wy + pane * 1.4)), light, -1)


def _hung(rng: np.random.Generator, wall: F32, colours: F32) -> None:
    """Frames, doors and shelves on a wall."""
    h, w = wall.shape[:2]
    for _ in range(int(rng.integers(1, 7))):
        wide, tall = rng.uniform(0.05, 0.4, 2) * (w, h * 2)
        x, y = rng.uniform(-0.1, 1) * w, rng.uniform(0, 0.9) * h
        own = palette(rng, colours if rng.uniform() < 0.5 else None)
        corners = [(int(x), int(y)), (int(x + wide), int(y + tall))]
        cv2.rectangle(wall, *corners, own[0].tolist(), -1)
        cv2.rectangle(wall, *corners, (own[1] * 0.7).tolist(), int(rng.integers(1, 8)))


def _ground(rng: np.random.Generator, h: int, w: int, colours: F32) -> F32:
    """A floor that runs away from the camera: finer and narrower towards the horizon."""
    side = 512
    flat = texture(rng, side, side, colours)
    if rng.uniform() < 0.5:  # slabs or planks
        pitch = int(rng.integers(24, 120))
        line = (colours[0] * rng.uniform(0.4, 0.9)).tolist()
        for n in range(0, side, pitch):
            cv2.line(flat, (n, 0), (n, side), line, 2)
            if rng.uniform() < 0.8:
                cv2.line(flat, (0, n), (side, n), line, 2)
    wider = rng.uniform(1.2, 5) * w
    corners = np.array([[0, 0], [w, 0], [(w + wider) / 2, h], [(w - wider) / 2, h]], np.float32)
    whole = np.array([[0, 0], [side, 0], [side, side], [0, side]], np.float32)
    turn = cv2.getPerspectiveTransform(whole, corners)
    return cv2.warpPerspective(flat, turn, (w, h), flags=cv2.INTER_AREA, borderMode=cv2.BORDER_REFLECT)


def _box(rng: np.random.Generator, out: F32, horizon: int, colours: F32) -> None:
    """A post, a crate or a barrel that stands on the ground."""
    h, w = out.shape[:2]
    foot = rng.uniform(horizon, h * 1.1)
    size = h * rng.uniform(0.05, 0.35) * (0.4 + (foot - horizon) / max(1.0, h - horizon))
    wide, tall = int(size * rng.uniform(0.15, 1.2)) + 2, int(size * rng.uniform(0.5, 2)) + 2
    x, y = int(rng.uniform(-0.05, 1) * w), int(foot) - tall
    picture = texture(rng, tall, wide, colours)
    turn = np.linspace(-1, 1, wide, dtype=np.float32)
    round_ = np.sqrt(np.maximum(0, 1 - turn**2)) if rng.uniform() < 0.5 else np.where(turn < rng.uniform(-1, 1), 0.6, 1)
    picture = picture * (0.35 + 0.65 * round_[None, :, None].astype(np.float32))
    x0, y0, x1, y1 = max(0, x), max(0, y), min(w, x + wide), min(h, y + tall)
    if x1 > x0 and y1 > y0:
        out[y0:y1, x0:x1] = picture[y0 - y : y1 - y, x0 - x : x1 - x]


def _lamps(rng: np.random.Generator, h: int, w: int) -> F32:
    """Light of a lamp or two in the dark, (h, w, 3)."""
    y, x = np.mgrid[0:h, 0:w].astype(np.float32)
    out = np.full((h, w, 3), np.float32(rng.uniform(0.1, 0.5)))
    for _ in range(int(rng.integers(1, 3))):
        apart = np.hypot(x - rng.uniform(0, w), y - rng.uniform(0, h)) / (h * rng.uniform(0.15, 0.8))
        tint = np.array([1, rng.uniform(0.6, 1), rng.uniform(0.3, 1)], np.float32)
        out += (np.float32(rng.uniform(0.4, 1.2)) / (1 + apart * apart))[..., None] * tint
    return out
