"""Settling: a matte's frames stored as they are, and read instead of computed until it is unsettled."""

from __future__ import annotations

from collections.abc import Iterable

from cuvrel.core.recipe.hashing import key_of
from cuvrel.core.recipe.models import Matte, Shot


def settling_key(shot: Shot, matte_id: str, frames: Iterable[tuple[str, int, str | None]]) -> str:
    """The key of a matte's recipe as it is now: another one means that settled frames are out of date.

    frames: pull, frame and blob of all stored matte frames. Raises KeyError.
    """
    matte = shot.matte(matte_id)
    pulls = {pull.id for pull in matte.pulls}
    stored = sorted((pull, frame, blob) for pull, frame, blob in frames if pull in pulls and blob)
    recipe = [[pull.model_dump(mode="json") for pull in matte.pulls], matte.edge, shot.plate_footage().hash]
    return key_of("settled", [recipe, [list(one) for one in stored]], [])


def live(shot: Shot, matte_id: str) -> Shot:
    """The shot with this matte's recipe in force, settled or not."""

    def freed(matte: Matte) -> Matte:
        return matte.model_copy(update={"settled": None}) if matte.id == matte_id else matte

    return shot.model_copy(update={"mattes": [freed(matte) for matte in shot.mattes]})
