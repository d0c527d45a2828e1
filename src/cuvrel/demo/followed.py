"""The demo shots' followed mattes as they ship, so that a first start need not follow eight clips.

NAME.matte.mkv is grey FFV1: a frame for each frame of the clip, then the mattes that touched frames had
before they were mended. NAME.frames.json says where each came from: origin, doubt, halt, and the number of
its earlier matte if there is one.
"""

from __future__ import annotations

import json
from dataclasses import asdict, dataclass
from pathlib import Path
from typing import Any

import numpy as np

from cuvrel.core.arrays import U8
from cuvrel.core.follow.plan import Frame
from cuvrel.core.media.probe import probe
from cuvrel.core.media.reader import Reader
from cuvrel.core.media.writer import VideoWriter


@dataclass(frozen=True)
class Kept:
    """A matte frame, (H, W) uint8, and what is known of it; base: what it was before it was mended."""

    number: int
    matte: U8
    origin: str
    doubt: float
    halt: dict[str, Any] | None = None
    base: Kept | None = None


def settled(frames: list[Frame]) -> list[Kept]:
    """What a follow leaves: of frames that came more than once the last, and of touched ones what was before."""
    last: dict[int, Kept] = {}
    for frame in frames:
        grey = np.round(np.clip(frame.matte, 0, 1) * 255).astype(np.uint8)
        halt = asdict(frame.halt) if frame.halt else None
        before = last.get(frame.number) if frame.origin == "touched" else None
        last[frame.number] = Kept(frame.number, grey, frame.origin, frame.doubt, halt, before)
    return [last[number] for number in sorted(last)]


def write(folder: Path, name: str, kept: list[Kept]) -> None:
    """Writes the two files. Every frame of the clip must be there, in order."""
    height, width = kept[0].matte.shape
    video = VideoWriter(folder / f"{name}.matte.mkv", "ffv1-grey", width, height, 24)
    bases = [one.base for one in kept if one.base is not None]
    for one in (*kept, *bases):
        video.write(one.matte)
    video.close()
    rows, behind = [], len(kept)
    for one in kept:
        row: dict[str, Any] = {"origin": one.origin, "doubt": round(one.doubt, 4), "halt": one.halt}
        if one.base is not None:
            row["base"] = {"at": behind, "doubt": round(one.base.doubt, 4), "halt": one.base.halt}
            behind += 1
        rows.append(row)
    (folder / f"{name}.frames.json").write_text("[\n" + ",\n".join(json.dumps(row) for row in rows) + "\n]\n")


def read(folder: Path, name: str) -> list[Kept]:
    """The inverse of `write`."""
    path = folder / f"{name}.matte.mkv"
    video = Reader(path, probe(path), keep_bytes=0)

    def grey(number: int) -> U8:
        return np.ascontiguousarray(video.frame(number)[..., 0])

    rows = json.loads((folder / f"{name}.frames.json").read_text())
    mattes = [grey(number) for number in range(len(rows))]
    kept = []
    for number, row in enumerate(rows):
        base = row.get("base")
        before = Kept(number, grey(base["at"]), "followed", base["doubt"], base["halt"]) if base else None
        kept.append(Kept(number, mattes[number], row["origin"], row["doubt"], row["halt"], before))
    video.close()
    return kept
