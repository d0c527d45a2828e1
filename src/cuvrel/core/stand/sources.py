"""Where the stand's pictures come from: footage and stored frames."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import Any, Protocol

import numpy as np
from numpy.typing import NDArray

from cuvrel.core.arrays import F32, U8
from cuvrel.core.media.reader import as_grey, resized
from cuvrel.core.recipe.errors import MediaError
from cuvrel.core.recipe.models import Shot
from cuvrel.core.stand.nodes import Node, node
from cuvrel.core.tracks.path import Measured


class Sources(Protocol):
    """Footage and stored frames, at any size."""

    def picture(self, footage_id: str, frame: int, size: tuple[int, int]) -> Node:
        """A node of (H, W, 3) uint8 sRGB at `size` (H, W)."""

    def deep(self, footage_id: str, frame: int, size: tuple[int, int]) -> Node | None:
        """A node of (H, W, 4) opaque float32 linear light at `size`, as deep as the footage came.

        None where `picture` holds all that there is.
        """

    def alpha(self, footage_id: str, frame: int, size: tuple[int, int]) -> Node:
        """A node of (H, W) float32, 0 to 1, at `size`; all 1 where the footage has no alpha."""

    def part(self, footage_id: str, frame: int, part: str, size: tuple[int, int]) -> Node:
        """A node of a part of EXR footage (stills.part), (H, W) float32 at `size`, as it is."""

    def table(self, footage_id: str) -> Node:
        """A node of a colour table, as `cube.read_cube` gives it. Raises MediaError for what is none."""

    def of_scene(self, footage_id: str) -> bool:
        """Whether footage holds a scene's light, which needs a view to be looked at (managed.of_scene)."""

    def stored(self, owner: str, frame: int, size: tuple[int, int]) -> Node | None:
        """A node of (H, W) float32, 0 to 1, at `size`; None where there is no such frame (yet).

        owner: what the frame belongs to: the id of a pull, or the key of a settled matte.
        """

    def measured(self, track: str) -> Mapping[int, Measured]:
        """What is stored of a track, by frame."""

    def inside(self, footage_id: str) -> tuple[Shot, Sources]:
        """A shot that lies in this one as footage, and its own sources. Raises MediaError where it is not there."""


class FrameSources:
    """Sources of eight bits whose frames are got by functions, whatever lies behind them: arrays, or opened files.

    Nodes are keyed by footage and frame alone, so two of these that give other pictures may not share a cache.

    Parameters
    ----------
    picture
        (footage id, frame) to (H, W, 3) uint8 sRGB.
    matte
        (owner, frame) to (H, W), uint8 or float32 of 0 to 1: the stored frames. None: nothing is stored.
    has
        (owner, frame): whether there is such a stored frame; it is asked when nodes are built.
    alpha
        (footage id, frame) to (H, W), uint8 or float32. None: footage has no alpha.
    tracks
        What is stored of each track, by frame.
    tables
        Colour tables, by the id of their footage.
    shots
        Shots that lie in this one, by the ids that they have there.
    """

    def __init__(
        self,
        picture: Callable[[str, int], U8],
        matte: Callable[[str, int], NDArray[Any]] | None = None,
        has: Callable[[str, int], bool] = lambda owner, frame: True,
        alpha: Callable[[str, int], NDArray[Any]] | None = None,
        tracks: Mapping[str, Mapping[int, Measured]] | None = None,
        tables: Mapping[str, F32] | None = None,
        shots: Mapping[str, tuple[Shot, Sources]] | None = None,
    ) -> None:
        self._picture, self._matte, self._has, self._alpha = picture, matte, has, alpha
        self._tracks, self._tables, self._shots = tracks or {}, tables or {}, shots or {}

    def picture(self, footage_id: str, frame: int, size: tuple[int, int]) -> Node:
        """See Sources."""
        return node("read", [footage_id, frame, size], [],
                    lambda: np.ascontiguousarray(resized(self._picture(footage_id, frame), size)))  # fmt: skip

    def deep(self, footage_id: str, frame: int, size: tuple[int, int]) -> Node | None:
        """Nothing: footage is of eight bits."""
        return None

    def alpha(self, footage_id: str, frame: int, size: tuple[int, int]) -> Node:
        """See Sources."""
        alpha = self._alpha
        if alpha is None:
            return node("opaque", size, [], lambda: np.ones(size, np.float32))
        return node("read-alpha", [footage_id, frame, size], [],
                    lambda: as_grey(alpha(footage_id, frame), size))  # fmt: skip

    def part(self, footage_id: str, frame: int, part: str, size: tuple[int, int]) -> Node:
        """None of this footage has parts. Raises MediaError."""
        raise MediaError("This footage has no channels to choose from.")

    def table(self, footage_id: str) -> Node:
        """See Sources."""
        if footage_id not in self._tables:
            raise MediaError("This footage is no colour table.")
        return node("table", footage_id, [], lambda: self._tables[footage_id])

    def of_scene(self, footage_id: str) -> bool:
        """Footage is what a screen shows."""
        return False

    def stored(self, owner: str, frame: int, size: tuple[int, int]) -> Node | None:
        """See Sources."""
        matte = self._matte
        if matte is None or not self._has(owner, frame):
            return None
        return node("read-matte", [owner, frame, size], [], lambda: as_grey(matte(owner, frame), size))

    def measured(self, track: str) -> Mapping[int, Measured]:
        """See Sources."""
        return self._tracks.get(track, {})

    def inside(self, footage_id: str) -> tuple[Shot, Sources]:
        """See Sources."""
        if footage_id not in self._shots:
            raise MediaError("A shot that lies in this one is not there.")
        return self._shots[footage_id]
