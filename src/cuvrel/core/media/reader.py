"""Frame-accurate reading."""

from __future__ import annotations

import threading
import zipfile
from bisect import bisect_left
from collections import OrderedDict
from collections.abc import Iterator
from fractions import Fraction
from pathlib import Path
from typing import Any

import av
import cv2
import numpy as np
from numpy.typing import NDArray

from cuvrel.core.arrays import F32, U8
from cuvrel.core.imaging.colour import rounded
from cuvrel.core.media.container import frames_of, open_video, picture_of
from cuvrel.core.media.managed import lit, on_screen
from cuvrel.core.media.probe import MediaInfo
from cuvrel.core.media.space import OF_SPACE
from cuvrel.core.media.stills import part, read
from cuvrel.core.media.yuv import alpha_of, is_rgb, rgb_of, screen_of, space_of
from cuvrel.core.recipe.errors import MediaError

_TURNS = {90: cv2.ROTATE_90_COUNTERCLOCKWISE, 180: cv2.ROTATE_180, 270: cv2.ROTATE_90_CLOCKWISE}


Wanted = str
"""What a reader's frames are: "screen", "alpha", "light", or a part of an EXR behind PART (see Reader)."""
PART = "part:"


def to_rgb(frame: Any, info: MediaInfo | None = None) -> U8:
    """A decoded frame as (H, W, 3) uint8 sRGB, turned upright.

    An untagged frame is taken for BT.709 from 720 lines up and for BT.601 below, as players do. info: of its footage,
    which may say otherwise.
    """
    by_hand = info is not None and not set(OF_SPACE).isdisjoint(info.hand)
    if info is not None and (by_hand or not info.reads_as.plain):
        return on_screen(to_light(frame, info), info.reads_as)
    if is_rgb(frame.format.name) or frame.format.name.startswith("gray"):
        deep = max(part.bits for part in frame.format.components) > 8
        # swscale makes eight bits of more by cutting them off
        rgb = rounded(rgb_of(frame, space_of(frame)[0])) if deep else frame.to_ndarray(format="rgb24")
    else:
        rgb = screen_of(frame, space_of(frame)[0] if info is None else info.reads_as)
    return _upright(_one_moment(rgb, info), info)


def to_light(frame: Any, info: MediaInfo) -> F32:
    """A decoded frame as (H, W, 4) opaque float32 linear light, as deep as it is, turned upright."""
    space = info.reads_as
    return _upright(lit(_one_moment(rgb_of(frame, space), info), space), info)


def to_alpha(frame: Any, info: MediaInfo) -> NDArray[Any]:
    """A decoded frame's alpha, (H, W) uint8, uint16 or float32, turned upright; all 255 where it has none."""
    alpha = alpha_of(frame)
    if alpha is None:
        alpha = np.full((frame.height, frame.width), 255, np.uint8)
    return _upright(_one_moment(alpha[..., None], info)[..., 0], info)


def _upright(picture: NDArray[Any], info: MediaInfo | None) -> NDArray[Any]:
    """As it is to be seen: its edges cut off where that is asked for, its pixels square, not mirrored, and turned."""
    if info is None:
        return picture
    if info.cut is not None:
        x, y, wide, high = info.cut
        picture = picture[y : y + high, x : x + wide]
    if info.coded is not None and info.coded != (shown := _shown(info)):
        picture = resized(picture, shown[::-1])
    if info.flipped:
        picture = picture[:, ::-1]
    return np.ascontiguousarray(cv2.rotate(picture, _TURNS[info.rotation]) if info.rotation in _TURNS else picture)


def _shown(info: MediaInfo) -> tuple[int, int]:
    """Width and height before a picture is turned."""
    return (info.height, info.width) if info.rotation in (90, 270) else (info.width, info.height)


def _one_moment(picture: NDArray[Any], info: MediaInfo | None) -> NDArray[Any]:
    return de_interlaced(picture) if info is not None and info.hand.get("fields") == "de-interlaced" else picture


def de_interlaced(picture: NDArray[Any]) -> NDArray[Any]:
    """The moment of the even rows of an interlaced picture, (H, W, C): odd rows that comb are made from them.

    A row combs where it differs from both of its neighbours to the same side. It then comes from four even rows
    (cubic); what stands still keeps all of its rows.
    """
    rows = picture.astype(np.float32)
    top = 1.0 if picture.dtype.kind == "f" else float(np.iinfo(picture.dtype).max)
    even = rows[::2]
    odd = rows[1::2]
    count = odd.shape[0]
    at = np.arange(count)
    last = even.shape[0] - 1
    above, below = even[at], even[np.minimum(at + 1, last)]
    further = even[np.maximum(at - 1, 0)] + even[np.minimum(at + 2, last)]
    made = (9 * (above + below) - further) / 16
    made = np.clip(made, np.minimum(above, below), np.maximum(above, below))
    up, down = odd - above, odd - below
    combs = (np.minimum(np.abs(up), np.abs(down)) * (up * down > 0)).max(axis=2) > 0.02 * top
    combs = cv2.dilate(combs.astype(np.uint8), np.ones((3, 5), np.uint8)) > 0
    out = rows
    out[1::2] = np.where(combs[..., None], made, odd)
    return out if picture.dtype.kind == "f" else np.clip(np.round(out), 0, top).astype(picture.dtype)


class Reader:
    """Any frame of a footage file by its number, the same pixels in any order. Safe to share.

    Going forward decodes on; a jump seeks to the key frame before and decodes up to the frame. The
    frames passed on the way are kept, up to `keep_bytes`, so that stepping back is quick too.
    """

    def __init__(self, path: Path, info: MediaInfo, keep_bytes: int = 96 << 20, wanted: Wanted = "screen") -> None:
        """wanted: what its frames are.

        `screen`: (H, W, 3) uint8 sRGB; `alpha`: (H, W) uint8, uint16 or float32; `light`: (H, W, 4) opaque float32
        linear light, as deep as the footage is; `part:` and a part (stills.part): (H, W) float32 as it is.
        """
        self.path, self.info, self._wanted = path, info, wanted
        self._lock = threading.Lock()
        self._kept: OrderedDict[int, NDArray[Any]] = OrderedDict()
        self._room = max(2, keep_bytes // max(1, info.width * info.height * (16 if wanted == "light" else 3)))
        self._container: Any = None
        self._frames: Any = None
        self._next = 0

    def frame(self, number: int) -> NDArray[Any]:
        """One frame. Raises MediaError outside 0 to frames - 1 or when the file is damaged."""
        if not 0 <= number < self.info.frames:
            raise MediaError(f"There is no frame {number}; the footage has {self.info.frames}.")
        if self.info.pts:
            number = bisect_left(self.info.pts, self.info.pts[number])  # the same picture may stand on several frames
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

    def _keep(self, number: int, picture: NDArray[Any]) -> None:
        self._kept[number] = picture
        while len(self._kept) > self._room:
            self._kept.popitem(last=False)

    def _convert(self, frame: Any) -> NDArray[Any]:
        if self._wanted == "screen":
            return to_rgb(frame, self.info)
        return (to_light if self._wanted == "light" else to_alpha)(frame, self.info)

    def _picture(self, number: int) -> NDArray[Any]:
        name = self.info.names[number]
        try:
            with zipfile.ZipFile(self.path) as archive:
                data = archive.read(name)
        except (zipfile.BadZipFile, OSError, KeyError) as fault:
            raise MediaError(f"The picture '{Path(name).name}' can't be read any more.") from fault
        if self._wanted.startswith(PART):
            return part(data, name, self._wanted.removeprefix(PART))
        hand = self.info.hand
        still = read(data, name, hand.get("layer", ""), as_is=bool(hand.get("colour")))
        if self._wanted == "alpha":
            return np.full(still.colour.shape[:2], 255, np.uint8) if still.alpha is None else still.alpha
        colour, space = still.colour, self.info.reads_as
        if self._wanted == "screen" and colour.dtype == np.uint8 and space.plain:
            return colour
        if colour.dtype.kind != "f":
            colour = colour.astype(np.float32) / np.float32(np.iinfo(colour.dtype).max)
        whole = lit(colour, space)
        return whole if self._wanted == "light" else on_screen(whole, space)

    def _decoded(self, number: int) -> NDArray[Any]:
        # where frames are told by their count alone, there is no leap but back to the first
        far = number - self._next > 12 and not self.info.counted
        if self._container is None or number < self._next or far:
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
        stream = picture_of(self._container)
        stream.thread_type = "AUTO"
        if number > 0 and not self.info.counted:
            self._container.seek(self.info.pts[number], stream=stream, backward=True)
        self._frames = frames_of(self._container)
        if self.info.counted:
            self._frames = numbered(self._frames)
        self._next = -1  # not known until the first frame arrives

    def _run_to(self, number: int) -> NDArray[Any] | None:
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
                    return self._convert(frame)
                # what lies between two places of the grid is not shown, and must not be taken for what is
                shown = here < len(self.info.pts) and self.info.pts[here] == frame.pts
                if shown and number - here < self._room and here not in self._kept:
                    self._keep(here, self._convert(frame))
        except av.FFmpegError as fault:
            self._shut()
            raise MediaError(f"The footage is damaged near frame {number}.") from fault
        self._shut()
        return None


def numbered(frames: Iterator[Any]) -> Iterator[Any]:
    """Frames from a file's first on, each with its number in place of its time."""
    for number, frame in enumerate(frames):
        frame.pts = number
        yield frame


def resized(picture: NDArray[Any], size: tuple[int, int]) -> NDArray[Any]:
    """The picture at (H, W): averaged when it shrinks, cubic when it grows."""
    if picture.shape[:2] == size:
        return picture
    way = cv2.INTER_AREA if size[0] < picture.shape[0] else cv2.INTER_CUBIC
    return np.asarray(cv2.resize(picture, (size[1], size[0]), interpolation=way))


def as_grey(plane: NDArray[Any], size: tuple[int, int]) -> F32:
    """(H, W) uint8, uint16 or float32 at another size as float32, 0 to 1; integers use their whole range."""
    if plane.dtype.kind == "f":
        return np.asarray(np.clip(resized(plane, size), 0, 1), np.float32)
    return np.asarray(resized(plane, size).astype(np.float32) / np.float32(np.iinfo(plane.dtype).max))


def exact_rate(fps: float) -> Fraction:
    """The rate as a fraction: 23.976 and its like become n * 1000 / 1001."""
    whole = round(fps)
    slowed = whole * 1000 / 1001
    if whole and abs(fps - slowed) < min(0.002, abs(fps - whole)):
        return Fraction(whole * 1000, 1001)
    return Fraction(fps).limit_denominator(1000)
