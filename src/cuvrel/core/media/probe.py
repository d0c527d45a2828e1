"""What a piece of footage is, and where each of its frames lies."""

from __future__ import annotations

import hashlib
import lzma
import re
import tempfile
import zipfile
import zlib
from collections.abc import Callable, Mapping
from dataclasses import asdict, dataclass, field
from fractions import Fraction
from itertools import pairwise
from pathlib import Path
from typing import Any, Literal

import av
import numpy as np

from cuvrel.core.media.container import (
    Window,
    frames_of,
    in_order,
    is_beside,
    named_window,
    open_media,
    open_video,
    picture_of,
    repaired,
    sound_of,
    sounds_of,
)
from cuvrel.core.media.cube import is_cube, read_cube
from cuvrel.core.media.paces import stretches
from cuvrel.core.media.sound import SoundInfo, sound_info
from cuvrel.core.media.space import Space
from cuvrel.core.media.still_heads import Head
from cuvrel.core.media.stills import CALLED, SUFFIXES, check_size, head, is_picture, read
from cuvrel.core.media.timecode import is_timecode, of_seconds
from cuvrel.core.media.yuv import space_of
from cuvrel.core.recipe.errors import MediaError

NOBODY: Mapping[str, str] = {}
MAX_FRAMES = 500_000
FINEST, MOST_HELD = 240.0, 6  # of a grid that keeps all frames: its rate, and how long it may be for each of them
MOST_HOLE = 60.0  # seconds without a frame, after which what follows is held to follow at once
MIN_RATE, MAX_RATE = 0.05, 1000.0  # frames a second
MAX_PICTURE = 2 << 30  # bytes of one picture of a sequence
BROKEN = (zipfile.BadZipFile, OSError, EOFError, NotImplementedError, RuntimeError, ValueError, LookupError, zlib.error,
          lzma.LZMAError)  # fmt: skip
"""What a broken or odd ZIP file raises while it is read."""
PICTURE_SUFFIXES = set(SUFFIXES)
# rates that are stood on; a variable one is laid on the nearest of them
RATES = (24000 / 1001, 24.0, 25.0, 30000 / 1001, 30.0, 48.0, 50.0, 60000 / 1001, 60.0, 100.0, 120000 / 1001, 120.0)

Kind = Literal["video", "sequence", "sound", "table"]
Tell = Callable[[int], None]
Watch = Callable[[Any, Fraction | None], None]
"""What is told how many frames were seen; what is shown each frame of a video as it is decoded, with the shape of its
pixels.
"""


@dataclass(frozen=True)
class MediaInfo:
    """Footage as it is shown: width and height after rotation, `pts` one entry per shown frame.

    fps is the rate; `variable` says that the file's frames are not evenly spaced, and were laid on an even grid: then
    `pts` has the same entry for each frame on which a picture stays. It counts in `time_base` seconds and is empty for
    a sequence, whose frames are `names` in a zip. depth: bits of a sample; floats: of half or float, in linear light.
    space: what the numbers of a video mean, and `assumed` what of it the file did not say. hand: what somebody set by
    hand in place of that (space.CHOICES). interlaced: its frames hold two moments. sound: what it was recorded with.
    said: what a person should know, in sentences. Sound alone has no frames. counted: its times don't tell its frames
    apart; `pts` are their numbers in the order of the decoder. flipped: it is mirrored from left to right before it is
    turned. coded: width and height in the file, where known; the picture is stretched to what it is shown at. layers:
    what of EXR pictures can be looked at, the first of which is meant; parts: what can be a matte (stills.part).
    sounds: of several, their streams, titles and languages. timecode: of the first frame, and reel, or "". window: the
    part of the coded picture that the file says is to be shown; it is where somebody says so by hand.
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
    counted: bool = False
    flipped: bool = False
    coded: tuple[int, int] | None = None
    layers: list[str] = field(default_factory=list)
    parts: list[str] = field(default_factory=list)
    sounds: list[dict[str, Any]] = field(default_factory=list)
    timecode: str = ""
    reel: str = ""
    window: Window | None = None

    @property
    def reads_as(self) -> Space:
        """What its numbers mean, with what was set by hand."""
        return Space(**self.space).with_hand(self.hand)  # type: ignore[arg-type]  # written by `asdict`

    @property
    def cut(self) -> Window | None:
        """The part of the coded picture that is looked at; None for all of it."""
        return self.window if self.hand.get("edges") == "as the file names them" else None

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
        for name in ("coded", "window"):
            known[name] = tuple(raw[name]) if raw.get(name) else None
        return MediaInfo(**known)


def probe_media(
    path: Path,
    tell: Tell = lambda seen: None,
    hand: Mapping[str, str] = NOBODY,
    watch: Watch = lambda frame, aspect: None,
) -> MediaInfo:
    """A video, or sound alone. Raises MediaError."""
    with open_media(path) as container:
        heard = sound_of(container)
        alone = heard is not None and all(is_beside(one) for one in container.streams.video)
        codec = heard.codec_context.name if alone else ""
    if not alone:
        return probe_video(path, tell, hand, watch)
    sound = sound_info(path, 0.0, stream=_chosen(hand))
    if sound is None or sound.samples == 0:
        raise MediaError("There is neither picture nor sound in this file.", "Export it again.")
    sounds, timecode, reel = _beside(path, 24.0)
    return MediaInfo("sound", 0, 0, 0.0, 0, codec, sound=sound, sounds=sounds, timecode=timecode, reel=reel,
                     hand=dict(hand))  # fmt: skip


def _chosen(hand: Mapping[str, str]) -> int | None:
    """The stream of the sound that somebody chose."""
    return int(hand["sound"]) if "sound" in hand else None


def _beside(path: Path, fps: float) -> tuple[list[dict[str, Any]], str, str]:
    """The sounds of a file where there are several, its time code, and its reel."""
    with open_media(path) as container:  # what a stream says is read while its container is open
        streams = sounds_of(container)
        told = [_small_names(one) for one in (*container.streams.video, *container.streams.data, *streams, container)]
        rate = max(1, streams[0].codec_context.sample_rate) if streams else 0
        heard = [(one.index, _small_names(one), one.codec_context.name, one.codec_context.layout.nb_channels)
                 for one in streams]  # fmt: skip
    code = next((one["timecode"] for one in told if is_timecode(one.get("timecode", ""))), "")
    since = next((one["time_reference"] for one in told if one.get("time_reference", "").isdigit()), "")
    if not code and since and rate:
        code = of_seconds(int(since) / rate, fps)
    names = ("reel_name", "reel", "tape", "com.apple.quicktime.reel")
    reel = next((one[name] for one in told for name in names if one.get(name)), "")
    sounds = [
        {"stream": index, "title": (data.get("title", "") or data.get("handler_name", ""))[:100],
         "language": data.get("language", "")[:20], "codec": codec, "channels": channels}
        for index, data, codec, channels in heard
    ]  # fmt: skip
    return sounds if len(sounds) > 1 else [], code, reel[:100]


def _small_names(of: Any) -> dict[str, str]:
    """What a stream or a container says of itself, by names in small letters."""
    return {name.lower(): str(value) for name, value in of.metadata.items()}


@dataclass
class _Seen:
    """What is gathered while a video is looked through."""

    pts: list[int | None] = field(default_factory=list)
    shape: tuple[int, int] | None = None
    first: Any = None
    interlaced: int = 0
    damaged: list[int] = field(default_factory=list)
    tell: Tell = lambda seen: None
    watch: Watch = lambda frame, aspect: None
    aspect: Fraction | None = None
    marks: list[bytes] = field(default_factory=list)

    def add(self, frame: Any) -> None:
        """One more frame. Raises MediaError."""
        self.tell(len(self.pts))
        self.marks.append(_mark(frame))
        if self.shape is None:
            self.shape, self.first = (frame.width, frame.height), frame
        elif self.shape != (frame.width, frame.height):
            raise MediaError("The picture changes its size within the file.", "Export it at one size.")
        if frame.is_corrupt:
            self.damaged.append(len(self.pts))
        self.pts.append(frame.pts)
        self.interlaced += bool(frame.interlaced_frame)
        self.watch(frame, self.aspect)
        if len(self.pts) > MAX_FRAMES:
            raise MediaError(f"The file has more than {MAX_FRAMES} frames.", "Cut it into parts.")


def _mark(frame: Any) -> bytes:
    """A few bytes of a frame, by which another one is told apart from it."""
    plane = np.frombuffer(frame.planes[0], np.uint8)
    sparse = plane[:: max(1, plane.size // 2048) | 1].tobytes()  # an odd step comes to all columns
    return hashlib.blake2b(sparse, digest_size=8).digest()


INDEXED = ("mov", "matroska", "webm")


def _leaps_right(path: Path, pts: list[int], marks: list[bytes]) -> bool:
    """Whether a leap shows the frame that is there when the file is run through.

    Containers without an index guess, and those that were cut short have lost theirs. Looked at in six places.
    """
    return all(_led_to(path, pts, n) == marks[n] for n in {(k + 1) * len(pts) // 6 - 1 for k in range(6)} - {-1})


def _led_to(path: Path, pts: list[int], number: int) -> bytes | None:
    """What a leap to a frame shows, as the reader makes it: from further back, where a key frame comes too late."""
    back = 0
    while number - back > -4 * len(pts):
        with open_video(path) as container:
            stream = picture_of(container)
            stream.thread_type = "AUTO"
            try:
                container.seek(pts[max(0, number - back)], stream=stream, backward=True)
                for frame in frames_of(container):
                    if frame.pts == pts[number]:
                        return _mark(frame)
                    if frame.pts is not None and frame.pts > pts[number]:
                        break
                else:
                    return None
            except (av.FFmpegError, OSError, ValueError):
                return None
        back = max(4, 4 * back)
    return None


def _lost_at_start(path: Path, first: int) -> int:
    """How many pictures before the first one can't be made, since they rest on ones that the file does not hold."""
    lost = seen = 0
    with open_video(path) as container:
        for packet in container.demux(picture_of(container)):
            seen += 1
            if packet.size and packet.pts is not None and packet.pts < first and not packet.is_discard:
                lost += 1
            if seen > 60:
                break
    return lost


def probe_video(
    path: Path,
    tell: Tell = lambda seen: None,
    hand: Mapping[str, str] = NOBODY,
    watch: Watch = lambda frame, aspect: None,
) -> MediaInfo:
    """Reads the whole file once and notes every frame that a player would show.

    Decoding everything is the only index that holds for all files: packets may be hidden, discarded by
    an edit list, or damaged. Raises MediaError for anything that can't be worked on.
    """
    container = open_video(path)
    with container:
        stream = picture_of(container)
        check_size(stream.codec_context.width, stream.codec_context.height)
        stream.thread_type = "AUTO"
        promised, seen, form_name = (
            stream.frames,
            _Seen(tell=tell, watch=watch, aspect=stream.sample_aspect_ratio),
            container.format.name,
        )
        try:
            for frame in frames_of(container):
                seen.add(frame)
        except av.FFmpegError as fault:
            raise MediaError(f"The file is damaged after frame {len(seen.pts)}.", "Copy or export it again.") from fault
        if seen.shape is None:
            raise MediaError("The file has no frames.", "Export it again.")
        short = promised - len(seen.pts)
        # an AVI counts its ticks, on some of which the picture before stands
        if short > 0 and container.format.name != "avi" and _cut_short(path, promised):
            raise MediaError(
                f"The file was cut short: it promises {promised} frames and holds {len(seen.pts)}.",
                "Copy it again from where it came from.",
            )
        base, codec, stated = stream.time_base, stream.codec_context.name, stream.average_rate or stream.guessed_rate
        window = named_window(path, container.format.name, stream.index, seen.shape)
        cut = window if hand.get("edges") == "as the file names them" else None
        coded = cut[2:] if cut else seen.shape
        shape = square(coded, stream.sample_aspect_ratio)
        check_size(*shape)
        counted = not in_order(seen.pts)
        if counted:
            times, base = repaired(seen.pts, base, stated)
            places = list(range(len(times)))
        else:
            times = places = [one for one in seen.pts if one is not None]
        missing = [] if counted else _missing(container, stream, times)
    start = float(times[0] * base)
    times, holes = without_holes(times, base)
    missing = [] if holes else missing
    fps, variable = _rate(times, base, stated)
    told = [*_told_of_damage(seen.damaged), *missing]
    if not counted and (lost := _lost_at_start(path, times[0])):
        many = "1 picture is" if lost == 1 else f"{lost} pictures are"
        told.insert(0, f"{many} missing at the start: what they rest on is not in the file.")
    if not counted and not holes and not form_name.startswith(INDEXED) and not _leaps_right(path, times, seen.marks):
        counted, places = True, list(range(len(times)))
        told.append("Its index is broken or missing: it is read from its beginning, which takes longer.")
    if variable and hand.get("times") == "picture by picture":
        fps = _one_by_one(times, base, stated)
        told[:0] = [f"Its frames come unevenly; each is shown once, {fps:.6g} a second."]
    elif variable:
        fps, on = on_grid(times, base, stated)
        places = [places[n] for n in on]
        told[:0] = _told_of_grid(times, base, fps, on)
    form = seen.first.format
    rotation, flipped = orientation(seen.first)
    space, assumed = space_of(seen.first)
    floats = "f32" in form.name or "f16" in form.name
    interlaced = seen.interlaced * 2 > len(seen.pts)
    sound = sound_info(path, start, len(places) / fps, holes, _chosen(hand))
    sounds, timecode, reel = _beside(path, fps)
    told += _told_of(assumed, space, interlaced)
    if holes:
        long = f"{len(holes)} holes" if len(holes) > 1 else f"a hole of {round(holes[0][1])} seconds"
        told.insert(0, f"Its times have {long}; the frames after it follow at once.")
    if window is not None and cut is None:
        told.append(f"It names a part of {window[2]} x {window[3]} to be shown; all of the picture is kept, and can be "
                    f"cut to that by hand.")  # fmt: skip
    if shape != coded:
        told.insert(0, f"Its pixels are not square; it is shown at {shape[0]} x {shape[1]}, as it was meant.")
    wide, high = shape[::-1] if rotation in (90, 270) else shape
    return MediaInfo(
        "video", wide, high, fps, len(places), codec, any(part.is_alpha for part in form.components), rotation,
        variable, (base.numerator, base.denominator), places, [],
        32 if floats else max(part.bits for part in form.components), floats, asdict(space), assumed, dict(hand),
        interlaced, sound, told, counted, flipped, coded, sounds=sounds, timecode=timecode, reel=reel,
        window=window,
    )  # fmt: skip


def square(shape: tuple[int, int], aspect: Fraction | None) -> tuple[int, int]:
    """The width and height at which a picture is shown whose pixels are `aspect` times as wide as they are high.

    The height stays. What differs by less than a hundredth, or is beyond all that is made, is taken for square.
    """
    if not aspect or abs(aspect - 1) < 0.01 or not 0.2 < aspect < 5:
        return shape
    return max(2, 2 * round(shape[0] * aspect / 2)), shape[1]


def orientation(frame: Any) -> tuple[int, bool]:
    """How a frame is turned, in degrees as `rotation` is, and whether it is mirrored from left to right before that.

    By the matrix of ISO/IEC 14496-12, 6.2.2, of which the determinant is below 0 where a picture is mirrored.
    """
    data = frame.side_data.get("DISPLAYMATRIX")
    if data is None:
        return round(frame.rotation) % 360, False
    a, b, _, c, d = np.frombuffer(bytes(data), np.int32)[:5].astype(np.float64)
    flipped = a * d - b * c < 0
    if flipped:
        a, b = -a, -b
    return round(float(np.degrees(np.arctan2(-b, a)) / 90)) * 90 % 360, bool(flipped)


def _told_of_damage(damaged: list[int]) -> list[str]:
    """What is said of frames that the decoder could not make whole."""
    return [f"{_ranges(damaged)} damaged in the file."] if damaged else []


def _ranges(numbers: list[int]) -> str:
    """Frames in words: 'Frame 4 is', or 'Frames 4 to 9 and 12 are'."""
    parts: list[list[int]] = []
    for n in numbers:
        if parts and n == parts[-1][1] + 1:
            parts[-1][1] = n
        else:
            parts.append([n, n])
    said = [str(a) if a == b else f"{a} to {b}" for a, b in parts[:6]]
    more = f" and {len(parts) - 6} more stretches" if len(parts) > 6 else ""
    return f"Frame {said[0]} is" if len(numbers) == 1 else f"Frames {', '.join(said)}{more} are"


def _told_of_grid(times: list[int], base: Fraction, fps: float, on: list[int]) -> list[str]:
    """What is said of frames that come unevenly: that some are missing, or on which grid they were laid."""
    steps = np.diff(np.asarray(times, np.float64)) * float(base) * fps
    held = np.round(steps)
    if np.abs(steps - held).max() < 0.2 and (held == 1).mean() > 0.8 and held.min() >= 1:
        missing = [n for n in range(1, len(on)) if on[n] == on[n - 1]]
        return [f"{_ranges(missing)} missing; the picture before stands for what is not there."]
    lost = len(times) - len(set(on))
    more = (
        f" {lost} pictures come faster than that and are left out; read picture by picture, it keeps all."
        if lost
        else ""
    )
    return [f"Its frames come unevenly; they were laid on {fps:.6g} frames a second.{more}"]


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


def on_grid(times: list[int], base: Fraction, stated: Fraction | None = None) -> tuple[float, list[int]]:
    """Frames that come unevenly on an even grid: its rate, and for each of its frames the number of the one that
    stands then.

    The rate is the one at which most frames follow one another, or that of a file which counts in frames; where some
    come faster, the lowest multiple of it that keeps all, within reason.
    """
    if stated and abs(base * stated - 1) < 0.001:  # each time is a frame's number, as in AVI
        whole = round(stated)
        return float(whole if abs(stated - whole) < 0.001 else stated), _stands(times, 1.0)
    steps = np.diff(np.asarray(times, np.float64))
    usual = max(1.0, float(np.median(steps)))
    # a clock that counts coarsely rounds every step: the mean of the usual ones is finer than any of them
    rate = 1 / (float(base) * float(np.mean(steps[np.abs(steps - usual) <= max(1.0, 0.1 * usual)])))
    rate = _near(rate)
    first = _stands(times, 1 / (rate * float(base)))
    for times_as_fine in range(1, 11):
        found = _stands(times, 1 / (times_as_fine * rate * float(base)))
        if times_as_fine * rate > FINEST or len(found) > MOST_HELD * len(times):
            break
        if len(set(found)) == len(times):
            return times_as_fine * rate, found
    return rate, first


def _one_by_one(times: list[int], base: Fraction, stated: Fraction | None) -> float:
    """The rate at which pictures that come unevenly are shown one by one: what was filmed faster is slow then."""
    slowest = min((one.rate for one in stretches(np.asarray(times, np.float64) * float(base))), default=0.0)
    if slowest < RATES[0] * 0.97:
        return on_grid(times, base, stated)[0]
    return _near(slowest)


def _near(rate: float) -> float:
    """The rate that is stood on where one is next to it."""
    near = min(RATES, key=lambda one: abs(one - rate) / one)
    return near if abs(near - rate) / near < 0.03 else rate


def _stands(times: list[int], step: float) -> list[int]:
    """Which frame stands on each place of a grid of this step."""
    count = min(MAX_FRAMES, round((times[-1] - times[0]) / step) + 1)
    # a frame counts from half a step before its time on, so that a clock's jitter moves nothing
    at = np.searchsorted(np.asarray(times), times[0] + (np.arange(count) + 0.5) * step, side="left") - 1
    return [int(n) for n in at.clip(0, len(times) - 1)]


def _cut_short(path: Path, promised: int) -> bool:
    """Whether packets are missing (and not merely hidden from view by an edit list)."""
    with open_video(path) as container:
        found = sum(1 for packet in container.demux(picture_of(container)) if packet.size)
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


def probe_sequence(
    path: Path, fps: float = 24.0, tell: Tell = lambda seen: None, hand: Mapping[str, str] = NOBODY
) -> MediaInfo:
    """A zip of numbered pictures of one kind, shown in the natural order of their names. Raises MediaError."""
    try:
        with zipfile.ZipFile(path) as archive:
            names = sorted((name for name in archive.namelist() if is_picture(name)), key=_natural)
            if not names:
                raise MediaError("There are no pictures in this sequence.", f"They may be {CALLED}.")
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
    space = first.space or Space("rgb", "full", "bt709", "linear" if first.floats else "sdr")
    if any(one.space != first.space for one in heads):
        raise MediaError("The pictures of the sequence mean different colours by their numbers.")
    parts = [*(f"channel:{one}" for one in first.channels), *(f"name:{one}" for one in first.names)]
    return MediaInfo(
        "sequence", first.width, first.height, fps, len(names), kind, any(one.alpha for one in heads), names=names,
        depth=max(one.depth for one in heads), floats=any(one.floats for one in heads), space=asdict(space),
        said=[*_gaps(names), *_told_of([], space, False)], layers=list(first.layers), parts=parts,
        timecode=first.timecode, hand=dict(hand),
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


def probe(
    path: Path,
    tell: Tell = lambda seen: None,
    hand: Mapping[str, str] = NOBODY,
    watch: Watch = lambda frame, aspect: None,
) -> MediaInfo:
    """What the file is: a zip is a sequence of pictures, a text may be a table, all else is a video or sound.

    tell: called with the number of frames that were looked at so far. hand: what somebody set by hand (by_hand.py).
    watch: called with each decoded frame of a video. Raises MediaError.
    """
    with path.open("rb") as file:
        start = file.read(8192)
    if start[:4] == b"PK\x03\x04":
        return probe_sequence(path, tell=tell, hand=hand)
    if is_cube(start):
        table = read_cube(path)
        size = int(table[1])
        return MediaInfo("table", 0, 0, 0.0, 0, f"{size} steps" if table[0] == 1 else f"{size} x {size} x {size}")
    return probe_media(path, tell, hand, watch)


def sequences_in(names: list[str]) -> dict[str, list[str]]:
    """The sequences among the pictures of a ZIP, by a name to show: those of one folder, one kind and one name before
    their number. Pictures without numbers of their own that are of one kind are one sequence.
    """
    groups: dict[tuple[str, str, str], list[str]] = {}
    for name in filter(is_picture, names):
        path = Path(name)
        stem = re.sub(r"[\s._-]*\d+$", "", path.stem)
        groups.setdefault((str(path.parent), stem, SUFFIXES[path.suffix.lower()]), []).append(name)
    if all(len(one) == 1 for one in groups.values()):
        groups = {}
        for name in filter(is_picture, names):
            groups.setdefault(("", "", SUFFIXES[Path(name).suffix.lower()]), []).append(name)
    out: dict[str, list[str]] = {}
    for (folder, stem, kind), found in groups.items():
        shown = stem or (Path(folder).name if folder != "." else "") or "pictures"
        title = next(one for one in (shown, f"{shown}, {kind}", f"{Path(folder).name} {shown}, {kind}",
                                     f"{folder} {shown}, {kind}") if one not in out)  # fmt: skip
        out[title] = found
    return out


def split_sequences(
    path: Path, into: Path, most: int = 100, hold: Callable[[int], None] = lambda size: None
) -> list[tuple[str, Path]]:
    """The sequences of a ZIP as files of their own in a folder, with names to show; [] where it holds one alone.

    hold: told the bytes that all of them take unpacked, before the first one is. Raises MediaError where it can't be
    read, or holds more than `most`, and what `hold` raises.
    """
    try:
        with zipfile.ZipFile(path) as archive:
            found = sequences_in(archive.namelist())
            if len(found) < 2:
                return []
            if len(found) > most:
                raise MediaError(f"The ZIP file holds {len(found)} sequences, which is more than are taken at once.")
            sizes = {name: archive.getinfo(name).file_size for names in found.values() for name in names}
            hold(sum(sizes.values()))
            out = []
            for n, (title, names) in enumerate(found.items()):
                to = into / f"sequence-{n}.zip"
                with zipfile.ZipFile(to, "w", zipfile.ZIP_STORED) as part:
                    for name in sorted(names, key=_natural):
                        # a member that is larger than it says is refused: the room was asked for by what it says
                        unpacked(archive, name, beside := into / "member", min(MAX_PICTURE, sizes[name]))
                        part.write(beside, Path(name).name)
                out.append((f"{title} – {len(names)} pictures", to))
            (into / "member").unlink(missing_ok=True)
            return out
    except BROKEN as fault:
        raise MediaError("The sequence can't be read; the file is broken or cut short.") from fault


def pack_sequence(pictures: list[tuple[str, Path]], to: Path) -> None:
    """Puts pictures, given as (name, path), into one uncompressed zip with stable bytes."""
    with zipfile.ZipFile(to, "w", zipfile.ZIP_STORED) as archive:
        for name, path in sorted(pictures, key=lambda pair: _natural(pair[0])):
            archive.writestr(zipfile.ZipInfo(Path(name).name), path.read_bytes())
