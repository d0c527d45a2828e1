"""The stand and its keyframes: deeds done to many values at once, copied keyframes, and what planes cost."""

from __future__ import annotations

from flask import Response
from flask_openapi3 import APIBlueprint

from cuvrel.core.motion.deeds import LABELS, copied, done
from cuvrel.core.stand.costs import costs
from cuvrel.store import shots as store
from cuvrel.web.models import ById, ClipsOut, CopyRequest, CostsOut, CostsQuery, DeedOut, DeedRequest
from cuvrel.web.pictures import frame_there, stand_of
from cuvrel.web.present import answer
from cuvrel.web.problems import Problem
from cuvrel.web.services import services

api = APIBlueprint("stand", __name__, url_prefix="/api", abp_responses={"422": Problem, "404": Problem})


@api.post("/shots/<int:id>/deeds", responses={200: DeedOut})
def deed(path: ById, body: DeedRequest) -> Response:
    """What a deed would change, as operations on the document as it is now; nothing is changed by asking."""
    with services().database.session() as session:
        shot = store.shot_of(session, store.found(session, path.id))
    return answer(DeedOut(ops=done(shot, body), label=LABELS[body.kind]))


@api.post("/shots/<int:id>/copied", responses={200: ClipsOut})
def copy(path: ById, body: CopyRequest) -> Response:
    """The keyframes of a set, to be pasted elsewhere."""
    with services().database.session() as session:
        shot = store.shot_of(session, store.found(session, path.id))
    return answer(ClipsOut(clips=copied(shot, body.places, body.first, body.last)))


@api.get("/shots/<int:id>/costs", responses={200: CostsOut})
def cost(path: ById, query: CostsQuery) -> Response:
    """What each plane takes of a frame's time."""
    shared = services()
    with shared.database.session() as session:
        stand = stand_of(session, store.found(session, path.id), query.width)
    frame_there(stand, query.frame)
    found = costs(stand, query.frame, shared.cache)
    return answer(CostsOut(costs={plane: round(ms, 2) for plane, ms in found.items()}))
