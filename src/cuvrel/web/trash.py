"""Renaming, copying and deleting things; the trash; and the space that a project takes."""

from __future__ import annotations

from pathlib import Path

from flask import Response
from flask_openapi3 import APIBlueprint
from pydantic import BaseModel, Field
from sqlalchemy import select

from cuvrel.core.export.order import safe
from cuvrel.core.recipe.errors import CuvrelError
from cuvrel.jobs.queue import stop_all
from cuvrel.store import trash
from cuvrel.store.access import project_for, thing_for
from cuvrel.store.copying import copy_name, copy_project, copy_shot
from cuvrel.store.db import notify
from cuvrel.store.footage import clean_name
from cuvrel.store.models import FootageRow, JobRow, Project, ShotRow
from cuvrel.store.shots import edit
from cuvrel.store.sweep import free
from cuvrel.web.models import ById, DeleteQuery, NamedOut, NewName, SpaceOut, TrashedOut, TrashOut
from cuvrel.web.present import answer
from cuvrel.web.problems import Problem
from cuvrel.web.services import services, who

api = APIBlueprint("trash", __name__, url_prefix="/api", abp_responses={"422": Problem, "404": Problem})
PLURAL: dict[trash.Kind, str] = {"project": "projects", "shot": "shots", "footage": "footage", "job": "jobs"}
KINDS = {plural: kind for kind, plural in PLURAL.items()}


class Thing(BaseModel):
    """Something that can be put into the trash."""

    things: str = Field(pattern="^(projects|shots|footage|jobs)$")
    id: int = Field(ge=1, le=2_147_483_647)


def _project_of(row: trash.Row) -> int:
    return row.id if isinstance(row, Project) else row.project_id


def _named(kind: trash.Kind, row: trash.Row) -> TrashedOut:
    name = row.title if isinstance(row, JobRow) else row.name
    since = row.trashed.isoformat() if row.trashed else None
    return TrashedOut(kind=kind, id=row.id, name=name, project=_project_of(row), trashed=since)


@api.delete("/<string:things>/<int:id>", responses={200: TrashedOut})
def put_away(path: Thing, query: DeleteQuery) -> Response:
    """Puts a project, a shot, footage or a job into the trash; with `for_good`, deletes what is there."""
    kind = KINDS[path.things]
    with services().database.session() as session:
        if query.for_good:
            row = thing_for(session, who(), kind, path.id)
            out = _named(kind, row)
            trash.delete(session, services().blobs, kind, path.id)
        else:
            thing_for(session, who(), kind, path.id)
            stop_all(session, trash.under_way(session, kind, path.id))
            out = _named(kind, trash.put_away(session, kind, path.id))
        notify(session, "project", project=out.project)
    if query.for_good:
        free(services().database, services().blobs)
    return answer(out)


@api.post("/<string:things>/<int:id>/restore", responses={200: TrashedOut})
def restore(path: Thing) -> Response:
    """Takes something out of the trash; a shot with its footage."""
    kind = KINDS[path.things]
    with services().database.session() as session:
        thing_for(session, who(), kind, path.id)
        out = _named(kind, trash.restore(session, kind, path.id))
        notify(session, "project", project=out.project)
    return answer(out)


@api.post("/<string:things>/<int:id>/name", responses={200: NamedOut})
def rename(path: Thing, body: NewName) -> Response:
    """Calls a project, footage or an export otherwise; a shot's name is part of its document and edited there."""
    kind = KINDS[path.things]
    with services().database.session() as session:
        row = thing_for(session, who(), kind, path.id)
        if isinstance(row, ShotRow):
            name = {"op": "replace", "path": "/name", "value": body.name}
            edit(session, row.id, row.revision, [name], "rename")
        elif isinstance(row, JobRow):
            row.title = body.name
            if "filename" in row.result:
                row.result = {**row.result, "filename": safe(body.name) + Path(row.result["filename"]).suffix}
        else:
            row.name = clean_name(body.name) if isinstance(row, FootageRow) else body.name
        notify(session, "project", project=_project_of(row))
        return answer(NamedOut(id=row.id, name=body.name))


@api.post("/<string:things>/<int:id>/copy", responses={201: NamedOut})
def copy(path: Thing) -> Response:
    """A copy of a shot beside it, or of a project with all that it holds."""
    kind = KINDS[path.things]
    with services().database.session() as session:
        row = thing_for(session, who(), kind, path.id)
        new: Project | ShotRow
        if isinstance(row, Project):
            new = copy_project(session, row, copy_name(session, row))
        elif isinstance(row, ShotRow):
            new = copy_shot(session, row, copy_name(session, row))
        else:
            raise CuvrelError("Only shots and projects are copied.", "Footage serves any number of shots as it is.")
        notify(session, "project", project=_project_of(new))
        return answer(NamedOut(id=new.id, name=new.name), 201)


@api.get("/trash", responses={200: TrashOut})
def list_trash() -> Response:
    """All that is in the trash, the newest first; after 30 days it is deleted for good."""
    found: list[TrashedOut] = []
    with services().database.session() as session:
        for kind, table in trash.TABLES.items():
            found += [_named(kind, row) for row in session.scalars(select(table).where(table.trashed.is_not(None)))]
    return answer(TrashOut(trash=sorted(found, key=lambda one: one.trashed or "", reverse=True)))


@api.get("/projects/<int:id>/space", responses={200: SpaceOut})
def space(path: ById) -> Response:
    """The bytes that a project takes, those of what is in the trash among them."""
    shared = services()
    with shared.database.session() as session:
        project = project_for(session, who(), path.id)
        found = trash.space(session, shared.blobs, project)
    return answer(SpaceOut(**found, total=sum(found.values())))
