"""How footage is read where somebody says so: what can be set, and to what."""

from __future__ import annotations

from typing import Any, get_args

from cuvrel.core.media.managed import is_space
from cuvrel.core.media.probe import MediaInfo
from cuvrel.core.media.space import MatrixName, Primaries, RangeName, Transfer
from cuvrel.core.recipe.errors import MediaError

CHOICES: dict[str, tuple[str, ...]] = {
    "matrix": tuple(one for one in get_args(MatrixName) if one != "rgb"),
    "range": get_args(RangeName),
    "primaries": get_args(Primaries),
    "transfer": get_args(Transfer),
    "fields": ("as they are", "de-interlaced"),
    "edges": ("all of the picture", "as the file names them"),
    "times": ("by the clock", "picture by picture"),
}
"""What can be set to one of several words.

Besides these: `colour`, a colour space of the configuration's; `layer`, one of an EXR's; `sound`, the number of one of
several sounds.
"""


def checked_hand(raw: dict[str, Any], info: MediaInfo) -> dict[str, str]:
    """What somebody set by hand for footage. Raises MediaError for what can't be set."""
    out = {}
    for name, value in raw.items():
        if name == "colour":
            if not is_space(str(value)):
                raise MediaError(f"There is no colour space '{value}'.", "Choose one of the list.")
        elif name == "layer":
            if value not in info.layers:
                raise MediaError(f"There is no layer '{value}'.", f"Known: {', '.join(info.layers) or 'none'}.")
        elif name == "sound":
            known = [str(one["stream"]) for one in info.sounds]
            if value not in known:
                raise MediaError(f"There is no sound {value}.", f"Known: {', '.join(known) or 'none'}.")
        elif name not in CHOICES:
            raise MediaError(f"The {name} of footage can't be '{value}'.",
                             f"Known: {', '.join([*CHOICES, 'colour', 'layer', 'sound'])}.")  # fmt: skip
        elif value not in CHOICES[name]:
            raise MediaError(f"The {name} of footage can't be '{value}'.", f"Known: {', '.join(CHOICES[name])}.")
        out[name] = str(value)
    return out


def still_good(raw: dict[str, str], info: MediaInfo) -> tuple[dict[str, str], list[str]]:
    """What of a setting by hand can still be kept for a file, and sentences for what can't: it came from elsewhere."""
    kept: dict[str, str] = {}
    said: list[str] = []
    for name, value in raw.items():
        try:
            kept |= checked_hand({name: value}, info)
        except MediaError as fault:
            said.append(f"It was read otherwise: {fault.message}")
    return kept, said
