"""What a file can't say of itself, as JSON beside it."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from cuvrel.core.export.order import Order
from cuvrel.core.export.pictures import Layer
from cuvrel.core.recipe.models import Shot

_COLOUR = {
    "8": "sRGB, display-encoded",
    "16": "sRGB, display-encoded",
    "half": "linear light, BT.709 primaries",
    "float": "linear light, BT.709 primaries",
}


def sidecar(
    order: Order, name: str, shot: Shot, size: tuple[int, int], sound: str | None, layers: Sequence[Layer] = ()
) -> dict[str, Any]:
    """size: rows and columns. sound: `encoded` or `copied`, if it has any. layers: those that it holds."""
    first = shot.first_number
    rows, columns = size
    pixels = order.how.pixels
    if "420" in pixels:
        rows, columns = rows & ~1, columns & ~1
    about: dict[str, Any] = {
        "name": name,
        "what": order.settings.what,
        "how": order.how.label,
        "alpha": order.alpha,
        "colour": "coverage, 0 to 1 linear" if order.settings.what == "matte" else _COLOUR[order.how.depth],
        "frames": [first + order.first, first + order.last],
        "fps": order.rate,
        "size": [columns, rows],
    }
    if order.how.form == "video":
        about["sound"] = sound or "none"
    if layers:
        about["layers"] = [layer or "result" for layer, _ in layers]
    return about
