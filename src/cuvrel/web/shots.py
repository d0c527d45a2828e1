"""Shots: the document, its edits and history, its matte frames, following."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from flask import Response
from flask_openapi3 import APIBlueprint
from sqlalchemy import select
from sqlalchemy.orm import Session

from cuvrel.core.recipe.errors import CuvrelError
from cuvrel.core.recipe.models import Shot
from cuvrel.core.recipe.new_plane import begun_shot
from cuvrel.core.recipe.references import rests_on
from cuvrel.core.stand.settle import settling_key
from cuvrel.jobs.queue import OPEN, put
from cuvrel.store import shots as store
from cuvrel.store.access import footage_for, project_for, shot_for
from cuvrel.store.documents import document_of
from cuvrel.store.footage import entry, read_by_hand
from cuvrel.store.frames import snapshot
from cuvrel.store.mattes import frames_of, marked_pulls, seen_by
from cuvrel.store.models import JobRow, MatteFrame, ShotRow
from cuvrel.web.models import (
    ById,
    CleanPlateRequest,
    EditOut,
    Edits,
    FollowRequest,
    FrameOut,
    FrameQuery,
    FramesOut,
    History,
    JobOut,
    NewShot,
    SettledOut,
    SettleRequest,
    ShotOut,
    Touched,
)
from cuvrel.web.openapi import NOTHING
from cuvrel.web.present import answer, frame_out, job_out, shot_out, uses_of
from cuvrel.web.problems import Problem, problem
from cuvrel.web.services import services, who

api = APIBlueprint("shots", __name__, url_prefix="/api",
                   abp_responses={"422": Problem, "404": Problem, "409": Problem})  # fmt: skip


@api.post("/projects/<int:id>/shots", responses={201: ShotOut})
def new_shot(path: ById, body: NewShot) -> Response:
    """A shot on a plate, with one plane: the plate itself."""
    with services().database.session() as session:
        project_for(session, who(), path.id)
        footage = footage_for(session, who(), body.footage)
        if footage.project_id != path.id:
            raise store.NotFound("There is no such project or footage.")
        if footage.state != "ready":
            raise CuvrelError("The footage is not ready yet.", "Wait until it has been brought in.")
        if not footage.info["frames"]:
            raise CuvrelError("This holds no picture; a shot needs one.", "Lay sound under a shot as sound.")
        row = store.create(session, path.id, begun_shot(body.name, entry(footage)))
        return answer(shot_out(session, row), 201)


@api.get("/shots/<int:id>", responses={200: ShotOut})
def get_shot(path: ById) -> Response:
    """A shot with all that the workspace needs; of one that can't be opened, what can be taken back."""
    with services().database.session() as session:
        row = shot_for(session, who(), path.id)
        try:
            return answer(shot_out(session, row))
        except CuvrelError as fault:
            history = store.history(session, row)
            return problem(422, f"'{row.name}' can't be opened: {fault.message}", fault.hint, history=history)


@api.get("/shots/<int:id>/frames", responses={200: FramesOut})
def get_frames(path: ById) -> Response:
    """The stored matte frames."""
    with services().database.session() as session:
        shot_for(session, who(), path.id)
        return answer(FramesOut(frames=[frame_out(f) for f in frames_of(session, path.id)]))


Step = Callable[[Session, "store.Foreseen | None"], "store.Done | None"]


def _changed(
    shot_id: int, ops: list[dict[str, Any]] | None, back: bool, step: Step, shown: int | None = None,
    revision: int | None = None,
) -> Response:  # fmt: skip
    """Makes a step. What takes long, solving the frames that it marks, is done before the shot is locked, or by a job.

    shown: the frame that somebody looks at, which is solved at once. revision: on which an edit was made.
    """
    shared = services()
    with shared.database.session() as session:
        shot_for(session, who(), shot_id)
        foreseen = store.foresee(session, shot_id, ops, back, revision)
    solutions = {}
    if foreseen is not None:
        solutions = shared.touches.solve(
            shared.database, shot_id, foreseen.before.shot, foreseen.made.after.shot, shown
        )
    with shared.database.session() as session:
        done = step(session, foreseen)
        if done is None:
            raise CuvrelError("There is nothing more to take back or to make again.")
        row = done.row
        before = None if done.before is None else done.before.shot
        stored = shared.touches.store(session, row.id, before, done.after.shot, solutions)
        if stored.left:
            put(session, "solve", row.project_id, f"Solving {len(stored.left)} marked frames", shot_id=row.id,
                args={"frames": [list(one) for one in stored.left]}, total=len(stored.left))  # fmt: skip
        touched = [
            Touched(pull=pull, frame=frame, now=_now(session, row.id, pull, frame)) for pull, frame in stored.changed
        ]
        history = History(**store.history(session, row))
        known = None if done.before is None else done.before.references
        same = known == done.after.references and done.base == row.revision - 1
        uses = None if same else uses_of(done.after)
        out = EditOut(base=done.base, revision=row.revision, ops=done.ops, history=history, touched=touched, uses=uses)
        return answer(out)


def _now(session: Session, shot_id: int, pull: str, frame: int) -> FrameOut | None:
    row = session.get(MatteFrame, (shot_id, pull, frame))
    return None if row is None else frame_out(row)


@api.post("/shots/<int:id>/edits", responses={200: EditOut})
def edit(path: ById, body: Edits) -> Response:
    """Applies an edit. Marks that come or go with it change their frames at once."""

    def step(session: Session, foreseen: store.Foreseen | None) -> store.Done:
        return store.edit(session, path.id, body.revision, body.ops, body.label, body.gesture, foreseen)

    return _changed(path.id, body.ops, False, step, body.frame, body.revision)


@api.post("/shots/<int:id>/undo", responses={200: EditOut})
def undo(path: ById) -> Response:
    """Takes the last edit back."""
    return _changed(path.id, None, True, lambda session, foreseen: store.undo(session, path.id, foreseen))


@api.post("/shots/<int:id>/redo", responses={200: EditOut})
def redo(path: ById) -> Response:
    """Makes the last undone edit again."""
    return _changed(path.id, None, False, lambda session, foreseen: store.redo(session, path.id, foreseen))


@api.post("/shots/<int:id>/ready", responses={204: NOTHING})
def ready(path: ById, query: FrameQuery) -> Response:
    """Prepares a frame that is about to be marked, so that its first mark answers as quickly as the next."""
    shared = services()
    with shared.database.session() as session:
        shot = store.shot_of(session, shot_for(session, who(), path.id))
        pulls = marked_pulls(shot)
        seen = [seen_by(session, path.id, shot, pull.id, shared.blobs, shared.readers) for pull in pulls]
    for pull, one in zip(pulls, seen, strict=True):
        shared.touches.warm(one, pull, min(query.frame, one.count - 1))
    return Response(status=204)


@api.post("/shots/<int:id>/follow", responses={202: JobOut})
def follow(path: ById, body: FollowRequest) -> Response:
    """Starts following a trace from a frame that has a matte."""
    shared = services()
    with shared.database.session() as session:
        row = shot_for(session, who(), path.id, lock=True)
        shot = store.shot_of(session, row)
        try:
            matte, pull = shot.trace(body.pull)
        except KeyError:
            raise store.NotFound("There is no such trace in this shot.") from None
        start = session.get(MatteFrame, (path.id, body.pull, body.start))
        if start is None or start.blob is None:
            raise CuvrelError("There is no matte on this frame to follow from.", "Draw an in mark on it first.")
        if any(job.args["pull"] == pull.id for job in being_done(session, path.id, "follow")):
            raise CuvrelError("This trace is being followed already.", "Stop that first, or wait for its end.")
        _room_for_matte(shot, "its matte")
        job = put(session, "follow", row.project_id, f"Following {matte.name}", shot_id=row.id,
                  args=body.model_dump(mode="json"))  # fmt: skip
        out = job_out(job)
    return answer(out, 202)


def _room_for_matte(shot: Shot, what: str) -> None:
    """Raises NoRoom where a stored matte of all frames might not fit: half a byte a pixel is more than one takes."""
    plate = shot.plate_footage()
    services().blobs.room.require(0.5 * len(shot.frames) * plate.width * plate.height, what)


def being_done(session: Session, shot_id: int, kind: str) -> list[JobRow]:
    """The jobs of a kind that wait or work on a shot."""
    jobs = select(JobRow).where(JobRow.shot_id == shot_id, JobRow.kind == kind, JobRow.state.in_(OPEN))
    return list(session.scalars(jobs))


@api.post("/shots/<int:id>/settle", responses={202: JobOut})
def settle(path: ById, body: SettleRequest) -> Response:
    """Starts storing a matte's frames; once all are stored the shot reads them instead of computing them."""
    shared = services()
    with shared.database.session() as session:
        row = shot_for(session, who(), path.id, lock=True)
        shot = store.shot_of(session, row)
        try:
            matte, token = shot.matte(body.matte), _settling(session, row, shot)(body.matte)
        except KeyError:
            raise store.NotFound("There is no such matte in this shot.") from None
        if any(one.startswith("footage:s") for one in rests_on(shot, f"matte:{matte.id}")):
            raise CuvrelError(
                f"'{matte.name}' rests on another shot, which may change at any time.", "It can't be settled."
            )
        if any(job.args["matte"] == matte.id for job in being_done(session, path.id, "settle")):
            raise CuvrelError("This matte is being settled already.", "Wait for its end.")
        _room_for_matte(shot, "the settled matte")
        job = put(session, "settle", row.project_id, f"Settling {matte.name}", shot_id=row.id,
                  args={"matte": matte.id, "token": token, "document": document_of(session, row).document})  # fmt: skip
        out = job_out(job)
    return answer(out, 202)


@api.post("/shots/<int:id>/clean-plate", responses={202: JobOut})
def clean_plate(path: ById, body: CleanPlateRequest) -> Response:
    """Starts building a clean plate; it becomes footage of the project."""
    shared = services()
    with shared.database.session() as session:
        row = shot_for(session, who(), path.id)
        shot = store.shot_of(session, row)
        count = shot.plate_footage().frames
        first = shot.frames[0] if body.first is None else body.first
        last = min(count - 1, shot.frames[-1] if body.last is None else body.last)
        known = {matte.id for matte in shot.mattes}
        wanted = [part.matte for part in body.parts] if body.how == "parts" else [body.matte]
        if any(one is not None and one not in known for one in wanted):
            raise store.NotFound("There is no such matte in this shot.")
        if body.how == "free" and body.matte is None:
            raise CuvrelError("Which matte the subject is under must be chosen.", "Pull a rough matte first.")
        if body.how == "parts" and (not body.parts or any(part.frame >= count for part in body.parts)):
            raise CuvrelError("A clean plate from held frames needs frames of this shot.", "Choose one at least.")
        if first > last:
            raise CuvrelError("The first frame lies behind the last one.")
        args = body.model_dump(mode="json") | {
            "first": first,
            "last": last,
            "document": document_of(session, row).document,
        }
        job = put(session, "clean_plate", row.project_id, "Building a clean plate", shot_id=row.id, args=args)
        out = job_out(job)
    return answer(out, 202)


@api.get("/shots/<int:id>/settled", responses={200: SettledOut})
def settled(path: ById) -> Response:
    """Which settled mattes are out of date."""
    with services().database.session() as session:
        row = shot_for(session, who(), path.id)
        shot = store.shot_of(session, row)
        now = _settling(session, row, shot)
        old = [m.id for m in shot.mattes if m.settled and m.settled != now(m.id)]
    return answer(SettledOut(out_of_date=old))


def _settling(session: Session, row: ShotRow, shot: Shot) -> Callable[[str], str]:
    """The key under which a matte of a shot would be settled now, by the matte's id."""
    stored = [(str(pull), int(frame), blob) for pull, frame, blob in snapshot(session, row.id)]
    read = read_by_hand(session, shot)
    return lambda matte: settling_key(shot, matte, stored, read)
