"""Every value of a document that may move: where it lies, what it may be, and what changes nothing."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from typing import Any

from cuvrel.core.recipe.declared_places import places
from cuvrel.core.recipe.errors import RecipeError
from cuvrel.core.recipe.models import Shot
from cuvrel.core.recipe.values import Plain


@dataclass(frozen=True)
class Moving:
    """A value: its JSON pointer, its label, its range, what changes nothing (if there is such), and itself.

    control: what kind of value it is: number, colour, switch, point, curve or ramp.
    """

    path: str
    label: str
    low: float
    high: float
    neutral: Plain | None
    control: str
    value: Any


def moving(shot: Shot) -> Iterator[Moving]:
    """All values that may move, in the order of the document."""
    for place in places(shot):
        values = place.read()
        for name, about in place.entry.params.fields().items():
            if not about.get("animatable"):
                continue
            value, neutral = getattr(values, name), about.get("neutral")
            yield Moving(
                f"{place.path}/{name}",
                f"{place.about}: {place.entry.params.model_fields[name].title}",
                float(about["low"]),
                float(about["high"]),
                float(neutral) if isinstance(neutral, int) else neutral,
                about["control"],
                float(value) if isinstance(value, bool) else value,
            )


def name_under(path: str, places: list[str]) -> str | None:
    """Where a value lies under the nearest of some places, "" being the place itself; None where it lies elsewhere."""
    above = [place for place in places if path == place or path.startswith(f"{place}/")]
    return path[len(max(above, key=len)) :] if above else None


def within(shot: Shot, places: list[str]) -> list[Moving]:
    """The values at or under any of these places. Raises RecipeError where there is none."""
    found = [one for one in moving(shot) if name_under(one.path, places) is not None]
    if not found:
        raise RecipeError("There is no value here that can move.")
    return found
