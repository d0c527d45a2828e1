"""Documents and sources for tests."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import numpy as np

from cuvrel.core.media.reader import resized
from cuvrel.core.recipe.models import Mark
from cuvrel.core.stand.mattes import Plain
from cuvrel.core.stand.nodes import Node, node
from cuvrel.core.stand.view_kinds import ResultView

HASH = "0" * 40

RESULT = ResultView()


def footage(width: int = 64, height: int = 48, frames: int = 8, fid: str = "1") -> dict[str, Any]:
    return {"id": fid, "name": "quay.mp4", "hash": HASH, "width": width, "height": height, "frames": frames, "fps": 24}


def drawn(marks: Sequence[Mark]) -> list[dict[str, Any]]:
    """What draws strokes on the trace of `document`, an operation each."""
    path = "/mattes/0/pulls/0/marks/-"
    return [{"op": "add", "path": path, "value": mark.model_dump(mode="json")} for mark in marks]


def document(**changes: Any) -> dict[str, Any]:
    """A shot with one traced matte, an outline, a gated glaze, a cut-out and the plate."""
    whole: dict[str, Any] = {
        "name": "Shot 01",
        "plate": "1",
        "footage": [footage()],
        "mattes": [{"id": "m1", "name": "Signaller", "pulls": [{"id": "t1", "kind": "trace"}]}],
        "planes": [
            {
                "id": "p1",
                "name": "Outline",
                "kind": "line",
                "matte": "m1",
                "blend": "add",
                "params": {"width": 0},
                "treatments": [{"id": "s1", "kind": "glow", "params": {"core": 2.0, "reach": 6.0}}],
            },
            {
                "id": "p2",
                "name": "Grey quay",
                "kind": "glaze",
                "gate": {"matte": "m1", "part": "outside"},
                "treatments": [{"id": "s2", "kind": "grade", "params": {"saturation": 0.0}}],
            },
            {"id": "p3", "name": "Signaller", "kind": "cutout", "matte": "m1"},
            {"id": "p4", "name": "Plate", "kind": "plate"},
        ],
    }
    whole.update(changes)
    return whole


class FakeSources(Plain):
    """Pictures from arrays: the plate is a moving gradient, the matte a moving box; counts what it computes."""

    def __init__(self, width: int = 64, height: int = 48, missing: set[int] | None = None) -> None:
        self.width, self.height = width, height
        self.missing = missing or set()
        self.computed: list[tuple[str, int]] = []

    def plate(self, frame: int) -> np.ndarray:
        y, x = np.mgrid[0 : self.height, 0 : self.width]
        return np.stack([x * 3 + frame, y * 4, (x + y + 5 * frame) % 255], axis=2).clip(0, 255).astype(np.uint8)

    def box(self, frame: int) -> np.ndarray:
        matte = np.zeros((self.height, self.width), np.float32)
        matte[self.height // 4 : 3 * self.height // 4, 10 + frame : 34 + frame] = 1
        return matte

    def picture(self, footage_id: str, frame: int, size: tuple[int, int]) -> Node:
        def run() -> np.ndarray:
            self.computed.append(("plate", frame))
            return resized(self.plate(frame), size)

        return node("fake", [footage_id, frame, size], [], run)

    def alpha(self, footage_id: str, frame: int, size: tuple[int, int]) -> Node:
        return node("fake-alpha", [footage_id, frame, size], [], lambda: resized(self.box(frame), size))

    def stored(self, owner: str, frame: int, size: tuple[int, int]) -> Node | None:
        if frame in self.missing:
            return None

        def run() -> np.ndarray:
            self.computed.append(("matte", frame))
            return resized(self.box(frame), size)

        return node("fake-matte", [owner, frame, size], [], run)
