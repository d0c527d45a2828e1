"""Every value of a document that may move: where it lies, what it may be, and what changes nothing."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from typing import Any

from pydantic import TypeAdapter

from cuvrel.core.recipe.declared import Declared, Family, declared
from cuvrel.core.recipe.errors import RecipeError
from cuvrel.core.recipe.values import Colour, Scalar

Doc = dict[str, Any]
_scalar: TypeAdapter[Any] = TypeAdapter(Scalar)
_colour: TypeAdapter[Any] = TypeAdapter(Colour)


@dataclass(frozen=True)
class Moving:
    """A value: its JSON pointer, its label, its range, what changes nothing (if there is such), and itself."""

    path: str
    label: str
    low: float
    high: float
    neutral: float | None
    colour: bool
    raw: Any

    def value(self) -> Any:
        """The value as the model has it: a number, a colour, Keys or a Driver."""
        return (_colour if self.colour else _scalar).validate_python(self.raw)


def _fields(entry: Declared, raw: Doc, path: str, about: str) -> Iterator[Moving]:
    for name, field in entry.params.model_fields.items():
        extra = field.json_schema_extra
        if not isinstance(extra, dict) or not extra.get("animatable"):
            continue
        neutral, raw_value = extra.get("neutral"), raw.get(name, field.default)
        if isinstance(raw_value, bool):
            raw_value = float(raw_value)
        yield Moving(
            f"{path}/{name}",
            f"{about}: {field.title}",
            float(extra["low"]),  # type: ignore[arg-type]
            float(extra["high"]),  # type: ignore[arg-type]
            None if neutral is None else float(neutral),  # type: ignore[arg-type]
            extra["control"] == "colour",
            raw_value,
        )


def moving(document: Doc) -> Iterator[Moving]:
    """All values that may move, in the order of the document."""
    for n, matte in enumerate(document.get("mattes", [])):
        path = f"/mattes/{n}"
        for k, pull in enumerate(matte.get("pulls", [])):
            label = declared("pull", pull["kind"]).label
            at = f"{path}/pulls/{k}"
            yield Moving(f"{at}/strength", f"{label}: Strength", 0, 1, None, False, pull.get("strength", 1.0))
            yield from _fields(declared("pull", pull["kind"]), pull.get("params", {}), f"{at}/params", label)
        yield from _fields(declared("edge", "edge"), matte.get("edge", {}), f"{path}/edge", "Edge")
    for n, plane in enumerate(document.get("planes", [])):
        path, name = f"/planes/{n}", plane["name"]
        yield Moving(f"{path}/opacity", f"{name}: Opacity", 0, 1, 0, False, plane.get("opacity", 1.0))
        gate = plane.get("gate") or {}
        for part in ("inner", "outer", "soft"):
            if part in gate:
                yield Moving(f"{path}/gate/{part}", f"{name}: {part}", 0, 4000, None, False, gate[part])
        yield from _fields(declared("plane", plane["kind"]), plane.get("params", {}), f"{path}/params", name)
        families: tuple[Family, ...] = ("placement", "time")
        for family in families:
            entry = declared(family, family)
            yield from _fields(entry, plane.get(family, {}), f"{path}/{family}", entry.label)
        for k, step in enumerate(plane.get("treatments", [])):
            entry = declared("treatment", step["kind"])
            yield from _fields(entry, step.get("params", {}), f"{path}/treatments/{k}/params", entry.label)


def name_under(path: str, places: list[str]) -> str | None:
    """Where a value lies under the nearest of some places, "" being the place itself; None where it lies elsewhere."""
    above = [place for place in places if path == place or path.startswith(f"{place}/")]
    return path[len(max(above, key=len)) :] if above else None


def within(document: Doc, places: list[str]) -> list[Moving]:
    """The values at or under any of these places. Raises RecipeError where there is none."""
    found = [one for one in moving(document) if name_under(one.path, places) is not None]
    if not found:
        raise RecipeError("There is no value here that can move.")
    return found
