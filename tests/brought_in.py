"""Footage that is brought in once in a test run: any test's project then has it for the price of its bytes."""

from __future__ import annotations

import json
import shutil
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from sqlalchemy.orm import Session

from cuvrel.store.blobs import Blobs
from cuvrel.store.db import Database
from cuvrel.store.footage import make_ready
from cuvrel.store.models import FootageRow, Project
from cuvrel.store.sweep import used_blobs

FIELDS = ("name", "state", "blob", "size", "info", "proxy", "film", "sound")


def bring_in(database: Database, file: Path, folder: Path) -> None:
    """Brings a file in as the program does, and keeps in `folder` what came of it."""
    blobs = Blobs(str(folder / "store"), folder / "var")
    copy = folder / file.name
    shutil.copyfile(file, copy)
    with database.session() as session:
        project = Project(name="Trial")
        session.add(project)
        session.flush()
        row = FootageRow(project_id=project.id, name=file.name, size=copy.stat().st_size, blob=blobs.put_file(copy))
        session.add(row)
        session.flush()
        make_ready(session, row, blobs)
        (folder / "blobs").mkdir()
        for key in used_blobs(session, blobs):
            shutil.copyfile(blobs.path(key), folder / "blobs" / key)
        (folder / "about.json").write_text(json.dumps({name: getattr(row, name) for name in FIELDS}))


@dataclass(frozen=True)
class BroughtIn:
    """What `bring_in` kept."""

    folder: Path

    def add(self, session: Session, blobs: Blobs, project: int) -> FootageRow:
        """The footage in a project, ready."""
        about: dict[str, Any] = json.loads((self.folder / "about.json").read_text())
        for file in (self.folder / "blobs").iterdir():
            blobs.put(file.read_bytes())
        row = FootageRow(project_id=project, **about)
        session.add(row)
        session.flush()
        return row
