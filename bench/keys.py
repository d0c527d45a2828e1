"""Pulls that need no marks: how long each takes at 960 x 540, and how near the truth keys come."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from statistics import median
from time import perf_counter
from typing import Any

import numpy as np

from bench.mattes import Case, cases
from cuvrel.core import catalogue
from cuvrel.core.arrays import F32, U8
from cuvrel.core.checks.quality import overlap
from cuvrel.core.edge.edge import edge
from cuvrel.core.keys.clean_plate import median_plate, spaced
from cuvrel.core.keys.colour_fit import fitted
from cuvrel.core.keys.colour_key import sampled
from cuvrel.core.keys.difference_key import suggested
from cuvrel.core.recipe.check import read_shot
from cuvrel.core.recipe.context import Context
from cuvrel.core.recipe.declared import declared
from cuvrel.core.recipe.values import START
from cuvrel.core.stand.build import Stand
from cuvrel.core.stand.nodes import Cache, work_out
from cuvrel.core.stand.sources import FrameSources

CLIPS = Path("src/cuvrel/demo/clips")
HERE = Context(0.75)  # 540 lines of 720
SOFT = {"inner": 20, "outer": 30}
ELLIPSE = {
    "id": "h1",
    "name": "Arm",
    "kind": "ellipse",
    "keys": [
        {"frame": 0, "x": 640, "y": 360, "width": 500, "height": 400, **SOFT},
        {"frame": 40, "x": 700, "y": 330, "width": 520, "height": 420, **SOFT},
    ],
}


def in_memory(case: Case, clean: U8) -> FrameSources:
    """A clip, its truth as stored frames, and a clean plate."""
    return FrameSources(
        lambda ident, frame: case.pictures[frame] if ident == "1" else clean, lambda _, frame: case.truths[frame]
    )


def _case(name: str) -> Case:
    return next(cases([CLIPS], name, None, 540))


def _values(kind: str, **changes: Any) -> dict[str, Any]:
    return {**declared("pull", kind).params().at(START), **changes}


def _timed(work: Callable[[int], Any], frames: int = 24) -> float:
    """Median milliseconds over different frames."""
    work(0)
    times = []
    for n in range(1, frames):
        begun = perf_counter()
        work(n)
        times.append(1000 * (perf_counter() - begun))
    return median(times)


def _mean(case: Case, matte: Callable[[int], F32]) -> float:
    return float(np.mean([overlap(matte(n), case.truths[n]) for n in range(case.count)]))


def _say(what: str, value: float, unit: str, bar: str) -> None:
    print(f"  {what:62} {value:8.3f} {unit:3}  bar {bar}", flush=True)


def _edged(cover: F32, **values: Any) -> F32:
    entry = declared("edge", "edge")
    return edge(cover, {**entry.params().at(START), **values}, HERE)


def _box(case: Case, rows: tuple[float, float], cols: tuple[float, float]) -> tuple[int, int, int, int]:
    """A box in the subject of the marked frame, by hundredths of its height and width."""
    ys, xs = np.nonzero(case.truths[case.key] > 0.5)
    (y0, y1), (x0, x1) = np.percentile(ys, rows), np.percentile(xs, cols)
    return int(x0), int(y0), int(x1), int(y1)


def _picked(case: Case, box: tuple[int, int, int, int]) -> tuple[dict[str, Any], dict[str, Any], dict[str, float]]:
    """A colour key's values as sampled and as fitted, and what the fit asks of the edge step, in plate pixels."""
    marked = case.pictures[case.key]
    once = _values("colour_key", **sampled(marked, box))
    ranges, edge = fitted(marked, once)
    return once, {**once, **ranges}, {name: value / HERE.scale for name, value in edge.items()}


def colour(case: Case) -> None:
    """The flag: picked once, fitted, and with its hem picked and fitted, too."""
    key = declared("pull", "colour_key").run
    once, cloth, edge = _picked(case, _box(case, (25, 40), (10, 25)))
    found = _mean(case, lambda n: key(case.pictures[n], once, HERE))
    _say("colour key on flag-drill, J, picked once", found, "", "-")
    found = _mean(case, lambda n: _edged(key(case.pictures[n], cloth, HERE), **edge))
    _say("the same, fitted by one press", found, "", "0.9")
    _, hem, more = _picked(case, _box(case, (96.5, 98), (12, 30)))
    both = {name: max(edge[name], more[name]) for name in edge}
    found = _mean(
        case,
        lambda n: _edged(np.maximum(key(case.pictures[n], cloth, HERE), key(case.pictures[n], hem, HERE)), **both),
    )
    _say("the hem picked and fitted as a second key", found, "", "0.95")


def difference(case: Case, clean: U8) -> None:
    """The watchman by a median of the shot: by the one press, with its threshold alone, and with an edge step."""
    key = declared("pull", "difference_key").run
    marked = case.pictures[case.key]
    values = _values("difference_key")
    values |= suggested(marked, clean, values, HERE.scale)
    plain = _values("difference_key", blur=3.0, shadow=0.8, cast=0.9)
    plain |= suggested(marked, clean, plain, HERE.scale) | {"solve": 0.0}
    found = _mean(case, lambda n: key(case.pictures[n], plain, HERE, clean))
    _say("difference key on night-watch, J, by its threshold alone", found, "", "-")
    once = _mean(case, lambda n: key(case.pictures[n], values, HERE, clean))
    _say("set by one press", once, "", "0.9")
    found = _mean(case, lambda n: _edged(key(case.pictures[n], values, HERE, clean), holes=12, specks=14))
    _say("the same, holes filled, specks dropped", found, "", "0.95")


def speed(case: Case, clean: U8) -> None:
    """Each pull alone, and five of them with an edge step, all at 960 x 540."""
    for kind, bar in (("colour_key", "15"), ("luma_key", "15"), ("contour", "15")):
        run, values = declared("pull", kind).run, _values(kind)
        _say(f"{kind}, median", _timed(lambda n, r=run, v=values: r(case.pictures[n], v, HERE)), "ms", bar)
    run, values = declared("pull", "difference_key").run, _values("difference_key")
    took = _timed(lambda n: run(case.pictures[n], values, HERE, clean))
    _say("difference_key with matching, median", took, "ms", "40")
    took = _timed(lambda n: run(case.pictures[n], {**values, "solve": 1.0}, HERE, clean))
    _say("the same with whole things", took, "ms", "-")

    def stand(*pulls: dict[str, Any], **edge: Any) -> Stand:
        about = {"width": 1280, "height": 720, "frames": case.count, "fps": 24, "hash": "0" * 40}
        document = {
            "name": "bench", "plate": "1",
            "footage": [{"id": "1", "name": "clip", **about}, {"id": "2", "name": "clean", **about, "frames": 1}],
            "mattes": [{"id": "m", "name": "m", "pulls": list(pulls), "edge": edge}],
            "planes": [{"id": "p", "name": "p", "kind": "plate"}],
        }  # fmt: skip
        return Stand(read_shot(document), in_memory(case, clean), HERE.scale)

    shape = {"id": "s", "kind": "shape", "shapes": [ELLIPSE]}
    alone = stand(shape)
    took = _timed(lambda n: work_out(alone.matte("m", n), Cache(1 << 28)))
    _say("shape with soft edges, median", took, "ms", "10")
    five = stand(
        {"id": "a", "kind": "difference_key", "params": {"plate": "2"}},
        {"id": "b", "kind": "colour_key"},
        {"id": "c", "kind": "luma_key", "join": "subtract"},
        {**shape, "join": "intersect"},
        {"id": "d", "kind": "trace"},
        grow=1.5, feather_out=3.0, holes=12, specks=12,
    )  # fmt: skip
    took = _timed(lambda n: work_out(five.matte("m", n), Cache(1 << 28)))
    _say("five pulls and the edge step, median", took, "ms", "80")


def run() -> None:
    """Prints every figure with its bar from the design."""
    catalogue.load()
    night = _case("night-watch")
    clean, _ = median_plate([night.pictures[n] for n in spaced(0, night.count - 1)])
    print("Speed at 960 x 540")
    speed(night, clean)
    print("Quality against the truth, whole clips")
    colour(_case("flag-drill"))
    difference(night, clean)
