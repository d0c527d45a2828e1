"""Sessions, migrations and notices."""

from __future__ import annotations

import json
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any

from alembic import command
from alembic.config import Config as AlembicConfig
from sqlalchemy import Engine, create_engine, text
from sqlalchemy.orm import Session, sessionmaker

from cuvrel.store.config import libpq
from cuvrel.store.documents import Documents
from cuvrel.store.frames import FrameLists

CHANNEL = "cuvrel"
MOST_TOLD = 8000  # bytes; what is beyond ASCII is escaped


class Database:
    """One engine and its sessions."""

    def __init__(self, url: str) -> None:
        self.url = url
        self.engine: Engine = create_engine(url, pool_pre_ping=True, pool_size=12, max_overflow=12)
        # what all sessions share: documents and lists of frames that were read before
        self._make = sessionmaker(
            self.engine, expire_on_commit=False, info={"documents": Documents(), "frames": FrameLists()}
        )

    @property
    def conninfo(self) -> str:
        """The database for libpq."""
        return libpq(self.url)

    @contextmanager
    def session(self) -> Iterator[Session]:
        """A session that commits when the block ends well and rolls back when it does not."""
        with self._make() as session, session.begin():
            yield session

    def migrate(self) -> None:
        """Brings the tables, and the queue's, up to date."""
        config = AlembicConfig()
        config.set_main_option("script_location", str(Path(__file__).parent / "migrations"))
        config.set_main_option("sqlalchemy.url", self.url.replace("%", "%%"))  # read with interpolation
        command.upgrade(config, "head")


def notify(session: Session, event: str, **data: Any) -> None:
    """Tells every listener, when the transaction commits.

    A notice holds 8,000 bytes at the most; in place of more, listeners are told to look at everything anew.
    """
    payload = json.dumps({"event": event, **data})
    if len(payload) >= MOST_TOLD:
        payload = json.dumps({"event": "again"})
    session.execute(text("SELECT pg_notify(:channel, :payload)"), {"channel": CHANNEL, "payload": payload})
