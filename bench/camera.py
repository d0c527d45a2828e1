"""The solved camera on clips of the harbour whose true camera is known: `python -m bench camera`.

Each clip is drawn once into a folder. Its anchors are places of the set that a frame shows; where the solved scene says
they are on all other frames is held against where they truly are, also where something hides them.
"""

from __future__ import annotations

import json
import time
from concurrent.futures import ThreadPoolExecutor
from dataclasses import replace
from pathlib import Path
from typing import Any

import cv2
import numpy as np
from footage.moves import BEND, MOVES, anchors
from footage.render import Film
from footage.scene import FPS, Scene

from cuvrel.core.arrays import F32, F64
from cuvrel.core.camera.interchange import anchored, solved
from cuvrel.core.camera.solve import NotSolved
from cuvrel.core.imaging.row_kernels import CORES
from cuvrel.core.media.probe import probe
from cuvrel.core.media.reader import Reader
from cuvrel.core.media.writer import VideoWriter

SIZE = (640, 360)
WIDER = 1.25  # of a picture that a lens then bends


def bent(places: F64, focal: float, bend: float, size: tuple[int, int] = SIZE) -> F64:
    """Where a lens that bends shows what a straight one shows at places, (N, 2) pixels."""
    at = (places - np.array(size) / 2) / focal
    return at * (1 + bend * (at**2).sum(axis=1, keepdims=True)) * focal + np.array(size) / 2


def _bending(focal: float) -> F32:
    """For each pixel of the bent picture where it lies in a wider straight one, (H, W, 2)."""
    w, h = SIZE
    wide, high = round(w * WIDER), round(h * WIDER)
    grid = np.stack(np.meshgrid(np.arange(w) + 0.5, np.arange(h) + 0.5), -1).reshape(-1, 2).astype(np.float64)
    at = grid.copy()
    for _ in range(30):
        at = at + (grid - bent(at, focal, BEND))
    margin = np.array([(wide - w) / 2, (high - h) / 2])
    return (at + margin - 0.5).reshape(h, w, 2).astype(np.float32)


def drawn(folder: Path, name: str, scale: float = 1.0, samples: int = 2) -> dict[str, Any]:
    """What is known of a clip; it is drawn where it is not there yet."""
    told = folder / f"{name}.json"
    if told.exists():
        found: dict[str, Any] = json.loads(told.read_text())
        return found
    folder.mkdir(parents=True, exist_ok=True)
    scene: Scene = MOVES[name]()
    bends = name == "bend"
    size = (round(SIZE[0] * WIDER), round(SIZE[1] * WIDER)) if bends else SIZE
    if bends:
        way = MOVES["arc"]().seen_from
        scene.way = lambda t: replace(way(t), focal=way(t).focal / WIDER)
    film = Film(scene, size, samples, scene.instants if scene.exposures > 1 else 3)
    lens = _bending(scene.seen_from(0).focal * size[1]) if bends else None
    video = VideoWriter(folder / f"{name}.mp4", "h264-small", *SIZE, FPS)
    alpha = VideoWriter(folder / f"{name}.alpha.mkv", "ffv1-grey", *SIZE, FPS) if scene.owners else None
    with ThreadPoolExecutor(CORES) as pool:
        for picture, covers in pool.map(film.frame, range(scene.frames)):
            if lens is not None:
                picture = np.asarray(cv2.remap(picture, lens, None, cv2.INTER_CUBIC), np.uint8)
            video.write(picture)
            if alpha is not None:
                alpha.write(covers[0])
    for one in (video, alpha):
        if one is not None:
            one.close()
    frame = scene.frames // 2
    places = anchors(scene, frame, size)
    truth, focals = [], []
    for n in range(scene.frames):
        camera = scene.seen_from((n + 0.25) / FPS)
        at = np.array([camera.project(place, size) for place in places])
        focal = camera.focal * size[1]
        if bends:
            at = bent(at - (np.array(size) - SIZE) / 2, focal, BEND)
        truth.append(np.round(at, 3).tolist())
        focals.append(round(focal, 3))
    about = {"frame": frame, "anchors": truth, "focal": focals, "masked": alpha is not None}
    told.write_text(json.dumps(about))
    return about


def run(names: str | None, folder: Path) -> None:
    """Prints for each clip how far its anchors are seen from where they are, and frames a second."""
    print(f"The camera at {SIZE[0]} x {SIZE[1]}; error of places of the scene in px, median / 90th percentile")
    for name in names.split(",") if names else MOVES:
        about = drawn(folder, name)
        truth, frame = np.array(about["anchors"], np.float64), int(about["frame"])
        inside = ((truth > 0) & (truth < np.array(SIZE))).all(axis=2)
        truth, inside = truth[:, inside[frame]], inside[:, inside[frame]]
        clip = folder / f"{name}.mp4"
        reader = Reader(clip, probe(clip), keep_bytes=1 << 29)
        cover = None
        if about["masked"]:
            alpha = folder / f"{name}.alpha.mkv"
            masks = Reader(alpha, probe(alpha), keep_bytes=1 << 29)
            cover = lambda n, masks=masks: masks.frame(n)[..., 0].astype(np.float32) / 255  # noqa: E731
        count = len(truth)
        began = time.perf_counter()
        try:
            scene, followed = solved(reader.frame, cover, SIZE, 0, count - 1)
        except NotSolved as fault:
            print(f"  {name:<10} not solved: {fault.message}", flush=True)
            continue
        took = time.perf_counter() - began
        places = anchored(scene, followed, reader.frame, frame, [(float(x), float(y)) for x, y in truth[frame]])
        assert places is not None
        at = np.array([one.at for one in places])
        off = np.full(inside.shape, np.nan)
        for n, view in scene.views.items():
            off[n] = np.hypot(*(view.seen(at) - truth[n]).T)
        off[~inside] = np.nan
        drift = np.nanmedian(np.abs(np.diff(off, axis=0)))
        focal = scene.views[frame].lens.focal / float(about["focal"][frame])
        print(f"  {name:<10} {np.nanmedian(off):5.2f} / {np.nanpercentile(off, 90):5.2f}   focal length x {focal:.2f} "
              f"{scene.error:.2f} px off   {count / took:4.1f} frames/s   from frame to frame {drift:.3f}   "
              f"{'turns alone' if scene.still else ''} {scene.says}", flush=True)  # fmt: skip
