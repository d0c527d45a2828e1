"""Projects, and what can be added to a recipe."""

from __future__ import annotations

from flask import Response
from flask_openapi3 import APIBlueprint
from sqlalchemy import select

from cuvrel.core import catalogue
from cuvrel.core.export.formats import HOWS, WHATS
from cuvrel.core.export.order import TOKENS
from cuvrel.store.access import project_for
from cuvrel.store.models import Project
from cuvrel.web.export_models import CatalogueOut, HowOut, WhatOut
from cuvrel.web.models import ById, DeclaredOut, NewName, ProjectList, ProjectOut
from cuvrel.web.present import answer, project_out
from cuvrel.web.problems import Problem
from cuvrel.web.services import services, who

api = APIBlueprint("projects", __name__, url_prefix="/api", abp_responses={"422": Problem, "404": Problem})


@api.get("/projects", responses={200: ProjectList})
def list_projects() -> Response:
    """All projects."""
    with services().database.session() as session:
        rows = session.scalars(select(Project).where(Project.trashed.is_(None)).order_by(Project.updated.desc())).all()
        return answer(ProjectList(projects=[project_out(session, row) for row in rows]))


@api.post("/projects", responses={201: ProjectOut})
def new_project(body: NewName) -> Response:
    """A new, empty project."""
    with services().database.session() as session:
        row = Project(name=body.name)
        session.add(row)
        session.flush()
        return answer(project_out(session, row), 201)


@api.get("/projects/<int:id>", responses={200: ProjectOut})
def get_project(path: ById) -> Response:
    """One project."""
    with services().database.session() as session:
        return answer(project_out(session, project_for(session, who(), path.id)))


@api.get("/catalogue", responses={200: CatalogueOut})
def get_catalogue() -> Response:
    """Declared pulls, edge steps, plane kinds and treatments, and what can be exported and how."""
    hows = [
        HowOut(kind=one.kind, label=one.label, hint=one.hint, form=one.form, alpha=one.alpha, layers=one.layers,
               sound=one.sound is not None, quality=bool(one.quality))
        for one in HOWS.values()
    ]  # fmt: skip
    whats = [WhatOut(kind=kind, label=label) for kind, label in WHATS.items()]
    declared = [DeclaredOut(**d) for d in catalogue.describe()]
    return answer(CatalogueOut(declared=declared, whats=whats, hows=hows, tokens=list(TOKENS)))
