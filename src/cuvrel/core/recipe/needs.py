"""Needs: what a declared function looks at besides the picture that it is given.

A declared thing lists its needs for its values and a frame; the stand finds the pictures and hands them over in the
same order. Frames are the shot's, counted from 0. What lies outside of the shot, or is not chosen, is handed over as
None.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any, Literal, Protocol

import numpy as np
from numpy.typing import NDArray

What = Literal["own", "plate", "matte", "stored", "footage", "alpha", "plane", "part", "table", "behind"]


@dataclass(frozen=True)
class Need:
    """One picture.

    whole: of footage, at its own proportions and not at the plate's. share: how far into the shot's range its frame
    lies, 0 to 1, in place of `frame`. part: of EXR footage (stills.part).
    """

    what: What
    frame: int
    id: str | None = None
    whole: bool = False
    share: float | None = None
    part: str = ""


def own(frame: int) -> Need:
    """What the function itself is given, at another frame: a plane's picture so far, a matte before its edge step."""
    return Need("own", frame)


def spread(share: float) -> Need:
    """As `own`, at a share of the way through the range that is worked on, 0 to 1; the same on every frame."""
    return Need("own", 0, share=share)


def plate(frame: int) -> Need:
    """The plate, (H, W, 3) uint8 sRGB."""
    return Need("plate", frame)


def matte(frame: int, matte_id: str | None = None) -> Need:
    """A matte, (H, W) float32, 0 to 1; without an id the plane's own matte, or its gate."""
    return Need("matte", frame, matte_id)


def stored(frame: int) -> Need:
    """The pull's own stored frame, (H, W) float32, 0 to 1; where there is none the pull does not take part."""
    return Need("stored", frame)


def footage(frame: int, footage_id: str | None, whole: bool = False) -> Need:
    """Other footage, uint8 sRGB: (H, W, 3) at the plate's size, or at its own proportions. Its ends hold."""
    return Need("footage", frame, footage_id, whole)


def alpha(frame: int, footage_id: str | None, whole: bool = False) -> Need:
    """The alpha of other footage, float32, 0 to 1, sized as `footage` is. Its ends hold."""
    return Need("alpha", frame, footage_id, whole)


def part(frame: int, footage_id: str | None, of: str) -> Need:
    """A part of EXR footage, (H, W) float32 as it is, at its own proportions. Its ends hold."""
    return Need("part", frame, footage_id, True, None, of)


def table(footage_id: str | None) -> Need:
    """A colour table, as `cube.read_cube` gives it."""
    return Need("table", 0, footage_id)


def plane(frame: int, plane_id: str | None) -> Need:
    """A plane's own picture, (H, W, 4) float32 premultiplied linear RGBA. The shot's ends hold."""
    return Need("plane", frame, plane_id)


def behind(frame: int, plane_id: str | None = None) -> Need:
    """What lies behind a plane, (H, W, 4) float32 premultiplied linear RGBA; None where there is nothing.

    Without an id: behind the plane that is treated, brought back to where its own picture is; with one, as the frame
    has it.
    """
    return Need("behind", frame, plane_id)


class Pictures(Protocol):
    """The pictures of a list of needs, in its order. Each is worked out when it is asked for and not before.

    So a function that takes forty of them one after another never holds more than one.
    """

    def __len__(self) -> int: ...

    def __getitem__(self, index: int) -> NDArray[Any] | None: ...


def all_of(pictures: Pictures) -> list[NDArray[np.generic] | None]:
    """All of the pictures at once."""
    return [pictures[n] for n in range(len(pictures))]


NONE: Sequence[NDArray[Any] | None] = ()
