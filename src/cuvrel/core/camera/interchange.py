"""A camera that is wanted by an open JSON file (see tracks/interchange.py): solved over a clip, and written down."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import Any

import numpy as np

from cuvrel.core.arrays import F32, F64, U8
from cuvrel.core.camera.places import Place, places_at
from cuvrel.core.camera.solve import Scene, solve
from cuvrel.core.camera.trails import Followed, Trails

Cover = Callable[[int], F32]


def solved(
    read: Callable[[int], U8], cover: Cover | None, size: tuple[int, int], first: int, last: int
) -> tuple[Scene, Followed]:
    """The camera over frames `first` to `last`. read: a frame, (H, W, 3) uint8. Raises NotSolved."""
    trails = Trails(size)
    rows = {n: trails.step(read(n), None if cover is None else cover(n)) for n in range(first, last + 1)}
    followed = Followed.of(rows)
    return solve(followed, size), followed


def anchored(scene: Scene, followed: Followed, read: Callable[[int], U8], frame: int,
             anchors: Sequence[tuple[float, float]]) -> list[Place] | None:  # fmt: skip
    """Where places of the picture lie in the scene; None where the camera is not known on their frame."""
    if frame not in scene.views:
        return None
    here = followed.frames == frame
    row = np.full(int(followed.trails.max(initial=-1)) + 1, -1, np.int64)
    row[scene.point_trails] = np.arange(len(scene.points))
    which = row[followed.trails[here]]
    known = which >= 0
    return places_at(
        scene.views, frame, anchors, followed.at[here][known], scene.points[which[known]], read, scene.still
    )


def as_json(ident: str, scene: Scene, places: Sequence[Place], count: int, unit: float) -> dict[str, Any]:
    """A camera on all frames of a clip: where the places are seen, and its pose (from the scene to before the camera:
    z ahead, x right, y down), with the lens. Frames that could not be solved have none, and are wholly in doubt."""
    at = np.array([one.at for one in places], np.float64).reshape(-1, 3)
    lens = next(iter(scene.views.values())).lens
    focals = {round(view.lens.focal, 3) for view in scene.views.values()}
    rows = []
    for frame in range(count):
        view = scene.views.get(frame)
        if view is None:
            rows.append({"frame": frame, "points": [None] * len(at), "doubt": 1.0, "pose": None})
            continue
        error = scene.errors[frame]
        doubt = float(np.clip(max((error / unit - 0.8) / 2.5, (40 - scene.counts[frame]) / 60), 0, 0.95))
        row = {"frame": frame, "points": [_pair(one) for one in view.seen(at)], "doubt": round(doubt, 3),
               "pose": {"turn": np.round(view.turn, 8).tolist(), "shift": np.round(view.shift, 6).tolist()},
               "error": round(error, 3)}  # fmt: skip
        rows.append(row | ({"focal": round(view.lens.focal, 3)} if len(focals) > 1 else {}))
    told = {"focal": round(lens.focal, 3), "middle": lens.middle.tolist(), "bend": [round(k, 6) for k in lens.bend]}
    return {"id": ident, "kind": "camera", "lens": told, "still": scene.still, "says": scene.says,
            "places": [np.round(one.at, 5).tolist() for one in places],
            "places_doubt": [round(one.doubt, 3) for one in places], "frames": rows}  # fmt: skip


def _pair(at: F64) -> list[float] | None:
    return np.round(at, 3).tolist() if np.isfinite(at).all() else None
