"""Exports, and jobs in general: stop, run again, fetch the file."""

from __future__ import annotations

import json

from flask import Response, send_file
from flask_openapi3 import APIBlueprint
from sqlalchemy import select

from cuvrel.core.export.estimate import estimated, room_for
from cuvrel.core.export.formats import how_of
from cuvrel.core.export.order import Settings, name_of, ordered, title_of
from cuvrel.core.recipe.errors import CuvrelError
from cuvrel.core.stand.build import Stand
from cuvrel.jobs.queue import once_more, put
from cuvrel.jobs.queue import stop as stop_job
from cuvrel.store import shots as store
from cuvrel.store.access import job_for, preset_for, shot_for
from cuvrel.store.audits import state_of
from cuvrel.store.lying import whole_of
from cuvrel.store.models import PresetRow
from cuvrel.store.pictures import StoreSources
from cuvrel.web.export_models import EstimateOut, ExportRequest, NewPreset, PresetOut, PresetsOut
from cuvrel.web.models import ById, JobOut
from cuvrel.web.openapi import file_of
from cuvrel.web.present import answer, job_out
from cuvrel.web.problems import Problem
from cuvrel.web.redaction import require_clean
from cuvrel.web.services import services, who

api = APIBlueprint("exports", __name__, url_prefix="/api", abp_responses={"422": Problem, "404": Problem})


@api.post("/shots/<int:id>/exports", responses={202: JobOut})
def new_export(path: ById, body: ExportRequest) -> Response:
    """Puts an export into the queue. It is made of the shot as it is now, whatever is edited meanwhile."""
    shared = services()
    with shared.database.session() as session:
        row = shot_for(session, who(), path.id)
        if body.audited:
            require_clean(session, row, shared.blobs, shared.readers)
        shot = store.shot_of(session, row)
        order = ordered(shot, body.settings(), body.first, body.last)
        name, title = name_of(body.name, shot, order), title_of(shot, order)
        plate, scale = shot.plate_footage(), order.scale(shot)
        shared.blobs.room.require(
            room_for(order, round(plate.width * scale), round(plate.height * scale)), "this export"
        )
        whole = whole_of(session, row)
        frames = shared.blobs.put(json.dumps(whole.frames).encode())
        job = put(
            session, "export", row.project_id, title, shot_id=row.id, total=len(order.frames),
            args={**order.as_json(), "name": name, "document": whole.document, "frames": frames, "shots": whole.shots,
                  "revision": row.revision, "state": state_of(session, row)},
        )  # fmt: skip
        out = job_out(job)
    return answer(out, 202)


@api.post("/shots/<int:id>/exports/estimate", responses={200: EstimateOut})
def estimate(path: ById, body: ExportRequest) -> Response:
    """How large an export will be and how long one worker will take, from a few of its frames, made and written now."""
    shared = services()
    with shared.database.session() as session:
        row = shot_for(session, who(), path.id)
        shot = store.shot_of(session, row)
        order = ordered(shot, body.settings(), body.first, body.last)
        sources = StoreSources(session, row.id, shot, shared.blobs, shared.readers, proxies=False)
    found = estimated(Stand(shot, sources, order.scale(shot)), order)
    name = name_of(body.name, shot, order) + (".zip" if order.how.form == "pictures" else order.how.suffix)
    return answer(EstimateOut(name=name, frames=len(order.frames), bytes=found.bytes, seconds=round(found.seconds, 1)))


@api.get("/presets", responses={200: PresetsOut})
def list_presets() -> Response:
    """How somebody likes to export."""
    with services().database.session() as session:
        rows = session.scalars(select(PresetRow).order_by(PresetRow.id)).all()
        return answer(PresetsOut(presets=[_preset(row) for row in rows]))


@api.post("/presets", responses={201: PresetOut})
def new_preset(body: NewPreset) -> Response:
    """Keeps settings under a name; one of the same name is replaced."""
    how_of(body.settings.how)
    with services().database.session() as session:
        row = session.scalar(select(PresetRow).where(PresetRow.name == body.name))
        if row is None:
            row = PresetRow(name=body.name)
            session.add(row)
        # what is named in one shot is not in another
        row.settings = {**body.settings.model_dump(mode="json"), "targets": []}
        session.flush()
        return answer(_preset(row), 201)


@api.delete("/presets/<int:id>", responses={200: PresetsOut})
def delete_preset(path: ById) -> Response:
    """Forgets a preset."""
    with services().database.session() as session:
        session.delete(preset_for(session, who(), path.id))
        session.flush()
        rows = session.scalars(select(PresetRow).order_by(PresetRow.id)).all()
        return answer(PresetsOut(presets=[_preset(one) for one in rows]))


def _preset(row: PresetRow) -> PresetOut:
    return PresetOut(id=row.id, name=row.name, settings=Settings(**row.settings))


@api.get("/jobs/<int:id>", responses={200: JobOut})
def get_job(path: ById) -> Response:
    """A job."""
    with services().database.session() as session:
        return answer(job_out(job_for(session, who(), path.id)))


@api.post("/jobs/<int:id>/stop", responses={200: JobOut})
def stop(path: ById) -> Response:
    """Asks the job to stop; what is done so far stays."""
    with services().database.session() as session:
        row = job_for(session, who(), path.id, lock=True)
        stop_job(session, row)
        return answer(job_out(row))


@api.post("/jobs/<int:id>/again", responses={202: JobOut})
def again(path: ById) -> Response:
    """Runs a failed or stopped job again, from its last progress."""
    shared = services()
    with shared.database.session() as session:
        row = job_for(session, who(), path.id, lock=True)
        if row.state not in ("failed", "stopped"):
            raise CuvrelError("Only a job that failed or was stopped can be run again.")
        once_more(session, row)
        out = job_out(row)
    return answer(out, 202)


@api.get("/jobs/<int:id>/file", responses={200: file_of("*/*")})
def fetch(path: ById) -> Response:
    """The finished export."""
    shared = services()
    with shared.database.session() as session:
        row = job_for(session, who(), path.id)
        if row.state != "done" or "blob" not in row.result:
            raise store.NotFound("This export is not finished.")
        result = dict(row.result)
    return send_file(shared.blobs.path(result["blob"]), as_attachment=True, download_name=result["filename"], max_age=0)


@api.get("/jobs/<int:id>/sidecar", responses={200: file_of("application/json")})
def fetch_sidecar(path: ById) -> Response:
    """What the finished export can't say of itself, as JSON."""
    with services().database.session() as session:
        row = job_for(session, who(), path.id)
        if row.state != "done" or "sidecar" not in row.result:
            raise store.NotFound("This export is not finished.")
        name = str(row.result["filename"]).rsplit(".", 1)[0] + ".json"
        return Response(json.dumps(row.result["sidecar"], indent=1), content_type="application/json",
                        headers={"Content-Disposition": f'attachment; filename="{name}"'})  # fmt: skip
