"""Writes made-up clips in the benchmark's folder format: `python -m training benchmark-clips FOLDER --clips 12`.

Their seeds are far from those that networks are trained on.
"""

from __future__ import annotations

import argparse
import json
from collections.abc import Sequence
from pathlib import Path

import numpy as np

from cuvrel.core.media.writer import VideoWriter
from training.composites import clip
from training.strokes import first_marks

FIRST = 900_000
SIZE = (960, 540)


def write(folder: Path, seed: int, frames: int) -> bool:
    """One clip; tells whether its subject was there to be marked."""
    pictures, truths = clip(seed, SIZE, frames)
    areas = [int((t > 0.5).sum()) for t in truths]
    key = int(np.argmax(areas[: frames // 2]))
    marks = first_marks(np.random.default_rng(seed), truths[key], key)
    if areas[key] < 800 or not any(m.kind == "in" for m in marks):
        return False
    name = f"made-{seed - FIRST:02}"
    movie = VideoWriter(folder / f"{name}.mp4", "h264-small", *SIZE, 24)
    alpha = VideoWriter(folder / f"{name}.alpha.mkv", "ffv1-grey", *SIZE, 24)
    for picture, truth in zip(pictures, truths, strict=True):
        movie.write(picture)
        alpha.write(np.round(truth * 255).astype(np.uint8))
    movie.close()
    alpha.close()
    about = {
        "size": list(SIZE),
        "fps": 24,
        "attributes": ["made up"],
        "frame": key,
        "strokes": [{"kind": m.kind, "radius": m.radius, "points": m.points} for m in marks],
    }
    (folder / f"{name}.json").write_text(json.dumps(about, indent=1) + "\n")
    return True


def main(arguments: Sequence[str] | None = None) -> None:
    """Reads the command line."""
    parser = argparse.ArgumentParser("python -m training benchmark-clips", description="Write made-up benchmark clips.")
    parser.add_argument("folder", type=Path)
    parser.add_argument("--clips", type=int, default=12)
    parser.add_argument("--frames", type=int, default=40)
    given = parser.parse_args(arguments)
    given.folder.mkdir(parents=True, exist_ok=True)
    seed, count = FIRST, 0
    while count < given.clips:
        count += write(given.folder, seed, given.frames)
        seed += 1
