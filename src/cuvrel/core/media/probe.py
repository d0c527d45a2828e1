"""What a piece of footage is, and where each of its frames lies."""

from __future__ import annotations

import re
import zipfile
from dataclasses import asdict, dataclass, field
from fractions import Fraction
from pathlib import Path
from typing import Any, Literal

import av
import cv2
import numpy as np

from cuvrel.core.recipe.errors import MediaError

MAX_SIDE = 16_384
MAX_PIXELS = 80_000_000
MAX_FRAMES = 500_000
PICTURE_SUFFIXES = {".png"}

Kind = Literal["video", "sequence"]


@dataclass(frozen=True)
class MediaInfo:
    """Footage as it is shown: width and height after rotation, `pts` one entry per shown frame.

    fps is the mean rate; `variable` says that the frames are not evenly spaced. `pts` counts in
    `time_base` seconds and is empty for a sequence, whose frames are `names` in a zip.
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

    def to_json(self) -> dict[str, Any]:
        """Plain JSON."""
        return asdict(self)

    @staticmethod
    def from_json(raw: dict[str, Any]) -> MediaInfo:
        """The inverse of to_json."""
        return MediaInfo(**{**raw, "time_base": tuple(raw["time_base"])})


def check_size(width: int, height: int) -> None:
    """Raises MediaError for a picture with no area or one that is too large to work on."""
    if width < 2 or height < 2:
        raise MediaError(f"The picture is {width} x {height} pixels, which is too small to work on.")
    if max(width, height) > MAX_SIDE or width * height > MAX_PIXELS:
        raise MediaError(
            f"The picture is {width} x {height} pixels; at most {MAX_SIDE} a side and "
            f"{MAX_PIXELS // 1_000_000} million in all can be worked on.",
            "Make a smaller copy and bring that in.",
        )


def open_video(path: Path) -> Any:
    """An open container with a video stream. Raises MediaError."""
    if path.stat().st_size == 0:
        raise MediaError("The file is empty.", "Copy it again from where it came from.")
    try:
        container = av.open(str(path), metadata_errors="ignore")
    except (av.FFmpegError, OSError, ValueError) as fault:
        raise MediaError(
            "The file can't be read as a video; it may be broken, cut short, or something else.",
            "Play it in a media player, or export it again.",
        ) from fault
    if not container.streams.video:
        container.close()
        raise MediaError("There is no picture in this file, only sound or data.")
    return container


def probe_video(path: Path) -> MediaInfo:
    """Reads the whole file once and notes every frame that a player would show.

    Decoding everything is the only index that holds for all files: packets may be hidden, discarded by
    an edit list, or damaged. Raises MediaError for anything that can't be worked on.
    """
    container = open_video(path)
    with container:
        stream = container.streams.video[0]
        check_size(stream.codec_context.width, stream.codec_context.height)
        stream.thread_type = "AUTO"
        promised, rotation, alpha = stream.frames, 0, False
        shape: tuple[int, int] | None = None
        pts: list[int] = []
        try:
            for frame in container.decode(stream):
                if frame.pts is None:
                    raise MediaError("The file's frames carry no times.", "Put it into an MP4 or MKV file.")
                if shape is None:
                    shape, rotation = (frame.width, frame.height), round(frame.rotation) % 360
                    alpha = any(part.is_alpha for part in frame.format.components)
                elif shape != (frame.width, frame.height):
                    raise MediaError("The picture changes its size within the file.", "Export it at one size.")
                pts.append(frame.pts)
                if len(pts) > MAX_FRAMES:
                    raise MediaError(f"The file has more than {MAX_FRAMES} frames.", "Cut it into parts.")
        except av.FFmpegError as fault:
            raise MediaError(f"The file is damaged after frame {len(pts)}.", "Copy or export it again.") from fault
        if shape is None:
            raise MediaError("The file has no frames.", "Export it again.")
        if promised and len(pts) < promised and _cut_short(path, stream, promised):
            raise MediaError(
                f"The file was cut short: it promises {promised} frames and holds {len(pts)}.",
                "Copy it again from where it came from.",
            )
        pts = sorted(set(pts))
        base = stream.time_base
        fps, variable = _rate(pts, base, stream.average_rate)
        if rotation in (90, 270):
            shape = shape[1], shape[0]
        codec = stream.codec_context.name
    return MediaInfo(
        "video", *shape, fps, len(pts), codec, alpha, rotation, variable, (base.numerator, base.denominator), pts
    )


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
    if not variable and stated and abs(1 / mean - float(stated)) / float(stated) < 0.01:
        return float(stated), False
    return (1 / mean if mean > 0 else 24.0), variable


def probe_sequence(path: Path, fps: float = 24.0) -> MediaInfo:
    """A zip of numbered PNG pictures, shown in the natural order of their names. Raises MediaError."""
    try:
        with zipfile.ZipFile(path) as archive:
            names = [
                n for n in archive.namelist()
                if Path(n).suffix.lower() in PICTURE_SUFFIXES and not Path(n).name.startswith(".")
            ]  # fmt: skip
            names.sort(key=_natural)
            if not names:
                raise MediaError("There are no PNG pictures in this sequence.")
            sizes, alpha = set(), False
            for name in names:
                with archive.open(name) as file:
                    width, height, has_alpha = _png_header(file.read(33), name)
                check_size(width, height)
                sizes.add((width, height))
                alpha |= has_alpha
            if len(sizes) > 1:
                raise MediaError("The pictures of the sequence have different sizes.")
            for name in names:
                if cv2.imdecode(np.frombuffer(archive.read(name), np.uint8), cv2.IMREAD_UNCHANGED) is None:
                    raise MediaError(f"The picture '{Path(name).name}' is broken.", "Export it again.")
    except (zipfile.BadZipFile, OSError, EOFError) as fault:
        raise MediaError("The sequence can't be read; the file is broken or cut short.") from fault
    width, height = sizes.pop()
    return MediaInfo("sequence", width, height, fps, len(names), "png", alpha, names=names)


def _png_header(head: bytes, name: str) -> tuple[int, int, bool]:
    """Width, height and whether there is alpha, from a PNG's first chunk (ISO/IEC 15948, 11.2.2)."""
    if len(head) < 33 or head[:8] != b"\x89PNG\r\n\x1a\n" or head[12:16] != b"IHDR":
        raise MediaError(f"'{Path(name).name}' is not a PNG picture.")
    return int.from_bytes(head[16:20]), int.from_bytes(head[20:24]), head[25] in (4, 6)


def _natural(name: str) -> list[tuple[int, int, str]]:
    return [(0, int(part), "") if part.isdigit() else (1, 0, part.lower()) for part in re.split(r"(\d+)", name)]


def probe(path: Path) -> MediaInfo:
    """What the file is: a zip is taken for a PNG sequence, everything else for a video."""
    with path.open("rb") as file:
        head = file.read(4)
    return probe_sequence(path) if head == b"PK\x03\x04" else probe_video(path)


def pack_sequence(pictures: list[tuple[str, Path]], to: Path) -> None:
    """Puts PNG files, given as (name, path), into one uncompressed zip with stable bytes."""
    with zipfile.ZipFile(to, "w", zipfile.ZIP_STORED) as archive:
        for name, path in sorted(pictures, key=lambda pair: _natural(pair[0])):
            archive.writestr(zipfile.ZipInfo(Path(name).name), path.read_bytes())
