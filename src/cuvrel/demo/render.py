"""Renders the demo clip: `python -m cuvrel.demo.render FOLDER [--scale 1.0] [--frames 72]`.

Writes the benchmark's folder format: NAME.mp4, NAME.alpha.mkv (true coverage) and NAME.json.
"""

from __future__ import annotations

import argparse
import json
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

import cv2
import numpy as np
from numpy.typing import NDArray

from cuvrel.core.media.colour import encode
from cuvrel.core.media.writer import VideoWriter
from cuvrel.demo.figure import TONES, draw, pose
from cuvrel.demo.quay import SUN, background, noise

FPS = 24
SUBFRAMES = 10
SHUTTER = 0.5  # of a frame: a 180 degree shutter


class Signaller:
    """The clip's scene; `frame` draws any frame of it, the same for the same seed."""

    def __init__(self, width: int = 1280, height: int = 720, seed: int = 7) -> None:
        self.width, self.height, self.unit, self.seed = width, height, height / 720, seed
        self.margin = int(40 * self.unit)
        self.far = background(width + 2 * self.margin, height + 2 * self.margin, seed)
        self.cloth = noise(np.random.default_rng(seed + 1), 512, 512, 24, 5)

    def camera(self, t: float) -> tuple[float, float]:
        """The hand-held drift in pixels at `t` seconds."""
        x = 9 * np.sin(t * 0.9) + 4 * np.sin(t * 2.3 + 1) + 1.4 * np.sin(t * 7.1)
        y = 5 * np.sin(t * 1.2 + 2) + 2.4 * np.sin(t * 3.1) + 1.1 * np.sin(t * 8.3 + 0.5)
        return float(x * self.unit), float(y * self.unit)

    def hip(self, t: float) -> tuple[float, float]:
        """Where the figure's hip is before the camera moves: it shifts its stand as it signals."""
        return self.width * (0.47 + 0.055 * np.sin(t * 0.8)), self.height * 0.605

    def frame(self, number: int) -> tuple[NDArray[np.uint8], NDArray[np.uint8]]:
        """(H, W, 3) uint8 sRGB and (H, W) uint8 true coverage of the figure."""
        h, w = self.height, self.width
        jitter = np.random.default_rng(self.seed * 1000 + number)
        total, cover = np.zeros((h, w, 3), np.float32), np.zeros((h, w), np.float32)
        colour, alpha, depth = (
            np.empty((h, w, 3), np.float32),
            np.empty((h, w), np.float32),
            np.empty((h, w), np.float32),
        )
        for k in range(SUBFRAMES):
            t = (number + (k + 0.5) / SUBFRAMES * SHUTTER) / FPS
            ox, oy = self.camera(t)
            jx, jy = jitter.uniform(-0.5, 0.5, 2)
            colour.fill(0)
            alpha.fill(0)
            depth.fill(-1e9)
            parts = pose(t, self.unit, self.hip(t))
            draw(parts.limbs, parts.flags, TONES, self.cloth, SUN, ox + jx, oy + jy, colour, alpha, depth)
            shift = np.array([[1, 0, ox * 0.8 - self.margin], [0, 1, oy * 0.8 - self.margin]], np.float32)
            behind = cv2.warpAffine(self.far, shift, (w, h), flags=cv2.INTER_LINEAR)
            behind *= self._shadow(t, ox, oy)[..., None]
            total += np.where(alpha[..., None] > 0, colour, behind)
            cover += alpha
        return self._film(total / np.float32(SUBFRAMES), jitter), self._soft(cover / np.float32(SUBFRAMES))

    def _shadow(self, t: float, ox: float, oy: float) -> NDArray[np.float32]:
        """The soft shadow on the stones: 1 where there is none."""
        x, y = self.hip(t)
        shade = np.zeros((self.height // 4, self.width // 4), np.float32)
        at = (int((x + ox + 70 * self.unit) / 4), int((y + oy + 204 * self.unit) / 4))
        cv2.ellipse(shade, at, (int(36 * self.unit), int(6 * self.unit)), 0, 0, 360, 1.0, -1)
        shade = cv2.GaussianBlur(shade, (0, 0), 5 * self.unit)
        full = np.asarray(cv2.resize(shade, (self.width, self.height), interpolation=cv2.INTER_LINEAR), np.float32)
        return 1 - np.float32(0.6) * full

    def _soft(self, cover: NDArray[np.float32]) -> NDArray[np.uint8]:
        return np.asarray(np.round(cv2.GaussianBlur(cover, (0, 0), 0.55) * 255), np.uint8)

    def _film(self, linear: NDArray[np.float32], rng: np.random.Generator) -> NDArray[np.uint8]:
        """The lens and the sensor: a slight blur, falloff to the corners, grain by brightness."""
        h, w = linear.shape[:2]
        linear = cv2.GaussianBlur(linear, (0, 0), 0.55)
        yy, xx = np.mgrid[0:h, 0:w].astype(np.float32)
        r2 = ((xx / w - 0.5) ** 2 + ((yy / h - 0.5) * h / w) ** 2) * 4
        linear = linear * (1 - 0.22 * r2)[..., None]
        grain = rng.standard_normal((h, w, 3)).astype(np.float32)
        grain = cv2.GaussianBlur(grain, (0, 0), 0.7) * 1.7
        linear = linear + grain * (0.0045 + 0.020 * np.sqrt(np.clip(linear, 0, 1)))
        linear = 1.12 * linear / (1 + 0.22 * np.clip(linear, 0, None))
        return encode(np.dstack([linear, np.ones((h, w), np.float32)]).astype(np.float32))


def strokes(scene: Signaller, number: int) -> list[dict[str, object]]:
    """Marks as an artist would draw them on one frame: along the body, legs and arms, and around them."""
    t = (number + 0.25) / FPS
    ox, oy = scene.camera(t)
    parts, unit = pose(t, scene.unit, scene.hip(t)), scene.unit

    def line(*at: tuple[float, float]) -> list[list[float]]:
        return [[round(float(x), 1), round(float(y), 1)] for x, y in at]

    def ends(n: int) -> tuple[tuple[float, float], tuple[float, float]]:
        a = parts.limbs[n]
        return (a[0] + ox, a[1] + oy), (a[4] + ox, a[5] + oy)

    limbs = [ends(n) for n in range(len(parts.limbs))]
    arms = [n for n in range(20, len(limbs)) if parts.limbs[n, 8] == 0]
    hip, chest = limbs[6]
    marks: list[dict[str, object]] = [
        {"kind": "in", "points": line(limbs[11][0], chest, hip)},
        {"kind": "in", "points": line(limbs[1][1], limbs[0][1], limbs[0][0], limbs[3][0], limbs[3][1], limbs[4][1])},
    ]
    for a, b in ((arms[0], arms[1]), (arms[2], arms[3])):
        marks.append({"kind": "in", "points": line(limbs[a][0], limbs[a][1], limbs[b][1])})
    for flag in parts.flags:
        middle = (flag[0] + ox + 0.5 * flag[3] + 0.45 * flag[5], flag[1] + oy + 0.5 * flag[4] + 0.45 * flag[6])
        marks.append(
            {"kind": "in", "points": line((flag[0] + ox + 0.3 * flag[3], flag[1] + oy + 0.3 * flag[4]), middle)}
        )
    x, y = hip
    marks += [
        {"kind": "out", "points": line((x, y + 110 * unit), (x, y + 205 * unit))},
        {"kind": "out", "points": line((x - 80 * unit, y + 30 * unit), (x - 100 * unit, y + 190 * unit))},
        {"kind": "out", "points": line((x + 80 * unit, y + 30 * unit), (x + 110 * unit, y + 190 * unit))},
        {"kind": "out", "points": line((x - 105 * unit, y - 190 * unit), (x - 190 * unit, y - 50 * unit))},
        {"kind": "out", "points": line((x + 120 * unit, y - 190 * unit), (x + 195 * unit, y - 50 * unit))},
        {"kind": "out", "points": line((x - 60 * unit, y - 290 * unit), (x + 60 * unit, y - 290 * unit))},
    ]
    return [{**mark, "radius": 5.0 * unit} for mark in marks]


def render(folder: Path, name: str = "signaller", scale: float = 1.0, frames: int = 72, key: int = 0) -> None:
    """Writes the three files of the clip into `folder`."""
    folder.mkdir(parents=True, exist_ok=True)
    width, height = int(1280 * scale) & ~1, int(720 * scale) & ~1
    scene = Signaller(width, height)
    video = VideoWriter(folder / f"{name}.mp4", "h264", width, height, FPS)
    alpha = VideoWriter(folder / f"{name}.alpha.mkv", "ffv1-grey", width, height, FPS)
    with ThreadPoolExecutor(2) as pool:
        for picture, cover in pool.map(scene.frame, range(frames)):
            video.write(picture)
            alpha.write(cover)
    video.close()
    alpha.close()
    about = {"size": [width, height], "fps": FPS, "attributes": ["articulated", "hand-held", "motion blur"],
             "frame": key, "strokes": strokes(scene, key)}  # fmt: skip
    (folder / f"{name}.json").write_text(json.dumps(about, indent=1) + "\n")


if __name__ == "__main__":
    parser = argparse.ArgumentParser(description="Render the demo clip with its true alpha.")
    parser.add_argument("folder", type=Path)
    parser.add_argument("--scale", type=float, default=1.0)
    parser.add_argument("--frames", type=int, default=72)
    given = parser.parse_args()
    render(given.folder, scale=given.scale, frames=given.frames)
