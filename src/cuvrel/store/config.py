"""Where things are, from the environment."""

from __future__ import annotations

import os
from dataclasses import dataclass
from pathlib import Path

from cuvrel.memory import CACHES, caches

HOSTS = "127.0.0.1,localhost"


def libpq(url: str) -> str:
    """A database's URL as PostgreSQL's own library reads it. url: as SQLAlchemy reads it."""
    return url.replace("postgresql+psycopg://", "postgresql://")


@dataclass(frozen=True)
class Config:
    """database: SQLAlchemy URL. blobs: a folder or an fsspec URL. var: scratch folder of this machine.
    caches: bytes of all caches of a process.
    hosts: the names by which the server may be asked for; a page of a stranger's name that resolves here gets nothing.
    warm: whether a process loads at its start, beside its work, what a first picture would have to wait for.
    """

    database: str
    blobs: str
    var: Path
    max_upload: int = 16 << 30
    caches: int = CACHES
    hosts: tuple[str, ...] = tuple(HOSTS.split(","))
    warm: bool = True

    @staticmethod
    def from_env() -> Config:
        """CUVREL_DATABASE_URL, CUVREL_BLOBS, CUVREL_VAR, CUVREL_MAX_UPLOAD, CUVREL_MEMORY, CUVREL_HOSTS, and
        CUVREL_WARM.
        """
        var = Path(os.environ.get("CUVREL_VAR", "var")).resolve()
        return Config(
            database=os.environ.get("CUVREL_DATABASE_URL", "postgresql+psycopg://cuvrel@127.0.0.1:5432/cuvrel"),
            blobs=os.environ.get("CUVREL_BLOBS", str(var / "blobs")),
            var=var,
            max_upload=int(os.environ.get("CUVREL_MAX_UPLOAD", 16 << 30)),
            caches=caches(),
            hosts=tuple(one.strip() for one in os.environ.get("CUVREL_HOSTS", HOSTS).split(",") if one.strip()),
            warm=os.environ.get("CUVREL_WARM", "1") != "0",
        )

    @property
    def conninfo(self) -> str:
        """The database for libpq."""
        return libpq(self.database)
