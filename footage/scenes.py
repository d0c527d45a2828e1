"""All clips of the harbour footage, by name."""

from __future__ import annotations

from collections.abc import Callable

from footage.clips_birds import gull_flying, take_a, take_b
from footage.clips_people import night_watch, porters, signaller
from footage.clips_things import flag_drill, notice_board
from footage.scene import Scene

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
