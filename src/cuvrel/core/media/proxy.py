"""The small film that work is done on, and its strip of pictures.

Most footage is of eight bits and coded as a screen takes it: then its planes of brightness and colour are made smaller
as they are, and nothing is turned into RGB and back.
"""

from __future__ import annotations

import threading
from collections.abc import Callable, Mapping
from dataclasses import asdict
from fractions import Fraction
from pathlib import Path
from queue import Queue
from typing import Any

import av
import cv2
import numpy as np
from av.video.reformatter import ColorRange, Colorspace, Interpolation, VideoReformatter

from cuvrel.core.arrays import U8
from cuvrel.core.media.container import open_video, picture_of
from cuvrel.core.media.probe import MediaInfo, orientation, square
from cuvrel.core.media.reader import Reader, to_rgb
from cuvrel.core.media.space import Space
from cuvrel.core.media.writer import VideoWriter
from cuvrel.core.media.yuv import space_of
from cuvrel.core.recipe.errors import MediaError

SIDE = 960
PLANAR = ("yuv420p", "yuv422p", "yuv444p", "yuvj420p", "yuvj422p", "yuvj444p")
AHEAD = 8  # frames that wait for the encoder
_OTHERWISE = {"sound", "times"}  # what can be set by hand and changes no picture


def fitted(width: int, height: int) -> tuple[int, int]:
    """Width and height of the small film of a picture, even and at most SIDE."""
    ratio = min(1.0, SIDE / max(width, height))
    return max(2, round(width * ratio) & ~1), max(2, round(height * ratio) & ~1)


def size_of(info: MediaInfo) -> tuple[int, int]:
    """Width and height of the small film of footage."""
    return fitted(info.width, info.height)


def by_planes(info: MediaInfo) -> bool:
    """Whether the planes of a film can be made smaller as they are."""
    upright = info.rotation == 0 and not info.flipped
    return (info.kind == "video" and info.depth == 8 and not info.floats and not info.alpha and upright
            and info.reads_as.plain and info.reads_as.matrix != "rgb" and set(info.hand) <= _OTHERWISE)  # fmt: skip


class Beside:
    """Writes the small film while footage is looked at for the first time, as far as one can tell from its frames.

    Whether what was written is what is wanted is known in the end (`fits`). It works in a thread of its own.
    """

    def __init__(self, to: Path, hand: Mapping[str, str]) -> None:
        self._to, self._count, self._size = to, 0, (0, 0)
        self._writer: VideoWriter | None = None
        self._off = not set(hand) <= _OTHERWISE
        self._waiting: Queue[Any] = Queue(AHEAD)
        self._thread = threading.Thread(target=self._encode, name="proxy", daemon=True)

    def watch(self, frame: Any, aspect: Fraction | None) -> None:
        """One more frame, and how much wider than high its pixels are."""
        if self._off:
            return
        if self._writer is None:
            space, _ = space_of(frame)
            turned = orientation(frame) != (0, False)
            if frame.format.name not in PLANAR or turned or not space.plain or space.matrix == "rgb":
                self._off = True
                return
            self._size = fitted(*square((frame.width, frame.height), aspect))
            self._shrunk = _Shrinker(self._size, space)
            self._writer = VideoWriter(self._to, "proxy", *self._size, 24.0, space)
            self._thread.start()
        elif frame.format.name not in PLANAR:
            self._off = True
            return
        self._count += 1
        self._waiting.put(self._shrunk(frame))

    def _encode(self) -> None:
        assert self._writer is not None
        while (frame := self._waiting.get()) is not None:
            try:
                if not self._off:
                    self._writer.put(frame)
            except (av.FFmpegError, OSError, ValueError):
                self._off = True  # a full disk, which whoever comes next finds, too

    def close(self) -> None:
        """Finishes the film."""
        if self._writer is None:
            return
        self._waiting.put(None)
        self._thread.join()
        try:
            self._writer.close()
        except (av.FFmpegError, OSError, ValueError):
            self._off = True

    def fits(self, info: MediaInfo) -> bool:
        """Whether what was written is the small film of this footage: each frame once, and at its size."""
        once = len(info.pts) == self._count == len(set(info.pts))
        made = not self._off and self._writer is not None
        return made and once and by_planes(info) and self._size == size_of(info)


def write(path: Path, info: MediaInfo, to: Path, tell: Callable[[int], None] = lambda done: None) -> None:
    """Writes the small film of footage. tell: called with the number of frames that are written. Raises MediaError."""
    width, height = size_of(info)
    reader, writer = Reader(path, info, keep_bytes=0), VideoWriter(to, "proxy", width, height, info.fps)
    try:
        for number in range(info.frames):
            writer.write(cv2.resize(reader.frame(number), (width, height), interpolation=cv2.INTER_AREA))
            tell(number + 1)
    finally:
        writer.close()
        reader.close()


def look_at(small: Path, step: int, size: tuple[int, int]) -> tuple[MediaInfo, list[U8]]:
    """What the small film is, and every `step`-th of its pictures, (H, W, 3) uint8 sRGB; size: their rows and columns.

    Each of its frames is whole by itself, so that no other one is decoded. Raises MediaError.
    """
    pts: list[int] = []
    found: list[U8] = []
    first: Any = None
    with open_video(small) as container:
        stream = picture_of(container)
        stream.codec_context.thread_count = 1  # a frame comes out as soon as it went in
        base, rate = stream.time_base, stream.average_rate or stream.guessed_rate
        try:
            for packet in container.demux(stream):
                if packet.pts is None or not packet.size:
                    continue
                if len(pts) % step == 0:
                    for frame in stream.codec_context.decode(packet):
                        first = first or frame
                        picture = cv2.resize(to_rgb(frame), size[::-1], interpolation=cv2.INTER_AREA)
                        found.append(np.asarray(picture, np.uint8))
                pts.append(packet.pts)
        except av.FFmpegError as fault:
            raise MediaError("The small film did not come out whole.", "Bring the footage in again.") from fault
    if first is None or len(found) != -(-len(pts) // step):
        raise MediaError("The small film did not come out whole.", "Bring the footage in again.")
    space, assumed = space_of(first)
    info = MediaInfo("video", first.width, first.height, float(rate), len(pts), "h264", pts=sorted(pts),
                     time_base=(base.numerator, base.denominator), space=asdict(space), assumed=assumed,
                     coded=(first.width, first.height))  # fmt: skip
    return info, found


class _Shrinker:
    """Makes planes smaller by averaging, in whatever range and matrix they are: both stay what they are."""

    def __init__(self, size: tuple[int, int], space: Space) -> None:
        self._size, full = size, space.range == "full"
        same = ColorRange.JPEG if full else ColorRange.MPEG
        self._same = {"src_color_range": same, "dst_color_range": same, "src_colorspace": Colorspace.ITU709,
                      "dst_colorspace": Colorspace.ITU709}  # fmt: skip
        self._made = VideoReformatter()

    def __call__(self, frame: Any) -> Any:
        """A decoded frame as one of 4:2:0 at the small film's size, in limited range by its format's name."""
        width, height = self._size
        form = "yuvj420p" if frame.format.name.startswith("yuvj") else "yuv420p"
        small = self._made.reformat(frame, width, height, form, interpolation=Interpolation.AREA, **self._same)
        return small if form == "yuv420p" else av.VideoFrame.from_ndarray(small.to_ndarray(), format="yuv420p")
