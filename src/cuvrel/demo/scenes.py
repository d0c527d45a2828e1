"""All clips of the harbour footage, by name."""

from __future__ import annotations

from collections.abc import Callable

from cuvrel.demo.clips_birds import gull_flying, take_a, take_b
from cuvrel.demo.clips_people import night_watch, porters, signaller
from cuvrel.demo.clips_things import flag_drill, notice_board
from cuvrel.demo.scene import Scene

SCENES: dict[str, Callable[[], Scene]] = {
    "signaller": signaller,
    "night-watch": night_watch,
    "flag-drill": flag_drill,
    "notice-board": notice_board,
    "porters": porters,
    "gull": gull_flying,
    "take-a": take_a,
    "take-b": take_b,
}
