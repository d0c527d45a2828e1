"""The demo project: made once, when the database has no project yet."""

from __future__ import annotations

import json
import shutil
import tempfile
from dataclasses import asdict
from pathlib import Path
from typing import Any

from sqlalchemy import select

from cuvrel.core.follow.run import Settings, clip
from cuvrel.core.media.probe import MediaInfo
from cuvrel.core.recipe.models import Mark
from cuvrel.store import shots
from cuvrel.store.blobs import Blobs
from cuvrel.store.db import Database
from cuvrel.store.footage import entry, make_ready
from cuvrel.store.mattes import store_matte
from cuvrel.store.models import FootageRow, MatteFrame, Project
from cuvrel.store.pictures import Readers

CLIPS = Path(__file__).parent / "clips"
NAME = "Harbour signals"


def install(database: Database, blobs: Blobs) -> bool:
    """Makes the demo project unless there is a project already; tells whether it did."""
    with database.session() as session:
        if session.scalar(select(Project.id).limit(1)) is not None:
            return False
        project = Project(name=NAME)
        session.add(project)
        session.flush()
        row = _footage(project.id, blobs, "signaller.mp4")
        session.add(row)
        session.flush()
        make_ready(session, row, blobs)
        marks = [
            Mark(id=f"k{i}", **m)
            for i, m in enumerate(json.loads((CLIPS / "signaller.marks.json").read_text())["marks"])
        ]
        shot = shots.create(session, project.id, demo_document(entry(row).model_dump(mode="json"), marks))
        info = MediaInfo.from_json(row.info)
        reader = Readers(blobs).get(row.blob, info)
        for frame in clip(reader.frame, info.frames, marks, Settings(), halting=False):
            session.add(
                MatteFrame(
                    shot_id=shot.id,
                    pull_id="trace1",
                    frame=frame.number,
                    origin=frame.origin,
                    doubt=frame.doubt,
                    blob=store_matte(blobs, frame.matte),
                    halt=asdict(frame.halt) if frame.halt else None,
                )
            )
    return True


def _footage(project_id: int, blobs: Blobs, name: str) -> FootageRow:
    with tempfile.TemporaryDirectory(prefix="cuvrel-") as folder:
        copy = Path(folder) / name
        shutil.copyfile(CLIPS / name, copy)
        size = copy.stat().st_size
        return FootageRow(project_id=project_id, name=name, size=size, blob=blobs.put_file(copy))


def demo_document(plate: dict[str, Any], marks: list[Mark]) -> dict[str, Any]:
    """The shot: a traced signaller with a burning outline, before a quay that loses its colour.

    plate: the document's entry of the footage.
    """

    def keys(*pairs: tuple[int, float]) -> dict[str, Any]:
        return {"keys": [{"frame": frame, "value": value, "ease": "smooth"} for frame, value in pairs]}

    return {
        "name": "Shot 01 · semaphore",
        "plate": plate["id"],
        "footage": [plate],
        "mattes": [
            {
                "id": "signaller",
                "name": "Signaller",
                "pulls": [{"id": "trace1", "kind": "trace", "marks": [m.model_dump(mode="json") for m in marks]}],
                "edge": {"grow": -0.4},
            }
        ],
        "planes": [
            {
                "id": "outline",
                "name": "Outline",
                "kind": "line",
                "matte": "signaller",
                "blend": "add",
                "params": {"width": 0.0},
                "treatments": [
                    {
                        "id": "glow1",
                        "kind": "glow",
                        "params": {
                            "core": 4.0,
                            "reach": 30.0,
                            "wander": 5.0,
                            "strength": keys((4, 0.0), (20, 1.1), (60, 1.1), (71, 0.5)),
                        },
                    }
                ],
            },
            {
                "id": "lift",
                "name": "Signaller lifted",
                "kind": "cutout",
                "matte": "signaller",
                "treatments": [{"id": "grade2", "kind": "grade", "params": {"exposure": 0.25, "saturation": 112.0}}],
            },
            {
                "id": "quay",
                "name": "Quay loses colour",
                "kind": "glaze",
                "gate": {"matte": "signaller", "part": "outside"},
                "opacity": keys((0, 0.0), (24, 1.0)),
                "treatments": [
                    {
                        "id": "grade1",
                        "kind": "grade",
                        "params": {"saturation": 14.0, "exposure": -0.7, "contrast": 12.0, "temperature": -12.0},
                    }
                ],
            },
            {"id": "plate", "name": "Plate", "kind": "plate"},
        ],
    }
