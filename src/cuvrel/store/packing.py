"""A project as one open file: a ZIP of JSON, footage and matte frames. See docs/command-line.md."""

from __future__ import annotations

import json
import zipfile
from collections.abc import Callable, Mapping
from pathlib import Path
from typing import Any

from sqlalchemy import Select, select
from sqlalchemy.orm import Session

from cuvrel.core.recipe.errors import RecipeError
from cuvrel.core.recipe.hashing import hash_file
from cuvrel.core.stand.portable import FORMAT
from cuvrel.store.blobs import Blobs
from cuvrel.store.copying import history_of, in_order, lay_down
from cuvrel.store.documents import document_of
from cuvrel.store.footage import clean_name, make_ready, read_by_hand
from cuvrel.store.lying import entry_id
from cuvrel.store.mattes import frames_of
from cuvrel.store.models import FootageRow, MatteFrame, Project, ShotRow
from cuvrel.store.packed import PackedFootage, PackedProject, PackedShot, opened
from cuvrel.store.shots import NotFound


def find_project(session: Session, name: str) -> Project:
    """A project by number or by name. Raises NotFound, also when the name is not unique."""
    row = session.get(Project, int(name)) if name.isdigit() else None
    if row is not None:
        return row
    rows = session.scalars(select(Project).where(Project.name == name)).all()
    if len(rows) != 1:
        known = ", ".join(f"{p.id} '{p.name}'" for p in session.scalars(select(Project).order_by(Project.id)))
        raise NotFound(
            f"There is {'no' if not rows else 'more than one'} project '{name}'.", f"Known: {known or 'none'}."
        )
    return rows[0]


def pack(session: Session, blobs: Blobs, project: Project, to: Path) -> None:
    """Writes the project into a ZIP; the file is complete or absent."""
    beside = to.with_name(f".{to.name}.part")
    footage = session.scalars(
        select(FootageRow).where(
            FootageRow.project_id == project.id, FootageRow.state == "ready", FootageRow.trashed.is_(None)
        )
    ).all()
    files = {
        str(row.id): f"footage/{row.blob}{Path(row.name).suffix.lower() if row.info['kind'] != 'sequence' else '.zip'}"
        for row in footage
    }
    try:
        with zipfile.ZipFile(beside, "w", zipfile.ZIP_STORED) as archive:
            listed = [{"id": str(r.id), "name": r.name, "file": files[str(r.id)], "hash": r.blob,
                       "hand": r.info.get("hand", {})} for r in footage]  # fmt: skip
            written: set[str] = set()
            for row in footage:
                if files[str(row.id)] not in written:
                    archive.write(blobs.path(row.blob), files[str(row.id)])
                    written.add(files[str(row.id)])
            rows = session.scalars(_shots_of(project)).all()
            names: dict[int, str] = {}
            for kind in ("shot", "reel"):
                these = [row for row in rows if row.kind == kind]
                names |= {row.id: f"{kind}-{number:02d}.json" for number, row in enumerate(these, 1)}
            files |= {entry_id(number): name for number, name in names.items()}
            for shot in rows:
                portable = _portable(session, blobs, shot, files, archive, written)
                archive.writestr(names[shot.id], json.dumps(portable, indent=1))
            # each behind those that lie in it, as they are read
            about = {"cuvrel": FORMAT, "project": project.name, "footage": listed,
                     "shots": [names[row.id] for row in in_order(rows)]}  # fmt: skip
            archive.writestr("project.json", json.dumps(about, indent=1))
        beside.replace(to)
    finally:
        beside.unlink(missing_ok=True)


def _shots_of(project: Project) -> Select[Any]:
    """The shots that are not in the trash."""
    wanted = select(ShotRow).where(ShotRow.project_id == project.id, ShotRow.trashed.is_(None))
    return wanted.order_by(ShotRow.id)


def _portable(
    session: Session, blobs: Blobs, row: ShotRow, files: dict[str, str], archive: zipfile.ZipFile, written: set[str]
) -> dict[str, Any]:
    def kept(blob: str, suffix: str = "png") -> str:
        """Where the archive has a blob."""
        file = f"mattes/{blob}.{suffix}"
        if file not in written:
            archive.write(blobs.path(blob), file)
            written.add(file)
        return file

    whole = document_of(session, row)
    document = whole.document
    tracks = {track["id"] for track in document["tracks"]}
    frames: dict[str, dict[str, Any]] = {}
    for frame in frames_of(session, row.id, settled=True):
        about: dict[str, Any] = {"origin": frame.origin, "doubt": frame.doubt, "halt": frame.halt}
        if frame.blob is not None:
            about["file"] = kept(frame.blob, "json" if frame.owner in tracks else "png")
        if frame.base is not None:
            about["base"] = {**frame.base, "blob": None}
            if frame.base.get("blob"):
                about["base"]["file"] = kept(frame.base["blob"])
        if frame.lessons is not None and frame.lessons.get("of") == frame.blob:
            steps = {step: kept(blob, "lesson") for step, blob in frame.lessons.items() if step in ("1", "-1")}
            about["lessons"] = {"by": frame.lessons["by"], "files": steps}
        frames.setdefault(frame.owner, {})[str(frame.frame)] = about
    used = {f["id"]: files[f["id"]] for f in document["footage"] if not f["shot"]}
    inside = {f["id"]: files[f["id"]] for f in document["footage"] if f["shot"] and f["id"] in files}
    return {"cuvrel": FORMAT, "shot": document, "files": used, "shots": inside, "frames": frames,
            "read": read_by_hand(session, whole.shot), "history": history_of(session, row)}  # fmt: skip


def unpack(session: Session, blobs: Blobs, file: Path) -> Project:
    """A new project from a packed one. Raises RecipeError or MediaError; nothing is kept then."""
    with opened(file, file.name, blobs.room) as packed:
        project = Project(name=packed.about.project[:120])
        session.add(project)
        session.flush()
        fill(session, blobs, project, packed)
    return project


def fill(
    session: Session, blobs: Blobs, project: Project, packed: PackedProject,
    tell: Callable[[int, int], None] = lambda done, total: None,
) -> None:  # fmt: skip
    """Brings all that a packed project holds into one. Raises what `opened` makes a sentence of."""
    ids: dict[str, FootageRow] = {}
    laid: dict[str, ShotRow] = {}
    steps = len(packed.about.footage) + len(packed.about.shots)
    for done, one in enumerate(packed.about.footage):
        tell(done, steps)
        ids[one.id] = _footage(session, blobs, project, packed, one)
    for done, shot in enumerate(packed.about.shots, len(ids)):
        tell(done, steps)
        raw = packed.shot(shot)
        inside = {entry: laid[file] for entry, file in raw.shots.items() if file in laid}
        laid[shot] = _shot(session, blobs, project, packed, raw, {**ids, **inside})


def _footage(session: Session, blobs: Blobs, project: Project, packed: PackedProject, one: PackedFootage) -> FootageRow:
    path = packed.file(one.file)
    if hash_file(path) != one.hash:
        raise RecipeError(f"The footage '{one.name}' is not what it was when it was packed.")
    size = path.stat().st_size
    row = FootageRow(project_id=project.id, name=clean_name(one.name), size=size, blob=blobs.put_file(path))
    row.info = {"hand": dict(one.hand)}
    session.add(row)
    session.flush()
    make_ready(session, row, blobs)
    return row


def _shot(
    session: Session, blobs: Blobs, project: Project, packed: PackedProject, raw: PackedShot,
    ids: Mapping[str, FootageRow | ShotRow],
) -> ShotRow:  # fmt: skip
    history = None if raw.history is None else raw.history.model_dump()
    row = lay_down(session, project.id, raw.shot, history, ids)
    shot = document_of(session, row).shot
    plate, tracks = shot.plate_footage(), {track.id for track in shot.tracks}
    size = plate.height, plate.width

    def kept(owner: str, file: str | None) -> str | None:
        """A stored frame's own file as a blob."""
        if file is None:
            return None
        return blobs.put(packed.measured(file) if owner in tracks else packed.matte(file, size))

    for owner, frames in raw.frames.items():
        for number, one in frames.items():
            if number >= plate.frames:
                raise RecipeError(f"A frame {number} is stored, and the footage has {plate.frames}.")
            blob = kept(owner, one.file)
            base: dict[str, Any] | None = None
            lessons: dict[str, Any] | None = None
            if one.base is not None:
                halt = None if one.base.halt is None else one.base.halt.model_dump()
                base = {"blob": kept(owner, one.base.file), "doubt": one.base.doubt, "halt": halt}
            if one.lessons is not None:
                lessons = {"of": blob, "by": one.lessons.by}
                lessons |= {step: blobs.put(packed.lesson(file)) for step, file in one.lessons.files.items()}
            halt = None if one.halt is None else one.halt.model_dump()
            session.add(MatteFrame(shot_id=row.id, owner=owner, frame=number, origin=one.origin, doubt=one.doubt,
                                   blob=blob, halt=halt, base=base, lessons=lessons))  # fmt: skip
    session.flush()
    return row
