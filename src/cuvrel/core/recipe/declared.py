"""Declared pulls, edge steps and treatments: parameters with labels, units and ranges, and a function.

A module declares itself with `declare`; the registry is what the interface draws its cards from, what
the document is checked against and what the stand calls.

The function is called as `run(picture, values, context)`, and with the pictures of its needs behind that where it
declares some. It is pure: the same pictures, values and context give the same pixels.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field
from functools import cache
from typing import Any, Literal, Self, get_args

from pydantic import Field, PrivateAttr, ValidationError, model_validator

from cuvrel.core.recipe.errors import RecipeError
from cuvrel.core.recipe.needs import Need
from cuvrel.core.recipe.values import CurvePoints, Driver, Env, Keys, RampStops, Ride, Strict, Xy, at, is_on

Family = Literal[
    "pull",
    "joining",
    "edge",
    "treatment",
    "plane",
    "laying",
    "gate",
    "placement",
    "card",
    "time",
    "track",
    "sound",
    "fitting",
    "move",
    "join",
]
Values = dict[str, Any]
Holds = Literal["marks", "shapes"]
Over = Literal["luma", "red", "green", "blue", "wheel"]
Of = Literal["footage", "plane", "matte", "table"]


def number(
    default: float,
    label: str,
    low: float,
    high: float,
    *,
    step: float = 0.01,
    unit: str = "",
    animatable: bool = True,
    hint: str = "",
    neutral: float | None = None,
    slide: tuple[float, float] | None = None,
    direction: bool = False,
    frame: bool = False,
    warn: tuple[float, str] | None = None,
) -> Any:
    """A number's field: `low` and `high` are bounds, `neutral` the value that changes nothing.

    slide: what a slider spans, where the bounds are too far apart for a hand. direction: degrees that point somewhere
    in the picture, clockwise from the right; they can be turned there. frame: it is a frame of the shot, counted from
    0, and is shown by its number. warn: above which value what is said.
    """
    return Field(
        default,
        title=label,
        description=hint,
        json_schema_extra={
            "control": "number", "low": low, "high": high, "step": step, "unit": unit,
            "animatable": animatable, "neutral": neutral, "slide": list(slide) if slide else None,
            "direction": direction, "frame": frame, "warn": list(warn) if warn else None,
        },
    )  # fmt: skip


def colour(default: tuple[float, float, float], label: str, *, hint: str = "", animatable: bool = True) -> Any:
    """A colour's field, display-encoded sRGB, 0 to 1 each."""
    return Field(
        default,
        title=label,
        description=hint,
        json_schema_extra={"control": "colour", "low": 0.0, "high": 1.0, "animatable": animatable},
    )


def point(
    default: Xy, label: str, *, hint: str = "", far: float = 100_000, dated: str | None = None, animatable: bool = True
) -> Any:
    """A place's field, of the type Point: plate pixels from the frame's middle, to the right and down.

    far: how far off it may lie. dated: the field that holds the frame on which it was set.
    """
    about = {
        "control": "point",
        "low": -far,
        "high": far,
        "step": 1.0,
        "unit": "px",
        "animatable": animatable,
        "dated": dated,
    }
    return Field(default, title=label, description=hint, json_schema_extra=about)  # type: ignore[arg-type]


def curve(
    default: CurvePoints, label: str, low: float = 0.0, high: float = 1.0, *, hint: str = "", over: Over = "luma",
    animatable: bool = True,
) -> Any:  # fmt: skip
    """A curve's field, of the type Curve: its points' x runs from 0 to 1, their y from `low` to `high`.

    Its default is the curve that changes nothing. over: of what the frame's spread is drawn behind it; `wheel` is the
    hue, from red by green and blue to red.
    """
    about = {"control": "curve", "low": low, "high": high, "animatable": animatable, "over": over, "neutral": default}
    return Field(default, title=label, description=hint, json_schema_extra=about)  # type: ignore[arg-type]


def ramp(default: RampStops, label: str, *, hint: str = "") -> Any:
    """A ramp of colours' field, of the type Ramp: its stops' places and colours all run from 0 to 1."""
    about = {"control": "ramp", "low": 0.0, "high": 1.0, "animatable": True}
    return Field(default, title=label, description=hint, json_schema_extra=about)  # type: ignore[arg-type]


def switch(default: bool, label: str, *, hint: str = "", animatable: bool = False) -> Any:
    """An on/off field; one that is animatable has the type Switch."""
    return Field(
        default,
        title=label,
        description=hint,
        json_schema_extra={"control": "switch", "animatable": animatable, "low": 0.0, "high": 1.0, "step": 1.0},
    )


def reference(label: str, of: Of, *, hint: str = "") -> Any:
    """A field that names something of the shot by its id: footage, a plane, a matte, a colour table.

    None while nothing is chosen.
    """
    return Field(None, title=label, description=hint, max_length=40, json_schema_extra={"control": of})


def parts(label: str, *, hint: str = "") -> Any:
    """A field with the parts of EXR footage that are chosen (stills.part); the footage is in the field `footage`."""
    return Field(default_factory=list, title=label, description=hint, max_length=100,
                 json_schema_extra={"control": "parts"})  # fmt: skip


def inner(label: str, of: Literal["matte", "track"], *, hint: str = "") -> Any:
    """A field that names something of the shot that a piece shows, by its id there. None while nothing is chosen.

    It is no reference of the document: where there is no such thing (any more) the piece does without.
    """
    return Field(None, title=label, description=hint, max_length=40, json_schema_extra={"control": "inner", "of": of})


def choice(default: str, label: str, options: Sequence[str], *, hint: str = "") -> Any:
    """One of several words; the field's type is the Literal of them."""
    return Field(
        default, title=label, description=hint, json_schema_extra={"control": "choice", "options": list(options)}
    )


class Params(Strict):
    """Base of every declared parameters model. Values and keyframes are held to their range."""

    @classmethod
    @cache
    def fields(cls) -> dict[str, dict[str, Any]]:
        """What was said of each declared field, by its name; what is no value is left out."""
        extras = ((name, field.json_schema_extra) for name, field in cls.model_fields.items())
        return {name: extra for name, extra in extras if isinstance(extra, dict) and "control" in extra}

    @model_validator(mode="after")
    def _in_range(self) -> Self:
        for name, extra in type(self).fields().items():
            check = _CHECKS.get(extra["control"])
            if check is not None:
                check(type(self).model_fields[name].title or name, extra, getattr(self, name))
        return self

    @classmethod
    @cache
    def naming(cls) -> dict[str, Of]:
        """The fields that name something of the shot, and what each names."""
        fields = cls.fields().items()
        return {name: about["control"] for name, about in fields if about["control"] in get_args(Of)}

    def at(self, env: Env) -> Values:
        """Every value in an environment, as plain numbers, switches, words, and tuples of numbers.

        What a driver would bring out of a field's range stops at its end.
        """
        out: Values = {}
        for name, extra in type(self).fields().items():
            value = getattr(self, name)
            if extra["control"] == "switch":
                out[name] = is_on(value, env)
                continue
            out[name] = at(value, env)
            if isinstance(value, Driver):
                out[name] = min(max(out[name], float(extra["low"])), float(extra["high"]))
        return out


About = dict[str, Any]


def _held(title: str, about: About, value: Any) -> list[Any]:
    """The plain values that a value has or moves between. Raises ValueError where it may not move so."""
    if isinstance(value, Driver):
        if not about["animatable"]:
            raise ValueError(f"{title} can't be driven by time")
        value = value.base
    if isinstance(value, Ride):
        if about["control"] != "point" or not about["animatable"]:
            raise ValueError(f"{title} can't ride on a track")
        value = value.base
    if isinstance(value, Keys):
        if not about["animatable"]:
            raise ValueError(f"{title} can't have keyframes")
        return [key.value for key in value.keys]
    return [value]


def _check_number(title: str, about: About, value: Any) -> None:
    for one in _held(title, about, value):
        if isinstance(one, tuple):
            raise ValueError(f"{title} takes a number")
        _bounded(title, about, [one])


def _check_parts(size: int) -> Callable[[str, About, Any], None]:
    def check(title: str, about: About, value: Any) -> None:
        for one in _held(title, about, value):
            if not isinstance(one, tuple) or len(one) != size or isinstance(one[0], tuple):
                raise ValueError(f"{title} takes a {about['control']}")
            _bounded(title, about, one)

    return check


def _check_rows(size: int) -> Callable[[str, About, Any], None]:
    def check(title: str, about: About, value: Any) -> None:
        for one in _held(title, about, value):
            if not isinstance(one, tuple) or any(not isinstance(row, tuple) or len(row) != size for row in one):
                raise ValueError(f"{title} takes a {about['control']}")
            places = [row[0] for row in one]
            if places != sorted(set(places)) or not (places[0] >= 0 and places[-1] <= 1):
                raise ValueError(f"{title}: the places lie in 0 to 1 and grow from one to the next")
            for row in one:
                _bounded(title, about, row[1:])

    return check


def _bounded(title: str, about: About, parts: Sequence[float]) -> None:
    low, high = float(about["low"]), float(about["high"])
    for part in parts:
        if not low <= part <= high:
            raise ValueError(f"{title} must lie between {low:g} and {high:g}, not {part:g}")


def _check_switch(title: str, about: About, value: Any) -> None:
    if any(one not in (0, 1) for one in _held(title, about, value)):
        raise ValueError(f"{title} is on (1) or off (0) at a keyframe")


_CHECKS: dict[str, Callable[[str, About, Any], None]] = {
    "number": _check_number,
    "colour": _check_parts(3),
    "point": _check_parts(2),
    "curve": _check_rows(2),
    "ramp": _check_rows(4),
    "switch": _check_switch,
}


@dataclass(frozen=True)
class Stage:
    """A part of a declared thing that is computed, and kept, by itself.

    fields: the values that it is given. rests: whether they change nothing, so that the stage is left out. needs:
    what it looks at besides its picture, for its values on a frame. clock: whether it reads the time. still: whether
    it is left out where what it is given is the same on all frames that it needs of it.
    """

    name: str
    run: Callable[..., Any]
    fields: tuple[str, ...]
    rests: Callable[[Values], bool] = lambda values: False
    needs: Callable[[Values, int], Sequence[Need]] | None = None
    clock: Callable[[Values], bool] = lambda values: False
    still: bool = False


Starter = tuple[str, dict[str, Any]]  # a name, and values as the document has them


@dataclass(frozen=True)
class Declared:
    """One pull, edge step, plane kind or treatment; or, without stages, values that something else reads."""

    family: Family
    kind: str
    label: str
    hint: str
    params: type[Params]
    stages: tuple[Stage, ...]
    group: str = ""
    needs_matte: bool = False
    holds: Holds | None = None
    blind: bool = False
    keep: bool = True
    starters: tuple[Starter, ...] = ()
    begins: Mapping[str, Any] = field(default_factory=dict)
    gates: Callable[..., Any] | None = None
    behind: bool = False

    @property
    def run(self) -> Callable[..., Any]:
        """The function of what has one stage."""
        (stage,) = self.stages
        return stage.run

    def read(self, raw: dict[str, Any]) -> Params:
        """Checked parameters from plain JSON. Raises RecipeError with a sentence."""
        try:
            return self.params.model_validate(raw)
        except ValidationError as fault:
            first = fault.errors()[0]
            if first["type"] == "extra_forbidden":
                raise RecipeError(f"{self.label} has no '{first['loc'][0]}'.") from fault
            field = self.params.model_fields.get(str(first["loc"][0])) if first["loc"] else None
            where = f"{self.label}, {field.title}" if field and field.title else self.label
            text = str(first["msg"]).removeprefix("Value error, ")
            raise RecipeError(f"{where}: {text}.") from fault


_registry: dict[tuple[Family, str], Declared] = {}


def declare(
    family: Family,
    kind: str,
    label: str,
    params: type[Params],
    *,
    hint: str = "",
    group: str = "",
    needs_matte: bool = False,
    needs: Callable[[Values, int], Sequence[Need]] | None = None,
    clock: Callable[[Values], bool] | None = None,
    rests: Callable[[Values], bool] | None = None,
    stages: Sequence[Stage] = (),
    apart: Sequence[str] = (),
    holds: Holds | None = None,
    blind: bool = False,
    keep: bool = True,
    starters: Sequence[Starter] = (),
    begins: Mapping[str, Any] | None = None,
    gates: Callable[..., Any] | None = None,
    behind: bool = False,
) -> Callable[[Callable[..., Any]], Callable[..., Any]]:
    """Registers the decorated function under a family and a kind.

    hint: what it does, in a few words. group: its place on the shelf. needs_matte: it is told the plane's own matte or
    gate. needs: what else it looks at, for its values on a frame (see recipe/needs.py). clock: whether, with its
    values, it changes by itself over time, and so reads the time. rests: whether its values change nothing. stages:
    parts of it that come first and are worth keeping by themselves; the decorated function has the other values, but
    for those that are `apart`, which something else reads. holds: what a pull has besides its values: marks with stored
    frames, or drawn shapes. blind: it is given no picture. keep: whether the result is worth a place in the cache.
    starters: sets of values to begin with, by name. begins: what a new plane of the kind is besides its kind
    (recipe/new_plane.py). gates: what the plane is seen through where it has this treatment: of its gate, the
    treatment's values and the scale. behind: it looks at what lies behind its plane.
    """

    def register(run: Callable[..., Any]) -> Callable[..., Any]:
        early = {*apart, *(name for stage in stages for name in stage.fields)}
        last = Stage(
            kind,
            run,
            tuple(name for name in params.fields() if name not in early),
            rests or (lambda values: False),
            needs,
            clock or (lambda values: False),
        )
        entry = Declared(
            family,
            kind,
            label,
            hint,
            params,
            (*stages, last),
            group,
            needs_matte,
            holds,
            blind,
            keep,
            tuple(starters),
            begins or {},
            gates,
            behind,
        )
        for name, values in starters:
            assert params.model_validate(values), name
        _registry[family, kind] = entry
        return run

    return register


def declare_values(family: Family, label: str, params: type[Params], hint: str = "", kind: str = "") -> None:
    """Registers values that are no step of their own: how a pull joins, how a plane lies over what is behind it.

    kind: where there are several of the family.
    """
    _registry[family, kind or family] = Declared(family, kind or family, label, hint, params, ())


def declared(family: Family, kind: str) -> Declared:
    """What is registered under a family and a kind. Raises RecipeError when nothing is."""
    try:
        return _registry[family, kind]
    except KeyError:
        known = ", ".join(sorted(k for f, k in _registry if f == family)) or "none"
        raise RecipeError(f"There is no {family} called '{kind}'.", f"Known: {known}.") from None


def all_declared() -> list[Declared]:
    """Everything registered, in the order of registration."""
    return list(_registry.values())


class Reading(Strict):
    """What holds declared values as plain JSON: they are read once, however often they are asked for."""

    _parsed: dict[str, tuple[dict[str, Any], Params]] = PrivateAttr(default_factory=dict)

    def _read(self, family: Family, kind: str, raw: dict[str, Any]) -> Params:
        known = self._parsed.get(family)
        # a copy with other values has taken over what was read of the old ones
        if known is None or known[0] is not raw:
            known = raw, declared(family, kind).read(raw)
            self._parsed = {**self._parsed, family: known}
        return known[1]
