"""The demo project: made once, when the database has no project yet."""

from __future__ import annotations

import json
import shutil
import tempfile
from collections.abc import Callable
from pathlib import Path

from sqlalchemy import select
from sqlalchemy.orm import Session

from cuvrel.core.media.probe import pack_sequence
from cuvrel.core.media.writer import png_bytes
from cuvrel.core.recipe.models import Mark
from cuvrel.demo import followed
from cuvrel.demo.elements import MOVING, STILLS
from cuvrel.demo.looks import SHOTS, demo_document, fan_document
from cuvrel.store import shots
from cuvrel.store.blobs import Blobs
from cuvrel.store.db import Database
from cuvrel.store.footage import entry, make_ready
from cuvrel.store.models import FootageRow, MatteFrame, Project

CLIPS = Path(__file__).parent / "clips"
NAME = "Harbour signals"
NAMES = list(SHOTS)


def clip_marks(name: str) -> list[Mark]:
    """The marks that an artist drew on a demo clip."""
    raw = json.loads((CLIPS / f"{name}.marks.json").read_text())["marks"]
    return [Mark(id=f"k{i}", **mark) for i, mark in enumerate(raw)]


def install(
    database: Database, blobs: Blobs, tell: Callable[[str], None] = lambda text: None, names: list[str] | None = None
) -> bool:
    """Makes the demo project unless there is a project already; tells whether it did.

    The project appears whole: the work is done first, the rows come with one commit. names: only these
    clips, without elements and stills.
    """
    with database.session() as session:
        if session.scalar(select(Project.id).limit(1)) is not None:
            return False
        project = Project(name=NAME)
        session.add(project)
        session.flush()
        wanted = names or NAMES
        rows = {name: _footage(session, project.id, blobs, CLIPS / f"{name}.mp4") for name in wanted}
        if names is None:
            moving = {name: _footage(session, project.id, blobs, CLIPS / f"{name}.mp4") for name in MOVING}
            for name in STILLS:
                _footage(session, project.id, blobs, CLIPS / f"{name}.png")
        for number, name in enumerate(wanted, 1):
            plate = entry(rows[name]).model_dump(mode="json")
            shot = shots.create(session, project.id, demo_document(plate, clip_marks(name), name))
            session.add_all(_frame(blobs, shot.id, one) for one in followed.read(CLIPS, name))
            tell(f"demo project, shot {number} of {len(wanted)}: {name}")
        if names is None:
            plate, spray = (entry(row).model_dump(mode="json") for row in (rows["signaller"], moving["spray"]))
            document = fan_document(demo_document(plate, clip_marks("signaller"), "signaller"), spray)
            shot = shots.create(session, project.id, document)
            session.add_all(_frame(blobs, shot.id, one) for one in followed.read(CLIPS, "signaller"))
            tell("demo project: the signaller once more")
    return True


def _frame(blobs: Blobs, shot_id: int, one: followed.Kept) -> MatteFrame:
    base = None
    if one.base is not None:
        base = {"blob": blobs.put(png_bytes(one.base.matte)), "doubt": one.base.doubt, "halt": one.base.halt}
    return MatteFrame(
        shot_id=shot_id, owner="trace1", frame=one.number, origin=one.origin, doubt=one.doubt, halt=one.halt,
        blob=blobs.put(png_bytes(one.matte)), base=base,
    )  # fmt: skip


def _footage(session: Session, project_id: int, blobs: Blobs, file: Path) -> FootageRow:
    """A piece of the harbour footage, brought in as an upload would be."""
    with tempfile.TemporaryDirectory(prefix="cuvrel-") as folder:
        copy = Path(folder) / file.name
        if file.suffix == ".png":
            pack_sequence([(file.name, file)], copy)
        else:
            shutil.copyfile(file, copy)
        size = file.stat().st_size
        row = FootageRow(project_id=project_id, name=file.name, size=size, blob=blobs.put_file(copy))
    session.add(row)
    session.flush()
    make_ready(session, row, blobs)
    return row
