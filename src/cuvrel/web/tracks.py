"""Tracks: following them, where they are, and what rides on them."""

from __future__ import annotations

import numpy as np
from flask import Response
from flask_openapi3 import APIBlueprint

from cuvrel.core.arrays import F64
from cuvrel.core.recipe.errors import CuvrelError
from cuvrel.core.stand.build import Stand
from cuvrel.core.stand.nodes import work_out
from cuvrel.core.stand.riding import baked, track_of, without_track
from cuvrel.core.tracks.path import Path, box_of
from cuvrel.core.tracks.side_by_side import beside
from cuvrel.jobs.queue import put
from cuvrel.store import shots as store
from cuvrel.store.access import shot_for
from cuvrel.web.models import ById, FrameQuery, JobOut
from cuvrel.web.openapi import file_of
from cuvrel.web.pictures import encoded, frame_there, whole_stand
from cuvrel.web.present import answer, job_out
from cuvrel.web.problems import Problem
from cuvrel.web.services import services, who
from cuvrel.web.shots import being_done
from cuvrel.web.track_models import (
    FeaturesOut,
    LookQuery,
    MotionsOut,
    MotionsRequest,
    PathOut,
    RideDeed,
    RideDeedOut,
    TrackPath,
    TrackRequest,
)  # fmt: skip

api = APIBlueprint("tracks", __name__, url_prefix="/api",
                   abp_responses={"422": Problem, "404": Problem})  # fmt: skip
LABELS = {"bake": "bake to keyframes", "track": "track from keyframes", "remove": "remove track"}


@api.post("/shots/<int:id>/track", responses={202: JobOut})
def follow(path: ById, body: TrackRequest) -> Response:
    """Starts following tracks, side by side."""
    shared = services()
    with shared.database.session() as session:
        row = shot_for(session, who(), path.id, lock=True)
        shot = store.shot_of(session, row)
        names = {track.id: track.name for track in shot.tracks}
        if not names.keys() >= set(body.tracks):
            raise store.NotFound("There is no such track in this shot.")
        if any(set(job.args["tracks"]) & set(body.tracks) for job in being_done(session, path.id, "track")):
            raise CuvrelError("This track is being followed already.", "Stop that first, or wait for its end.")
        title = names[body.tracks[0]] if len(body.tracks) == 1 else f"{len(body.tracks)} tracks"
        args = body.model_dump(mode="json")
        job = put(session, "track", row.project_id, f"Following {title}", shot_id=row.id, args=args)
        out = job_out(job)
    return answer(out, 202)


def _path_of(path: TrackPath) -> tuple[Stand, Path]:
    """A track of a shot as it is stored now. Raises NotFound."""
    with services().database.session() as session:
        stand = whole_stand(session, path.id)
    if path.track not in stand.motions:
        raise store.NotFound("There is no such track in this shot.")
    return stand, stand.motions[path.track]


@api.get("/shots/<int:id>/tracks/<string:track>/path", responses={200: PathOut})
def where(path: TrackPath) -> Response:
    """Where a track is on every frame."""
    stand, found = _path_of(path)
    frames = range(stand.frames)
    return answer(
        PathOut(
            since=[_nine(found.since(n)) for n in frames],
            seen=[found.seen(n) for n in frames],
            box=box_of(found.track).tolist(),
        )
    )


def _nine(matrix: F64) -> list[float]:
    return [float(f"{n:.8g}") for n in (matrix / matrix[2, 2]).ravel()]


@api.get("/shots/<int:id>/tracks/<string:track>/features", responses={200: FeaturesOut})
def features(path: TrackPath, query: FrameQuery) -> Response:
    """The feature points that a track was followed by on a frame."""
    _, found = _path_of(path)
    there = found.features(query.frame)
    return answer(FeaturesOut(features=np.round(there, 2).astype(float).tolist()))


@api.get("/shots/<int:id>/tracks/<string:track>/look.jpg", responses={200: file_of("image/jpeg", "image/png")})
def look(path: TrackPath, query: LookQuery) -> Response:
    """A track's piece of its frame of reference, enlarged, and beside it the same piece of another frame, brought back
    by its motion: where the track holds the two look alike."""
    shared = services()
    stand, found = _path_of(path)
    frame_there(stand, query.frame)
    both = beside(found, lambda n: work_out(stand.plate(n), shared.cache), query.frame)
    data, kind = encoded(both, 90)
    return Response(data, content_type=kind, headers={"Cache-Control": "no-store"})


@api.post("/shots/<int:id>/motions", responses={200: MotionsOut})
def motions(path: ById, body: MotionsRequest) -> Response:
    """How what rides is moved on every frame."""
    with services().database.session() as session:
        stand = whole_stand(session, path.id)
    found = [[_nine(stand.env(n).moved(riding)) for n in range(stand.frames)] for riding in body.rides]
    return answer(MotionsOut(motions=found))


@api.post("/shots/<int:id>/rides", responses={200: RideDeedOut})
def ride(path: ById, body: RideDeed) -> Response:
    """What a deed would change, as operations on the document as it is now; nothing is changed by asking."""
    with services().database.session() as session:
        stand = whole_stand(session, path.id)
    said: list[str] = []
    if body.kind == "bake":
        ops = baked(stand.shot, stand.motions, body.path)
    elif body.kind == "track":
        ops = track_of(stand.shot, stand.motions, body.path, body.ident)
    else:
        ops, said = without_track(stand.shot, body.ident)
    return answer(RideDeedOut(ops=ops, label=LABELS[body.kind], said=said))
