"""Colour by value: pixel formats on a screen, views of the configuration and their times, and the time to bring in."""

from __future__ import annotations

import tempfile
import time
from pathlib import Path

import av
import numpy as np

from cuvrel.core.media import managed
from cuvrel.core.media.reader import to_rgb
from cuvrel.core.media.writer import join_videos
from cuvrel.core.media.yuv import is_rgb, rgb_of, space_of
from cuvrel.demo.project import CLIPS
from cuvrel.store.blobs import Blobs
from cuvrel.store.footage import prepare

FORMATS = (
    "yuv420p", "yuv422p", "yuv444p", "yuvj420p", "yuv411p", "yuv410p", "yuyv422", "uyvy422", "nv12", "yuv420p10le",
    "yuv422p10le", "yuv444p12le", "yuv422p16le", "p010le", "yuva444p10le", "rgb24", "bgra", "gbrp", "gbrp10le",
    "gbrp12le", "gbrp16le", "rgb48le", "gray", "gray10le", "gray16le",
)  # fmt: skip
SIZE = 128, 72


def pixel_formats() -> None:
    """How far a screen's picture is from the frame's own value, in codes of 256."""
    rng = np.random.default_rng(1)
    y, x = np.mgrid[0 : SIZE[1], 0 : SIZE[0]]
    smooth = np.stack([x * 400 + y * 100, y * 700, (x + y) * 250], 2) % 60_000 + rng.integers(0, 3000, (*x.shape, 3))
    source = av.VideoFrame.from_ndarray(smooth.astype(np.uint16), format="rgb48le")
    for name in FORMATS:
        frame = source.reformat(format=name)
        seen = to_rgb(frame).astype(float)
        space = space_of(frame)[0]
        true = np.clip(rgb_of(frame, space), 0, 1) * 255
        off = np.abs(seen - true)
        kind = "RGB" if is_rgb(name) else "grey" if name.startswith("gray") else "YUV"
        print(f"  {name:<14} {kind:<5} mean {off.mean():.2f}, at most {off.max():.2f} codes")


def views() -> None:
    """How far the quick picture of a view is from the view itself, and what both take at 1280 x 720."""
    rng = np.random.default_rng(2)
    stops = 2.0 ** rng.uniform(-7, 4, (720, 1280, 1))
    usual = np.array([[0.18, 0.18, 0.18], [0.32, 0.2, 0.14], [0.09, 0.15, 0.05], [0.1, 0.16, 0.3], [0.4, 0.3, 0.1]])
    sets = {"usual colours": stops * usual[rng.integers(0, 5, (720, 1280))],
            "any colour": stops * 0.18 * 2.0 ** rng.uniform(-3, 1, (720, 1280, 3))}  # fmt: skip
    for display, view in managed.views()[:6]:
        print(f"  {view}, {display}")
        for name, light in sets.items():
            given = light.astype(np.float32)
            managed.for_screen(given, display, view)
            start = time.perf_counter()
            quick = managed.for_screen(given, display, view)
            between = time.perf_counter()
            exact = np.clip(managed.viewed(given, display, view), 0, 1) * 255
            end = time.perf_counter()
            off = np.abs(quick - exact)
            fast, slow = 1000 * (between - start), 1000 * (end - between)
            print(f"    {name:<14} mean {off.mean():.2f}, 99.9 % within {np.percentile(off, 99.9):.1f}, at most "
                  f"{off.max():.1f} codes; {fast:.0f} ms, exactly {slow:.0f} ms")  # fmt: skip


def bringing_in() -> None:
    """The time that 2,400 frames of 1280 x 720 take."""
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        join_videos([(CLIPS / "signaller.mp4", 96)] * 25, folder / "long.mp4")
        blobs = Blobs(str(folder / "store"), folder / "var")
        key = blobs.put_file(folder / "long.mp4")
        start = time.perf_counter()
        made = prepare(blobs, key, {})
        print(f"  {made.info.frames} frames in {time.perf_counter() - start:.1f} s")


def run() -> None:
    """Prints all of it."""
    print("What a screen is shown of each pixel format:")
    pixel_formats()
    print("Views:")
    views()
    print("Bringing in:")
    bringing_in()
