"""The demo project: made once, when the database has no project yet."""

from __future__ import annotations

import json
import shutil
import tempfile
from collections.abc import Callable
from pathlib import Path

import numpy as np
from sqlalchemy import select
from sqlalchemy.orm import Session

from cuvrel.core.keys.clean_plate import joined_plate
from cuvrel.core.media.probe import pack_sequence, probe
from cuvrel.core.media.reader import Reader
from cuvrel.core.media.writer import png_bytes
from cuvrel.core.recipe.models import Footage, Mark
from cuvrel.demo import followed, log, tracked
from cuvrel.demo.jobs import JOBS, job_document
from cuvrel.demo.jobs_lines import MORE_JOBS
from cuvrel.demo.jobs_tracked import TRACKED_JOBS
from cuvrel.demo.joined import joined_document
from cuvrel.demo.looks import SHOTS, demo_document, fan_document
from cuvrel.demo.morning import MADE, morning_document
from cuvrel.demo.reel import SHOTS as SHOTS_LAID
from cuvrel.demo.reel import reel_document
from cuvrel.store import shots
from cuvrel.store.blobs import Blobs
from cuvrel.store.db import Database
from cuvrel.store.footage import entry, make_ready
from cuvrel.store.lying import entry_of
from cuvrel.store.models import FootageRow, MatteFrame, Project, ShotRow

CLIPS = Path(__file__).parent / "clips"
NAME = "Harbour signals"
NAMES = list(SHOTS)
MOVING, STILLS = ("spray", "scratches", "flare"), ("chart", "paper")  # elements among the clips


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
            _stored(session, blobs, shot.id, name)
            tell(f"demo project, shot {number} of {len(wanted)}: {name}")
        if names is None:
            plate, spray = (entry(row).model_dump(mode="json") for row in (rows["signaller"], moving["spray"]))
            document = fan_document(demo_document(plate, clip_marks("signaller"), "signaller"), spray)
            shot = shots.create(session, project.id, document)
            _stored(session, blobs, shot.id, "signaller")
            tell("demo project: the signaller once more")
            moving["night clean plate"] = _clean_night(session, project.id, blobs)
            there = {**rows, **moving}
            for number, job in enumerate([*JOBS, *MORE_JOBS, *TRACKED_JOBS], 10):
                plate = entry(rows[job.clip]).model_dump(mode="json")
                others = {name: entry(there[name]).model_dump(mode="json") for name in job.needs}
                base = demo_document(plate, clip_marks(job.clip), job.clip)
                shot = shots.create(session, project.id, job_document(job, number, base, others))
                _stored(session, blobs, shot.id, job.clip)
                tell(f"demo project, shot {number}: {job.title}")
            sound = _morning(session, project.id, blobs)
            _reel(session, project.id, sound)
            tell("demo project: the morning reel, and four watches")
            film = _footage(session, project.id, blobs, CLIPS / log.CLIP, {"colour": log.CURVE})
            plate, table = (entry(one).model_dump(mode="json")
                            for one in (film, _footage(session, project.id, blobs, CLIPS / log.TABLE)))  # fmt: skip
            shots.create(session, project.id, log.log_document(plate, table))
            first, second = (entry(rows[name]).model_dump(mode="json") for name in ("take-a", "take-b"))
            shots.create(session, project.id, joined_document(first, second))
            tell("demo project: the night watch in log, and two takes joined")
    return True


def _morning(session: Session, project_id: int, blobs: Blobs) -> Footage:
    """A shot on the morning reel, with its sound, the bell under it, and its cuts marked; what it lies on."""
    with tempfile.TemporaryDirectory(prefix="cuvrel-") as folder:
        made = {name: _footage(session, project_id, blobs, make(CLIPS, Path(folder) / name))
                for name, make in MADE.items()}  # fmt: skip
    reel, bell = (entry(made[name]).model_dump(mode="json") for name in MADE)
    shots.create(session, project_id, morning_document(reel, bell))
    return entry(made["morning reel.mp4"])


def _reel(session: Session, project_id: int, sound: Footage) -> None:
    """Four of the shots in a row."""
    rows = session.scalars(select(ShotRow).where(ShotRow.project_id == project_id)).all()
    wanted = [next(row for row in rows if row.name.startswith(name)) for name in SHOTS_LAID]
    laid = [(entry_of(row, shots.shot_of(session, row)), shots.shot_of(session, row)) for row in wanted]
    shots.create(session, project_id, reel_document(laid, sound))


def _clean_night(session: Session, project_id: int, blobs: Blobs) -> FootageRow:
    """The night without its watchman: the left half of the last frame, the right half of the first, joined softly."""
    file = CLIPS / "night-watch.mp4"
    reader = Reader(file, probe(file), keep_bytes=0)
    first, last = reader.frame(0), reader.frame(reader.info.frames - 1)
    across = np.clip((np.arange(first.shape[1]) - 480) / 160, 0, 1).astype(np.float32)
    cover = np.repeat(across[None], first.shape[0], axis=0)
    with tempfile.TemporaryDirectory(prefix="cuvrel-") as folder:
        still = Path(folder) / "night clean plate.png"
        still.write_bytes(png_bytes(joined_plate(last, [(first, cover)])))
        return _footage(session, project_id, blobs, still)


def _stored(session: Session, blobs: Blobs, shot_id: int, clip: str) -> None:
    """What was followed of a clip: its matte, and its tracks."""
    session.add_all(_frame(blobs, shot_id, one) for one in followed.read(CLIPS, clip))
    for track, frame, data, doubt in tracked.read(CLIPS, clip):
        session.add(MatteFrame(shot_id=shot_id, owner=track, frame=frame, origin="followed", doubt=doubt,
                               blob=blobs.put(data)))  # fmt: skip


def _frame(blobs: Blobs, shot_id: int, one: followed.Kept) -> MatteFrame:
    base = None
    if one.base is not None:
        base = {"blob": blobs.put(png_bytes(one.base.matte)), "doubt": one.base.doubt, "halt": one.base.halt}
    return MatteFrame(
        shot_id=shot_id, owner="trace1", frame=one.number, origin=one.origin, doubt=one.doubt, halt=one.halt,
        blob=blobs.put(png_bytes(one.matte)), base=base,
    )  # fmt: skip


def _footage(
    session: Session, project_id: int, blobs: Blobs, file: Path, hand: dict[str, str] | None = None
) -> FootageRow:
    """A piece of the harbour footage, brought in as an upload would be. hand: how it is read by hand."""
    with tempfile.TemporaryDirectory(prefix="cuvrel-") as folder:
        copy = Path(folder) / file.name
        if file.suffix == ".png":
            pack_sequence([(file.name, file)], copy)
        else:
            shutil.copyfile(file, copy)
        size = file.stat().st_size
        row = FootageRow(project_id=project_id, name=file.name, size=size, blob=blobs.put_file(copy))
    row.info = {"hand": hand or {}}
    session.add(row)
    session.flush()
    make_ready(session, row, blobs)
    return row
