"""Packed projects: one open file out, and in again as a new project."""

from __future__ import annotations

import tempfile
from pathlib import Path

from flask import Response, request
from flask_openapi3 import APIBlueprint
from sqlalchemy import select

from cuvrel.core.recipe.errors import CuvrelError, MediaError
from cuvrel.jobs.queue import OPEN, put
from cuvrel.store.access import project_for
from cuvrel.store.footage import clean_name
from cuvrel.store.models import JobRow, Project
from cuvrel.store.packed import opened
from cuvrel.web.models import ById, JobOut
from cuvrel.web.present import answer, job_out
from cuvrel.web.problems import Problem
from cuvrel.web.services import services, who

api = APIBlueprint("packed", __name__, url_prefix="/api", abp_responses={"422": Problem, "404": Problem})


@api.post("/projects/<int:id>/pack", responses={202: JobOut})
def pack(path: ById) -> Response:
    """Starts packing a project into one open file; it is the job's file."""
    shared = services()
    with shared.database.session() as session:
        row = project_for(session, who(), path.id, lock=True)
        under_way = (JobRow.project_id == row.id) & (JobRow.kind == "pack") & JobRow.state.in_(OPEN)
        if session.scalar(select(JobRow.id).where(under_way).limit(1)) is not None:
            raise CuvrelError("The project is being packed already.", "Wait for its end.")
        out = job_out(put(session, "pack", row.id, row.name))
    return answer(out, 202)


@api.post("/packed", responses={202: JobOut})
def unpack() -> Response:
    """Brings a packed project in, as the multipart part `file`: a new project, which the job fills or leaves empty."""
    shared = services()
    # it is received, and unpacked beside
    shared.blobs.room.require(3.0 * (request.content_length or 0), "this project")
    part = request.files.get("file")
    if part is None or not part.filename:
        raise MediaError("No file arrived.", "Choose a packed project.")
    name = clean_name(part.filename)
    shared.config.var.mkdir(parents=True, exist_ok=True)
    with tempfile.TemporaryDirectory(prefix="upload-", dir=shared.config.var) as folder:
        file = Path(folder) / "received"
        part.save(file)
        with opened(file, name, shared.blobs.room) as packed:
            called = packed.about.project[:120]
        blob = shared.blobs.put_file(file)
    with shared.database.session() as session:
        project = Project(name=called)
        session.add(project)
        session.flush()
        out = job_out(put(session, "unpack", project.id, name, args={"packed": blob, "name": name}))
    return answer(out, 202)
