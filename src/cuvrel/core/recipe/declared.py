"""Declared pulls, edge steps and treatments: parameters with labels, units and ranges, and a function.

A module declares itself with `declare`; the registry is what the interface draws its cards from, what
the document is checked against and what the stand calls.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any, Literal

from pydantic import Field, ValidationError, model_validator

from cuvrel.core.recipe.errors import RecipeError
from cuvrel.core.recipe.values import Driver, Keys, Strict, at, is_on

Family = Literal["pull", "edge", "treatment", "plane", "placement", "time"]


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
) -> Any:
    """A number's field: `low` and `high` are bounds, `neutral` the value that changes nothing.

    slide: what a slider spans, where the bounds are too far apart for a hand.
    """
    return Field(
        default,
        title=label,
        description=hint,
        json_schema_extra={
            "control": "number", "low": low, "high": high, "step": step, "unit": unit,
            "animatable": animatable, "neutral": neutral, "slide": list(slide) if slide else None,
        },
    )  # fmt: skip


def colour(default: tuple[float, float, float], label: str, *, hint: str = "") -> Any:
    """A colour's field, display-encoded sRGB, 0 to 1 each."""
    return Field(
        default,
        title=label,
        description=hint,
        json_schema_extra={"control": "colour", "low": 0.0, "high": 1.0, "animatable": True},
    )


def switch(default: bool, label: str, *, hint: str = "", animatable: bool = False) -> Any:
    """An on/off field; one that is animatable has the type Switch."""
    return Field(
        default,
        title=label,
        description=hint,
        json_schema_extra={"control": "switch", "animatable": animatable, "low": 0.0, "high": 1.0, "step": 1.0},
    )


def reference(label: str, of: Literal["footage", "plane"], *, hint: str = "") -> Any:
    """A field that names other footage of the shot, or a plane, by its id; None while nothing is chosen."""
    return Field(None, title=label, description=hint, max_length=40, json_schema_extra={"control": of})


def choice(default: str, label: str, options: list[str], *, hint: str = "") -> Any:
    """One of several words; the field's type is the Literal of them."""
    return Field(
        default, title=label, description=hint, json_schema_extra={"control": "choice", "options": list(options)}
    )


class Params(Strict):
    """Base of every declared parameters model. Values and keyframes are held to their range."""

    @model_validator(mode="after")
    def _in_range(self) -> Params:
        for name, field in type(self).model_fields.items():
            extra = field.json_schema_extra
            if not isinstance(extra, dict) or "low" not in extra:
                continue
            if extra["control"] == "switch":
                keyed = getattr(self, name)
                if isinstance(keyed, Keys) and any(key.value not in (0, 1) for key in keyed.keys):
                    raise ValueError(f"{field.title} is on (1) or off (0) at a keyframe")
                continue
            low, high = float(extra["low"]), float(extra["high"])  # type: ignore[arg-type]
            value = getattr(self, name)
            if isinstance(value, Driver):
                if not extra.get("animatable"):
                    raise ValueError(f"{field.title} can't be driven by time")
                value = value.base
            if isinstance(value, Keys):
                if not extra.get("animatable"):
                    raise ValueError(f"{field.title} can't have keyframes")
                plain: list[Any] = [key.value for key in value.keys]
            else:
                plain = [value]
            for one in plain:
                is_colour = isinstance(one, tuple)
                if is_colour != (extra["control"] == "colour"):
                    raise ValueError(f"{field.title} takes a {extra['control']}")
                if any(not low <= part <= high for part in (one if is_colour else (one,))):
                    raise ValueError(f"{field.title} must lie between {low:g} and {high:g}, not {one}")
        return self

    def names(self, of: str) -> dict[str, str]:
        """The ids that its references of a kind (footage, plane) hold, by field."""
        out = {}
        for name, field in type(self).model_fields.items():
            extra = field.json_schema_extra
            if isinstance(extra, dict) and extra.get("control") == of and getattr(self, name):
                out[name] = str(getattr(self, name))
        return out

    def at(self, time: float, fps: float = 24.0) -> dict[str, Any]:
        """Every value at a time in frames, as plain numbers, switches and colour triples.

        What a driver would bring out of a field's range stops at its end. fps: the shot's rate.
        """
        out: dict[str, Any] = {}
        for name, field in type(self).model_fields.items():
            value, extra = getattr(self, name), field.json_schema_extra
            if isinstance(extra, dict) and extra.get("control") == "switch":
                out[name] = is_on(value, time)
                continue
            out[name] = at(value, time, fps)
            if isinstance(value, Driver):
                assert isinstance(extra, dict)
                out[name] = min(max(out[name], float(extra["low"])), float(extra["high"]))  # type: ignore[arg-type]
        return out


@dataclass(frozen=True)
class Declared:
    """One pull, edge step, plane kind or treatment."""

    family: Family
    kind: str
    label: str
    hint: str
    params: type[Params]
    run: Callable[..., Any]
    group: str = ""
    needs_matte: bool = False

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
) -> Callable[[Callable[..., Any]], Callable[..., Any]]:
    """Registers the decorated function under a family and a kind."""

    def keep(run: Callable[..., Any]) -> Callable[..., Any]:
        _registry[family, kind] = Declared(family, kind, label, hint, params, run, group, needs_matte)
        return run

    return keep


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
