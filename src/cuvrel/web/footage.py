"""Bringing footage in."""

from __future__ import annotations

import tempfile
from pathlib import Path

from flask import Response, request
from flask_openapi3 import APIBlueprint
from pydantic import BaseModel, Field
from sqlalchemy import select
from sqlalchemy.orm import Session
from werkzeug.datastructures import FileStorage

from cuvrel.core.media.by_hand import checked_hand
from cuvrel.core.media.moving import as_film
from cuvrel.core.media.probe import PICTURE_SUFFIXES, MediaInfo, pack_sequence, split_sequences
from cuvrel.core.media.still_heads import is_moving_webp
from cuvrel.core.media.stills import SUFFIXES, ending_of, moves
from cuvrel.core.recipe.errors import MediaError
from cuvrel.jobs.queue import put
from cuvrel.store.access import footage_for, project_for
from cuvrel.store.documents import document_of
from cuvrel.store.footage import clean_name, first_look
from cuvrel.store.models import FootageRow, ShotRow
from cuvrel.store.shots import NotFound
from cuvrel.web.models import ById, In, Uploaded
from cuvrel.web.openapi import file_of
from cuvrel.web.present import answer, footage_out, job_out
from cuvrel.web.problems import Problem
from cuvrel.web.services import services, who

api = APIBlueprint(
    "footage", __name__, url_prefix="/api", abp_responses={"422": Problem, "404": Problem, "413": Problem}
)


class Reading(In):
    """What is set by hand of how footage is read (space.CHOICES); what is not named is as the file says."""

    hand: dict[str, str] = Field(max_length=10)


@api.post("/projects/<int:id>/footage", responses={202: Uploaded})
def upload(path: ById) -> Response:
    """A video, a sound or a colour table, or several pictures (or one ZIP of them) as a sequence, as `file` parts.

    A ZIP that holds several sequences brings in each; `others` are all but the first.
    """
    shared = services()
    with shared.database.session() as session:
        project_for(session, who(), path.id)
    # it is received, moved to its place, and small pictures of it are made
    shared.blobs.room.require(1.5 * (request.content_length or 0) + (32 << 20), "this footage")
    shared.config.var.mkdir(parents=True, exist_ok=True)
    with tempfile.TemporaryDirectory(prefix="upload-", dir=shared.config.var) as folder:
        name, file = _received(Path(folder))
        kept = []
        for called, one in _each(name, file, Path(folder)):
            size = one.stat().st_size
            try:
                first_look(one)
            except MediaError as fault:
                raise MediaError(f"'{called}': {fault.message}", fault.hint) from fault
            kept.append((called, shared.blobs.put_file(one), size))
    with shared.database.session() as session:
        rows = []
        for called, blob, size in kept:
            row = FootageRow(project_id=path.id, name=called, blob=blob, size=size)
            session.add(row)
            session.flush()
            rows.append((row, put(session, "ingest", path.id, called, footage_id=row.id)))
        (first, job), *others = rows
        out = Uploaded(footage=footage_out(first), job=job_out(job), others=[footage_out(row) for row, _ in others])
    return answer(out, 202)


def _each(name: str, file: Path, folder: Path) -> list[tuple[str, Path]]:
    """What was received, one by one: a ZIP may hold several sequences."""
    with file.open("rb") as opened:
        packed = opened.read(4) == b"PK\x03\x04"
    if not packed or file.name != "received":
        return [(name, file)]
    room = services().blobs.room
    # each is unpacked beside what was received, and kept
    return split_sequences(file, folder, hold=lambda size: room.require(2 * size, "these sequences")) or [(name, file)]


def _received(folder: Path) -> tuple[str, Path]:
    """The uploaded files as one file in `folder`, and the name to show. Raises MediaError.

    What a file is, is told by its first bytes: names are often wrong, or have no ending.
    """
    parts = [part for part in request.files.getlist("file") if part.filename]
    if not parts:
        raise MediaError("No file arrived.", "Drop a video or sound file, or the pictures of a sequence.")
    names = [clean_name(part.filename or "") for part in parts]
    endings = [_picture(part, name) for part, name in zip(parts, names, strict=True)]
    if all(endings):
        if len({SUFFIXES[str(one)] for one in endings}) > 1:
            raise MediaError("The pictures are of several kinds.", "Bring in each kind by itself.")
        pictures = []
        for index, (part, name, ending) in enumerate(zip(parts, names, endings, strict=True)):
            to = folder / f"{index}{ending}"
            part.save(to)
            called = SUFFIXES.get(Path(name).suffix.lower()) == SUFFIXES[str(ending)]
            pictures.append((name if called else f"{name}{ending}", to))
        if len({name for name, _ in pictures}) < len(pictures):
            raise MediaError("Two pictures of the sequence have the same name.")
        packed = folder / "sequence.zip"
        pack_sequence(pictures, packed)
        return names[0] if len(names) == 1 else f"{Path(names[0]).stem} – {len(names)} pictures", packed
    if len(parts) > 1:
        raise MediaError("Several files are taken together only when all are pictures.", "Drop videos one by one.")
    to = folder / "received"
    parts[0].save(to)
    if to.stat().st_size == 0:
        raise MediaError("The file is empty.", "Copy it again from where it came from.")
    with to.open("rb") as file:
        start = file.read(64)
    if is_moving_webp(start):
        as_film(to, film := folder / "film")
        return names[0], film
    return names[0], to


def _picture(part: FileStorage, name: str) -> str | None:
    """The ending of a picture, by what it is; by its name where that is no picture that is known; None for others.

    What moves is none.
    """
    start = part.stream.read(65_536)
    part.stream.seek(0)
    if moves(start):
        return None
    named = Path(name).suffix.lower()
    return ending_of(start) or (named if named in PICTURE_SUFFIXES else None)


@api.post("/footage/<int:id>/reading", responses={202: Uploaded})
def reading(path: ById, body: Reading) -> Response:
    """Sets by hand what the numbers of footage mean; its small pictures are made anew, nothing is brought in again."""
    shared = services()
    with shared.database.session() as session:
        row = footage_for(session, who(), path.id, lock=True)
        if row.state != "ready" or not row.info.get("frames"):
            raise MediaError("Only pictures that are ready can be read otherwise.")
        hand, before = checked_hand(body.hand, MediaInfo.from_json(row.info)), row.info.get("hand", {})
        for name, would in (("times", "its frames would be others"), ("edges", "all in it would lie elsewhere")):
            if hand.get(name) != before.get(name) and _used(session, row):
                raise MediaError(f"A shot is on this footage: with other {name} {would}.",
                                 "Bring the file in once more, and read that one so.")  # fmt: skip
        row.info = {**row.info, "hand": hand}
        job = put(session, "ingest", row.project_id, f"{row.name}, read otherwise", footage_id=row.id)
        out = Uploaded(footage=footage_out(row), job=job_out(job))
    return answer(out, 202)


def _used(session: Session, row: FootageRow) -> bool:
    """Whether a shot knows of this footage."""
    shots = session.scalars(select(ShotRow).where(ShotRow.project_id == row.project_id, ShotRow.trashed.is_(None)))
    return any(str(row.id) in {one.id for one in document_of(session, shot).shot.footage} for shot in shots)


class FilmPath(BaseModel):
    """A film strip under its key."""

    id: int = Field(ge=1, le=2_147_483_647)
    key: str = Field(pattern=r"^[0-9a-f]{40}$")


@api.get("/footage/<int:id>/film/<string:key>.jpg", responses={200: file_of("image/jpeg")})
def film(path: FilmPath) -> Response:
    """The film strip: small pictures side by side."""
    shared = services()
    with shared.database.session() as session:
        row = footage_for(session, who(), path.id)
        if row.film.get("blob") != path.key:
            raise NotFound("There is no such film strip.")
    data = shared.blobs.get(path.key)
    return Response(data, content_type="image/jpeg", headers={"Cache-Control": "private, max-age=31536000, immutable"})
