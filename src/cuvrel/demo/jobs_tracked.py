"""The demo's shots of what moves with a track: faces that are not to be known, and a ring on a board that swings."""

from __future__ import annotations

from collections.abc import Sequence

from cuvrel.demo.jobs import Job, ellipse, plane, shapes
from cuvrel.demo.looks import PLATE, Doc, behind, keys, line, riding, step

Made = tuple[list[Doc], list[Doc]]
WITH_TURN = "position, size and turn"


def not_to_be_known(m: str, footage: dict[str, str]) -> Made:
    """Two porters' faces blurred under soft ellipses that ride on their heads, one of which grows as he comes near."""
    carrier = ellipse("carrier-face", "Carrier's face", (71, (577, 318), (78, 96)), soft=8)
    capped = ellipse("capped-face", "Capped face", (0, (1104, 332), (74, 82)), soft=8)
    faces = [riding(carrier, "carrier", 71, WITH_TURN), riding(capped, "capped", 0, "position", smooth=2)]
    return [shapes("faces", "Faces", *faces)], [
        plane("covered", "Not to be known", "glaze", step("blur", "blur", radius=22.0), gate={"matte": "faces"}),
        PLATE,
    ]


def ring(m: str, footage: dict[str, str]) -> Made:
    """A ring of light on the board: it draws itself on, travels round, goes out and comes back, there and back."""
    drawn = riding(ellipse("ring", "Ring", (36, (622, 365), (150, 118)), soft=0), "board", 36, "perspective")
    glow = step(
        "glow", "glow1", core=3.0, reach=26.0, core_colour=[1.0, 0.97, 0.8], halo_colour=[1.0, 0.5, 0.15],
        length=keys((8, 0.0), (34, 0.85)), travel=keys((8, 0.0), (71, 1.6), ease="linear"), taper=0.2,
        start=[-90.0, 0.0], wander=1.5,
    )  # fmt: skip
    off = {"drive": "flicker", "base": 1.0, "amount": 0.0, "pace": 24.0,
           "pattern": "1" * 40 + "0110010" + "1" * 25}  # fmt: skip
    return [shapes("ring", "Ring", drawn)], [
        plane("both-ways", "All, there and back", "group", time={"speed": 200.0, "ends": "there and back"}),
        {**line("Ring of light", "ring", glow, opacity=off), "group": "both-ways"},
        {**behind("Yard darker", m, exposure=-0.9, saturation=55.0), "group": "both-ways"},
        {**PLATE, "group": "both-ways"},
    ]


TRACKED_JOBS: Sequence[Job] = (
    Job("faces not to be known", "porters", (), not_to_be_known),
    Job("a ring on the board", "notice-board", (), ring),
)
