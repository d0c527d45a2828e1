"""The stand: keys, the cache, what planes do, views, exports and the portable shot."""

import json
import threading
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from pydantic import ValidationError

from cuvrel.core.imaging.colour import decode, encode
from cuvrel.core.media.reader import resized
from cuvrel.core.media.writer import VideoWriter, png_bytes
from cuvrel.core.pulls.join import join_pull
from cuvrel.core.recipe.check import read_shot
from cuvrel.core.recipe.errors import MediaError, RecipeError
from cuvrel.core.stand.build import Stand
from cuvrel.core.stand.nodes import Cache, node, work_out
from cuvrel.core.stand.portable import PortableShot
from cuvrel.core.stand.view_kinds import (
    GROUNDS,
    AnyView,
    BlendView,
    CutoutView,
    MatteView,
    PlaneView,
    PlateView,
    ResultView,
    VeilView,
    View,
)
from cuvrel.core.stand.views import view
from tests.recipes import HASH, RESULT, FakeSources, document, footage


def stand(raw: dict[str, Any] | None = None, scale: float = 1.0, sources: FakeSources | None = None) -> Stand:
    return Stand(read_shot(raw or document()), sources or FakeSources(), scale)


def shown(raw: dict[str, Any], frame: int = 2, wanted: View = RESULT, **how: Any) -> np.ndarray:
    return work_out(view(stand(raw, **how), wanted, frame), Cache(1 << 28))


def only(*planes: dict[str, Any]) -> dict[str, Any]:
    return document(planes=[*planes, {"id": "p4", "name": "Plate", "kind": "plate"}])


# keys


def test_the_same_recipe_gives_the_same_keys_and_pixels() -> None:
    a, b = view(stand(), ResultView(), 3), view(stand(), ResultView(), 3)
    assert a.key == b.key
    assert np.array_equal(work_out(a, Cache(1 << 28)), work_out(b, Cache(1 << 28)))


def test_a_key_changes_with_all_that_matters_and_with_nothing_else() -> None:
    key = view(stand(), ResultView(), 3).key
    assert view(stand(), ResultView(), 4).key != key
    assert view(stand(scale=0.5), ResultView(), 3).key != key
    renamed = document(name="Another name")
    renamed["planes"][0]["name"] = "Renamed"
    assert view(stand(renamed), ResultView(), 3).key == key
    graded = document()
    graded["planes"][1]["treatments"][0]["params"]["exposure"] = 1.0
    assert view(stand(graded), ResultView(), 3).key != key


def test_an_edit_between_two_frames_changes_the_keys_of_these_alone() -> None:
    def keys(value: float) -> list[str]:
        raw = document()
        keyed = [{"frame": 0, "value": 1.0, "ease": "hold"}, {"frame": 3, "value": value, "ease": "hold"},
                 {"frame": 5, "value": 1.0}]  # fmt: skip
        raw["planes"][1]["opacity"] = {"keys": keyed}
        return [view(stand(raw), ResultView(), f).key for f in range(8)]

    changed = [f for f, (a, b) in enumerate(zip(keys(0.5), keys(0.25), strict=True)) if a != b]
    assert changed == [3, 4]


def test_switched_off_planes_and_treatments_cost_nothing() -> None:
    bare = document(planes=[{"id": "p4", "name": "Plate", "kind": "plate"}])
    off = document()
    for plane in off["planes"][:3]:
        plane["on"] = False
    assert view(stand(off), ResultView(), 1).key == view(stand(bare), ResultView(), 1).key
    unused = document()
    unused["planes"][1]["treatments"][0]["on"] = False
    without = document()
    del without["planes"][1]
    assert view(stand(unused), ResultView(), 1).key == view(stand(without), ResultView(), 1).key


def test_only_what_depends_on_a_change_is_computed_again() -> None:
    sources, cache = FakeSources(), Cache(1 << 28)
    work_out(view(stand(sources=sources), ResultView(), 2), cache)
    first = len(sources.computed)
    assert sorted(sources.computed) == [("matte", 2), ("plate", 2)]  # each once, though used by several planes
    changed = document()
    changed["planes"][1]["treatments"][0]["params"]["exposure"] = 0.5
    work_out(view(stand(changed, sources=sources), ResultView(), 2), cache)
    assert len(sources.computed) == first


# the cache


def test_the_cache_stays_within_its_room_and_drops_the_oldest() -> None:
    cache = Cache(1000)
    for index in range(10):
        cache.put(str(index), np.zeros(200, np.uint8))
        cache.get("0")
    assert cache.size <= 1000
    assert cache.get("0") is not None
    assert cache.get("1") is None
    assert cache.get("9") is not None


def test_light_never_pushes_out_what_is_shown_and_the_other_way_round_only_to_a_third() -> None:
    cache = Cache(3000)
    for index in range(6):
        cache.put(f"shown {index}", np.zeros(150, np.uint8))
    for index in range(40):
        cache.put(f"light {index}", np.zeros(100, np.float32))
    assert all(cache.get(f"shown {index}") is not None for index in range(6))
    assert cache.get("light 39") is not None
    assert cache.get("light 0") is None
    for index in range(40):
        cache.put(f"more {index}", np.zeros(150, np.uint8))
    assert cache.size <= 3000
    # the newest of both are there
    assert cache.get("more 39") is not None
    assert cache.get("light 39") is not None


def test_what_is_too_large_is_not_kept_and_what_is_kept_can_not_be_changed() -> None:
    cache = Cache(1000)
    cache.put("big", np.zeros(400, np.uint8))
    assert cache.get("big") is None
    cache.put("small", np.zeros(100, np.uint8))
    with pytest.raises(ValueError, match="read-only"):
        cache.get("small")[0] = 1


def test_two_threads_compute_one_key_once() -> None:
    count, gate = [], threading.Event()

    def run() -> np.ndarray:
        gate.wait(5)
        count.append(1)
        return np.ones(4)

    wanted, cache = node("slow", None, [], run), Cache(1 << 20)
    threads = [threading.Thread(target=work_out, args=(wanted, cache)) for _ in range(6)]
    for thread in threads:
        thread.start()
    gate.set()
    for thread in threads:
        thread.join(5)
    assert count == [1]


def test_a_fault_in_a_node_frees_its_key() -> None:
    tries = []

    def run() -> np.ndarray:
        tries.append(1)
        if len(tries) == 1:
            raise MediaError("The footage is away.")
        return np.ones(2)

    wanted, cache = node("flaky", None, [], run), Cache(1 << 20)
    with pytest.raises(MediaError):
        work_out(wanted, cache)
    assert work_out(wanted, cache).sum() == 2


# planes


def test_the_plate_alone_is_the_plate() -> None:
    assert np.array_equal(shown(only()), FakeSources().plate(2))


def test_a_cut_out_over_its_own_plate_changes_nothing() -> None:
    raw = only({"id": "c", "name": "Cut", "kind": "cutout", "matte": "m1"})
    assert np.abs(shown(raw).astype(int) - FakeSources().plate(2)).max() <= 1


def test_colour_survives_on_the_subject_alone() -> None:
    grey = {"id": "s", "kind": "grade", "params": {"saturation": 0.0}}
    raw = only(
        {"id": "g", "name": "Grey", "kind": "glaze", "gate": {"matte": "m1", "part": "outside"}, "treatments": [grey]}
    )
    out, plate, inside = shown(raw), FakeSources().plate(2), FakeSources().box(2) > 0.5
    assert np.abs(out[inside].astype(int) - plate[inside]).max() <= 1
    assert np.ptp(out[~inside], axis=1).max() <= 1
    raw["planes"][0]["gate"]["part"] = "inside"
    swapped = shown(raw)
    assert np.ptp(swapped[inside], axis=1).max() <= 1
    assert np.abs(swapped[~inside].astype(int) - plate[~inside]).max() <= 1


def test_a_gate_limits_any_plane() -> None:
    dark = {"id": "s", "kind": "grade", "params": {"exposure": -6.0}}
    raw = only({"id": "q", "name": "Dark", "kind": "plate", "gate": {"matte": "m1"}, "treatments": [dark]})
    out, inside = shown(raw), FakeSources().box(2) > 0.5
    assert out[inside].mean() < 40
    assert np.array_equal(out[~inside], FakeSources().plate(2)[~inside])


def test_opacity_is_a_mix_in_linear_light() -> None:
    dark = {"id": "s", "kind": "grade", "params": {"exposure": -6.0}}
    raw = only({"id": "q", "name": "Dark", "kind": "plate", "opacity": 0.25, "treatments": [dark]})
    light = decode(FakeSources().plate(2))
    wanted = light.copy()
    wanted[..., :3] = 0.75 * light[..., :3] + 0.25 * light[..., :3] / 64
    assert np.abs(shown(raw).astype(int) - encode(wanted)).max() <= 1


def test_a_line_runs_along_the_edge() -> None:
    line = {"id": "l", "name": "Line", "kind": "line", "matte": "m1", "params": {"width": 2.0, "colour": (1, 1, 1)}}
    out = shown(only(line)).astype(int)
    box = FakeSources().box(2) > 0.5
    changed = np.abs(out - FakeSources().plate(2)).max(axis=2) > 30
    assert changed.sum() == pytest.approx(2 * 2 * (24 + 24), rel=0.35)
    rows, cols = np.nonzero(changed)
    assert box[2:-2, 2:-2].any()
    assert rows.min() >= 48 // 4 - 2
    assert cols.max() <= 34 + 2 + 2


def test_a_glow_lightens_the_outline_in_front_of_the_plate() -> None:
    raw = document()
    with_glow = shown(raw)
    raw["planes"][0]["on"] = False
    without = shown(raw)
    assert (with_glow.astype(int) - without).min() >= -1
    assert (with_glow.astype(int) - without).max() > 60


def test_a_blended_glaze() -> None:
    raw = only({"id": "g", "name": "Double", "kind": "glaze", "blend": "multiply",
                "treatments": [{"id": "s", "kind": "grade", "params": {}}]})  # fmt: skip
    plate = FakeSources().plate(2) / 255
    assert np.abs(shown(raw) / 255 - plate * plate).max() < 0.02


def test_a_frame_that_the_trace_has_not_reached_is_covered_by_nothing() -> None:
    sources = FakeSources(missing={2})
    out = shown(document(), 2, MatteView(matte="m1"), sources=sources)
    assert out.max() == 0


def test_pulls_join_by_set_operations() -> None:
    a, b = np.float32([[0, 1, 0.5]]), np.float32([[1, 1, 0.5]])
    assert join_pull(a, b, "add").tolist() == [[1, 1, 0.75]]
    assert join_pull(a, b, "subtract").tolist() == [[0, 0, 0.25]]
    assert join_pull(a, b, "intersect").tolist() == [[0, 1, 0.25]]
    assert join_pull(a, b, "difference").tolist() == [[1, 0, 0]]


def test_strength_inversion_and_off_per_pull() -> None:
    raw = document(planes=[])
    pull = raw["mattes"][0]["pulls"][0]
    box = FakeSources().box(2)
    pull["strength"] = 0.5
    assert np.abs(shown(raw, wanted=MatteView(matte="m1"))[..., 0] / 255 - box * 0.5).max() < 0.01
    pull.update(strength=1.0, invert=True)
    assert np.array_equal(shown(raw, wanted=MatteView(matte="m1"))[..., 0] > 127, box < 0.5)
    pull["on"] = False
    assert shown(raw, wanted=MatteView(matte="m1")).max() == 0


def test_the_edge_step_is_in_the_matte() -> None:
    raw = document(planes=[])
    raw["mattes"][0]["edge"] = {"grow": 3.0}
    grown = (shown(raw, wanted=MatteView(matte="m1"))[..., 0] > 127).sum()
    assert grown == pytest.approx(30 * 30, rel=0.06)


def test_a_preview_at_half_size_looks_like_the_full_picture() -> None:
    sources = FakeSources(192, 128)
    raw = document(footage=[footage(192, 128)])
    raw["planes"][0]["treatments"][0]["params"] = {"core": 6.0, "reach": 24.0}
    full = shown(raw, sources=sources)
    half = shown(raw, scale=0.5, sources=sources)
    assert np.abs(resized(full, (64, 96)).astype(float) - half).mean() / 255 < 0.02


# views


def test_views_of_a_matte() -> None:
    box, plate = FakeSources().box(2) > 0.5, FakeSources().plate(2)
    assert np.array_equal(shown(document(), wanted=MatteView(matte="m1"))[..., 0], np.where(box, 255, 0))
    assert np.array_equal(shown(document(), wanted=PlateView()), plate)
    veil = shown(document(), wanted=VeilView(matte="m1"))
    assert np.array_equal(veil[~box], plate[~box])
    assert (veil[box] != plate[box]).any()
    for ground in GROUNDS:
        cut = shown(document(), wanted=CutoutView(matte="m1", ground=ground))
        assert np.array_equal(cut[box], plate[box])
    assert (shown(document(), wanted=CutoutView(matte="m1", ground="black"))[~box] == 0).all()


def test_a_plane_alone_has_alpha() -> None:
    cut = shown(document(), wanted=PlaneView(plane="p3"))
    assert np.array_equal(cut[..., 3] > 127, FakeSources().box(2) > 0.5)
    glow = shown(document(), wanted=PlaneView(plane="p1"))
    assert 0 < (glow[..., 3] > 20).mean() < 0.9


@pytest.mark.parametrize("wanted", [MatteView(matte="zz"), PlaneView(plane="zz"), BlendView(plane="p1", way="burn")])
def test_views_of_what_is_not_there_are_refused(wanted: View) -> None:
    with pytest.raises(RecipeError):
        view(stand(), wanted, 0)


@pytest.mark.parametrize("raw", [{}, {"kind": "nothing"}, {"kind": "matte"}, {"kind": "cutout", "matte": "m1"},
                                 {"kind": "cutout", "matte": "m1", "ground": "pink"}, {"kind": "result", "matte": "x"},
                                 {"kind": "matte", "matte": "m1", "pulls": 0},
                                 {"kind": "cutout", "matte": "m1", "ground": "#2f6f4"}])  # fmt: skip
def test_views_that_do_not_exist_can_not_be_said(raw: dict[str, Any]) -> None:
    with pytest.raises(ValidationError):
        AnyView.model_validate(raw)


# the portable shot


def portable(folder: Path, **changes: Any) -> Path:
    (folder / "footage").mkdir()
    (folder / "mattes").mkdir()
    writer = VideoWriter(folder / "footage/plate.mkv", "ffv1-grey", 64, 48, 24)
    for frame in range(8):
        writer.write(FakeSources().plate(frame)[..., 0])
        (folder / f"mattes/{frame}.png").write_bytes(png_bytes((FakeSources().box(frame) * 255).astype(np.uint8)))
    writer.close()
    frames = {"t1": {str(f): {"file": f"mattes/{f}.png", "origin": "followed", "doubt": 0.1} for f in range(8)}}
    raw = {"cuvrel": 1, "shot": document(), "files": {"1": "footage/plate.mkv"}, "frames": frames, **changes}
    (folder / "shot.json").write_text(json.dumps(raw))
    return folder / "shot.json"


def test_a_portable_shot_renders_without_a_database(tmp_path: Path) -> None:
    source = PortableShot(portable(tmp_path))
    desk = Stand(source.shot, source)
    matte = work_out(desk.matte("m1", 3), Cache(1 << 26))
    assert np.array_equal(matte > 0.5, FakeSources().box(3) > 0.5)
    assert work_out(view(desk, ResultView(), 3), Cache(1 << 26)).shape == (48, 64, 3)


@pytest.mark.parametrize(
    "changes",
    [
        {"cuvrel": 9},
        {"files": {}},
        {"files": {"1": "../../etc/hostname"}},
        {"files": {"1": "footage/gone.mkv"}},
        {"shot": {"name": "x"}},
        {"files": None},
    ],
)
def test_portable_shots_that_are_damaged_or_hostile_are_refused(tmp_path: Path, changes: dict[str, Any]) -> None:
    with pytest.raises((RecipeError, MediaError)):
        PortableShot(portable(tmp_path, **changes))


def test_a_portable_shot_that_is_no_json_is_refused(tmp_path: Path) -> None:
    (tmp_path / "s.json").write_text("{")
    with pytest.raises(RecipeError, match="can't be read"):
        PortableShot(tmp_path / "s.json")


def test_hash_constant_is_one_that_documents_accept() -> None:
    assert read_shot(document()).plate_footage().hash == HASH


def test_figures_of_a_frame_outlast_pictures_that_fill_the_cache() -> None:
    cache = Cache(4 << 20)
    cache.put("figures", np.zeros(3, np.float32))
    for n in range(40):
        cache.put(f"picture {n}", np.zeros((256, 256, 4), np.float32))
    assert cache.get("picture 0") is None
    assert cache.get("figures") is not None
    assert cache.size <= cache.room
    cache.clear()
    assert cache.get("figures") is None
