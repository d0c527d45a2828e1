"""A made-up street that a camera walks along, whose truth is known."""

from __future__ import annotations

from pathlib import Path

import cv2
import numpy as np

from cuvrel.core.arrays import U8
from cuvrel.core.camera.lens import Lens, View, fastened, turned
from cuvrel.core.media.writer import VideoWriter

SIZE = (480, 270)
COUNT = 40
LENS = Lens(420.0, SIZE)


def way(n: float, lens: Lens = LENS) -> View:
    """A camera that walks to the right and ahead, and looks a little to the left meanwhile."""
    t = n / COUNT
    turn = turned(np.array([0.03 * np.sin(6 * t), -0.25 * t, 0.02 * np.cos(5 * t)]))
    eye = np.array([1.6 * t, 0.05 * np.sin(9 * t), 0.5 * t])
    return View(turn, -turn @ eye, lens)


def drawn(n: int) -> U8:
    """A wall nine units away and a ground one and a half below, with texture, as the camera of `way` sees them."""
    rng = np.random.default_rng(7)
    tiles = rng.integers(20, 235, (48, 64, 3)).astype(np.uint8)
    texture = cv2.resize(tiles, (640, 480), interpolation=cv2.INTER_CUBIC)
    texture = np.clip(texture + rng.normal(0, 12, texture.shape), 0, 255).astype(np.uint8)
    view = way(n)
    out = np.zeros((SIZE[1], SIZE[0], 3), np.uint8)
    wall = fastened(view, np.array([-8.0, -6, 9]), np.array([0.028, 0, 0]), np.array([0, 0.0157, 0]))
    ground = fastened(view, np.array([-8.0, 1.5, 9]), np.array([0.028, 0, 0]), np.array([0, 0, -0.0125]))
    for lies in (wall, ground):
        mask = cv2.warpPerspective(np.full(texture.shape[:2], 255, np.uint8), lies, SIZE)
        out[mask > 0] = cv2.warpPerspective(texture, lies, SIZE, flags=cv2.INTER_AREA)[mask > 0]
    return out


def write(path: Path, frames: int) -> Path:
    """The first frames of it as a video."""
    video = VideoWriter(path, "h264-small", *SIZE, 24)
    for n in range(frames):
        video.write(drawn(n))
    video.close()
    return path
