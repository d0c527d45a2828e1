"""What all workers of a test run share: made once, by whoever needs it first."""

from __future__ import annotations

import fcntl
import os
from collections.abc import Callable
from pathlib import Path

import pytest


def shared(factory: pytest.TempPathFactory, name: str, make: Callable[[Path], None]) -> Path:
    """A folder that `make` fills once in a test run, however many workers it has; nobody may write to it."""
    base = factory.getbasetemp()
    root = base.parent if os.environ.get("PYTEST_XDIST_WORKER") else base
    folder, done = root / name, root / f"{name}.done"
    with (root / f"{name}.lock").open("w") as lock:
        fcntl.flock(lock, fcntl.LOCK_EX)
        if not done.exists():
            folder.mkdir()
            make(folder)
            done.touch()
    return folder
