"""Keys: a hash of exactly what a thing is computed from."""

from __future__ import annotations

import json
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
