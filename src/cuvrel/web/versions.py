"""Named versions of a shot."""

from __future__ import annotations

from flask import Response
from flask_openapi3 import APIBlueprint

from cuvrel.core.stand.nodes import work_out
from cuvrel.core.stand.view_kinds import ResultView
from cuvrel.core.stand.views import view
from cuvrel.store import shots as store
from cuvrel.store import versions
from cuvrel.store.access import shot_for, version_for
from cuvrel.store.models import VersionRow
from cuvrel.web.models import ById, EditOut, History, NewVersion, VersionOut, VersionPath, VersionsOut
from cuvrel.web.openapi import file_of
from cuvrel.web.pictures import encoded, stand_of
from cuvrel.web.present import answer, uses_of
from cuvrel.web.problems import Problem
from cuvrel.web.services import services, who

api = APIBlueprint("versions", __name__, url_prefix="/api", abp_responses={"422": Problem, "404": Problem})


def _out(row: VersionRow) -> VersionOut:
    return VersionOut(
        id=row.id, name=row.name, revision=row.revision, created=row.created.isoformat(),
        picture=f"/api/shots/{row.document_id}/versions/{row.id}/card.jpg",
    )  # fmt: skip


@api.get("/shots/<int:id>/versions", responses={200: VersionsOut})
def list_versions(path: ById) -> Response:
    """The named versions of a shot."""
    with services().database.session() as session:
        found = versions.versions_of(session, shot_for(session, who(), path.id))
        return answer(VersionsOut(versions=[_out(row) for row in found]))


@api.post("/shots/<int:id>/versions", responses={201: VersionOut})
def keep(path: ById, body: NewVersion) -> Response:
    """Names how the shot stands now."""
    with services().database.session() as session:
        shot_for(session, who(), path.id)
        return answer(_out(versions.keep(session, path.id, body.name, body.frame)), 201)


@api.delete("/shots/<int:id>/versions/<int:version>", responses={200: VersionOut})
def forget(path: VersionPath) -> Response:
    """Forgets a version; the shot stays as it is."""
    with services().database.session() as session:
        row = version_for(session, who(), path.id, path.version)
        out = _out(row)
        session.delete(row)
    return answer(out)


@api.post("/shots/<int:id>/versions/<int:version>/back", responses={200: EditOut})
def back(path: VersionPath) -> Response:
    """Makes the shot what it was then: one more step of its history."""
    with services().database.session() as session:
        done = versions.go_back(session, version_for(session, who(), path.id, path.version))
        history = History(**store.history(session, done.row))
        return answer(
            EditOut(base=done.base, revision=done.row.revision, ops=done.ops, history=history, touched=[],
                    uses=uses_of(done.after))
        )  # fmt: skip


@api.get("/shots/<int:id>/versions/<int:version>/card.jpg", responses={200: file_of("image/jpeg", "image/png")})
def card(path: VersionPath) -> Response:
    """A small picture of the result as it was, of the frame that was looked at when it was kept."""
    shared = services()
    with shared.database.session() as session:
        stand = stand_of(session, shot_for(session, who(), path.id), 320, path.version)
        shown = version_for(session, who(), path.id, path.version).shown
    frames = stand.shot.frames
    frame = frames[len(frames) // 3] if shown is None else max(frames[0], min(shown, frames[-1]))
    data, kind = encoded(work_out(view(stand, ResultView(), frame), shared.cache), 86)
    return Response(data, content_type=kind, headers={"Cache-Control": "private, max-age=31536000, immutable"})
