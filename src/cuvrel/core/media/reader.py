"""Frame-accurate reading."""

from __future__ import annotations

import threading
import zipfile
from bisect import bisect_left
from collections import OrderedDict
from fractions import Fraction
from pathlib import Path
from typing import Any

import av
import cv2
import numpy as np
from numpy.typing import NDArray

from cuvrel.core.media.colour import U8
from cuvrel.core.media.probe import MediaInfo, open_video
from cuvrel.core.recipe.errors import MediaError

_TURNS = {90: cv2.ROTATE_90_COUNTERCLOCKWISE, 180: cv2.ROTATE_180, 270: cv2.ROTATE_90_CLOCKWISE}


def to_rgb(frame: Any, rotation: int = 0) -> U8:
    """A decoded frame as (H, W, 3) uint8 sRGB, turned upright.

    An untagged frame is taken for BT.709 from 720 lines up and for BT.601 below, as players do.
    """
    if any(kind in frame.format.name for kind in ("rgb", "gbr", "bgr", "gray")):
        rgb = frame.to_ndarray(format="rgb24")
    else:
        space = frame.colorspace
        if int(space) in (0, 2):  # RGB is handled above; 2 is "unspecified"
            space = av.video.reformatter.Colorspace.ITU709 if frame.height >= 720 else (
                av.video.reformatter.Colorspace.ITU601)  # fmt: skip
        rgb = frame.reformat(
            format="rgb24",
            src_colorspace=space,
            interpolation=av.video.reformatter.Interpolation.BICUBIC,
        ).to_ndarray()
    return np.ascontiguousarray(cv2.rotate(rgb, _TURNS[rotation]) if rotation in _TURNS else rgb)


def to_alpha(frame: Any, rotation: int = 0) -> U8:
    """A decoded frame's alpha, (H, W) uint8, turned upright; all 255 where it has none."""
    if any(part.is_alpha for part in frame.format.components):
        alpha = frame.reformat(format="rgba").to_ndarray()[..., 3]
    else:
        alpha = np.full((frame.height, frame.width), 255, np.uint8)
    return np.ascontiguousarray(cv2.rotate(alpha, _TURNS[rotation]) if rotation in _TURNS else alpha)


class Reader:
    """Any frame of a footage file by its number, the same pixels in any order. Safe to share.

    Going forward decodes on; a jump seeks to the key frame before and decodes up to the frame. The
    frames passed on the way are kept, up to `keep_bytes`, so that stepping back is quick too.
    """

    def __init__(self, path: Path, info: MediaInfo, keep_bytes: int = 96 << 20, alpha: bool = False) -> None:
        """alpha: its frames are the footage's alpha, (H, W) uint8, and not its colours."""
        self.path, self.info = path, info
        self._convert = to_alpha if alpha else to_rgb
        self._alpha = alpha
        self._lock = threading.Lock()
        self._kept: OrderedDict[int, U8] = OrderedDict()
        self._room = max(2, keep_bytes // (info.width * info.height * 3))
        self._container: Any = None
        self._frames: Any = None
        self._next = 0

    def frame(self, number: int) -> U8:
        """(H, W, 3) uint8 sRGB. Raises MediaError outside 0 to frames - 1 or when the file is damaged."""
        if not 0 <= number < self.info.frames:
            raise MediaError(f"There is no frame {number}; the footage has {self.info.frames}.")
        with self._lock:
            if number in self._kept:
                self._kept.move_to_end(number)
                return self._kept[number]
            picture = self._picture(number) if self.info.kind == "sequence" else self._decoded(number)
            self._keep(number, picture)
            return picture

    def close(self) -> None:
        """Lets go of the file."""
        with self._lock:
            self._shut()
            self._kept.clear()

    def _shut(self) -> None:
        if self._container is not None:
            self._container.close()
        self._container = self._frames = None

    def _keep(self, number: int, picture: U8) -> None:
        self._kept[number] = picture
        while len(self._kept) > self._room:
            self._kept.popitem(last=False)

    def _picture(self, number: int) -> U8:
        with zipfile.ZipFile(self.path) as archive:
            data = np.frombuffer(archive.read(self.info.names[number]), np.uint8)
        picture = cv2.imdecode(data, cv2.IMREAD_UNCHANGED if self._alpha else cv2.IMREAD_COLOR)
        if picture is None:
            raise MediaError(f"The picture '{self.info.names[number]}' is broken.")
        if self._alpha:
            whole = picture.ndim == 2 or picture.shape[2] < 4
            plane = np.full(picture.shape[:2], 255, np.uint8) if whole else picture[..., 3]
            return np.ascontiguousarray(plane if plane.dtype == np.uint8 else plane >> 8, np.uint8)
        return np.ascontiguousarray(picture[..., ::-1])

    def _decoded(self, number: int) -> U8:
        if self._container is None or not self._next <= number <= self._next + 12:
            self._seek(number)
        back = 1
        while True:
            found = self._run_to(number)
            if found is not None:
                return found
            # the key frame was too late (an open group of pictures): start from further back
            back *= 4
            if number - back < -4 * self.info.frames:
                raise MediaError(f"Frame {number} can't be decoded any more.", "The file was changed or damaged.")
            self._seek(max(0, number - back))

    def _seek(self, number: int) -> None:
        self._shut()
        self._container = open_video(self.path)
        stream = self._container.streams.video[0]
        stream.thread_type = "AUTO"
        if number > 0:
            self._container.seek(self.info.pts[number], stream=stream, backward=True)
        self._frames = self._container.decode(stream)
        self._next = -1  # not known until the first frame arrives

    def _run_to(self, number: int) -> U8 | None:
        target = self.info.pts[number]
        try:
            for frame in self._frames:
                if frame.pts is None or frame.pts > target:
                    if frame.pts is not None:
                        self._shut()
                        return None
                    continue
                here = bisect_left(self.info.pts, frame.pts)
                self._next = here + 1
                if frame.pts == target:
                    return self._convert(frame, self.info.rotation)
                if number - here < self._room and here not in self._kept:
                    self._keep(here, self._convert(frame, self.info.rotation))
        except av.FFmpegError as fault:
            self._shut()
            raise MediaError(f"The footage is damaged near frame {number}.") from fault
        self._shut()
        return None


def resized(picture: NDArray[Any], size: tuple[int, int]) -> NDArray[Any]:
    """The picture at (H, W): averaged when it shrinks, cubic when it grows."""
    if picture.shape[:2] == size:
        return picture
    way = cv2.INTER_AREA if size[0] < picture.shape[0] else cv2.INTER_CUBIC
    return np.asarray(cv2.resize(picture, (size[1], size[0]), interpolation=way))


def as_grey(plane: U8, size: tuple[int, int]) -> NDArray[np.float32]:
    """(H, W) uint8 at another size as float32, 0 to 1."""
    return np.asarray(resized(plane, size).astype(np.float32) / np.float32(255))


def exact_rate(fps: float) -> Fraction:
    """The rate as a fraction: 23.976 and its like become n * 1000 / 1001."""
    whole = round(fps)
    if whole and abs(fps - whole * 1000 / 1001) < 0.002:
        return Fraction(whole * 1000, 1001)
    return Fraction(fps).limit_denominator(1000)
