"""Memory: one setting for all caches, and what one server and one worker need with it."""

from __future__ import annotations

import ctypes
import os
from dataclasses import dataclass

CACHES = 560 << 20
"""Bytes of all caches of a process: pictures, decoded frames. CUVREL_MEMORY sets it, in megabytes."""
BARE = 450  # megabytes of a process that has loaded all and done nothing
WORK = 250  # what computing a frame of 720 lines takes besides, networks included


def caches() -> int:
    """Bytes that the caches of this process may take in all."""
    return int(os.environ["CUVREL_MEMORY"]) << 20 if os.environ.get("CUVREL_MEMORY") else CACHES


@dataclass(frozen=True)
class Shares:
    """What each cache gets of all: pictures that were computed, and frames that were decoded."""

    pictures: int
    frames: int

    @staticmethod
    def of(caches: int) -> Shares:
        """The shares of so many bytes."""
        return Shares(caches * 3 // 4, caches // 4)


def environment() -> dict[str, str]:
    """For processes that compute in many threads: glibc gives each an arena of its own, none of which is given back.

    Two arenas do as well, since all large arrays are mapped by themselves and given back when they go.
    """
    return {"MALLOC_ARENA_MAX": "2", "MALLOC_MMAP_THRESHOLD_": str(1 << 20), "MALLOC_TRIM_THRESHOLD_": str(16 << 20)}


def trim() -> None:
    """Gives back to the system what was freed."""
    ctypes.CDLL("libc.so.6").malloc_trim(0)


def told(workers: int) -> str:
    """A line for whoever starts the program."""
    size = caches() >> 20
    many = "the worker" if workers == 1 else f"each of the {workers} workers"
    need = (BARE + WORK + size) / 1000
    return (
        f"Caches take up to {size} MB in the server and in {many} (CUVREL_MEMORY sets it, in MB). With footage of 720 "
        f"lines, each needs about {need:.1f} GB at work, and a worker that rests half of that."
    )
