"""Reels: made of shots, what lies in a document, and timeline files."""

from __future__ import annotations

from typing import Literal

from flask import Response
from flask_openapi3 import APIBlueprint
from pydantic import BaseModel, Field
from sqlalchemy import select
from sqlalchemy.orm import Session

from cuvrel.core.export.order import safe
from cuvrel.core.recipe.errors import CuvrelError, RecipeError
from cuvrel.core.recipe.models import Footage
from cuvrel.core.recipe.new_plane import begun_shot
from cuvrel.core.recipe.reel import Reel, begun_reel
from cuvrel.core.reel import timeline
from cuvrel.store import shots as store
from cuvrel.store.access import footage_for, inside_for, project_for, shot_for
from cuvrel.store.footage import entry
from cuvrel.store.lying import entry_of
from cuvrel.store.models import FootageRow, ShotRow
from cuvrel.web.models import ById, FilmOut, In, Named, ShotCard, ShotOut
from cuvrel.web.openapi import file_of
from cuvrel.web.present import answer, footage_out, shot_card, shot_out
from cuvrel.web.problems import Problem
from cuvrel.web.services import services, who

api = APIBlueprint("reels", __name__, url_prefix="/api",
                   abp_responses={"422": Problem, "404": Problem, "409": Problem})  # fmt: skip


class NewReel(In):
    """A reel. shots: those that lie in it, in order, each over its range."""

    name: Named
    shots: list[int] = Field(default_factory=list, max_length=2000)


class Known(BaseModel):
    """A matte or a track of a shot."""

    id: str
    name: str


class InnerOut(BaseModel):
    """A shot that lies in another one, as it is now.

    entry: what another document would know of it now. first, last: its range; first_number: what its frame 0 is called.
    film: of its plate. picture: the address of a small picture.
    """

    id: int
    name: str
    kind: Literal["shot", "reel"]
    state: Literal["there", "trash"]
    entry: Footage
    first: int
    last: int
    first_number: int
    film: FilmOut | None
    mattes: list[Known]
    tracks: list[Known]
    picture: str


class InsideOut(BaseModel):
    """What lies in a document, by the ids of its entries; what is not there any more is missing."""

    shots: dict[str, InnerOut]


class Laying(In):
    """A shot, or footage, of which a bare shot is made first."""

    shot: int | None = None
    footage: int | None = None


class TimelineFile(In):
    """A timeline file. kind: what it is; fps: of an edit list, which does not say it. media: what stands for each
    medium, by its name, as "shot:ID" or "footage:ID"; "" leaves a gap.
    """

    name: Named
    text: str = Field(max_length=timeline.MOST)
    kind: timeline.Kind
    fps: float = Field(24.0, gt=0, le=1000)
    media: dict[str, str] = Field(default_factory=dict, max_length=5000)


class MediumOut(BaseModel):
    """A medium of a timeline. found: what of the project stands for it, as "shot:ID" or "footage:ID"; "" is nothing."""

    name: str
    file: str
    found: str


class TimelineOut(BaseModel):
    """What a timeline file holds, before anything is made of it. said: what is left out."""

    name: str
    fps: float
    pieces: int
    media: list[MediumOut]
    said: list[str]


class ReelMade(BaseModel):
    """The reel that was made, and what had to be left out."""

    reel: ShotCard
    said: list[str]


class TimelinePath(ById):
    """A reel as a timeline file."""

    kind: timeline.Kind


@api.post("/projects/<int:id>/reels", responses={201: ShotOut})
def new_reel(path: ById, body: NewReel) -> Response:
    """A reel of shots of the project, cut one behind the other."""
    with services().database.session() as session:
        project_for(session, who(), path.id)
        document = begun_reel(body.name)
        known: dict[str, Footage] = {}
        for n, number in enumerate(body.shots, 1):
            row = _of_project(session, path.id, number)
            shot = store.shot_of(session, row)
            one = entry_of(row, shot)
            known[one.id] = one
            frames = shot.frames
            document["pieces"].append({"id": f"p{n}", "shot": one.id, "first": frames[0], "last": frames[-1]})
        document["footage"] = [one.model_dump(mode="json") for one in known.values()]
        return answer(shot_out(session, store.create(session, path.id, document)), 201)


def _of_project(session: Session, project: int, number: int) -> ShotRow:
    row = shot_for(session, who(), number)
    if row.project_id != project or row.trashed is not None:
        raise store.NotFound("There is no such shot in this project.")
    return row


@api.post("/projects/<int:id>/laying", responses={200: InnerOut})
def laying(path: ById, body: Laying) -> Response:
    """What a document has to know of a shot that is laid into it; of footage a bare shot is made first."""
    with services().database.session() as session:
        project_for(session, who(), path.id)
        if body.shot is not None:
            row = _of_project(session, path.id, body.shot)
        else:
            row = _bare(session, path.id, body.footage or 0)
        return answer(_inner_out(session, row))


def _bare(session: Session, project: int, number: int) -> ShotRow:
    """A shot that shows footage as it is: the one that is there already, or a new one."""
    footage = footage_for(session, who(), number)
    if footage.project_id != project or footage.state != "ready" or not footage.info["frames"]:
        raise RecipeError("This footage has no picture that could be laid in.")
    there = select(ShotRow).where(ShotRow.project_id == project, ShotRow.kind == "shot", ShotRow.trashed.is_(None))
    bare = begun_shot(footage.name[:120], entry(footage))
    for row in session.scalars(there.where(ShotRow.name == bare["name"])):
        if store.shot_of(session, row).model_dump(mode="json") == bare:
            return row
    return store.create(session, project, bare)


def _inner_out(session: Session, row: ShotRow) -> InnerOut:
    shot = store.shot_of(session, row)
    frames = shot.frames
    plate = footage_for(session, who(), int(shot.plate)) if shot.plate.isdigit() else None
    return InnerOut(
        id=row.id, name=row.name, kind=shot.kind, state="there" if row.trashed is None else "trash",
        entry=entry_of(row, shot), first=frames[0], last=frames[-1], first_number=shot.first_number,
        film=None if plate is None else footage_out(plate).film,
        mattes=[Known(id=one.id, name=one.name) for one in shot.mattes],
        tracks=[Known(id=one.id, name=one.name) for one in shot.tracks],
        picture=f"/api/shots/{row.id}/card.jpg?revision={row.revision}",
    )  # fmt: skip


@api.get("/shots/<int:id>/inside", responses={200: InsideOut})
def inside(path: ById) -> Response:
    """The shots that lie in a document, as they are now."""
    with services().database.session() as session:
        shot = store.shot_of(session, shot_for(session, who(), path.id))
        found = inside_for(session, who(), shot)
        return answer(InsideOut(shots={name: _inner_out(session, row) for name, row in found.items()}))


@api.get("/shots/<int:id>/timeline.<string:kind>", responses={200: file_of("application/json", "text/plain")})
def write_timeline(path: TimelinePath) -> Response:
    """A reel as a timeline file."""
    with services().database.session() as session:
        reel = store.shot_of(session, shot_for(session, who(), path.id))
        if not isinstance(reel, Reel):
            raise RecipeError("This is a shot; only a reel has a timeline.")
        names, files = {}, {}
        for entry_id, row in inside_for(session, who(), reel).items():
            inner = store.shot_of(session, row)
            names[entry_id] = row.name
            files[entry_id] = row.name if isinstance(inner, Reel) else inner.plate_footage().name
    text = timeline.written(reel, names, files, path.kind)
    headers = {"Content-Disposition": f'attachment; filename="{safe(reel.name)}.{path.kind}"'}
    return Response(text, content_type="text/plain" if path.kind == "edl" else "application/json", headers=headers)


@api.post("/projects/<int:id>/timelines/look", responses={200: TimelineOut})
def look_at_timeline(path: ById, body: TimelineFile) -> Response:
    """What a timeline file holds, and what of the project stands for its media; nothing is made."""
    line = timeline.read(body.text, body.kind, body.name, body.fps)
    with services().database.session() as session:
        project_for(session, who(), path.id)
        media = [MediumOut(name=name, file=file, found=_stands_for(session, path.id, name, file))
                 for name, file in line.media.items()]  # fmt: skip
    return answer(TimelineOut(name=line.name, fps=line.fps, pieces=len(line.cuts), media=media, said=line.said))


def _stands_for(session: Session, project: int, name: str, file: str) -> str:
    """What of a project is called as a medium is: a shot by its name, else footage by its own or its file's."""
    shots = select(ShotRow.id).where(ShotRow.project_id == project, ShotRow.trashed.is_(None))
    found = session.scalars(shots.where(ShotRow.name == name).order_by(ShotRow.id).limit(1)).first()
    if found is not None:
        return f"shot:{found}"
    ready = select(FootageRow).where(
        FootageRow.project_id == project, FootageRow.trashed.is_(None), FootageRow.state == "ready"
    )
    for row in session.scalars(ready.order_by(FootageRow.id)):
        stem = row.name.rsplit(".", 1)[0]
        if row.info["frames"] and {row.name, stem} & {name, file, name.rsplit(".", 1)[0]}:
            return f"footage:{row.id}"
    return ""


@api.post("/projects/<int:id>/timelines", responses={201: ReelMade})
def read_timeline(path: ById, body: TimelineFile) -> Response:
    """Makes a reel of a timeline file. Media that nothing stands for leave gaps."""
    line = timeline.read(body.text, body.kind, body.name, body.fps)
    with services().database.session() as session:
        project_for(session, who(), path.id)
        entries: dict[str, Footage] = {}
        said: list[str] = []
        for name, file in line.media.items():
            chosen = body.media.get(name)
            stands = _stands_for(session, path.id, name, file) if chosen is None else chosen
            entries[name] = _entry(session, path.id, name, stands, len(entries), line)
            if not stands:
                said.append(f"There is nothing in this project for '{name}': it leaves a gap.")
        document, more = timeline.as_reel(line, entries)
        card = shot_card(store.create(session, path.id, document))
    return answer(ReelMade(reel=card, said=[*more, *said]), 201)


def _entry(session: Session, project: int, name: str, stands: str, n: int, line: timeline.Timeline) -> Footage:
    kind, _, number = stands.partition(":")
    if kind in ("shot", "footage") and number.isdigit():
        row = _of_project(session, project, int(number)) if kind == "shot" else _bare(session, project, int(number))
        return entry_of(row, store.shot_of(session, row))
    if stands:
        raise CuvrelError(f"'{stands[:40]}' is neither a shot nor footage.")
    # a gap as long as what would be shown; no shot has such a number
    last = max((one.first + one.length for one in line.cuts if one.media == name), default=1.0)
    return Footage(id=f"s{'0' * (n + 1)}", name=name[:255], hash="", shot=True, width=0, height=0,
                   frames=max(1, round(last * line.fps) + 1), fps=line.fps)  # fmt: skip
