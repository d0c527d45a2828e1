"""Writers of what an order asks for, and writing a range of its frames."""

from __future__ import annotations

import math
import shutil
import zipfile
from collections import deque
from collections.abc import Callable, Iterable, Mapping, Sequence
from concurrent.futures import Future, ThreadPoolExecutor
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

import cv2
import numpy as np
import OpenEXR
import tifffile
from numpy.typing import NDArray

from cuvrel.core.export.formats import How
from cuvrel.core.export.order import Order
from cuvrel.core.export.pictures import Layer, layers, picture, shaped, size_of
from cuvrel.core.media import cryptomatte
from cuvrel.core.media.managed import chromaticities
from cuvrel.core.media.timecode import parts_of, shifted
from cuvrel.core.media.writer import Encoding, VideoWriter, Writer, png_bytes
from cuvrel.core.recipe.errors import RecipeError
from cuvrel.core.stand.build import Stand
from cuvrel.core.stand.nodes import Cache, Node, work_out

Array = NDArray[Any]
SHEET_WIDTH = 1920


def encoding(order: Order) -> Encoding:
    """How a video of this order is encoded."""
    how = order.how
    pixels = how.pixels
    if order.alpha != "none" and how.pixels_alpha:
        pixels = how.pixels_alpha
    elif order.settings.what == "matte" and how.pixels_grey:
        pixels = how.pixels_grey
    return Encoding(how.codec, pixels, {**how.options, **how.quality.get(order.settings.quality, {})})


def open_writer(
    order: Order, path: Path, size: tuple[int, int], prefix: str, number: int, layers: Sequence[Layer] = (),
    said: Said | None = None,
) -> Writer:  # fmt: skip
    """A writer for a part of an order: a file at `path`, or for pictures a folder.

    size: rows and columns. prefix: of the pictures' names, which count from `number`. layers: of what is given. said:
    what pictures say of themselves.
    """
    how = order.how
    if how.form in ("video", "loop"):
        return VideoWriter(path, encoding(order), size[1], size[0], order.rate)
    if how.form == "sheet":
        return SheetWriter(path, order, number)
    if how.form == "still":
        return StillWriter(path)
    return PicturesWriter(path, how, prefix, number, list(layers), order.alpha, said)


PICTURES = (".png", ".tif", ".exr")  # what numbered pictures may be


class PicturesWriter:
    """Numbered pictures in a folder: PREFIX.0001.png and so on from `first`; layers lie in folders of their names."""

    def __init__(
        self, folder: Path, how: How, prefix: str, first: int, layers: list[Layer] | None = None, alpha: str = "none",
        said: Said | None = None,
    ) -> None:  # fmt: skip
        if how.suffix not in PICTURES:
            raise RecipeError(f"Nothing here writes {how.suffix} pictures.", f"Known: {', '.join(PICTURES)}.")
        folder.mkdir(parents=True, exist_ok=True)
        self._folder, self._how, self._prefix, self._number, self._alpha = folder, how, prefix, first, alpha
        self._layers, self._said, self._count = layers or [], said or Said(), 0

    def write(self, picture: Array) -> None:
        name = f"{self._prefix}.{self._number:04d}{self._how.suffix}"
        self._number += 1
        self._count += 1
        if not self._layers or self._how.suffix == ".exr":
            self._put(self._folder / name, picture, self._layers or [("", 1 if picture.ndim == 2 else 4)])
            return
        at = 0
        for layer, channels in self._layers:
            part = picture[..., at : at + channels]
            at += channels
            folder = self._folder / (layer or "result")
            folder.mkdir(exist_ok=True)
            self._put(folder / name, part[..., 0] if channels == 1 else part, [(layer, channels)])

    def _put(self, path: Path, picture: Array, layers: Sequence[Layer]) -> None:
        if self._how.suffix == ".exr":
            _write_exr(path, picture, layers, self._how.depth == "half", self._said, self._count - 1)
            return
        whole = picture
        if whole.dtype.kind == "f":
            whole = np.round(np.clip(whole, 0, 1) * np.float32(65535)).astype(np.uint16)
        if self._how.suffix == ".png":
            path.write_bytes(png_bytes(np.ascontiguousarray(whole)))
            return
        extra: list[Any] = []
        if whole.ndim == 3 and whole.shape[2] == 4:
            extra = ["assocalpha" if self._alpha == "premultiplied" else "unassalpha"]
        tifffile.imwrite(path, np.ascontiguousarray(whole), photometric="minisblack" if whole.ndim == 2 else "rgb",
                         extrasamples=extra, compression="zlib", predictor=True, metadata=None)  # fmt: skip

    def close(self) -> None:
        """Nothing is left open."""


@dataclass(frozen=True)
class Said:
    """What EXR pictures say of themselves.

    timecode: of the first one, or "", at so many frames a second. chromaticities: of their primaries, where they are
    not BT.709's. names: of the mattes among the layers, by the layers' names, for Cryptomatte.
    """

    timecode: str = ""
    fps: float = 24.0
    reel: str = ""
    chromaticities: tuple[float, ...] | None = None
    names: Mapping[str, str] = field(default_factory=dict)

    def header(self, number: int) -> dict[str, Any]:
        """The attributes of so many-th picture."""
        out: dict[str, Any] = {}
        if self.timecode and (parts := parts_of(shifted(self.timecode, number, self.fps))) is not None:
            hours, minutes, seconds, frames, drop = parts
            # flags and the user's bits are none
            out["timeCode"] = OpenEXR.TimeCode(hours, minutes, seconds, frames, drop, *([0] * 13))
        if self.reel:
            out["reelName"] = self.reel
        if self.chromaticities is not None:
            out["chromaticities"] = self.chromaticities
        return out


CRYPTO = "CryptoMatte"
"""The Cryptomatte layer in which all mattes of an EXR lie once more, by their names."""


def _write_exr(path: Path, picture: Array, layers: Sequence[Layer], half: bool, said: Said, number: int) -> None:
    """Named channels: R, G, B and A of the first layer, NAME.R and so on of others, NAME.Y of a matte.

    Mattes that are layers are written as Cryptomatte as well. number: which of the pictures it is.
    """
    kind = np.float16 if half else np.float32
    flat = picture[..., None] if picture.ndim == 2 else picture
    if half:
        flat = np.clip(flat, -65504, 65504)
    channels: dict[str, Any] = {}
    at = 0
    for name, count in layers:
        stem = f"{name}." if name else ""
        letters = ["Y"] if count == 1 else ["R", "G", "B", "A"][: flat.shape[2] if len(layers) == 1 else 4]
        for letter in letters:
            channels[stem + letter] = np.ascontiguousarray(flat[..., at], kind)
            at += 1
    header = {"compression": OpenEXR.ZIP_COMPRESSION, "type": OpenEXR.scanlineimage, **said.header(number)}
    mattes = [name for name, count in layers if count == 1 and name in said.names]
    if mattes:
        names = [said.names[name] for name in mattes]
        covers = [channels[f"{name}.Y"].astype(np.float32) for name in mattes]
        channels |= cryptomatte.ranked(covers, names, CRYPTO)
        header |= cryptomatte.header(names, CRYPTO)
    OpenEXR.File(header, channels).write(str(path))


class StillWriter:
    """One picture as a PNG."""

    def __init__(self, path: Path) -> None:
        self._path = path

    def write(self, picture: Array) -> None:
        if picture.dtype.kind == "f":
            picture = np.round(np.clip(picture, 0, 1) * np.float32(65535)).astype(np.uint16)
        self._path.write_bytes(png_bytes(np.ascontiguousarray(picture), 6))

    def close(self) -> None:
        """Nothing is left open."""


class SheetWriter:
    """A contact sheet: frames in rows, with their numbers under them, on a dark ground."""

    def __init__(self, path: Path, order: Order, number: int) -> None:
        self._path, self._numbers, self._cells = path, [number + n for n in order.frames], list[Array]()

    def write(self, picture: Array) -> None:
        shown = picture if picture.ndim == 3 else np.repeat(picture[..., None], 3, axis=2)
        if shown.shape[2] == 4:
            share = shown[..., 3:].astype(np.float32) / 255
            shown = np.round(shown[..., :3] * share + 90 * (1 - share)).astype(np.uint8)
        columns = max(1, min(6, math.ceil(math.sqrt(len(self._numbers) * shown.shape[0] / shown.shape[1] * 1.4))))
        width = min(SHEET_WIDTH // columns - 12, shown.shape[1])
        height = max(1, round(shown.shape[0] * width / shown.shape[1]))
        cell = np.full((height + 30, width + 12, 3), 38, np.uint8)
        cell[6 : 6 + height, 6 : 6 + width] = cv2.resize(shown, (width, height), interpolation=cv2.INTER_AREA)
        number = str(self._numbers[len(self._cells)])
        cv2.putText(cell, number, (8, height + 23), cv2.FONT_HERSHEY_SIMPLEX, 0.45, (225, 222, 214), 1, cv2.LINE_AA)
        self._columns = columns
        self._cells.append(cell)

    def close(self) -> None:
        """Writes the sheet."""
        if not self._cells:
            return
        empty = np.full_like(self._cells[0], 38)
        filled = self._cells + [empty] * (-len(self._cells) % self._columns)
        rows = [np.hstack(filled[n : n + self._columns]) for n in range(0, len(filled), self._columns)]
        self._path.write_bytes(png_bytes(np.ascontiguousarray(np.vstack(rows)), 6))


def ahead_of(size: tuple[int, int]) -> int:
    """How many pictures of a size are worked on before they are written: large ones one at a time, for their memory."""
    return 3 if size[0] * size[1] < 5_000_000 else 1


def write_range(
    nodes: Iterable[Node], writer: Writer, cache: Cache, tick: Callable[[], bool] = lambda: True, ahead: int = 3,
    shape: Callable[[Array], Array] = lambda picture: picture,
) -> bool:  # fmt: skip
    """Works the nodes out, some frames ahead of the encoder, and writes them in order.

    tick: called after each frame; when it answers False the range is left unfinished. shape: what is done to each
    picture before it is written. Returns whether all was written. The writer is closed either way.
    """
    todo = iter(nodes)
    waiting: deque[Future[Array]] = deque()
    with ThreadPoolExecutor(min(2, ahead), thread_name_prefix="export") as pool:
        try:
            while True:
                while len(waiting) < ahead and (one := next(todo, None)) is not None:
                    waiting.append(pool.submit(work_out, one, cache))
                if not waiting:
                    return True
                writer.write(shape(waiting.popleft().result()))
                if not tick():
                    return False
        finally:
            for left in waiting:
                left.cancel()
            writer.close()


def said_of(stand: Stand, order: Order, first: int) -> Said:
    """What the pictures of an order say of themselves, from one of its frames on."""
    colour, shot = order.settings.colour, stand.shot
    linear = order.how.depth in ("half", "float")
    code = order.timecode(shot)
    primaries = chromaticities(colour.removeprefix("space:")) if linear and colour.startswith("space:") else None
    names = {}
    if order.settings.what == "layers":
        mattes = [one.removeprefix("matte:") for one in order.targets if one.startswith("matte:")]
        layered = [name for name, count in layers(stand, order) if count == 1]
        names = {layer: shot.matte(ident).name for layer, ident in zip(layered, mattes, strict=True)}
    return Said(shifted(code, first - order.first, order.fps) if code else "", order.fps, shot.plate_footage().reel,
                primaries, names)  # fmt: skip


def write_frames(
    stand: Stand, order: Order, frames: Sequence[int], to: Path, prefix: str, number: int, cache: Cache,
    tick: Callable[[], bool] = lambda: True,
) -> None:  # fmt: skip
    """Writes some of an order's frames to a file, or for pictures into a folder. See open_writer and write_range."""
    named = layers(stand, order) if order.settings.what == "layers" else ()
    writer = open_writer(order, to, size_of(stand, order), prefix, number, named, said_of(stand, order, frames[0]))
    nodes = (picture(stand, order, frame) for frame in frames)
    write_range(nodes, writer, cache, tick, ahead_of(stand.size), shaped(order.how, order))


def packed(folder: Path, to: Path) -> Path:
    """A folder of pictures, layers in their folders, as one ZIP; the folder goes."""
    with zipfile.ZipFile(to, "w", zipfile.ZIP_STORED) as archive:
        for file in sorted(folder.rglob("*")):
            if file.is_file():
                archive.write(file, str(file.relative_to(folder)))
    shutil.rmtree(folder)
    return to
