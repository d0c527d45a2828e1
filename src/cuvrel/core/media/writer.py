"""Writing results: video files, PNG sequences, and joining parts that were written one by one."""

from __future__ import annotations

import os
import zipfile
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any, Literal, Protocol

import av
import cv2
import numpy as np
from numpy.typing import NDArray

from cuvrel.core.arrays import U8
from cuvrel.core.media.reader import exact_rate
from cuvrel.core.media.space import Space
from cuvrel.core.media.yuv import frame_of

os.environ.setdefault("SVT_LOG", "1")  # its encoder tells of faults alone, and not of itself
VideoFormat = Literal["h264", "h264-small", "h264-element", "prores4444", "ffv1-grey", "proxy"]


class Writer(Protocol):
    """Takes frames in order; `close` finishes the file."""

    def write(self, picture: NDArray[Any]) -> None:
        """One frame, (H, W, 3), (H, W, 4) or (H, W), uint8 or float32, as the format wants."""

    def close(self) -> None:
        """Finishes the file."""


@dataclass(frozen=True)
class Encoding:
    """How a video is encoded: the codec, the pixel format that it writes, and the codec's options (FFmpeg's names)."""

    codec: str
    pixels: str
    options: dict[str, str] = field(default_factory=dict)


# x264's rate control by macroblock trees reads memory that nobody wrote where a picture's height is no multiple of
# 16: without it the same frames give the same file
_X264 = {"bf": "2", "x264-params": "mbtree=0"}
ENCODINGS: dict[VideoFormat, Encoding] = {
    "h264": Encoding("libx264", "yuv420p", {"crf": "17", "preset": "veryfast", **_X264}),
    # what ships with the program: slower to make, much smaller
    "h264-small": Encoding("libx264", "yuv420p", {"crf": "23", "preset": "slow", **_X264}),
    "h264-element": Encoding("libx264", "yuv420p", {"crf": "30", "preset": "slow", **_X264}),
    "prores4444": Encoding("prores_ks", "yuva444p10le", {"profile": "4444", "vendor": "apl0"}),
    "ffv1-grey": Encoding("ffv1", "gray", {"level": "3", "slices": "4", "slicecrc": "1"}),
    "proxy": Encoding("libx264", "yuv420p", {"crf": "12", "preset": "ultrafast", "g": "1", "tune": "fastdecode"}),
}
_GIVEN = {1: "gray", 3: "rgb24", 4: "rgba"}


class VideoWriter:
    """A video file. Odd sizes are cropped by a pixel where the format can't hold them (4:2:0)."""

    def __init__(
        self, path: Path, form: VideoFormat | Encoding, width: int, height: int, fps: float, space: Space | None = None
    ) -> None:
        """space: what the frames that are `put` are coded as; pictures are written as BT.709 in limited range."""
        encoding = form if isinstance(form, Encoding) else ENCODINGS[form]
        pixels, options = encoding.pixels, dict(encoding.options)
        if "420" in pixels:
            width, height = width & ~1, height & ~1
        elif "422" in pixels:
            width &= ~1
        self._size, self._pixels = (width, height), pixels
        # PyAV types a stream by its codec's kind, which it can't know from a name
        opened: Any = av
        self._container = opened.open(str(path), "w")
        rate, tag = exact_rate(fps), options.pop("tag", None)
        self._stream: Any = self._container.add_stream(encoding.codec, rate=rate, options=options)
        self._stream.width, self._stream.height, self._stream.pix_fmt = width, height, pixels
        self._stream.time_base = self._stream.codec_context.time_base = 1 / rate
        context = self._stream.codec_context
        if tag is not None:
            context.codec_tag = tag
        if path.suffix == ".webm" and pixels.startswith("yuva"):
            self._stream.metadata["alpha_mode"] = "1"
        self._yuv = pixels.startswith("yuv")
        if self._yuv:
            context.colorspace, context.color_primaries, context.color_trc = 1, 1, 1  # BT.709
            context.color_range = 1  # limited
            if space is not None:
                context.colorspace = {"bt709": 1, "bt601": 6, "bt2020": 9}[space.matrix]
                context.color_range = 2 if space.range == "full" else 1
        elif pixels.startswith("gbr"):
            context.colorspace, context.color_primaries, context.color_trc = 0, 1, 13  # RGB, as sRGB encodes it
            context.color_range = 2
        self._count = 0

    def write(self, picture: NDArray[Any]) -> None:
        width, height = self._size
        picture = np.ascontiguousarray(picture[:height, :width])
        if picture.dtype.kind == "f":
            frame = frame_of(picture, self._pixels, Space())
        else:
            given = _GIVEN[1 if picture.ndim == 2 else picture.shape[2]]
            frame = av.VideoFrame.from_ndarray(picture, format=given)
        if self._yuv and picture.dtype.kind != "f":
            frame = frame.reformat(format=self._pixels, dst_colorspace=av.video.reformatter.Colorspace.ITU709,
                                   dst_color_range=av.video.reformatter.ColorRange.MPEG)  # fmt: skip
        elif frame.format.name != self._pixels:
            frame = frame.reformat(format=self._pixels)
        self.put(frame)

    def put(self, frame: Any) -> None:
        """One frame, as it is to be encoded."""
        frame.pts, frame.time_base = self._count, self._stream.codec_context.time_base
        self._count += 1
        self._container.mux(self._stream.encode(frame))

    def close(self) -> None:
        self._container.mux(self._stream.encode(None))
        self._container.close()


def png_bytes(picture: NDArray[Any], level: int = 1) -> bytes:
    """A PNG of (H, W), (H, W, 3) RGB or (H, W, 4) RGBA, uint8 or uint16; level 1 is quick, 9 is small."""
    if picture.ndim == 3:
        picture = cv2.cvtColor(picture, cv2.COLOR_RGBA2BGRA if picture.shape[2] == 4 else cv2.COLOR_RGB2BGR)
    return bytes(cv2.imencode(".png", picture, [cv2.IMWRITE_PNG_COMPRESSION, level])[1])


def read_grey(data: bytes) -> U8:
    """(H, W) uint8 from PNG bytes."""
    picture = cv2.imdecode(np.frombuffer(data, np.uint8), cv2.IMREAD_GRAYSCALE)
    if picture is None:
        raise ValueError("not a PNG picture")
    return picture


class Accompanies(Protocol):
    """Sound that goes with a video that is joined."""

    def begin(self, container: Any) -> None:
        """Adds its stream to a container that nothing was written to."""

    def until(self, seconds: float | None) -> None:
        """Writes what is heard up to then, or all that is left."""


def join_videos(
    parts: Sequence[tuple[Path, int]], to: Path, sound: Accompanies | None = None, timecode: str = "", reel: str = ""
) -> None:
    """Joins parts, given as (file, frames), of one format and size without encoding again, and lays sound to them.

    timecode: of the first frame, and reel, where the container takes them.
    """
    options = {"movflags": "+faststart"} if to.suffix in (".mp4", ".mov") else {}
    with av.open(str(to), "w", options=options) as out:
        stream: Any = None
        start = 0
        for path, frames in parts:
            with av.open(str(path)) as part:
                source: Any = part.streams.video[0]
                if stream is None:
                    # some decoders have no encoder of the same name
                    opaque = source.codec_context.name not in av.codecs_available or source.codec.name == "libdav1d"
                    stream = out.add_stream_from_template(source, opaque=opaque)
                    stream.time_base = source.time_base
                    if "ALPHA_MODE" in source.metadata or "alpha_mode" in source.metadata:
                        stream.metadata["alpha_mode"] = "1"
                    if timecode:
                        stream.metadata["timecode"] = timecode
                    if reel:
                        stream.metadata["reel_name"] = reel
                    if sound is not None:
                        sound.begin(out)
                step = 1 / (source.average_rate * source.time_base)
                offset = round(start * step)
                for packet in _packets(part, source):
                    packet.pts, packet.dts = packet.pts + offset, packet.dts + offset
                    if sound is not None:
                        sound.until(float(packet.dts * source.time_base))
                    packet.stream = stream
                    out.mux(packet)
            start += frames
        if sound is not None:
            sound.until(None)


def _packets(container: Any, stream: Any) -> Iterator[Any]:
    """The packets that hold something; the last of a file, which flushes, does not."""
    return (packet for packet in container.demux(stream) if packet.dts is not None)


def zip_folder(folder: Path, to: Path) -> None:
    """Every file of a folder, uncompressed (PNG already is), in the order of names."""
    with zipfile.ZipFile(to, "w", zipfile.ZIP_STORED) as archive:
        for file in sorted(folder.iterdir()):
            archive.write(file, file.name)
