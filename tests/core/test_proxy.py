"""The small film: the same pictures whether its planes were made smaller as they are, or through RGB."""

from __future__ import annotations

from fractions import Fraction
from pathlib import Path
from typing import Any

import av
import cv2
import numpy as np
import pytest
from bench.media import SLOWED, film

from cuvrel.core.media import proxy
from cuvrel.core.media.apart import probe_apart
from cuvrel.core.media.probe import probe
from cuvrel.core.media.reader import Reader
from cuvrel.core.media.writer import Encoding, VideoWriter
from cuvrel.core.recipe.errors import MediaError


def scene(number: int, wide: int, high: int) -> np.ndarray:
    """Soft colours with a few hard edges, (high, wide, 3) float32."""
    y, x = np.mgrid[0:high, 0:wide].astype(np.float32)
    out = np.stack(
        [0.5 + 0.4 * np.sin(x / 31 + number), 0.5 + 0.3 * np.cos(y / 23), 0.3 + 0.2 * np.sin((x + y) / 47)], 2
    )
    out[high // 4 : high // 2, wide // 4 : wide // 2] = (0.8, 0.2, 0.15)
    return out.astype(np.float32)


def filmed(path: Path, pixels: str, wide: int, high: int, **tags: int) -> Path:
    opened: Any = av
    with opened.open(str(path), "w") as container:
        stream = container.add_stream("ffv1" if pixels.startswith("yuv4") else "mjpeg", rate=24)
        stream.width, stream.height, stream.pix_fmt = wide, high, pixels
        for name, value in tags.items():
            setattr(stream.codec_context, name, value)
        if pixels.startswith("yuvj"):
            stream.options = {"qscale": "2", "flags": "+qscale"}
        for n in range(5):
            eight = np.round(scene(n, wide, high) * 255).astype(np.uint8)
            frame = av.VideoFrame.from_ndarray(eight, format="rgb24")
            matrix = 5 if tags.get("colorspace") == 6 or pixels.startswith("yuvj") else 1
            full = 2 if pixels.startswith("yuvj") else 1
            container.mux(stream.encode(frame.reformat(format=pixels, dst_colorspace=matrix, dst_color_range=full)))
        container.mux(stream.encode(None))
    return path


@pytest.mark.parametrize(
    ("pixels", "size", "tags"),
    [
        ("yuv420p", (1280, 720), {"colorspace": 1, "color_range": 1}),
        ("yuv420p", (640, 362), {"colorspace": 6, "color_range": 1}),
        ("yuv422p", (1920, 1080), {"colorspace": 1, "color_range": 1}),
        ("yuv444p", (1001, 563), {"colorspace": 1, "color_range": 1}),
        ("yuvj420p", (1280, 720), {}),
    ],
)
def test_planes_made_smaller_are_the_pictures_made_smaller(
    tmp_path: Path, pixels: str, size: tuple[int, int], tags: dict[str, int]
) -> None:
    path = filmed(tmp_path / "a.mkv", pixels, *size, **tags)
    quick = tmp_path / "quick.mkv"
    info = probe_apart(path, small=quick)
    assert quick.exists()
    about, strip = proxy.look_at(quick, 2, (36, 64))
    assert about == probe(quick)
    assert (about.frames, about.width, about.height, len(strip)) == (5, *proxy.size_of(info), 3)
    slow = tmp_path / "slow.mkv"
    proxy.write(path, info, slow)
    one, other = Reader(quick, about), Reader(slow, probe(slow))
    for n in (0, 3, 4):
        truth = cv2.resize(Reader(path, info).frame(n), (about.width, about.height), interpolation=cv2.INTER_AREA)
        for reader in (one, other):
            off = reader.frame(n).astype(int) - truth
            assert abs(off.mean()) < 0.6
            assert np.abs(off).mean() < 1.6
            # edges of colour lie where they were
            assert np.abs(off[:, about.width // 3 : about.width // 3 + 9]).mean() < 2
    assert np.abs(strip[1].astype(int) - cv2.resize(one.frame(2), (64, 36), interpolation=cv2.INTER_AREA)).max() <= 2


def test_what_is_known_in_the_end_alone_leaves_no_film_behind(tmp_path: Path) -> None:
    film(tmp_path / "a.mkv", "matroska", times=SLOWED, base=Fraction(1, 1000))
    assert probe_apart(tmp_path / "a.mkv", small=tmp_path / "s.mkv").variable
    assert not (tmp_path / "s.mkv").exists()
    plain = filmed(tmp_path / "b.mkv", "yuv420p", 320, 180)
    probe_apart(plain, small=tmp_path / "t.mkv", hand={"range": "full"})
    assert not (tmp_path / "t.mkv").exists()
    writer = VideoWriter(tmp_path / "c.mkv", Encoding("ffv1", "yuv420p10le"), 64, 48, 24)
    for _ in range(3):
        writer.write(scene(0, 64, 48))
    writer.close()
    probe_apart(tmp_path / "c.mkv", small=tmp_path / "u.mkv")
    assert not (tmp_path / "u.mkv").exists()


def test_a_small_film_that_is_not_whole_is_refused(tmp_path: Path) -> None:
    plain = filmed(tmp_path / "b.mkv", "yuv420p", 320, 180)
    probe_apart(plain, small=tmp_path / "t.mkv")
    whole = (tmp_path / "t.mkv").read_bytes()
    (tmp_path / "t.mkv").write_bytes(whole[:700])
    with pytest.raises(MediaError):
        proxy.look_at(tmp_path / "t.mkv", 1, (36, 64))
