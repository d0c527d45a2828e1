"""Room on the disk: new work is refused while there is still enough for what is under way and for the database."""

from __future__ import annotations

import errno
import os
import shutil
from collections.abc import Iterable
from pathlib import Path

from psycopg.errors import DiskFull

from cuvrel.core.recipe.errors import CuvrelError

RESERVE = 2 << 30  # bytes that stay free, or a twentieth of the disk where that is less


class NoRoom(CuvrelError):
    """There is not enough room on the disk."""


def is_full(fault: BaseException) -> bool:
    """Whether a fault says that the disk is full, the database's (as SQLAlchemy hands it on) or a file's."""
    if isinstance(getattr(fault, "orig", None), DiskFull):
        return True
    return isinstance(fault, OSError) and fault.errno in (errno.ENOSPC, errno.EDQUOT)


class Room:
    """What is free where files are kept.

    New work must leave the reserve alone; work that is under way may take half of it, and the rest is the database's.
    """

    def __init__(self, folders: Iterable[Path]) -> None:
        self._folders = list(folders)

    @property
    def reserve(self) -> int:
        """Bytes that new work leaves free; CUVREL_RESERVE sets it."""
        if wanted := os.environ.get("CUVREL_RESERVE"):
            return int(wanted)
        return min(RESERVE, *(shutil.disk_usage(_there(folder)).total // 20 for folder in self._folders))

    def free(self) -> int:
        """Bytes that are free on the fullest of the disks."""
        return min(shutil.disk_usage(_there(folder)).free for folder in self._folders)

    @property
    def low(self) -> bool:
        """Whether new work is refused."""
        return self.free() < self.reserve

    def require(self, wanted: float, what: str) -> None:
        """Raises NoRoom when new work that takes `wanted` bytes would go into the reserve. what: in the singular."""
        free = self.free() - self.reserve
        if wanted > free:
            raise NoRoom(
                f"There is not enough room on the disk for {what}: about {said(wanted)} are wanted, and "
                f"{said(max(0, free))} are free beyond the reserve of {said(self.reserve)}.",
                "Empty the trash, fetch and delete old exports, or make room on the disk.",
            )

    def hold(self, wanted: int, by_hand: bool = False) -> None:
        """Raises NoRoom when a write of work that is under way would leave less than half of the reserve.

        by_hand: what comes of an edit is refused last of all, when an eighth would not be left: the database needs that
        to save edits.
        """
        if self.free() - wanted < self.reserve // (8 if by_hand else 2):
            raise NoRoom(
                "The disk is nearly full; what was done so far is kept.", "Make room; what was under way goes on then."
            )


def _there(folder: Path) -> Path:
    """The folder, or the nearest one above it that exists."""
    while not folder.exists() and folder != folder.parent:
        folder = folder.parent
    return folder


def said(size: float) -> str:
    """Bytes as a person reads them."""
    for unit, factor in (("GB", 1 << 30), ("MB", 1 << 20)):
        if size >= factor:
            return f"{size / factor:.1f} {unit}"
    return f"{size / 1024:.0f} kB"
