"""What a declared function is told besides its picture and its values."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from cuvrel.core.arrays import F32
from cuvrel.core.recipe.shapes import Shape
from cuvrel.core.recipe.values import Env


@dataclass(frozen=True)
class Context:
    """scale: this picture's size over the plate's. size: its rows and columns, for what is given no picture.

    matte: (H, W) float32 of the plane's own matte or gate, for what declares that it needs one. shapes: the pull's
    drawn shapes that are on, as they are at this frame; where the clock is read, at all of their times. now: where
    in time this is, for what declares that it reads the clock; None for all else.
    """

    scale: float
    matte: F32 | None = None
    shapes: Sequence[Shape] = ()
    now: Env | None = None
    size: tuple[int, int] = (0, 0)

    @property
    def clock(self) -> Env:
        """Where in time this is. Raises RuntimeError in what does not declare that it reads the clock.

        A picture is kept under a key that holds the frame only where `clock` says that it counts: what read the time
        all the same would show one frame for ever.
        """
        if self.now is None:
            raise RuntimeError("what reads the time must declare so: declare(..., clock=lambda values: True)")
        return self.now

    @property
    def frame(self) -> int:
        """The shot's frame number, counted from 0. Raises as `clock` does."""
        return int(self.clock.time)

    @property
    def fps(self) -> float:
        """The shot's rate. Raises as `clock` does."""
        return self.clock.fps
