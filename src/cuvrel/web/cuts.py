"""Cuts: camera shots within one piece of footage, looked for, marked, and made shots of their own."""

from __future__ import annotations

from flask import Response
from flask_openapi3 import APIBlueprint
from pydantic import BaseModel

from cuvrel.core.recipe.cutting import pieces_of
from cuvrel.core.recipe.errors import CuvrelError
from cuvrel.core.recipe.models import Range
from cuvrel.core.recipe.new_plane import begun_shot
from cuvrel.jobs.queue import put
from cuvrel.store import shots as store
from cuvrel.store.access import shot_for
from cuvrel.web.models import ById, JobOut, ShotCard
from cuvrel.web.present import answer, job_out, shot_card
from cuvrel.web.problems import Problem
from cuvrel.web.services import services, who
from cuvrel.web.shots import being_done

api = APIBlueprint("cuts", __name__, url_prefix="/api",
                   abp_responses={"422": Problem, "404": Problem, "409": Problem})  # fmt: skip


class PiecesOut(BaseModel):
    """The shots that were made, in order."""

    shots: list[ShotCard]


@api.post("/shots/<int:id>/cuts", responses={202: JobOut})
def look(path: ById) -> Response:
    """Looks the plate through; what is found takes the place of the cuts that are marked."""
    shared = services()
    with shared.database.session() as session:
        row = shot_for(session, who(), path.id, lock=True)
        if being_done(session, path.id, "cuts"):
            raise CuvrelError("The plate is being looked through already.", "Wait for its end.")
        job = put(session, "cuts", row.project_id, f"Looking for cuts in {row.name}", shot_id=row.id)
        out = job_out(job)
    return answer(out, 202)


@api.post("/shots/<int:id>/pieces", responses={201: PiecesOut})
def make(path: ById) -> Response:
    """Makes a shot of each piece between the cuts, in the same project: the plate, and the piece as its range."""
    with services().database.session() as session:
        row = shot_for(session, who(), path.id)
        shot = store.shot_of(session, row)
        made = []
        for number, (first, last) in enumerate(pieces_of(shot), 1):
            document = begun_shot(
                f"{shot.name[:100]} · {number}", shot.plate_footage(), format=shot.format,
                first_number=shot.first_number, range=Range(first=first, last=last),
            )  # fmt: skip
            made.append(shot_card(store.create(session, row.project_id, document)))
    return answer(PiecesOut(shots=made), 201)
