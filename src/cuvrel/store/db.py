"""Sessions, migrations and notices."""

from __future__ import annotations

import json
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any

from alembic import command
from alembic.config import Config as AlembicConfig
from psycopg.errors import LockNotAvailable
from sqlalchemy import Connection, Engine, create_engine, event, text
from sqlalchemy.exc import OperationalError
from sqlalchemy.orm import Session, sessionmaker

from cuvrel.store.config import libpq
from cuvrel.store.documents import Documents
from cuvrel.store.frames import FrameLists

CHANNEL = "cuvrel"
MOST_TOLD = 8000  # bytes; what is beyond ASCII is escaped
NAMING = 7022
"""Of PostgreSQL's advisory locks: every transaction shares it, since it may come to name a blob; who removes blobs has
it alone, so that it sees all that is named and nothing is named meanwhile.
"""
ALONE = 0.2  # seconds that others may be kept waiting for one that wants to be alone
SHARED = f"SELECT pg_advisory_xact_lock_shared({NAMING})"


LONG = 1.0  # seconds after which a transaction is not waited for
_LASTING = text(
    "SELECT EXISTS (SELECT 1 FROM pg_locks l JOIN pg_stat_activity a USING (pid) "
    f"WHERE l.locktype = 'advisory' AND l.classid = 0 AND l.objid = {NAMING} AND l.objsubid = 1 AND l.granted "
    "AND l.database = (SELECT oid FROM pg_database WHERE datname = current_database()) "
    f"AND a.xact_start < clock_timestamp() - interval '{LONG} seconds')"
)


class Busy(Exception):
    """A transaction that lasts long keeps others from being alone."""


class Database:
    """One engine and its sessions."""

    def __init__(self, url: str) -> None:
        self.url = url
        self.engine: Engine = create_engine(url, pool_pre_ping=True, pool_size=12, max_overflow=12)
        # what all sessions share: documents and lists of frames that were read before
        self._make = sessionmaker(
            self.engine, expire_on_commit=False,
            info={"documents": Documents(), "frames": FrameLists(), "database": self},
        )  # fmt: skip
        event.listen(self._make, "after_begin", _share)
        # where a single statement is a transaction of its own, beside one that the same thread may be in
        self.apart: Engine = create_engine(
            url, pool_pre_ping=True, pool_size=2, max_overflow=30, isolation_level="AUTOCOMMIT"
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

    @contextmanager
    def alone(self) -> Iterator[Connection]:
        """A transaction beside which there is no other one; all others wait for its end, so it must be short.

        Raises Busy when other transactions do not end soon (ALONE); at once where one has lasted for long already: who
        waits to be alone keeps all others waiting.
        """
        with self.engine.begin() as connection:
            if connection.scalar(_LASTING):
                raise Busy
            connection.execute(text(f"SET LOCAL lock_timeout = {round(1000 * ALONE)}"))
            try:
                connection.execute(text(f"SELECT pg_advisory_xact_lock({NAMING})"))
            except OperationalError as fault:
                if isinstance(fault.orig, LockNotAvailable):
                    raise Busy from fault
                raise
            yield connection

    def close(self) -> None:
        """Closes the connections that are at rest."""
        self.engine.dispose()
        self.apart.dispose()

    def migrate(self) -> None:
        """Brings the tables, and the queue's, up to date."""
        config = AlembicConfig()
        config.set_main_option("script_location", str(Path(__file__).parent / "migrations"))
        config.set_main_option("sqlalchemy.url", self.url.replace("%", "%%"))  # read with interpolation
        command.upgrade(config, "head")


def _share(session: Session, transaction: Any, connection: Connection) -> None:
    connection.execute(text(SHARED))


def notify(session: Session, event: str, **data: Any) -> None:
    """Tells every listener, when the transaction commits.

    A notice holds 8,000 bytes at the most; in place of more, listeners are told to look at everything anew.
    """
    payload = json.dumps({"event": event, **data})
    if len(payload) >= MOST_TOLD:
        payload = json.dumps({"event": "again"})
    session.execute(text("SELECT pg_notify(:channel, :payload)"), {"channel": CHANNEL, "payload": payload})
