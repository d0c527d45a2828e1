"""Values that may move: a plain value, keyframes, a driver that moves by itself, or a place that rides on a track."""

from __future__ import annotations

import itertools
import math
from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from typing import Annotated, Any, Literal, Protocol

import numpy as np
from pydantic import BaseModel, ConfigDict, Field, field_validator, model_validator

from cuvrel.core.arrays import F64
from cuvrel.core.recipe.curves import MOST, between

Ease = Literal["hold", "linear", "smooth", "free"]
Xy = tuple[float, float]
Rgb = tuple[float, float, float]
Stop = tuple[float, float, float, float]
CurvePoints = Annotated[tuple[Xy, ...], Field(min_length=1, max_length=MOST)]
RampStops = Annotated[tuple[Stop, ...], Field(min_length=1, max_length=MOST)]
Plain = float | Xy | Rgb | CurvePoints | RampStops
Handles = tuple[float, float, float, float]
Id = Field(min_length=1, max_length=40, pattern=r"^[A-Za-z0-9_-]+$")
Name = Field(min_length=1, max_length=120)
SMOOTH: Handles = (1 / 3, 0.0, 2 / 3, 1.0)  # the cubic 3t^2 - 2t^3 as handles


class Strict(BaseModel):
    """Base of every model in the document: unknown fields and non-finite numbers are refused."""

    model_config = ConfigDict(extra="forbid", allow_inf_nan=False)


class Key(Strict):
    """One keyframe. `ease` says how the value leaves this key towards the next one.

    handles: of a free ease, the two inner points (x1, y1, x2, y2) of a cubic Bezier curve from (0, 0), this
    key, to (1, 1), the next one: x is the share of the time and lies in 0 to 1, y the share of the change. With
    both y in 0 to 1 the value never turns back.
    """

    frame: int = Field(ge=0, description="counted from 0, in the shot's frames")
    value: Plain
    ease: Ease = "smooth"
    handles: Handles | None = None

    @model_validator(mode="after")
    def _sound(self) -> Key:
        if self.handles is not None:
            x1, y1, x2, y2 = self.handles
            if not (0 <= x1 <= 1 and 0 <= x2 <= 1):
                raise ValueError("an ease's handles must lie between the two keys")
            if max(abs(y1), abs(y2)) > 20:
                raise ValueError("an ease's handles lie too far out")
        return self


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


class Driver(Strict):
    """A number that time moves, on top of a plain or keyed one.

    rate: `amount` is added each second. wander: smooth noise of `seed`, up to `amount` to either side, with
    `pace` new directions a second. flicker: the value where the pattern has 1, `amount` where it has 0; `pace`
    steps a second, over and over.
    """

    drive: Literal["rate", "wander", "flicker"]
    base: float | Keys = 0.0
    amount: float = Field(0.0, ge=-1e6, le=1e6)
    pace: float = Field(2.0, gt=0, le=1000)
    seed: int = Field(1, ge=0, le=2**31 - 1)
    pattern: str = Field("10", min_length=1, max_length=200, pattern=r"^[01]+$")

    @model_validator(mode="after")
    def _numbers(self) -> Driver:
        if isinstance(self.base, Keys) and any(isinstance(key.value, tuple) for key in self.base.keys):
            raise ValueError("a driver moves a number and nothing else")
        return self


How = Literal["position", "position and size", "position, size and turn", "perspective"]


class Riding(Strict):
    """Moving with a track: nothing moves on `frame`, and from there on what rides goes as the track does.

    how: what it takes over of the track's motion. smooth: frames over which that is smoothed, ahead and back alike, so
    that nothing comes late. still: it goes by the inverse, so that a picture which rides shows the track at rest.
    widen: by how much of its size it grows, about the track, where that is wholly in doubt. place, facing: on a camera,
    the place of its space that what rides is fastened to, and the way in which the surface there faces.
    """

    track: str = Field(min_length=1, max_length=40)
    frame: int = Field(ge=0)
    how: How = "position"
    smooth: float = Field(0.0, ge=0, le=500)
    still: bool = False
    widen: float = Field(0.0, ge=0, le=3)
    place: tuple[float, float, float] | None = None
    facing: tuple[float, float, float] | None = None


class Ride(Riding):
    """A place that rides on a track. base: where it is without, plain or keyed."""

    base: Xy | Keys


Scalar = float | Keys | Driver
Switch = bool | Keys
Colour = Annotated[Rgb | Keys, Field(description="display-encoded sRGB, 0 to 1 each")]
Point = Annotated[Xy | Keys | Ride, Field(description="plate pixels from the frame's middle, to the right and down")]
Curve = Annotated[CurvePoints | Keys, Field(description="points (x, y), x from 0 to 1 and growing")]
Ramp = Annotated[RampStops | Keys, Field(description="stops (x, red, green, blue), x from 0 to 1 and growing")]


class Motion(Protocol):
    """How a track moves."""

    def moved(self, riding: Riding, time: float) -> F64:
        """How what rides on it is moved at a time, (3, 3) between plate pixels."""


@dataclass(frozen=True)
class Env:
    """Where a value is read: a time in frames of the shot, which may lie between two, and the shot's rate.

    tracks: the motion of the shot's tracks by their ids, for what rides on one. middle: of the plate, in its pixels.
    """

    time: float
    fps: float = 24.0
    tracks: Mapping[str, Motion] = field(default_factory=dict)
    middle: Xy = (0.0, 0.0)

    def moved_to(self, time: float) -> Env:
        """The same shot at another time."""
        return replace(self, time=time)

    def moved(self, riding: Riding) -> F64:
        """How what rides is moved here, (3, 3) between plate pixels; not at all where the track is not known."""
        track = self.tracks.get(riding.track)
        return np.eye(3) if track is None else track.moved(riding, self.time)

    def about_middle(self, riding: Riding) -> F64:
        """The same between places that are counted from the plate's middle."""
        to = np.array([[1, 0, self.middle[0]], [0, 1, self.middle[1]], [0, 0, 1.0]])
        return np.asarray(np.linalg.inv(to) @ self.moved(riding) @ to, np.float64)


START = Env(0.0)


def at(value: Scalar | Colour | Any, env: Env) -> Any:
    """The plain value in an environment.

    Before the first key the first value holds, after the last the last one; between two keys the left key's
    ease rules (see `eased`). A driver counts its seconds from frame 0.
    """
    if isinstance(value, Driver):
        return _driven(value, env)
    if isinstance(value, Ride):
        x, y, depth = env.about_middle(value) @ (*at(value.base, env), 1.0)
        return float(x / depth), float(y / depth)
    if not isinstance(value, Keys):
        return value
    keys, time = value.keys, env.time
    if time <= keys[0].frame:
        return keys[0].value
    for left, right in itertools.pairwise(keys):
        if left.frame <= time < right.frame:
            return _between(left, right, (time - left.frame) / (right.frame - left.frame))
    return keys[-1].value


def is_on(value: Switch, env: Env) -> bool:
    """Whether a switch is on at a time: keyed, it stays as its last key says (1 is on), whatever that key's ease."""
    if not isinstance(value, Keys):
        return value
    last = value.keys[0]
    for key in value.keys:
        if key.frame > env.time:
            break
        last = key
    return last.value == 1


def eased(ease: Ease, t: float, handles: Handles | None = None) -> float:
    """How far a value has come at `t`, 0 to 1, of the way to the next key.

    *hold* keeps its value, *linear* is a straight line, *smooth* the cubic 3t^2 - 2t^3, which is monotone and
    starts and ends at rest, *free* the cubic Bezier curve of the handles.
    """
    if ease == "hold":
        return 0.0
    if ease == "linear":
        return t
    if ease == "smooth" or handles is None:
        return t * t * (3.0 - 2.0 * t)
    if t in (0, 1):  # where the curve runs upright into a key, x says too little of how far y has come
        return t
    x1, y1, x2, y2 = handles
    low, high = 0.0, 1.0
    # x rises with the curve's own parameter, so halving finds it to the last bit that counts
    for _ in range(40):
        s = (low + high) / 2
        if _bezier(s, x1, x2) < t:
            low = s
        else:
            high = s
    return _bezier((low + high) / 2, y1, y2)


def _bezier(s: float, a: float, b: float) -> float:
    """The cubic from 0 to 1 by inner values a and b."""
    r = 1 - s
    return 3 * r * r * s * a + 3 * r * s * s * b + s * s * s


def _between(left: Key, right: Key, t: float) -> Plain:
    t = eased(left.ease, t, left.handles)
    a, b = left.value, right.value
    if not isinstance(a, tuple) and not isinstance(b, tuple):
        return a + (b - a) * t
    if not isinstance(a, tuple) or not isinstance(b, tuple):
        return left.value
    if isinstance(a[0], tuple) and isinstance(b[0], tuple):
        return between(a, b, t)  # type: ignore[return-value]  # rows of one length on either side
    if len(a) != len(b):
        return left.value
    return tuple(x + (y - x) * t for x, y in zip(a, b, strict=True))  # type: ignore[operator]


def _driven(value: Driver, env: Env) -> float:
    base = float(at(value.base, env))
    seconds = env.time / env.fps
    if value.drive == "rate":
        return base + value.amount * seconds
    if value.drive == "wander":
        return base + value.amount * wander(value.seed, seconds * value.pace)
    # a step begins with its frame, whatever the last bits of a division say
    step = math.floor(seconds * value.pace + 1e-9)
    return base if value.pattern[step % len(value.pattern)] == "1" else value.amount


def wander(seed: int, time: float) -> float:
    """Smooth noise, -1 to 1: a hashed value at each whole time, 3t^2 - 2t^3 between (Perlin, SIGGRAPH 1985)."""
    step = math.floor(time)
    t = time - step
    a, b = _hashed(seed, step), _hashed(seed, step + 1)
    return a + (b - a) * t * t * (3 - 2 * t)


def _hashed(seed: int, n: int) -> float:
    """An even spread over -1 to 1, the same in every language with 32-bit integers."""
    most = 0xFFFFFFFF
    x = (n * 374761393 + seed * 668265263 + 362437) & most
    x = ((x ^ (x >> 13)) * 1274126177) & most
    x ^= x >> 16
    x = (x * 2246822519) & most
    x ^= x >> 15
    return x / 2147483647.5 - 1
