"""A plane as it begins: of its kind, with what its declaration says that a new one has."""

from __future__ import annotations

from typing import Any

from cuvrel.core.recipe.declared import declared
from cuvrel.core.recipe.models import Footage, Plane, Shot


def begun(kind: str, ident: str, matte: str | None) -> Plane:
    """A new plane of a kind, on a matte or gated by it where it takes one. Raises RecipeError for an unknown kind."""
    entry = declared("plane", kind)
    parts: dict[str, Any] = {"name": entry.label, **entry.begins}
    gate = parts.pop("gate", None)
    steps = [{"id": f"{ident}-{n}", **step} for n, step in enumerate(parts.pop("treatments", ()))]
    return Plane.model_validate(
        {
            "id": ident,
            "kind": kind,
            "matte": matte if entry.needs_matte else None,
            "gate": {**gate, "matte": matte} if gate and matte else None,
            "treatments": steps,
            **parts,
        }
    )


def begun_shot(name: str, plate: Footage, **more: Any) -> dict[str, Any]:
    """The document of a new shot on a plate, with one plane: the plate itself. more: other parts of it."""
    planes = [Plane(id="plate", name="Plate", kind="plate")]
    return Shot(name=name, plate=plate.id, footage=[plate], planes=planes, **more).model_dump(mode="json")
