"""Exports, and jobs in general: stop, run again, fetch the file."""

from __future__ import annotations

import json
import re

from flask import Response, send_file
from flask_openapi3 import APIBlueprint

from cuvrel.core.recipe.errors import CuvrelError, RecipeError
from cuvrel.core.stand.export import export_kind
from cuvrel.jobs.queue import OPEN, put, tell
from cuvrel.store import shots as store
from cuvrel.store.documents import document_of
from cuvrel.store.frames import snapshot
from cuvrel.store.models import JobRow
from cuvrel.web.models import ById, ExportRequest, JobOut
from cuvrel.web.present import answer, job_out
from cuvrel.web.problems import Problem
from cuvrel.web.redaction import require_clean
from cuvrel.web.services import services

api = APIBlueprint("exports", __name__, url_prefix="/api", abp_responses={"422": Problem, "404": Problem})


@api.post("/shots/<int:id>/exports", responses={202: JobOut})
def new_export(path: ById, body: ExportRequest) -> Response:
    """Puts an export into the queue. It is made of the shot as it is now, whatever is edited meanwhile."""
    shared = services()
    export = export_kind(body.kind)
    with shared.database.session() as session:
        row = store.found(session, path.id)
        if body.audited:
            require_clean(session, row)
        shot = store.shot_of(session, row)
        within = shot.frames
        first = within[0] if body.first is None else body.first
        last = within[-1] if body.last is None else body.last
        if not within[0] <= first <= last <= within[-1]:
            whole = f"which has the frames {within[0]} to {within[-1]}"
            raise RecipeError(f"Frames {first} to {last} are not a part of this shot, {whole}.")
        title, name = export.label, file_name(shot.name)
        if export.what != "result":
            try:
                matte = shot.matte(body.target or "")
            except KeyError:
                raise RecipeError("Say which matte is meant.") from None
            name, title = f"{name}_{file_name(matte.name)}", f"{title}: {matte.name}"
        name += {"result": "_result", "cutout": "_cutout", "matte": "_matte", "plane": "_plane"}[export.what]
        if export.alpha != "none":
            name += f"_{export.alpha}"
        frames = shared.blobs.put(json.dumps(snapshot(session, row.id)).encode())
        job = put(
            session, "export", row.project_id, title, shot_id=row.id, total=last - first + 1,
            args={"kind": export.kind, "target": body.target, "first": first, "last": last, "name": name,
                  "document": document_of(session, row).document, "frames": frames, "revision": row.revision},
        )  # fmt: skip
        out = job_out(job)
    shared.enqueue(out.id)
    return answer(out, 202)


def file_name(name: str) -> str:
    """A name that is safe in every file system."""
    return re.sub(r"[^\w-]+", "-", name, flags=re.ASCII).strip("-").lower() or "shot"


@api.get("/jobs/<int:id>", responses={200: JobOut})
def get_job(path: ById) -> Response:
    """A job."""
    with services().database.session() as session:
        return answer(job_out(_job(session.get(JobRow, path.id))))


@api.post("/jobs/<int:id>/stop", responses={200: JobOut})
def stop(path: ById) -> Response:
    """Asks the job to stop; what is done so far stays."""
    with services().database.session() as session:
        row = _job(session.get(JobRow, path.id, with_for_update=True))
        if row.state in OPEN:
            row.stop = True
            if row.state == "waiting":
                row.state, row.message = "stopped", "Stopped."
            tell(session, row)
        return answer(job_out(row))


@api.post("/jobs/<int:id>/again", responses={202: JobOut})
def again(path: ById) -> Response:
    """Runs a failed or stopped job again, from its last progress."""
    shared = services()
    with shared.database.session() as session:
        row = _job(session.get(JobRow, path.id, with_for_update=True))
        if row.state not in ("failed", "stopped"):
            raise CuvrelError("Only a job that failed or was stopped can be run again.")
        row.state, row.stop, row.message, row.finished, row.queue_id = "waiting", False, "", None, None
        tell(session, row)
        out = job_out(row)
    shared.enqueue(path.id)
    return answer(out, 202)


@api.get("/jobs/<int:id>/file")
def fetch(path: ById) -> Response:
    """The finished export."""
    shared = services()
    with shared.database.session() as session:
        row = _job(session.get(JobRow, path.id))
        if row.state != "done" or "blob" not in row.result:
            raise store.NotFound("This export is not finished.")
        result = dict(row.result)
    return send_file(shared.blobs.path(result["blob"]), as_attachment=True, download_name=result["filename"], max_age=0)


@api.get("/jobs/<int:id>/sidecar")
def fetch_sidecar(path: ById) -> Response:
    """What the finished export can't say of itself, as JSON."""
    with services().database.session() as session:
        row = _job(session.get(JobRow, path.id))
        if row.state != "done" or "sidecar" not in row.result:
            raise store.NotFound("This export is not finished.")
        name = str(row.result["filename"]).rsplit(".", 1)[0] + ".json"
        return Response(json.dumps(row.result["sidecar"], indent=1), content_type="application/json",
                        headers={"Content-Disposition": f'attachment; filename="{name}"'})  # fmt: skip


def _job(row: JobRow | None) -> JobRow:
    if row is None:
        raise store.NotFound("There is no such job.")
    return row
