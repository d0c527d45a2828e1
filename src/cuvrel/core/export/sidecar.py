"""What a file can't say of itself, as JSON beside it."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from cuvrel.core.export.order import Order
from cuvrel.core.export.pictures import Layer
from cuvrel.core.recipe.models import Shot, Viewing

PLAIN = Viewing()
_COLOUR = {
    "8": "sRGB, display-encoded",
    "16": "sRGB, display-encoded",
    "half": "linear light, BT.709 primaries",
    "float": "linear light, BT.709 primaries",
}


def _colour(order: Order, shot: Shot, how: Viewing) -> str:
    """What the colours of an export are, in words."""
    colour, depth = order.settings.colour, order.how.depth
    way, _, rest = colour.partition(":")
    if way == "space":
        return f"colour space '{rest}'"
    if way == "view":
        display, _, view = rest.partition("|")
        return f"display '{display}', view '{view}'"
    if depth in ("half", "float") or way == "plain" or how.kind == "plain":
        return _COLOUR[depth]
    if how.kind == "view":
        return f"display '{how.display}', view '{how.view}'"
    return f"sRGB through the table '{shot.footage_by_id(str(how.table)).name}'"


def sidecar(
    order: Order, name: str, shot: Shot, size: tuple[int, int], sound: str | None, layers: Sequence[Layer] = (),
    viewing: Viewing = PLAIN,
) -> dict[str, Any]:  # fmt: skip
    """size: rows and columns. viewing: how the shot is looked at. sound: `encoded` or `copied`, if it has any. layers:
    those that it holds.
    """
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
        "colour": "coverage, 0 to 1 linear" if order.settings.what == "matte" else _colour(order, shot, viewing),
        "frames": [first + order.first, first + order.last],
        "fps": order.rate,
        "size": [columns, rows],
    }
    if code := order.timecode(shot):
        about["timecode"] = code
    if reel := shot.plate_footage().reel:
        about["reel"] = reel
    if order.how.form == "video":
        about["sound"] = sound or "none"
    if layers:
        about["layers"] = [layer or "result" for layer, _ in layers]
    return about
