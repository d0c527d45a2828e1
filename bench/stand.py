"""The stand: what each pass over a picture takes, and whole stands of planes, at 960 x 540."""

from __future__ import annotations

import json
from collections.abc import Callable
from statistics import median
from typing import Any

import numpy as np

from bench.speed import HALF, say, timed
from cuvrel.core import catalogue
from cuvrel.core.arrays import U8
from cuvrel.core.imaging.blend import MODES, blend, mix, through
from cuvrel.core.imaging.colour import decode, encode
from cuvrel.core.media.probe import probe
from cuvrel.core.media.reader import Reader, as_grey, resized
from cuvrel.core.motion.between import blurred_along, in_between, motion
from cuvrel.core.recipe.check import read_shot
from cuvrel.core.recipe.models import Shot
from cuvrel.core.recipe.values import START
from cuvrel.core.stand import placement
from cuvrel.core.stand.build import Stand
from cuvrel.core.stand.nodes import Cache, work_out
from cuvrel.core.stand.sources import FrameSources
from cuvrel.core.stand.view_kinds import ResultView
from cuvrel.core.stand.views import view
from cuvrel.core.warm import warm_up
from cuvrel.demo.looks import demo_document, fan_document
from cuvrel.demo.project import CLIPS

FRAMES = range(20, 44)


class Ready(FrameSources):
    """The demo's signaller, his followed matte and the spray, decoded and shrunk, as proxies are."""

    def __init__(self) -> None:
        self.films: dict[str, list[U8]] = {}
        self.about: dict[str, dict[str, Any]] = {}
        for ident, name in (("1", "signaller"), ("2", "spray")):
            info = probe(CLIPS / f"{name}.mp4")
            reader = Reader(CLIPS / f"{name}.mp4", info, keep_bytes=0)
            self.films[ident] = [np.ascontiguousarray(resized(reader.frame(n), HALF)) for n in range(info.frames)]
            self.about[ident] = {"id": ident, "name": name, "hash": ident * 40, "width": info.width,
                                 "height": info.height, "frames": info.frames, "fps": info.fps}  # fmt: skip
        info = probe(CLIPS / "signaller.alpha.mkv")
        reader = Reader(CLIPS / "signaller.alpha.mkv", info, keep_bytes=0)
        self.mattes = [as_grey(np.ascontiguousarray(reader.frame(n)[..., 0]), HALF) for n in range(info.frames)]
        super().__init__(lambda ident, frame: self.films[ident][frame], lambda _, frame: self.mattes[frame])


def _median(work: Callable[[], object], times: int = 25) -> float:
    work()
    return median(timed(work) for _ in range(times))


def _passes(ready: Ready) -> None:
    print("One pass at 960 x 540, and how many times a copy of the same picture it takes")
    rgb, other, matte = ready.films["1"][20], ready.films["1"][23], ready.mattes[20]
    light, above = decode(rgb), decode(other)
    cut = through(light, matte)
    copy = _median(lambda: light.copy())
    moved = motion(rgb, other)
    still = placement.PlacementParams().at(START)
    turned = placement.matrix({**still, "x": 80, "angle": 9}, 1280)
    fit = 1280 / 960, 720 / 540
    say("a copy of a picture, 8.3 MB", copy, "ms", "-")
    passes: list[tuple[str, Callable[[], object]]] = [
        ("decoding bytes to light", lambda: decode(rgb)),
        ("encoding light to bytes", lambda: encode(light)),
        ("a picture through a matte", lambda: through(light, matte)),
        ("a glaze's mix through a matte", lambda: mix(light, above, 0.7, matte)),
        *((f"blend: {mode}", lambda mode=mode: blend(light, above, mode, 0.7, matte)) for mode in MODES),
        ("placing a full picture", lambda: placement.placed(light, [turned], HALF, fit, 0.75)),
        ("placing a cut-out", lambda: placement.placed(cut, [turned], HALF, fit, 0.75)),
        ("motion of two frames, both ways", lambda: motion(rgb, other)),
        ("an in-between by motion", lambda: in_between(light, above, moved, 0.4)),
        ("blur along motion, 180 degrees", lambda: blurred_along(light, moved, 180)),
    ]
    for name, work in passes:
        took = _median(work)
        print(f"  {name:<40} {took:8.2f} ms {took / copy:8.1f} x", flush=True)


def _stands(ready: Ready) -> None:
    print("Whole stands at 960 x 540, footage decoded")
    trace = {"id": "m", "name": "m", "pulls": [{"id": "t", "kind": "trace"}]}
    dark = {"saturation": 10, "exposure": -0.5}
    planes: list[dict[str, Any]] = [
        {"kind": "element", "blend": "screen", "params": {"footage": "2"}},
        {"kind": "cutout", "matte": "m", "placement": {"x": 200, "angle": 8}, "opacity": 0.8},
        {"kind": "cutout", "matte": "m", "treatments": [{"id": "a", "kind": "grade", "params": {"exposure": 0.3}}]},
        {"kind": "glaze", "gate": {"matte": "m", "part": "outside"},
         "treatments": [{"id": "b", "kind": "grade", "params": dark}]},
        {"kind": "plate"},
    ]  # fmt: skip
    five = read_shot({
        "name": "five", "plate": "1", "footage": list(ready.about.values()), "mattes": [trace],
        "planes": [{"id": f"p{n}", "name": f"p{n}", **plane} for n, plane in enumerate(planes)],
    })  # fmt: skip
    _stand("five planes with one glaze", five, ready, "60")
    fan = read_shot(fan_document(demo_document(ready.about["1"], []), ready.about["2"]))
    _stand("Shot 09: nine planes, four with in-betweens", fan, ready, "-")


def _stand(name: str, shot: Shot, ready: Ready, bar: str) -> None:
    cache = Cache(768 << 20)

    def shown(frame: int) -> object:
        return work_out(view(Stand(shot, ready, 0.75), ResultView(), frame), cache)

    shown(FRAMES[0] - 1)
    say(f"{name}: a new frame, median", median(timed(lambda f=f: shown(f)) for f in FRAMES), "ms", bar)
    say(f"{name}: a cached frame, median", median(timed(lambda f=f: shown(f)) for f in FRAMES[-6:]), "ms", "5")


def run() -> None:
    """Prints every figure, with its bar from the design where it has one."""
    catalogue.load()
    warm_up()
    assert json.loads((CLIPS / "signaller.json").read_text())["size"] == [1280, 720]
    ready = Ready()
    _passes(ready)
    _stands(ready)
