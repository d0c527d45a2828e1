"""Keys: a hash of exactly what a thing is computed from."""

from __future__ import annotations

import json
from functools import cache
from hashlib import blake2b
from pathlib import Path
from typing import Any


def key_of(*parts: Any) -> str:
    """A 40-digit hexadecimal key of JSON-like parts; equal parts give equal keys in every process."""
    text = json.dumps(parts, sort_keys=True, separators=(",", ":"), ensure_ascii=False)
    return blake2b(text.encode(), digest_size=20).hexdigest()


def hash_bytes(data: bytes) -> str:
    """The content's key, as the blob store uses it."""
    return blake2b(data, digest_size=20).hexdigest()


def hash_file(path: Path) -> str:
    """The content's key of a file, read in pieces."""
    state = blake2b(digest_size=20)
    with path.open("rb") as file:
        while piece := file.read(1 << 20):
            state.update(piece)
    return state.hexdigest()


@cache
def hash_tree(folder: Path) -> str:
    """The key of all files below a folder by their places and contents, as they are when it is first asked for.

    What Python and Numba compiled from them does not count.
    """
    files = sorted(file for file in folder.rglob("*") if file.is_file() and "__pycache__" not in file.parts)
    return key_of([[file.relative_to(folder).as_posix(), hash_file(file)] for file in files])
