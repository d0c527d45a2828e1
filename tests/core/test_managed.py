"""Colour spaces and views of a configuration, tables, and what exports say of colour and time."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any

import av
import cv2
import numpy as np
import OpenEXR
import PyOpenColorIO as ocio
import pytest
from hypothesis import given
from hypothesis import strategies as st
from hypothesis.extra.numpy import arrays

from cuvrel.core.export.order import Order, Settings, ordered
from cuvrel.core.export.sidecar import sidecar
from cuvrel.core.export.write import write_frames
from cuvrel.core.imaging.colour import linear_to_srgb, srgb_to_linear
from cuvrel.core.imaging.lattice import through_curves, through_lattice
from cuvrel.core.media import managed
from cuvrel.core.media.by_hand import checked_hand, still_good
from cuvrel.core.media.cube import is_cube, read_cube, through
from cuvrel.core.media.probe import MediaInfo, probe
from cuvrel.core.media.reader import Reader
from cuvrel.core.media.stills import part, read
from cuvrel.core.media.timecode import is_timecode, of_seconds, shifted
from cuvrel.core.media.writer import Encoding, VideoWriter, join_videos
from cuvrel.core.recipe.check import read_shot
from cuvrel.core.recipe.declared import all_declared
from cuvrel.core.recipe.errors import MediaError, RecipeError
from cuvrel.core.stand.build import Stand
from cuvrel.core.stand.nodes import Cache, Node, node, work_out
from cuvrel.core.stand.view_kinds import PlaneView, PlateView, ResultView
from cuvrel.core.stand.viewing import viewing_of
from cuvrel.core.stand.views import view
from tests.core.test_depth import sequence
from tests.recipes import FakeSources, document, footage

LOG = "ACEScct"
VIEW = managed.default_view()


def logs(light: np.ndarray) -> np.ndarray:
    """Light of BT.709 in the log curve, as OpenColorIO itself brings it there."""
    config = ocio.Config.CreateFromFile("ocio://studio-config-latest")
    processor = config.getProcessor("Linear Rec.709 (sRGB)", LOG).getDefaultCPUProcessor()
    out = np.ascontiguousarray(light, np.float32)
    processor.applyRGB(out)
    return out


def greys(high: int = 8, wide: int = 64) -> np.ndarray:
    ramp = 0.18 * 2.0 ** np.linspace(-6, 5, wide)
    return np.repeat(np.repeat(ramp[None, :, None], high, 0), 3, 2).astype(np.float32)


def log_film(path: Path) -> MediaInfo:
    writer = VideoWriter(path, Encoding("ffv1", "gbrp16le"), 64, 8, 24)
    for _ in range(3):
        writer.write(logs(greys()))
    writer.close()
    return probe(path)


def test_log_footage_is_light_and_is_shown_by_a_view(tmp_path: Path) -> None:
    info = log_film(tmp_path / "a.mkv")
    assert np.abs(Reader(tmp_path / "a.mkv", info).frame(0) / 255 - logs(greys())).max() < 0.004
    read_as = MediaInfo.from_json({**info.to_json(), "hand": checked_hand({"colour": LOG}, info)})
    assert read_as.deep
    light = Reader(tmp_path / "a.mkv", read_as, wanted="light").frame(1)
    assert np.abs(light[..., :3] / greys() - 1).max() < 0.01
    shown = Reader(tmp_path / "a.mkv", read_as).frame(1)
    assert np.abs(shown - 255 * np.clip(managed.viewed(greys(), *VIEW), 0, 1)).max() <= 1
    assert 200 < shown.max() < 255  # five stops over grey are not cut


def test_footage_of_a_display_s_space_needs_no_view(tmp_path: Path) -> None:
    picture = np.random.default_rng(1).integers(0, 255, (6, 8, 3), endpoint=True).astype(np.uint8)
    data = cv2.imencode(".png", picture[..., ::-1])[1].tobytes()
    path = sequence(tmp_path, {"a.0001.png": data})
    info = probe(path)
    info.hand["colour"] = "Gamma 2.4 Encoded Rec.709"
    truth = np.clip(linear_to_srgb((picture / 255.0) ** 2.4), 0, 1) * 255
    assert np.abs(Reader(path, info).frame(0) - truth).max() <= 1


def test_what_is_set_by_hand_must_be_there_and_what_came_from_elsewhere_is_told(tmp_path: Path) -> None:
    info = log_film(tmp_path / "a.mkv")
    for raw, said in [
        ({"colour": "Nowhere"}, "no colour space"), ({"layer": "Z"}, "no layer"), ({"sound": "3"}, "no sound"),
        ({"times": "backwards"}, "can't be"),
    ]:  # fmt: skip
        with pytest.raises(MediaError, match=said):
            checked_hand(raw, info)
    kept, told = still_good({"colour": "Nowhere", "range": "full"}, info)
    assert kept == {"range": "full"}
    assert "no colour space 'Nowhere'" in told[0]


@given(arrays(np.float32, (3, 4, 3), elements=st.floats(0, 12, width=32)))
def test_to_a_space_and_back_is_the_same_light(light: np.ndarray) -> None:
    for name in (LOG, "ACES2065-1"):
        assert np.abs(managed.to_light(managed.from_light(light, name), name) - light).max() < 1e-3 * max(
            1, light.max()
        )


def test_colours_beyond_bt709_are_kept_through_planes_and_exports(tmp_path: Path) -> None:
    wide = np.array([0.02, 0.6, 0.03], np.float32)  # a green of ACES' primaries that no screen of BT.709 has
    light = managed.to_light(np.broadcast_to(managed.from_light(wide[None, None], "ACEScg"), (1, 1, 3)), "ACEScg")
    assert np.allclose(light, wide, atol=1e-5)
    green = managed.to_light(np.broadcast_to(wide, (48, 64, 3)).copy(), "ACEScg")
    assert green.min() < -0.05

    class Green(FakeSources):
        """A plate of that green."""

        def deep(self, footage_id: str, frame: int, size: tuple[int, int]) -> Node | None:
            return node("green", frame, [], lambda: np.dstack([green, np.ones((48, 64), np.float32)]))

    planes = [{"id": "p3", "name": "Cut", "kind": "cutout", "matte": "m1"}, *PLATE["planes"]]
    for how in ("exr-half", "exr-float"):
        to, _, _ = written(tmp_path / how, Green(), {"planes": planes}, how=how, colour="space:ACEScg")
        data = (to / "shot.1004.exr").read_bytes()
        assert np.abs(read(data, "a.exr", as_is=True).colour - wide).max() < 1e-3
        assert np.abs(read(data, "a.exr").colour - green).max() < 2e-3


def test_every_treatment_takes_light_below_zero() -> None:
    class Wide(FakeSources):
        """A plate whose light is below 0 in places."""

        def deep(self, footage_id: str, frame: int, size: tuple[int, int]) -> Node | None:
            rng = np.random.default_rng(frame)
            light = rng.uniform(-0.3, 3, (*size, 3)).astype(np.float32)
            return node("wide", [frame, size], [], lambda: np.dstack([light, np.ones(size, np.float32)]))

    for entry in all_declared():
        if entry.family != "treatment":
            continue
        top = {"id": "t", "name": "T", "kind": "cutout", "matte": "m1", "treatments": [{"id": "s", "kind": entry.kind}]}
        shot = read_shot(document(planes=[top, *PLATE["planes"]]))
        assert np.isfinite(work_out(Stand(shot, Wide()).result(3), Cache(1 << 26))).all(), entry.kind


def test_a_view_on_the_screen_is_near_the_view_itself() -> None:
    stops = 2.0 ** np.linspace(-6, 4, 60)[:, None, None]
    hues = np.array([[0.18, 0.18, 0.18], [0.3, 0.18, 0.12], [0.1, 0.2, 0.1], [0.1, 0.15, 0.3], [0.3, 0.25, 0.05]])
    light = (stops * hues[None]).astype(np.float32)
    for display, name in managed.views()[:2]:
        exact = np.clip(managed.viewed(light, display, name), 0, 1) * 255
        assert np.abs(managed.for_screen(light, display, name) - exact).max() <= 3


def test_a_configuration_without_roles_is_taken_as_bt709(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    raw = ocio.Config.CreateRaw()
    for name, scale in (("light", 1.0), ("half", 2.0)):
        space = ocio.ColorSpace(ocio.REFERENCE_SPACE_SCENE, name, encoding="scene-linear")
        space.setTransform(ocio.MatrixTransform([scale, 0, 0, 0, 0, scale, 0, 0, 0, 0, scale, 0, 0, 0, 0, 1]),
                           ocio.COLORSPACE_DIR_TO_REFERENCE)  # fmt: skip
        raw.addColorSpace(space)
    raw.setRole("scene_linear", "light")
    raw.addDisplayView("wall", "dim", "half")
    (tmp_path / "own.ocio").write_text(raw.serialize())
    caches: list[Any] = [managed.config, managed.fingerprint, managed.spaces, managed.views, managed._between,
                         managed._processor]  # fmt: skip
    before = managed.fingerprint()
    try:
        monkeypatch.setenv("OCIO", str(tmp_path / "own.ocio"))
        [one.cache_clear() for one in caches]
        assert managed.fingerprint() != before
        assert managed.is_space("half")
        assert not managed.is_space(LOG)
        light = np.full((2, 2, 3), 0.25, np.float32)
        assert np.allclose(managed.to_light(light, "half"), 0.5)
        assert np.allclose(managed.viewed(light, "wall", "dim"), 0.125)
        monkeypatch.setenv("OCIO", str(tmp_path / "none.ocio"))
        [one.cache_clear() for one in caches]
        with pytest.raises(MediaError, match="can't be read"):
            managed.config()
    finally:
        monkeypatch.delenv("OCIO")
        [one.cache_clear() for one in caches]
    assert managed.fingerprint() == before


class SceneSources(FakeSources):
    """A plate of a scene's light, of which a part is brighter than white."""

    def deep(self, footage_id: str, frame: int, size: tuple[int, int]) -> Node | None:
        def made() -> np.ndarray:
            out = np.ones((*size, 4), np.float32)
            out[..., :3] = srgb_to_linear(self.plate(frame) / 255)[: size[0], : size[1]] * 6
            return out

        return node("scene", [footage_id, frame, size], [], made)

    def of_scene(self, footage_id: str) -> bool:
        return True


PLATE = {"planes": [{"id": "p4", "name": "Plate", "kind": "plate"}]}
CUT = {"planes": [{"id": "p3", "name": "Cut", "kind": "cutout", "matte": "m1"}]}


def looked(sources: FakeSources, wanted: Any, **changes: Any) -> np.ndarray:
    stand = Stand(read_shot(document(**{**PLATE, **changes})), sources)
    return np.asarray(work_out(view(stand, wanted, 2), Cache(1 << 26)))


def test_a_shot_is_looked_at_as_it_says() -> None:
    scene = SceneSources()
    light = work_out(Stand(read_shot(document(**PLATE)), scene).light(2), Cache(1 << 26))[..., :3]
    seen = np.clip(managed.viewed(light, *VIEW), 0, 1) * 255
    assert np.abs(looked(scene, ResultView()) - seen).max() <= 3
    cut = np.clip(linear_to_srgb(light), 0, 1) * 255
    assert np.abs(looked(scene, ResultView(), viewing={"kind": "plain"}) - cut).max() <= 1
    assert np.abs(looked(scene, PlateView(), viewing={"kind": "plain"}) - cut).max() <= 1
    other = {"kind": "view", "display": VIEW[0], "view": "Un-tone-mapped"}
    plain = FakeSources()
    assert np.abs(looked(plain, ResultView(), viewing=other).astype(int) - plain.plate(2)).max() <= 1
    alone = looked(scene, PlaneView(plane="p3"), **CUT)
    inside = plain.box(2) > 0.5
    assert np.abs(alone[inside][:, :3] - seen[inside]).max() <= 3
    assert (alone[~inside] == 0).all()
    with pytest.raises(MediaError, match="no view 'Warm'"):
        looked(plain, ResultView(), viewing={"kind": "view", "display": VIEW[0], "view": "Warm"})


def cube(path: Path, text: str) -> Path:
    path.write_text(text)
    return path


def lattice_text(side: int, change: Any) -> str:
    axis = np.linspace(0, 1, side)
    rows = [change(r, g, b) for b in axis for g in axis for r in axis]
    return f'TITLE "t"\n# made here\nLUT_3D_SIZE {side}\n' + "".join(f"{r:.6f} {g:.6f} {b:.6f}\n" for r, g, b in rows)


def test_tables_are_what_they_say(tmp_path: Path) -> None:
    rgb = np.random.default_rng(2).random((5, 7, 3)).astype(np.float32)
    same = read_cube(cube(tmp_path / "a.cube", lattice_text(5, lambda r, g, b: (r, g, b))))
    assert np.abs(through(rgb, same) - rgb).max() < 1e-5
    turned = read_cube(cube(tmp_path / "b.cube", lattice_text(4, lambda r, g, b: (b, r, 1 - g))))
    assert np.abs(through(rgb, turned) - np.stack([rgb[..., 2], rgb[..., 0], 1 - rgb[..., 1]], -1)).max() < 1e-5
    curve = "LUT_1D_SIZE 3\r\nDOMAIN_MIN 0 0 0\r\nDOMAIN_MAX 2 2 2\r\n0 0 0\r\n0.5 0.25 1\r\n1 1 1\r\n"
    bent = through(np.full((1, 1, 3), 0.5, np.float32), read_cube(cube(tmp_path / "c.cube", curve)))
    assert np.allclose(bent, (0.25, 0.125, 0.5))
    assert is_cube(curve.encode())
    assert not is_cube(b"LUT_3D_SIZE\0")


@given(arrays(np.float32, (2, 3, 3), elements=st.floats(0, 1, width=32)), st.integers(2, 9))
def test_a_lattice_keeps_what_is_straight_and_greys(rgb: np.ndarray, side: int) -> None:
    axis = np.linspace(0, 1, side)
    red, green, blue = np.meshgrid(axis, axis, axis, indexing="ij")
    whole = np.stack([red * 0.5 + green * 0.2, green, blue * 0.7 + red * 0.3], -1).astype(np.float32)
    truth = np.stack([rgb[..., 0] * 0.5 + rgb[..., 1] * 0.2, rgb[..., 1], rgb[..., 2] * 0.7 + rgb[..., 0] * 0.3], -1)
    assert np.abs(through_lattice(rgb, whole) - truth).max() < 1e-5
    curve = np.repeat(np.linspace(0, 1, side, dtype=np.float32)[:, None], 3, 1) ** 2
    grey = np.repeat(rgb[..., :1], 3, 2)
    assert np.ptp(through_curves(grey, curve, np.zeros(3, np.float32), np.ones(3, np.float32)), axis=2).max() < 1e-6


@pytest.mark.parametrize(
    ("text", "said"),
    [
        ("LUT_3D_SIZE 2\n0 0 0\n", "says 8 entries"), ("LUT_3D_SIZE 1\n0 0 0\n", "size must be"),
        ("LUT_3D_SIZE two\n", "no line of a table"), ("LUT_1D_SIZE 2\n0 0\n1 1 1\n", "no line of a table"),
        ("LUT_1D_SIZE 2\n0 0 0\nLUT_3D_SIZE 2\n", "two tables"), ("LUT_1D_SIZE 2\nnan 0 0\n1 1 1\n", "are none"),
        ("LUT_1D_SIZE 2\nDOMAIN_MIN 1 1 1\n0 0 0\n1 1 1\n", "wrong way round"),
    ],
)  # fmt: skip
def test_broken_tables_end_in_a_sentence(tmp_path: Path, text: str, said: str) -> None:
    with pytest.raises(MediaError) as fault:
        read_cube(cube(tmp_path / "x.cube", text))
    assert said in f"{fault.value.message} {fault.value.hint}"


def tabled(tmp_path: Path, **params: Any) -> tuple[np.ndarray, np.ndarray]:
    """The plate, and the plate with a table that turns its colours, sRGB."""
    table = read_cube(cube(tmp_path / "t.cube", lattice_text(17, lambda r, g, b: (b, r, g))))
    sources = FakeSources()
    sources._tables = {"t": table}
    entry = {**footage(0, 0, 0, "t"), "fps": 0}
    step = {"id": "s", "kind": "table", "params": {"table": "t", **params}}
    planes = [{"id": "p4", "name": "Plate", "kind": "plate", "treatments": [step]}]
    shown = looked(sources, ResultView(), footage=[footage(), entry], planes=planes)
    return sources.plate(2), shown


def test_a_table_as_a_treatment_and_as_a_view(tmp_path: Path) -> None:
    plate, shown = tabled(tmp_path)
    assert np.abs(shown.astype(int) - plate[..., [2, 0, 1]]).max() <= 1
    plate, half = tabled(tmp_path, strength=0.5)
    light = (srgb_to_linear(plate / 255) + srgb_to_linear(plate[..., [2, 0, 1]] / 255)) / 2
    assert np.abs(half - linear_to_srgb(light) * 255).max() <= 1
    sources = FakeSources()
    sources._tables = {"t": read_cube(tmp_path / "t.cube")}
    both = [footage(), {**footage(0, 0, 0, "t"), "fps": 0}]
    seen = looked(sources, ResultView(), footage=both, viewing={"kind": "table", "table": "t"})
    assert np.abs(seen.astype(int) - plate[..., [2, 0, 1]]).max() <= 1
    with pytest.raises(RecipeError, match="no colour table"):
        looked(sources, ResultView(), footage=both, viewing={"kind": "table", "table": "1"})
    with pytest.raises(RecipeError, match="no picture"):
        read_shot(
            document(footage=both, planes=[{"id": "e", "name": "E", "kind": "element", "params": {"footage": "t"}}])
        )


def written(tmp_path: Path, sources: FakeSources, changes: dict[str, Any], **wanted: Any) -> tuple[Path, Order, Stand]:
    stand = Stand(read_shot(document(**{**PLATE, **changes})), sources)
    order = ordered(stand.shot, Settings(**wanted), 2, 5)
    to = tmp_path / ("out" if order.how.form == "pictures" else f"out{order.how.suffix}")
    write_frames(stand, order, order.frames, to, "shot", 1003, Cache(1 << 26))
    return to, order, stand


def test_an_export_is_written_in_what_was_asked_for(tmp_path: Path) -> None:
    scene = SceneSources()
    light = work_out(Stand(read_shot(document(**PLATE)), scene).light(2), Cache(1 << 26))[..., :3]
    to, order, stand = written(tmp_path, scene, {}, how="png16")
    seen = cv2.imread(str(to / "shot.1003.png"), cv2.IMREAD_UNCHANGED)[..., ::-1] / 65535
    assert np.abs(seen - np.clip(managed.viewed(light, *VIEW), 0, 1)).max() < 1e-4
    told = sidecar(order, "e", stand.shot, (48, 64), None, viewing=viewing_of(stand))
    assert told["colour"] == f"display '{VIEW[0]}', view '{VIEW[1]}'"
    to, order, stand = written(tmp_path / "b", scene, {}, how="png8", colour="plain")
    plain = cv2.imread(str(to / "shot.1003.png"))[..., ::-1]
    assert np.abs(plain - np.clip(linear_to_srgb(light), 0, 1) * 255).max() <= 1
    to, order, stand = written(tmp_path / "c", scene, {}, how="exr-float", colour="space:ACES2065-1")
    data = (to / "shot.1003.exr").read_bytes()
    assert np.abs(read(data, "a.exr").colour - light).max() < 1e-3  # its primaries bring it back
    assert np.abs(read(data, "a.exr", as_is=True).colour - managed.from_light(light, "ACES2065-1")).max() < 1e-4
    assert sidecar(order, "e", stand.shot, (48, 64), None)["colour"] == "colour space 'ACES2065-1'"
    to, order, stand = written(tmp_path / "d", scene, {}, how="exr-half")
    assert np.abs(read((to / "shot.1003.exr").read_bytes(), "a.exr").colour - light).max() < 5e-3
    to, order, stand = written(tmp_path / "e", scene, CUT, what="cutout", targets=["m1"], how="png16",
                               colour=f"space:{LOG}")  # fmt: skip
    both = cv2.imread(str(to / "shot.1003.png"), cv2.IMREAD_UNCHANGED)[..., [2, 1, 0, 3]] / 65535
    inside = scene.box(2) > 0.5
    assert np.abs(both[inside][:, :3] - np.clip(logs(light), 0, 1)[inside]).max() < 1e-4
    assert both[~inside].max() == 0
    with pytest.raises(MediaError, match="no colour space"):
        ordered(stand.shot, Settings(colour="space:Nowhere"))
    with pytest.raises(MediaError, match="Nothing can be written"):
        ordered(stand.shot, Settings(colour="warm"))


@given(st.integers(0, 30 * 86_400 - 1), st.sampled_from([24.0, 25.0, 30000 / 1001, 60000 / 1001]), st.booleans())
def test_time_code_counts_on_and_back(frames: int, fps: float, drop: bool) -> None:
    drop = drop and fps in (30000 / 1001, 60000 / 1001)
    start = "00:00:00;00" if drop else "00:00:00:00"
    there = shifted(start, frames, fps)
    assert is_timecode(there)
    assert shifted(there, -frames, fps) == start
    after = shifted(there, 1, fps)
    assert after > there or after == start
    if drop:
        _, minutes, rest = there.split(":")[:3] if there.count(":") == 3 else (*there.split(":")[:2], there[6:])
        second, frame = rest.split(";")
        assert not (second == "00" and int(minutes) % 10 and int(frame) < round(fps / 15))


def test_an_hour_of_dropped_numbers_is_an_hour_of_the_clock() -> None:
    assert shifted("00:00:00;00", 107_892, 30000 / 1001) == "01:00:00;00"
    assert shifted("00:00:59;29", 1, 30000 / 1001) == "00:01:00;02"
    assert shifted("00:09:59;29", 1, 30000 / 1001) == "00:10:00;00"
    assert shifted("23:59:59:23", 1, 24) == "00:00:00:00"
    assert of_seconds(3661.5, 24) == "01:01:01:12"
    assert not is_timecode("25:00:00:00")
    with pytest.raises(ValueError, match="no time code"):
        shifted("soon", 1, 24)


@pytest.mark.parametrize("suffix", [".mov", ".mp4"])
def test_time_code_is_read_and_written(tmp_path: Path, suffix: str) -> None:
    silent = tmp_path / f"silent{suffix}"
    writer = VideoWriter(silent, "h264", 64, 48, 24)
    for n in range(6):
        writer.write(np.full((48, 64, 3), 20 * n, np.uint8))
    writer.close()
    join_videos([(silent, 6)], tmp_path / f"a{suffix}", None, "10:00:00:12", "R007")
    info = probe(tmp_path / f"a{suffix}")
    assert info.timecode == "10:00:00:12"
    assert info.frames == 6
    shot = read_shot(document(footage=[{**footage(), "timecode": info.timecode, "reel": "R007"}]))
    order = ordered(shot, Settings(), 2, 5)
    assert order.timecode(shot) == "10:00:00:14"
    told = sidecar(order, "e", shot, (48, 64), None)
    assert (told["timecode"], told["reel"]) == ("10:00:00:14", "R007")
    assert ordered(shot, Settings(rate=12), 2, 5).timecode(shot) == ""


def test_the_time_of_a_sound_recorder_is_time_code(tmp_path: Path) -> None:
    opened: Any = av
    with opened.open(str(tmp_path / "a.wav"), "w", options={"write_bext": "1"}) as container:
        container.metadata["time_reference"] = str(48_000 * 3600)
        container.metadata["description"] = "quay"
        stream = container.add_stream("pcm_s16le", rate=48_000)
        frame = av.AudioFrame.from_ndarray(np.zeros((1, 2 * 48_000), np.int16), "s16", "stereo")
        frame.sample_rate = 48_000
        container.mux(stream.encode(frame))
        container.mux(stream.encode(None))
    assert probe(tmp_path / "a.wav").timecode == "01:00:00:00"


def test_exr_pictures_carry_time_code_and_all_mattes_by_name(tmp_path: Path) -> None:
    mattes = [{"id": "m1", "name": "Signaller", "pulls": [{"id": "t1", "kind": "trace"}]},
              {"id": "m2", "name": "Red cloth", "pulls": [{"id": "t2", "kind": "trace"}]}]  # fmt: skip
    entry = [{**footage(), "timecode": "10:00:00:00", "reel": "R007"}]
    sources = FakeSources()
    to, _, _ = written(tmp_path, sources, {"mattes": mattes, "footage": entry}, what="layers", how="exr-half")
    data = (to / "shot.1004.exr").read_bytes()
    for name in ("Signaller", "Red cloth"):
        assert np.array_equal(part(data, "a.exr", f"name:CryptoMatte:{name}"), sources.box(3).astype(np.float32))
    header = OpenEXR.File(str(to / "shot.1004.exr"), header_only=True).parts[0].header
    code = header["timeCode"]
    assert (code.hours, code.minutes, code.seconds, code.frame) == (10, 0, 0, 3)
    assert header["reelName"] == "R007"
    assert json.loads(next(v for k, v in header.items() if k.endswith("/manifest"))).keys() == {
        "Signaller",
        "Red cloth",
    }


def test_channels_and_names_are_mattes(tmp_path: Path) -> None:
    far = np.linspace(0, 100, 48 * 64, dtype=np.float32).reshape(48, 64)

    class Parted(FakeSources):
        """Footage with a channel of distances, and a thing with a name."""

        def part(self, footage_id: str, frame: int, wanted: str, size: tuple[int, int]) -> Node:
            return node("part", [wanted, frame], [], lambda: far if wanted == "channel:Z" else self.box(frame))

    def matte(**params: Any) -> np.ndarray:
        pull = {"id": "k", "kind": "part", "params": {"footage": "2", **params}}
        shot = read_shot(document(footage=[footage(), footage(fid="2")], planes=PLATE["planes"],
                                  mattes=[{"id": "m1", "name": "M", "pulls": [pull]}]))  # fmt: skip
        return np.asarray(work_out(Stand(shot, Parted()).matte("m1", 2), Cache(1 << 26)))

    assert np.abs(matte(parts=["channel:Z"], high=100) - far / 100).max() < 1e-5
    assert np.abs(matte(parts=["channel:Z"], low=100, high=50) - np.clip((100 - far) / 50, 0, 1)).max() < 1e-5
    assert np.array_equal(matte(parts=["name:C:porter"]), FakeSources().box(2))
    both = matte(parts=["name:C:porter", "channel:Z"], high=100)
    assert np.abs(both - np.clip(FakeSources().box(2) / 100 + far / 100, 0, 1)).max() < 1e-5
    assert matte(parts=[]).max() == 0
