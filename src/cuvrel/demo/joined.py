"""The demo's join of two takes: a coil falls onto a cask in the first, and in the second a gull rises from it."""

from __future__ import annotations

from typing import Any

NAME = "Shot 32 · a coil takes wing"
JOIN, OWN, LAST = 22, 24, 43
"""The frame of the shot on which the second take comes in, its own frame there, and the last one of the range."""
LINED_UP = [
    0.997249165,
    0.002051977,
    3.358707905,
    -0.002051976,
    0.997249185,
    2.212279558,
    -0.0,
    0.0,
    1.0,
]
"""By `line up` about the cask: what is further off does not lie on itself, since the camera stood elsewhere."""
TONE = {
    "red": 0.9628,
    "red_offset": -1.0942,
    "green": 0.964,
    "green_offset": -1.0648,
    "blue": 0.9619,
    "blue_offset": -0.9686,
}
"""By `match tone`, about the same."""


def joined_document(first: dict[str, Any], second: dict[str, Any]) -> dict[str, Any]:
    """first, second: the document's entries of the two takes."""
    about = {"id": "about", "name": "About the cask", "kind": "ellipse", "keys": [
        {"frame": 0, "x": 600.0, "y": 300.0, "width": 520.0, "height": 440.0}]}  # fmt: skip
    seam = {"plane": "take-b", "around": "all that differs", "place": [-40.0, -110.0], "reach": 300.0, "soft": 20.0}
    return {
        "version": 2, "name": NAME, "plate": first["id"], "footage": [first, second],
        "range": {"first": 0, "last": LAST},
        "mattes": [
            {"id": "join", "name": "Join", "pulls": [{"id": "seam", "kind": "seam", "params": seam}]},
            {"id": "about", "name": "About the cask", "pulls": [{"id": "around", "kind": "shape", "shapes": [about]}]},
        ],
        "planes": [
            {"id": "take-b", "name": "Take B", "kind": "take", "params": {"footage": second["id"]}, "first": JOIN,
             "line_up": {"kind": "similar", "first": JOIN, "matrices": [LINED_UP], "error": 1.1211},
             "time": {"offset": float(JOIN - OWN)}, "gate": {"matte": "join"},
             "treatments": [{"id": "tone", "kind": "tone", "params": TONE}]},
            # the first take stands still from the join on
            {"id": "plate", "name": "Take A", "kind": "plate", "time": {"drop": float(47 - JOIN), "ends": "hold"}},
        ],
    }  # fmt: skip
