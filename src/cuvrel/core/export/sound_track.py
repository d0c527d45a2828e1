"""The sound of an export: copied from the plate's file where that says the same, encoded otherwise."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from cuvrel.core.export.order import Order
from cuvrel.core.media.container import opened, sound_of
from cuvrel.core.media.probe import MediaInfo
from cuvrel.core.media.sound import CARRIES, RATE, SoundFormat, SoundWriter
from cuvrel.core.media.writer import Accompanies
from cuvrel.core.sound.mix import Mix

CHUNK = RATE // 4


class Encoded:
    """A stretch of a shot's sound, encoded."""

    def __init__(self, mix: Mix, first: int, last: int, form: SoundFormat) -> None:
        """first, last: its samples, the last not among them."""
        self._mix, self._at, self._first, self._last, self._form = mix, first, first, last, form
        self._writer: SoundWriter | None = None

    def begin(self, container: Any) -> None:
        """See Accompanies."""
        self._writer = SoundWriter(container, self._form)

    def until(self, seconds: float | None) -> None:
        """See Accompanies."""
        assert self._writer is not None
        end = self._last if seconds is None else min(self._last, self._first + round(seconds * RATE) + CHUNK)
        while self._at < end:
            stop = min(end, self._at + CHUNK)
            self._writer.write(self._mix.get(self._at, stop))
            self._at = stop
        if seconds is None:
            self._writer.close()


class Copied:
    """The packets of a file's sound, bit for bit, from its picture's first frame on for some seconds."""

    def __init__(self, path: Path, start: float, seconds: float, stream: int | None = None) -> None:
        self._path, self._start, self._end, self._number = path, start, start + seconds, stream
        self._container: Any = None
        self._stream: Any = None
        self._packets: Any = None
        self._held: Any = None

    def begin(self, container: Any) -> None:
        """See Accompanies."""
        self._source = opened(self._path)
        source = sound_of(self._source, self._number)
        self._container, self._stream = container, container.add_stream_from_template(source)
        self._stream.time_base = source.time_base
        self._packets = self._source.demux(source)

    def until(self, seconds: float | None) -> None:
        """See Accompanies."""
        end = self._end if seconds is None else min(self._end, self._start + seconds + 0.25)
        while True:
            packet = self._held if self._held is not None else next(self._packets, None)
            self._held = None
            if packet is None:
                break
            if packet.pts is None or packet.dts is None:
                continue
            at = float(packet.pts * packet.time_base)
            if at >= end:
                self._held = packet
                break
            if at + float((packet.duration or 0) * packet.time_base) <= self._start and self._start > 0:
                continue
            shift = round(self._start / packet.time_base)
            packet.pts, packet.dts = packet.pts - shift, packet.dts - shift
            packet.stream = self._stream
            self._container.mux(packet)
        if seconds is None:
            self._source.close()


def sound_for(order: Order, mix: Mix, recording: tuple[Path, MediaInfo] | None) -> Accompanies | None:
    """What goes with the pictures of an order; None where nothing is to be heard.

    recording: the plate's file. Its packets are copied where the shot leaves its sound as it is, the range begins with
    the file, and the container takes the codec; else the mix is encoded.
    """
    form = order.how.sound
    if form is None or not order.settings.sound or mix.silent:
        return None
    first, last = mix.sample(order.first), mix.sample(order.last + 1)
    if recording is not None and mix.plain and order.first == 0:
        path, info = recording
        sound = info.sound
        carried = sound is not None and sound.codec in CARRIES.get(order.how.suffix, set())
        if sound is not None and carried and not sound.holes:  # packets would keep times that were closed
            return Copied(path, sound.start, (last - first) / RATE, sound.stream)
    return Encoded(mix, first, last, form)
