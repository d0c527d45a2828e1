"""A little world to try treatments on: a disc that goes across, cut out of smooth colours."""

from __future__ import annotations

import json
from typing import Any

import numpy as np

from cuvrel.core.recipe.context import Context
from cuvrel.core.recipe.declared import Declared, Values, declared
from cuvrel.core.recipe.values import START, Env

SIZE = 96
COUNT = 40  # frames of the little world


def disc(size: int, x: float, y: float, radius: float) -> np.ndarray:
    rows, columns = np.mgrid[0:size, 0:size].astype(np.float64) + 0.5
    return np.clip(radius - np.hypot(columns - x, rows - y) + 0.5, 0, 1).astype(np.float32)


def subject(frame: int, size: int = SIZE) -> np.ndarray:
    """A disc's coverage that goes across."""
    return disc(size, size * (0.3 + 0.01 * frame), size * 0.5, size * 0.18)


def colours(size: int = SIZE) -> np.ndarray:
    rows, columns = np.mgrid[0:size, 0:size] / size
    picture = np.stack(
        [0.1 + 0.8 * columns, 0.2 + 0.5 * rows, 0.7 - 0.6 * columns * rows, np.ones((size, size))], axis=2
    )
    return np.ascontiguousarray(picture, np.float32)


def cut_out(frame: int, size: int = SIZE) -> np.ndarray:
    return np.ascontiguousarray(colours(size) * subject(frame, size)[..., None])


def defaults(entry: Declared, **more: Any) -> Values:
    return entry.params.model_validate(json.loads(json.dumps(more))).at(START)


def treated(entry: Declared, values: Values, frame: int = 20, size: int = SIZE, film: Any = cut_out) -> np.ndarray:
    """A frame of the little world, treated; half the size is the half-size preview of the same."""
    given = film(frame, size)
    for stage in entry.stages:
        mine = {name: values[name] for name in stage.fields}
        if stage.rests(mine):
            continue
        later: list[Any] = []
        for need in stage.needs(mine, frame) if stage.needs else []:
            at = need.frame if need.share is None else round(need.share * (COUNT - 1))
            there = 0 <= at < COUNT
            later.append((subject if need.what == "matte" else film)(at, size) if there else None)
        now = Env(float(frame)) if stage.clock(mine) else None
        context = Context(size / SIZE, subject(frame, size), now=now)
        given = stage.run(given, mine, context, *([later] if stage.needs else []))
    return np.asarray(given)


def flat(*rgb: float, alpha: float = 1.0) -> np.ndarray:
    picture = np.empty((4, 4, 4), np.float32)
    picture[..., :3] = np.asarray(rgb) * alpha
    picture[..., 3] = alpha
    return picture


def ran(kind: str, picture: np.ndarray, /, **values: Any) -> np.ndarray:
    entry = declared("treatment", kind)
    return np.asarray(entry.run(picture, defaults(entry, **values), Context(1.0)))
