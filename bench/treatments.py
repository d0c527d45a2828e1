"""Treatments: what each takes of a whole picture at 960 x 540, and of one four times as large."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import numpy as np

from bench.stand import Ready, _median
from cuvrel.core import catalogue
from cuvrel.core.arrays import F32
from cuvrel.core.imaging.blend import through
from cuvrel.core.imaging.colour import decode
from cuvrel.core.media.reader import resized
from cuvrel.core.recipe.context import Context
from cuvrel.core.recipe.declared import Declared, Values, declared
from cuvrel.core.recipe.values import START, Env
from cuvrel.core.warm import warm_up

FRAME, COUNT = 44, 96
Case = tuple[str, str, dict[str, Any], bool, float]
# what it is called, its kind, its values, whether it works on a cut-out, and its figure in ms at 960 x 540
CASES: Sequence[Case] = (
    ("grade, all of it", "grade", {"exposure": 0.3, "contrast": 10, "hue": 8, "shadows": 5}, False, 6),
    ("levels", "levels", {"black": 0.05, "gamma": 1.2}, False, 6),
    ("curves, all and luma", "curves", {"all": [[0, 0.1], [1, 0.9]], "luma": [[0, 0], [0.5, 0.6], [1, 1]]}, False, 6),
    ("slope, offset, power", "cdl", {"slope_red": 1.1, "saturation": 0.9}, False, 6),
    ("selective colour", "selective", {"hue": 60}, False, 6),
    ("toning", "toning", {}, False, 6),
    ("four-corner gradient", "corners", {}, False, 12),
    ("automatic balance, frames cached", "balance", {}, False, 12),
    ("vignette", "vignette", {}, False, 6),
    ("bloom", "bloom", {}, False, 25),
    ("bloom, reach of 500", "bloom", {"radius": 500}, False, 25),
    ("bloom, a reach for each channel", "bloom", {"reach_red": 160, "reach_blue": 60}, False, 25),
    ("glow outline", "glow", {}, True, 20),
    ("glow outline, wandering, drawn in part", "glow", {"wander": 6, "wander_detail": 0.5, "length": 0.4}, True, 20),
    ("trail of 12", "trail", {"count": 12, "spacing": 1}, True, 30),
    ("trail of 40 in screen mode", "trail", {"count": 40, "spacing": 1, "blend": "screen"}, True, 80),
    ("Gaussian blur", "blur", {}, False, 10),
    ("Gaussian blur, radius of 300", "blur", {"radius": 300}, False, 10),
    ("directional blur", "directional", {}, False, 10),
    ("directional blur, length of 400", "directional", {"length": 400}, False, 10),
    ("radial blur, spinning", "radial", {"kind": "spin"}, False, 20),
    ("defocus, radius of 12", "defocus", {}, False, 30),
    ("grain", "grain", {}, False, 8),
    ("posterise", "posterise", {}, False, 6),
    ("halftone, one ink", "halftone", {}, False, 12),
    ("halftone, four inks", "halftone", {"inks": "four"}, False, 12),
    ("edge lines", "edges", {}, False, 15),
    ("edge lines, not steadied", "edges", {"steady": 0}, False, 15),
    ("ink lines", "ink", {}, False, 15),
    ("edges by difference", "differs", {}, False, 12),
    ("hatch lines", "hatch", {}, False, 12),
    ("signal break", "signal", {}, False, 12),
    ("pixel sort", "sort", {}, False, 30),
    ("pixel sort, on a slant", "sort", {"direction": 30}, False, 30),
    ("mirrored slide", "slide", {"frame": 60}, False, 12),
    ("churn", "churn", {}, False, 12),
    ("ripple", "ripple", {}, False, 12),
    ("lens bend", "lens", {}, False, 12),
    ("colour fringe", "fringe", {}, False, 8),
    ("shake", "shake", {}, False, 12),
    ("flicker", "flicker", {}, False, 6),
    ("diffuse", "diffuse", {}, False, 12),
    ("clones, 8 copies", "clones", {"count": 8}, True, 40),
)


class Film:
    """The demo's signaller, as light and cut out, at a size."""

    def __init__(self, ready: Ready, by: int) -> None:
        self._ready, self._by = ready, by
        self._known: dict[tuple[int, bool], F32] = {}

    def matte(self, frame: int) -> F32:
        cover = self._ready.mattes[frame]
        h, w = cover.shape
        return cover if self._by == 1 else np.ascontiguousarray(resized(cover, (h * self._by, w * self._by)))

    def picture(self, frame: int, cut: bool) -> F32:
        if (frame, cut) not in self._known:
            rgb = self._ready.films["1"][frame]
            h, w = rgb.shape[:2]
            if self._by > 1:
                rgb = np.ascontiguousarray(resized(rgb, (h * self._by, w * self._by)))
            light = decode(rgb)
            self._known[frame, cut] = through(light, self.matte(frame)) if cut else light
        return self._known[frame, cut]


def _milliseconds(entry: Declared, values: Values, film: Film, cut: bool, scale: float, times: int) -> float:
    (stage,) = entry.stages
    later: list[Any] = []
    for need in stage.needs(values, FRAME) if stage.needs else []:
        at = need.frame if need.share is None else round(need.share * (COUNT - 1))
        there = 0 <= at < COUNT
        later.append((film.matte(at) if need.what == "matte" else film.picture(at, cut)) if there else None)
    given, matte = film.picture(FRAME, cut), film.matte(FRAME)
    context = Context(scale, matte, now=Env(float(FRAME)))
    more = [later] if stage.needs else []
    return _median(lambda: stage.run(given, values, context, *more), times)


def run() -> None:
    """Prints every figure, with that of the design, and how many times a copy of the same picture it takes."""
    catalogue.load()
    warm_up((0,))
    ready = Ready()
    small, large = Film(ready, 1), Film(ready, 2)
    copy = _median(lambda: small.picture(FRAME, False).copy())
    print(f"Treatments at 960 x 540 (a copy of the picture: {copy:.2f} ms), and at 1920 x 1080")
    for name, kind, more, cut, figure in CASES:
        entry = declared("treatment", kind)
        values = entry.params.model_validate(more).at(START)
        took = _milliseconds(entry, values, small, cut, 0.75, 15)
        wide = _milliseconds(entry, values, large, cut, 1.5, 5) if "40" not in name else float("nan")
        mark = "" if took <= figure else "   over"
        print(f"  {name:<40} {took:7.1f} ms  of {figure:3.0f} {took / copy:7.1f} x {wide:8.1f} ms{mark}", flush=True)
