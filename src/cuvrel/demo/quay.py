"""The quay: a painted background with textures at several scales, larger than the frame."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

F32 = NDArray[np.float32]
SUN = np.array([-0.55, -0.62, 0.56], np.float32)  # towards the light; x right, y down, z to the camera


def noise(rng: np.random.Generator, height: int, width: int, scale: float, octaves: int = 5) -> F32:
    """Fractal value noise, (H, W) float32 of about zero mean and unit size; `scale` in pixels."""
    out = np.zeros((height, width), np.float32)
    weight = 1.0
    for _ in range(octaves):
        h, w = max(2, int(height / scale) + 3), max(2, int(width / scale) + 3)
        grid = rng.standard_normal((h, w)).astype(np.float32)
        big = cv2.resize(grid, (int(w * scale) + 1, int(h * scale) + 1), interpolation=cv2.INTER_CUBIC)
        out += weight * big[:height, :width]
        weight, scale = weight * 0.55, max(1.0, scale / 2)
    return out / 1.2


def background(width: int, height: int, seed: int = 7) -> F32:
    """(H, W, 3) linear light, about 0 to 1: sky, water, sheds and the stone quay, defocused by depth."""
    rng = np.random.default_rng(seed)
    y = np.linspace(0, 1, height, dtype=np.float32)[:, None]
    x = np.linspace(0, 1, width, dtype=np.float32)[None, :]
    unit = height / 720

    clouds = np.clip(noise(rng, height, width, 260 * unit) * 0.5 + 0.25 - y, 0, 1)[..., None]
    sky = _mix(np.array([0.30, 0.42, 0.55]), np.array([0.74, 0.70, 0.62]), np.clip(y * 2.1, 0, 1)[..., None])
    sky = sky * (1 - 0.55 * clouds) + np.array([0.80, 0.79, 0.78]) * 0.55 * clouds

    ripple = noise(rng, height, width, 22 * unit, 4)
    ripple = cv2.resize(ripple[: height // 5], (width, height), interpolation=cv2.INTER_LINEAR)
    sea = (
        np.array([0.13, 0.19, 0.22])
        + 0.055 * ripple[..., None]
        + 0.12 * np.clip(1 - np.abs(x - 0.25) * 3, 0, 1)[..., None]
    )
    picture = np.where(y[..., None] > 0.52, sea, sky).astype(np.float32)

    picture = _sheds(picture, rng, unit)
    picture = cv2.GaussianBlur(picture, (0, 0), 1.9 * unit)
    return np.clip(_quay(picture, rng, unit), 0.004, 1.2).astype(np.float32)


def _mix(a: NDArray[np.float64], b: NDArray[np.float64], t: F32) -> NDArray[np.float64]:
    return np.asarray(a * (1 - t) + b * t)


def _sheds(picture: F32, rng: np.random.Generator, unit: float) -> F32:
    """A row of warehouses across the water, in brick, plaster and the blue of the signallers' coats."""
    height, width = picture.shape[:2]
    tones = ([0.26, 0.15, 0.10], [0.33, 0.27, 0.20], [0.10, 0.14, 0.22], [0.21, 0.20, 0.19], [0.30, 0.12, 0.08])
    foot, left = int(height * 0.56), -int(40 * unit)
    grain = noise(rng, height, width, 34 * unit)
    index = 0
    while left < width:
        wide, tall = int(rng.uniform(110, 210) * unit), int(rng.uniform(120, 270) * unit)
        x0, x1, y0 = max(0, left), min(width, left + wide), foot - tall
        tone = np.array(tones[index % len(tones)], np.float32)
        wall = tone * (1 + 0.16 * grain[y0:foot, x0:x1, None])
        course = int(9 * unit) + 1
        wall[::course] *= 0.82
        wall *= np.linspace(1.12, 0.86, max(1, x1 - x0), dtype=np.float32)[None, :, None]
        picture[y0:foot, x0:x1] = wall
        roof = np.array([[left - 6, y0], [left + wide // 2, y0 - int(46 * unit)], [left + wide + 6, y0]], np.int32)
        cv2.fillPoly(picture, [roof], (tone * 0.5).tolist(), lineType=cv2.LINE_AA)
        for wy in range(y0 + int(20 * unit), foot - int(36 * unit), int(44 * unit)):
            for wx in range(left + int(16 * unit), left + wide - int(24 * unit), int(34 * unit)):
                lit = rng.random() < 0.16
                pane = (0.75, 0.52, 0.22) if lit else tuple((0.05 + 0.05 * rng.random()) * np.ones(3))
                cv2.rectangle(picture, (wx, wy), (wx + int(15 * unit), wy + int(24 * unit)), pane, -1)
                cv2.line(
                    picture, (wx + int(7 * unit), wy), (wx + int(7 * unit), wy + int(24 * unit)), (0.3, 0.27, 0.22), 1
                )
        left += wide + int(rng.uniform(-4, 26) * unit)
        index += 1
    # masts and a crane behind the sheds' roofs
    for mx in rng.uniform(0.05, 0.95, 6) * width:
        top = int(height * rng.uniform(0.1, 0.3))
        cv2.line(
            picture, (int(mx), top), (int(mx + 4 * unit), foot), (0.12, 0.10, 0.08), max(1, int(4 * unit)), cv2.LINE_AA
        )
        for step in (0.25, 0.5):
            yy = int(top + (foot - top) * step)
            cv2.line(
                picture,
                (int(mx - 34 * unit), yy),
                (int(mx + 40 * unit), yy),
                (0.13, 0.11, 0.09),
                max(1, int(3 * unit)),
                cv2.LINE_AA,
            )
    return picture


def _quay(picture: F32, rng: np.random.Generator, unit: float) -> F32:
    """Stone slabs in perspective with joints, stains and wet patches, an edge stone, bollards."""
    height, width = picture.shape[:2]
    top = int(height * 0.66)
    rows = height - top
    plane = noise(rng, 900, 1400, 90, 6) * 0.5 + noise(rng, 900, 1400, 12, 3) * 0.25
    slabs = np.ones((900, 1400), np.float32)
    for j in range(0, 900, 75):
        slabs[j : j + 4] = 0.45
        shift = int(rng.integers(0, 130))
        for i in range(shift, 1400, 130):
            slabs[j : j + 75, i : i + 4] = 0.45
            slabs[j : j + 75, i : i + 130] *= rng.uniform(0.86, 1.08)
    depth = 1.0 / (np.linspace(0.22, 1.0, rows, dtype=np.float32))[:, None]
    u = ((np.arange(width, dtype=np.float32)[None, :] / width - 0.5) * depth * 1000 + 700) % 1399
    v = np.repeat((depth - 1.0) * 240 % 899, width, axis=1).astype(np.float32)
    tex = cv2.remap(plane, u.astype(np.float32), v, cv2.INTER_LINEAR)
    lines = cv2.remap(slabs, u.astype(np.float32), v, cv2.INTER_LINEAR)
    stone = np.array([0.24, 0.215, 0.185], np.float32) * (1 + 0.32 * tex[..., None]) * lines[..., None]
    wet = np.clip(noise(rng, rows, width, 150 * unit) - 0.35, 0, 1)[..., None] * 0.7
    stone = stone * (1 - 0.55 * wet) + np.array([0.30, 0.33, 0.36]) * 0.28 * wet
    picture[top:] = stone * np.linspace(0.82, 1.05, rows, dtype=np.float32)[:, None, None]
    kerb = slice(top - int(9 * unit), top + int(5 * unit))
    picture[kerb] = np.array([0.34, 0.31, 0.27]) * (
        1 + 0.2 * noise(rng, kerb.stop - kerb.start, width, 30 * unit)[..., None]
    )
    picture[top + int(5 * unit) : top + int(9 * unit)] *= 0.55
    for bx in (0.10, 0.83):
        centre = (int(width * bx), top + int(6 * unit))
        shade = np.linspace(0.4, 1.5, int(44 * unit), dtype=np.float32)[::-1]
        for i, s in enumerate(shade):
            cv2.line(
                picture,
                (centre[0] - int(22 * unit) + i, centre[1] - int(52 * unit)),
                (centre[0] - int(22 * unit) + i, centre[1] + int(18 * unit)),
                tuple(np.array([0.08, 0.075, 0.07]) * float(s)),
                1,
            )
        cv2.ellipse(
            picture,
            (centre[0], centre[1] - int(52 * unit)),
            (int(29 * unit), int(11 * unit)),
            0,
            0,
            360,
            (0.15, 0.135, 0.12),
            -1,
            cv2.LINE_AA,
        )
    return picture
