"""Exports: what is written, in which format, and writing a range of frames."""

from __future__ import annotations

from collections import deque
from collections.abc import Callable, Iterable
from concurrent.futures import Future, ThreadPoolExecutor
from dataclasses import dataclass
from pathlib import Path
from typing import Any, Literal

import numpy as np
from numpy.typing import NDArray

from cuvrel.core.media.blend import through
from cuvrel.core.media.colour import encode, encode_rgba, with_light
from cuvrel.core.media.writer import PngWriter, VideoFormat, VideoWriter, Writer
from cuvrel.core.recipe.errors import RecipeError
from cuvrel.core.stand.build import Stand
from cuvrel.core.stand.nodes import Cache, Node, node, work_out

What = Literal["result", "cutout", "matte", "plane"]


@dataclass(frozen=True)
class Export:
    """A kind of export. form `png` is a numbered sequence; alpha says how colour relates to it."""

    kind: str
    label: str
    hint: str
    what: What
    form: VideoFormat | Literal["png"]
    suffix: str
    alpha: Literal["none", "straight", "premultiplied"] = "none"


EXPORTS: dict[str, Export] = {
    e.kind: e
    for e in (
        Export("result-h264", "Result, H.264 video", "MP4, plays everywhere", "result", "h264", ".mp4"),
        Export(
            "cutout-prores",
            "Cut-out, ProRes 4444 video",
            "MOV with straight alpha",
            "cutout",
            "prores4444",
            ".mov",
            "straight",
        ),
        Export(
            "cutout-png-straight",
            "Cut-out, PNG sequence, straight",
            "ZIP; colour not multiplied by alpha",
            "cutout",
            "png",
            ".zip",
            "straight",
        ),
        Export(
            "cutout-png-premultiplied",
            "Cut-out, PNG sequence, premultiplied",
            "ZIP; colour multiplied by alpha",
            "cutout",
            "png",
            ".zip",
            "premultiplied",
        ),
        Export("matte-ffv1", "Matte alone, FFV1 video", "MKV, grey, lossless", "matte", "ffv1-grey", ".mkv"),
    )
}


def export_kind(kind: str) -> Export:
    """A kind of export by name. Raises RecipeError."""
    if kind not in EXPORTS:
        raise RecipeError(f"There is no export '{kind}'.", f"Known: {', '.join(EXPORTS)}.")
    return EXPORTS[kind]


def picture(stand: Stand, what: What, target: str | None, alpha: str, frame: int) -> Node:
    """The uint8 node of one exported frame: (H, W, 3), (H, W, 4) or (H, W).

    target: the id of the matte or plane, where `what` needs one. Raises RecipeError when it is not there.
    """
    if what == "result":
        return node("out", None, [stand.result(frame)], encode, keep=False)
    try:
        if what == "matte":
            return node("out-matte", None, [stand.matte(str(target), frame)], _bytes, keep=False)
        if what == "plane":
            alone = node("lit", None, [stand.alone(stand.shot.plane(str(target)), frame)], with_light, keep=False)
        else:
            alone = node("cut", None, [stand.light(frame), stand.matte(str(target), frame)], through, keep=False)
    except KeyError as missing:
        raise RecipeError(f"What should be exported, '{target}', is not in the shot.") from missing
    pre = alpha == "premultiplied"
    return node("out-rgba", pre, [alone], lambda p: encode_rgba(p, pre), keep=False)


def _bytes(matte: NDArray[np.float32]) -> NDArray[np.uint8]:
    return np.round(np.clip(matte, 0, 1) * 255).astype(np.uint8)


def write_range(
    nodes: Iterable[Node], writer: Writer, cache: Cache, tick: Callable[[], bool] = lambda: True, ahead: int = 3
) -> bool:
    """Works the nodes out, some frames ahead of the encoder, and writes them in order.

    tick: called after each frame; when it answers False the range is left unfinished. Returns whether
    all was written. The writer is closed either way.
    """
    todo = iter(nodes)
    waiting: deque[Future[NDArray[Any]]] = deque()
    with ThreadPoolExecutor(2, thread_name_prefix="export") as pool:
        try:
            while True:
                while len(waiting) < ahead and (one := next(todo, None)) is not None:
                    waiting.append(pool.submit(work_out, one, cache))
                if not waiting:
                    return True
                writer.write(waiting.popleft().result())
                if not tick():
                    return False
        finally:
            for left in waiting:
                left.cancel()
            writer.close()


def open_writer(export: Export, path: Path, size: tuple[int, int], fps: float, prefix: str, first: int) -> Writer:
    """A writer for this export: a video file at `path`, or a folder of pictures for `png`."""
    if export.form == "png":
        return PngWriter(path, prefix, first)
    return VideoWriter(path, export.form, size[1], size[0], fps)


def sidecar(
    export: Export, name: str, frames: tuple[int, int], first_number: int, fps: float, size: tuple[int, int]
) -> dict[str, Any]:
    """What a file can't say of itself, as JSON beside it."""
    return {
        "name": name,
        "what": export.what,
        "alpha": export.alpha,
        "colour": "sRGB, display-encoded" if export.what != "matte" else "coverage, 0 to 255 linear",
        "frames": [first_number + frames[0], first_number + frames[1]],
        "fps": fps,
        "size": [size[1], size[0]],
    }
