"""What a piece of footage is, and where each of its frames lies."""

from __future__ import annotations

import lzma
import re
import tempfile
import zipfile
import zlib
from collections.abc import Callable, Iterator
from dataclasses import asdict, dataclass, field
from fractions import Fraction
from itertools import pairwise
from pathlib import Path
from typing import Any, Literal

import av
import numpy as np

from cuvrel.core.media.sound import SoundInfo, sound_info
from cuvrel.core.media.space import Space, tagged
from cuvrel.core.media.stills import SUFFIXES, Head, check_size, head, is_picture, read
from cuvrel.core.media.yuv import is_rgb
from cuvrel.core.recipe.errors import MediaError

MAX_FRAMES = 500_000
MOST_HOLE = 60.0  # seconds without a frame, after which what follows is held to follow at once
MIN_RATE, MAX_RATE = 0.05, 1000.0  # frames a second
MAX_PICTURE = 2 << 30  # bytes of one picture of a sequence
BROKEN = (zipfile.BadZipFile, OSError, EOFError, NotImplementedError, RuntimeError, ValueError, LookupError, zlib.error,
          lzma.LZMAError)  # fmt: skip
"""What a broken or odd ZIP file raises while it is read."""
PICTURE_SUFFIXES = set(SUFFIXES)
# rates that are stood on; a variable one is laid on the nearest of them
RATES = (24000 / 1001, 24.0, 25.0, 30000 / 1001, 30.0, 48.0, 50.0, 60000 / 1001, 60.0, 100.0, 120000 / 1001, 120.0)

Kind = Literal["video", "sequence", "sound"]
Tell = Callable[[int], None]


@dataclass(frozen=True)
class MediaInfo:
    """Footage as it is shown: width and height after rotation, `pts` one entry per shown frame.

    fps is the rate; `variable` says that the file's frames are not evenly spaced, and were laid on an even grid: then
    `pts` has the same entry for each frame on which a picture stays. It counts in `time_base` seconds and is empty for
    a sequence, whose frames are `names` in a zip. depth: bits of a sample; floats: of half or float, in linear light.
    space: what the numbers of a video mean, and `assumed` what of it the file did not say. hand: what somebody set by
    hand in place of that (space.CHOICES). interlaced: its frames hold two moments. sound: what it was recorded with.
    said: what a person should know, in sentences. Sound alone has no frames.
    """

    kind: Kind
    width: int
    height: int
    fps: float
    frames: int
    codec: str
    alpha: bool = False
    rotation: int = 0
    variable: bool = False
    time_base: tuple[int, int] = (1, 1)
    pts: list[int] = field(default_factory=list)
    names: list[str] = field(default_factory=list)
    depth: int = 8
    floats: bool = False
    space: dict[str, str] = field(default_factory=lambda: asdict(Space()))
    assumed: list[str] = field(default_factory=list)
    hand: dict[str, str] = field(default_factory=dict)
    interlaced: bool = False
    sound: SoundInfo | None = None
    said: list[str] = field(default_factory=list)

    @property
    def reads_as(self) -> Space:
        """What its numbers mean, with what was set by hand."""
        return Space(**self.space).with_hand(self.hand)  # type: ignore[arg-type]  # written by `asdict`

    @property
    def deep(self) -> bool:
        """Whether it holds more than a screen's eight bits do: then the stand's light comes from itself."""
        return self.depth > 8 or self.floats or self.reads_as.transfer != "sdr"

    def to_json(self) -> dict[str, Any]:
        """Plain JSON."""
        return asdict(self)

    @staticmethod
    def from_json(raw: dict[str, Any]) -> MediaInfo:
        """The inverse of to_json."""
        sound = raw.get("sound")
        known = {**raw, "time_base": tuple(raw["time_base"]), "sound": SoundInfo(**sound) if sound else None}
        return MediaInfo(**known)


def open_media(path: Path) -> Any:
    """An open container with a picture or a sound. Raises MediaError."""
    if path.stat().st_size == 0:
        raise MediaError("The file is empty.", "Copy it again from where it came from.")
    try:
        container = av.open(str(path), metadata_errors="ignore")
    except (av.FFmpegError, OSError, ValueError) as fault:
        raise MediaError(
            "The file can't be read as a video; it may be broken, cut short, or something else.",
            "Play it in a media player, or export it again.",
        ) from fault
    if not container.streams.video and not container.streams.audio:
        container.close()
        raise MediaError("There is neither picture nor sound in this file, only data.")
    return container


def open_video(path: Path) -> Any:
    """An open container with a video stream that can be decoded. Raises MediaError."""
    container = open_media(path)
    if not container.streams.video:
        container.close()
        raise MediaError("There is no picture in this file, only sound or data.")
    if container.streams.video[0].codec_context is None:
        container.close()
        raise MediaError(
            "The picture in this file can't be decoded; it may be protected.", "Export it as H.264 or ProRes."
        )
    return container


def frames_of(container: Any) -> Iterator[Any]:
    """A video's frames from where the container is, with their alpha, in the order of decoding."""
    stream = container.streams.video[0]
    told = {name.lower(): value for name, value in stream.metadata.items()}
    if stream.codec_context.name not in ("vp8", "vp9") or told.get("alpha_mode") != "1":
        yield from container.decode(stream)
        return
    # FFmpeg's own decoder of these leaves alpha out
    decoder: Any = av.CodecContext.create(f"libvpx{'-vp9' if stream.codec_context.name == 'vp9' else ''}", "r")
    for packet in container.demux(stream):
        yield from decoder.decode(packet if packet.size else None)


def _is_cover(stream: Any) -> bool:
    """Whether a video stream is one picture that goes with sound."""
    return "attached_pic" in str(stream.disposition).lower() or stream.codec_context is None


def probe_media(path: Path, tell: Tell = lambda seen: None) -> MediaInfo:
    """A video, or sound alone. Raises MediaError."""
    with open_media(path) as container:
        pictures = [one for one in container.streams.video if not _is_cover(one)]
        alone = not pictures and bool(container.streams.audio)
        codec = container.streams.audio[0].codec_context.name if alone else ""
    if not alone:
        return probe_video(path, tell)
    sound = sound_info(path, 0.0)
    if sound is None or sound.samples == 0:
        raise MediaError("There is neither picture nor sound in this file.", "Export it again.")
    return MediaInfo("sound", 0, 0, 0.0, 0, codec, sound=sound)


@dataclass
class _Seen:
    """What is gathered while a video is looked through."""

    pts: list[int] = field(default_factory=list)
    shape: tuple[int, int] | None = None
    first: Any = None
    interlaced: int = 0

    tell: Tell = lambda seen: None

    def add(self, frame: Any) -> None:
        """One more frame. Raises MediaError."""
        self.tell(len(self.pts))
        if frame.pts is None:
            raise MediaError("The file's frames carry no times.", "Put it into an MP4 or MKV file.")
        if self.shape is None:
            self.shape, self.first = (frame.width, frame.height), frame
        elif self.shape != (frame.width, frame.height):
            raise MediaError("The picture changes its size within the file.", "Export it at one size.")
        self.pts.append(frame.pts)
        self.interlaced += bool(frame.interlaced_frame)
        if len(self.pts) > MAX_FRAMES:
            raise MediaError(f"The file has more than {MAX_FRAMES} frames.", "Cut it into parts.")


def probe_video(path: Path, tell: Tell = lambda seen: None) -> MediaInfo:
    """Reads the whole file once and notes every frame that a player would show.

    Decoding everything is the only index that holds for all files: packets may be hidden, discarded by
    an edit list, or damaged. Raises MediaError for anything that can't be worked on.
    """
    container = open_video(path)
    with container:
        stream = container.streams.video[0]
        check_size(stream.codec_context.width, stream.codec_context.height)
        stream.thread_type = "AUTO"
        promised, seen = stream.frames, _Seen(tell=tell)
        try:
            for frame in frames_of(container):
                seen.add(frame)
        except av.FFmpegError as fault:
            raise MediaError(f"The file is damaged after frame {len(seen.pts)}.", "Copy or export it again.") from fault
        if seen.shape is None:
            raise MediaError("The file has no frames.", "Export it again.")
        if len(seen.pts) > 1 and len(set(seen.pts)) == 1:
            raise MediaError("All frames of the file have the same time.", "Export it again.")
        if promised and len(seen.pts) < promised and _cut_short(path, stream, promised):
            raise MediaError(
                f"The file was cut short: it promises {promised} frames and holds {len(seen.pts)}.",
                "Copy it again from where it came from.",
            )
        base, codec, stated = stream.time_base, stream.codec_context.name, stream.average_rate
        pts = sorted(set(seen.pts))
        closed, holes = without_holes(pts, base)
        missing = [] if holes else _missing(container, stream, pts)
    fps, variable = _rate(closed, base, stated)
    if variable:
        fps, pts = on_grid(pts, base, closed)
    form, rotation = seen.first.format, round(seen.first.rotation) % 360
    rgb = is_rgb(form.name)
    space, assumed = tagged(
        int(seen.first.colorspace), int(seen.first.color_range), int(seen.first.color_primaries),
        int(seen.first.color_trc), seen.first.height, rgb, form.name.startswith("yuvj"),
    )  # fmt: skip
    floats = "f32" in form.name or "f16" in form.name
    interlaced = seen.interlaced * 2 > len(seen.pts)
    sound = sound_info(path, float(pts[0] * base), len(pts) / fps, holes)
    told = [*_told_of(assumed, space, interlaced), *missing]
    if holes:
        long = f"{len(holes)} holes" if len(holes) > 1 else f"a hole of {round(holes[0][1])} seconds"
        told.insert(0, f"Its times have {long}; the frames after it follow at once.")
    if variable:
        told.insert(0, f"Its frames come unevenly; they were laid on {fps:.6g} frames a second.")
    wide, high = seen.shape[::-1] if rotation in (90, 270) else seen.shape
    return MediaInfo(
        "video", wide, high, fps, len(pts), codec, any(part.is_alpha for part in form.components), rotation, variable,
        (base.numerator, base.denominator), pts, [], 32 if floats else max(part.bits for part in form.components),
        floats, asdict(space), assumed, {}, interlaced, sound, told,
    )  # fmt: skip


def _told_of(assumed: list[str], space: Space, interlaced: bool) -> list[str]:
    out = []
    if "matrix" in assumed or "range" in assumed:
        parts = [f"{name} {getattr(space, name)}" for name in ("matrix", "range") if name in assumed]
        out.append(f"The file does not say how its colours are coded; {' and '.join(parts)} assumed.")
    if space.transfer in ("pq", "hlg"):
        out.append(f"It is of high dynamic range ({space.transfer.upper()}); reference white is held to be white.")
    if interlaced:
        out.append("Its frames are interlaced: each holds two moments. It can be de-interlaced.")
    return out


def _missing(container: Any, stream: Any, pts: list[int]) -> list[str]:
    """Whether the container promises more time than there are frames for."""
    if not container.duration or len(pts) < 2 or stream.duration:
        return []
    ordered = sorted(set(pts))
    step = float(stream.time_base) * (ordered[-1] - ordered[0]) / (len(ordered) - 1)
    start = (container.start_time or 0) / 1_000_000
    promised = container.duration / 1_000_000 - (float(ordered[-1] * stream.time_base) + step - start)
    short = round(promised / step)
    sounds = bool(container.streams.audio)  # sound may go on for longer
    return [f"About {short} frames are missing at the end."] if short > (24 if sounds else 2) else []


def without_holes(pts: list[int], base: Fraction) -> tuple[list[int], list[tuple[float, float]]]:
    """Times without the holes of over MOST_HOLE seconds that are in them, and where each was: its begin in seconds of
    the file, and how much was taken out.
    """
    if len(pts) < 3:
        return pts, []
    times = np.asarray(pts, np.int64)
    steps = np.diff(times)
    usual = max(1, int(np.median(steps)))
    wide = np.flatnonzero((steps * float(base) > MOST_HOLE) & (steps > 20 * usual))
    holes = [(float((times[n] + usual) * base), float((steps[n] - usual) * base)) for n in wide]
    steps[wide] = usual
    return [int(one) for one in np.concatenate([times[:1], times[0] + np.cumsum(steps)])], holes


def on_grid(pts: list[int], base: Fraction, times: list[int] | None = None) -> tuple[float, list[int]]:
    """Frames that come unevenly on an even grid: its rate, and for each of its frames the picture that stands then.

    times: when they are shown, where that is not `pts`.

    The rate is the one at which most frames follow one another, so that none is lost but where two come closer.
    """
    times = times or pts
    steps = np.diff(np.asarray(times, np.float64))
    usual = max(1.0, float(np.median(steps)))
    # a clock that counts coarsely rounds every step: the mean of the usual ones is finer than any of them
    rate = 1 / (float(base) * float(np.mean(steps[np.abs(steps - usual) <= max(1.0, 0.1 * usual)])))
    near = min(RATES, key=lambda one: abs(one - rate) / one)
    if abs(near - rate) / near < 0.03:
        rate = near
    step = 1 / (rate * float(base))
    count = min(MAX_FRAMES, round((times[-1] - times[0]) / step) + 1)
    # a frame counts from half a step before its time on, so that a clock's jitter moves nothing
    at = np.searchsorted(np.asarray(times), times[0] + (np.arange(count) + 0.5) * step, side="left") - 1
    return rate, [pts[n] for n in at.clip(0, len(pts) - 1)]


def _cut_short(path: Path, stream: Any, promised: int) -> bool:
    """Whether packets are missing (and not merely hidden from view by an edit list)."""
    with open_video(path) as container:
        found = sum(1 for packet in container.demux(container.streams.video[0]) if packet.size)
    return found < promised


def _rate(pts: list[int], base: Fraction, stated: Fraction | None) -> tuple[float, bool]:
    if len(pts) < 2:
        return float(stated or 24), False
    steps = np.diff(np.asarray(pts, np.int64))
    mean = float(base) * (pts[-1] - pts[0]) / (len(pts) - 1)
    # a container that counts coarsely (milliseconds in MKV) jitters by one tick: that is not variable
    variable = bool(np.abs(steps - np.median(steps)).max() > max(1.5, 0.02 * float(np.median(steps))))
    if mean <= 0 or not MIN_RATE <= 1 / mean <= MAX_RATE:
        raise MediaError("The file's frames follow one another at no rate that can be worked at.", "Export it again.")
    if not variable and stated and abs(1 / mean - float(stated)) / float(stated) < 0.01:
        return float(stated), False
    return 1 / mean, variable


def probe_sequence(path: Path, fps: float = 24.0, tell: Tell = lambda seen: None) -> MediaInfo:
    """A zip of numbered pictures of one kind, shown in the natural order of their names. Raises MediaError."""
    try:
        with zipfile.ZipFile(path) as archive:
            names = sorted((name for name in archive.namelist() if is_picture(name)), key=_natural)
            if not names:
                raise MediaError("There are no pictures in this sequence.", "They may be PNG, JPEG, TIFF or EXR.")
            kinds = {SUFFIXES[Path(name).suffix.lower()] for name in names}
            if len(kinds) > 1:
                raise MediaError(
                    f"The sequence holds pictures of several kinds: {', '.join(sorted(kinds))}.",
                    "Bring in each kind by itself.",
                )
            with tempfile.TemporaryDirectory(prefix="cuvrel-") as folder:
                heads = []
                for name in names:
                    heads.append(_looked_at(archive, name, Path(folder) / "one"))
                    tell(len(heads))
    except BROKEN as fault:
        raise MediaError("The sequence can't be read; the file is broken or cut short.") from fault
    if len({(one.width, one.height) for one in heads}) > 1:
        raise MediaError("The pictures of the sequence have different sizes.")
    kind, first = kinds.pop(), heads[0]
    space = Space("rgb", "full", "bt709", "linear" if first.floats else "sdr")
    return MediaInfo(
        "sequence", first.width, first.height, fps, len(names), kind, any(one.alpha for one in heads), names=names,
        depth=max(one.depth for one in heads), floats=any(one.floats for one in heads), space=asdict(space),
        said=_gaps(names),
    )  # fmt: skip


def unpacked(archive: zipfile.ZipFile, name: str, to: Path, most: int = MAX_PICTURE) -> None:
    """Unpacks a member into a file, of at most so many bytes, whatever it says of its size.

    Raises MediaError or one of BROKEN.
    """
    about, shown = archive.getinfo(name), Path(name).name
    if about.flag_bits & 1:
        raise MediaError("The ZIP file is locked by a password.", "Pack it without one.")
    if about.file_size > most:
        raise MediaError(f"'{shown}' is {about.file_size >> 20} MB large, which is too much.")
    with archive.open(name) as source, to.open("wb") as into:
        left = most
        while piece := source.read(1 << 20):
            left -= len(piece)
            if left < 0:
                raise MediaError(f"'{shown}' is larger than it says.")
            into.write(piece)


def _looked_at(archive: zipfile.ZipFile, name: str, beside: Path) -> Head:
    """What a picture of a sequence is; it is decoded once, so that a broken one is known now.

    beside: a file that it is unpacked into.
    """
    unpacked(archive, name, beside)
    found = head(beside, name)
    check_size(found.width, found.height)
    colour = read(beside.read_bytes(), name).colour
    if colour.shape[:2] != (found.height, found.width):
        raise MediaError(f"The picture '{Path(name).name}' is not as large as it says.", "Export it again.")
    return found


def _gaps(names: list[str]) -> list[str]:
    """What is said of numbers that are not there."""
    numbers = [int(found[-1]) for name in names if (found := re.findall(r"\d+", Path(name).stem))]
    if len(numbers) != len(names):
        return []
    holes = [(a + 1, b - 1) for a, b in pairwise(numbers) if b > a + 1]
    if not holes:
        return []
    told = ", ".join(str(a) if a == b else f"{a} to {b}" for a, b in holes[:6])
    more = f" and {len(holes) - 6} more gaps" if len(holes) > 6 else ""
    return [f"Numbers are missing: {told}{more}. The pictures follow one another without them."]


def _natural(name: str) -> list[tuple[int, int, str]]:
    return [(0, int(part), "") if part.isdigit() else (1, 0, part.lower()) for part in re.split(r"(\d+)", name)]


def probe(path: Path, tell: Tell = lambda seen: None) -> MediaInfo:
    """What the file is: a zip is taken for a sequence of pictures, everything else for a video or for sound.

    tell: called with the number of frames that were looked at so far. Raises MediaError.
    """
    with path.open("rb") as file:
        head_ = file.read(4)
    return probe_sequence(path, tell=tell) if head_ == b"PK\x03\x04" else probe_media(path, tell)


def pack_sequence(pictures: list[tuple[str, Path]], to: Path) -> None:
    """Puts pictures, given as (name, path), into one uncompressed zip with stable bytes."""
    with zipfile.ZipFile(to, "w", zipfile.ZIP_STORED) as archive:
        for name, path in sorted(pictures, key=lambda pair: _natural(pair[0])):
            archive.writestr(zipfile.ZipInfo(Path(name).name), path.read_bytes())
