"""The demo's shots of what moves with a track: faces that are not to be known, and a ring on a board that swings."""

from __future__ import annotations

from collections.abc import Sequence

from cuvrel.demo.jobs import Job, ellipse, plane, shapes
from cuvrel.demo.looks import PLATE, Doc, behind, keys, line, riding, step

Made = tuple[list[Doc], list[Doc]]
# the middle of the board, a frame or two ahead of each of these: it is held until the next
BOARD = (
    (0, (675, 357)),
    (6, (690, 355)),
    (12, (694, 355)),
    (18, (685, 357)),
    (24, (664, 361)),
    (30, (637, 364)),
    (36, (608, 362)),
    (42, (583, 358)),
    (48, (571, 355)),
    (54, (573, 355)),
    (60, (588, 358)),
    (66, (615, 362)),
)
WITH_TURN = "position, size and turn"


def not_to_be_known(m: str, footage: dict[str, str]) -> Made:
    """Two porters' faces covered under ellipses that ride on their heads: one grows as he comes near, one in doubt."""
    carrier = ellipse("carrier-face", "Carrier's face", (71, (577, 318), (78, 96)), soft=0)
    capped = ellipse("capped-face", "Capped face", (0, (1104, 332), (74, 82)), soft=0)
    faces = [riding(carrier, "carrier", 71, WITH_TURN, widen=0.35), riding(capped, "capped", 0, "position", widen=0.35)]
    return [shapes("faces", "Faces", *faces)], [
        plane("covered", "Not to be known", "glaze", step("cover", "cover", how="blur", cells=3.0, soft=12.0),
              gate={"matte": "faces"}),
        PLATE,
    ]  # fmt: skip


def held_covers(m: str, footage: dict[str, str]) -> Made:
    """The marks on a board hidden by mosaic, the face of who passes by a blur: both ellipses jump from key to key."""
    marks = ellipse("marks", "Marks", *((n, at, (300.0, 210.0)) for n, at in BOARD), soft=0)
    passer = ellipse("passer", "Who passes", *((n, (207 + 21.2 * (n - 10), 325), (150, 140)) for n in range(2, 64, 3)),
                     soft=0)  # fmt: skip
    for one in (marks, passer):
        for key in one["keys"]:
            key["ease"] = "hold"
    return [shapes("marks", "Marks", marks), shapes("passer", "Who passes", passer)], [
        plane("mosaic", "Marks hidden", "glaze", step("cover", "cells", cells=7.0, soft=4.0), gate={"matte": "marks"}),
        plane("blurred", "Face blurred", "glaze", step("cover", "soft", how="blur", cells=3.0, soft=14.0),
              gate={"matte": "passer"}, first=2),
        PLATE,
    ]  # fmt: skip


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
    Job("covers held and moved on", "notice-board", (), held_covers),
)
