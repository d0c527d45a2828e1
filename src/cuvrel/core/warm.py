"""Compiles every kernel ahead, so that nobody waits for it at a first frame."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import cv2
import numpy as np

from cuvrel.core import catalogue
from cuvrel.core.arrays import F32, U8
from cuvrel.core.edge.detail import fine_detail
from cuvrel.core.edge.edge import EdgeParams, edge
from cuvrel.core.follow.carry import Follower
from cuvrel.core.imaging import blend, colour
from cuvrel.core.keys.plate_comparison import weighed
from cuvrel.core.motion.flow import pieces
from cuvrel.core.recipe.check import read_shot
from cuvrel.core.recipe.context import Context
from cuvrel.core.recipe.declared import all_declared
from cuvrel.core.recipe.models import Mark
from cuvrel.core.recipe.values import START, Env
from cuvrel.core.stand import views
from cuvrel.core.stand.build import Stand
from cuvrel.core.stand.nodes import Cache, work_out
from cuvrel.core.stand.overlays import veil
from cuvrel.core.stand.sources import FrameSources
from cuvrel.core.stand.view_kinds import MatteView, PlaneView, ResultView, VeilView
from cuvrel.core.trace.trace import trace


def warm_up(parts: Sequence[int] = (0, 1)) -> None:
    """Runs each kernel once on a small picture; quick when they were compiled before on this machine.

    parts: 0 is what the stand needs, 1 what tracing and following need; two processes may compile one each.
    """
    catalogue.load()
    rng = np.random.default_rng(1)
    rgb = rng.integers(0, 255, (96, 128, 3), dtype=np.uint8)
    rgb[30:70, 40:90] //= 3
    rgb = np.ascontiguousarray(cv2.GaussianBlur(rgb, (0, 0), 2))
    matte = np.zeros((96, 128), np.float32)
    matte[30:70, 40:90] = 1
    for part in parts:
        (_showing, _tracing)[part](rgb, matte)


def _showing(rgb: U8, matte: F32) -> None:
    light = colour.decode(rgb)
    cut = blend.through(light, matte)
    colour.encode(cut)
    colour.encode_rgba(cut)
    veil(rgb, matte)
    edge(matte, {**EdgeParams().at(START), "grow": 1.5, "feather_in": 2.0, "feather_out": 2.0}, Context(1.0))
    kinds = {
        "own": light,
        "plane": light,
        "behind": light,
        "plate": rgb,
        "footage": rgb,
        "matte": matte,
        "stored": matte,
        "alpha": matte,
    }
    for item in all_declared():
        if item.family in ("treatment", "pull"):
            values = item.params().at(START)
            for stage in item.stages:
                needs = stage.needs(values, 1) if stage.needs else []
                pictures = [[kinds[need.what] for need in needs]] if stage.needs else []
                context = Context(1.0, matte, now=Env(1.0), size=(96, 128))
                stage.run(light if item.family == "treatment" else rgb, values, context, *pictures)
    _stand(rgb, matte)
    weighed(rgb, np.ascontiguousarray(rgb[::-1]))
    fine_detail(rgb, cv2.GaussianBlur(matte, (0, 0), 2), 4)


def _tracing(rgb: U8, matte: F32) -> None:
    marks = [Mark(id="a", frame=0, kind="in", radius=3, points=[(50, 50), (80, 50)]),
             Mark(id="b", frame=0, kind="out", radius=3, points=[(10, 10), (110, 10)])]  # fmt: skip
    solved = trace(rgb, marks)
    trace(rgb, marks, solved)
    Follower(rgb, solved).step(rgb)
    grey = np.ascontiguousarray(rgb[..., 0])
    pieces(np.ascontiguousarray(np.roll(grey, 12, axis=1)), grey, matte, np.full(grey.shape, np.float32(9)))


def _stand(rgb: U8, matte: F32) -> None:
    """Every kind of plane, through the cache: what comes out of it can't be written to, which compiles apart."""
    slow = {"speed": 50, "between": "motion", "shutter": 180}
    gate = {"matte": "m", "part": "rim", "excluded": ["m"]}
    grade = [{"id": "s1", "kind": "grade", "params": {"contrast": 10}}]
    glow = [{"id": "s2", "kind": "glow", "params": {"wander": 2}}]
    about = {"id": "f", "name": "warm", "hash": "0" * 40, "width": 128, "height": 96, "frames": 8, "fps": 24}
    planes: list[dict[str, Any]] = [
        {"kind": "line", "matte": "m", "blend": "add", "treatments": glow, "params": {"width": 2}},
        {"kind": "element", "blend": "screen", "gate": gate, "params": {"footage": "f", "see_through": "black"}},
        {"kind": "element", "opacity": 0.5, "params": {"footage": "f", "see_through": "its alpha"}},
        {
            "kind": "take",
            "params": {"footage": "f"},
            "treatments": [{"id": "s4", "kind": "tone", "params": {"red": 1.1}}],
        },
        {"kind": "fill", "opacity": 0.5, "gate": gate, "params": {"colours": 3}},
        {"kind": "cutout", "matte": "m", "time": slow, "placement": {"x": 5, "angle": 4}},
        {"kind": "cutout", "matte": "m", "time": {**slow, "between": "mix"}},
        {"kind": "glaze", "gate": {"matte": "m", "part": "outside"}, "treatments": grade[:1]},
        {"kind": "glaze", "blend": "hue", "treatments": [{**grade[0], "id": "s3"}]},
        {"kind": "plate", "time": slow},
    ]
    shot = read_shot({
        "name": "warm", "plate": "f", "footage": [about],
        "mattes": [{"id": "m", "name": "m", "pulls": [{"id": "t", "kind": "trace"}], "edge": {"grow": -0.4}}],
        "planes": [{"id": f"p{n}", "name": "p", **plane} for n, plane in enumerate(planes)],
    })  # fmt: skip
    stand = Stand(shot, FrameSources(
        lambda _, frame: np.roll(rgb, frame, axis=1), lambda _, frame: np.roll(matte, frame, axis=1),
        alpha=lambda *_: matte,
    ))  # fmt: skip
    for frame in (2, 3):
        for wanted in (ResultView(), VeilView(matte="m"), MatteView(matte="m"), PlaneView(plane="p0")):
            work_out(views.view(stand, wanted, frame), Cache(1 << 27))
