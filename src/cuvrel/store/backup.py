"""Backups: everything as it was at one moment, taken while the program runs, into a folder that may be added to.

TO/database-HASH.dump   PostgreSQL's own dump (custom format)
TO/blobs/ab/ab…         every blob that the dump names, under the hash of its content
TO/backup.json          names the dump and every blob; put in place last, so that it tells of a whole backup always

A backup that is cut off leaves the one before it as it was: nothing that `backup.json` names is written over or
removed before another one is in its place.
"""

from __future__ import annotations

import json
import os
import shutil
import subprocess
from collections.abc import Callable
from pathlib import Path
from typing import Any

from psycopg.conninfo import conninfo_to_dict
from sqlalchemy import select, text

from cuvrel import __version__
from cuvrel.core.recipe.errors import CuvrelError
from cuvrel.core.recipe.hashing import hash_file
from cuvrel.store.blobs import Blobs, flushed, is_key, make_folder
from cuvrel.store.cluster import binaries
from cuvrel.store.db import Database
from cuvrel.store.models import Project, now
from cuvrel.store.sweep import used_blobs

OLD_DUMP, ABOUT = "database.dump", "backup.json"  # the first: as earlier releases named it
Tell = Callable[[int, int], None]


def backup(database: Database, blobs: Blobs, to: Path, tell: Tell = lambda done, total: None) -> dict[str, Any]:
    """Writes a backup into a folder; what lies there from an earlier one is used again. Returns what was written.

    Raises CuvrelError. An earlier backup in the folder stays whole until this one is.
    """
    try:
        to.mkdir(parents=True, exist_ok=True)
        _clear_parts(to)
        return _backed_up(database, blobs, to, tell)
    except OSError as fault:
        what = f"The backup could not be written: {fault.strerror or fault}."
        raise CuvrelError(what, "An earlier one in the folder is as it was. Make room, or choose another.") from fault
    finally:
        _clear_parts(to)


def _backed_up(database: Database, blobs: Blobs, to: Path, tell: Tell) -> dict[str, Any]:
    beside = to / ".database.part"
    with database.session() as session:
        # what the dump holds and which blobs it names are read at the same moment; and as long as this session is open,
        # nothing is removed from the store (Database.alone)
        session.connection(execution_options={"isolation_level": "REPEATABLE READ"})
        snapshot = session.scalar(text("SELECT pg_export_snapshot()"))
        wanted = sorted(used_blobs(session, blobs))
        _run(database, "pg_dump", "--format=custom", "--no-owner", f"--snapshot={snapshot}", f"--file={beside}")
        size = 0
        for done, key in enumerate(wanted, 1):
            size += _copied(blobs, key, to / "blobs" / key[:2] / key)
            tell(done, len(wanted))
    dump = hash_file(beside)
    name = f"database-{dump}.dump"
    _into_place(beside, to / name)
    about = {"cuvrel": __version__, "made": now().isoformat(), "blobs": len(wanted), "bytes": size, "dump": dump}
    part = to / f".{ABOUT}.part"
    part.write_text(json.dumps({**about, "file": name, "keys": wanted}) + "\n")
    _into_place(part, to / ABOUT)
    # from here on this one is the backup, and what only an earlier one named may go
    keep = set(wanted)
    for file in [*to.glob("database*.dump"), *(to / "blobs").glob("*/*")]:
        if file.name not in keep and file.name != name:
            file.unlink()
    return about


def _into_place(part: Path, to: Path) -> None:
    """Gives a file that is written its name, once all of it is on the disk."""
    flushed(part)
    part.replace(to)
    flushed(to.parent)


def _clear_parts(to: Path) -> None:
    """Removes what a backup that was cut off has left half-made."""
    for part in [*to.glob(".*.part"), *to.glob("blobs/*/.*.part")]:
        part.unlink(missing_ok=True)


def _found(source: Path) -> tuple[dict[str, Any], Path, list[Path]]:
    """What a backup says of itself, its dump, and its blobs. Raises CuvrelError."""
    try:
        about: dict[str, Any] = json.loads((source / ABOUT).read_text())
        dump = source / Path(str(about.get("file", OLD_DUMP))).name
        whole = hash_file(dump) == about["dump"]
        count = int(about["blobs"])
    except (OSError, ValueError, KeyError, TypeError) as fault:
        raise CuvrelError(f"There is no whole backup in {source}.", "Was it made by 'cuvrel backup'?") from fault
    if not whole:
        raise CuvrelError("The backup's dump of the database is not what it was.", "Use another backup.")
    # one of an earlier release has no list, and may have what a later one that was cut off left beside it
    keys = about.get("keys") or [file.name for file in (source / "blobs").glob("*/*") if is_key(file.name)]
    files = [source / "blobs" / key[:2] / key for key in sorted(keys) if is_key(key)]
    missing = max(count - len(files), 0) + sum(not file.exists() for file in files)
    if missing:
        raise CuvrelError(f"{missing} files of the backup are missing.", "Use another backup.")
    return about, dump, files


def restore(database: Database, blobs: Blobs, source: Path, tell: Tell = lambda done, total: None) -> dict[str, Any]:
    """Brings a backup back into an empty store, whole or not at all; returns what it says of itself.

    Raises CuvrelError.
    """
    about, dump, files = _found(source)
    with database.session() as session:
        if session.scalar(select(Project.id).limit(1)) is not None:
            raise CuvrelError("There are projects here already.", "Restore into an empty folder: CUVREL_VAR names it.")
    scratch = blobs.scratch / "restored"
    scratch.parent.mkdir(parents=True, exist_ok=True)
    for done, file in enumerate(files, 1):
        if not blobs.has(file.name):
            if hash_file(file) != file.name:
                raise CuvrelError(f"'{file.name}' of the backup is not what it was.", "Use another backup.")
            shutil.copyfile(file, scratch)
            blobs.put_file(scratch)
        tell(done, len(files))
    database.close()
    _run(database, "pg_restore", "--clean", "--if-exists", "--no-owner", "--single-transaction", "--exit-on-error",
         f"--dbname={conninfo_to_dict(database.conninfo)['dbname']}", str(dump))  # fmt: skip
    database.migrate()
    return {name: value for name, value in about.items() if name != "keys"}


def _copied(blobs: Blobs, key: str, to: Path) -> int:
    """Copies a blob where it is not there yet; its bytes."""
    size = blobs.size(key)
    if not (to.exists() and to.stat().st_size == size):
        make_folder(to.parent)
        part = to.with_name(f".{key}.part")
        try:
            there = blobs.path(key)
        except FileNotFoundError as fault:
            raise CuvrelError(f"The file {key} is missing from the store.") from fault
        if not there.exists():
            raise CuvrelError(f"The file {key} is missing from the store.")
        shutil.copyfile(there, part)
        _into_place(part, to)
    return size


def _run(database: Database, program: str, *args: str) -> None:
    """Runs one of PostgreSQL's programs on the database; who connects is told to nobody else on the machine."""
    given = conninfo_to_dict(database.conninfo)
    names = {"host": "PGHOST", "port": "PGPORT", "user": "PGUSER", "password": "PGPASSWORD", "dbname": "PGDATABASE",
             "sslmode": "PGSSLMODE"}  # fmt: skip
    env = {**os.environ, **{names[name]: str(value) for name, value in given.items() if name in names and value}}
    done = subprocess.run([str(binaries() / program), *args], env=env, capture_output=True, text=True)
    if done.returncode:
        raise CuvrelError(f"PostgreSQL: {program} failed.", done.stderr.strip()[-600:])
