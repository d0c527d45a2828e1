"""Compiles every kernel ahead, so that nobody waits for it at a first frame."""

from __future__ import annotations

import cv2
import numpy as np

from cuvrel.core import catalogue
from cuvrel.core.edge.detail import fine_detail
from cuvrel.core.edge.edge import EdgeParams, edge
from cuvrel.core.follow.carry import Follower
from cuvrel.core.media import colour
from cuvrel.core.motion.flow import pieces
from cuvrel.core.pulls.context import PullContext
from cuvrel.core.pulls.trace import trace
from cuvrel.core.recipe.declared import all_declared
from cuvrel.core.recipe.models import Mark
from cuvrel.core.stand import blend, views
from cuvrel.core.treatments.context import Context


def warm_up() -> None:
    """Runs each kernel once on a small picture; quick when they were compiled before on this machine."""
    catalogue.load()
    rng = np.random.default_rng(1)
    rgb = rng.integers(0, 255, (96, 128, 3), dtype=np.uint8)
    rgb[30:70, 40:90] //= 3
    rgb = np.ascontiguousarray(cv2.GaussianBlur(rgb, (0, 0), 2))
    matte = np.zeros((96, 128), np.float32)
    matte[30:70, 40:90] = 1
    light = colour.decode(rgb)
    for mode in blend.MODES:
        blend.blend(light, light, mode, 0.5, matte)
        blend.blend(light, light, mode, 0.5)
    blend.mix(light, light, 0.5, matte)
    cut = blend.through(light, matte)
    colour.encode(cut)
    colour.encode_rgba(cut)
    views.veil(rgb, matte)
    edge(matte, {**EdgeParams().at(0), "grow": 1.5, "feather_in": 2.0, "feather_out": 2.0}, 1.0)
    for item in all_declared():
        if item.family == "treatment":
            item.run(light, item.params().at(0), Context(0, 1.0, 24.0, matte))
        if item.family == "pull" and item.kind != "trace":
            item.run(rgb, item.params().at(0), PullContext(0, 1.0, 24.0))
    fine_detail(rgb, cv2.GaussianBlur(matte, (0, 0), 2), 4)
    marks = [Mark(id="a", frame=0, kind="in", radius=3, points=[(50, 50), (80, 50)]),
             Mark(id="b", frame=0, kind="out", radius=3, points=[(10, 10), (110, 10)])]  # fmt: skip
    solved = trace(rgb, marks)
    trace(rgb, marks, solved)
    Follower(rgb, solved).step(rgb)
    grey = np.ascontiguousarray(rgb[..., 0])
    pieces(np.ascontiguousarray(np.roll(grey, 12, axis=1)), grey, matte, np.full(grey.shape, np.float32(9)))
