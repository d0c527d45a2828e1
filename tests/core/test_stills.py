"""Single pictures of all kinds: by value, by profile, by layer and by name."""

from __future__ import annotations

import io
import json
import zlib
from fractions import Fraction
from pathlib import Path
from typing import Any

import av
import cv2
import imagecodecs
import numpy as np
import OpenEXR
import pytest
import tifffile

from cuvrel.core.imaging.colour import linear_to_srgb, srgb_to_linear
from cuvrel.core.media import cryptomatte
from cuvrel.core.media.moving import as_film
from cuvrel.core.media.probe import probe
from cuvrel.core.media.reader import PART, Reader
from cuvrel.core.media.space import from_chromaticities, to_bt709
from cuvrel.core.media.still_heads import is_moving_webp, webp_frames
from cuvrel.core.media.stills import SUFFIXES, ending_of, head, moves, part, read
from cuvrel.core.recipe.errors import MediaError
from tests.core.test_depth import exr, lit, sequence

WIDE, HIGH = 24, 14


def noise(kind: Any = np.uint8, channels: int = 3, seed: int = 1) -> np.ndarray:
    top = np.iinfo(kind).max
    return np.random.default_rng(seed).integers(0, top, (HIGH, WIDE, channels), endpoint=True).astype(kind)


def by_ffmpeg(codec: str, pixels: str, picture: np.ndarray) -> bytes:
    """One picture by an encoder of FFmpeg's. picture: (H, W, 3) uint16, or (H, W, 4) uint8."""
    context: Any = av.CodecContext.create(codec, "w")
    context.width, context.height, context.pix_fmt = picture.shape[1], picture.shape[0], pixels
    context.time_base = Fraction(1, 24)
    given = "rgba" if picture.shape[2] == 4 else "rgb48le"
    frame = av.VideoFrame.from_ndarray(picture, format=given).reformat(format=pixels)
    return b"".join(bytes(packet) for packet in [*context.encode(frame), *context.encode(None)])


def coded(name: str) -> tuple[bytes, np.ndarray, int]:
    """A picture of a kind without loss, what is in it as 16 bits, and how far it may be off."""
    eight, sixteen = noise(), noise(np.uint16)
    match name:
        case "a.webp":
            return imagecodecs.webp_encode(eight, lossless=True), eight.astype(np.uint16) * 257, 0
        case "a.avif":
            return imagecodecs.avif_encode(eight, level=100), eight.astype(np.uint16) * 257, 0
        case "b.avif":
            ten = sixteen >> 6
            return imagecodecs.avif_encode(ten, bitspersample=10, level=100), np.round(ten * (65535 / 1023)), 1
        case "a.jp2":
            return imagecodecs.jpeg2k_encode(sixteen, reversible=True), sixteen, 0
        case "a.bmp":
            return cv2.imencode(".bmp", eight[..., ::-1])[1].tobytes(), eight.astype(np.uint16) * 257, 0
        case "a.tga":
            whole = np.dstack([eight, noise(channels=1, seed=2)])
            return by_ffmpeg("targa", "bgra", whole), eight.astype(np.uint16) * 257, 0
        case "a.dpx":
            return by_ffmpeg("dpx", "gbrp10le", sixteen), sixteen, 64
        case "b.dpx":
            return by_ffmpeg("dpx", "gbrp12le", sixteen), sixteen, 16
        case _:
            return by_ffmpeg("dpx", "rgb48le", sixteen), sixteen, 0


@pytest.mark.parametrize("name", ["a.webp", "a.avif", "b.avif", "a.jp2", "a.bmp", "a.tga", "a.dpx", "b.dpx", "c.dpx"])
def test_every_kind_comes_in_by_value_and_is_known_by_what_it_holds(tmp_path: Path, name: str) -> None:
    data, truth, off = coded(name)
    path = sequence(tmp_path, {f"f.{n:04d}{Path(name).suffix}": data for n in (1, 2)})
    info = probe(path)
    assert (info.frames, info.width, info.height) == (2, WIDE, HIGH)
    still = read(data, name)
    assert (still.colour.dtype == np.uint8) == (info.depth == 8)
    times = 257 if still.colour.dtype == np.uint8 else 1
    assert np.abs(still.colour.astype(int) * times - truth.astype(int)).max() <= off
    assert (still.alpha is not None) == info.alpha
    if name != "a.tga":  # which has no mark
        assert SUFFIXES[str(ending_of(data[:16]))] == SUFFIXES[Path(name).suffix]
    assert not moves(data)


def test_film_s_density_is_light(tmp_path: Path) -> None:
    codes = np.array([95, 470, 685, 1023])
    picture = np.repeat(np.repeat(np.round(codes * (65535 / 1023)).astype(np.uint16)[None, :, None], 3, 2), 4, 0)
    data = bytearray(by_ffmpeg("dpx", "gbrp10le", np.repeat(picture, 8, 1)))
    data[801] = 1
    order = "big" if data[:4] == b"SDPX" else "little"
    data[1920:1924] = (0x10203104).to_bytes(4, order)
    path = sequence(tmp_path, {"a.0001.dpx": bytes(data)})
    info = probe(path)
    assert (info.reads_as.transfer, info.deep, info.timecode) == ("cineon", True, "10:20:31:04")
    found = lit(path)[2, 4::8, 1]
    assert found[0] == pytest.approx(0, abs=1e-4)
    assert found[2] == pytest.approx(1, abs=5e-3)
    assert 0.16 < found[1] < 0.20
    assert 12 < found[3] < 15


def with_chunk(png: bytes, name: bytes, body: bytes) -> bytes:
    """A PNG with one chunk more behind its header."""
    chunk = len(body).to_bytes(4) + name + body + zlib.crc32(name + body).to_bytes(4)
    return png[:33] + chunk + png[33:]


def wide_profile() -> bytes:
    return bytes(imagecodecs.cms_profile("adobergb"))


def wide_as_srgb(picture: np.ndarray) -> np.ndarray:
    """Adobe RGB (1998) as sRGB by its own figures: gamma 563/256, its primaries, D65."""
    light = (picture / np.iinfo(picture.dtype).max) ** (563 / 256)
    way = from_chromaticities((0.64, 0.33, 0.21, 0.71, 0.15, 0.06, 0.3127, 0.3290))
    assert way is not None
    return np.clip(linear_to_srgb(light @ way.T.astype(float)), 0, 1)


@pytest.mark.parametrize("kind", ["png", "png16", "jpeg", "tiff", "webp"])
def test_a_profile_counts(tmp_path: Path, kind: str) -> None:
    deep = kind in ("png16", "tiff")
    picture = (noise(np.uint16 if deep else np.uint8) // 4 * 3 + (9000 if deep else 30)).astype(
        np.uint16 if deep else np.uint8
    )
    if kind == "jpeg":
        picture[:] = (60, 150, 90)
    profile, close = wide_profile(), 0.004
    if kind.startswith("png"):
        body = b"wide\0\0" + zlib.compress(profile)
        data = with_chunk(cv2.imencode(".png", picture[..., ::-1])[1].tobytes(), b"iCCP", body)
    elif kind == "jpeg":
        plain = cv2.imencode(".jpg", picture[..., ::-1], [cv2.IMWRITE_JPEG_QUALITY, 100])[1].tobytes()
        body = b"ICC_PROFILE\0\1\1" + profile
        data, close = plain[:2] + b"\xff\xe2" + (len(body) + 2).to_bytes(2) + body + plain[2:], 0.012
    elif kind == "tiff":
        to = io.BytesIO()
        tifffile.imwrite(to, picture, photometric="rgb", iccprofile=profile)
        data = to.getvalue()
    else:
        lossless = imagecodecs.webp_encode(picture, lossless=True)
        wide = bytes([0x20, 0, 0, 0]) + (WIDE - 1).to_bytes(3, "little") + (HIGH - 1).to_bytes(3, "little")
        chunks = b"VP8X" + (10).to_bytes(4, "little") + wide + b"ICCP" + len(profile).to_bytes(4, "little") + profile
        data = b"RIFF" + (len(chunks) + len(lossless) - 8).to_bytes(4, "little") + b"WEBP" + chunks + lossless[12:]
    name = f"a.{'tif' if kind == 'tiff' else kind.removesuffix('16')}"
    found = read(data, name).colour
    assert found.dtype == np.uint16
    assert np.abs(found / 65535 - wide_as_srgb(picture)).max() < close
    as_is = read(data, name, as_is=True).colour
    assert as_is.dtype == picture.dtype
    screen = Reader(path := sequence(tmp_path, {f"f.0001.{name[2:]}": data}), probe(path)).frame(0)
    assert np.abs(screen / 255 - wide_as_srgb(picture)).max() < close + 0.003


def test_a_profile_that_says_srgb_changes_nothing_and_a_broken_one_is_none() -> None:
    picture = noise()
    plain = cv2.imencode(".png", picture[..., ::-1])[1].tobytes()
    for profile in (bytes(imagecodecs.cms_profile("srgb")), b"\0" * 200, wide_profile()[:200]):
        data = with_chunk(plain, b"iCCP", b"x\0\0" + zlib.compress(profile))
        assert np.array_equal(read(data, "a.png").colour, picture)


def test_a_png_that_says_its_colours_by_number(tmp_path: Path) -> None:
    picture = np.full((HIGH, WIDE, 3), 38_000, np.uint16)  # about reference white in PQ
    plain = cv2.imencode(".png", picture)[1].tobytes()
    path = sequence(tmp_path, {"a.0001.png": with_chunk(plain, b"cICP", bytes([9, 16, 0, 1]))})
    info = probe(path)
    assert (info.reads_as.transfer, info.reads_as.primaries, info.deep) == ("pq", "bt2020", True)
    assert lit(path)[0, 0, 0] == pytest.approx(1, abs=0.05)
    p3 = sequence(tmp_path, {"b.0001.png": with_chunk(plain, b"cICP", bytes([12, 13, 0, 1]))})
    light = srgb_to_linear(np.array([38_000 / 65535] * 3)) @ to_bt709("p3").T
    assert np.abs(lit(p3)[0, 0, :3] - light).max() < 2e-3


def test_a_colour_of_a_png_that_is_see_through(tmp_path: Path) -> None:
    picture = noise()
    picture[3, 4] = (10, 20, 30)
    plain = cv2.imencode(".png", picture[..., ::-1])[1].tobytes()
    data = with_chunk(plain, b"tRNS", bytes([0, 10, 0, 20, 0, 30]))
    assert head(put(tmp_path, "a.png", data), "a.png").alpha
    cover = read(data, "a.png").alpha
    assert cover is not None
    assert cover[3, 4] == 0
    assert cover[5, 5] == 255


def put(folder: Path, name: str, data: bytes) -> Path:
    (folder / name).write_bytes(data)
    return folder / name


@pytest.mark.parametrize("compression", [None, "lzw", "zlib", "packbits"])
@pytest.mark.parametrize("kind", [np.uint8, np.uint16])
def test_a_tiff_s_colours_that_are_not_multiplied_stay_so(kind: Any, compression: str | None) -> None:
    picture, to = noise(kind, 4), io.BytesIO()
    tifffile.imwrite(to, picture, photometric="rgb", extrasamples=["unassalpha"], compression=compression)
    still = read(to.getvalue(), "a.tif")
    assert still.alpha is not None
    assert np.array_equal(still.alpha, picture[..., 3])
    seen = picture[..., 3] > (0 if kind == np.uint16 else 40)
    off = 0 if compression != "packbits" or kind == np.uint16 else 4
    assert np.abs(still.colour.astype(int) - picture[..., :3])[seen].max() <= off


@pytest.mark.parametrize("turn", range(1, 9))
def test_a_turned_tiff_is_shown_upright(tmp_path: Path, turn: int) -> None:
    upright, to = noise(), io.BytesIO()
    lies: np.ndarray = {
        1: upright, 2: upright[:, ::-1], 3: upright[::-1, ::-1], 4: upright[::-1], 5: upright.transpose(1, 0, 2),
        6: upright.transpose(1, 0, 2)[::-1], 7: upright.transpose(1, 0, 2)[::-1, ::-1],
        8: upright.transpose(1, 0, 2)[:, ::-1],
    }[turn]  # fmt: skip
    tifffile.imwrite(to, np.ascontiguousarray(lies), photometric="rgb", extratags=[(274, "H", 1, turn, True)])
    data = to.getvalue()
    assert (head(put(tmp_path, "a.tif", data), "a.tif").width, *upright.shape[:2]) == (WIDE, HIGH, WIDE)
    assert np.array_equal(read(data, "a.tif").colour, upright)


AP0 = (0.7347, 0.2653, 0.0, 1.0, 0.0001, -0.0770, 0.32168, 0.33767)


def test_an_exr_s_primaries_are_moved_whatever_they_are(tmp_path: Path) -> None:
    planes = {name: np.full((4, 6), value, np.float32) for name, value in zip("RGB", (0.5, 0.4, 0.3), strict=True)}
    data = exr(tmp_path / "a.exr", planes, chromaticities=AP0)
    # by the matrix of ACES2065-1 to BT.709 (Bradford), as OpenColorIO has it
    truth = np.array([[2.52168, -1.13413, -0.38755], [-0.27648, 1.37272, -0.09624], [-0.01538, -0.15297, 1.16835]])
    assert np.abs(read(data, "a.exr").colour[0, 0] - truth @ (0.5, 0.4, 0.3)).max() < 1e-4
    assert np.allclose(read(data, "a.exr", as_is=True).colour[0, 0], (0.5, 0.4, 0.3))
    same = exr(tmp_path / "b.exr", planes, chromaticities=(0.64, 0.33, 0.3, 0.6, 0.15, 0.06, 0.3127, 0.3290))
    assert np.array_equal(read(same, "b.exr").colour[0, 0], np.array((0.5, 0.4, 0.3), np.float32))


def flat(value: float) -> np.ndarray:
    return np.full((4, 6), value, np.float32)


def test_colour_is_found_among_an_exr_s_layers_and_others_can_be_chosen(tmp_path: Path) -> None:
    planes = {"Z": flat(40), "beauty.R": flat(0.5), "beauty.G": flat(0.4), "beauty.B": flat(0.3), "beauty.A": flat(0.5),
              "normal.X": flat(0.1), "normal.Y": flat(0.2), "normal.Z": flat(0.9)}  # fmt: skip
    path = sequence(tmp_path, {"a.0001.exr": exr(tmp_path / "a.exr", planes)})
    info = probe(path)
    assert info.layers == ["beauty", "normal", "Z"]
    assert info.alpha
    assert np.allclose(lit(path)[0, 0, :3], (1.0, 0.8, 0.6))
    info.hand["layer"] = "normal"
    assert np.allclose(Reader(path, info, wanted="light").frame(0)[0, 0, :3], (0.1, 0.2, 0.9))
    assert Reader(path, info, wanted=f"{PART}channel:Z").frame(0)[0, 0] == 40


def test_the_parts_of_an_exr(tmp_path: Path) -> None:
    about = {"compression": OpenEXR.ZIP_COMPRESSION, "type": OpenEXR.scanlineimage}
    parts = [OpenEXR.Part(dict(about), {"Z": flat(9)}, "depth"),
             OpenEXR.Part(dict(about), {"R": flat(1), "G": flat(2), "B": flat(3)}, "main"),
             OpenEXR.Part(dict(about), {"R": flat(4), "G": flat(5), "B": flat(6)}, "shade")]  # fmt: skip
    OpenEXR.File(parts).write(str(tmp_path / "p.exr"))
    data = (tmp_path / "p.exr").read_bytes()
    assert head(tmp_path / "p.exr", "p.exr").layers == ("main", "shade", "depth")
    assert np.allclose(read(data, "p.exr").colour[0, 0], (1, 2, 3))
    assert np.allclose(read(data, "p.exr", "shade").colour[0, 0], (4, 5, 6))
    assert part(data, "p.exr", "channel:shade/G")[0, 0] == 5
    with pytest.raises(MediaError, match="has no"):
        part(data, "p.exr", "channel:W")


def test_hashes_are_those_of_the_specification() -> None:
    # from the published test vectors of MurmurHash3_x86_32
    assert cryptomatte.murmur3(b"") == 0
    assert cryptomatte.murmur3(b"test") == 0xBA6BD213
    assert cryptomatte.murmur3(b"Hello, world!") == 0xC0363E43
    assert cryptomatte.murmur3(b"The quick brown fox jumps over the lazy dog") == 0x2E4FF723
    for n in range(2000):
        assert np.isfinite(one := cryptomatte.identity(f"buoy {n}"))
        assert one == 0 or abs(one) >= np.finfo(np.float32).tiny


def test_mattes_come_back_by_their_names(tmp_path: Path) -> None:
    rng = np.random.default_rng(4)
    names = ["porter", "crate", "quay wall", "gull"]
    mattes = [np.where(rng.random((8, 10)) > 0.4, rng.random((8, 10)), 0).astype(np.float32) for _ in names]
    channels: dict[str, np.ndarray] = {"R": np.zeros((8, 10), np.float16), "G": np.zeros((8, 10), np.float16),
                                       "B": np.zeros((8, 10), np.float16)}  # fmt: skip
    channels |= cryptomatte.ranked(mattes, names, "Things")
    data = exr(tmp_path / "a.exr", channels, **cryptomatte.header(names, "Things"))
    path = sequence(tmp_path, {"a.0001.exr": data})
    info = probe(path)
    assert info.layers == [""]
    assert {one for one in info.parts if one.startswith("name:")} == {f"name:Things:{name}" for name in names}
    for name, matte in zip(names, mattes, strict=True):
        assert np.array_equal(part(data, "a.exr", f"name:Things:{name}"), matte)
    assert part(data, "a.exr", "name:Things:nobody").max() == 0
    with pytest.raises(MediaError, match="has no"):
        part(data, "a.exr", "name:Others:porter")


def test_a_manifest_s_own_codes_count(tmp_path: Path) -> None:
    cover = np.full((4, 6), 0.25, np.float32)
    code = np.frombuffer(bytes.fromhex("0a0b0c3d"), np.float32)[0]
    channels = {"C00.R": np.full((4, 6), code), "C00.G": cover, "C00.B": flat(0), "C00.A": flat(0), "Y": flat(1)}
    about = {"cryptomatte/1234567/name": "C",
             "cryptomatte/1234567/manifest": json.dumps({"rope": f"{int(code.view(np.uint32)):08x}"})}  # fmt: skip
    assert np.allclose(part(exr(tmp_path / "a.exr", channels, **about), "a.exr", "name:C:rope"), 0.25)


def test_a_moving_webp_is_a_film(tmp_path: Path) -> None:
    animation = cv2.Animation()
    animation.frames = [np.dstack([noise(seed=n), np.full((HIGH, WIDE), 255 - 60 * n, np.uint8)]) for n in range(4)]
    animation.durations = [40, 40, 40, 40]
    data = cv2.imencodeanimation(".webp", animation, [cv2.IMWRITE_WEBP_QUALITY, 101])[1].tobytes()
    path = put(tmp_path, "a.webp", data)
    assert is_moving_webp(data[:64])
    assert moves(data)
    assert webp_frames(data) == 4
    as_film(path, tmp_path / "film")
    info = probe(tmp_path / "film")
    assert (info.frames, round(info.fps), info.alpha) == (4, 25, True)
    film = Reader(tmp_path / "film", info)
    for n in range(4):
        assert np.array_equal(film.frame(n), animation.frames[n][..., 2::-1])
    with pytest.raises(MediaError, match="broken"):
        as_film(put(tmp_path, "b.webp", data[:60]), tmp_path / "none")


def test_a_moving_png_is_a_film(tmp_path: Path) -> None:
    pictures = np.stack([noise(seed=n) for n in range(3)])
    data = imagecodecs.apng_encode(pictures, delay=100)
    assert moves(data)
    info = probe(put(tmp_path, "a.png", data))
    assert info.frames == 3
    assert np.array_equal(Reader(tmp_path / "a.png", info).frame(2), pictures[2])
