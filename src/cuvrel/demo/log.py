"""The shot on a clip in a log curve: its lamps keyed in the view, evening by a table on all else."""

from __future__ import annotations

from typing import Any

CLIP, TABLE, CURVE = "night-watch-log.mov", "dusk.cube", "ACEScct"


def log_document(plate: dict[str, Any], table: dict[str, Any]) -> dict[str, Any]:
    """The shot. plate: the entry of the clip, which is read in its curve; table: that of the colour table."""
    lamps = {"id": "lamps", "name": "Lamps", "pulls": [
        {"id": "key", "kind": "luma_key", "params": {"low": 0.72, "high": 1.0, "soft_low": 0.08}},
    ]}  # fmt: skip
    shine = {"id": "shine", "name": "Lamps shine", "kind": "cutout", "matte": "lamps", "blend": "add", "opacity": 0.6,
             "treatments": [{"id": "spread", "kind": "blur", "params": {"radius": 9.0}}]}  # fmt: skip
    dusk = {"id": "dusk", "name": "Dusk", "kind": "glaze", "gate": {"matte": "lamps", "part": "outside"},
            "treatments": [
                {"id": "table", "kind": "table", "params": {"table": table["id"], "strength": 0.8}},
            ]}  # fmt: skip
    return {
        "version": 2, "name": "Shot 31 · Night watch, in log", "plate": plate["id"], "footage": [plate, table],
        "working": "ACEScg",
        "mattes": [lamps], "planes": [shine, dusk, {"id": "plate", "name": "Plate", "kind": "plate"}],
    }  # fmt: skip
