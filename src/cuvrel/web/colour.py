"""The colour configuration: which spaces and views there are."""

from __future__ import annotations

from flask import Response
from flask_openapi3 import APIBlueprint
from pydantic import BaseModel

from cuvrel.core.media import managed
from cuvrel.web.present import answer

api = APIBlueprint("colour", __name__, url_prefix="/api")


class ColourSpaceOut(BaseModel):
    """A colour space. of: what its numbers are: of a scene, of a display, or no colours."""

    name: str
    family: str
    of: str


class ViewOut(BaseModel):
    """A way of looking at light: a display and a view."""

    display: str
    view: str


class ColourOut(BaseModel):
    """The configuration. views: the first is what a scene's light is looked at by where nobody chose. working: the
    spaces that planes can be worked on in.
    """

    name: str
    spaces: list[ColourSpaceOut]
    views: list[ViewOut]
    working: list[str]


@api.get("/colour", responses={200: ColourOut})
def colour() -> Response:
    """The colour spaces and views of the configuration that OCIO names, or of the built-in one."""
    spaces = [ColourSpaceOut(name=one.name, family=one.family, of=one.of) for one in managed.spaces()]
    views = [ViewOut(display=display, view=view) for display, view in managed.views()]
    return answer(ColourOut(name=managed.config().getName(), spaces=spaces, views=views,
                            working=list(managed.working_spaces())))  # fmt: skip
