"""Looks across projects: those that ship, and those that people saved.

A look's id is that of its row, or `starter-NAME` for one that ships; those are the same for everybody and stay.
"""

from __future__ import annotations

from collections.abc import Iterator

from sqlalchemy import select
from sqlalchemy.orm import Session

from cuvrel.core.looks.models import Look, read_look
from cuvrel.core.looks.shipped import starters
from cuvrel.core.recipe.errors import RecipeError
from cuvrel.store.models import LookRow
from cuvrel.store.shots import NotFound

SHIPPED = "starter-"


def all_looks(session: Session) -> Iterator[tuple[str, Look]]:
    """All of them by their ids: the saved ones, the newest first, and then those that ship."""
    for row in session.scalars(select(LookRow).order_by(LookRow.id.desc())):
        yield str(row.id), read_look(row.document)
    for name, look in starters().items():
        yield SHIPPED + name, look


def found(session: Session, ident: str) -> Look:
    """A look. Raises NotFound."""
    if ident.startswith(SHIPPED):
        shipped = starters().get(ident.removeprefix(SHIPPED))
        if shipped is not None:
            return shipped
        raise NotFound("There is no such look.")
    return read_look(saved(session, ident).document)


def saved(session: Session, ident: str) -> LookRow:
    """The row of a look that a person saved. Raises NotFound, and RecipeError for one that ships."""
    if ident.startswith(SHIPPED):
        raise RecipeError("This look ships with the program and stays as it is.", "Lay it on and save it as your own.")
    number = int(ident) if ident.isdecimal() and len(ident) < 10 else 0
    row = session.get(LookRow, number)
    if row is None:
        raise NotFound("There is no such look.")
    return row


def keep(session: Session, look: Look) -> LookRow:
    """Saves a look."""
    row = LookRow(name=look.name, document=look.model_dump(mode="json"))
    session.add(row)
    session.flush()
    return row


def rename(session: Session, ident: str, name: str) -> LookRow:
    """Gives a saved look another name. Raises as `saved` does."""
    row = saved(session, ident)
    row.name, row.document = name, {**row.document, "name": name}
    session.flush()
    return row
