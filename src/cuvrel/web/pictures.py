"""Pictures under their keys: asked for by key, kept by the browser for ever.

The browser's keys also tell what computes a picture, so that after an upgrade it shows none of an earlier release.
"""

from __future__ import annotations

import math
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import cv2
from flask import Response
from flask_openapi3 import APIBlueprint
from sqlalchemy.orm import Session

from cuvrel import core
from cuvrel.core.arrays import U8
from cuvrel.core.checks.frames import verdicts
from cuvrel.core.keys.colour_fit import fitted
from cuvrel.core.keys.colour_key import narrowed, sampled, spread_of, widened
from cuvrel.core.keys.difference_key import suggested
from cuvrel.core.looks.apply import laid_on, suited
from cuvrel.core.looks.models import Look
from cuvrel.core.media.writer import png_bytes
from cuvrel.core.recipe.check import shot_model
from cuvrel.core.recipe.declared import declared
from cuvrel.core.recipe.errors import RecipeError
from cuvrel.core.recipe.hashing import hash_tree, key_of
from cuvrel.core.recipe.models import Shot
from cuvrel.core.recipe.needs import footage
from cuvrel.core.stand.build import Stand
from cuvrel.core.stand.joined import is_seen, join_seen
from cuvrel.core.stand.nodes import Node, work_out
from cuvrel.core.stand.tries import tries, with_beginnings
from cuvrel.core.stand.view_kinds import (
    AnyView,
    LookTry,
    MatteTarget,
    MatteView,
    PlaneTarget,
    ResultView,
    StandTarget,
    Try,
    View,
)
from cuvrel.core.stand.views import TRIED_WIDTH, checked, size_of, view
from cuvrel.store import looks, versions
from cuvrel.store import shots as store
from cuvrel.store.access import shot_for, version_for
from cuvrel.store.models import ShotRow
from cuvrel.store.pictures import StoreSources
from cuvrel.web.models import (
    ById,
    CheckOut,
    ChecksOut,
    ChecksQuery,
    FrameQuery,
    KeysOut,
    KeysQuery,
    PicturePath,
    PictureQuery,
    SampleOut,
    SampleQuery,
    SpreadOut,
    SuggestOut,
    SuggestQuery,
    TriesOut,
    TriesQuery,
    TryOut,
)
from cuvrel.web.openapi import file_of
from cuvrel.web.present import answer
from cuvrel.web.problems import Problem
from cuvrel.web.services import services, who

api = APIBlueprint("pictures", __name__, url_prefix="/api", abp_responses={"422": Problem, "404": Problem})
MOST_KEYS = 2000
MOST_CHECKS = 120
CHECK_WIDTH = 480
CORE = Path(core.__file__).parent  # what computes pictures


def stand_of(session: Session, row: ShotRow, width: int, version: int | None = None) -> Stand:
    """The stand of a shot as its rows are now, or of a version of it, at a picture's width."""
    shared, frames = services(), None
    if version is None:
        shot = store.shot_of(session, row)
    else:
        kept = version_for(session, who(), row.id, version)
        shot, frames = versions.shot_of(kept), versions.snapshot_of(kept)
    scale = min(1.0, width / shot.plate_footage().width)
    sources = StoreSources(session, row.id, shot, shared.blobs, shared.readers, frames=frames)
    if version is not None:
        return Stand(shot, sources, scale)
    return shared.stands.get((row.id, row.revision, row.updated, scale), shot, sources)


def whole_stand(session: Session, shot: int) -> Stand:
    """The stand of a shot at its plate's own size. Raises NotFound."""
    row = shot_for(session, who(), shot)
    return stand_of(session, row, store.shot_of(session, row).plate_footage().width)


def looked(session: Session, stand: Stand, wanted: AnyView) -> tuple[Stand, View]:
    """The stand and the view to look at; to try out a look, the stand has it on. Raises NotFound or RecipeError."""
    if isinstance(wanted.root, LookTry):
        return _with_look(looks.found(session, wanted.root.look), stand, wanted.root.on), ResultView()
    return stand, wanted.root


def _with_look(look: Look, stand: Stand, on: PlaneTarget | StandTarget) -> Stand:
    """The stand with a look on a plane, or on all of it with a preferred matte."""
    plane = on.plane if isinstance(on, PlaneTarget) else None
    chosen = suited(look, stand.shot, on.matte if isinstance(on, StandTarget) else None)
    laid = shot_model(laid_on(look, stand.shot, chosen, plane))
    return stand.of(laid)


def _kept_as(node: Node) -> str:
    """The key under which a browser keeps a picture."""
    return key_of(node.key, hash_tree(CORE))


def frame_there(stand: Stand, frame: int) -> None:
    """Raises RecipeError for a frame beyond the shot's end."""
    if frame >= stand.frames:
        raise RecipeError(f"There is no frame {frame}.")


@api.get("/shots/<int:id>/keys", responses={200: KeysOut})
def keys(path: ById, query: KeysQuery) -> Response:
    """The keys of a range of frames in a view."""
    with services().database.session() as session:
        stand = stand_of(session, shot_for(session, who(), path.id), query.width, query.version)
        stand, wanted = looked(session, stand, query.view)
    last = min(query.last, stand.frames - 1, query.first + MOST_KEYS - 1)
    found = [_kept_as(view(stand, wanted, frame)) for frame in range(query.first, last + 1)]
    height, width = size_of(stand, wanted)
    return answer(KeysOut(first=query.first, keys=found, width=width, height=height))


@api.get("/shots/<int:id>/tries", responses={200: TriesOut})
def tried(path: ById, query: TriesQuery) -> Response:
    """What can be laid on a plane or a matte, and the key of a picture of each; nothing is changed by asking."""
    with services().database.session() as session:
        row = shot_for(session, who(), path.id)
        stand = stand_of(session, row, query.width)
        frame_there(stand, query.frame)
        target = query.target.root
        try:
            found = list(tries(stand.shot, target))
        except KeyError as missing:
            raise store.NotFound("There is no such plane or matte in this shot.") from missing
        if isinstance(target, MatteTarget):
            larger = stand_of(session, row, TRIED_WIDTH)
            found = with_beginnings(larger, target, found, query.frame, services().cache)
        # what each is called, how it is asked for, and what is looked at then
        shown: list[tuple[str, Try | LookTry, Node]] = [
            (kind, wanted, view(stand, wanted, query.frame)) for kind, wanted in found
        ]
        if isinstance(target, PlaneTarget | StandTarget):
            shown += [
                (f"look:{ident}", LookTry(look=ident, on=target),
                 view(_with_look(look, stand, target), ResultView(), query.frame))
                for ident, look in _fitting(session, stand.shot, target.kind)
            ]  # fmt: skip
        out = [
            TryOut(kind=kind, view=AnyView(wanted), frame=query.frame, key=_kept_as(node))
            for kind, wanted, node in shown
        ]
    return answer(TriesOut(tries=out))


def _fitting(session: Session, shot: Shot, of: str) -> Iterator[tuple[str, Look]]:
    """The looks that fit a plane, or the stand, by their ids."""
    for ident, look in looks.all_looks(session):
        mattes = any(need.of == "matte" for need in look.needs)
        if (of == "plane") == bool(look.treatments) and (shot.mattes or not mattes):
            yield ident, look


@api.get("/shots/<int:id>/picture/<string:key>", responses={200: file_of("image/jpeg", "image/png")})
def picture(path: PicturePath, query: PictureQuery) -> Response:
    """A frame's picture: JPEG, or PNG where it has alpha. 404 when the shot has moved on from this key."""
    shared = services()
    with shared.database.session() as session:
        stand = stand_of(session, shot_for(session, who(), path.id), query.width, query.version)
        stand, wanted = looked(session, stand, query.view)
    frame_there(stand, query.frame)
    node = view(stand, wanted, query.frame)
    if _kept_as(node) != path.key:
        raise store.NotFound("The shot has changed; ask for the keys again.")
    pixels = work_out(node, shared.cache)
    data, kind = encoded(pixels, 95 if isinstance(query.view.root, MatteView) else 90)
    headers = {"Cache-Control": "private, max-age=31536000, immutable", "ETag": f'"{path.key}"'}
    return Response(data, content_type=kind, headers=headers)


@api.get("/shots/<int:id>/sample", responses={200: SampleOut})
def sample(path: ById, query: SampleQuery) -> Response:
    """The colour of a box of a frame of the plate, and what a colour key would take from it."""
    shared = services()
    with shared.database.session() as session:
        stand = whole_stand(session, path.id)
    frame_there(stand, query.frame)
    height, width = stand.plate_size
    x0, x1 = max(0, query.x0), min(width, query.x1)
    y0, y1 = max(0, query.y0), min(height, query.y1)
    if x0 >= x1 or y0 >= y1:
        raise RecipeError("There is nothing of the picture in this box.")
    plate = work_out(stand.plate(query.frame), shared.cache)
    picked = sampled(plate, (x0, y0, x1, y1))
    if query.pull is not None:
        values = _values(stand.shot, "colour_key", query.pull, query.frame)
        picked = (widened if query.how == "add" else narrowed)(values, picked)
    red, green, blue = plate[y0:y1, x0:x1].reshape(-1, 3).mean(axis=0) / 255
    return answer(SampleOut(colour=(float(red), float(green), float(blue)), values=picked))


def _values(shot: Shot, kind: str, pull_id: str, frame: int) -> dict[str, Any]:
    """The plain values of a pull at a frame. Raises NotFound."""
    entry = declared("pull", kind)
    try:
        return shot.pull(pull_id, kind)[1].values().at(shot.env(frame))
    except KeyError:
        raise store.NotFound(f"There is no such {entry.label.lower()} in this shot.") from None


@api.get("/shots/<int:id>/spread", responses={200: SpreadOut})
def spread(path: ById, query: FrameQuery) -> Response:
    """How a frame of the plate is spread over hue, chroma, lightness and luma: what a key's ranges lie on."""
    shared = services()
    with shared.database.session() as session:
        stand = stand_of(session, shot_for(session, who(), path.id), CHECK_WIDTH)
    frame_there(stand, query.frame)
    plate = work_out(stand.plate(query.frame), shared.cache)
    return answer(SpreadOut(**spread_of(plate)))


@api.get("/shots/<int:id>/suggest", responses={200: SuggestOut})
def suggest(path: ById, query: SuggestQuery) -> Response:
    """The values that a difference key or a colour key would take for a frame, and its matte's edge step."""
    shared = services()
    with shared.database.session() as session:
        row = shot_for(session, who(), path.id)
        stand = stand_of(session, row, 960)
    frame_there(stand, query.frame)
    try:
        matte, pull = stand.shot.pull(query.pull)
    except KeyError:
        raise store.NotFound("There is no such pull in this shot.") from None
    plate = work_out(stand.pulled_from(matte.id, query.frame), shared.cache)
    if pull.kind == "colour_key":
        ranges, edge = fitted(plate, _values(stand.shot, "colour_key", query.pull, query.frame))
        if not ranges:
            raise RecipeError("The colour key finds nothing on this frame.", "Pick a colour from the picture first.")
        whole = {name: float(math.ceil(value / stand.scale)) for name, value in edge.items()}
        return answer(SuggestOut(values=ranges, edge=whole))
    values = _values(stand.shot, "difference_key", query.pull, query.frame)
    if not values["plate"]:
        raise RecipeError("The difference key has no clean plate yet.", "Choose or build one first.")
    clean = work_out(stand.other(footage(query.frame, values["plate"])), shared.cache)
    return answer(SuggestOut(values=suggested(plate, clean, values, stand.scale), edge={}))


@api.get("/shots/<int:id>/checks", responses={200: ChecksOut})
def checks(path: ById, query: ChecksQuery) -> Response:
    """Chatter, jumps of area and holes of a matte's frames, and which of them stand out."""
    shared = services()
    with shared.database.session() as session:
        stand = stand_of(session, shot_for(session, who(), path.id), CHECK_WIDTH)
    last = min(query.last, stand.frames - 1, query.first + MOST_CHECKS - 1)
    if query.take:
        return answer(ChecksOut(checks=_joins(stand, query.take, range(query.first, last + 1))))
    try:
        nodes = [checked(stand, query.matte, frame) for frame in range(query.first, last + 1)]
    except KeyError:
        raise store.NotFound("There is no such matte in this shot.") from None
    rows = [work_out(one, shared.cache) for one in nodes]
    return answer(ChecksOut(checks=[CheckOut(**vars(v)) for v in verdicts(rows, query.first, stand.scale)]))


def _joins(stand: Stand, take: str, frames: range) -> list[CheckOut]:
    """How much the join of a take is seen, frame by frame. Raises NotFound."""
    try:
        plane = stand.shot.plane(take)
    except KeyError:
        raise store.NotFound("There is no such plane in this shot.") from None
    out = []
    for frame in frames:
        seen = float(work_out(join_seen(stand, plane, frame), services().cache)[0])
        out.append(CheckOut(frame=frame, seam=round(seen, 2), problems=["seam"] if is_seen(seen) else []))
    return out


@api.get("/shots/<int:id>/card.jpg", responses={200: file_of("image/jpeg", "image/png")})
def card(path: ById) -> Response:
    """A small picture of the result, of a frame a third into the shot's range."""
    shared = services()
    with shared.database.session() as session:
        stand = stand_of(session, shot_for(session, who(), path.id), 480)
    frames = stand.shot.frames
    data, kind = encoded(work_out(view(stand, ResultView(), frames[len(frames) // 3]), shared.cache), 86)
    return Response(data, content_type=kind, headers={"Cache-Control": "no-cache"})


def encoded(pixels: U8, quality: int) -> tuple[bytes, str]:
    """A picture for the browser, and its type: JPEG, or PNG where it has alpha."""
    if pixels.shape[2] == 4:
        return png_bytes(pixels), "image/png"
    data = cv2.imencode(".jpg", cv2.cvtColor(pixels, cv2.COLOR_RGB2BGR), [cv2.IMWRITE_JPEG_QUALITY, quality])[1]
    return data.tobytes(), "image/jpeg"
