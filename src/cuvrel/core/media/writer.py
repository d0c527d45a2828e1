"""Writing results: video files, PNG sequences, and joining parts that were written one by one."""

from __future__ import annotations

import zipfile
from collections.abc import Iterator, Sequence
from pathlib import Path
from typing import Any, Literal, Protocol

import av
import cv2
import numpy as np
from numpy.typing import NDArray

from cuvrel.core.media.reader import exact_rate

VideoFormat = Literal["h264", "h264-small", "h264-element", "prores4444", "ffv1-grey", "proxy"]


class Writer(Protocol):
    """Takes frames in order; `close` finishes the file."""

    def write(self, picture: NDArray) -> None:
        """One frame, uint8: (H, W, 3), (H, W, 4) or (H, W), as the format wants."""

    def close(self) -> None:
        """Finishes the file."""


# x264's rate control by macroblock trees reads memory that nobody wrote where a picture's height is no multiple of
# 16: without it the same frames give the same file
_X264 = {"bf": "2", "x264-params": "mbtree=0"}
_CODECS: dict[VideoFormat, tuple[str, str, str, dict[str, str]]] = {
    # format: codec, pixel format written, format of the frames given, options
    "h264": ("libx264", "yuv420p", "rgb24", {"crf": "17", "preset": "veryfast", **_X264}),
    # what ships with the program: slower to make, much smaller
    "h264-small": ("libx264", "yuv420p", "rgb24", {"crf": "23", "preset": "slow", **_X264}),
    "h264-element": ("libx264", "yuv420p", "rgb24", {"crf": "30", "preset": "slow", **_X264}),
    "prores4444": ("prores_ks", "yuva444p10le", "rgba", {"profile": "4444", "vendor": "apl0"}),
    "ffv1-grey": ("ffv1", "gray", "gray", {"level": "3", "slices": "4", "slicecrc": "1"}),
    "proxy": ("libx264", "yuv420p", "rgb24", {"crf": "12", "preset": "ultrafast", "g": "1", "tune": "fastdecode"}),
}


class VideoWriter:
    """A video file. Odd sizes are cropped by a pixel where the format can't hold them (4:2:0)."""

    def __init__(self, path: Path, form: VideoFormat, width: int, height: int, fps: float) -> None:
        codec, pixels, self._given, options = _CODECS[form]
        if pixels == "yuv420p":
            width, height = width & ~1, height & ~1
        self._size = width, height
        # PyAV types a stream by its codec's kind, which it can't know from a name
        opened: Any = av
        self._container = opened.open(str(path), "w")
        rate = exact_rate(fps)
        self._stream: Any = self._container.add_stream(codec, rate=rate, options=options)
        self._stream.width, self._stream.height, self._stream.pix_fmt = width, height, pixels
        self._stream.time_base = self._stream.codec_context.time_base = 1 / rate
        self._yuv = pixels.startswith("yuv")
        if self._yuv:
            context = self._stream.codec_context
            context.colorspace, context.color_primaries, context.color_trc = 1, 1, 1  # BT.709
            context.color_range = 1  # limited
        self._count = 0

    def write(self, picture: NDArray) -> None:
        width, height = self._size
        picture = np.ascontiguousarray(picture[:height, :width])
        frame = av.VideoFrame.from_ndarray(picture, format=self._given)
        if self._yuv:
            frame = frame.reformat(format=self._stream.pix_fmt, dst_colorspace=av.video.reformatter.Colorspace.ITU709,
                                   dst_color_range=av.video.reformatter.ColorRange.MPEG)  # fmt: skip
        frame.pts, frame.time_base = self._count, self._stream.codec_context.time_base
        self._count += 1
        self._container.mux(self._stream.encode(frame))

    def close(self) -> None:
        self._container.mux(self._stream.encode(None))
        self._container.close()


class PngWriter:
    """Numbered PNG files in a folder: PREFIX.0001.png and so on from `first`."""

    def __init__(self, folder: Path, prefix: str, first: int) -> None:
        folder.mkdir(parents=True, exist_ok=True)
        self._folder, self._prefix, self._number = folder, prefix, first

    def write(self, picture: NDArray) -> None:
        data = png_bytes(picture)
        (self._folder / f"{self._prefix}.{self._number:04d}.png").write_bytes(data)
        self._number += 1

    def close(self) -> None:
        """Nothing is left open."""


def png_bytes(picture: NDArray, level: int = 1) -> bytes:
    """A PNG of (H, W), (H, W, 3) RGB or (H, W, 4) RGBA uint8; level 1 is quick, 9 is small."""
    if picture.ndim == 3:
        picture = cv2.cvtColor(picture, cv2.COLOR_RGBA2BGRA if picture.shape[2] == 4 else cv2.COLOR_RGB2BGR)
    return bytes(cv2.imencode(".png", picture, [cv2.IMWRITE_PNG_COMPRESSION, level])[1])


def read_grey(data: bytes) -> NDArray[np.uint8]:
    """(H, W) uint8 from PNG bytes."""
    picture = cv2.imdecode(np.frombuffer(data, np.uint8), cv2.IMREAD_GRAYSCALE)
    if picture is None:
        raise ValueError("not a PNG picture")
    return picture


def join_videos(parts: Sequence[tuple[Path, int]], to: Path) -> None:
    """Joins parts, given as (file, frames), of one format and size without encoding again."""
    with av.open(str(to), "w") as out:
        stream: Any = None
        start = 0
        for path, frames in parts:
            with av.open(str(path)) as part:
                source: Any = part.streams.video[0]
                if stream is None:
                    stream = out.add_stream_from_template(source)
                    stream.time_base = source.time_base
                step = 1 / (source.average_rate * source.time_base)
                offset = round(start * step)
                for packet in _packets(part, source):
                    packet.pts, packet.dts = packet.pts + offset, packet.dts + offset
                    packet.stream = stream
                    out.mux(packet)
            start += frames


def _packets(container: Any, stream: Any) -> Iterator[Any]:
    """The packets that hold something; the last of a file, which flushes, does not."""
    return (packet for packet in container.demux(stream) if packet.dts is not None)


def zip_folder(folder: Path, to: Path) -> None:
    """Every file of a folder, uncompressed (PNG already is), in the order of names."""
    with zipfile.ZipFile(to, "w", zipfile.ZIP_STORED) as archive:
        for file in sorted(folder.iterdir()):
            archive.write(file, file.name)
