"""What is done to the keyframes of a plane, a treatment, a matte or a single value, as one edit of the document."""

from __future__ import annotations

from typing import Any, Literal

from pydantic import Field
from pydantic_core import to_jsonable_python

from cuvrel.core.recipe import keyframe_values
from cuvrel.core.recipe.animatable import Moving, name_under, within
from cuvrel.core.recipe.errors import RecipeError
from cuvrel.core.recipe.models import Shot
from cuvrel.core.recipe.values import Ease, Env, Key, Plain, Strict

Ops = list[dict[str, Any]]
Kind = Literal["shift", "copy", "stretch", "reverse", "remove", "paste", "arrive", "leave", "bake"]
LABELS: dict[Kind, str] = {
    "shift": "move keyframes", "copy": "copy keyframes", "stretch": "stretch keyframes", "reverse": "reverse keyframes",
    "remove": "remove keyframes", "paste": "paste keyframes", "arrive": "arrive", "leave": "leave",
    "bake": "bake to keyframes",
}  # fmt: skip


class Clip(Strict):
    """Keys of one value, to be pasted: where the value lay under the place that was copied, and its keys."""

    name: str = Field(max_length=200)
    keys: list[Key] = Field(min_length=1, max_length=10_000)


class Deed(Strict):
    """One thing done to all values at or under some places of the document (JSON pointers).

    first, last: the frames of the set, or between which a value arrives, leaves or is baked. to_first, to_last: the
    span that a set is stretched to; a shift, copy or paste lands at `to_first`. clips: what is pasted.
    """

    kind: Kind
    places: list[str] = Field(min_length=1, max_length=500)
    first: int = Field(0, ge=0, le=10_000_000)
    last: int = Field(0, ge=0, le=10_000_000)
    to_first: int = Field(0, ge=0, le=10_000_000)
    to_last: int = Field(0, ge=0, le=10_000_000)
    ease: Ease = "smooth"
    clips: list[Clip] = Field(default_factory=list, max_length=1000)


def copied(shot: Shot, places: list[str], first: int, last: int) -> list[Clip]:
    """The keys of a set, by value. Raises RecipeError where there are none."""
    clips = []
    for one in within(shot, places):
        keys = keyframe_values.keys_of(one.value)
        chosen = [key for key in keys.keys if first <= key.frame <= last] if keys else []
        if chosen:
            clips.append(Clip(name=name_under(one.path, places) or "", keys=chosen))
    if not clips:
        raise RecipeError("There are no keyframes here to copy.")
    return clips


def done(shot: Shot, deed: Deed) -> Ops:
    """The JSON Patch operations of a deed. Raises RecipeError when it would change nothing."""
    if deed.kind in ("arrive", "leave", "bake") and deed.first >= deed.last:
        raise RecipeError("The last frame must lie behind the first one.")
    count = shot.plate_footage().frames
    if deed.kind == "bake" and deed.last >= count:
        raise RecipeError(f"A shot of {count} frames can't be baked up to frame {deed.last}.")
    found, env = within(shot, deed.places), shot.env(0)
    pairs = _pasted(found, deed) if deed.kind == "paste" else [(one, _new(one, deed, env)) for one in found]
    ops = []
    for one, value in pairs:
        plain = _json(value)
        if plain != _json(one.value):
            ops.append({"op": "add", "path": one.path, "value": plain})
    if not ops:
        raise RecipeError(_nothing(deed.kind))
    return ops


def _nothing(kind: Kind) -> str:
    if kind in ("arrive", "leave"):
        return "Nothing here differs from its neutral value on that frame."
    return "Nothing here is driven by time or keyed." if kind == "bake" else "There are no keyframes here to change."


def _new(one: Moving, deed: Deed, env: Env) -> Any:
    value = one.value
    by = deed.to_first - deed.first
    if deed.kind == "shift":
        return keyframe_values.shifted(value, deed.first, deed.last, by)
    if deed.kind == "copy":
        return keyframe_values.copied_to(value, deed.first, deed.last, by)
    if deed.kind == "stretch":
        return keyframe_values.stretched(value, deed.first, deed.last, deed.to_first, deed.to_last)
    if deed.kind == "reverse":
        return keyframe_values.reversed_within(value, deed.first, deed.last)
    if deed.kind == "remove":
        return keyframe_values.without_keys(value, deed.first, deed.last)
    if deed.kind == "bake":
        return keyframe_values.baked(value, deed.first, deed.last, env, one.low, one.high)
    if one.neutral is None:
        return value
    way = keyframe_values.arrived if deed.kind == "arrive" else keyframe_values.left
    return way(value, one.neutral, deed.first, deed.last, deed.ease, env)


def _pasted(found: list[Moving], deed: Deed) -> list[tuple[Moving, Any]]:
    """Each clip goes to the value of the same name; a single one to a single value whatever its name."""
    if not deed.clips:
        raise RecipeError("No keyframes have been copied.")
    start = min(clip.keys[0].frame for clip in deed.clips)
    single = found[0] if len(found) == 1 and len(deed.clips) == 1 else None
    out = []
    for clip in deed.clips:
        for one in found:
            if one is not single and name_under(one.path, deed.places) != clip.name:
                continue
            if any(_form(key.value) != _form_of(one) for key in clip.keys):
                raise RecipeError(f"{one.label} takes other keyframes: these are not of a {one.control}.")
            # all values keep their distance in time
            frame = deed.to_first + clip.keys[0].frame - start
            out.append((one, keyframe_values.pasted(one.value, [_held(key, one) for key in clip.keys], frame)))
    return out


def _form(value: Plain) -> int:
    """How many numbers a value is of: 1, a point 2, a colour 3; with 10 more of each row of a curve or a ramp."""
    if not isinstance(value, tuple):
        return 1
    return 10 + len(value[0]) if isinstance(value[0], tuple) else len(value)


def _form_of(one: Moving) -> int:
    return {"point": 2, "colour": 3, "curve": 12, "ramp": 14}.get(one.control, 1)


def _held(key: Key, one: Moving) -> Key:
    if isinstance(key.value, tuple):
        return key
    return key.model_copy(update={"value": min(max(key.value, one.low), one.high)})


def _json(value: Any) -> Any:
    if isinstance(value, Strict):
        return value.model_dump(mode="json")
    return to_jsonable_python(value)
