"""Renders the harbour footage: `python -m footage.render FOLDER [--clips A,B] [--scale 1.0] [--frames N]`.

Writes the benchmark's folder format: NAME.mp4, NAME.alpha.mkv (true coverage; a second subject's is
NAME.OWNER.alpha.mkv) and NAME.json, and the elements and stills.
"""

from __future__ import annotations

import argparse
import itertools
import json
import re
import threading
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path
from typing import Any

import cv2
import numpy as np

from cuvrel.core.arrays import F32, F64, U8
from cuvrel.core.imaging.colour import encode
from cuvrel.core.imaging.row_kernels import CORES
from cuvrel.core.media.writer import VideoWriter
from footage import elements, expose
from footage.backdrop import Backdrop, trace_set
from footage.body import TONES, bounding, cone
from footage.quay import Camera
from footage.scene import FPS, Scene, shaken
from footage.scenes import SCENES

SHUTTER = 0.5  # of a frame: a 180 degree shutter
UNSEEN = cone((0.0, -1000.0, 0.0), 0.01, (0.0, -1000.0, 0.1), 0.01, 0, 0)  # a part where nobody looks


class Film:
    """A scene at a size; `frame` exposes any frame of it, the same for the same seed, for several threads at once."""

    def __init__(
        self, scene: Scene, size: tuple[int, int], samples: int | None = None, instants: int | None = None
    ) -> None:
        self.scene, self.size, self.instants = scene, size, instants or scene.instants
        self._samples, self._light, self.tones = samples or scene.samples, scene.light.row(), TONES
        self.margin = max(8, int(np.ceil(2.2 * scene.shake * size[1])) + 4)
        self.set = None if scene.way else self.traced(scene.camera)
        self._posing = threading.Lock()

    def traced(self, camera: Camera) -> Backdrop:
        """The set as a camera sees it."""
        scene = self.scene
        return trace_set(camera, scene.light, scene.solids, self.size, self.margin, self._samples, scene.ground)

    def times(self, number: int) -> F64:
        """The instants of a frame, in seconds."""
        return (number + (np.arange(self.instants) + 0.5) / self.instants * SHUTTER) / FPS

    def exposed(self, number: int) -> tuple[F32, F32]:
        """The light that a frame lets in, (H, W, 3) float32, linear, and each subject's true coverage, (H, W, N).

        A camera that moves stands still for a part of the shutter's time, as often as the scene has exposures.
        """
        times = self.times(number)
        parts = np.array_split(times, min(self.scene.exposures, len(times)) if self.scene.way else 1)
        found = [self._exposed(part, number + 997 * n) for n, part in enumerate(parts)]
        shares = [len(part) / len(times) for part in parts]
        colour, cover = (sum(share * one[k] for share, one in zip(shares, found, strict=True)) for k in (0, 1))
        return np.asarray(colour, np.float32), np.asarray(cover, np.float32)

    def _exposed(self, times: F64, seed: int) -> tuple[F32, F32]:
        w, h = self.size
        scene, middle = self.scene, len(times) // 2
        camera = scene.seen_from(float(times[middle]))
        backdrop = self.traced(camera) if self.set is None else self.set
        # a scene's people keep their last pose: two frames that are drawn at once would mix theirs
        with self._posing:
            poses = _even([scene.parts(float(t)) or [UNSEEN] for t in times])
        balls = np.array([bounding(pose) for pose in poses])
        shifts = np.array([shaken(scene, float(t)) for t in times], np.float32) * np.float32(h)
        lamp = np.array(scene.lamp(float(times[middle])) if scene.lamp else [0.0] * 7, np.float32)
        behind = self._lit(backdrop, camera.row(), poses[middle], balls[middle], lamp)
        colour, cover = np.zeros((h, w, 3), np.float32), np.zeros((h, w, len(scene.owners)), np.float32)
        expose.expose(
            0,
            -(-h // expose.TILE),
            camera.row(),
            self._light,
            lamp,
            self.tones,
            poses,
            balls,
            shifts,
            behind,
            self.margin,
            scene.seed * 7001 + seed * 13,
            colour,
            cover,
        )
        return colour, cover

    def frame(self, number: int) -> tuple[U8, list[U8]]:
        """(H, W, 3) uint8 sRGB and each subject's true coverage, (H, W) uint8, as the lens draws them."""
        scene = self.scene
        colour, cover = self.exposed(number)
        rng = np.random.default_rng((scene.seed, number))
        picture = develop(colour * np.float32(scene.exposure(number / FPS)), rng, 1.15 if scene.lamp else 1.0)
        return picture, [
            np.round(np.clip(lens(cover[..., n]), 0, 1) * 255).astype(np.uint8) for n in range(cover.shape[2])
        ]

    def _lit(self, backdrop: Backdrop, camera: F32, parts: F32, balls: F32, lamp: F32) -> F32:
        """The backdrop with the figures' shadows and the lamp's light on it."""
        step, margin, about = 2, backdrop.margin, backdrop.about
        shape = about.shape[0] // step + 1, about.shape[1] // step + 1
        shade = np.ones((*shape, 2), np.float32)
        expose.shadows(0, shape[0], camera, self._light, parts, balls, margin, step, about, shade)
        shade = cv2.GaussianBlur(shade, (0, 0), 1.1)
        full = cv2.resize(shade, (about.shape[1], about.shape[0]), interpolation=cv2.INTER_LINEAR)
        out = backdrop.sunlit * full[..., :1] + backdrop.ambient * full[..., 1:]
        if lamp[6] > 0:
            glow = np.zeros((*shape, 3), np.float32)
            expose.lamplight(0, shape[0], camera, lamp, margin, step, about, glow)
            glow = cv2.GaussianBlur(glow, (0, 0), 0.8)
            out = out + cv2.resize(glow, (about.shape[1], about.shape[0]), interpolation=cv2.INTER_LINEAR)
        return np.ascontiguousarray(out, np.float32)


def _even(poses: list[list[list[float]]]) -> F32:
    """Poses as one array: where one has fewer parts (a wing that folds), parts that nobody sees fill up."""
    most = max(len(pose) for pose in poses)
    return np.array([[*pose, *[UNSEEN] * (most - len(pose))] for pose in poses], np.float32)


def lens(picture: F32) -> F32:
    """The lens draws nothing sharper than this."""
    return np.asarray(cv2.GaussianBlur(picture, (0, 0), 0.6), np.float32)


def develop(linear: F32, rng: np.random.Generator, grainy: float = 1.0) -> U8:
    """The lens and the sensor: blur, light that spreads from highlights, falloff, grain, a film's curve."""
    h, w = linear.shape[:2]
    linear = lens(linear)
    bright = np.clip(linear - 0.9, 0, 3)
    if bright.max() > 0.02:
        linear = (
            linear + cv2.GaussianBlur(bright, (0, 0), h / 48) * 0.35 + cv2.GaussianBlur(bright, (0, 0), h / 160) * 0.25
        )
    yy, xx = np.mgrid[0:h, 0:w].astype(np.float32)
    r2 = ((xx / w - 0.5) ** 2 + ((yy / h - 0.5) * h / w) ** 2) * 4
    linear = linear * (1 - 0.26 * r2)[..., None]
    grain = rng.standard_normal((h, w, 3)).astype(np.float32)
    grain = cv2.GaussianBlur(grain, (0, 0), 0.75) * 1.8 * np.float32(grainy)
    linear = linear + grain * (0.0035 + 0.017 * np.sqrt(np.clip(linear, 0, 1)))
    x = np.clip(linear, 0, None) * 1.12
    # a curve with a soft shoulder and a little toe
    curved = (x * (1.06 * x + 0.12)) / (x * (0.94 * x + 0.62) + 0.06)
    return encode(np.dstack([curved * 0.9, np.ones((h, w), np.float32)]).astype(np.float32))


def strokes(film: Film, truth: U8) -> list[dict[str, Any]]:
    """The scene's marks on its key frame as an artist would draw them, in pixels.

    truth: (H, W) the first subject's coverage there: an artist sees where the subject is, and no stroke
    crosses its outline.
    """
    scene, h = film.scene, film.size[1]
    t = float(film.times(scene.key)[film.instants // 2])
    sx, sy = shaken(scene, t)
    out = []
    for kind, points, owner in scene.marks(t):
        if owner > 1:
            continue
        camera = scene.seen_from(t)
        flat = [camera.project(p, film.size) for p in points]
        kept = _within([(x - sx * h, y - sy * h) for x, y in flat], kind, truth, 6.0 * h / 720)
        if kept:
            out.append({"kind": kind, "radius": round(5.0 * h / 720, 2), "points": kept})
    return out


def _within(points: list[tuple[float, float]], kind: str, truth: U8, room: float) -> list[list[float]]:
    """The longest stretch of a stroke that keeps `room` pixels from the outline, with a point now and then."""
    wrong = (truth < 128) if kind == "in" else (truth > 6)
    free = cv2.distanceTransform((~wrong).astype(np.uint8), cv2.DIST_L2, 5)
    dense: list[tuple[float, float]] = points[:1]
    for (x0, y0), (x1, y1) in itertools.pairwise(points):
        count = max(1, int(np.hypot(x1 - x0, y1 - y0) / 2))
        dense += [(x0 + (x1 - x0) * k / count, y0 + (y1 - y0) * k / count) for k in range(1, count + 1)]
    best: list[tuple[float, float]] = []
    run: list[tuple[float, float]] = []
    for x, y in [*dense, (-1.0, -1.0)]:
        inside = 0 <= x < truth.shape[1] and 0 <= y < truth.shape[0]
        if inside and free[int(y), int(x)] > room * (0.5 if kind == "in" else 1.5):
            run.append((x, y))
            continue
        best, run = max(best, run, key=len), []
    best = [best[0], *best[6:-1:6], best[-1]] if len(best) > 1 else best
    return [[round(x, 1), round(y, 1)] for x, y in best]


def _truth(film: Film) -> dict[str, Any]:
    """What else is known per frame, its places in pixels."""
    scene, h = film.scene, film.size[1]
    out: dict[str, Any] = {}
    for name, know in scene.extra.items():
        rows = []
        for number in range(scene.frames):
            t = float(film.times(number)[film.instants // 2])
            sx, sy = shaken(scene, t)
            camera = scene.seen_from(t)

            def pixel(point: Any, sx: float = sx, sy: float = sy, camera: Camera = camera) -> list[float]:
                x, y = camera.project(np.asarray(point), film.size)
                return [round(x - sx * h, 2), round(y - sy * h, 2)]

            found = know(t)
            if name == "faces":
                row = camera.row()
                found = [
                    {
                        "who": f["who"],
                        "centre": pixel(f["centre"]),
                        "radius": round(
                            f["radius"] / float((np.asarray(f["centre"]) - row[0:3]) @ row[9:12]) * camera.focal * h,
                            2,
                        ),
                    }
                    for f in found
                ]
            else:
                found = [pixel(p) for p in found]
            rows.append(found)
        out[name] = rows
    return out


def slug(owner: str) -> str:
    """A subject's name as a part of a file's name."""
    return re.sub(r"[^a-z]+", "-", owner.lower())


def render(
    folder: Path,
    name: str = "signaller",
    scale: float = 1.0,
    frames: int | None = None,
    samples: int | None = None,
    instants: int | None = None,
    to: str | None = None,
) -> None:
    """Writes the files of a clip into `folder`, under its own name or `to`."""
    folder.mkdir(parents=True, exist_ok=True)
    scene = SCENES[name]()
    scene.frames = min(frames or scene.frames, scene.frames)
    scene.key = min(scene.key, scene.frames - 1)
    size = int(1280 * scale) & ~1, int(720 * scale) & ~1
    film = Film(scene, size, samples, instants)
    name = to or name
    video = VideoWriter(folder / f"{name}.mp4", "h264-small", *size, FPS)
    alphas = [
        folder / (f"{name}.alpha.mkv" if n == 0 else f"{name}.{slug(owner)}.alpha.mkv")
        for n, owner in enumerate(scene.owners)
    ]
    writers = [VideoWriter(path, "ffv1-grey", *size, FPS) for path in alphas]
    with ThreadPoolExecutor(CORES) as pool:
        for picture, covers in pool.map(film.frame, range(scene.frames)):
            video.write(picture)
            for writer, cover in zip(writers, covers, strict=True):
                writer.write(cover)
    for writer in (video, *writers):
        writer.close()
    about = {
        "size": list(size),
        "fps": FPS,
        "attributes": scene.attributes,
        "frame": scene.key,
        "strokes": strokes(film, film.frame(scene.key)[1][0]),
        "subjects": {owner: path.name for owner, path in zip(scene.owners, alphas, strict=True)},
        **_truth(film),
    }
    (folder / f"{name}.json").write_text(json.dumps(about, indent=1) + "\n")


def main() -> None:
    """Reads the command line."""
    parser = argparse.ArgumentParser(description="Render the harbour footage with its true alpha.")
    parser.add_argument("folder", type=Path)
    parser.add_argument("--clips", help="names with commas between; all by default")
    parser.add_argument("--scale", type=float, default=1.0)
    parser.add_argument("--frames", type=int)
    parser.add_argument("--samples", type=int, help="of the set, a pixel; fewer is quicker and noisier")
    given = parser.parse_args()
    for name in given.clips.split(",") if given.clips else SCENES:
        render(given.folder, name, given.scale, given.frames, given.samples)
    if not given.clips:
        elements.render(given.folder, given.scale, given.frames or elements.FRAMES)


if __name__ == "__main__":
    main()
