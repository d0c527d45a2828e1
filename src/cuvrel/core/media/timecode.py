"""Time code: hours, minutes, seconds and frames, as SMPTE ST 12-1 counts them.

Drop-frame code leaves out numbers, not frames: at 29.97 (and 59.94) frames a second the first two (four) numbers of
each minute but every tenth, so that it stays with the clock. It is written with `;` before the frames.
"""

from __future__ import annotations

import re

_FORM = re.compile(r"^\s*(\d{1,2})[:.](\d{2})[:.](\d{2})([:;.,])(\d{2,3})\s*$")
DAY = 24 * 3600


def parts_of(text: str) -> tuple[int, int, int, int, bool] | None:
    """Hours, minutes, seconds, frames, and whether numbers are dropped; None for what is no time code."""
    found = _FORM.match(text)
    if found is None:
        return None
    hours, minutes, seconds, frames = (int(found[n]) for n in (1, 2, 3, 5))
    if hours > 23 or minutes > 59 or seconds > 59:
        return None
    return hours, minutes, seconds, frames, found[4] in ";,"


def is_timecode(text: str) -> bool:
    """Whether a text is a time code."""
    return parts_of(text) is not None


def shifted(text: str, frames: int, fps: float) -> str:
    """The time code that stands so many frames after another one, at a rate. Raises ValueError for what is none.

    A day's end is followed by its beginning.
    """
    parts = parts_of(text)
    if parts is None:
        raise ValueError(f"'{text}' is no time code")
    hours, minutes, seconds, first, drop = parts
    base = max(1, round(fps))
    dropped = 2 * round(base / 30) if drop and base in (30, 60, 120) else 0
    minute = hours * 60 + minutes
    count = (minute * 60 + seconds) * base + first - dropped * (minute - minute // 10)
    whole = DAY * base - dropped * (24 * 60 - 24 * 6)
    return _written((count + frames) % whole, base, dropped, drop)


def _written(count: int, base: int, dropped: int, drop: bool) -> str:
    if dropped:
        ten = 600 * base - 9 * dropped
        tens, rest = divmod(count, ten)
        count += 9 * dropped * tens
        if rest >= 60 * base:
            count += dropped * ((rest - 60 * base) // (60 * base - dropped) + 1)
    seconds, frame = divmod(count, base)
    minutes, second = divmod(seconds, 60)
    hours, minute = divmod(minutes, 60)
    return f"{hours:02d}:{minute:02d}:{second:02d}{';' if drop else ':'}{frame:02d}"


def of_seconds(seconds: float, fps: float) -> str:
    """The time code of a time of day in seconds, which counts all numbers."""
    base = max(1, round(fps))
    whole = int(seconds) % DAY
    frame = min(base - 1, int((seconds - int(seconds)) * base + 1e-6))
    return f"{whole // 3600:02d}:{whole // 60 % 60:02d}:{whole % 60:02d}:{frame:02d}"


def of_bcd(code: int) -> str:
    """The time code of 32 bits, two decimal digits of hours, minutes, seconds and frames each; "" for what is none."""
    text = f"{code:08x}"
    if not text.isdigit():
        return ""
    shown = f"{text[:2]}:{text[2:4]}:{text[4:6]}:{text[6:]}"
    return shown if is_timecode(shown) else ""
