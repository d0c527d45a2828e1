"""Draws the demo shots' marks: `python -m cuvrel.demo.marks [NAME ...]`.

A simulated artist starts from the clip's own strokes and then does what a person would: follows, goes to
the worst frame, mends it with a few strokes, follows again, until every frame holds. Writes
clips/NAME.marks.json, and what following makes of these marks beside it.
"""

from __future__ import annotations

import json
import sys
from typing import Any

import numpy as np

from cuvrel.core.arrays import F32
from cuvrel.core.checks.quality import overlap
from cuvrel.core.follow.artist import mended
from cuvrel.core.follow.plan import Frame, FramesInMemory, refollow
from cuvrel.core.follow.run import Settings
from cuvrel.core.media.probe import probe
from cuvrel.core.media.reader import Reader
from cuvrel.core.recipe.models import Mark
from cuvrel.core.trace.prepared import prepare
from cuvrel.demo import followed
from cuvrel.demo.project import CLIPS, NAMES

ENOUGH = 0.92  # J that every frame shall hold
STROKES = 5  # the most that are drawn on one frame at a time
SHARE = 0.2  # of the frames that may be touched at the most, and
HARD = {"gull": 0.6}  # where following holds for a frame or two only


def draw(name: str) -> tuple[list[Mark], list[followed.Kept]]:
    """The marks of a whole clip, and the mattes that the artist ends with."""
    movie, alpha = CLIPS / f"{name}.mp4", CLIPS / f"{name}.alpha.mkv"
    info = probe(movie)
    pictures, truths = Reader(movie, info), Reader(alpha, probe(alpha), keep_bytes=0)
    truth: list[F32] = [truths.frame(n)[..., 0].astype(np.float32) / np.float32(255) for n in range(info.frames)]
    about = json.loads((CLIPS / f"{name}.json").read_text())
    key = int(about["frame"])
    marks = [Mark(id=f"k{i}", frame=key, **stroke) for i, stroke in enumerate(about["strokes"])]
    mattes: dict[int, F32] = {}
    work: list[Frame] = []

    def touch(number: int) -> None:
        mend(pictures, number, truth[number], mattes.get(number), marks, mattes)
        touched.add(number)
        work.append(frames.touch(number, mattes[number]))
        for frame in refollow(pictures.frame, info.frames, frames, number, Settings()):
            mattes[frame.number] = frame.matte
            work.append(frame)

    touched, frames = set[int](), FramesInMemory()
    touch(key)
    while len(touched) < HARD.get(name, SHARE) * info.frames:
        js = {n: overlap(mattes[n], truth[n]) for n in range(info.frames) if n not in touched}
        worst = min(js, key=lambda n: js[n])
        if js[worst] >= ENOUGH:
            break
        touch(worst)
        print(f"{name}: frame {worst}, J {js[worst]:.3f} -> {overlap(mattes[worst], truth[worst]):.3f}", flush=True)
    print(f"{name}: mean J {np.mean([overlap(mattes[n], truth[n]) for n in range(info.frames)]):.3f}", flush=True)
    return marks, followed.settled(work)


def mend(
    pictures: Reader, number: int, truth: F32, prior: F32 | None, marks: list[Mark], mattes: dict[int, F32]
) -> None:
    """Adds strokes to one frame until it holds; `marks` and `mattes` are brought up to date."""
    ready = prepare(pictures.frame, pictures.info.frames, number)
    here = [mark for mark in marks if mark.frame == number]
    mattes[number], drawn = mended(ready, prior, truth, STROKES, here, ENOUGH + 0.03)
    marks += [mark.model_copy(update={"frame": number}) for mark in drawn[len(here) :]]


def main() -> None:
    """Draws the marks of the named clips, or of all of them."""
    for name in sys.argv[1:] or NAMES:
        marks, kept = draw(name)
        rows: list[dict[str, Any]] = [mark.model_dump(mode="json", exclude={"id"}) for mark in marks]
        text = ",\n".join(json.dumps(row) for row in rows)
        (CLIPS / f"{name}.marks.json").write_text('{"marks": [\n' + text + "\n]}\n")
        followed.write(CLIPS, name, kept)


if __name__ == "__main__":
    main()
