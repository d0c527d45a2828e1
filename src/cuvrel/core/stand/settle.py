"""Settling: a matte's frames stored as they are, and read instead of computed until it is unsettled."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from typing import Any

from cuvrel.core.recipe.hashing import key_of
from cuvrel.core.recipe.models import Matte, Pull, Shot
from cuvrel.core.recipe.references import rests_on


def settling_key(
    shot: Shot, matte_id: str, frames: Iterable[tuple[str, int, str | None]],
    read: Mapping[str, Mapping[str, str]] | None = None,
) -> str:  # fmt: skip
    """The key of a matte's recipe as it is now: another one means that settled frames are out of date.

    frames: pull, frame and blob of all stored matte frames. read: by its id, how footage is read where that was set by
    hand. Raises KeyError.
    """
    needed = rests_on(shot, f"matte:{matte_id}")
    first = shot.matte(matte_id)
    mattes = [first, *(one for one in shot.mattes if f"matte:{one.id}" in needed and one is not first)]
    tracks = [track for track in shot.tracks if f"track:{track.id}" in needed]
    pulls = {pull.id for one in mattes for pull in one.pulls} | {track.id for track in tracks}
    stored = sorted((pull, frame, blob) for pull, frame, blob in frames if pull in pulls and blob)
    recipe = [[_dumped(pull) for one in mattes for pull in one.pulls], *(one.edge for one in mattes),
              shot.plate_footage().hash]  # fmt: skip
    planes = [_resting(plane.model_dump(mode="json")) for plane in shot.planes if f"plane:{plane.id}" in needed]
    more = sorted(one.hash for one in shot.footage if f"footage:{one.id}" in needed and one.id != shot.plate)
    by_hand = {ident: dict(how) for ident, how in (read or {}).items()
               if how and (ident == shot.plate or f"footage:{ident}" in needed)}  # fmt: skip
    # what rests on other things than mattes tells of them, too; keys of what does not are what they were
    about: list[Any] = [recipe, [list(one) for one in stored]]
    about += [[planes, more]] if planes or more else []
    about += [[one.model_dump(mode="json") for one in tracks]] if tracks else []
    about += [["rate", shot.fps]] if planes or _driven(recipe) else []
    about += [["read", by_hand]] if by_hand else []
    return key_of("settled", about, [])


def _driven(recipe: Any) -> bool:
    """Whether any value in plain JSON is driven by time, which passes by the shot's rate."""
    if isinstance(recipe, dict):
        return "drive" in recipe or any(_driven(one) for one in recipe.values())
    return isinstance(recipe, list) and any(_driven(one) for one in recipe)


def _dumped(pull: Pull) -> dict[str, Any]:
    """The pull as it counts for the key; a region that is not there leaves the keys of older documents as they were."""
    raw = _resting(pull.model_dump(mode="json"))
    raw["shapes"] = [_resting(shape) for shape in raw["shapes"]]
    return raw if pull.region else {name: value for name, value in raw.items() if name not in ("region", "beyond")}


def _resting(raw: dict[str, Any]) -> dict[str, Any]:
    """The same without a ride where nothing rides, and without a line-up, as it was in older documents."""
    return {name: value for name, value in raw.items() if value or name not in ("ride", "rides", "line_up")}


def live(shot: Shot, matte_id: str) -> Shot:
    """The shot with this matte's recipe in force, settled or not."""

    def freed(matte: Matte) -> Matte:
        return matte.model_copy(update={"settled": None}) if matte.id == matte_id else matte

    return shot.model_copy(update={"mattes": [freed(matte) for matte in shot.mattes]})
