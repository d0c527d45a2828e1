"""The sound of footage: what there is, and its samples as a file from which any stretch can be read at once."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass, field
from fractions import Fraction
from pathlib import Path
from typing import Any, Literal, Protocol

import av
import numpy as np

from cuvrel.core.arrays import F32, U8
from cuvrel.core.media.container import opened, sound_of
from cuvrel.core.recipe.errors import MediaError

RATE = 48_000
"""Samples a second, of all that is worked on."""
_BASE = Fraction(1, RATE)
MOST_GAP = 60.0  # seconds without sound, after which what follows is held to follow at once
AFTER = 600.0  # seconds that sound may go on after the picture
MAX_SECONDS = 12 * 3600.0
GAP = 0.05  # seconds that sound may be missing or too much before it is laid down anew
_DEEP = ("pcm_s24", "pcm_s32", "pcm_f32", "pcm_f64", "flac", "alac")


@dataclass(frozen=True)
class SoundInfo:
    """Sound as a file has it. rate: its own samples a second. start: when the first frame of the picture is, in
    seconds of the file. samples: how many there are from that on, at RATE. deep: more than 16 bits a sample. holes:
    where nothing is for so long that what follows is held to follow at once: when each begins in seconds of the file,
    and its length. stream: its number in the file, where somebody chose it."""

    codec: str
    rate: int
    channels: int
    start: float
    samples: int
    deep: bool = False
    holes: list[tuple[float, float]] = field(default_factory=list)
    stream: int | None = None


class Samples(Protocol):
    """Sound as samples, counted from the first frame of its picture."""

    count: int

    def get(self, first: int, last: int) -> F32:
        """Samples from `first` up to before `last`, (n, 2) float32, -1 to 1, at RATE; beyond its ends is silence."""


def sound_info(
    path: Path, start: float, length: float | None = None, holes: Sequence[tuple[float, float]] | None = None,
    stream: int | None = None,
) -> SoundInfo | None:  # fmt: skip
    """The sound of a file, by the number of its stream or the default one; None where none can be decoded.

    start, holes: see SoundInfo; where `holes` are None they are found. length: seconds of the picture, whose sound may
    go on for AFTER it. Raises MediaError for sound that is too long to be worked on.
    """
    with opened(path) as container:
        heard = sound_of(container, stream)
        if heard is None:
            return None
        context = heard.codec_context
        if context is None or not context.sample_rate:
            return None
        end, found = start, list(holes or [])
        try:
            for packet in container.demux(heard):
                base = packet.time_base
                if packet.pts is None or base is None:
                    continue
                at = closed(float(packet.pts * base), found)
                if holes is None and at - end > MOST_GAP:
                    found.append((float(packet.pts * base) - (at - end), at - end))
                    at = end
                if length is None or at < start + length + AFTER:
                    end = max(end, at + min(MOST_GAP, float((packet.duration or 0) * base)))
        except av.FFmpegError:
            pass  # what came until then counts
        if end - start > MAX_SECONDS:
            raise MediaError(f"The sound is {(end - start) / 3600:.0f} hours long, which is too much to work on.",
                             "Cut it into parts.")  # fmt: skip
        samples = max(0, round((end - start) * RATE))
        deep = context.name.startswith(_DEEP) and "16" not in context.format.name
        return SoundInfo(context.name, context.sample_rate, context.layout.nb_channels, start, samples, deep, found,
                         stream)  # fmt: skip


def closed(at: float, holes: Sequence[tuple[float, float]]) -> float:
    """A time of a file, in seconds, without the holes that were before it."""
    return at - sum(min(length, at - begin) for begin, length in holes if begin < at)


def _decoded(path: Path, chosen: int | None) -> Iterator[tuple[float, F32]]:
    """Decoded stretches, (n, 2) float32 at RATE, each with its time in seconds of the file. Raises MediaError."""
    with opened(path) as container:
        stream = sound_of(container, chosen)
        # one channel goes to both sides as it is, and not by the law of mixing
        channels = 1 if stream.codec_context.layout.nb_channels == 1 else 2
        resampler, expected = _resampler(channels), None
        try:
            for frame in container.decode(stream):
                if frame.pts is None:
                    continue
                at = float(frame.pts * (frame.time_base or _BASE))
                if expected is None or abs(at - expected) > GAP:
                    if expected is not None:
                        yield from _given(resampler, None, expected)
                    resampler, expected = _resampler(channels), at
                for begin, samples in _given(resampler, frame, expected):
                    yield begin, samples
                    expected = begin + len(samples) / RATE
        except av.FFmpegError as fault:
            raise MediaError("The sound of the file is damaged.", "Copy or export it again.") from fault
        if expected is not None:
            yield from _given(resampler, None, expected)


def _resampler(channels: int) -> Any:
    return av.AudioResampler(format="flt", layout="mono" if channels == 1 else "stereo", rate=RATE)


def _given(resampler: Any, frame: Any, at: float) -> Iterator[tuple[float, F32]]:
    for out in resampler.resample(frame):
        samples = out.to_ndarray().reshape(-1, out.layout.nb_channels)
        samples = np.repeat(samples, 2, axis=1) if samples.shape[1] == 1 else samples
        yield at, samples
        at += len(samples) / RATE


def extract(path: Path, info: SoundInfo, to: Path) -> int:
    """Writes all of a file's sound as raw samples at RATE, and returns how many there are. Raises MediaError.

    The first is that of the picture's first frame. They are int16, or float32 where the file holds more than 16 bits.
    """
    there, most = 0, info.samples + RATE  # what the packets say of their times may be less than what they hold
    with to.open("wb") as file:
        for at, samples in _decoded(path, info.stream):
            place = round((closed(at, info.holes) - info.start) * RATE)
            # a decoder's own count drifts by parts of a sample: what follows closely follows at once
            place = there if there and abs(place - there) < GAP * RATE else place
            if place < there:
                samples, place = samples[there - place :], there
            samples = samples[: max(0, most - place)]
            if not len(samples):
                continue
            if place > there:
                file.write(bytes((place - there) * (8 if info.deep else 4)))
            file.write(_stored(samples, info.deep))
            there = place + len(samples)
    return there


def _stored(samples: F32, deep: bool) -> bytes:
    if deep:
        return samples.astype("<f4").tobytes()
    return np.clip(np.round(samples * 32768), -32768, 32767).astype("<i2").tobytes()


class Stored:
    """Samples that `extract` wrote."""

    def __init__(self, path: Path, deep: bool) -> None:
        self._deep = deep
        kind: Any = "<f4" if deep else "<i2"
        empty = path.stat().st_size == 0
        self._samples = np.zeros((0, 2), kind) if empty else np.memmap(path, kind, "r").reshape(-1, 2)
        self.count = len(self._samples)

    def get(self, first: int, last: int) -> F32:
        """See Samples."""
        out = np.zeros((max(0, last - first), 2), np.float32)
        begin, end = max(0, first), min(self.count, last)
        if end > begin:
            part = self._samples[begin:end].astype(np.float32)
            out[begin - first : end - first] = part if self._deep else part / np.float32(32768)
        return out


def peaks(samples: Samples, first: int, last: int, step: int) -> U8:
    """The loudest of each `step` samples, 0 to 255, from `first` up to before `last`."""
    out: list[U8] = []
    for at in range(first, last, step * 4096):
        part = np.abs(samples.get(at, min(last, at + step * 4096))).max(axis=1)
        rest = -len(part) % step
        loud = np.concatenate([part, np.zeros(rest, np.float32)]).reshape(-1, step).max(axis=1)
        out.append(np.minimum(255, np.round(loud * 255)).astype(np.uint8))
    return np.concatenate(out) if out else np.zeros(0, np.uint8)


SoundFormat = Literal["aac", "opus", "pcm"]
CODECS: dict[SoundFormat, tuple[str, str, int | None]] = {
    "aac": ("aac", "fltp", 192_000),
    "opus": ("libopus", "flt", 160_000),
    "pcm": ("pcm_s24le", "s32", None),
}
"""What a container takes: the codec, its sample format and its bits a second."""
CARRIES: dict[str, set[str]] = {
    ".mp4": {"aac", "mp3", "ac3", "opus", "flac", "alac"},
    ".mov": {"aac", "alac", "pcm_s16le", "pcm_s24le", "pcm_s16be", "pcm_s24be", "pcm_f32le"},
    ".mkv": {"aac", "mp3", "opus", "vorbis", "flac", "pcm_s16le", "pcm_s24le", "pcm_f32le", "ac3"},
    ".webm": {"opus", "vorbis"},
}
"""The codecs of sound that a kind of file takes as they are."""


class SoundWriter:
    """A stream of sound in an open container."""

    def __init__(self, container: Any, form: SoundFormat) -> None:
        codec, self._format, bits = CODECS[form]
        self._container = container
        self.stream: Any = container.add_stream(codec, rate=RATE, layout="stereo")
        if bits:
            self.stream.bit_rate = bits
        self.written = 0

    def write(self, samples: F32) -> None:
        """The next samples, (n, 2) float32."""
        planar = self._format.endswith("p")
        cut = np.clip(samples, -1, 1)
        if self._format == "s32":
            given = np.round(cut.astype(np.float64) * (2**31 - 256)).astype(np.int32)
        else:
            given = cut.astype(np.float32)
        data = np.ascontiguousarray(given.T) if planar else np.ascontiguousarray(given.reshape(1, -1))
        frame = av.AudioFrame.from_ndarray(data, format=self._format, layout="stereo")
        frame.sample_rate, frame.pts, frame.time_base = RATE, self.written, _BASE
        self.written += len(samples)
        self._container.mux(self.stream.encode(frame))

    def close(self) -> None:
        """What the encoder still holds."""
        self._container.mux(self.stream.encode(None))
