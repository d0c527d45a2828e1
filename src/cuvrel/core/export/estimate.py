"""How large an export will be and how long it will take, from a few of its frames."""

from __future__ import annotations

import tempfile
import time
from dataclasses import dataclass
from pathlib import Path

from cuvrel.core.export.order import Order
from cuvrel.core.export.write import write_frames
from cuvrel.core.stand.build import Stand
from cuvrel.core.stand.nodes import Cache

MOST = 4.0  # seconds that may be spent on looking
TRIED = 5
GROUP = 24.0  # frames from one that is coded whole to the next: an export's ranges begin with one


@dataclass(frozen=True)
class Estimate:
    """What is expected: bytes of the file, seconds of one worker."""

    bytes: int
    seconds: float


def estimated(stand: Stand, order: Order) -> Estimate:
    """Writes one frame from the middle, and then some that follow it as far as there is time; counts up from there."""
    frames = order.frames
    middle = len(frames) // 2
    with tempfile.TemporaryDirectory(prefix="cuvrel-") as folder:
        cache = Cache(128 << 20)
        one, alone = _written(stand, order, frames[middle : middle + 1], cache, Path(folder) / "one")
        count = min(TRIED, len(frames) - middle, 1 + int(MOST / max(alone, 1e-3)))
        if count < 2:
            return Estimate(round(one * len(frames)), alone * len(frames))
        some, spent = _written(stand, order, frames[middle : middle + count], cache, Path(folder) / "some")
    each = max(1e-4, spent / count if spent > alone else alone)
    follow = max(0.0, some - one) / (count - 1)
    whole = len(frames) / GROUP if order.how.form == "video" else 0.0
    return Estimate(round(one * max(1.0, whole) + follow * max(0.0, len(frames) - max(1.0, whole))),
                    each * len(frames))  # fmt: skip


def room_for(order: Order, width: int, height: int) -> float:
    """Bytes on the disk that an export of pictures of this size needs while it is made: its parts, and the whole."""
    layers = max(1, len(order.settings.targets)) if order.settings.what == "layers" else 1
    frames = len(order.frames) if order.how.form != "still" else 1
    return 2 * order.how.weight * frames * width * height * layers


def _written(stand: Stand, order: Order, frames: list[int], cache: Cache, to: Path) -> tuple[int, float]:
    """Bytes, and seconds, of some frames."""
    to.mkdir()
    where = to / "pictures" if order.how.form == "pictures" else to / f"part{order.how.suffix}"
    begun = time.perf_counter()
    write_frames(stand, order, frames, where, "frame", 1, cache)
    spent = time.perf_counter() - begun
    return sum(file.stat().st_size for file in to.rglob("*") if file.is_file()), spent
