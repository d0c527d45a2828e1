"""Where following stops by itself."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True)
class Halt:
    """Why following a matte or a track stopped, what would help, and the place: middle and radius in plate pixels."""

    reason: str
    advice: str
    x: float
    y: float
    radius: float
