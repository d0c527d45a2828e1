"""A project as one open file: a ZIP of JSON, footage and matte frames. See docs/portable.md."""

from __future__ import annotations

import json
import shutil
import tempfile
import zipfile
from pathlib import Path
from typing import Any

from sqlalchemy import Select, select
from sqlalchemy.orm import Session

from cuvrel.core.recipe.errors import RecipeError
from cuvrel.core.recipe.hashing import hash_file
from cuvrel.core.stand.portable import FORMAT, within
from cuvrel.store.blobs import Blobs
from cuvrel.store.copying import history_of, lay_down
from cuvrel.store.documents import document_of
from cuvrel.store.footage import clean_name, make_ready
from cuvrel.store.mattes import frames_of
from cuvrel.store.models import FootageRow, MatteFrame, Project, ShotRow
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
        select(FootageRow).where(FootageRow.project_id == project.id, FootageRow.state == "ready")
    ).all()
    files = {
        str(row.id): f"footage/{row.blob}{Path(row.name).suffix.lower() if row.info['kind'] != 'sequence' else '.zip'}"
        for row in footage
    }
    try:
        with zipfile.ZipFile(beside, "w", zipfile.ZIP_STORED) as archive:
            listed = [{"id": str(r.id), "name": r.name, "file": files[str(r.id)], "hash": r.blob} for r in footage]
            shot_files = []
            written: set[str] = set()
            for row in footage:
                if files[str(row.id)] not in written:
                    archive.write(blobs.path(row.blob), files[str(row.id)])
                    written.add(files[str(row.id)])
            rows = session.scalars(_shots_of(project)).all()
            for number, shot in enumerate(rows, 1):
                name = f"shot-{number:02d}.json"
                shot_files.append(name)
                archive.writestr(name, json.dumps(_portable(session, blobs, shot, files, archive, written), indent=1))
            about = {"cuvrel": FORMAT, "project": project.name, "shots": shot_files, "footage": listed}
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

    document = document_of(session, row).document
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
    used = {f["id"]: files[f["id"]] for f in document["footage"]}
    return {"cuvrel": FORMAT, "shot": document, "files": used, "frames": frames, "history": history_of(session, row)}


def unpack(session: Session, blobs: Blobs, file: Path) -> Project:
    """A new project from a packed one. Raises RecipeError or MediaError; nothing is kept then."""
    with tempfile.TemporaryDirectory(prefix="cuvrel-") as name:
        folder = Path(name)
        try:
            with zipfile.ZipFile(file) as archive:
                for member in archive.namelist():
                    within(folder, member)
                archive.extractall(folder)
            about = json.loads((folder / "project.json").read_text())
            if about["cuvrel"] != FORMAT:
                raise RecipeError(f"'{file.name}' is of format {about['cuvrel']}; this program reads {FORMAT}.")
            project = Project(name=str(about["project"])[:200])
            session.add(project)
            session.flush()
            ids = {str(one["id"]): _footage(session, blobs, project, folder, one) for one in about["footage"]}
            for shot in about["shots"]:
                _shot(session, blobs, project, folder, json.loads(within(folder, str(shot)).read_text()), ids)
        except (zipfile.BadZipFile, KeyError, TypeError, ValueError, OSError) as fault:
            raise RecipeError(f"'{file.name}' is not a packed project, or it is damaged ({fault}).") from fault
    return project


def _footage(session: Session, blobs: Blobs, project: Project, folder: Path, one: dict[str, Any]) -> FootageRow:
    path = within(folder, str(one["file"]))
    if hash_file(path) != one["hash"]:
        raise RecipeError(f"The footage '{one['name']}' is not what it was when it was packed.")
    copy = path.with_suffix(".copy")
    shutil.copyfile(path, copy)  # one file may serve several entries
    row = FootageRow(
        project_id=project.id, name=clean_name(str(one["name"])), size=path.stat().st_size, blob=blobs.put_file(copy)
    )
    session.add(row)
    session.flush()
    make_ready(session, row, blobs)
    return row


def _shot(
    session: Session, blobs: Blobs, project: Project, folder: Path, raw: dict[str, Any], ids: dict[str, FootageRow]
) -> None:
    row = lay_down(session, project.id, raw["shot"], raw.get("history"), ids)

    def blob(about: dict[str, Any] | None) -> str | None:
        """What a file of the folder holds, kept as a blob."""
        return blobs.put(within(folder, about["file"]).read_bytes()) if about and about.get("file") else None

    for owner, frames in raw["frames"].items():
        for number, one in frames.items():
            base, taught = one.get("base"), one.get("lessons")
            matte = blob(one)
            lessons = None
            if taught:
                steps = {step: blob({"file": file}) for step, file in taught["files"].items()}
                lessons = {"of": matte, "by": taught["by"], **steps}
            session.add(
                MatteFrame(
                    shot_id=row.id,
                    owner=owner,
                    frame=int(number),
                    origin=one["origin"],
                    doubt=float(one["doubt"]),
                    blob=matte,
                    halt=one.get("halt"),
                    base={"blob": blob(base), "doubt": base["doubt"], "halt": base["halt"]} if base else None,
                    lessons=lessons,
                )
            )
    session.flush()
