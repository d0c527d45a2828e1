"""The stand and its keyframes: deeds done to many values at once, copied keyframes, and what planes cost."""

from __future__ import annotations

from flask import Response
from flask_openapi3 import APIBlueprint

from cuvrel.core.media.probe import MediaInfo
from cuvrel.core.motion.paces import other_way
from cuvrel.core.motion.paces import paces as paces_of
from cuvrel.core.recipe.declared import declared
from cuvrel.core.recipe.keyframe_edits import LABELS, copied, done
from cuvrel.core.recipe.values import Key, Keys
from cuvrel.core.stand.build import Stand
from cuvrel.core.stand.costs import costs
from cuvrel.core.stand.joined import changed_at, lined_up, matched
from cuvrel.core.stand.nodes import work_out
from cuvrel.core.treatments import cdl_file
from cuvrel.core.treatments.grain_match import measured
from cuvrel.store import shots as store
from cuvrel.store.access import footage_for, shot_for
from cuvrel.web.models import (
    ById,
    CdlFile,
    ChangeOut,
    ClipsOut,
    CopyRequest,
    CostsOut,
    CostsQuery,
    DeedOut,
    DeedRequest,
    FrameQuery,
    LinedOut,
    LineUpRequest,
    MatchedOut,
    PacesOut,
    PlanePath,
    StepPath,
    TakeRequest,
    ValuesOut,
)  # fmt: skip
from cuvrel.web.openapi import file_of
from cuvrel.web.pictures import frame_there, stand_of, whole_stand
from cuvrel.web.present import answer
from cuvrel.web.problems import Problem
from cuvrel.web.services import services, who

LEAST_BLUR = 0.3  # pixels that are worth a treatment

api = APIBlueprint("stand", __name__, url_prefix="/api", abp_responses={"422": Problem, "404": Problem})


@api.post("/shots/<int:id>/deeds", responses={200: DeedOut})
def deed(path: ById, body: DeedRequest) -> Response:
    """What a deed would change, as operations on the document as it is now; nothing is changed by asking."""
    with services().database.session() as session:
        shot = store.shot_of(session, shot_for(session, who(), path.id))
    return answer(DeedOut(ops=done(shot, body), label=LABELS[body.kind]))


@api.post("/shots/<int:id>/copied", responses={200: ClipsOut})
def copy(path: ById, body: CopyRequest) -> Response:
    """The keyframes of a set, to be pasted elsewhere."""
    with services().database.session() as session:
        shot = store.shot_of(session, shot_for(session, who(), path.id))
    return answer(ClipsOut(clips=copied(shot, body.places, body.first, body.last)))


@api.get("/shots/<int:id>/costs", responses={200: CostsOut})
def cost(path: ById, query: CostsQuery) -> Response:
    """What each plane takes of a frame's time."""
    shared = services()
    with shared.database.session() as session:
        stand = stand_of(session, shot_for(session, who(), path.id), query.width)
    frame_there(stand, query.frame)
    found = costs(stand, query.frame, shared.cache)
    return answer(CostsOut(costs={plane: round(ms, 2) for plane, ms in found.items()}))


@api.get("/shots/<int:id>/planes/<string:plane>/paces", responses={200: PacesOut})
def paces(path: PlanePath) -> Response:
    """At which paces a plane's footage was filmed, and the speed that shows it the other way than it is read."""
    with services().database.session() as session:
        shot = store.shot_of(session, shot_for(session, who(), path.id))
        plane = next((one for one in shot.planes if one.id == path.plane), None)
        if plane is None:
            raise store.NotFound("There is no such plane in this shot.")
        footage = str(plane.params.get("footage") or shot.plate)
        if not footage.isdigit():  # the pieces of a reel, or another shot
            return answer(PacesOut(rates=[], by_clock=True, speed=None))
        row = footage_for(session, who(), int(footage))
        info = MediaInfo.from_json(row.info) if row.info.get("frames") else None
    keys = other_way(info) if info is not None else []
    # an element runs at its own rate, the plate's frames are the shot's
    faster = shot.fps / info.fps if info is not None and footage != shot.plate else 1.0
    speed = Keys(keys=[Key(**{**one, "frame": round(one["frame"] * faster)}) for one in keys]) if keys else None
    by_clock = info is None or info.hand.get("times") != "picture by picture"
    rates = [round(one.rate, 2) for one in paces_of(info)] if info is not None else []
    return answer(PacesOut(rates=rates, by_clock=by_clock, speed=speed))


@api.get("/shots/<int:id>/treatments/<string:step>/cdl", responses={200: file_of("application/xml")})
def write_cdl(path: StepPath, query: FrameQuery) -> Response:
    """A treatment by slope, offset and power as a CDL file, with its values on a frame."""
    with services().database.session() as session:
        shot = store.shot_of(session, shot_for(session, who(), path.id))
    for plane in shot.planes:
        for step in plane.treatments:
            if step.id == path.step and step.kind == "cdl":
                text = cdl_file.written(step.values().at(shot.env(query.frame)), f"{shot.name}, {plane.name}")
                headers = {"Content-Disposition": f'attachment; filename="{path.step}.cdl"'}
                return Response(text, content_type="application/xml", headers=headers)
    raise store.NotFound("There is no such treatment in this shot.")


@api.get("/shots/<int:id>/grain", responses={200: ValuesOut})
def grain(path: ById, query: FrameQuery) -> Response:
    """The grain of a frame of the plate, as values of the treatment; nothing is changed."""
    shared = services()
    with shared.database.session() as session:
        stand = whole_stand(session, path.id)
    frame_there(stand, query.frame)
    return answer(ValuesOut(values=measured(work_out(stand.plate(query.frame), shared.cache))))


@api.post("/shots/<int:id>/planes/<string:plane>/line-up", responses={200: LinedOut})
def line_up(path: PlanePath, body: LineUpRequest) -> Response:
    """How a take lies on the plate, by what stands still in both; nothing is changed."""
    shared = services()
    with shared.database.session() as session:
        stand = whole_stand(session, path.id)
    frames = _frames(stand, body)
    found = lined_up(stand, path.plane, frames, body.over, body.kind, _matte(stand, body), shared.cache, body.about)
    return answer(LinedOut(line_up=found.line_up, still=round(found.still, 3)))


@api.post("/shots/<int:id>/planes/<string:plane>/tone", responses={200: MatchedOut})
def match_tone(path: PlanePath, body: TakeRequest) -> Response:
    """What brings a take to the plate's tone, sharpness and grain, as values of treatments; nothing is changed."""
    shared = services()
    with shared.database.session() as session:
        stand = whole_stand(session, path.id)
    frames = _frames(stand, body)
    found = matched(stand, path.plane, frames, body.over, _matte(stand, body), shared.cache, body.about)
    more = None
    if found.texture.grainier:
        more = measured(work_out(stand.plate(frames[0]), shared.cache))
        # it has some of its own
        more["amount"] = round(more["amount"] * found.texture.missing, 2)
    blur = found.texture.blur if found.texture.blur >= LEAST_BLUR else 0.0
    return answer(MatchedOut(values=found.values, left=round(found.left, 2), blur=blur, grain=more))


@api.get("/shots/<int:id>/planes/<string:plane>/change", responses={200: ChangeOut})
def change(path: PlanePath, query: FrameQuery) -> Response:
    """Where a take shows something else than what lies behind it; nothing is changed."""
    shared = services()
    with shared.database.session() as session:
        stand = stand_of(session, shot_for(session, who(), path.id), 960)
    frame_there(stand, query.frame)
    place, reach = changed_at(stand, path.plane, query.frame, shared.cache)
    return answer(ChangeOut(place=place, reach=reach))


def _frames(stand: Stand, body: TakeRequest) -> range:
    """The frames that are asked for, as far as the shot has them. Raises as `frame_there` does."""
    frame_there(stand, body.first)
    return range(body.first, max(body.first, min(body.last, stand.frames - 1)) + 1)


def _matte(stand: Stand, body: TakeRequest) -> str | None:
    """The matte that is left out. Raises NotFound."""
    if body.leave_out is not None and all(one.id != body.leave_out for one in stand.shot.mattes):
        raise store.NotFound("There is no such matte in this shot.")
    return body.leave_out


@api.post("/cdl", responses={200: ValuesOut})
def read_cdl(body: CdlFile) -> Response:
    """The values of the treatment by slope, offset and power that a CDL file has; nothing is changed."""
    values = cdl_file.read(body.text)
    declared("treatment", "cdl").read(dict(values))
    return answer(ValuesOut(values=values))
