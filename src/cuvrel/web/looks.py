"""Looks: saved, read, written, shown on a shot's own frame, and laid on; and another plate under a shot."""

from __future__ import annotations

import base64
import re

from flask import Response
from flask_openapi3 import APIBlueprint
from sqlalchemy.orm import Session

from cuvrel.core.looks.apply import operations, suited
from cuvrel.core.looks.capture import look_of_planes, look_of_treatments
from cuvrel.core.looks.models import Look, read_look, written
from cuvrel.core.recipe.errors import RecipeError
from cuvrel.core.recipe.models import Shot
from cuvrel.core.recipe.plate_swap import swapped
from cuvrel.core.stand.nodes import work_out
from cuvrel.core.stand.view_kinds import ResultView
from cuvrel.core.stand.views import view
from cuvrel.store import looks
from cuvrel.store import shots as store
from cuvrel.store.access import footage_for, shot_for
from cuvrel.store.footage import entry
from cuvrel.web.look_models import (
    LayLook,
    LookFile,
    LookNeedOut,
    LookOut,
    LookPath,
    LooksOut,
    NewLook,
    SwapOut,
    SwapRequest,
)
from cuvrel.web.models import ById, DeedOut, NewName
from cuvrel.web.openapi import file_of
from cuvrel.web.pictures import encoded, frame_there, stand_of
from cuvrel.web.present import answer
from cuvrel.web.problems import Problem
from cuvrel.web.services import services, who

api = APIBlueprint("looks", __name__, url_prefix="/api", abp_responses={"422": Problem, "404": Problem})
SMALL = 320  # pixels of a look's picture


def _out(ident: str, look: Look) -> LookOut:
    return LookOut(
        id=ident, name=look.name, about=look.about, of="treatments" if look.treatments else "planes",
        shipped=ident.startswith(looks.SHIPPED),
        needs=[LookNeedOut(id=need.id, of=need.of, name=need.name) for need in look.needs],
        picture=f"/api/looks/{ident}/picture.jpg" if look.picture else "",
    )  # fmt: skip


@api.get("/looks", responses={200: LooksOut})
def list_looks() -> Response:
    """All looks: the saved ones, the newest first, and then those that ship."""
    with services().database.session() as session:
        return answer(LooksOut(looks=[_out(ident, look) for ident, look in looks.all_looks(session)]))


@api.post("/looks", responses={201: LookOut})
def new_look(body: NewLook) -> Response:
    """Saves planes of a shot as a look, or the treatments of one; its picture is of the frame that is looked at."""
    shared = services()
    with shared.database.session() as session:
        row = shot_for(session, who(), body.shot)
        shot, stand = store.shot_of(session, row), stand_of(session, row, SMALL)
    if body.treatments_of is not None:
        look = look_of_treatments(shot, body.name, body.treatments_of)
    else:
        look = look_of_planes(shot, body.name, body.planes)
    frame_there(stand, body.frame)
    data, _ = encoded(work_out(view(stand, ResultView(), body.frame), shared.cache), 84)
    look = look.model_copy(update={"picture": "data:image/jpeg;base64," + base64.b64encode(data).decode()})
    with shared.database.session() as session:
        return answer(_out(str(looks.keep(session, look).id), look), 201)


@api.post("/looks/file", responses={201: LookOut})
def read_file(body: LookFile) -> Response:
    """Saves a look from its file."""
    look = read_look(body.text)
    with services().database.session() as session:
        return answer(_out(str(looks.keep(session, look).id), look), 201)


@api.get("/looks/<string:look>/file", responses={200: file_of("application/json")})
def write_file(path: LookPath) -> Response:
    """A look as its file: open JSON, with its picture."""
    with services().database.session() as session:
        look = looks.found(session, path.look)
    name = re.sub(r"[^A-Za-z0-9]+", "-", look.name).strip("-").lower() or "look"
    headers = {"Content-Disposition": f'attachment; filename="{name}.look.json"'}
    return Response(written(look), content_type="application/json", headers=headers)


@api.get("/looks/<string:look>/picture.jpg", responses={200: file_of("image/jpeg")})
def picture(path: LookPath) -> Response:
    """A look's picture. 404 where it has none."""
    with services().database.session() as session:
        look = looks.found(session, path.look)
    if look.picture is None:
        raise store.NotFound("This look has no picture.")
    data = base64.b64decode(look.picture.partition(",")[2])
    return Response(data, content_type="image/jpeg", headers={"Cache-Control": "private, max-age=3600"})


@api.post("/looks/<string:look>/name", responses={200: LookOut})
def rename(path: LookPath, body: NewName) -> Response:
    """Gives a saved look another name."""
    with services().database.session() as session:
        looks.rename(session, path.look, body.name)
        return answer(_out(path.look, looks.found(session, path.look)))


@api.delete("/looks/<string:look>", responses={200: LookOut})
def delete(path: LookPath) -> Response:
    """Deletes a saved look; shots that it was laid on stay as they are."""
    with services().database.session() as session:
        row = looks.saved(session, path.look)
        out = _out(path.look, read_look(row.document))
        session.delete(row)
    return answer(out)


@api.post("/shots/<int:id>/look", responses={200: DeedOut})
def lay(path: ById, body: LayLook) -> Response:
    """What laying a look on a shot would change, as operations on the document as it is now.

    Nothing is changed by asking. What is not said is chosen as `suited` says.
    """
    with services().database.session() as session:
        shot, look = _both(session, path.id, body.look)
    chosen = {**suited(look, shot, body.prefer), **body.chosen}
    return answer(DeedOut(ops=operations(look, shot, chosen, body.plane), label=f"lay on {look.name}"[:200]))


@api.post("/shots/<int:id>/suited", responses={200: LayLook})
def suit(path: ById, body: LayLook) -> Response:
    """What the shot has for each thing that a look needs."""
    with services().database.session() as session:
        shot, look = _both(session, path.id, body.look)
    return answer(body.model_copy(update={"chosen": suited(look, shot, body.prefer)}))


def _both(session: Session, shot_id: int, look_id: str) -> tuple[Shot, Look]:
    return store.shot_of(session, shot_for(session, who(), shot_id)), looks.found(session, look_id)


@api.post("/shots/<int:id>/plate", responses={200: SwapOut})
def swap(path: ById, body: SwapRequest) -> Response:
    """What another plate under a shot would change, what is fitted to it, and what can't carry over.

    Nothing is changed by asking. anew: mattes whose traces get new frames: their marks are solved on the new plate,
    and they can be followed from there.
    """
    with services().database.session() as session:
        row = shot_for(session, who(), path.id)
        shot = store.shot_of(session, row)
        footage = footage_for(session, who(), body.footage)
        if footage.project_id != row.project_id or footage.trashed is not None:
            raise store.NotFound("There is no such footage in this project.")
        if footage.state != "ready":
            raise RecipeError("The footage is not ready yet.", "Wait until it has been brought in.")
        plate = entry(footage)
    done = swapped(shot, plate, body.times, frozenset(body.anew))
    return answer(SwapOut(ops=done.ops, said=done.said, lost=done.lost, pulls=done.pulls))
