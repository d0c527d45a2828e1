"""Documents and sources for tests."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import numpy as np

from cuvrel.core.recipe.models import Mark
from cuvrel.core.stand.sources import FrameSources
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


class FakeSources(FrameSources):
    """Pictures from arrays: the plate is a moving gradient, the matte a moving box; counts what it computes."""

    def __init__(self, width: int = 64, height: int = 48, missing: set[int] | None = None) -> None:
        self.width, self.height = width, height
        self.missing = missing or set()
        self.computed: list[tuple[str, int]] = []

        def plate(_: str, frame: int) -> np.ndarray:
            self.computed.append(("plate", frame))
            return self.plate(frame)

        def matte(_: str, frame: int) -> np.ndarray:
            self.computed.append(("matte", frame))
            return self.box(frame)

        super().__init__(plate, matte, lambda _, frame: frame not in self.missing, lambda _, frame: self.box(frame))

    def plate(self, frame: int) -> np.ndarray:
        y, x = np.mgrid[0 : self.height, 0 : self.width]
        return np.stack([x * 3 + frame, y * 4, (x + y + 5 * frame) % 255], axis=2).clip(0, 255).astype(np.uint8)

    def box(self, frame: int) -> np.ndarray:
        matte = np.zeros((self.height, self.width), np.float32)
        matte[self.height // 4 : 3 * self.height // 4, 10 + frame : 34 + frame] = 1
        return matte
