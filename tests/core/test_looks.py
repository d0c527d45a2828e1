"""Looks taken off one shot and laid on another; another plate under a finished shot."""

from __future__ import annotations

import json
from typing import Any

import jsonpatch
import numpy as np
import pytest

from cuvrel.core.looks.apply import laid_on, operations, suited
from cuvrel.core.looks.capture import look_of_planes, look_of_treatments
from cuvrel.core.looks.models import read_look, written
from cuvrel.core.looks.shipped import starters
from cuvrel.core.recipe.check import read_shot
from cuvrel.core.recipe.conform import Fit, fitted
from cuvrel.core.recipe.errors import RecipeError
from cuvrel.core.recipe.models import Footage
from cuvrel.core.recipe.plate_swap import swapped
from cuvrel.core.stand.build import Stand
from cuvrel.core.stand.nodes import Cache, work_out
from tests.recipes import FakeSources, document, footage


def shown(raw: dict[str, Any], frame: int = 3) -> np.ndarray:
    shot = read_shot(raw)
    plate = shot.plate_footage()
    sources = FakeSources(plate.width, plate.height)
    return np.asarray(work_out(Stand(shot, sources, 1.0).result(frame), Cache(50_000_000)))


def plain(**changes: Any) -> dict[str, Any]:
    """The same shot with nothing on its stand but the plate."""
    return document(planes=[{"id": "p4", "name": "Plate", "kind": "plate"}], **changes)


def test_a_look_that_was_written_and_read_again_gives_the_same_pixels() -> None:
    whole = read_shot(document())
    look = read_look(written(look_of_planes(whole, "Night", ["p1", "p2", "p3"])))
    assert [(need.of, need.name) for need in look.needs] == [("matte", "Signaller")]
    bare = read_shot(plain())
    done = laid_on(look, bare, suited(look, bare))
    # OpenCV's exact distance transform differs in the last bit with the memory's alignment
    np.testing.assert_allclose(shown(done), shown(document()), atol=2e-6)
    ops = operations(look, bare, suited(look, bare))
    assert jsonpatch.apply_patch(bare.model_dump(mode="json"), ops) == done


def test_its_names_make_room_for_those_that_are_there() -> None:
    whole = read_shot(document())
    look = look_of_planes(whole, "Night", ["p1", "p2"])
    twice = read_shot(laid_on(look, whole, suited(look, whole)))
    assert len({plane.id for plane in twice.planes}) == 6
    assert len({step.id for plane in twice.planes for step in plane.treatments}) == 4


def test_a_group_brings_what_it_holds() -> None:
    raw = document()
    raw["planes"].insert(0, {"id": "g1", "name": "Group", "kind": "group"})
    raw["planes"][1]["group"] = "g1"
    whole = read_shot(raw)
    look = look_of_planes(whole, "Held", ["g1"])
    assert [plane.id for plane in look.planes] == ["g1", "p1"]
    done = read_shot(laid_on(look, whole, suited(look, whole)))
    assert done.planes[1].group == done.planes[0].id != "g1"
    alone = look_of_planes(whole, "Loose", ["p1"])
    assert alone.planes[0].group is None


def test_keys_are_counted_from_the_range_and_stretch_to_the_other_one() -> None:
    keyed = {"keys": [{"frame": 2, "value": 0.0}, {"frame": 6, "value": 40.0}]}
    raw = document(range={"first": 2, "last": 6})
    raw["planes"][0]["treatments"][0]["params"] = {"reach": keyed}
    raw["planes"][0]["first"] = 3
    look = look_of_treatments(read_shot(raw), "Swelling", "p1")
    assert [key["frame"] for key in look.treatments[0].params["reach"]["keys"]] == [0, 4]
    longer = read_shot(document(footage=[footage(128, 96, 60)], range={"first": 10, "last": 50}))
    done = read_shot(laid_on(look, longer, suited(look, longer), "p3"))
    keys = done.plane("p3").treatments[-1].params["reach"]["keys"]
    assert [(key["frame"], key["value"]) for key in keys] == [(10, 0.0), (50, 80.0)]
    assert len(done.plane("p1").treatments) == 1, "others stay as they are"


def test_what_a_look_needs_is_found_by_name_and_asked_for_where_it_is_not_there() -> None:
    look = look_of_planes(read_shot(document()), "Night", ["p2"])
    more = [*document()["mattes"], {"id": "m2", "name": "Boat"}]
    two = read_shot(plain(mattes=more))
    assert suited(look, two, prefer="m2") == {"m1": "m1"}, "the same name comes first"
    other = read_shot(plain(mattes=[{"id": "x", "name": "Boat"}, {"id": "y", "name": "Gull"}]))
    assert suited(look, other) == {"m1": "x"}
    assert suited(look, other, prefer="y") == {"m1": "y"}
    none = read_shot(plain(mattes=[]))
    assert suited(look, none) == {"m1": None}
    with pytest.raises(RecipeError, match="needs a matte for 'Signaller'"):
        laid_on(look, none, suited(look, none))


def test_footage_that_the_shot_does_not_have_is_left_out() -> None:
    raw = document(footage=[footage(), {**footage(fid="2"), "name": "smoke.mp4"}])
    raw["planes"].insert(0, {"id": "e", "name": "Smoke", "kind": "element", "params": {"footage": "2"}})
    look = look_of_planes(read_shot(raw), "Smoky", ["e"])
    bare = read_shot(plain())
    done = read_shot(laid_on(look, bare, suited(look, bare)))
    assert done.planes[0].params["footage"] is None
    same = read_shot(plain(footage=raw["footage"]))
    assert read_shot(laid_on(look, same, suited(look, same))).planes[0].params["footage"] == "2"


@pytest.mark.parametrize(
    ("raw", "said"),
    [
        ("no json", "not JSON"),
        ('{"a": 1}', "cuvrel_look"),
        ('{"cuvrel_look": 1, "name": "x", "frames": 2, "width": 4, "height": 4}', "planes, or treatments"),
        ('{"cuvrel_look": 2, "name": "x"}', "wrong at"),
        ('{"cuvrel_look": 1, "name": "x", "frames": 2, "width": 4, "height": 4,'
         ' "treatments": [{"id": "s", "kind": "nonsense"}]}', "nonsense"),
        ('{"cuvrel_look": 1, "name": "x", "frames": 2, "width": 4, "height": 4,'
         ' "treatments": [{"id": "s", "kind": "blur", "params": {"radius": -4}}]}', "between"),
    ],
)  # fmt: skip
def test_files_that_are_no_look_are_refused_with_a_sentence(raw: str, said: str) -> None:
    with pytest.raises(RecipeError, match=said):
        read_look(raw)


@pytest.mark.parametrize("ident", sorted(starters()))
def test_every_look_that_ships_changes_the_picture(ident: str) -> None:
    look = starters()[ident]
    bare = read_shot(plain())
    target = "p4" if look.treatments else None
    done = laid_on(look, bare, suited(look, bare), target)
    assert read_shot(json.loads(json.dumps(done)))
    # some come and go, and a trail shows once something has moved
    assert max(np.abs(shown(done, frame) - shown(plain(), frame)).max() for frame in (1, 4, 7)) > 0.02


def test_there_are_twelve_of_them_with_names_of_their_own() -> None:
    assert len({look.name for look in starters().values()}) == 12


# another plate


def plate(**changes: Any) -> Footage:
    return Footage.model_validate({**footage(fid="9"), "name": "other.mp4", **changes})


def drawn() -> dict[str, Any]:
    """A shot with a shape, marks and keys at known places."""
    shape = {"id": "h", "name": "Face", "kind": "ellipse",
             "keys": [{"frame": 4, "x": 40, "y": 12, "width": 10, "height": 6, "inner": 2, "outer": 3}]}  # fmt: skip
    marks = [{"id": "k", "frame": 2, "kind": "in", "radius": 3, "points": [[32, 24], [0, 0]]}]
    mattes = [{"id": "m1", "name": "Signaller", "pulls": [
        {"id": "t1", "kind": "trace", "marks": marks}, {"id": "u1", "kind": "shape", "shapes": [shape]}]}]  # fmt: skip
    raw = document(mattes=mattes, range={"first": 2, "last": 6})
    raw["planes"][0]["opacity"] = {"keys": [{"frame": 2, "value": 0.0}, {"frame": 6, "value": 1.0}]}
    return raw


def test_all_that_was_drawn_is_fitted_to_a_larger_plate_about_the_middle() -> None:
    shot = read_shot(drawn())
    swap = swapped(shot, plate(width=160, height=96))
    done = read_shot(jsonpatch.apply_patch(shot.model_dump(mode="json"), swap.ops))
    assert done.plate == "9"
    key = done.mattes[0].pulls[1].shapes[0].keys[0]
    assert (key.x, key.y, key.width, key.inner) == ((40 - 32) * 2 + 80, (12 - 24) * 2 + 48, 20, 4)
    mark = done.mattes[0].pulls[0].marks[0]
    assert mark.radius == 6
    assert mark.points == [(80.0, 48.0), (16.0, 0.0)]
    assert done.planes[0].treatments[0].params == {"core": 4.0, "reach": 12.0}
    assert len(swap.said) == 2, "its size, and its proportions"
    assert not swap.lost


def test_times_stay_on_their_frames_or_go_by_the_clock() -> None:
    shot = read_shot(drawn())
    kept = swapped(shot, plate(fps=48, frames=40))
    assert [op["path"] for op in kept.ops] == ["/footage/-", "/plate"]
    assert "each frame stays" in kept.said[0]
    clock = swapped(shot, plate(fps=48, frames=40), "by the clock")
    done = read_shot(jsonpatch.apply_patch(shot.model_dump(mode="json"), clock.ops))
    assert [key["frame"] for key in done.planes[0].model_dump()["opacity"]["keys"]] == [4, 12]
    assert (done.range.first, done.range.last) == (4, 12)
    assert done.mattes[0].pulls[1].shapes[0].keys[0].frame == 8
    assert "followed anew" in clock.lost[0]


def test_what_can_not_carry_over_is_told_before() -> None:
    raw = drawn()
    raw["footage"].append(footage(fid="2"))
    raw["mattes"][0]["pulls"].append({"id": "d1", "kind": "difference_key", "params": {"plate": "2"}})
    shot = read_shot(raw)
    swap = swapped(shot, plate(frames=5))
    done = read_shot(jsonpatch.apply_patch(shot.model_dump(mode="json"), swap.ops))
    assert list(done.frames) == [2, 3, 4]
    assert "5 frames" in swap.lost[0]
    assert "clean plate" in swap.lost[1]
    assert swapped(shot, shot.plate_footage()).ops == []


def test_marks_behind_the_end_go_where_they_would_be_solved_anew() -> None:
    raw = drawn()
    late = {"id": "late", "frame": 7, "kind": "in", "radius": 3, "points": [[9, 9]]}
    raw["mattes"][0]["pulls"][0]["marks"].append(late)
    shot = read_shot(raw)
    kept = swapped(shot, plate(frames=5))
    assert not any("marks" in line for line in kept.lost), "its stored frames stay as they are"
    for swap in (swapped(shot, plate(frames=5), anew={"m1"}), swapped(shot, plate(width=128, height=96, frames=5))):
        done = read_shot(jsonpatch.apply_patch(shot.model_dump(mode="json"), swap.ops))
        assert [mark.id for mark in done.mattes[0].pulls[0].marks] == ["k"]
        assert "on a frame behind its end" in swap.lost[-1]
    assert swapped(shot, plate(frames=5), anew={"m1"}).pulls == ["t1-2"]


def test_a_fit_that_changes_nothing_leaves_the_document_as_it_is() -> None:
    shot = read_shot(drawn())
    assert fitted(shot, Fit(old=(64, 48), new=(64, 48))) == shot.model_dump(mode="json")
