"""Requests and answers about looks, and about another plate under a shot."""

from __future__ import annotations

from typing import Any, Literal

from pydantic import BaseModel, Field

from cuvrel.web.models import In, NewName


class LookPath(BaseModel):
    """A look by its id."""

    look: str = Field(max_length=60, pattern=r"^[A-Za-z0-9_-]+$")


class NewLook(NewName):
    """Planes of a shot that are saved as a look, or the plane whose treatments are; frame: what its picture shows."""

    shot: int
    frame: int = Field(ge=0)
    planes: list[str] = Field(default_factory=list, max_length=500)
    treatments_of: str | None = Field(None, max_length=40)


class LookFile(In):
    """A look's file."""

    text: str = Field(max_length=4_000_000)


class LookNeedOut(BaseModel):
    """What a look needs of a shot, as it was called where the look was made."""

    id: str
    of: Literal["matte", "footage"]
    name: str


class LookOut(BaseModel):
    """A look. picture: the address of its own picture, or nothing."""

    id: str
    name: str
    about: str
    of: Literal["treatments", "planes"]
    shipped: bool
    needs: list[LookNeedOut]
    picture: str


class LooksOut(BaseModel):
    """All looks."""

    looks: list[LookOut]


class LayLook(In):
    """A look for a shot. plane: that it is for, if it is of treatments. prefer: the matte that is worked on.

    chosen: by what the look needs, what the shot has for it.
    """

    look: str = Field(max_length=60, pattern=r"^[A-Za-z0-9_-]+$")
    plane: str | None = Field(None, max_length=40)
    prefer: str | None = Field(None, max_length=40)
    chosen: dict[str, str | None] = Field(default_factory=dict, max_length=100)


class SwapRequest(In):
    """Another plate: footage of the project, how times are taken over, and the mattes that are followed anew."""

    footage: int
    times: Literal["frame by frame", "by the clock"] = "frame by frame"
    anew: list[str] = Field(default_factory=list, max_length=200)


class SwapOut(BaseModel):
    """Operations, what is fitted, what is lost, and the traces that are to be followed from their touched frames."""

    ops: list[dict[str, Any]]
    said: list[str]
    lost: list[str]
    pulls: list[str]
