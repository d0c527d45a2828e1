"""Tracks: following them, where they are, and what rides on them."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
from flask import Response
from flask_openapi3 import APIBlueprint

from cuvrel.core.arrays import F64
from cuvrel.core.camera.exchange import gltf, ply, read_gltf
from cuvrel.core.camera.path import CameraPath, as_solved, row_of
from cuvrel.core.camera.places import place_at, places_at
from cuvrel.core.camera.trails import NOBODY
from cuvrel.core.recipe.errors import CuvrelError
from cuvrel.core.stand.build import Stand
from cuvrel.core.stand.nodes import work_out
from cuvrel.core.stand.riding import baked, track_of, without_track
from cuvrel.core.tracks.path import Path, box_of
from cuvrel.core.tracks.side_by_side import beside
from cuvrel.jobs.queue import put
from cuvrel.store import shots as store
from cuvrel.store.access import shot_for
from cuvrel.store.tracking import StoredMeasures
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
    PlaceOut,
    PlaceRequest,
    RideDeed,
    RideDeedOut,
    SceneFile,
    SceneGiven,
    SceneOut,
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


def _path_of(path: TrackPath) -> tuple[Stand, Path | CameraPath]:
    """A track of a shot as it is stored now. Raises NotFound."""
    with services().database.session() as session:
        stand = whole_stand(session, path.id)
    if path.track not in stand.motions:
        raise store.NotFound("There is no such track in this shot.")
    return stand, stand.motions[path.track]


def _flat_of(path: TrackPath) -> tuple[Stand, Path]:
    """The same, of what is no camera. Raises NotFound."""
    stand, found = _path_of(path)
    if not isinstance(found, Path):
        raise store.NotFound("A camera has no place in the picture.")
    return stand, found


def _camera_of(path: TrackPath) -> tuple[Stand, CameraPath]:
    """The same, of a camera. Raises NotFound."""
    stand, found = _path_of(path)
    if not isinstance(found, CameraPath):
        raise store.NotFound("This track is no camera.")
    return stand, found


@api.get("/shots/<int:id>/tracks/<string:track>/path", responses={200: PathOut})
def where(path: TrackPath) -> Response:
    """Where a track is on every frame."""
    stand, found = _flat_of(path)
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
    stand, found = _flat_of(path)
    frame_there(stand, query.frame)
    both = beside(found, lambda n: work_out(stand.plate(n), shared.cache), query.frame)
    data, kind = encoded(both, 90)
    return Response(data, content_type=kind, headers={"Cache-Control": "no-store"})


@api.get("/shots/<int:id>/tracks/<string:track>/scene", responses={200: SceneOut})
def scene(path: TrackPath) -> Response:
    """A camera on every frame, and the points of its scene."""
    stand, found = _camera_of(path)
    views = [found.stored(n) for n in range(stand.frames)]
    solved, first = found.solved, next((view for view in views if view is not None), None)
    rows = [
        None if one is None else [float(f"{n:.9g}") for n in (*one.turn.ravel(), *one.shift, one.lens.focal)]
        for one in views
    ]
    return answer(
        SceneOut(
            solved=solved is not None and first is not None,
            views=rows,
            errors=[found.error(n) for n in range(stand.frames)],
            bend=[0.0, 0.0] if first is None else list(first.lens.bend),
            points=[] if solved is None else np.round(solved.points, 4).tolist(),
            still=solved is not None and solved.still,
            kept=0.0 if solved is None else solved.kept,
            error=0.0 if solved is None else solved.error,
            says="" if solved is None else solved.says,
        )
    )


@api.post("/shots/<int:id>/tracks/<string:track>/place", responses={200: PlaceOut})
def place(path: TrackPath, body: PlaceRequest) -> Response:
    """Where in the scene a place of the picture lies: by points near by, and by pictures of other frames."""
    shared = services()
    stand, found = _camera_of(path)
    frame_there(stand, body.frame)
    view, solved = found.view(body.frame), found.solved
    if view is None or solved is None:
        raise CuvrelError("The camera is not solved yet.", "Solve it first.")
    seen, points = found.around(body.frame)
    if len(points) < 4:
        seen, points = view.seen(solved.points), solved.points
        there = np.isfinite(seen).all(axis=1)
        seen, points = seen[there], points[there]
    pixel = (body.x, body.y)
    if solved.still or not len(points) or found.stored(body.frame) is None:
        one = place_at(view, pixel, seen, points)
    else:
        views = {n: each for n in found.frames if (each := found.stored(n)) is not None}
        read = lambda n: work_out(stand.plate(n), shared.cache)  # noqa: E731
        one = places_at(views, body.frame, [pixel], seen, points, read)[0]
    axes, ray = found.space, view.rays(np.array([pixel]))[0]
    up = axes.turn[:, 1]
    fall = float(ray @ up)
    far = -float((view.eye - axes.origin) @ up) / fall if abs(fall) > 1e-9 else -1.0
    ground = axes.told((view.eye + ray * far)[None])[0].tolist() if far > 0 else None
    told = axes.told(one.at[None])[0]
    faces = one.normal @ axes.turn
    return answer(
        PlaceOut(
            at=one.at.tolist(),
            facing=one.normal.tolist(),
            told=told.tolist(),
            faces=faces.tolist(),
            ground=ground,
            doubt=one.doubt,
        )
    )


@api.get("/shots/<int:id>/tracks/<string:track>/scene.<string:form>",
         responses={200: file_of("model/gltf+json", "text/plain")})  # fmt: skip
def scene_file(path: SceneFile) -> Response:
    """A camera's scene as an open file: glTF 2.0 with an animated camera, or its points as PLY."""
    stand, found = _camera_of(TrackPath(id=path.id, track=path.track))
    text = gltf(found, stand.fps, found.track.name) if path.form == "gltf" else ply(found)
    kind = "model/gltf+json" if path.form == "gltf" else "text/plain; charset=utf-8"
    head = {"Content-Disposition": f'attachment; filename="{path.track}.{path.form}"', "Cache-Control": "no-store"}
    return Response(text, content_type=kind, headers=head)


@api.post("/shots/<int:id>/tracks/<string:track>/scene", responses={200: SceneOut})
def given(path: TrackPath, body: SceneGiven) -> Response:
    """Takes a camera from a glTF file in place of what was solved."""
    shared = services()
    stand, found = _camera_of(path)
    read = read_gltf(body.text, found.space, found.size, stand.fps, stand.frames)
    rows = {n: row_of(found.measured(n)) for n in read.views}
    rows.setdefault(found.track.frame, NOBODY)
    which = {n: np.full(len(row.ids), -1, np.int64) for n, row in rows.items()}
    with shared.database.session() as session:
        shot_for(session, who(), path.id, lock=True)
        if any(path.track in job.args["tracks"] for job in being_done(session, path.id, "track")):
            raise CuvrelError("This camera is being solved.", "Stop that first, or wait for its end.")
    stored = StoredMeasures(shared.database, shared.blobs, path.id, path.track)
    for n, measured in as_solved(read, rows, which, found.track.frame, max(found.size) / 960).items():
        stored.keep(n, replace(measured, doubt=0.0, reason="") if n in read.views else measured, None)
    answered: Response = scene(path)
    return answered


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
