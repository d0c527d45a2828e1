"""Values that may move: a plain value, or keyframes."""

from __future__ import annotations

import itertools
from typing import Annotated, Any, Literal

from pydantic import BaseModel, ConfigDict, Field, field_validator

Ease = Literal["hold", "linear", "smooth"]
Rgb = tuple[float, float, float]


class Strict(BaseModel):
    """Base of every model in the document: unknown fields and non-finite numbers are refused."""

    model_config = ConfigDict(extra="forbid", allow_inf_nan=False)


class Key(Strict):
    """One keyframe. `ease` says how the value leaves this key towards the next one."""

    frame: int = Field(ge=0, description="counted from 0, in the shot's frames")
    value: float | Rgb
    ease: Ease = "smooth"


class Keys(Strict):
    """Keyframes in the order of their frames, at most one per frame."""

    keys: list[Key] = Field(min_length=1, max_length=10_000)

    @field_validator("keys")
    @classmethod
    def _ordered(cls, keys: list[Key]) -> list[Key]:
        frames = [key.frame for key in keys]
        if frames != sorted(set(frames)):
            raise ValueError("keyframes must be in the order of their frames, one per frame")
        return keys


Scalar = float | Keys
Colour = Annotated[Rgb | Keys, Field(description="display-encoded sRGB, 0 to 1 each")]


def at(value: Scalar | Colour | Any, frame: int) -> Any:
    """The plain value at a frame.

    Before the first key the first value holds, after the last the last one. Between two keys the left
    key's ease rules: *hold* keeps its value, *linear* is a straight line, *smooth* the cubic
    3t^2 - 2t^3, which is monotone and starts and ends at rest.
    """
    if not isinstance(value, Keys):
        return value
    keys = value.keys
    if frame <= keys[0].frame:
        return keys[0].value
    for left, right in itertools.pairwise(keys):
        if left.frame <= frame < right.frame:
            return _between(left, right, (frame - left.frame) / (right.frame - left.frame))
    return keys[-1].value


def eased(ease: Ease, t: float) -> float:
    """How far a value has come at `t`, 0 to 1, of the way to the next key."""
    if ease == "hold":
        return 0.0
    return t * t * (3.0 - 2.0 * t) if ease == "smooth" else t


def _between(left: Key, right: Key, t: float) -> float | Rgb:
    t = eased(left.ease, t)
    a, b = left.value, right.value
    if isinstance(a, tuple) and isinstance(b, tuple):
        return (a[0] + (b[0] - a[0]) * t, a[1] + (b[1] - a[1]) * t, a[2] + (b[2] - a[2]) * t)
    if isinstance(a, tuple) or isinstance(b, tuple):
        return left.value
    return a + (b - a) * t
