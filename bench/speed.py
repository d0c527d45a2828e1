"""Latency and throughput, on this machine, now."""

from __future__ import annotations

import json
import tempfile
import time
from collections.abc import Callable, Iterator
from dataclasses import replace
from pathlib import Path
from statistics import median
from typing import Any

import cv2
import numpy as np

from cuvrel.core import catalogue
from cuvrel.core.export.formats import how_of
from cuvrel.core.export.order import Order, ordered
from cuvrel.core.export.order import Settings as Ordering
from cuvrel.core.export.pictures import picture, shaped, size_of
from cuvrel.core.export.write import encoding, open_writer, write_range
from cuvrel.core.follow.run import Settings, new_follower, span
from cuvrel.core.media.probe import probe
from cuvrel.core.media.reader import Reader, resized
from cuvrel.core.media.writer import VideoWriter, png_bytes, read_grey
from cuvrel.core.recipe.check import read_shot
from cuvrel.core.recipe.models import Mark, Shot
from cuvrel.core.stand.build import Stand
from cuvrel.core.stand.nodes import Cache, work_out
from cuvrel.core.stand.sources import FrameSources
from cuvrel.core.stand.view_kinds import ResultView
from cuvrel.core.stand.views import view
from cuvrel.core.trace.prepared import prepare
from cuvrel.core.trace.trace import trace
from cuvrel.core.warm import warm_up
from cuvrel.demo.looks import demo_document
from cuvrel.demo.project import CLIPS

HALF = (540, 960)


def timed(work: Callable[[], object]) -> float:
    """Milliseconds."""
    begun = time.perf_counter()
    work()
    return (time.perf_counter() - begun) * 1000


def say(what: str, value: float, unit: str, bar: str) -> None:
    print(f"  {what:<66} {value:9.2f} {unit:<8} bar {bar}", flush=True)


class Files(FrameSources):
    """A clip and its true matte, the matte as stored frames."""

    def __init__(self, clip: Path, alpha: Path) -> None:
        self.info = probe(clip)
        self.reader = Reader(clip, self.info)
        truth = Reader(alpha, probe(alpha), keep_bytes=0)
        mattes = [png_bytes(np.ascontiguousarray(truth.frame(n)[..., 0])) for n in range(self.info.frames)]
        super().__init__(lambda _, frame: self.reader.frame(frame), lambda _, frame: read_grey(mattes[frame]))


def fullest(files: Files, marks: list[Mark]) -> Shot:
    """The demo's fullest stand on a clip."""
    info = files.info
    footage = {"id": "1", "name": "clip", "hash": "0" * 40, "width": info.width, "height": info.height,
               "frames": info.frames, "fps": info.fps}  # fmt: skip
    return read_shot(demo_document(footage, marks))


def tracing(pictures: list[np.ndarray], frame: int, marks: list[Mark]) -> Iterator[float]:
    """Milliseconds that each further mark on a prepared frame takes."""
    ready = prepare(pictures.__getitem__, len(pictures), frame)
    for count in range(2, len(marks) + 1):
        yield timed(lambda count=count: trace(ready, marks[:count]))


def run() -> None:
    """Prints every figure with its bar from the design."""
    catalogue.load()
    warm_up()
    about = json.loads((CLIPS / "signaller.json").read_text())
    files = Files(CLIPS / "signaller.mp4", CLIPS / "signaller.alpha.mkv")
    scale = HALF[1] / about["size"][0]
    marks = [
        Mark(id=f"m{i}", frame=about["frame"], kind=s["kind"], radius=s["radius"] * scale,
             points=[(x * scale, y * scale) for x, y in s["points"]])
        for i, s in enumerate(about["strokes"])
    ]  # fmt: skip
    small = [np.ascontiguousarray(resized(files.reader.frame(n), HALF)) for n in range(40)]

    print("Tracing and following at 960 x 540")
    ready = median(timed(lambda: prepare(small.__getitem__, len(small), about["frame"])) for _ in range(5))
    say("preparing a frame for its first mark, median", ready, "ms", "-")
    say(
        "answer to a new mark, median",
        median(t for _ in range(4) for t in tracing(small, about["frame"], marks)),
        "ms",
        "150",
    )
    first = trace(small[0], marks)
    ways = span(small.__getitem__, range(1, len(small)), new_follower((small[0], first), Settings()))
    times = [timed(lambda: next(ways)) for _ in small[1:]]
    say("following, frames a second", 1000 / median(times), "frames/s", "8")

    shot = fullest(files, marks)
    print("Preview at 960 x 540, the demo's fullest stand")
    cache = Cache(768 << 20)
    stand = Stand(shot, files, HALF[1] / about["size"][0])
    for n in range(30):
        files.reader.frame(n)
    say("a new frame, median", median(timed(lambda n=n: _shown(stand, n, cache)) for n in range(8, 28)), "ms", "-")
    moved = []
    for step in range(20):
        raw = shot.model_dump(mode="json")
        raw["planes"][0]["treatments"][0]["params"]["reach"] = 20 + step
        changed = Stand(read_shot(raw), files, stand.scale)
        moved.append(timed(lambda changed=changed: _shown(changed, 24, cache)))
    say("a slider of the front plane moved, median", median(moved), "ms", "150")
    moved = []
    for step in range(20):
        raw = shot.model_dump(mode="json")
        raw["planes"][-2]["treatments"][0]["params"]["exposure"] = -0.5 - 0.02 * step
        changed = Stand(read_shot(raw), files, stand.scale)
        moved.append(timed(lambda changed=changed: _shown(changed, 24, cache)))
    say("a slider of the back glaze moved, median", median(moved), "ms", "150")
    say("a cached frame, median", median(timed(lambda: _shown(stand, 24, cache)) for _ in range(20)), "ms", "-")
    _exports(files, shot)


def _shown(stand: Stand, frame: int, cache: Cache) -> bytes:
    pixels = work_out(view(stand, ResultView(), frame), cache)
    return cv2.imencode(".jpg", pixels[..., ::-1], [cv2.IMWRITE_JPEG_QUALITY, 90])[1].tobytes()


def _bare(source: Path, to: Path, how: str, frames: int, grey: bool) -> float:
    """Decodes and encodes the same file with the same codec, and nothing else."""
    info = probe(source)
    settings = Ordering(what="matte" if grey else "result", how=how)
    form = encoding(Order(settings, how_of(how), 0, frames - 1, (), "none", info.fps))

    def work() -> None:
        reader = Reader(source, info, keep_bytes=0)
        writer = VideoWriter(to, form, info.width, info.height, info.fps)
        for n in range(frames):
            rgb = reader.frame(n)
            writer.write(np.ascontiguousarray(rgb[..., 0]) if grey else rgb)
        writer.close()

    return min(timed(work) for _ in range(2))


def _export(files: Files, shot: Shot, settings: Ordering, to: Path, frames: int) -> float:
    stand = Stand(shot, files)
    order = replace(ordered(shot, settings), first=0, last=frames - 1)

    def work() -> None:
        files.reader.close()
        writer = open_writer(order, to, size_of(stand, order), "bench", 0)
        nodes = (picture(stand, order, frame) for frame in order.frames)
        write_range(nodes, writer, Cache(256 << 20), shape=shaped(order.how, order))

    return min(timed(work) for _ in range(2))


def _exports(files: Files, shot: Shot) -> None:
    print("Exports against bare decoding and encoding of the same file with the same codec")
    frames = min(48, files.info.frames)
    with tempfile.TemporaryDirectory(prefix="cuvrel-") as name:
        folder = Path(name)
        alone = Ordering(what="matte", how="ffv1", targets=[shot.mattes[0].id])
        ratio = _export(files, shot, alone, folder / "m.mkv", frames) / _bare(
            CLIPS / "signaller.alpha.mkv", folder / "b.mkv", "ffv1", frames, True
        )
        say("matte alone, 1280 x 720, FFV1", ratio, "x", "2")
        # the same clip at 1080p, made here
        large, alpha = folder / "l.mp4", folder / "l.alpha.mkv"
        for source, to, form, grey in ((CLIPS / "signaller.mp4", large, "h264", False),
                                       (CLIPS / "signaller.alpha.mkv", alpha, "ffv1-grey", True)):  # fmt: skip
            reader = Reader(source, probe(source), keep_bytes=0)
            kind: Any = form
            writer = VideoWriter(to, kind, 1920, 1080, 24)
            for n in range(frames):
                rgb = np.asarray(cv2.resize(reader.frame(n), (1920, 1080), interpolation=cv2.INTER_CUBIC))
                writer.write(np.ascontiguousarray(rgb[..., 0]) if grey else rgb)
            writer.close()
        big = Files(large, alpha)
        shot = fullest(big, [])
        ratio = _export(big, shot, Ordering(), folder / "r.mp4", frames) / _bare(
            large, folder / "c.mp4", "h264", frames, False
        )
        say("full stand, 1920 x 1080, H.264", ratio, "x", "8")
