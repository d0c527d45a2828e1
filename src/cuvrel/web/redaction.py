"""Redaction: finding people, covering them, the audit and its report."""

from __future__ import annotations

import json
from typing import Any, Literal

from flask import Response
from flask_openapi3 import APIBlueprint
from pydantic import BaseModel, Field
from sqlalchemy import select
from sqlalchemy.orm import Session

from cuvrel.core.recipe.errors import CuvrelError
from cuvrel.core.recipe.models import Plane, Shot
from cuvrel.core.recipe.references import free_id
from cuvrel.core.redaction.audit import page, runs_of
from cuvrel.core.redaction.covering import cover_parts
from cuvrel.jobs.queue import put, tell
from cuvrel.store import shots as store
from cuvrel.store.access import job_for, shot_for
from cuvrel.store.audits import is_clean, standing, state_of
from cuvrel.store.blobs import Blobs
from cuvrel.store.documents import document_of
from cuvrel.store.frames import snapshot
from cuvrel.store.models import JobRow, MatteFrame, ShotRow
from cuvrel.store.pictures import Readers
from cuvrel.web.models import ById, In, JobOut
from cuvrel.web.openapi import NOTHING, file_of
from cuvrel.web.present import answer, job_out
from cuvrel.web.problems import Problem
from cuvrel.web.services import services, who
from cuvrel.web.shots import being_done

api = APIBlueprint("redaction", __name__, url_prefix="/api",
                   abp_responses={"422": Problem, "404": Problem})  # fmt: skip
Doc = dict[str, Any]


class AuditRequest(In):
    """Look at every frame, or at frames `first` to `last` alone.

    The audit `of` counts for all frames that are still as it looked at them; those are not looked at again.
    """

    first: int | None = Field(None, ge=0)
    last: int | None = Field(None, ge=0)
    of: int | None = None


class AuditStanding(BaseModel):
    """How a shot stands to its newest audit."""

    job: int | None = Field(description="the audit; none where there was none yet")
    now: bool = Field(description="every frame's picture is still the one that was looked at")
    clean: bool = Field(description="no frame was left out, and nothing is open that is not accepted")


class CoverRequest(In):
    """Cover who was found by a job: those that are chosen, by their places, or with `others` all but those."""

    job: int
    chosen: list[int] = Field(max_length=500)
    others: bool = False
    how: Literal["mosaic", "blur", "solid"] = "mosaic"


class AcceptRequest(In):
    """Accept a finding of an audit, by its place, for a reason; an empty one takes that back."""

    finding: int = Field(ge=0)
    reason: str = Field(max_length=500)


class PicturePath(BaseModel):
    """A picture of somebody whom a job found."""

    id: int = Field(ge=1, le=2_147_483_647)
    place: int = Field(ge=0)


class ReportPath(BaseModel):
    """An audit's report in a form."""

    id: int = Field(ge=1, le=2_147_483_647)
    form: Literal["html", "json"]


@api.post("/shots/<int:id>/people", responses={202: JobOut})
def look_for_people(path: ById) -> Response:
    """Starts looking for faces on every frame of the range, and joins them into people."""
    shared = services()
    with shared.database.session() as session:
        row = shot_for(session, who(), path.id, lock=True)
        if being_done(session, path.id, "people"):
            raise CuvrelError("People are being looked for already.", "Wait for its end.")
        out = job_out(put(session, "people", row.project_id, "Looking for people", shot_id=row.id))
    return answer(out, 202)


@api.post("/shots/<int:id>/audit", responses={202: JobOut})
def start_audit(path: ById, body: AuditRequest) -> Response:
    """Starts the audit of the shot as it is now."""
    shared = services()
    with shared.database.session() as session:
        row = shot_for(session, who(), path.id, lock=True)
        if being_done(session, path.id, "audit"):
            raise CuvrelError("The audit is under way already.", "Wait for its end.")
        if body.of is not None:
            _result(session, body.of, "findings")
        frames = shared.blobs.put(json.dumps(snapshot(session, row.id)).encode())
        args = {**body.model_dump(mode="json"), "document": document_of(session, row).document, "frames": frames,
                "revision": row.revision, "state": state_of(session, row)}  # fmt: skip
        out = job_out(put(session, "audit", row.project_id, "Audit", shot_id=row.id, args=args))
    return answer(out, 202)


@api.get("/shots/<int:id>/audit", responses={200: AuditStanding})
def audit_standing(path: ById) -> Response:
    """Whether the shot was audited as it is now, and whether the audit is clean."""
    shared = services()
    with shared.database.session() as session:
        found = standing(session, shot_for(session, who(), path.id), shared.blobs, shared.readers)
        if found is None:
            return answer(AuditStanding(job=None, now=False, clean=False))
        return answer(AuditStanding(job=found.job.id, now=found.now, clean=found.now and found.clean))


@api.post("/shots/<int:id>/cover", responses={204: NOTHING})
def cover(path: ById, body: CoverRequest) -> Response:
    """Covers people: a track, a shape that rides on it, and a plane that hides what is under it; one step of undo."""
    shared = services()
    with shared.database.session() as session:
        row = shot_for(session, who(), path.id, lock=True)
        result = _result(session, body.job, "people", "findings")
        all_ = result.get("people") or result.get("findings") or []
        wanted = [one for n, one in enumerate(all_) if (n in body.chosen) != body.others]
        if not wanted:
            raise CuvrelError("Nobody is chosen.", "Press a picture of who is to be covered.")
        shot = store.shot_of(session, row)
        ops, frames = _covering(shot, [json.loads(shared.blobs.get(one["cover"])) for one in wanted], body.how)
        store.edit(session, row.id, row.revision, ops, "cover people")
        for owner, number, measured, doubt in frames:
            # a search of an earlier release names a blob
            compact = json.dumps(measured, separators=(",", ":")).encode()
            blob = measured if isinstance(measured, str) else shared.blobs.put(compact)
            session.merge(
                MatteFrame(shot_id=row.id, owner=owner, frame=number, origin="followed", doubt=doubt, blob=blob)
            )
    return Response(status=204)


def _covering(shot: Shot, covers: list[Doc], how: str) -> tuple[list[Doc], list[tuple[str, int, Doc | str, float]]]:
    """The operations that cover people, and what is stored of their tracks."""
    used = {one.id for one in shot.tracks} | {pull.id for matte in shot.mattes for pull in matte.pulls}
    ops, shapes, frames = [], [], []
    for number, one in enumerate(covers, len(shot.tracks) + 1):
        ident = free_id("head", used)
        name = f"Head {number}"
        ops.append({"op": "add", "path": "/tracks/-", "value": {**one["track"], "id": ident, "name": name}})
        ride = {**one["shape"]["rides"][0], "track": ident}
        shapes.append({**one["shape"], "id": ident, "name": name, "rides": [ride]})
        frames += [(ident, int(n), measured, float(doubt)) for n, measured, doubt in one["frames"]]
    there = _covered_by(shot)
    if there is not None:
        return [*ops, *({"op": "add", "path": f"{there}/-", "value": shape} for shape in shapes)], frames
    ids = {one.id for one in shot.mattes} | {one.id for one in shot.planes} | used
    ids |= {step.id for plane in shot.planes for step in plane.treatments}
    matte, plane = cover_parts(shapes, free_id("covered", ids), free_id("cover", ids), {"how": how})
    ops.append({"op": "add", "path": "/mattes/-", "value": matte})
    return [*ops, {"op": "add", "path": "/planes/0", "value": plane}], frames


def _covered_by(shot: Shot) -> str | None:
    """Where the shapes of a cover that there is already, and that does cover, lie in the document."""
    for plane in shot.planes:
        if plane.gate is None or not _covers(plane, shot):
            continue
        matte = shot.matte(plane.gate.matte)
        # a later pull could take away again what an earlier one adds
        last = matte.pulls[-1] if matte.pulls and not matte.settled else None
        if last is None or (last.kind, last.join, last.region, last.ride) != ("shape", "add", None, None):
            continue
        if last.on and not last.invert and last.strength == 1:
            return f"/mattes/{shot.mattes.index(matte)}/pulls/{len(matte.pulls) - 1}/shapes"
    return None


def _covers(plane: Plane, shot: Shot) -> bool:
    """Whether a plane hides, on every frame and wholly, whatever lies behind it inside its matte."""
    gate, soloed = plane.gate, shot.solo()
    there = plane.on and plane.group is None and plane.first is None and (not soloed or plane.id in soloed)
    still = plane.kind == "glaze" and not plane.placement and plane.ride is None
    whole = plane.last is None and plane.opacity == 1 and plane.blend == "normal"
    inside = gate is not None and gate.part == "inside" and not gate.invert and not gate.excluded
    covers = [step for step in plane.treatments if step.kind == "cover" and step.on]
    return there and still and whole and inside and any(step.params.get("amount", 100) == 100 for step in covers)


@api.get("/jobs/<int:id>/people/<int:place>.jpg", responses={200: file_of("image/jpeg")})
def picture(path: PicturePath) -> Response:
    """A small picture of somebody whom a job found."""
    shared = services()
    with shared.database.session() as session:
        result = _result(session, path.id, "people", "findings")
    all_ = result.get("people") or result.get("findings") or []
    if path.place >= len(all_):
        raise store.NotFound("There is no such picture.")
    headers = {"Cache-Control": "private, max-age=31536000, immutable"}
    return Response(shared.blobs.get(all_[path.place]["picture"]), content_type="image/jpeg", headers=headers)


@api.post("/jobs/<int:id>/accept", responses={200: JobOut})
def accept(path: ById, body: AcceptRequest) -> Response:
    """Accepts a finding for a reason, which the report has from then on."""
    with services().database.session() as session:
        row = job_for(session, who(), path.id, lock=True)
        if row.state != "done" or body.finding >= len(row.result.get("findings", [])):
            raise store.NotFound("There is no such finding.")
        findings = [dict(one) for one in row.result["findings"]]
        findings[body.finding]["accepted"] = body.reason.strip() or None
        clean = is_clean(findings, row.result.get("left_out", 0))
        row.result = {**row.result, "findings": findings, "clean": clean}
        tell(session, row)
        return answer(job_out(row))


@api.get("/jobs/<int:id>/report.<string:form>", responses={200: file_of("application/json", "text/html")})
def audit_report(path: ReportPath) -> Response:
    """The report of an audit, as a page that needs nothing else or as JSON; with the hash of the newest export that was
    written of the shot as it was audited."""
    shared = services()
    with shared.database.session() as session:
        result = _result(session, path.id, "findings")
        job = job_for(session, who(), path.id)
        row = shot_for(session, who(), int(job.shot_id or 0))
        name, export = row.name, _exported(session, row, result.get("state"))
    rows = json.loads(shared.blobs.get(result["rows"]))
    accepted = [{"first": one["first"], "last": one["last"], "reason": one["accepted"]}
                for one in result["findings"] if one["accepted"]]  # fmt: skip
    told = {"shot": name, "revision": result["revision"], "looked_at": len(rows), "accepted": accepted, **export,
            "exposed": runs_of([one["frame"] for one in rows if one["exposed"]]), "clean": result["clean"],
            "frames": [{name: value for name, value in one.items() if name != "key"} for one in rows]}  # fmt: skip
    headers = {"Content-Disposition": f'attachment; filename="audit.{path.form}"'}
    if path.form == "json":
        return Response(json.dumps(told, indent=1), content_type="application/json", headers=headers)
    pictures = {one["frame"]: shared.blobs.get(one["picture"]) for one in result["findings"]}
    return Response(page(told, f"Audit of {name}", pictures), content_type="text/html; charset=utf-8", headers=headers)


def _exported(session: Session, row: ShotRow, state: str | None) -> dict[str, Any]:
    """The newest export of the result of a shot in a state (store/audits.py), by its file's name and hash."""
    wanted = (
        select(JobRow)
        .where(JobRow.shot_id == row.id, JobRow.kind == "export", JobRow.state == "done")
        .order_by(JobRow.id.desc())
    )
    for job in session.scalars(wanted):
        of_it = job.args.get("state") == state and job.args.get("what") == "result"
        if state and of_it and "blob" in job.result:
            return {"file": job.result["filename"], "hash": job.result["blob"]}
    return {"file": None, "hash": None}


def require_clean(session: Session, row: ShotRow, blobs: Blobs, readers: Readers) -> None:
    """Raises CuvrelError unless the shot was audited as it is now and nothing was found that is not accepted."""
    found = standing(session, row, blobs, readers)
    if found is None or not found.now:
        raise CuvrelError(
            "The shot was not audited as it is now.", "Run the audit first, or export without asking for it."
        )
    if not found.clean:
        raise CuvrelError("The audit is not clean: faces are open.", "Cover them, or accept them for a reason.")


def _result(session: Session, job: int, *kinds: str) -> dict[str, Any]:
    """The result of a finished job that has one of some things. Raises NotFound."""
    row = job_for(session, who(), job)
    if row.state != "done" or not any(kind in row.result for kind in kinds):
        raise store.NotFound("There is no such finished search.")
    return dict(row.result)
