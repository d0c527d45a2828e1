"""The looks that ship with it."""

from __future__ import annotations

from functools import cache
from pathlib import Path

from cuvrel.core import catalogue
from cuvrel.core.looks.models import Look, read_look

FOLDER = Path(__file__).parent / "starters"


@cache
def starters() -> dict[str, Look]:
    """All of them by their ids, in the order that they are shown in."""
    catalogue.load()
    return {path.stem: read_look(path.read_text()) for path in sorted(FOLDER.glob("*.json"))}
