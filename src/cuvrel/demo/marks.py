"""Draws the demo shot's marks: `python -m cuvrel.demo.marks`.

A simulated artist starts with a few strokes along the figure on every fourteenth frame and adds one
where the matte is most wrong, until it holds. Writes clips/signaller.marks.json.
"""

from __future__ import annotations

import json
from typing import Any

import numpy as np

from cuvrel.core.checks.artist import next_mark
from cuvrel.core.checks.quality import overlap
from cuvrel.core.media.probe import probe
from cuvrel.core.media.reader import Reader
from cuvrel.core.pulls.marks import rasterise
from cuvrel.core.pulls.trace import Prepared, trace
from cuvrel.core.recipe.models import Mark
from cuvrel.demo.project import CLIPS
from cuvrel.demo.render import Signaller, strokes

ENOUGH = 0.955
MOST = 12


def draw(scene: Signaller, frame: int, rgb: np.ndarray, truth: np.ndarray) -> list[dict[str, Any]]:
    """The marks of one frame in the command line's format."""
    marks: list[dict[str, Any]] = []
    for stroke in strokes(scene, frame):
        mark = Mark(id="one", frame=frame, **stroke)
        under = truth[rasterise([mark], mark.kind, truth.shape, (1.0, 1.0))]
        if mark.kind == "in" or (under > 0.3).mean() < 0.01:  # an out mark never crosses the subject
            marks.append({"frame": frame, **stroke})
    ready = Prepared(rgb)
    for _ in range(MOST):
        matte = trace(ready, [Mark(id=f"m{i}", **one) for i, one in enumerate(marks)])
        more = next_mark(matte, truth)
        if overlap(matte, truth) > ENOUGH or more is None:
            break
        kind, radius, points = more
        marks.append({"frame": frame, "kind": kind, "radius": round(radius, 1),
                      "points": [[round(x, 1), round(y, 1)] for x, y in points]})  # fmt: skip
    return marks


def main() -> None:
    """Draws the marks of the whole demo shot."""
    clip, alpha = CLIPS / "signaller.mp4", CLIPS / "signaller.alpha.mkv"
    pictures, truths = Reader(clip, probe(clip)), Reader(alpha, probe(alpha))
    scene, marks = Signaller(), []
    for frame in range(0, 72, 14):
        truth = truths.frame(frame)[..., 0].astype(np.float32) / 255
        marks += draw(scene, frame, pictures.frame(frame), truth)
    (CLIPS / "signaller.marks.json").write_text(json.dumps({"marks": marks}) + "\n")


if __name__ == "__main__":
    main()
