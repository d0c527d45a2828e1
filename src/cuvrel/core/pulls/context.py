"""What a pull that is computed from the picture is told besides its values."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True)
class PullContext:
    """frame: the shot's frame number. scale: this picture's size over the plate's. fps: the shot's rate."""

    frame: int
    scale: float
    fps: float
