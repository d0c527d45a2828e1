"""The demo shots' tracks as they ship, so that a first start need not follow them: NAME.tracks.json beside the clip.

Run as a program it follows the tracks of the named clips, or of all that have some, and writes the files.
"""

from __future__ import annotations

import json
import sys
from collections.abc import Iterator, Sequence
from pathlib import Path
from typing import Any

import numpy as np

from cuvrel.core import catalogue
from cuvrel.core.media.probe import probe
from cuvrel.core.media.reader import Reader
from cuvrel.core.recipe.tracks import Track
from cuvrel.core.tracks.path import Measured
from cuvrel.core.tracks.plan import FramesInMemory, TrackPass, ways
from cuvrel.core.tracks.pyramids import Scenes

Doc = dict[str, Any]
CLIPS = Path(__file__).parent / "clips"


def _round(x: float, y: float, wide: float, high: float) -> list[list[float]]:
    """An outline of sixteen points about a place."""
    turns = np.arange(16) * (2 * np.pi / 16)
    points = np.column_stack([x + wide / 2 * np.cos(turns), y + high / 2 * np.sin(turns)])
    return [[round(float(n), 1) for n in point] for point in points]


def _track(ident: str, name: str, kind: str, frame: int, points: Sequence[Sequence[float]], **params: Any) -> Doc:
    return {"id": ident, "name": name, "kind": kind, "frame": frame, "points": points, "params": params}


TRACKS: dict[str, list[Doc]] = {
    "signaller": [
        _track("head", "Head", "region", 0, _round(610, 296, 76, 90)),
        _track("coat", "Coat", "region", 0, _round(610, 428, 150, 170)),
    ],
    "notice-board": [
        _track("board", "Board", "patch", 36, [[508.0, 265.3], [736.2, 282.9], [736.8, 443.4], [508.4, 460.5]]),
    ],
    "porters": [
        _track("carrier", "Carrier's head", "region", 71, _round(576, 310, 66, 84)),
        _track("capped", "Capped head", "region", 0, _round(1108, 330, 60, 64)),
    ],
}


def follow(name: str) -> Doc:
    """All tracks of a clip, followed both ways: by id, what is stored of each frame."""
    file = CLIPS / f"{name}.mp4"
    reader = Reader(file, probe(file))
    scenes, last = Scenes(reader.frame), reader.info.frames - 1
    out: Doc = {}
    for raw in TRACKS[name]:
        track, kept = Track.model_validate(raw), FramesInMemory()
        for start, step, end in ways(track, None, track.frame, 0, last):
            for _ in TrackPass(scenes, track, kept, start, step, end):
                pass
        lost = sum(one.before is None and one.after is None for one in kept.frames.values())
        print(f"{name}, {track.name}: {len(kept.frames)} frames, {lost} not seen", flush=True)
        out[track.id] = {str(n): json.loads(kept.frames[n].packed()) for n in sorted(kept.frames)}
    return out


def read(folder: Path, name: str) -> Iterator[tuple[str, int, bytes, float]]:
    """Of each stored frame of a clip's tracks the track's id, its number, what is stored, and its doubt."""
    file = folder / f"{name}.tracks.json"
    if not file.exists():
        return
    for track, frames in json.loads(file.read_text()).items():
        for number, about in frames.items():
            measured = Measured.unpacked(json.dumps(about).encode())
            yield track, int(number), measured.packed(), measured.doubt


def main() -> None:
    """Follows the tracks of the named clips, or of all."""
    catalogue.load()
    for name in sys.argv[1:] or TRACKS:
        rows = [f'"{track}": {{\n' + ",\n".join(f'"{n}": {json.dumps(one, separators=(",", ":"))}'
                for n, one in frames.items()) + "\n}" for track, frames in follow(name).items()]  # fmt: skip
        (CLIPS / f"{name}.tracks.json").write_text("{" + ",\n".join(rows) + "}\n")


if __name__ == "__main__":
    main()
