"""A clip in a camera's way: the night watch in a log curve, with all the light of his lantern, and time code.

python -m footage.log FOLDER [--frames N]
"""

from __future__ import annotations

import argparse
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

import cv2
import numpy as np

from cuvrel.core.arrays import F32
from cuvrel.core.imaging.row_kernels import CORES
from cuvrel.core.media.managed import from_light
from cuvrel.core.media.writer import Encoding, VideoWriter, join_videos
from footage.render import Film, lens
from footage.scene import FPS
from footage.scenes import SCENES

NAME, CURVE = "night-watch-log", "ACEScct"
FIRST, FRAMES, SIZE = 20, 32, (640, 360)
TIMECODE, REEL = "21:04:10:00", "Q012"
STOPS = 1.2  # that the sensor is exposed for more than the eye
WRITTEN = Encoding(
    "libx265", "yuv422p10le", {"crf": "13", "preset": "slow", "tag": "hvc1", "x265-params": "log-level=none"}
)


def sensed(light: F32, rng: np.random.Generator) -> F32:
    """Light as a lens and a sensor take it, (H, W, 3) linear: blur, what spreads from highlights, grain, no curve."""
    h, w = light.shape[:2]
    light = lens(light) * np.float32(2.0**STOPS)
    bright = np.maximum(light - 1, 0)
    light = light + cv2.GaussianBlur(bright, (0, 0), h / 50) * 0.12 + cv2.GaussianBlur(bright, (0, 0), h / 150) * 0.1
    grain = cv2.GaussianBlur(rng.standard_normal((h, w, 3)).astype(np.float32), (0, 0), 0.7) * 1.6
    return np.maximum(light + grain * (0.0015 + 0.009 * np.sqrt(light)), 0).astype(np.float32)


def render(folder: Path, frames: int = FRAMES) -> None:
    """Writes the clip into a folder."""
    scene = SCENES["night-watch"]()
    film = Film(scene, SIZE)

    def shot(number: int) -> F32:
        colour, _ = film.exposed(number)
        return sensed(colour * np.float32(scene.exposure(number / FPS)), np.random.default_rng((scene.seed, number)))

    silent = folder / f".{NAME}.mp4"
    writer = VideoWriter(silent, WRITTEN, *SIZE, FPS)
    with ThreadPoolExecutor(CORES) as pool:
        for light in pool.map(shot, range(FIRST, FIRST + frames)):
            writer.write(np.clip(from_light(light, CURVE), 0, 1))
    writer.close()
    join_videos([(silent, frames)], folder / f"{NAME}.mov", None, TIMECODE, REEL)
    silent.unlink()


def main() -> None:
    """Reads the command line."""
    parser = argparse.ArgumentParser(description="Render the clip in a log curve.")
    parser.add_argument("folder", type=Path)
    parser.add_argument("--frames", type=int, default=FRAMES)
    given = parser.parse_args()
    render(given.folder, given.frames)


if __name__ == "__main__":
    main()
