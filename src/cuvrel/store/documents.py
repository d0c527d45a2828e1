"""Documents as they are now: what was last written of them, and the changes since; those last used kept at hand."""

from __future__ import annotations

import threading
from collections import OrderedDict
from datetime import datetime
from typing import Any

from sqlalchemy import select
from sqlalchemy.orm import Session

from cuvrel.core import catalogue  # noqa: F401  (fills the registry that documents are checked against)
from cuvrel.core.recipe import edits
from cuvrel.core.recipe.revise import Checked
from cuvrel.store.models import ChangeRow, ShotRow

KEPT = 64  # documents
Doc = dict[str, Any]
Key = tuple[int, int, datetime]


class Documents:
    """Checked documents of one database by shot and revision. Safe to share."""

    def __init__(self) -> None:
        self._kept: OrderedDict[Key, Checked] = OrderedDict()
        self._lock = threading.Lock()

    def get(self, row: ShotRow) -> Checked | None:
        """The document of a shot as its row is, where it is at hand."""
        with self._lock:
            found = self._kept.get(_key(row))
            if found is not None:
                self._kept.move_to_end(_key(row))
            return found

    def put(self, row: ShotRow, document: Checked) -> None:
        """Keeps a document at hand, as that of the row as it is.

        The time is part of the key: a revision whose transaction did not go through is never taken for the next one
        of that number.
        """
        with self._lock:
            self._kept[_key(row)] = document
            while len(self._kept) > KEPT:
                self._kept.popitem(last=False)


def _key(row: ShotRow) -> Key:
    return row.id, row.revision, row.updated


def document_of(session: Session, row: ShotRow) -> Checked:
    """A shot's document as its row is. Raises RecipeError for one that this program can't read."""
    documents: Documents = session.info["documents"]
    found = documents.get(row)
    if found is None:
        found = Checked.of(written_of(session, row))
        documents.put(row, found)
    return found


def written_of(session: Session, row: ShotRow) -> Doc:
    """A shot's document as plain JSON, unchecked: as it was last written, with the changes since."""
    raw: Doc = row.document
    if row.written < row.revision:
        changes = session.scalars(
            select(ChangeRow.ops)
            .where(
                ChangeRow.document_id == row.id, ChangeRow.revision > row.written, ChangeRow.revision <= row.revision
            )
            .order_by(ChangeRow.revision)
        )
        raw = edits.apply(raw, [op for ops in changes for op in ops])
    return raw
