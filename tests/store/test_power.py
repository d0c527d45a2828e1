"""What a loss of power leaves: no more than was told to the disk (fsync), and all that an answer promised."""

from __future__ import annotations

import os
import stat
from pathlib import Path

import pytest
from sqlalchemy import text

from cuvrel.store.backup import ABOUT, backup
from cuvrel.store.blobs import Blobs
from cuvrel.store.db import Database
from tests.store.conftest import Rig, used


class Disk:
    """Keeps what was synced: of a file its bytes, of a folder the names in it. All else is lost with the power.

    It is what POSIX promises and no more; file systems keep more by their grace.
    """

    def __init__(self, monkeypatch: pytest.MonkeyPatch) -> None:
        self.bytes: dict[int, bytes] = {}
        self.names: dict[int, dict[str, int]] = {}
        sync = os.fsync

        def fsync(handle: int) -> None:
            sync(handle)
            about, path = os.fstat(handle), Path(os.readlink(f"/proc/self/fd/{handle}"))
            if stat.S_ISDIR(about.st_mode):
                self.names[about.st_ino] = {one.name: one.stat().st_ino for one in path.iterdir()}
            else:
                self.bytes[about.st_ino] = path.read_bytes()

        monkeypatch.setattr(os, "fsync", fsync)

    def left(self, folder: Path) -> dict[str, bytes]:
        """The files under a folder after a loss of power, by their paths; the folder itself was there before."""
        return dict(self._left(folder.stat().st_ino, ""))

    def _left(self, number: int, path: str) -> list[tuple[str, bytes]]:
        if number in self.bytes:
            return [(path, self.bytes[number])]
        found = [self._left(inner, f"{path}/{name}") for name, inner in self.names.get(number, {}).items()]
        return [one for part in found for one in part]


def test_a_blob_that_was_put_outlasts_a_loss_of_power(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    blobs = Blobs(str(tmp_path / "blobs"), tmp_path)
    disk = Disk(monkeypatch)
    keys = {blobs.put(f"blob {n}".encode()): f"blob {n}".encode() for n in range(20)}
    (tmp_path / "file").write_bytes(b"an uploaded file")
    keys[blobs.put_file(tmp_path / "file")] = b"an uploaded file"
    assert disk.left(tmp_path / "blobs") == {f"/{key[:2]}/{key}": data for key, data in keys.items()}


def test_a_backup_that_is_made_outlasts_a_loss_of_power(
    rig: Rig, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    rig.mark(0)
    to = tmp_path / "to"
    to.mkdir()
    disk = Disk(monkeypatch)
    backup(rig.database, rig.blobs, to)
    left = disk.left(to)
    assert f"/{ABOUT}" in left
    for key in used(rig.database, rig.blobs):
        assert left[f"/blobs/{key[:2]}/{key}"] == rig.blobs.get(key)
    assert any(name.endswith(".dump") and data for name, data in left.items())


def test_the_database_answers_when_a_commit_is_on_the_disk(database: Database) -> None:
    with database.session() as session:
        assert session.scalar(text("SHOW fsync")) == "on"
        assert session.scalar(text("SHOW synchronous_commit")) == "on"
        assert session.scalar(text("SHOW full_page_writes")) == "on"
