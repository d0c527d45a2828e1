"""The demo's reel: four shots of the harbour, pushed in and pulled out by turns, mixed once, grain over all of
them, and the morning's sound under it.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from cuvrel.core.recipe.models import Footage, Shot

NAME = "Four watches"
SHOTS = ("Shot 09", "Shot 02", "Shot 17", "Shot 12")
"""How the names of its shots begin."""
MIXED, MIX = 1, 12
"""Which piece is mixed in, and over how many frames."""


def reel_document(laid: Sequence[tuple[Footage, Shot]], sound: Footage) -> dict[str, Any]:
    """laid: the shots, and what the reel knows of each; sound: footage with the morning's sound."""
    entries = [entry.model_dump(mode="json") for entry, _ in laid]
    pieces = []
    for n, (entry, shot) in enumerate(laid):
        move = {"kind": "pull out" if n % 2 else "push in", "size": 128.0, "shutter": 180.0}
        join = {"kind": "mix", "length": float(MIX)} if n == MIXED else {}
        pieces.append({"id": f"p{n + 1}", "shot": entry.id, "first": shot.frames[0], "last": shot.frames[-1],
                       "move": move, "join": join})  # fmt: skip
    over = {"id": "over", "name": "Over all", "kind": "glaze", "treatments": [
        {"id": "grain", "kind": "grain", "params": {}},
        {"id": "vignette", "kind": "vignette", "params": {}},
    ]}  # fmt: skip
    return {
        "kind": "reel", "name": NAME, "format": {"width": 1280, "height": 720, "fps": 24.0},
        "footage": [*entries, sound.model_dump(mode="json")], "pieces": pieces,
        "planes": [over, {"id": "pieces", "name": "Pieces", "kind": "plate"}],
        "markers": [{"frame": 156, "name": "daybreak"}],
        "sound": {"under": sound.id, "under_level": -6.0},
    }  # fmt: skip
